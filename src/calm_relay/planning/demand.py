"""The home's year: where it comes from, its evening peak and its worst season."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from calm_relay.exchange.meter_csv import read_meter_year
from calm_relay.job.base import minutes_of
from calm_relay.job.model import Job, MeteredDemand
from calm_relay.physics.demand_shape import household_year, scheduled_load
from calm_relay.planning.site_year import SiteYear

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
SEASONS = {
    "summer": (12, 1, 2),
    "autumn": (3, 4, 5),
    "winter": (6, 7, 8),
    "spring": (9, 10, 11),
}


@dataclass(frozen=True, eq=False)
class DemandYear:
    """Demand of the home [kW] a step, and what a planner reads off it."""

    kw: np.ndarray
    source: str
    yearly_kwh: float
    evening_peak_kw: float
    evening_peak_at: np.datetime64
    worst_season: str
    worst_season_mean_kw: float
    worst_season_steps: np.ndarray


def demand_year(job: Job, folder: Path, year: SiteYear) -> DemandYear:
    """The home's demand on the planner's steps.

    Raises
    ------
    InputError
        When a metered year cannot be read.
    """
    edition = 0
    path = ""
    if isinstance(job.demand, MeteredDemand):
        file = (folder / job.demand.path).resolve()
        path, edition = str(file), file.stat().st_mtime_ns if file.exists() else 0
    return _demand_year(job.demand, path, edition, year, job.site.latitude)


@lru_cache(maxsize=6)
def _demand_year(demand, path, edition, year, latitude):
    calendar = year.calendar
    minute, weekday = calendar.wall_minute, calendar.wall_weekday
    if path:
        kw = read_meter_year(path, calendar.utc_offset_h, calendar.year, round(calendar.step_h * 60)).kw
        source = f"interval file {Path(path).name}"
    else:
        kw = household_year(
            demand.yearly_kwh, demand.winter_factor, latitude, minute, weekday, calendar.step_h, demand.seed
        )
        source = f"household shape scaled to {demand.yearly_kwh:,.0f} kWh a year"
    for load in demand.loads:
        days = [DAYS.index(day) for day in load.days]
        kw = kw + scheduled_load(load.kw, days, minutes_of(load.start), load.hours, minute, weekday)
        source += f", plus {load.name.lower()}"
    peak_kw, peak_at = _evening_peak(kw, year)
    season, steps = _worst_season(kw, calendar, latitude)
    return DemandYear(
        kw,
        source,
        float(kw.sum() * calendar.step_h),
        peak_kw,
        peak_at,
        season,
        float(kw[steps].mean()),
        steps,
    )


def _evening_peak(kw, year):
    """Highest half hour that starts after sunset and before local midnight."""
    half_hour = (kw + np.roll(kw, -1)) / 2
    evening = year.dark & (year.calendar.wall_minute >= 15 * 60)
    if not evening.any():
        evening = year.calendar.wall_minute >= 18 * 60
    at = int(np.flatnonzero(evening)[half_hour[evening].argmax()])
    return float(half_hour[at]), year.calendar.wall[at]


def _worst_season(kw, calendar, latitude):
    turn = 0 if latitude < 0 else 6
    best = ("", None, -1.0)
    for name, months in SEASONS.items():
        steps = np.isin((calendar.month - 1 + turn) % 12 + 1, months)
        mean = kw[steps].mean()
        if mean > best[2]:
            best = (name, steps, mean)
    return best[0], best[1]
