"""How well an outcome serves each purpose, from the simulation, on scales that do not depend on the others.

Every score runs from 0 to 1; 0 and 1 are stated here so that weights mean the same in every job.
"""

from collections.abc import Callable
from dataclasses import dataclass

from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.outcome import Brief, Outcome

# Years of today's bill over which money is spread on its scales.
BILL_YEARS = 10.0
# Off grid: the share of the demand left unmet at which nothing is left of the score.
UNSERVED_SHARE = 0.05


@dataclass(frozen=True)
class Measure:
    """A purpose's label, what 1 means on its scale, and its score."""

    label: str
    full_mark: str
    score: Callable[[Design, Outcome | Brief, float, float], float]


def _worth(design: Design, outcome: Outcome | Brief, bill_now: float, peak_kw: float) -> float:
    return _clip(0.5 + outcome.money.npv / (2.0 * BILL_YEARS * bill_now)) if bill_now > 0 else 0.5


def _self_sufficiency(design: Design, outcome: Brief | Outcome, bill_now: float, peak_kw: float) -> float:
    return outcome.self_sufficiency


def _ride_through_outage(design: Design, outcome: Outcome | Brief, bill_now: float, peak_kw: float) -> float:
    if outcome.unmet is not None:
        return _clip(1.0 - outcome.unmet / UNSERVED_SHARE)
    return outcome.backup.lasting


def _low_outlay(design: Design, outcome: Outcome | Brief, bill_now: float, peak_kw: float) -> float:
    if outcome.money.outlay <= 0:
        return 1.0
    # It never ends, so that of two dear ones the cheaper is still the better.
    return 1.0 / (1.0 + outcome.money.outlay / (BILL_YEARS * bill_now)) if bill_now > 0 else 0.0


def _gentle_works(design: Design, outcome: Brief | Outcome, bill_now: float, peak_kw: float) -> float:
    return 1.0 / (1 + design.works)


def _clip(value: float) -> float:
    return min(1.0, max(0.0, value))


MEASURES: dict[str, Measure] = {
    "lower_bills": Measure(
        "Money over the years",
        f"a gain worth {BILL_YEARS:g} years of today's bill over the job's years; half where nothing is gained or lost",
        _worth,
    ),
    "self_sufficiency": Measure("Raise self-sufficiency", "nothing imported", _self_sufficiency),
    "ride_through_outage": Measure(
        "Keep the lights on",
        "every outage of the hours wanted ridden through, from starts all through the year, with the board as wired; "
        f"off grid nothing unserved, 0 is {UNSERVED_SHARE:.0%} unserved",
        _ride_through_outage,
    ),
    "low_outlay": Measure(
        "Low outlay", f"nothing spent; half for {BILL_YEARS:g} years of today's bill", _low_outlay
    ),
    "gentle_works": Measure(
        "Leave what works alone", "no unit hung or taken away, no string moved", _gentle_works
    ),
}
