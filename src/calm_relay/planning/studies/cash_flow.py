"""The cash flow of an option, year by year: outlay, incentives, loan, savings as all ages, upkeep, replacement."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.money import (
    internal_rate_of_return,
    levelised_storage,
    payback_years,
    present_value,
)
from calm_relay.physics.plant.inputs import sum_inputs
from calm_relay.planning.architecture.cost import storage_outlay, unit_cost
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.finance import (
    battery_price,
    bill_kinds,
    in_force,
    money_rows,
    replaced_after,
    rises_of,
)
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.battery_ageing import (
    array_ageing,
    battery_ageing_of,
    bills_before,
    saved_in_outages,
)
from calm_relay.planning.verdict.option import Option, RefusedOption

# After how many years the same is bought instead.
LATER = (2, 5, 10)


@dataclass(frozen=True)
class Later:
    """The same plant bought `after` so many years: its outlay then, and what it is worth today [currency]."""

    after: int
    outlay: float
    npv: float


@dataclass(frozen=True, eq=False)
class CashFlow:
    """An option's money over the job's years, in the job's currency.

    Attributes
    ----------
    rows : dict of str to ndarray, shape (years + 1,)
        Money in (above 0) and out by kind, a key of `LABELS`; today first, later years at their ends.
    saved : dict of str to ndarray, shape (years,)
        Savings of each year in today's prices, by kind: what rises and contracts are applied to.
    left : ndarray, shape (years,)
        Share of the battery's energy that is left at the end of each year.
    given_kwh : ndarray, shape (years,)
        Out of the battery in each year.
    storage_cost : float or None
        Of a kWh out of the new battery.
    backup_cost : float or None
        Of a kW that stays on in an outage, of what battery and unit cost.
    outage_worth : float or None
        What an hour without grid must be worth for it to pay; None where it pays without, or serves in no outage.
    later : tuple of Later
        The same bought later.
    """

    option: Option
    rows: dict[str, np.ndarray]
    saved: dict[str, np.ndarray]
    left: np.ndarray
    given_kwh: np.ndarray
    storage_cost: float | None
    backup_cost: float | None
    outage_worth: float | None
    later: tuple["Later", ...]

    @property
    def years(self) -> int:
        """Years after today."""
        return self.net.size - 1

    @property
    def net(self) -> np.ndarray:
        """All kinds together, shape (years + 1,)."""
        return np.sum(list(self.rows.values()), axis=0)

    @property
    def running(self) -> np.ndarray:
        """Running sum, shape (years + 1,)."""
        return np.cumsum(self.net)

    @property
    def discount_rate(self) -> float:
        """Of the job."""
        return self.option.context.job.costs.discount_rate

    @property
    def npv(self) -> float:
        """Net present value."""
        return present_value(self.net, self.discount_rate)

    @property
    def irr(self) -> float | None:
        """Internal rate of return; None where the sums never change sign."""
        return internal_rate_of_return(self.net)

    @property
    def payback(self) -> float | None:
        """Years until the running sum is back at nothing."""
        return payback_years(self.net)

    @property
    def discounted_payback(self) -> float | None:
        """The same with each year discounted."""
        return payback_years(self.net, self.discount_rate)


def cash_flow_of(
    plan: Plan,
    option: Option | RefusedOption,
    progress: Progress = unheard,
    before: tuple[dict[str, float], ...] | None = None,
) -> CashFlow | None:
    """The cash flow of an option against what stands there today.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option or RefusedOption
        The option.
    progress : Progress
        Told before each part; it may call the study off.
    before : tuple of dict, optional
        `bills_before` of the same plan, where it is known already.

    Returns
    -------
    CashFlow or None
        None for an option that cannot be built.

    Notes
    -----
    Each year is simulated with the array and the battery as old as they are then, and so is the house without it. Of
    the bill each kind rises at its own rate; the export price falls to its share when its contract ends.
    """
    if isinstance(option, RefusedOption):
        return None
    job = plan.job
    years = job.costs.horizon_years
    progress(0.0, "Ageing of the battery")
    before = before or bills_before(plan)
    ageing = battery_ageing_of(plan, option, before=before)
    left = ageing.left if ageing is not None else np.ones(years)
    worn = replaced_after(option.design, job, left)
    if worn is not None and worn != job.costs.replace_year:
        # From then on the new packs age as the first did.
        left = np.concatenate([left[:worn], left[: years - worn]])
    begun = np.concatenate([[1.0], left[:-1]])
    if worn is not None and worn < years:
        begun[worn] = 1.0
    one = sum(unit.has_battery for unit in option.design.converters) == 1
    if ageing is not None and one and np.array_equal(begun, ageing.begun):
        # The very years were run to age the battery.
        saved, given, charged = in_force(job, ageing.saved), ageing.given_kwh, ageing.charged_kwh
    else:
        saved, given, charged = _saved(plan, option, begun, before, progress)
    rows = money_rows(option.design, job, option.outcome.money.outlay, saved, left, worn)
    return CashFlow(
        option,
        rows,
        saved,
        left,
        given,
        _storage_cost(plan, option, rows, given, charged),
        _backup_cost(option),
        _outage_worth(option, rows),
        later_of(option, saved, left, worn),
    )


def _saved(
    plan: Plan, option: Option, left: np.ndarray, before: tuple[dict[str, float], ...], progress: Progress
) -> tuple[dict[str, np.ndarray], np.ndarray, np.ndarray]:
    """Savings of each year by kind in today's prices, kWh out of the battery, and kWh into it."""
    job = plan.job
    inputs = inputs_of(option.design, job, plan.site, plan.demand)
    ageing, years = array_ageing(plan), left.size
    kinds: dict[str, np.ndarray] = {}
    given, charged = np.zeros(years), np.zeros(years)
    for year in range(years):
        progress(0.2 + 0.8 * year / years, f"Year {year + 1}")
        array = (1.0 - ageing) ** year
        run = sum_inputs(inputs.faded(float(left[year])).scaled(array=array))
        after = bill_kinds(run, job, plan.site)
        for kind, amount in before[year].items():
            kinds.setdefault(kind, np.zeros(years))[year] = amount - after[kind]
        given[year], charged[year] = run.kwh("discharge"), run.kwh("charge")
    return in_force(job, kinds | saved_in_outages(option)), given, charged


def _storage_cost(
    plan: Plan, option: Option, rows: dict[str, np.ndarray], given: np.ndarray, charged: np.ndarray
) -> float | None:
    """What a kWh out of the new battery costs: it, its unit and work; charging at the export price it gives up."""
    if battery_price(option.design) <= 0.0:
        return None
    years = given.size
    nothing = np.zeros(years + 1)
    replaced = (rows.get("battery", nothing) + _share_of_units(option) * rows.get("inverter", nothing))[1:]
    feed_in = plan.job.tariff.mean_feed_in if plan.job.supply.on_grid else 0.0
    return levelised_storage(
        max(storage_outlay(option.design, plan.job), 0.0),
        -replaced - rows.get("upkeep", nothing)[1:],
        charged * feed_in,
        given,
        plan.job.costs.discount_rate,
        -float(rows.get("residual", nothing)[-1]),
    )


def _share_of_units(option: Option) -> float:
    """What of the units that are bought again is of those with a battery."""
    costs = option.context.job.costs
    new = [unit for unit in option.design.converters if unit.is_new and unit.micro is None]
    whole = sum(unit_cost(unit, costs) for unit in new)
    return sum(unit_cost(unit, costs) for unit in new if unit.has_battery) / whole if whole > 0.0 else 0.0


def _backup_cost(option: Option) -> float | None:
    """What a kW that stays on in an outage costs of battery and unit [currency/kW]; None without backup."""
    power, outlay = option.outcome.backup.power_kw, storage_outlay(option.design, option.context.job)
    return outlay / power if power > 0.0 and outlay > 0.0 else None


def _outage_worth(option: Option, rows: dict[str, np.ndarray]) -> float | None:
    """What each hour without grid that is ridden through must be worth for the present value to come to nothing."""
    job = option.context.job
    net = np.sum(list(rows.values()), axis=0)
    lacking = -present_value(net, job.costs.discount_rate)
    hours = job.finance.outage_hours * option.outcome.backup.lasting
    if lacking <= 0.0 or hours <= 0.0 or not job.supply.on_grid:
        return None
    each = present_value(np.concatenate([[0.0], np.ones(net.size - 1)]), job.costs.discount_rate)
    return lacking / (hours * each)


def later_of(
    option: Option, saved: dict[str, np.ndarray], left: np.ndarray, worn: int | None
) -> tuple[Later, ...]:
    """The same plant bought later, over as many years of use, worth today.

    Packs are cheaper then as the finance has it, all else costs what it costs today; prices of energy have risen on.
    Until then nothing is saved. Incentives are taken as they are today.
    """
    job, design, found = option.context.job, option.design, []
    if not design.new_converters or battery_price(design) <= 0.0:
        return ()
    for after in LATER:
        fall = 1.0 - (1.0 - job.finance.battery_price_fall) ** after
        outlay = option.outcome.money.outlay - fall * battery_price(design)
        risen = rises_of(job, {kind: np.repeat(row[:1], after + 1) for kind, row in saved.items()})
        prices = {kind: row[-1] / row[1] if row[1] else 1.0 for kind, row in risen.items()}
        then = {kind: row * prices[kind] for kind, row in saved.items()}
        net = np.sum(list(money_rows(design, job, outlay, then, left, worn).values()), axis=0)
        rate = job.costs.discount_rate
        found.append(Later(after, outlay, present_value(net, rate) / (1.0 + rate) ** after))
    return tuple(found)


def cash_flows_of(
    plan: Plan, option: Option | RefusedOption, progress: Progress = unheard
) -> tuple[CashFlow, ...]:
    """The option in view first, then the three others that fit best: to be drawn over each other."""
    if isinstance(option, RefusedOption):
        return ()
    scores = plan.choice.scores
    others = sorted(
        (
            other
            for other in plan.live
            if other.key != option.key and not other.stopped and other.role != "today" and other.key in scores
        ),
        key=lambda other: -scores[other.key].total,
    )
    found, before = [], bills_before(plan)
    chosen = (option, *others[:3])
    for place, each in enumerate(chosen):

        def told(done: float, what: str, place: int = place) -> None:
            progress((place + done) / len(chosen), what)

        flow = cash_flow_of(plan, each, told, before)
        if flow is not None:
            found.append(flow)
    return tuple(found)
