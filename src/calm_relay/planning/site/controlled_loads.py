"""Loads that a control starts and stops, as the simulation takes them: what each uses, when it may and when it must."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.control import BATTERY, Control, Window
from calm_relay.job.demand import ON_HYBRID, Car, FlexibleLoad, HeatPump, HotWater, MeteredDemand, ShapedDemand
from calm_relay.job.tariff import Tariff
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.demand_shape import heat_by_day
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.unchanging import frozen
from calm_relay.planning.site.prices import price_series
from calm_relay.planning.site.site_year import SiteYear

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
# Hours in which hot water is used, and the share of the day's in each: common practice, no source.
PATTERNS = {
    "morning and evening": (
        (6, 0.2),
        (7, 0.25),
        (8, 0.1),
        (12, 0.05),
        (18, 0.1),
        (19, 0.15),
        (20, 0.1),
        (21, 0.05),
    ),
    "evening": ((17, 0.1), (18, 0.25), (19, 0.3), (20, 0.2), (21, 0.15)),
    "all day": tuple((hour, 1.0 / 16.0) for hour in range(7, 23)),
}
# Of what leaves a car's battery so much reaches the house: common practice, no source.
GIVES_BACK = 0.93
# Power above what the coldest day asks, where a heat pump states none: common practice, no source.
SPARE_POWER = 1.2


@dataclass(frozen=True, eq=False)
class NamedLoad:
    """A controlled load with its name and what it is, in words."""

    name: str
    kind: str
    load: ControlledLoad
    planned: bool


def controlled_loads(
    demand: ShapedDemand | MeteredDemand, control: Control | None, tariff: Tariff | None, year: SiteYear
) -> tuple[NamedLoad, ...]:
    """The controlled loads of a demand in the order in which they take surplus.

    Parameters
    ----------
    demand : ShapedDemand or MeteredDemand
        The job's demand.
    control : Control or None
        Its order says who takes surplus before the battery; None: nobody does.
    tariff : Tariff or None
        Its prices say which hours are cheap; None: all cost the same.
    year : SiteYear
        The simulated year.
    """
    made = _made(demand, year, tariff)
    if control is None:
        return made
    order = control.order_of([item.name for item in made])
    ahead = order[: order.index(BATTERY)]
    ordered = sorted(made, key=lambda item: order.index(item.name))
    return tuple(replace(item, load=item.load.after(first=item.name in ahead)) for item in ordered)


@kept
def _made(demand: ShapedDemand | MeteredDemand, year: SiteYear, tariff: Tariff | None) -> tuple[NamedLoad, ...]:
    calendar = year.calendar
    price = None if tariff is None else price_series(tariff, calendar)
    made = [
        NamedLoad(water.name, "hot water", _water(water, calendar), water.planned) for water in demand.hot_water
    ]
    made += [
        NamedLoad(car.name, "car", _car(car, calendar, price), car.planned)
        for car in demand.cars
        if car.is_controlled
    ]
    made += [
        NamedLoad(pump.name, "heat pump", _heat_pump(pump, year), pump.planned)
        for pump in demand.heat_pumps
        if pump.is_controlled
    ]
    made += [NamedLoad(item.name, "machine", _machine(item, calendar), item.planned) for item in demand.flexible]
    return tuple(made)


def _open(calendar: YearCalendar, windows: Sequence[Window]) -> np.ndarray:
    """Steps in which one of some windows is open."""
    here = np.zeros(calendar.steps, dtype=bool)
    for window in windows:
        here |= calendar.in_window(minutes_of(window.start), minutes_of(window.end))
    return here


def _ones(calendar: YearCalendar) -> np.ndarray:
    return frozen(np.ones(calendar.steps))


def _water(water: HotWater, calendar: YearCalendar) -> ControlledLoad:
    hour = calendar.wall_minute // 60
    used = np.zeros(calendar.steps)
    for at, share in PATTERNS[water.pattern]:
        used[hour == at] = share * water.used_kwh_per_day
    cap = water.heat_kwh
    step_kw = water.element_kw / water.steps if water.steps else 0.0
    return ControlledLoad(
        cap,
        water.element_kw,
        frozen(used),
        _ones(calendar),
        frozen(np.full(calendar.steps, water.on_surplus)),
        frozen(np.where(_open(calendar, water.top_up), cap, water.keep_above * cap)),
        frozen(np.zeros(calendar.steps)),
        min_kw=0.0,
        loss_per_h=water.standing_loss_kwh / 24.0 / cap,
        step_kw=step_kw,
        soc_above=water.battery_above,
        on_above=water.port_on or 0.0,
        off_below=water.port_off if water.port_on is not None else 0.0,
        from_battery=water.from_battery,
    )


def _stays(opens: np.ndarray, minutes: int, calendar: YearCalendar) -> Iterator[np.ndarray]:
    """Numbers of the steps of each stay that begins where `opens` says."""
    length = max(round(minutes / 60.0 / calendar.step_h), 1)
    for first in np.flatnonzero(opens):
        yield np.arange(int(first), min(int(first) + length, calendar.steps))


def _opens(start: str, days: Sequence[str], calendar: YearCalendar) -> np.ndarray:
    """Steps at which a window opens on some days."""
    minute = minutes_of(start)
    step = round(calendar.step_h * 60)
    return (calendar.wall_minute == minute - minute % step) & np.isin(
        calendar.wall_weekday, [DAYS.index(day) for day in days]
    )


def _task(
    kwh: float,
    most_kw: float,
    opens: np.ndarray,
    minutes: int,
    calendar: YearCalendar,
    price: np.ndarray | None,
    full_kwh: float | None = None,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """So much to take in each window: what is used, when it may be taken, the level to fill to, and the hours left.

    `full_kwh` is what the store holds where that is more than a window's.
    """
    full = kwh if full_kwh is None else full_kwh
    steps = calendar.steps
    used, may = np.zeros(steps), np.zeros(steps, dtype=bool)
    fill, left = np.zeros(steps), np.zeros(steps)
    used[opens] = kwh / calendar.step_h
    wanted = int(np.ceil(kwh / (most_kw * calendar.step_h) - 1e-9))
    for stay in _stays(opens, minutes, calendar):
        may[stay] = True
        left[stay] = (stay.size - np.arange(stay.size)) * calendar.step_h
        if price is not None:
            fill[stay[np.argsort(price[stay], kind="stable")[:wanted]]] = full
    return used, may, fill, left


def _car(car: Car, calendar: YearCalendar, price: np.ndarray | None) -> ControlledLoad:
    minutes = (minutes_of(car.end) - minutes_of(car.start)) % 1440 or 1440
    cheap = car.control == "in cheap hours"
    bought = price if cheap and price is not None else np.zeros(calendar.steps) if cheap else None
    gives = car.may_give_back and car.battery_kwh is not None
    full = car.battery_kwh if gives and car.battery_kwh is not None else car.kwh_per_day
    used, may, fill, left = _task(
        car.kwh_per_day, car.charger_kw, _opens(car.start, car.days, calendar), minutes, calendar, bought, full
    )
    if car.control == "at once":
        fill = np.where(may, full, 0.0)
    return ControlledLoad(
        full,
        car.charger_kw,
        frozen(used),
        _ones(calendar),
        frozen(may if car.control == "on surplus" else np.zeros(calendar.steps, dtype=bool)),
        frozen(fill),
        frozen(left),
        min_kw=min(car.least_kw, car.charger_kw),
        from_battery=car.from_battery,
        managed=car.within_fuse,
        converter=1 if car.charger == ON_HYBRID else 0,
        gives_kw=(car.gives_kw or car.charger_kw) if gives else 0.0,
        keep_kwh=car.keeps * full if gives else 0.0,
        give_efficiency=GIVES_BACK if gives else 1.0,
    )


def _machine(item: FlexibleLoad, calendar: YearCalendar) -> ControlledLoad:
    minutes = (minutes_of(item.end) - minutes_of(item.start)) % 1440
    opens = _opens(item.start, DAYS, calendar) & np.isin(calendar.month, item.months)
    used, may, fill, left = _task(item.kwh_per_day, item.kw, opens, minutes, calendar, None)
    if not item.on_surplus:
        # It begins when its window opens and runs until its work is done.
        fill[may] = item.kwh_per_day
    return ControlledLoad(
        item.kwh_per_day,
        item.kw,
        frozen(used),
        _ones(calendar),
        frozen(may if item.on_surplus else np.zeros(calendar.steps, dtype=bool)),
        frozen(fill),
        frozen(left),
        min_kw=item.kw,
        step_kw=item.kw,
        from_battery=item.from_battery,
    )


@kept
def heat_pump_most_kw(pump: HeatPump, year: SiteYear) -> float:
    """The most that a heat pump draws: as stated, else a fifth above what its coldest step asks [kW]."""
    heat_kw, cop = _heat_asked(pump, year)
    return pump.most_kw or max(SPARE_POWER * float((heat_kw / cop).max()), 0.1)


def _heat_asked(pump: HeatPump, year: SiteYear) -> tuple[np.ndarray, np.ndarray]:
    """Heat of each step [kW] and what each kWh of electricity makes of it, both of shape (steps,)."""
    heat_kw = heat_by_day(
        pump.heat_kwh_per_day,
        pump.water_kwh_per_day,
        pump.heats_below_c,
        year.weather.temp_air,
        year.calendar.month,
    )
    points = [point.outdoor_c for point in pump.cop], [point.cop for point in pump.cop]
    return heat_kw, np.interp(year.weather.temp_air, *points)


def _heat_pump(pump: HeatPump, year: SiteYear) -> ControlledLoad:
    calendar = year.calendar
    heat_kw, cop = _heat_asked(pump, year)
    # What a step asks must fit, whatever the buffer is.
    one_step = float(heat_kw.max()) * calendar.step_h
    cap = pump.buffer_kwh + 2.0 * one_step
    usual = 2.0 * one_step + (0.5 if pump.on_surplus else 1.0) * pump.buffer_kwh
    return ControlledLoad(
        cap,
        heat_pump_most_kw(pump, year),
        frozen(heat_kw),
        frozen(cop),
        frozen(np.full(calendar.steps, pump.on_surplus)),
        frozen(np.where(_open(calendar, pump.set_back), one_step, usual)),
        frozen(np.zeros(calendar.steps)),
    )
