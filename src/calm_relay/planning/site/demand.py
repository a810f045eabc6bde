"""The home's year: where it comes from, what it is made of, its evening peak and its worst season."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.demand import MeteredDemand, ScheduledLoad, ShapedDemand, Weekday
from calm_relay.job.model import Job
from calm_relay.job.survey import Bill
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.demand_shape import (
    car_load,
    heat_pump_load,
    scale_to_bills,
    scheduled_load,
    shaped_year,
)
from calm_relay.physics.kept import kept, kept_in_common
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.site.controlled_loads import SPARE_POWER, controlled_loads
from calm_relay.planning.site.metered import Metered, metered_year
from calm_relay.planning.site.seasons import seasons_at
from calm_relay.planning.site.site_year import SiteYear, file_edition

DAYS: tuple[Weekday, ...] = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


@dataclass(frozen=True, eq=False)
class Part:
    """One part of the demand [kW] a step: the house itself, or a load on top; `planned` loads are yet to come."""

    name: str
    kw: np.ndarray
    planned: bool
    source: str


@dataclass(frozen=True, eq=False)
class DemandYear:
    """Demand of the home [kW] a step, and what a planner reads off it.

    `night_kwh` is what a mean night of the worst season asks from sunset to sunrise. `metered` is None for a
    shaped year; `days_without_bill` is None where the year does not rest on bills. `machines` are those that start at
    once, compressors of heat pumps among them.
    """

    kw: np.ndarray
    parts: tuple[Part, ...]
    source: str
    yearly_kwh: float
    evening_peak_kw: float
    evening_peak_at: np.datetime64
    worst_season: str
    worst_season_mean_kw: float
    worst_season_steps: np.ndarray
    night_kwh: float
    metered: Metered | None
    days_without_bill: int | None
    machines: tuple[ScheduledLoad, ...] = ()


def demand_year(job: Job, folder: Path, year: SiteYear, made_kw: Callable[..., Any] | None = None) -> DemandYear:
    """The home's demand on the planner's steps.

    Parameters
    ----------
    job : Job
        The job.
    folder : Path
        Where relative paths start.
    year : SiteYear
        The simulated year.
    made_kw : callable, optional
        Gives the AC power of today's roof as modelled [kW]; asked for a net meter without measured production.

    Raises
    ------
    InputError
        When a meter's file cannot be read.
    PlanError
        When nothing is used all year.
    """
    paths = {}
    if isinstance(job.demand, MeteredDemand):
        for name in ("path", "export_path", "production_path"):
            stated = getattr(job.demand, name)
            if stated is not None:
                paths[name] = file_edition(folder / stated)
    modelled, demand = None, job.demand
    if (
        isinstance(demand, MeteredDemand)
        and demand.counts == "net"
        and "production_path" not in paths
        and made_kw is not None
    ):
        modelled = made_kw()
    return _demand_year(demand, tuple(paths.items()), year, job.site.latitude, _Series(modelled))


class _Series:
    """An array that a cache can tell by its content."""

    def __init__(self, array: np.ndarray | None) -> None:
        self.array = array
        self._mark = None if array is None else hash(array.tobytes())

    def __hash__(self) -> int:
        return hash(self._mark)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Series) and self._mark == other._mark


@kept
def _demand_year(
    demand: MeteredDemand | ShapedDemand,
    paths: tuple[tuple[str, tuple[str, int]], ...],
    year: SiteYear,
    latitude: float,
    modelled: _Series,
) -> DemandYear:
    calendar = year.calendar
    metered, bare_days = None, None
    if isinstance(demand, MeteredDemand):
        metered = metered_year(demand, dict(paths), calendar, latitude, modelled.array, year.sun.zenith)
        kw, source = metered.kw, metered.source
    else:
        kw, source, bare_days = _shaped(demand, calendar, latitude)
    parts = _with_loads(Part("The house", kw, False, source), demand, year)
    added = [part.name for part in parts[1:]]
    # A name in the middle of a sentence loses its capital.
    source += "".join(f", plus {name[:1].lower()}{name[1:]}" for name in added)
    kw = _sum_of(parts)
    if not kw.any():
        raise _nothing_used(demand)
    peak_kw, peak_at = evening_peak(kw, year)
    season, steps = _worst_season(kw, calendar, latitude)
    nights = steps.sum() * calendar.step_h / 24.0
    return DemandYear(
        kw,
        parts,
        source,
        float(kw.sum() * calendar.step_h),
        peak_kw,
        peak_at,
        season,
        float(kw[steps].mean()),
        steps,
        float(kw[steps & year.night].sum() * calendar.step_h / nights),
        metered,
        bare_days,
        _machines(demand, parts),
    )


def _nothing_used(demand: MeteredDemand | ShapedDemand) -> PlanError:
    """What stands where a house uses nothing all year: no backup lasts and no bill falls for it."""
    if isinstance(demand, MeteredDemand):
        return PlanError(
            "demand.path", "its meter counted nothing all year; wanted a file of a house that is lived in"
        )
    return PlanError("demand.bills", "they come to 0 kWh in all; wanted what the house used")


def with_other_loads(made: DemandYear, demand: MeteredDemand | ShapedDemand, year: SiteYear) -> DemandYear:
    """The same house with the loads of another demand beside it: its power and its parts; all else as it was read."""
    parts = _with_loads(made.parts[0], demand, year)
    return replace(made, kw=_sum_of(parts), parts=parts, machines=_machines(demand, parts))


def _machines(demand: ShapedDemand | MeteredDemand, parts: tuple[Part, ...]) -> tuple[ScheduledLoad, ...]:
    """The machines, and each heat pump whose compressor starts at once as one that is on for its share of the time."""
    drawn = {part.name: part.kw for part in parts}
    found = list(demand.loads)
    for pump in demand.heat_pumps:
        kw = drawn[pump.name]
        if pump.starts_softly or not kw.any():
            continue
        rated = max(pump.most_kw or SPARE_POWER * float(kw.max()), float(kw.max()))
        duty = min(float(kw[kw > 0.0].mean()) / rated, 1.0)
        found.append(
            ScheduledLoad(
                name=pump.name, kw=rated, days=DAYS, start="00:00", hours=24.0, duty=duty, motor=True,
                starting_a=pump.starting_a,
            )
        )  # fmt: skip
    return tuple(found)


def _with_loads(house: Part, demand: MeteredDemand | ShapedDemand, year: SiteYear) -> tuple[Part, ...]:
    """The house and each load beside it.

    A control moves some, and they are not part of what the house asks.
    """
    controlled = controlled_loads(demand, None, None, year)
    moved = tuple(
        Part(item.name, np.zeros(house.kw.size), item.planned, "controlled; the job's survey")
        for item in controlled
    )
    return (house, *_loads(demand, year), *moved)


def _sum_of(parts: tuple[Part, ...]) -> np.ndarray:
    return sum((part.kw for part in parts), np.zeros(parts[0].kw.size))


def _shaped(demand: ShapedDemand, calendar: YearCalendar, latitude: float) -> tuple[np.ndarray, str, int | None]:
    bills = [(_days_of(bill), bill.kwh) for bill in sorted(demand.bills, key=lambda bill: bill.first)]
    kw = shaped_year(
        _a_year_kwh(demand, bills),
        demand.winter_factor,
        latitude,
        calendar.wall_minute,
        calendar.wall_weekday,
        calendar.step_h,
        demand.seed,
        demand.shape,
    )
    if not demand.bills:
        return kw, f"{demand.shape} shape scaled to {demand.yearly_kwh:,.0f} kWh a year", None
    billed = scale_to_bills(kw, calendar.step_h, bills)
    source = f"{demand.shape} shape scaled to {len(bills)} bill{'s' * (len(bills) > 1)}"
    return billed.kw, source, billed.days_without_bill


def _days_of(bill: Bill) -> np.ndarray:
    """Days of the year that a bill covers, 0 to 364."""
    first, last = date.fromisoformat(bill.first), date.fromisoformat(bill.last)
    return (min(first.timetuple().tm_yday, 365) - 1 + np.arange((last - first).days + 1)) % 365


def _a_year_kwh(demand: ShapedDemand, bills: list[tuple[np.ndarray, float]]) -> float:
    """What the house uses a year: as stated, or about what its bills come to."""
    if not bills:
        return demand.yearly_kwh
    return max(sum(kwh for _, kwh in bills) * 365.0 / sum(days.size for days, _ in bills), 1.0)


def _loads(demand: ShapedDemand | MeteredDemand, year: SiteYear) -> Iterator[Part]:
    """Machines, heat pumps and cars, each as a part of its own."""
    calendar = year.calendar
    minute, weekday, month = calendar.wall_minute, calendar.wall_weekday, calendar.month
    for load in demand.loads:
        kw = scheduled_load(
            load.kw,
            [DAYS.index(day) for day in load.days],
            minutes_of(load.start),
            load.hours,
            minute,
            weekday,
            duty=load.duty,
            months=load.months,
            month=month,
        )
        yield Part(load.name, kw, load.planned, "the job's survey")
    for pump in (pump for pump in demand.heat_pumps if not pump.is_controlled):
        points = [point.outdoor_c for point in pump.cop], [point.cop for point in pump.cop]
        kw = heat_pump_load(
            pump.heat_kwh_per_day,
            pump.water_kwh_per_day,
            pump.heats_below_c,
            *points,
            year.weather.temp_air,
            month,
            calendar.step_h,
        )
        yield Part(pump.name, kw, pump.planned, f"heat by the outdoor air; {year.source}")
    for car in (car for car in demand.cars if not car.is_controlled):
        start, end = minutes_of(car.start), minutes_of(car.end)
        opens = (minute == start - start % round(calendar.step_h * 60)) & np.isin(
            weekday, [DAYS.index(day) for day in car.days]
        )
        kw = car_load(car.kwh_per_day, car.charger_kw, calendar.in_window(start, end), opens, calendar.step_h)
        yield Part(car.name, kw, car.planned, "the job's survey")


def evening_peak(kw: np.ndarray, year: SiteYear) -> tuple[float, np.datetime64]:
    """Highest half hour that starts after sunset and before local midnight."""
    half_hour = (kw + np.roll(kw, -1)) / 2
    evening = year.night & (year.calendar.wall_minute >= 15 * 60)
    if not evening.any():
        evening = year.calendar.wall_minute >= 18 * 60
    at = int(np.flatnonzero(evening)[half_hour[evening].argmax()])
    return float(half_hour[at]), year.calendar.wall[at]


def _worst_season(kw: np.ndarray, calendar: YearCalendar, latitude: float) -> tuple[str, np.ndarray]:
    seasons = _seasons(calendar, tuple(seasons_at(latitude).items()))
    worst = max(seasons, key=lambda name: float(kw[seasons[name]].mean()))
    return worst, seasons[worst]


@kept_in_common
def _seasons(calendar: YearCalendar, seasons: tuple[tuple[str, tuple[int, ...]], ...]) -> dict[str, np.ndarray]:
    """Steps of each season."""
    return {name: np.isin(calendar.month, months) for name, months in seasons}
