"""What would change the answer: points at which another option overtakes, by bisection on the simulation."""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from calm_relay.job.base import PRICE_MOST
from calm_relay.job.model import Job
from calm_relay.physics.plant.inputs import Inputs, bus_inputs
from calm_relay.physics.plant.year import BufferPool
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.amounts import price_decimals
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.lasting import LastingStarts, lasting_starts
from calm_relay.planning.operation.outcome import Brief, Money, brief_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import WORKERS, Plan
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.verdict.choice import Score, nearest, score_of
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.verdict.purposes import MEASURES, bill_to_measure_by

# How far a figure is turned, as a factor of today's; weights run over their whole range.
SPREAD = 3.0
MOST_WEIGHT = 10.0
# Tries in each direction, and halvings at most of the stretch in which the answer changes.
STEPS = 6
HALVINGS = 10


@dataclass(frozen=True)
class Knob:
    """A figure that is turned between `low` and `high`, and what turning it to a value changes.

    `name` is what a picture calls it, `form` writes a value. `job` makes the job of a value; `array` gives the
    factor of a unit's array, `home` that of the demand, `prices` that of one kind of cost line.
    """

    key: str
    name: str
    form: str
    today: float
    low: float
    high: float
    job: Callable[[Job, float], Job] = lambda job, value: job
    array: Callable[[Converter, float], float] | None = None
    home: bool = False
    prices: str = ""

    def text(self, value: float) -> str:
        """A value in words."""
        return self.form.format(value)

    def number(self, value: float) -> str:
        """A value without its words."""
        return self.form[self.form.index("{") : self.form.index("}") + 1].format(value)

    def tries(self, rising: bool) -> list[float]:
        """Values from today's outwards: in equal ratios where that can be, else in equal steps."""
        end = self.high if rising else self.low
        if end == self.today:
            return []
        shares = [i / STEPS for i in range(1, STEPS)]
        # The end is as it is told: rounded, a weight may fall below none.
        if self.low > 0:
            return [*(self.today * (end / self.today) ** share for share in shares), end]
        return [*(self.today + (end - self.today) * share for share in shares), end]


@dataclass(frozen=True)
class Tip:
    """Where the answer changes when one figure is turned and all others stay.

    `at` is the figure at which option `to` overtakes, `rising` whether above or below it; None where no value
    tried changes the answer.
    """

    knob: Knob
    at: float | None
    rising: bool
    to: str | None
    sentence: str


@dataclass(frozen=True, eq=False)
class Tips:
    """Every tip of a plan, those nearest to today first, and the answer today."""

    key: str | None
    tips: tuple[Tip, ...]


def knobs_of(plan: Plan) -> tuple[Knob, ...]:
    """The figures that can be turned on a job."""
    job, currency = plan.job, plan.job.tariff.currency
    tariff = job.tariff
    dear = max([tariff.price, *(window.price for window in tariff.windows)])
    array_kw = max(
        (sum(converter.array_kw for converter in option.design.converters) for option in plan.live), default=0.0
    )

    def around(key: str, name: str, form: str, today: float, **turns: Any) -> Knob:
        return Knob(key, name, form, today, today / SPREAD, today * SPREAD, **turns)

    knobs = [
        around(
            "array", "Array, kWp", "{:.1f} kWp of array", array_kw, array=lambda converter, value: value / array_kw
        ),
        around(
            "dear",
            "Dearest price, " + currency + " a kWh",
            f"{currency} {{:.{price_decimals(dear)}f}} a kWh in the dearest hours",
            dear,
            job=_dearest,
        ),
        *_fuel_knob(job, currency, around),
        around(
            "feed-in",
            "Paid for export, " + currency + " a kWh",
            f"{currency} {{:.{price_decimals(tariff.feed_in)}f}} a kWh paid for export",
            tariff.feed_in,
            job=_feed_in,
        ),
        around("home", "Demand, kWh a year", "{:,.0f} kWh a year of demand", plan.demand.yearly_kwh, home=True),
        around("packs", "Battery prices", "{:.0%} of today's battery prices", 1.0, prices="battery"),
        around("units", "Inverter prices", "{:.0%} of today's inverter prices", 1.0, prices="unit"),
    ]
    if any(converter.micro for option in plan.live for converter in option.design.converters):
        knobs.append(
            around(
                "mismatch",
                "Mismatch on strings",
                "{:.1%} mismatch on strings",
                job.losses.mismatch,
                array=_mismatch(job),
            )
        )
    knobs += [
        Knob(
            purpose.kind,
            f"Weight: {MEASURES[purpose.kind].label}",
            "a weight of {:.1f} on “" + MEASURES[purpose.kind].label.lower() + "”",
            purpose.weight,
            0.0,
            MOST_WEIGHT,
            job=_weight(purpose.kind),
        )
        for purpose in job.purposes
    ]
    if not job.supply.on_grid:
        knobs = [knob for knob in knobs if knob.key not in ("dear", "feed-in")]
    return tuple(knob for knob in knobs if knob.today > 0 or knob.key in MEASURES)


def _fuel_knob(job: Job, currency: str, around: Callable[..., Any]) -> Iterator[Knob]:
    """The price of the generator's fuel, off grid."""
    if job.supply.on_grid or job.generator is None:
        return
    today = job.generator.price_per_litre
    name, form = "Fuel, " + currency + " a litre", currency + " {:.2f} a litre of fuel"

    def turn(job: Job, value: float) -> Job:
        turned = value / today if today > 0.0 else 1.0
        return job.with_(
            generators=tuple(
                item.with_(price_per_litre=min(item.price_per_litre * turned, 100.0)) for item in job.generators
            )
        )

    yield around("fuel", name, form, today, job=turn)


def _dearest(job: Job, value: float) -> Job:
    """The dearest price alone is turned."""
    tariff = job.tariff
    dear = max([tariff.price, *(window.price for window in tariff.windows)])
    windows = tuple(
        window.with_(price=min(value, PRICE_MOST)) if window.price == dear else window for window in tariff.windows
    )
    price = min(value, PRICE_MOST) if tariff.price == dear else tariff.price
    return job.with_(tariff=tariff.with_(price=price, windows=windows))


def _feed_in(job: Job, value: float) -> Job:
    return job.with_(tariff=job.tariff.with_(feed_in=min(value, PRICE_MOST)))


def _mismatch(job: Job) -> Callable[[Converter, float], float]:
    """Strings lose to mismatch, modules with electronics of their own do not."""

    def factor(converter: Converter, value: float) -> float:
        own = converter.micro or any(
            run.optimiser for run in (converter.stringing.runs if converter.has_strings else ())
        )
        return 1.0 if own else max(1.0 - value, 0.0) / (1.0 - job.losses.mismatch)

    return factor


def _weight(kind: str) -> Callable[..., Any]:
    def turn(job: Job, value: float) -> Job:
        purposes = tuple(
            purpose.with_(weight=value) if purpose.kind == kind else purpose for purpose in job.purposes
        )
        if not any(purpose.weight for purpose in purposes):
            return job
        return job.with_(purposes=purposes)

    return turn


class Contest:
    """The options of a plan, weighed anew with one figure turned; strings and units stay as they are."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        self._options: list[Option] = [option for option in plan.live if not option.stopped]
        self._runs: dict[str, tuple[Inputs, LastingStarts | None]] = {}
        self._workers = ThreadPoolExecutor(WORKERS)
        self._buffers = BufferPool()

    def weighed(self, knob: Knob, value: float) -> dict[str, tuple[Score, float]]:
        """Score of each option that can be built, and what it leaves over the years."""
        plan = self._plan
        job, demand = knob.job(plan.job, value), plan.demand
        if knob.home:
            demand = _scaled(demand, value / knob.today)

        def money_now() -> Money:
            return self._outcome(plan.as_is, job, demand, knob, value, None).money

        def score(option: Option) -> tuple[Score, float]:
            done = self._outcome(option, job, demand, knob, value, now)
            bill = bill_to_measure_by(job, demand, now().bill)
            return score_of(option.design, done, job, bill), done.money.npv

        now: Callable[[], Money] = lru_cache(money_now)
        each: Callable[..., Any] = map
        # Years are worth a thread; prices and weights are done before one begins.
        if knob.array or knob.home:
            now, each = self._workers.submit(money_now).result, self._workers.map
        return dict(zip((option.key for option in self._options), each(score, self._options), strict=True))

    def winner(self, knob: Knob, value: float) -> str:
        """Key of the option that fits best."""
        found = self.weighed(knob, value)
        scores = {key: score for key, (score, _) in found.items()}
        npv = {key: money for key, (_, money) in found.items()}
        return nearest(scores, npv, knob.job(self._plan.job, value))[0]

    def _runs_of(self, option: Option) -> tuple[Inputs, LastingStarts | None]:
        """What an option's year and its outages read, made ready once."""
        if option.key not in self._runs:
            plan, design = self._plan, option.design
            inputs = inputs_of(design, plan.job, plan.site, plan.demand)
            self._runs[option.key] = inputs, lasting_starts(design, plan.job, plan.demand, plan.site, inputs)
        return self._runs[option.key]

    def _outcome(
        self,
        option: Option,
        job: Job,
        demand: DemandYear,
        knob: Knob,
        value: float,
        now: Callable[[], Money] | None,
    ) -> Brief:
        """What comes of an option; `now` gives today's money, which is asked for when the years have been run."""
        plan, design, lost = self._plan, option.design, option.outcome.money.lost
        if knob.array or knob.home:
            inputs, outages = self._runs_of(option)

            def turned(inputs: Inputs) -> Inputs:
                if not knob.array:
                    return inputs.scaled(home=value / knob.today)
                factors = np.array([knob.array(converter, value) for converter in design.converters])
                return replace(inputs, pv_kw=inputs.pv_kw * factors.reshape(-1, 1))

            year = bus_inputs(turned(inputs), self._buffers)
            ridden = 0.0 if outages is None else replace(outages, inputs=turned(outages.inputs)).share(year)
            done = brief_of(year, design, job, plan.site, demand, now and now().kinds, lost, ridden=ridden)
        elif (job.tariff, job.costs, job.generators) == (plan.job.tariff, plan.job.costs, plan.job.generators):
            # Weights leave the figures as they are.
            done = option.outcome
        else:
            # Prices leave an outage as it is.
            year, backup = option.outcome.year, option.outcome.backup
            done = brief_of(year, design, job, plan.site, demand, now and now().kinds, lost, backup)
        if not knob.prices:
            return done
        extra = (value - 1.0) * sum(line.amount for line in done.money.lines if line.kind == knob.prices)
        money = replace(done.money, outlay=done.money.outlay + extra, npv=done.money.npv - extra)
        return replace(done, money=money)


def _scaled(demand: DemandYear, factor: float) -> DemandYear:
    return replace(
        demand,
        kw=demand.kw * factor,
        yearly_kwh=demand.yearly_kwh * factor,
        evening_peak_kw=demand.evening_peak_kw * factor,
        worst_season_mean_kw=demand.worst_season_mean_kw * factor,
    )


def tips_of(plan: Plan, progress: Progress = unheard) -> Tips:
    """Turns each figure up and down from today until another option fits best, and finds the point.

    Prices, sizes and demand are tried between a third and three times today's value, weights from 0 to 10; where
    the best option changes between two tries, the stretch is halved until both of its ends read the same, ten times
    at most. Nothing is refused on the way: the array may be larger than its strings allow.
    """
    contest = Contest(plan)
    if plan.choice.key is None or len([option for option in plan.live if not option.stopped]) < 2:
        return Tips(plan.choice.key, ())
    knobs = knobs_of(plan)
    tips = []
    for number, knob in enumerate(knobs):

        def show_text(share: float, number: int = number) -> None:
            progress((number + share) / len(knobs), "What would change the answer")

        result = [
            (rising, *turned)
            for rising, start in ((True, 0.0), (False, 0.5))
            if (turned := _turn(contest, knob, rising, plan.choice.key, show_text, start)) is not None
        ]
        today = knob.number(knob.today)
        if not result:
            span = f"{knob.number(knob.low)} and {knob.text(knob.high)}"
            sentence = f"Between {span} nothing changes; today {today}."
            tips.append(Tip(knob, None, True, None, sentence))
        for rising, at, to in result:
            title = plan.option(to).title
            sentence = f"{'Above' if rising else 'Below'} {knob.text(at)} “{title}” fits best; today {today}."
            tips.append(Tip(knob, at, rising, to, sentence))
    return Tips(plan.choice.key, tuple(sorted(tips, key=_distance)))


def _distance(tip: Tip) -> float:
    """How far a tip is from today, as a share of the range tried; those that never come stand last."""
    if tip.at is None:
        return np.inf
    knob = tip.knob
    if knob.low > 0:
        return abs(np.log(tip.at / knob.today)) / np.log(SPREAD)
    return abs(tip.at - knob.today) / MOST_WEIGHT


def _turn(
    contest: Contest, knob: Knob, rising: bool, best: str, show_text: Callable[..., Any], start: float
) -> tuple[float, str] | None:
    """Value at which another option overtakes, and its key; None where none does."""
    inside = knob.today
    tries = knob.tries(rising)
    for number, value in enumerate(tries):
        show_text(start + 0.4 * number / len(tries))
        to = contest.winner(knob, value)
        if to != best:
            outside = value
            break
        inside = value
    else:
        return None
    for _ in range(HALVINGS):
        if knob.number(inside) == knob.number(outside):
            break
        show_text(start + 0.45)
        middle = (inside + outside) / 2
        winner = contest.winner(knob, middle)
        if winner == best:
            inside = middle
        else:
            outside, to = middle, winner
    return outside, to
