"""The cash flow of an option, year by year: outlay, incentives, loan, savings as all ages, upkeep, replacement."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.finance import Finance
from calm_relay.physics.money import (
    internal_rate_of_return,
    levelised_storage,
    payback_years,
    present_value,
    yearly_payment,
)
from calm_relay.physics.plant.inputs import sum_inputs
from calm_relay.physics.plant.year import PlantBus
from calm_relay.planning.architecture.cost import paid_next_year
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.simulate import bill_months, inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.battery_ageing import END, battery_ageing_of
from calm_relay.planning.verdict.option import Option, RefusedOption

# Kinds of a bill that rise as one.
ENERGY, STANDING, EXPORT, FUEL = "energy", "standing", "export", "fuel"
KIND_OF = {
    "energy": ENERGY, "tiers": ENERGY, "demand": ENERGY, "tax": ENERGY, "minimum": ENERGY, "standing": STANDING,
    "export": EXPORT,
}  # fmt: skip
LABELS = {
    "outlay": "Outlay",
    "incentives": "Incentives paid later",
    "loan": "Loan",
    "rent": "Rent",
    ENERGY: "Energy saved",
    STANDING: "Standing charge saved",
    EXPORT: "Export",
    FUEL: "Fuel saved",
    "upkeep": "Maintenance and insurance",
    "battery": "Battery replaced",
    "inverter": "Inverters replaced",
    "residual": "Worth at the end",
}


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
    """

    option: Option
    rows: dict[str, np.ndarray]
    saved: dict[str, np.ndarray]
    left: np.ndarray
    given_kwh: np.ndarray
    storage_cost: float | None
    backup_cost: float | None

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
    job, finance = plan.job, plan.job.finance
    years = job.costs.horizon_years
    progress(0.0, "Ageing of the battery")
    ageing = battery_ageing_of(plan, option)
    left = ageing.left if ageing is not None else np.ones(years)
    worn = _replaced_in(option, left, finance, years, job.costs.replace_year)
    if worn is not None and worn != job.costs.replace_year:
        # From then on the new packs age as the first did.
        left = np.concatenate([left[:worn], left[: years - worn]])
    begun = np.concatenate([[1.0], left[:-1]])
    if worn is not None and worn < years:
        begun[worn] = 1.0
    saved, given, charged = _saved(plan, option, begun, before or bills_before(plan), progress)
    rows = _rises(plan, saved, finance)
    rows |= _paid(plan, option, finance, years)
    rows["upkeep"] = _from_first(
        -(finance.maintenance + finance.insurance) * (1.0 + finance.upkeep_rise) ** np.arange(years)
    )
    rows |= _replacements(option, finance, years, worn)
    price = _battery_price(option)
    rows["residual"] = np.zeros(years + 1)
    rows["residual"][-1] = finance.residual * price * float(left[-1])
    rows = {key: rows[key] for key in LABELS if key in rows and np.any(rows[key])} or {
        "outlay": np.zeros(years + 1)
    }
    return CashFlow(
        option,
        rows,
        saved,
        left,
        given,
        _storage_cost(plan, option, rows, given, charged),
        _backup_cost(option),
    )


def bills_before(plan: Plan) -> tuple[dict[str, float], ...]:
    """Each year's bill of the house as it stands today, its array ageing, by what rises as one, in today's prices."""
    inputs, ageing = inputs_of(plan.as_is.design, plan.job, plan.site, plan.demand), _array_ageing(plan)
    years = range(plan.job.costs.horizon_years)
    return tuple(_kinds(plan, sum_inputs(inputs.scaled(array=(1.0 - ageing) ** year))) for year in years)


def _array_ageing(plan: Plan) -> float:
    """What the modules lose a year."""
    return max((face.module.ageing_per_year for face in plan.faces), default=0.0)


def _saved(
    plan: Plan, option: Option, left: np.ndarray, before: tuple[dict[str, float], ...], progress: Progress
) -> tuple[dict[str, np.ndarray], np.ndarray, np.ndarray]:
    """Savings of each year by kind in today's prices, kWh out of the battery, and kWh into it."""
    job = plan.job
    inputs = inputs_of(option.design, job, plan.site, plan.demand)
    ageing, years = _array_ageing(plan), left.size
    kinds: dict[str, np.ndarray] = {}
    given, charged = np.zeros(years), np.zeros(years)
    for year in range(years):
        progress(0.2 + 0.8 * year / years, f"Year {year + 1}")
        array = (1.0 - ageing) ** year
        run = sum_inputs(inputs.faded(float(left[year])).scaled(array=array))
        after = _kinds(plan, run)
        for kind, amount in before[year].items():
            kinds.setdefault(kind, np.zeros(years))[year] = amount - after[kind]
        given[year], charged[year] = run.kwh("discharge"), run.kwh("charge")
    return kinds, given, charged


def _kinds(plan: Plan, run: PlantBus) -> dict[str, float]:
    """A year's bill by what rises as one; off grid the fuel."""
    job = plan.job
    if not job.supply.on_grid:
        price = job.generator.price_per_kwh if job.generator is not None else 0.0
        return {FUEL: run.bus_kwh("import") * price}
    found = {ENERGY: 0.0, STANDING: 0.0, EXPORT: 0.0}
    for kind, months in bill_months(run, job.tariff, plan.site).items():
        found[KIND_OF[kind]] += float(months.sum())
    return found


def _rises(plan: Plan, saved: dict[str, np.ndarray], finance: Finance) -> dict[str, np.ndarray]:
    """Savings in each year's own prices."""
    usual = plan.job.costs.price_rise
    rise = {ENERGY: finance.energy_rise, STANDING: finance.standing_rise, EXPORT: finance.export_rise, FUEL: None}
    rows = {}
    for kind, amounts in saved.items():
        rate = usual if rise[kind] is None else rise[kind]
        assert rate is not None, "it has one"
        prices = (1.0 + rate) ** np.arange(amounts.size)
        if kind == EXPORT and finance.feed_in_years is not None:
            prices = np.where(
                np.arange(amounts.size) >= finance.feed_in_years, prices * finance.feed_in_after, prices
            )
        rows[kind] = _from_first(amounts * prices)
    return rows


def _from_first(series: np.ndarray) -> np.ndarray:
    """Sums at the ends of years, nothing today."""
    return np.concatenate([[0.0], series])


def _paid(plan: Plan, option: Option, finance: Finance, years: int) -> dict[str, np.ndarray]:
    """Outlay, loan or rent, and incentives that come a year later."""
    outlay = option.outcome.money.outlay
    rows = {name: np.zeros(years + 1) for name in ("outlay", "incentives", "loan", "rent")}
    later = paid_next_year(option.design, plan.job)
    if finance.way == "lease":
        lease = finance.lease
        rent = np.where(
            np.arange(years) < lease.years, 12.0 * lease.per_month * (1.0 + lease.rise) ** np.arange(years), 0.0
        )
        rows["rent"] = _from_first(-rent)
        return rows
    rows["outlay"][0] = -outlay
    rows["incentives"][1] = later
    if finance.way == "loan":
        loan = finance.loan
        lent = max(outlay, 0.0) * loan.share
        payment = yearly_payment(lent, loan.rate, loan.years)
        rows["loan"][0] = lent - loan.fee
        rows["loan"][1 : loan.years + 1] -= payment
    return rows


def _battery_price(option: Option) -> float:
    return sum(unit.bought_packs.price for unit in option.design.converters if unit.bought_packs is not None)


def _replaced_in(option: Option, left: np.ndarray, finance: Finance, years: int, stated: int | None) -> int | None:
    """After which year the new packs are replaced; None: not within the years."""
    lead = option.design.battery_converter
    if lead is None or lead.bought_packs is None:
        return None
    if finance.battery_replaced == "after its warranty":
        when: int | None = int(lead.bank.pack.warranty_years)
    elif finance.battery_replaced == "when worn":
        below = np.flatnonzero(left <= END)
        when = int(below[0]) + 1 if below.size else None
    else:
        when = stated
    return when if when is not None and 0 < when < years else None


def _replacements(option: Option, finance: Finance, years: int, worn: int | None) -> dict[str, np.ndarray]:
    """Packs and inverters bought again, with their work."""
    costs = option.context.job.costs
    rows = {"battery": np.zeros(years + 1), "inverter": np.zeros(years + 1)}
    if worn is not None:
        fall = (1.0 - finance.battery_price_fall) ** worn
        hours = sum(u.bought_packs.install_hours for u in option.design.converters if u.bought_packs is not None)
        rows["battery"][worn] = -(_battery_price(option) * fall + hours * costs.labour_per_hour)
    if finance.inverter_years is not None:
        new = [unit for unit in option.design.converters if unit.is_new and unit.micro is None]
        price = sum(unit.inverter.price + unit.inverter.install_hours * costs.labour_per_hour for unit in new)
        for year in range(finance.inverter_years, years, finance.inverter_years):
            rows["inverter"][year] = -price
    return rows


def _storage_cost(
    plan: Plan, option: Option, rows: dict[str, np.ndarray], given: np.ndarray, charged: np.ndarray
) -> float | None:
    """What a kWh out of the new battery costs: it, its unit and work; charging at the export price it gives up."""
    if _battery_price(option) <= 0.0:
        return None
    years = given.size
    nothing = np.zeros(years + 1)
    replaced = (rows.get("battery", nothing) + rows.get("inverter", nothing))[1:]
    feed_in = plan.job.tariff.feed_in if plan.job.supply.on_grid else 0.0
    return levelised_storage(
        max(option.outcome.money.outlay, 0.0),
        -replaced - rows.get("upkeep", nothing)[1:],
        charged * feed_in,
        given,
        plan.job.costs.discount_rate,
        -float(rows.get("residual", nothing)[-1]),
    )


def _backup_cost(option: Option) -> float | None:
    """What a kW that stays on in an outage costs of the outlay [currency/kW]; None without backup."""
    power = option.outcome.backup.power_kw
    return option.outcome.money.outlay / power if power > 0.0 and option.outcome.money.outlay > 0.0 else None


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
