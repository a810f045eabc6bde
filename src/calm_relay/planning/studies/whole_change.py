"""The whole change: a heat pump or a car in place of what is burnt today, and the plan that carries it."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.money import present_value
from calm_relay.physics.plant.inputs import bus_inputs
from calm_relay.planning.common.amounts import money_text
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.finance import bill_kinds, in_force, rises_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.demand import with_other_loads
from calm_relay.planning.site.fuels import FACTS, fuel_a_year
from calm_relay.planning.studies.battery_ageing import array_ageing, bills_before
from calm_relay.planning.studies.cash_flow import CashFlow, cash_flows_of
from calm_relay.planning.verdict.option import Option, RefusedOption

FUEL_SAVED, ENDS, MORE_POWER, MACHINES = "fuel today", "ends", "more power", "machines"
NAMES = {
    FUEL_SAVED: "Fuel no longer burnt",
    ENDS: "Costs that end with it",
    MORE_POWER: "Electricity for it",
    MACHINES: "Outlay above going on as today",
}


@dataclass(frozen=True)
class Burnt:
    """What a load takes the place of: so much of a fuel a year, and what that costs today [currency a year]."""

    load: str
    fuel: str
    unit: str
    a_year: float
    cost: float
    stated: bool

    @property
    def sentence(self) -> str:
        """How much is burnt, and how that is known."""
        how = "" if self.stated else ", worked out"
        return f"{self.load} in place of {self.a_year:,.0f} {self.unit} of {self.fuel} a year{how}"


@dataclass(frozen=True, eq=False)
class WholeChange:
    """Money of the loads in place of fuel, and of an option beside it, against going on as today.

    Attributes
    ----------
    burnt : tuple of Burnt
        What is burnt today.
    rows : dict of str to ndarray, shape (years + 1,)
        Of the loads alone, house as it stands: a key of `NAMES`; today first, later years at their ends [currency].
    plan_net : ndarray, shape (years + 1,)
        Of the option beside it.
    job : Job
        The job.
    """

    burnt: tuple[Burnt, ...]
    rows: dict[str, np.ndarray]
    plan_net: np.ndarray
    job: Job

    @property
    def loads_net(self) -> np.ndarray:
        """Of the loads alone, shape (years + 1,)."""
        return np.sum(list(self.rows.values()), axis=0)

    @property
    def net(self) -> np.ndarray:
        """Of all together, shape (years + 1,)."""
        return self.loads_net + self.plan_net

    @property
    def running(self) -> np.ndarray:
        """Running sum of all together, shape (years + 1,)."""
        return np.cumsum(self.net)

    @property
    def more_power(self) -> float:
        """What the first year's electricity costs more for them, house as it stands."""
        row = self.rows.get(MORE_POWER)
        return 0.0 if row is None else -float(row[1])

    @property
    def loads_npv(self) -> float:
        """Net present value of the loads alone."""
        return present_value(self.loads_net, self.job.costs.discount_rate)

    @property
    def npv(self) -> float:
        """Net present value of all together."""
        return present_value(self.net, self.job.costs.discount_rate)

    @property
    def sentence(self) -> str:
        """What all of it is worth together, in words."""
        names = " and ".join(f"the {_small(each.load)} in place of {each.fuel}" for each in self.burnt)
        return f"With {names} all is worth {money_text(self.job, self.npv)} today, beside going on as now."

    @property
    def beware(self) -> tuple[str, ...]:
        """What is not stated and counts, in sentences."""
        return tuple(
            f"No price of {each.fuel} is stated: that the {_small(each.load)} saves it counts for nothing."
            for each in self.burnt
            if each.cost <= 0.0
        )

    @property
    def labelled(self) -> dict[str, np.ndarray]:
        """All rows by the words they are shown under."""
        return {NAMES[key]: row for key, row in self.rows.items()} | {"This plan beside it": self.plan_net}


@dataclass(frozen=True, eq=False)
class MoneyYears:
    """Cash flows of an option and of those that fit next best, and the whole change where fuel is replaced."""

    flows: tuple[CashFlow, ...]
    whole: WholeChange | None


def money_years_of(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> MoneyYears | None:
    """What the money of an option's years comes to; None for one that cannot be built. See `cash_flows_of`."""
    flows = cash_flows_of(plan, option, progress)
    return MoneyYears(flows, whole_change_of(plan, flows[0])) if flows else None


def whole_change_of(
    plan: Plan, flow: CashFlow, before: tuple[dict[str, float], ...] | None = None
) -> WholeChange | None:
    """What is won and lost by everything that changes; None where nothing burnt today is replaced.

    Parameters
    ----------
    plan : Plan
        The plan, in whose demand the loads are.
    flow : CashFlow
        Of the option, against the house with the loads as it stands.
    before : tuple of dict, optional
        `bills_before` of the same plan, where it is known already.

    Notes
    -----
    The house without the loads is simulated for each year, its array as old as it is then.
    """
    job, replacing = plan.job, plan.job.demand.replacing
    if not replacing:
        return None
    years = flow.years
    usual, at = job.costs.price_rise, np.arange(years)
    burnt, fuel = [], np.zeros(years)
    for load in replacing:
        today = load.instead_of
        assert today is not None, "it replaces something"
        used = fuel_a_year(load, plan.site)
        cost = used * today.price
        burnt.append(Burnt(load.name, today.fuel, FACTS[today.fuel].unit, used, cost, today.a_year is not None))
        fuel += cost * (1.0 + (usual if today.rise is None else today.rise)) ** at
    facts = [load.instead_of for load in replacing if load.instead_of is not None]
    ends = sum(today.ends_a_year for today in facts) * (1.0 + job.finance.upkeep_rise) ** at
    rows = {FUEL_SAVED: _later(fuel), ENDS: _later(ends), MORE_POWER: _more_power(plan, before, years)}
    rows[MACHINES] = np.zeros(years + 1)
    rows[MACHINES][0] = -sum(today.costs_more for today in facts)
    found = {key: row for key, row in rows.items() if np.any(row)}
    return WholeChange(tuple(burnt), found or {FUEL_SAVED: rows[FUEL_SAVED]}, flow.net, job)


def _small(name: str) -> str:
    """A name in the middle of a sentence."""
    return name[:1].lower() + name[1:]


def _later(series: np.ndarray) -> np.ndarray:
    return np.concatenate([[0.0], series])


def _more_power(plan: Plan, before: tuple[dict[str, float], ...] | None, years: int) -> np.ndarray:
    """What the house as it stands pays less without the loads, each year in its own prices: below 0."""
    job, ageing = plan.job, array_ageing(plan)
    cars = tuple(load for load in job.demand.cars if load.instead_of is None)
    pumps = tuple(load for load in job.demand.heat_pumps if load.instead_of is None)
    without = job.with_(demand=job.demand.with_(cars=cars, heat_pumps=pumps))
    demand = with_other_loads(plan.demand, without.demand, plan.site)
    inputs = inputs_of(plan.as_is.design, without, plan.site, demand)
    kinds: dict[str, np.ndarray] = {}
    for year, then in enumerate(before or bills_before(plan)):
        bill = bill_kinds(bus_inputs(inputs.scaled(array=(1.0 - ageing) ** year)), job, plan.site)
        for kind, amount in bill.items():
            kinds.setdefault(kind, np.zeros(years))[year] = amount - then[kind]
    risen = rises_of(job, in_force(job, kinds))
    return np.sum(list(risen.values()), axis=0)
