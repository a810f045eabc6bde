"""How sure the answer is: the same uncertain futures lived through by every option."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from os import cpu_count

import numpy as np

from calm_relay.job.demand import MeteredDemand, ShapedDemand
from calm_relay.job.model import Job
from calm_relay.physics.money import present_value
from calm_relay.physics.plant.inputs import Inputs, sum_inputs
from calm_relay.physics.sensitivity import first_order, latin_hypercube
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.simulate import bill_of, inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.cash_flow import CashFlow, cash_flows_of
from calm_relay.planning.verdict.option import Option, RefusedOption

SEED = 20
BATCH = 50
WORKERS = min(2, cpu_count() or 1)
# Shares of the futures in which the first must be best, below which it is too close to call.
CLOSE = 0.6
# Half of a range where the job states none: common practice, no source.
MEASURED_LIGHT, MADE_LIGHT = 0.10, 0.15
METERED, BILLED, ASSUMED = 0.05, 0.10, 0.25


@dataclass(frozen=True)
class Uncertain:
    """An uncertain input: its key, what it is called, half its range, and the words for little and much of it."""

    key: str
    name: str
    off: float
    low: str
    high: str


@dataclass(frozen=True, eq=False)
class Future:
    """An option through all futures; arrays have an entry a draw.

    `best` is the share of the futures in which no other is worth more, `regret` what it misses on average against the
    best of each [currency].
    """

    option: Option
    npv: np.ndarray
    saving: np.ndarray
    self_sufficiency: np.ndarray
    best: float
    regret: float
    indices: np.ndarray

    def band(self, values: np.ndarray) -> tuple[float, float, float]:
        """P10, P50 and P90."""
        low, middle, high = np.quantile(values, (0.1, 0.5, 0.9))
        return float(low), float(middle), float(high)

    @property
    def pays(self) -> float:
        """Share of the futures in which it gains more than it costs over the job's years."""
        return float((self.npv > 0.0).mean())

    @property
    def payback(self) -> np.ndarray:
        """Simple payback of each draw; infinite where nothing is saved [years]."""
        outlay = self.option.outcome.money.outlay
        return np.where(self.saving > 0.0, outlay / np.maximum(self.saving, 1e-9), np.inf)


@dataclass(frozen=True, eq=False)
class Futures:
    """What the draws come to: options by how often each is best, the inputs, the draws of each, and a sentence."""

    options: tuple[Future, ...]
    inputs: tuple[Uncertain, ...]
    draws: np.ndarray
    sentence: str

    @property
    def is_close(self) -> bool:
        """Whether it is too close to call."""
        return len(self.options) > 1 and self.options[0].best < CLOSE


def uncertain_inputs(plan: Plan) -> tuple[Uncertain, ...]:
    """What is uncertain of a job, with half of each range by how it is known."""
    job, stated = plan.job, plan.job.uncertainty

    def off(name: str, usual: float) -> float:
        value = getattr(stated, name)
        return usual if value is None else float(value)

    return (
        Uncertain(
            "light", "Light of the years", off("light", MADE_LIGHT if plan.site.assumed else MEASURED_LIGHT),
            "the years are dim", "the years are bright",
        ),
        Uncertain("losses", "Dirt, shade and losses", off("losses", 0.05), "more is lost", "less is lost"),
        Uncertain("demand", "Demand", off("demand", _demand_off(job)), "less is used", "more is used"),
        Uncertain("price_rise", "Price rise", off("price_rise", 0.02), "prices rise less", "prices rise more"),
        Uncertain("fade", "Fading of the battery", off("fade", 0.4), "it fades slowly", "it fades fast"),
        Uncertain("outlay", "Installed price", off("outlay", 0.1), "it is installed for less", "it costs more"),
    )  # fmt: skip


def _demand_off(job: Job) -> float:
    if isinstance(job.demand, MeteredDemand):
        return METERED
    assert isinstance(job.demand, ShapedDemand), "there are two kinds"
    return BILLED if job.demand.bills else ASSUMED


def futures_of(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> Futures | None:
    """Lives each option through the same uncertain futures.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option or RefusedOption
        The option in view; it is among those compared.
    progress : Progress
        Told after each batch, with the bands so far; it may call the study off.

    Returns
    -------
    Futures or None
        None for an option that cannot be built.
    """
    if isinstance(option, RefusedOption):
        return None
    progress(0.0, "Counting the years")
    return _compare(plan, *_drawn(plan, cash_flows_of(plan, option), progress))


def future_of(plan: Plan, flow: CashFlow, progress: Progress = unheard) -> Future:
    """One option alone through the very futures that `futures_of` draws: its bands are the same there.

    Parameters
    ----------
    plan : Plan
        The plan.
    flow : CashFlow
        The option's money.
    progress : Progress
        Told after each batch; it may call the study off.
    """
    return _compare(plan, *_drawn(plan, (flow,), progress)).options[0]


_Drawn = tuple[Sequence[CashFlow], tuple[Uncertain, ...], np.ndarray, np.ndarray, np.ndarray]


def _drawn(plan: Plan, flows: Sequence[CashFlow], progress: Progress) -> _Drawn:
    """The flows, the inputs, the draws, and in each draw bill and self-sufficiency of "as it is" and of each option."""
    inputs = uncertain_inputs(plan)
    unit = latin_hypercube(plan.job.uncertainty.draws, len(inputs), SEED)
    draws = (2.0 * unit - 1.0) * np.array([item.off for item in inputs])
    runs = [
        inputs_of(each.design, plan.job, plan.site, plan.demand)
        for each in (plan.as_is, *(flow.option for flow in flows))
    ]
    bills, sufficient = np.zeros((len(runs), len(draws))), np.zeros((len(runs), len(draws)))
    with ThreadPoolExecutor(WORKERS) as workers:
        for first in range(0, len(draws), BATCH):
            batch = range(first, min(first + BATCH, len(draws)))
            for place, base in enumerate(runs):
                lived = workers.map(lambda at, base=base: _lived(plan, base, draws[at]), batch)
                for at, (bill, share) in zip(batch, lived, strict=True):
                    bills[place, at], sufficient[place, at] = bill, share
            done = batch.stop
            saved = np.quantile(bills[0, :done] - bills[1, :done], (0.1, 0.5, 0.9))
            progress(done / len(draws), f"{done} futures: saves {saved[0]:,.0f} to {saved[2]:,.0f} a year")
    return flows, inputs, draws, bills, sufficient


def _lived(plan: Plan, base: Inputs, draw: np.ndarray) -> tuple[float, float]:
    """Bill and self-sufficiency of a plant in one future, through the kernel."""
    light, losses, demand = draw[:3]
    run = sum_inputs(base.scaled(array=float((1.0 + light) * (1.0 + losses)), home=float(1.0 + demand)))
    home = run.bus_kwh("home")
    return bill_of(run, plan.job, plan.site), 1.0 - run.bus_kwh("import") / home if home > 0.0 else 0.0


def _compare(
    plan: Plan,
    flows: Sequence[CashFlow],
    inputs: tuple[Uncertain, ...],
    draws: np.ndarray,
    bills: np.ndarray,
    sufficient: np.ndarray,
) -> Futures:
    worth = np.array([_worth(plan, flow, bills[0] - bills[place], draws) for place, flow in enumerate(flows, 1)])
    best = worth.argmax(axis=0)
    top = worth.max(axis=0)
    found = [
        Future(
            flow.option,
            worth[place],
            bills[0] - bills[place + 1],
            sufficient[place + 1],
            float((best == place).mean()),
            float((top - worth[place]).mean()),
            first_order(draws, worth[place]),
        )
        for place, flow in enumerate(flows)
    ]
    order = sorted(range(len(found)), key=lambda place: -found[place].best)
    sentence = _sentence([found[place] for place in order], inputs, draws, best, order)
    return Futures(tuple(found[place] for place in order), inputs, draws, sentence)


def _worth(plan: Plan, flow: CashFlow, saving: np.ndarray, draws: np.ndarray) -> np.ndarray:
    """Net present value of each draw [currency]: the option's own cash flow, moved as drawn.

    What the first year saves more or less than planned is carried through the years; all savings rise and fade as
    drawn, and the outlay is what it is drawn to be. Without uncertainty it is the cash flow's.
    """
    costs = plan.job.costs
    years = np.arange(flow.years)
    planned = sum((flow.rows[kind][1:] for kind in flow.saved if kind in flow.rows), np.zeros(flow.years))
    fixed = flow.net.copy()
    fixed[1:] -= planned
    usual = (1.0 + costs.price_rise) ** years
    left = np.concatenate([[1.0], flow.left[:-1]])
    rise, fade, outlay = draws[:, 3, None], draws[:, 4, None], draws[:, 5]
    more = (saving - flow.option.outcome.money.saving)[:, None] * usual * left
    risen = ((1.0 + costs.price_rise + rise) / (1.0 + costs.price_rise)) ** years
    faded = np.clip(1.0 - (1.0 - left) * (1.0 + fade), 0.0, None) / left
    worth = (1.0 + costs.discount_rate) ** -(years + 1.0)
    moved = ((planned + more) * risen * faded * worth).sum(axis=1)
    spent = flow.rows.get("outlay", np.zeros(1))[0]
    return moved + present_value(fixed, costs.discount_rate) + spent * outlay


def _sentence(
    found: Sequence[Future], inputs: Sequence[Uncertain], draws: np.ndarray, best: np.ndarray, order: Sequence[int]
) -> str:
    """How often the first is best, which other otherwise, and mostly when."""
    first = found[0]
    count = round(100.0 * first.best)
    pays = f" It pays for itself in {round(100.0 * first.pays)}."
    if not any(option.pays for option in found):
        none = "No option pays for itself in any of 100 futures"
        return f"{none}; {first.option.title} loses least in {count}."
    if len(found) < 2:
        return f"{first.option.title} is alone: no other can be built.{pays[:-1]} of 100 futures."
    if found[1].best == 0.0:
        return f"{first.option.title} is worth most in {count} of 100 futures.{pays}"
    other = found[1]
    mine = best == order[1]
    spread = draws.std(axis=0)
    shift = (draws[mine].mean(axis=0) - draws.mean(axis=0)) / np.where(spread > 0.0, spread, 1.0)
    most = int(np.abs(shift).argmax())
    when = inputs[most].high if shift[most] > 0 else inputs[most].low
    said = (
        f"{first.option.title} is worth most in {count} of 100 futures; in {round(100.0 * other.best)} it is "
        f"{other.option.title}, mostly when {when}.{pays.replace('It', 'The first')}"
    )
    return f"Too close to call by money: {said}" if first.best < CLOSE else said
