"""How sure the answer is: the same uncertain futures lived through by every option."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from os import cpu_count
from pathlib import Path
from typing import NamedTuple

import numpy as np

from calm_relay.exchange.array_cache import kept_aside
from calm_relay.job.demand import MeteredDemand, ShapedDemand
from calm_relay.job.model import Job, WeatherFile
from calm_relay.physics.money import present_value
from calm_relay.physics.plant.inputs import Inputs, bus_inputs
from calm_relay.physics.sensitivity import first_order, latin_hypercube
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.outcome import held_at_night, self_sufficiency_of
from calm_relay.planning.operation.simulate import bill_of, inputs_in, inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.demand import DemandYear, demand_year, with_other_loads
from calm_relay.planning.site.site_year import SiteYear, site_year
from calm_relay.planning.studies.cash_flow import CashFlow, cash_flows_of
from calm_relay.planning.verdict.option import Option, RefusedOption

SEED = 20
# The input that counts years of other days.
YEAR = "year"
BATCH = 50
WORKERS = min(2, cpu_count() or 1)
# Shares of the futures in which the first must be best, below which it is too close to call.
CLOSE = 0.6
# Half of a range where the job states none: common practice, no source.
MEASURED_LIGHT, MADE_LIGHT = 0.10, 0.15
METERED, BILLED, BEHIND, ASSUMED = 0.05, 0.10, 0.15, 0.25


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
    best of each [currency]; `backup_h` is how long the battery carries the mean load of the worst season in an outage,
    from what lies in it in nine of ten nights [h].
    """

    option: Option
    npv: np.ndarray
    saving: np.ndarray
    self_sufficiency: np.ndarray
    best: float
    regret: float
    indices: np.ndarray
    backup_h: np.ndarray

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
        money = self.option.outcome.money
        outlay, saved = money.outlay, self.saving + money.in_outages
        return np.where(saved > 0.0, outlay / np.maximum(saved, 1e-9), np.inf)


@dataclass(frozen=True, eq=False)
class Futures:
    """What the draws come to: options by how often each is best, the inputs, the draws of each, and a sentence.

    `weather` says whose days were lived through.
    """

    options: tuple[Future, ...]
    inputs: tuple[Uncertain, ...]
    draws: np.ndarray
    sentence: str
    weather: str

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
        Uncertain(YEAR, "Days of weather and use", 0.5, "days fall otherwise", "days fall otherwise"),
    )  # fmt: skip


def _demand_off(job: Job) -> float:
    if isinstance(job.demand, MeteredDemand):
        return METERED
    assert isinstance(job.demand, ShapedDemand), "there are two kinds"
    if not job.demand.bills:
        return ASSUMED
    return BEHIND if job.demand.counts == "net" else BILLED


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


class _Lived(NamedTuple):
    """What the draws come to: arrays of shape (1 + options, draws), "as it is" first."""

    bills: np.ndarray
    sufficient: np.ndarray
    backup_h: np.ndarray


class _Days(NamedTuple):
    """A year of other days: its inputs, "as it is" first, and its demand."""

    inputs: tuple[Inputs, ...]
    demand: DemandYear
    site: SiteYear


_Drawn = tuple[Sequence[CashFlow], tuple[Uncertain, ...], np.ndarray, _Lived]


def _drawn(plan: Plan, flows: Sequence[CashFlow], progress: Progress) -> _Drawn:
    """The flows, the inputs, the draws, and what each comes to for "as it is" and each option."""
    inputs, stated = uncertain_inputs(plan), plan.job.uncertainty
    unit = latin_hypercube(stated.draws, len(inputs), SEED)
    draws = (2.0 * unit - 1.0) * np.array([item.off for item in inputs])
    designs = [option.design for option in (plan.as_is, *(flow.option for flow in flows))]
    progress(0.0, "Making other years' days")
    years = [_days(plan, designs, number) for number in range(_count(plan))]
    # The last column counts the years; the first of them is the plan's own.
    draws[:, -1] = np.floor(unit[:, -1] * len(years))
    made = _Lived(*(np.zeros((len(designs), len(draws))) for _ in _Lived._fields))
    with ThreadPoolExecutor(WORKERS) as workers:
        for first in range(0, len(draws), BATCH):
            batch = range(first, min(first + BATCH, len(draws)))
            for place, design in enumerate(designs):
                lived = workers.map(lambda at, d=design, n=place: _lived(plan, d, n, years, draws[at]), batch)
                for at, figures in zip(batch, lived, strict=True):
                    made.bills[place, at], made.sufficient[place, at], made.backup_h[place, at] = figures
            done = batch.stop
            progress(done / len(draws), f"{done} futures: {_first_band(plan.job, made, done)}")
    return flows, inputs, draws, made


def _first_band(job: Job, made: _Lived, done: int) -> str:
    """What the first option comes to in eight of ten of the futures tried so far."""
    if not job.pays_for_power:
        low, high = np.quantile(made.sufficient[1, :done], (0.1, 0.9))
        return f"{low:.0%} to {high:.0%} of the home on its own"
    low, high = np.quantile(made.bills[0, :done] - made.bills[1, :done], (0.1, 0.9))
    return f"saves {low:,.0f} to {high:,.0f} a year"


def _count(plan: Plan) -> int:
    """How many years of other days there are: those of a weather file with several, one where use is a file's too."""
    job = plan.job
    if plan.site.file_years > 1:
        return plan.site.file_years
    of_files = isinstance(job.site.weather, WeatherFile) and isinstance(job.demand, MeteredDemand)
    return 1 if of_files else job.uncertainty.years


def _days(plan: Plan, designs: Sequence[Design], number: int) -> _Days:
    """A year of the same climate and the same habits with other days; number 0 is the plan's own."""
    job, site, demand = plan.job, plan.site, plan.demand
    if number == 0:
        return _Days(tuple(inputs_of(design, job, site, demand) for design in designs), demand, site)
    weather = job.site.weather
    with kept_aside():
        if not isinstance(weather, WeatherFile):
            job = job.with_(site=job.site.with_(weather=weather.with_(seed=_later(weather.seed, number))))
            site = site_year(job.site, plan.equipment.library, Path())
        elif site.file_years > 1:
            # Those before and after the plan's own, in their order.
            year = number if number < site.file_year else number + 1
            job = job.with_(site=job.site.with_(weather=weather.with_(year=year, path=site.file_path)))
            site = site_year(job.site, None, Path())
        if isinstance(job.demand, ShapedDemand):
            # What was counted beside the array was counted in the plan's own year.
            used = job.demand if demand.behind is None else demand.behind.used
            job = job.with_(demand=used.with_(seed=_later(used.seed, number)))
            demand = demand_year(job, Path(), site)
        else:
            demand = with_other_loads(demand, job.demand, site)
        runs = [inputs_in(inputs_of(design, job, site, demand), design, job, site) for design in designs]
    return _Days(tuple(runs), demand, site)


def _later(seed: int, number: int) -> int:
    """A seed that makes other days."""
    return (seed + 1009 * number) % 2**31


def _lived(
    plan: Plan, design: Design, place: int, years: Sequence[_Days], draw: np.ndarray
) -> tuple[float, float, float]:
    """Bill, self-sufficiency and hours of backup of a plant in one future, through the kernel."""
    light, losses, more = (float(value) for value in draw[:3])
    days = years[int(draw[-1])]
    run = bus_inputs(days.inputs[place].scaled(array=(1.0 + light) * (1.0 + losses), home=1.0 + more))
    held = held_at_night(design, run, days.demand, days.site)
    hours = 0.0 if held is None else held / (days.demand.worst_season_mean_kw * (1.0 + more))
    return bill_of(run, plan.job, days.site), self_sufficiency_of(run), hours


def _compare(
    plan: Plan,
    flows: Sequence[CashFlow],
    inputs: tuple[Uncertain, ...],
    draws: np.ndarray,
    lived: _Lived,
) -> Futures:
    bills = lived.bills
    worth = np.array([_worth(plan, flow, bills[0] - bills[place], draws) for place, flow in enumerate(flows, 1)])
    best = worth.argmax(axis=0)
    top = worth.max(axis=0)
    found = [
        Future(
            flow.option,
            worth[place],
            bills[0] - bills[place + 1],
            lived.sufficient[place + 1],
            float((best == place).mean()),
            float((top - worth[place]).mean()),
            first_order(draws, worth[place]),
            lived.backup_h[place + 1],
        )
        for place, flow in enumerate(flows)
    ]
    order = sorted(range(len(found)), key=lambda place: -found[place].best)
    sentence = _sentence([found[place] for place in order], inputs, draws, best, order)
    return Futures(tuple(found[place] for place in order), inputs, draws, sentence, _whose_days(plan))


def _whose_days(plan: Plan) -> str:
    count, job = _count(plan), plan.job
    if count == 1:
        return "Every future has the plan's own days of weather and use; the light of whole years is varied."
    what = "weather and use"
    if plan.site.file_years > 1:
        rest = "; the meter's days stay as they are" if isinstance(job.demand, MeteredDemand) else ""
        return (
            f"Futures fall on the {count} years of the weather file{rest}; the light of whole years is varied beside "
            "them."
        )
    if isinstance(job.site.weather, WeatherFile):
        what = "use; the weather file's days stay as they are"
    elif isinstance(job.demand, MeteredDemand):
        what = "weather; the meter's days stay as they are"
    return (
        f"Futures fall on {count} years of other days of {what}; the light of whole years is varied beside them."
    )


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
    # A year of other days is no more and no less of anything.
    shift[-1] = 0.0
    most = int(np.abs(shift).argmax())
    when = inputs[most].high if shift[most] > 0 else inputs[most].low
    said = (
        f"{first.option.title} is worth most in {count} of 100 futures; in {round(100.0 * other.best)} it is "
        f"{other.option.title}, mostly when {when}.{pays.replace('It', 'The first')}"
    )
    return f"Too close to call by money: {said}" if first.best < CLOSE else said
