"""The year by months, and the home's typical days by season."""

from dataclasses import dataclass
from math import isnan

import numpy as np

from calm_relay.job.library import Library
from calm_relay.job.model import ClimatePreset
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.climates import nearest_climates
from calm_relay.planning.site.months import SiteMonths, months_of
from calm_relay.planning.site.seasons import seasons_at


def site_months(plan: Plan) -> SiteMonths:
    """The weather year by months of standard time."""
    return months_of(plan.site)


def how_sure(plan: Plan, library: Library) -> str:
    """How far the weather year can be believed, in a sentence."""
    site, weather = plan.site, plan.job.site.weather
    if isinstance(weather, ClimatePreset):
        better = "Single days are made up; a weather file, or twelve months from a table, would be better."
        match = next(
            (m for m in nearest_climates(plan.job.site, library) if m.climate.key == weather.climate), None
        )
        if match is None:
            return f"an assumed kind of climate: yearly light may be off by a tenth or more. {better}"
        return (
            f"an assumed climate, written down from memory for {match.climate.name}, {match.distance_km:,.0f} km away "
            f"({match.sure}). {better}"
        )
    if weather.kind == "monthly":
        origin = f" ({weather.origin})" if weather.origin else ""
        return f"the months are yours{origin}; the days within each are made so that their sums are right."
    if isnan(site.distance_km):
        return "a weather file that does not say of what place it is; a single year may differ by a tenth."
    summary = f"a weather file of {site.distance_km:.0f} km away"
    if site.distance_km > 80:
        return f"{summary}: far off, look for a nearer station."
    return f"{summary}: as good as a typical year gets; a single year may differ by a tenth."


def typical_days(plan: Plan) -> dict[str, np.ndarray]:
    """Mean demand of each local clock hour by season [kW], 24 values each."""
    calendar, kw = plan.site.calendar, plan.demand.kw
    hour = calendar.wall_minute // 60
    days = {}
    for name, months in seasons_at(plan.job.site.latitude).items():
        cut = np.isin(calendar.month, months)
        days[name] = np.bincount(hour[cut], weights=kw[cut], minlength=24) / np.bincount(hour[cut], minlength=24)
    return days


@dataclass(frozen=True, eq=False)
class HomeYear:
    """The home's year to look at: a carpet of days by clock hours [kW], and a mean day stacked by parts [kW].

    `carpet` has shape (365, 96) in local clock time; `stacked` holds 24 values a part for the worst season.
    """

    carpet: np.ndarray
    stacked: dict[str, np.ndarray]
    sunset_h: np.ndarray
    sunrise_h: np.ndarray


def home_year(plan: Plan) -> HomeYear:
    """Demand as a carpet, with the hours of sunset and sunrise of each day, and the worst season's mean day."""
    calendar, demand = plan.site.calendar, plan.demand
    per_day = calendar.steps // 365
    slot = (calendar.wall_minute // (1440 // per_day)).astype(int)
    first = calendar.wall[0].astype("datetime64[D]")
    day = np.clip((calendar.wall.astype("datetime64[D]") - first).astype(int), 0, 364)
    carpet = np.full((365, per_day), np.nan)
    carpet[day, slot] = demand.kw
    # The hour that daylight saving leaves out takes the one before.
    for row in np.flatnonzero(np.isnan(carpet).any(axis=1)):
        holes = np.isnan(carpet[row])
        carpet[row, holes] = np.interp(np.flatnonzero(holes), np.flatnonzero(~holes), carpet[row, ~holes])
    hour = calendar.wall_minute // 60
    here = demand.worst_season_steps
    counts = np.bincount(hour[here], minlength=24)
    stacked = {
        part.name: np.bincount(hour[here], weights=part.kw[here], minlength=24) / counts for part in demand.parts
    }
    light = np.zeros((365, per_day), dtype=bool)
    light[day, slot] = ~plan.site.night
    rise = np.where(light.any(axis=1), light.argmax(axis=1), np.nan) * 24.0 / per_day
    sets = np.where(light.any(axis=1), per_day - light[:, ::-1].argmax(axis=1), np.nan) * 24.0 / per_day
    return HomeYear(carpet, stacked, sets, rise)
