"""The home's year: where it comes from, what it is made of, its evening peak and its worst season."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.demand import MeteredDemand, ScheduledLoad, ShapedDemand, Weekday
from calm_relay.job.model import Job
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.demand_shape import (
    car_load,
    heat_pump_load,
    scale_to_bills,
    scheduled_load,
    shaped_year,
)
from calm_relay.physics.kept import kept, kept_in_common
from calm_relay.physics.net_use import Exchange
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.joined import counted
from calm_relay.planning.site.controlled_loads import SPARE_POWER, controlled_loads
from calm_relay.planning.site.metered import Metered, metered_year
from calm_relay.planning.site.net_bills import BehindMeter, behind_meter, days_of, in_order
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
    once, compressors of heat pumps among them. `behind` is set where figures of what came from the grid were turned
    into what the house used. `there_kwh` is what of a meter's or bills' energy is taken for the loads that are there,
    and `emptied` says in how many bills, or on how many days of a meter, they leave nothing for the house.
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
    behind: BehindMeter | None = None
    emptied: int = 0
    there_kwh: float = 0.0


@dataclass(frozen=True, eq=False)
class Today:
    """What a demand may ask of the plant that stands there.

    Attributes
    ----------
    made_kw : callable
        Gives the AC power of its array as modelled [kW].
    exchange : callable
        Gives import and export [kW] of a job's plant beside a demand.
    digest : callable
        Gives a digest of all that such a run reads.
    """

    made_kw: Callable[[], np.ndarray]
    exchange: Callable[[Job, DemandYear], tuple[np.ndarray, np.ndarray]]
    digest: Callable[[Job, DemandYear], bytes]


def demand_year(job: Job, folder: Path, year: SiteYear, today: Today | None = None) -> DemandYear:
    """The home's demand on the planner's steps.

    Parameters
    ----------
    job : Job
        The job.
    folder : Path
        Where relative paths start.
    year : SiteYear
        The simulated year.
    today : Today, optional
        What stands there; asked for figures and for a net meter that count what came from the grid.

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
    if isinstance(demand, ShapedDemand) and demand.counts == "net" and today is not None and job.supply.on_grid:
        behind = _behind(job, year, today)
        made = _demand_year(behind.used, (), year, job.site.latitude, _Series(None))
        there_kwh = float(_there_by_day(demand, year).sum())
        return _told(replace(made, behind=behind, emptied=behind.at_rest, there_kwh=there_kwh), demand)
    if (
        isinstance(demand, MeteredDemand)
        and (demand.counts == "net" or "production_path" in paths)
        and today is not None
    ):
        modelled = today.made_kw()
    beside_battery = bool(job.existing_batteries)
    return _demand_year(demand, tuple(paths.items()), year, job.site.latitude, _Series(modelled), beside_battery)


def _told(made: DemandYear, demand: ShapedDemand) -> DemandYear:
    """The year with the figures it rests on named as they were counted."""
    assert made.behind is not None, "it rests on figures of what came from the grid"
    house, *rest = made.parts
    figure = "a year" if not demand.bills else "in " + counted(len(demand.bills), "bill")
    source = f"{demand.shape} shape scaled to {made.behind.counted_kwh:,.0f} kWh from the grid {figure}"
    parts = (replace(house, source=source), *rest)
    return replace(made, parts=parts, source=source + made.source.removeprefix(house.source))


def _behind(job: Job, year: SiteYear, today: Today) -> BehindMeter:
    """What the house used by figures of what came from the grid beside what stands there."""
    assert isinstance(job.demand, ShapedDemand), "a meter's file is read otherwise"
    demand = job.demand
    there = demand.there
    made = _Series(today.made_kw())

    def found(guess_kwh: float) -> BehindMeter:
        plain = demand.with_(**there, bills=(), counts="gross", yearly_kwh=guess_kwh)
        then = job.as_built(demand=plain)
        base = _demand_year(plain, (), year, job.site.latitude, _Series(None))

        def exchange(kw: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
            parts = (replace(base.parts[0], kw=kw), *base.parts[1:])
            return today.exchange(then, replace(base, kw=_sum_of(parts), parts=parts))

        return _behind_meter(demand, _Asked(exchange, today.digest(then, base)), base, year, made)

    # A larger house has calmer days: the second time its days are those of what was found.
    return found(_a_year_kwh(found(_a_year_kwh(demand, year)).used, year))


@kept
def _behind_meter(
    demand: ShapedDemand, exchange: "_Asked", base: DemandYear, year: SiteYear, made: "_Series"
) -> BehindMeter:
    assert made.array is not None, "what stands there makes a series, of zeros where it has no array"
    beside_kwh = _there_by_day(demand, year)
    return behind_meter(demand, base.parts[0].kw, beside_kwh, year.calendar.step_h, made.array, exchange.answer)


class _Asked:
    """Something that answers, told by a digest of what its answers rest on."""

    def __init__(self, answer: Exchange, digest: bytes) -> None:
        self.answer = answer
        self._digest = digest

    def __hash__(self) -> int:
        return hash(self._digest)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Asked) and self._digest == other._digest


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
    beside_battery: bool = False,
) -> DemandYear:
    calendar = year.calendar
    metered, bare_days, emptied = None, None, 0
    if isinstance(demand, MeteredDemand):
        metered = metered_year(
            demand,
            dict(paths),
            calendar,
            latitude,
            modelled.array,
            year.sun.zenith,
            beside_battery=beside_battery,
        )
        kw, emptied = _without_loads(metered.kw, demand, year)
        source = metered.source
    else:
        kw, source, bare_days, emptied = _shaped(demand, year, latitude)
    there_kwh = float(_there_by_day(demand, year).sum()) if demand.counts_loads else 0.0
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
        emptied=emptied,
        there_kwh=there_kwh,
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


def _shaped(demand: ShapedDemand, year: SiteYear, latitude: float) -> tuple[np.ndarray, str, int | None, int]:
    """The house's power, where it comes from, days without a bill, and bills that the loads use up."""
    calendar = year.calendar
    kw = shaped_year(
        _a_year_kwh(demand, year),
        demand.winter_factor,
        latitude,
        calendar.wall_minute,
        calendar.wall_weekday,
        calendar.step_h,
        demand.seed,
        demand.shape,
    )
    if not demand.bills:
        return kw, f"{demand.shape} shape scaled to {demand.yearly_kwh:,.0f} kWh a year", None, 0
    own = _billed(demand, year)
    emptied = sum(
        bill.kwh > 0.0 and left == 0.0 for bill, (_, left) in zip(in_order(demand.bills), own, strict=True)
    )
    billed = scale_to_bills(kw, calendar.step_h, own)
    source = f"{demand.shape} shape scaled to {counted(len(own), 'bill')}"
    return billed.kw, source, billed.days_without_bill, emptied


def _billed(demand: ShapedDemand, year: SiteYear) -> list[tuple[np.ndarray, float]]:
    """Days of each bill, and its energy without that of the loads that are there [kWh]."""
    beside = _there_by_day(demand, year)
    bills = [(days_of(bill), bill.kwh) for bill in in_order(demand.bills)]
    return [(days, max(kwh - float(beside[days].sum()), 0.0)) for days, kwh in bills]


def _without_loads(kw: np.ndarray, demand: MeteredDemand, year: SiteYear) -> tuple[np.ndarray, int]:
    """A meter's power without the loads that are there, and on how many days they leave nothing of it.

    What they draw is taken where they run; what the meter did not show then is taken from the rest of the day, and
    what it did not show on that day from the other days of the month.
    """
    beside = _there_by_day(demand, year)
    if not beside.any():
        return kw, 0
    left = np.maximum(kw - _there_kw(demand, year), 0.0).reshape(365, -1)
    step_h = year.calendar.step_h
    metered = kw.reshape(365, -1).sum(axis=1) * step_h
    wanted = np.maximum(metered - beside, 0.0)
    emptied = int(((wanted == 0.0) & (metered > 0.0)).sum())
    month = year.calendar.month.reshape(365, -1)[:, 0]
    short, spare = (
        np.bincount(month, weights=days, minlength=13)[month]
        for days in (np.maximum(beside - metered, 0.0), wanted)
    )
    wanted = wanted * np.divide(np.maximum(spare - short, 0.0), spare, out=np.zeros(365), where=spare > 0.0)
    shown = left.sum(axis=1) * step_h
    share = np.divide(wanted, shown, out=np.zeros(365), where=shown > 0.0)
    return (left * share[:, None]).ravel(), emptied


def _there_kw(demand: ShapedDemand | MeteredDemand, year: SiteYear) -> np.ndarray:
    """Power of the loads that are there, but for those that a control moves [kW]."""
    alone = demand.with_(**demand.there)
    return sum((part.kw for part in _loads(alone, year)), np.zeros(year.calendar.steps))


@kept
def _there_by_day(demand: ShapedDemand | MeteredDemand, year: SiteYear) -> np.ndarray:
    """What the loads that are there use on each day of a year [kWh]: bills and meters count them with the house."""
    kw = _there_kw(demand, year)
    for item in controlled_loads(demand.with_(**demand.there), None, None, year):
        lost_kw = item.load.loss_per_h * item.load.cap_kwh
        kw = kw + (item.load.draw_kw + lost_kw) / item.load.gain
    return np.asarray(kw.reshape(365, -1).sum(axis=1) * year.calendar.step_h)


def _a_year_kwh(demand: ShapedDemand, year: SiteYear) -> float:
    """What is counted in a year without the loads beside it: as stated, or about what the bills come to."""
    if not demand.bills:
        return demand.yearly_kwh
    own = _billed(demand, year)
    return max(sum(kwh for _, kwh in own) * 365.0 / sum(days.size for days, _ in own), 1.0)


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
