"""Which option serves the job's purposes best, by how much, and why."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.model import Job, Purpose, PurposeKind
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.common.amounts import breaks_even, money_text, to_two_figures
from calm_relay.planning.common.region_words import AS_WRITTEN, RegionWords
from calm_relay.planning.common.wanted import wanted_words
from calm_relay.planning.operation.outcome import Brief, Outcome
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.verdict.purposes import BILL_YEARS, MEASURES, bill_to_measure_by
from calm_relay.planning.verdict.reasons import Reason, reasons_for, with_beaten

CLOSE = 0.02
# Weightings that are tried round the user's own.
WEIGHTINGS = 1000
# How many of the other options the verdict names.
NAMED = 3


@dataclass(frozen=True)
class Score:
    """An option's score by purpose and in all, each 0 to 1."""

    by_purpose: dict[PurposeKind, float]
    total: float


@dataclass(frozen=True)
class Choice:
    """The verdict: the best option's key (None when none can be built), its sentence, scores and reasons.

    `deciding` is the label of the purpose that does most to put the best option before the next, or empty. `holds` is
    in how many of many weightings round the user's own each option that can be built fits best, 0 to 1; `dominated`
    names for an option another that is at least as good for every purpose and better for one.
    """

    key: str | None
    close: bool
    sentence: str
    deciding: str
    scores: dict[str, Score]
    reasons: dict[str, tuple[Reason, ...]]
    holds: dict[str, float]
    dominated: dict[str, str]


def choose(options: list[Option], job: Job, demand: DemandYear, words: RegionWords = AS_WRITTEN) -> Choice:
    """Weighs the options by the job's purposes.

    An option that a finding stops is weighed but not chosen. Of those too near the highest score to be told apart the
    one that leaves the most money comes first.

    Parameters
    ----------
    options : sequence of planning.plan.Option
        Those that can be built; the first is what is there today.
    job : Job
        The job.
    demand : planning.site.demand.DemandYear
        The home's year.
    words : RegionWords
        In which it is said.
    """
    scores = _scores(options, job, demand)
    reasons = {option.key: reasons_for(option, options, job, demand) for option in options}
    able = [option for option in _ranked(options, scores) if not option.stopped]
    dominated = _dominated([option.key for option in able], scores, job)
    titles = {option.key: option.title for option in able}
    for key, other in dominated.items():
        reasons[key] = with_beaten(reasons[key], _beaten(scores[key], titles[other], scores[other], job))
    if words.pairs:
        reasons = {
            key: tuple(replace(reason, sentence=words(reason.sentence)) for reason in found)
            for key, found in reasons.items()
        }
    if job.wanted:
        sentence = f"No verdict yet. Still wanted: {wanted_words(job)}."
        return Choice(None, False, sentence, "", scores, reasons, {}, {})
    if not able:
        sentence = "No option can be built as it stands: see what stops each."
        return Choice(None, False, sentence, "", scores, reasons, {}, {})
    by_key = {option.key: option for option in able}
    near = [by_key[key] for key in nearest({key: scores[key] for key in by_key}, _money_of(able), job)]
    best, close = near[0], len(near) > 1
    rest = [option for option in able if option is not best]
    deciding = _deciding(best, rest[0], scores, job) if rest else ""
    return Choice(
        best.key,
        close,
        _sentence(best, rest, scores, near, deciding, job, options[0].outcome.money.bill),
        deciding,
        scores,
        reasons,
        _holds(able, scores, job),
        {key: titles[other] for key, other in dominated.items()},
    )


def best_of(options: list[Option], job: Job, demand: DemandYear) -> Option | None:
    """The option that `choose` puts first, None where it puts none; findings are asked of as few options as will do."""
    scores = _scores(options, job, demand)
    ranked = _ranked(options, scores)
    highest = next((option for option in ranked if not option.stopped), None)
    if highest is None:
        return None
    behind = ranked[ranked.index(highest) + 1 :]
    near = [option for option in behind if scores[highest.key].total - scores[option.key].total < CLOSE]
    npv = _money_of(options)
    if not any(npv[option.key] > npv[highest.key] and not option.stopped for option in near):
        return highest
    able = {option.key: option for option in (highest, *near) if not option.stopped}
    return able[nearest({key: scores[key] for key in able}, npv, job)[0]]


def nearest(scores: Mapping[str, Score], npv: Mapping[str, float], job: Job) -> tuple[str, ...]:
    """Keys of those whose scores are too near the highest to be told apart from it, the most money first.

    One that another beats in everything may be near in points, but no weighting would choose it.

    Parameters
    ----------
    scores : mapping of str to Score
        Of those that may be chosen, by key; of equal ones the earlier counts as the higher.
    npv : mapping of str to float
        What each leaves over the job's years [currency].
    job : Job
        Whose weights count.
    """
    ranked = sorted(scores, key=lambda key: -scores[key].total)
    highest, beaten = scores[ranked[0]].total, _dominated(ranked, scores, job)
    near = [key for key in ranked[1:] if highest - scores[key].total < CLOSE and key not in beaten]
    return tuple(sorted([ranked[0], *near], key=lambda key: -npv[key]))


def _money_of(options: list[Option]) -> dict[str, float]:
    return {option.key: option.outcome.money.npv for option in options}


def _scores(options: list[Option], job: Job, demand: DemandYear) -> dict[str, Score]:
    bill = bill_to_measure_by(job, demand, options[0].outcome.money.bill)
    return {option.key: score_of(option.design, option.outcome, job, bill) for option in options}


def _ranked(options: list[Option], scores: dict[str, Score]) -> list[Option]:
    """The highest score first; of equal ones the one that comes first."""
    return sorted(options, key=lambda option: -scores[option.key].total)


def _holds(able: list[Option], scores: dict[str, Score], job: Job) -> dict[str, float]:
    """Share of weightings round the user's own in which each option fits best.

    Each weight is drawn between half and twice what it is, evenly in its logarithm, always the same draws.

    References
    ----------
    Lahdelma and Salminen 2001, Operations Research 49(3): stochastic multicriteria acceptability analysis (SMAA-2).
    """
    kinds = [purpose.kind for purpose in job.purposes]
    own = np.array([purpose.weight for purpose in job.purposes])
    draws = own * 2.0 ** np.random.default_rng(1).uniform(-1.0, 1.0, (WEIGHTINGS, len(kinds)))
    marks = np.array([[scores[option.key].by_purpose[kind] for kind in kinds] for option in able])
    first = (draws @ marks.T).argmax(axis=1)
    return {option.key: float((first == number).mean()) for number, option in enumerate(able)}


def _dominated(ranked: Sequence[str], scores: Mapping[str, Score], job: Job) -> dict[str, str]:
    """For each key that another beats in everything, the best that does."""
    counted = [purpose.kind for purpose in job.purposes if purpose.weight > 0]
    result = {}
    for key in ranked:
        mine = scores[key].by_purpose
        for other in ranked:
            theirs = scores[other].by_purpose
            no_worse = all(theirs[kind] >= mine[kind] - 1e-12 for kind in counted)
            if other != key and no_worse and any(theirs[kind] > mine[kind] + 1e-9 for kind in counted):
                result[key] = other
                break
    return result


def _beaten(mine: Score, title: str, theirs: Score, job: Job) -> Reason:
    """Why an option need not be looked at: another does better somewhere and worse nowhere."""
    better = [
        p for p in job.purposes if p.weight > 0 and theirs.by_purpose[p.kind] > mine.by_purpose[p.kind] + 1e-9
    ]
    named = ", ".join(f"“{MEASURES[purpose.kind].label.lower()}”" for purpose in better)
    heaviest = max(better, key=lambda purpose: purpose.weight)
    sentence = f"{title} does better in {named} and worse in nothing."
    return Reason(False, heaviest.kind, heaviest.weight, sentence)


def score_of(design: Design, brief: Outcome | Brief, job: Job, bill: float) -> Score:
    """How well a design's figures serve the job's purposes.

    Parameters
    ----------
    design : planning.architecture.design.Design
        The design.
    brief : planning.operation.outcome.Brief
        Its figures.
    job : Job
        The job.
    bill : float
        What money is held against, see `bill_to_measure_by`.
    """
    by_purpose = {purpose.kind: MEASURES[purpose.kind].score(design, brief, bill) for purpose in job.purposes}
    weights = sum(purpose.weight for purpose in job.purposes)
    total = sum(purpose.weight * by_purpose[purpose.kind] for purpose in job.purposes) / weights
    return Score(by_purpose, total)


def _sentence(
    best: Option,
    rest: list[Option],
    scores: dict[str, Score],
    near: list[Option],
    deciding: str,
    job: Job,
    bill: float,
) -> str:
    mark = {option.key: round(scores[option.key].total * 100) for option in (best, *rest)}
    money = _money(best, job) + _in_bills(best, bill)
    if not rest:
        return f"{best.title} {money}; it is the only option that can be built ({mark[best.key]} of 100)."
    more = f", {len(rest) - NAMED} more below" * (len(rest) > NAMED)
    if len(near) > 1:
        others = near[1 : NAMED + 1]
        far = [option for option in rest if option not in others][: NAMED - len(others)]
        # Those that are as good may differ by what they cost.
        told = [f"{option.title} {_money(option, job, brief=True)}, {mark[option.key]}" for option in others]
        told += [f"{option.title} {mark[option.key]}" for option in far]
        first = f"{best.title} {money}, {mark[best.key]} of 100"
        return f"Too close to call, most money first: {first}; {'; '.join(told)}{more}."
    behind = ", ".join(f"{option.title} {mark[option.key]}" for option in rest[:NAMED]) + more
    why = f" and fits best, above all for “{deciding.lower()}”"
    if deciding == MEASURES["lower_bills"].label and _loses(best):
        # “Above all for money” would be read as a gain.
        why = ", less than the next, and fits best"
    return f"{best.title} {money}{why}: {mark[best.key]} of 100; {behind}."


def _money(option: Option, job: Job, *, brief: bool = False) -> str:
    """What an option gains or loses over the job's years, at today's worth; its price is another figure."""
    npv, over = option.outcome.money.npv, "" if brief else f" over {job.costs.horizon_years} years"
    if option.outcome.money.outlay <= 0:
        return "neither gains nor loses"
    if breaks_even(npv, option.outcome.money.outlay):
        return f"about breaks even{over}"
    # Where there is no supply today nothing is lost against it.
    lost = "loses" if job.pays_for_power else "costs"
    word = lost if _loses(option) else "gains"
    return f"{word} about {money_text(job, to_two_figures(abs(npv)))}{over}"


def _in_bills(option: Option, bill: float) -> str:
    """A loss so large that it is told in years of today's bill."""
    lost = -option.outcome.money.npv
    return f" ({lost / bill:,.0f} years of today's bill)" if 0.0 < BILL_YEARS * bill < lost else ""


def _loses(option: Option) -> bool:
    """Whether it loses over the job's years more than a figure that counts as breaking even."""
    npv, outlay = option.outcome.money.npv, option.outcome.money.outlay
    return npv < 0.0 and outlay > 0.0 and not breaks_even(npv, outlay)


def _deciding(best: Option, runner_up: Option, scores: dict[str, Score], job: Job) -> str:
    """The purpose that does most to put the best option before the next."""

    def lead(purpose: Purpose) -> float:
        ours, theirs = (scores[option.key].by_purpose[purpose.kind] for option in (best, runner_up))
        return purpose.weight * (ours - theirs)

    return MEASURES[max(job.purposes, key=lead).kind].label
