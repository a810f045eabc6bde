"""Which option serves the job's purposes best, by how much, and why."""

from dataclasses import dataclass

from calm_relay.job.model import Job, Purpose
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.outcome import Brief, Outcome
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.verdict.purposes import MEASURES
from calm_relay.planning.verdict.reasons import Reason, reasons_for

CLOSE = 0.02
# How many of the other options the verdict names.
NAMED = 3


@dataclass(frozen=True)
class Score:
    """An option's score by purpose and in all, each 0 to 1."""

    by_purpose: dict[str, float]
    total: float


@dataclass(frozen=True)
class Choice:
    """The verdict: the best option's key (None when none can be built), its sentence, scores and reasons.

    `telling` is the label of the purpose that does most to put the best option before the next, or empty.
    """

    key: str | None
    close: bool
    sentence: str
    deciding: str
    scores: dict[str, Score]
    reasons: dict[str, tuple[Reason, ...]]


def choose(options: list[Option], job: Job, demand: DemandYear) -> Choice:
    """Weighs the options by the job's purposes.

    An option that a finding stops is weighed but not chosen.

    Parameters
    ----------
    options : sequence of planning.plan.Option
        Those that can be built; the first is what is there today.
    job : Job
        The job.
    demand : planning.site.demand.DemandYear
        The home's year.
    """
    bill_now = options[0].outcome.money.bill
    peak_kw = demand.evening_peak_kw
    scores = {o.key: score_of(o.design, o.outcome, job, bill_now, peak_kw) for o in options}
    reasons = {option.key: reasons_for(option, options, job, demand) for option in options}
    able = sorted(
        (option for option in options if not option.stopped),
        key=lambda option: -scores[option.key].total,
    )
    if not able:
        sentence = "No option can be built as it stands: see what stops each."
        return Choice(None, False, sentence, "", scores, reasons)
    best, *rest = able
    lead = scores[best.key].total - scores[rest[0].key].total if rest else 1.0
    close = bool(rest) and lead < CLOSE
    deciding = _deciding(best, rest[0], scores, job) if rest else ""
    return Choice(best.key, close, _sentence(best, rest, scores, close, deciding), deciding, scores, reasons)


def score_of(design: Design, brief: Outcome | Brief, job: Job, bill_now: float, peak_kw: float) -> Score:
    """How well a design's figures serve the job's purposes.

    Parameters
    ----------
    design : planning.architecture.design.Design
        The design.
    brief : planning.operation.outcome.Brief
        Its figures.
    job : Job
        The job.
    bill_now : float
        Bill of a year as it is.
    peak_kw : float
        The worst evening half hour [kW].
    """
    by_purpose = {
        purpose.kind: MEASURES[purpose.kind].score(design, brief, bill_now, peak_kw) for purpose in job.purposes
    }
    weights = sum(purpose.weight for purpose in job.purposes)
    total = sum(purpose.weight * by_purpose[purpose.kind] for purpose in job.purposes) / weights
    return Score(by_purpose, total)


def _sentence(best: Option, rest: list[Option], scores: dict[str, Score], close: bool, deciding: str) -> str:
    mark = {option.key: round(scores[option.key].total * 100) for option in (best, *rest)}
    if not rest:
        return f"{best.title} is the only option that can be built ({mark[best.key]} of 100)."
    others = ", ".join(f"{option.title} {mark[option.key]}" for option in rest[:NAMED])
    others += f", {len(rest) - NAMED} more below" * (len(rest) > NAMED)
    if close:
        return f"Too close to call: {best.title} {mark[best.key]} of 100, {others}."
    why = f", above all for “{deciding.lower()}”"
    return f"{best.title} fits best{why}: {mark[best.key]} of 100; {others}."


def _deciding(best: Option, runner_up: Option, scores: dict[str, Score], job: Job) -> str:
    """The purpose that does most to put the best option before the next."""

    def lead(purpose: Purpose) -> float:
        ours, theirs = (scores[option.key].by_purpose[purpose.kind] for option in (best, runner_up))
        return purpose.weight * (ours - theirs)

    return MEASURES[max(job.purposes, key=lead).kind].label
