"""The job's control as the simulation takes it: windows, thresholds, clocks and who goes first, step by step."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.control import ClockWindow, DelayWindow, GridCharge, PriceCharge, Window
from calm_relay.job.control import Control as Wanted
from calm_relay.job.model import Job, Supply
from calm_relay.job.tariff import Tariff
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.control import Control
from calm_relay.physics.plant.parts import UNLIMITED
from calm_relay.physics.price_schedule import mean_days, price_schedule
from calm_relay.physics.unchanging import frozen, is_frozen
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.home_phases import Phases, demand_by_phase
from calm_relay.planning.site.prices import price_series

# The half of the year with the longer days.
SUNNY_NORTH = (4, 5, 6, 7, 8, 9)
SUNNY_SOUTH = (1, 2, 3, 10, 11, 12)


def usual_charge(tariff: Tariff) -> GridCharge:
    """A charge window to begin with: the cheapest hours of a tariff, the small hours where none are cheaper."""
    cheap = tariff.cheapest
    return GridCharge(start=cheap.start, end=cheap.end) if cheap else GridCharge(start="01:00", end="05:00")


def usual_service(tariff: Tariff) -> Window:
    """A window to begin with in which the battery serves the home: the dearest hours, the evening where none are."""
    dear = tariff.dearest
    return Window(start=dear.start, end=dear.end) if dear else Window(start="17:00", end="21:00")


def usual_delay(latitude: float) -> DelayWindow:
    """A window to begin with in which charging is delayed: the mornings of the sunny half of the year."""
    return DelayWindow(start="05:00", end="12:00", months=SUNNY_NORTH if latitude >= 0.0 else SUNNY_SOUTH)


def open_in(calendar: YearCalendar, window: Window | ClockWindow | GridCharge) -> np.ndarray:
    """Steps in which a daily window is open, by local clock."""
    return _open(calendar, window.start, window.end, window.months if isinstance(window, DelayWindow) else ())


@kept
def _open(calendar: YearCalendar, start: str, end: str, months: tuple[int, ...]) -> np.ndarray:
    by_clock = calendar.in_window(minutes_of(start), minutes_of(end))
    return by_clock & np.isin(calendar.month, months) if months else by_clock


def control_of(
    design: Design, job: Job, calendar: YearCalendar, home_kw: np.ndarray, pv_kw: np.ndarray
) -> Control:
    """How the batteries of a design are controlled.

    Windows and thresholds are those of the new battery; where a design has none they are left out. Stored energy
    is exported only where the tariff allows it. A control by prices expects what home and arrays (of `Inputs`) do on
    usual days of each month.
    """
    converter = design.battery_converter
    new = converter is not None and converter.battery_moves
    battery = job.battery
    filled = battery.charge_windows if new and not design.by_clock else ()
    wanted = job.control if new else Wanted()
    exported = wanted.export_windows if job.tariff.stored_export else ()
    if exported != wanted.export_windows:
        wanted = wanted.with_(export_windows=exported)
    control = _control(calendar, filled, wanted, design.by_clock)
    if wanted.by_price is not None and converter is not None and job.supply.on_grid and not design.by_clock:
        control = _by_price(control, wanted.by_price, design, job, calendar, home_kw, pv_kw)
    order = _order(design, job)
    if order is None:
        return control
    return replace(control, order=order)


@lru_cache(maxsize=64, typed=True)
def _steadily(steps: int, value: float | bool) -> np.ndarray:
    """The same value in every step."""
    return frozen(np.full(steps, value))


def _by_price(
    control: Control,
    wanted: PriceCharge,
    design: Design,
    job: Job,
    calendar: YearCalendar,
    home_kw: np.ndarray,
    pv_kw: np.ndarray,
) -> Control:
    """A control with charging in cheap hours and service in dear ones on top of its windows."""
    batteries = [converter for converter in design.converters if converter.has_battery]
    leader = design.leader
    of_day = calendar.month.reshape(365, -1)[:, calendar.steps // 730]
    made_kw = pv_kw.sum(axis=0) if pv_kw.size else np.zeros(calendar.steps)
    found = price_schedule(
        price_series(job.tariff, calendar),
        mean_days(home_kw if home_kw.ndim == 1 else home_kw.sum(axis=0), calendar.month),
        # What is bought for a dull day is sold for little on a bright one.
        mean_days(made_kw, calendar.month, brighter_half=True) * leader.inverter.peak_efficiency,
        hours=wanted.hours,
        least=wanted.least_gain,
        # What comes back to the AC bus of what is charged from it, at its best.
        efficiency=leader.bank.pack.round_trip * leader.inverter.peak_efficiency**2,
        usable_kwh=sum(converter.bank.usable_kwh for converter in batteries),
        reserve=job.battery.reserve,
        most=wanted.target,
        open_days=np.isin(of_day, wanted.months) if wanted.months else np.ones(365, dtype=bool),
    )
    limit = UNLIMITED if wanted.limit_kw is None else wanted.limit_kw
    here = found.charge_to > control.charge_to
    return replace(
        control,
        charge_to=frozen(np.where(here, found.charge_to, control.charge_to)),
        charge_kw=frozen(np.where(here, limit, control.charge_kw)),
        may_discharge=frozen(control.may_discharge & found.serves),
    )


@kept
def _control(calendar: YearCalendar, filled: tuple[GridCharge, ...], wanted: Wanted, by_clock: bool) -> Control:
    steps = calendar.steps
    none = _steadily(steps, 0.0)
    charge_to, charge_kw = (none.copy(), none.copy()) if filled else (none, none)
    for window in filled:
        here = open_in(calendar, window)
        charge_to[here] = window.target
        charge_kw[here] = UNLIMITED if window.limit_kw is None else window.limit_kw
    may_discharge = _steadily(steps, True)
    if wanted.discharge_windows:
        may_discharge = np.any([open_in(calendar, window) for window in wanted.discharge_windows], axis=0)
    delayed = _steadily(steps, False)
    if wanted.delay_windows:
        delayed = np.any([open_in(calendar, window) for window in wanted.delay_windows], axis=0)
    bias_kw = wanted.import_bias_w / 1000.0
    leave_kw = _steadily(steps, max(wanted.shave_above_kw or 0.0, bias_kw))
    export_kw, export_to = (none.copy(), none.copy()) if wanted.export_windows else (none, none)
    for export in wanted.export_windows:
        here = open_in(calendar, export)
        export_kw[here], export_to[here] = export.power_kw, export.down_to
    clock_kw = none
    if by_clock:
        clock_kw = none.copy()
        for sign, windows in ((1.0, wanted.clock.charge), (-1.0, wanted.clock.give)):
            for clocked in windows:
                clock_kw[open_in(calendar, clocked)] = sign * clocked.power_kw
    series = (charge_to, charge_kw, may_discharge, leave_kw, export_kw, export_to, clock_kw, delayed)
    for item in series:
        if not is_frozen(item):
            frozen(item)
    return Control(*series, bias_kw, wanted.shave_above_kw or UNLIMITED)


def _order(design: Design, job: Job) -> tuple[int, ...] | None:
    """Converters in serving order where one of two batteries waits; None for the plant's own order."""
    batteries = [number for number, converter in enumerate(design.converters) if converter.has_battery]
    if len(batteries) < 2:
        return None
    later = [number for number in batteries if waits(design.converters[number], job)]
    if not later:
        return None
    return tuple(n for n in range(len(design.converters)) if n not in later) + tuple(later)


def waits(converter: Converter, job: Job) -> bool:
    """Whether a battery serves only what the others leave."""
    old = converter.battery_surveyed
    return job.battery.waits if converter.is_new or old is None else old.waits


def export_limit_kw(job: Job) -> float:
    """What may leave the site [kW]; a zero export control leaves its import bias standing, so it is below 0."""
    limit = job.tariff.export_limit_kw
    if limit is None:
        return UNLIMITED
    bias_kw = job.control.import_bias_w / 1000.0
    return -bias_kw if limit == 0 else limit


@kept
def home_of(supply: Supply, phases: Phases, demand: DemandYear) -> np.ndarray:
    """The demand as the meter counts it: whole, or a row for each phase [kW]; `phases` are `Job.load_phases`."""
    each = supply.meter == "each phase"
    return frozen(demand_by_phase(supply, phases, demand).copy() if each else demand.kw.copy())
