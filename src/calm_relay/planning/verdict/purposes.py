"""How well an outcome serves each purpose, from the simulation, on scales that do not depend on the others.

Every score runs from 0 to 1; 0 and 1 are stated here so that weights mean the same in every job.
"""

from collections.abc import Callable
from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.outcome import Brief, Outcome
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.money_turned import usual_generator

# Years of the bill over which money is spread on its scales.
BILL_YEARS = 10.0
# Of what the home's energy would cost without an array: a smaller bill is no measure for a plant.
LEAST_BILL = 0.5
# Where a scale's ends begin to bend, so that of two that lose much the dearer is still the worse.
BENDS = 0.1
# Off grid: the share of the demand left unmet at which nothing is left of the score.
UNSERVED_SHARE = 0.05


@dataclass(frozen=True)
class Measure:
    """A purpose's label, what 1 means on its scale, and its score."""

    label: str
    full_mark: str
    score: Callable[[Design, Outcome | Brief, float], float]


def bill_to_measure_by(job: Job, demand: DemandYear, bill_now: float) -> float:
    """The yearly bill that money is held against: today's, at least half of that without an array [currency].

    That one is what the grid would charge for the home's energy; off grid, what it would cost from a generator.
    """
    price = job.tariff.mean_price if job.supply.on_grid else (job.generator or usual_generator(job)).price_per_kwh
    return max(bill_now, LEAST_BILL * demand.yearly_kwh * price)


def _worth(design: Design, outcome: Outcome | Brief, bill: float) -> float:
    return _bent(0.5 + outcome.money.npv / (2.0 * BILL_YEARS * bill)) if bill > 0 else 0.5


def _self_sufficiency(design: Design, outcome: Brief | Outcome, bill: float) -> float:
    return outcome.self_sufficiency


def _ride_through_outage(design: Design, outcome: Outcome | Brief, bill: float) -> float:
    if outcome.unmet is not None:
        return _clip(1.0 - outcome.unmet / UNSERVED_SHARE)
    return outcome.backup.kept_on


def _low_outlay(design: Design, outcome: Outcome | Brief, bill: float) -> float:
    if outcome.money.outlay <= 0:
        return 1.0
    # It never ends, so that of two dear ones the cheaper is still the better.
    return 1.0 / (1.0 + outcome.money.outlay / (BILL_YEARS * bill)) if bill > 0 else 0.0


def _gentle_works(design: Design, outcome: Brief | Outcome, bill: float) -> float:
    return 1.0 / (1 + design.works)


def _clip(value: float) -> float:
    return min(1.0, max(0.0, value))


def _bent(value: float) -> float:
    """A value on a straight scale from 0 to 1, its ends bent so that it nears 0 and 1 and never comes there."""
    if value < BENDS:
        return BENDS**2 / (2.0 * BENDS - value)
    return 1.0 - BENDS**2 / (2.0 * BENDS - (1.0 - value)) if value > 1.0 - BENDS else value


BILL = "today's bill, or of half of what the home's energy would cost without an array where that is more"

MEASURES: dict[str, Measure] = {
    "lower_bills": Measure(
        "Money over the years",
        f"a gain without end over the job's years; half where nothing is gained or lost, {1.0 - BENDS:.0%} for "
        f"{2.0 * BILL_YEARS * (0.5 - BENDS):g} years of {BILL}",
        _worth,
    ),
    "self_sufficiency": Measure("Raise self-sufficiency", "nothing imported", _self_sufficiency),
    "ride_through_outage": Measure(
        "Keep the lights on",
        "every outage of the hours wanted ridden through, from starts all through the year, with the board as wired; "
        "of a unit on one phase of three what hangs there counts; "
        f"off grid nothing unserved, 0 is {UNSERVED_SHARE:.0%} unserved",
        _ride_through_outage,
    ),
    "low_outlay": Measure("Low outlay", f"nothing spent; half for {BILL_YEARS:g} years of {BILL}", _low_outlay),
    "gentle_works": Measure(
        "Leave what works alone", "no unit hung or taken away, no string moved", _gentle_works
    ),
}
