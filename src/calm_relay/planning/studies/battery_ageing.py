"""A battery's years: what is left of it, what the warranty promises, and what ageing does to the money."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.fade import Cycles, calendar_fade, count_cycles, cycle_fade
from calm_relay.physics.money import internal_rate_of_return, payback_years, present_value
from calm_relay.physics.plant.inputs import bus_inputs, sum_inputs
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.operation.finance import (
    END,
    LEAST_LEFT,
    OUTAGES,
    bill_kinds,
    bill_of_kinds,
    in_force,
    money_rows,
)
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.battery_temperature import battery_air_c
from calm_relay.planning.studies.battery_sweep import full_and_empty
from calm_relay.planning.verdict.option import Option, RefusedOption


@dataclass(frozen=True)
class Warranty:
    """What the maker promises, and what the simulation makes of it.

    `ends_year` is when years or throughput end it, `by` says which; `left_then` is what is left at that time.
    """

    promised: float
    years: float
    throughput_kwh: float
    ends_year: float
    by: str
    left_then: float

    @property
    def kept(self) -> bool:
        """Whether the battery is expected to hold what is promised."""
        return self.left_then >= self.promised


@dataclass(frozen=True, eq=False)
class BatteryAgeing:
    """The battery of an option over the job's years; arrays have an entry a year, the first year first.

    `left` is usable energy at the end of each year over usable when new; `standing` and `cycling` are what the
    calendar and the cycles have taken by then. `years_to_end` is when 70 % are left, drawn on beyond the horizon
    at the pace of the last year, None when nothing fades. `cycles` are the first year's. `begun` is what was left when
    each year began; `saved` is what each year saved by kind of bill, in today's prices, `given_kwh` and `charged_kwh`
    what came out of all batteries then and went into them.
    """

    left: np.ndarray
    by_calendar: np.ndarray
    by_cycles: np.ndarray
    bill: np.ndarray
    saving: np.ndarray
    full_cycles: np.ndarray
    cycles: Cycles
    years_to_end: float | None
    warranty: Warranty
    replaced_after: int | None
    npv: float
    irr: float | None
    payback_years: float | None
    full_share: np.ndarray
    empty_share: np.ndarray
    begun: np.ndarray
    saved: dict[str, np.ndarray]
    given_kwh: np.ndarray
    charged_kwh: np.ndarray


def array_ageing(plan: Plan) -> float:
    """What the modules lose a year."""
    return max((face.module.ageing_per_year for face in plan.faces), default=0.0)


def bills_before(plan: Plan) -> tuple[dict[str, float], ...]:
    """Each year's bill of the house as it stands today, its array ageing, by what rises as one, in today's prices."""
    inputs, ageing = inputs_of(plan.as_is.design, plan.job, plan.site, plan.demand), array_ageing(plan)
    years = range(plan.job.costs.horizon_years)
    return tuple(
        bill_kinds(bus_inputs(inputs.scaled(array=(1.0 - ageing) ** year)), plan.job, plan.site) for year in years
    )


def saved_in_outages(option: Option) -> dict[str, np.ndarray]:
    """What each year saves of the fuel burnt in outages, shape (years,), in today's prices; empty where none is."""
    money, job = option.outcome.money, option.context.job
    return {OUTAGES: np.full(job.costs.horizon_years, money.in_outages)} if OUTAGES in money.kinds else {}


def battery_ageing_of(
    plan: Plan,
    option: Option | RefusedOption,
    progress: Progress = unheard,
    before: tuple[dict[str, float], ...] | None = None,
) -> BatteryAgeing | None:
    """Runs an option through the job's years with a battery that fades and modules that age.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option or RefusedOption
        The option.
    progress : Progress
        Told before each year; it may call the study off.
    before : tuple of dict, optional
        `bills_before` of the same plan, where it is known already.

    Returns
    -------
    BatteryAgeing or None
        None for an option without a battery of its own.
    """
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.battery_converter
    if converter is None:
        return None
    job, costs, bank = plan.job, plan.job.costs, converter.bank
    number = option.design.converters.index(converter)
    inputs = inputs_of(option.design, job, plan.site, plan.demand)
    known = before or bills_before(plan)
    air = battery_air_c(job.battery_place, plan.site)
    depths = [point.depth for point in bank.pack.cycle_life]
    cycle_lives = [point.cycles for point in bank.pack.cycle_life]
    ageing = array_ageing(plan)
    years = costs.horizon_years
    rows, left, worn, born, first, replaced = [], 1.0, 0.0, 0, None, None
    kinds: list[dict[str, float]] = []
    begun, given, charged = np.zeros(years), np.zeros(years), np.zeros(years)
    for year in range(years):
        progress(year / years, f"Living through year {year + 1}")
        array = (1.0 - ageing) ** year
        begun[year] = left
        run = sum_inputs(inputs.faded(left, number).scaled(array=array))
        given[year], charged[year] = run.kwh("discharge"), run.kwh("charge")
        usable = inputs.plant[number].bank.usable_kwh * left
        cycles = count_cycles(run.stored[number] / usable)
        first = first or cycles
        worn += cycle_fade(cycles.of(bank.pack.depth_of_discharge), depths, cycle_lives, bank.pack.cycles_to)
        stood = calendar_fade(year + 1 - born, air, bank.pack.calendar_fade)
        after = bill_kinds(run, job, plan.site)
        kinds.append({kind: known[year][kind] - amount for kind, amount in after.items()})
        turned = run.kwh("discharge", number)
        left = max(1.0 - stood - worn, LEAST_LEFT)
        rows.append((left, stood, worn, bill_of_kinds(after), bill_of_kinds(kinds[-1]), turned / usable, turned))
        if costs.replace_year is not None and year + 1 == costs.replace_year < years:
            replaced, born, worn, left = costs.replace_year, year + 1, 0.0, 1.0
    left, by_calendar, by_cycles, bill, saving, full_cycles, turned = np.array(rows).T
    assert first is not None, "a job looks at least a year ahead"
    saved = {kind: np.array([year[kind] for year in kinds]) for kind in kinds[0]} | saved_in_outages(option)
    money = money_rows(option.design, job, option.outcome.money.outlay, in_force(job, saved), left, replaced)
    flows = np.sum(list(money.values()), axis=0)
    return BatteryAgeing(
        left,
        by_calendar,
        by_cycles,
        bill,
        saving,
        full_cycles,
        first,
        _years_to(left[:replaced], END),
        _warranty(bank, left[:replaced], turned),
        replaced,
        present_value(flows, costs.discount_rate),
        internal_rate_of_return(flows),
        payback_years(flows),
        *_full_and_empty(plan, option, number),
        begun,
        saved,
        given,
        charged,
    )


def _years_to(left: np.ndarray, end: float) -> float | None:
    """When so much is left, straight between years and beyond the last at its pace; None when nothing fades."""
    known = np.concatenate([[1.0], left])
    below = np.flatnonzero(known <= end)
    if below.size:
        year = int(below[0])
        return year - 1 + float((known[year - 1] - end) / (known[year - 1] - known[year]))
    pace = known[-2] - known[-1]
    return len(left) + float((known[-1] - end) / pace) if pace > 1e-6 else None


def _warranty(bank: Bank, left: np.ndarray, turned: np.ndarray) -> Warranty:
    pack = bank.pack
    promised_kwh = pack.warranty_mwh_per_kwh * bank.nominal_kwh * 1000.0
    total = np.cumsum(turned)
    over = np.flatnonzero(total >= promised_kwh) if promised_kwh > 0 else np.array([], dtype=int)
    by_throughput = float("inf")
    if over.size:
        year = int(over[0])
        before = total[year - 1] if year else 0.0
        by_throughput = year + float((promised_kwh - before) / (total[year] - before))
    elif promised_kwh > 0 and turned[-1] > 0:
        by_throughput = turned.size + float((promised_kwh - total[-1]) / turned[-1])
    ends = min(float(pack.warranty_years), by_throughput)
    known = np.concatenate([[1.0], left])
    then = float(np.interp(ends, np.arange(known.size), known))
    by = "throughput" if by_throughput < pack.warranty_years else "years"
    return Warranty(pack.warranty_fraction, float(pack.warranty_years), promised_kwh, ends, by, then)


def _full_and_empty(plan: Plan, option: Option, number: int) -> tuple[np.ndarray, np.ndarray]:
    """Share of each month's days on which the battery was full, and at its reserve, once."""
    month = plan.site.calendar.month.reshape(365, -1)[:, 0]
    full, empty = full_and_empty(option, number)
    return (
        np.array([full[month == m].mean() for m in range(1, 13)]),
        np.array([empty[month == m].mean() for m in range(1, 13)]),
    )
