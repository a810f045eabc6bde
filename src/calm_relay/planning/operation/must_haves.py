"""The job's hard lines, and where a design's figures miss them."""

from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.planning.architecture.cost import cost_lines
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.common.amounts import money_text
from calm_relay.planning.operation.outcome import Brief, Outcome


@dataclass(frozen=True)
class HardLine:
    """One hard line: its words, what the design reaches, the line, their unit, and whether it is missed."""

    sentence: str
    measured: float
    limit: float
    unit: str
    missed: bool


def costs_too_much(design: Design, job: Job) -> bool:
    """Whether a design's outlay alone misses a hard line, whatever its year comes to."""
    most = job.must_haves.outlay_at_most
    return most is not None and _over(sum(line.amount for line in cost_lines(design, job)), most)


def _over(outlay: float, most: float) -> bool:
    return outlay > most + 0.005


def lines_of(brief: Brief | Outcome, job: Job) -> list[HardLine]:
    """Each hard line that the job draws, beside what a design reaches.

    Parameters
    ----------
    brief : planning.operation.outcome.Brief
        The design's figures.
    job : Job
        The job.
    """
    lines, result = job.must_haves, []
    if lines.outlay_at_most is not None:
        outlay, most = brief.money.outlay, lines.outlay_at_most
        over = _over(outlay, most)
        within = "more than" if over else "within"
        sentence = f"Costs {money_text(job, outlay)}, {within} the {money_text(job, most)} wanted."
        result.append(HardLine(sentence, outlay, most, job.tariff.currency, over))
    if lines.outages_at_least is not None and job.supply.on_grid:
        share, least = brief.backup.kept_on, lines.outages_at_least
        rides = f"Rides through {brief.backup.lasting:.0%} of outages of {job.outage_hours:g} h"
        if 0.0 < share < brief.backup.lasting - 1e-9:
            rides += f", with {brief.backup.served:.0%} of what is to stay on: {share:.0%} in all"
        sentence = f"{rides}; at least {least:.0%} are wanted."
        result.append(HardLine(sentence, share * 100.0, least * 100.0, "%", share < least - 1e-9))
    return result
