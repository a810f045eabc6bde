"""Battery or controlled loads first: the same year with each order, and what a stored kWh is worth in either."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.physics.plant.inputs import Inputs, run_inputs
from calm_relay.physics.plant.island import IslandYear
from calm_relay.physics.plant.loads import LoadsRun
from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.simulate import bill_of, inputs_of, loads_of, year_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option, RefusedOption


@dataclass(frozen=True)
class OrderYear:
    """A year under one order [kWh], and its bill in the job's currency.

    `loads_kwh` is what the controlled loads took of the array's surplus, `battery_kwh` what the batteries gave;
    `loads_worth` and `battery_worth` what a kWh of either saved, None where there was none. `is_todays` says that the
    job has it so. Off grid import is what the generator gave, `curtailed_kwh` what nobody took of the arrays, and
    `taken_kwh` what the loads had of all sources; there a kWh on surplus saves no bill, and its worth is None.
    """

    label: str
    import_kwh: float
    export_kwh: float
    curtailed_kwh: float
    taken_kwh: float
    unmet_kwh: float
    loads_kwh: float
    battery_kwh: float
    bill: float
    loads_worth: float | None
    is_todays: bool


@dataclass(frozen=True)
class LoadYear:
    """What one controlled load took in the year [kWh]; `short_kwh` is what it was asked for and did not have."""

    name: str
    kind: str
    taken_kwh: float
    surplus_kwh: float
    lost_kwh: float
    short_kwh: float
    battery_first: bool


@dataclass(frozen=True)
class LoadOrders:
    """The orders compared, and each load of the option's own year in its order."""

    orders: tuple[OrderYear, ...]
    loads: tuple[LoadYear, ...]
    battery_worth: float | None
    on_grid: bool


def load_orders(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> LoadOrders | None:
    """Runs an option's year with no surplus for the loads, the battery first, and the loads first.

    None for a job without controlled loads, or an option that cannot be built.
    """
    named = loads_of(plan.job, plan.site)
    if not named or isinstance(option, RefusedOption):
        return None
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    none = np.zeros(plan.site.calendar.steps, dtype=bool)
    progress(0.1, "Running the year without surplus for the loads")
    by_clock = _run(inputs, may=none)
    base = bill_of(by_clock, plan.job, plan.site)
    todays = any(item.load.first for item in named)
    has_battery = option.design.battery_converter is not None
    made = [_order("no surplus for loads", by_clock, plan, base, False)]
    words = (("battery first", False), ("loads first", True)) if has_battery else (("loads", False),)
    for number, (label, first) in enumerate(words):
        progress(0.4 + 0.3 * number, f"Running the year: {label}")
        year = _run(inputs, first=first)
        made.append(_order(label, year, plan, base, _is_todays(plan, first) or not has_battery))
    if has_battery and todays and not _is_todays(plan, True):
        made.append(_order("in the job's order", year_of(inputs), plan, base, True))
    return LoadOrders(
        tuple(made),
        load_years(plan, option.outcome.year.loads),
        _battery_worth(plan, option, base, by_clock),
        plan.job.supply.on_grid,
    )


def _is_todays(plan: Plan, first: bool) -> bool:
    """Whether all loads stand before the battery in the job, or all after it."""
    return all(item.load.first == first for item in loads_of(plan.job, plan.site))


def _run(inputs: Inputs, **changes: object) -> PlantYear:
    return run_inputs(replace(inputs, loads=tuple(load.after(**changes) for load in inputs.loads)))


def _order(label: str, year: PlantYear, plan: Plan, base: float, todays: bool) -> OrderYear:
    bill = bill_of(year, plan.job, plan.site)
    surplus = year.loads.kwh("surplus")
    return OrderYear(
        label,
        year.bus_kwh("import"),
        year.bus_kwh("export"),
        year.kwh("curtailed") + year.kwh("clipped"),
        year.loads.kwh("taken"),
        year.unmet_kwh if isinstance(year, IslandYear) else 0.0,
        surplus,
        year.kwh("discharge"),
        bill,
        (base - bill) / surplus if surplus > 1.0 and plan.job.supply.on_grid else None,
        todays,
    )


def _battery_worth(plan: Plan, option: Option, base: float, by_clock: PlantYear) -> float | None:
    """What a kWh out of the battery saves where it is all that the option adds; None where there is more."""
    given = by_clock.kwh("discharge")
    today = plan.as_is
    same_array = abs(by_clock.kwh("pv_dc") - today.outcome.year.kwh("pv_dc")) < 1.0
    if given < 1.0 or option is today or not same_array or not plan.job.supply.on_grid:
        return None
    inputs = inputs_of(today.design, plan.job, plan.site, plan.demand)
    none = np.zeros(plan.site.calendar.steps, dtype=bool)
    without = bill_of(_run(inputs, may=none), plan.job, plan.site)
    return (without - base) / given


def load_years(plan: Plan, run: LoadsRun) -> tuple[LoadYear, ...]:
    """What each controlled load of a plan's job took in a run, in the order in which they take surplus."""
    return tuple(
        LoadYear(
            item.name,
            item.kind,
            run.kwh("taken", number),
            run.kwh("surplus", number),
            run.kwh("lost", number),
            run.kwh("short", number),
            not item.load.first,
        )
        for number, item in enumerate(loads_of(plan.job, plan.site))
    )
