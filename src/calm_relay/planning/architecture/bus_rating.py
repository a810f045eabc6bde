"""Which arrays come to the bus of a unit that forms the grid, and what they may add up to."""

from dataclasses import dataclass

from calm_relay.job.model import Supply
from calm_relay.planning.architecture.design import Converter, Design

# AC power of arrays over what the grid former gives without end, where the unit states no limit: common practice,
# no source.
PRACTICE_RATIO = 1.0


@dataclass(frozen=True)
class BusRating:
    """AC power of arrays on the grid former's bus against what it takes [kW], and whose limit that is.

    `practice_kw` is what practice keeps to, whatever the unit's own limit is; `stated` whether it has one.
    """

    arrays_kw: float
    limit_kw: float
    practice_kw: float
    stated: bool
    owner: str

    @property
    def passed(self) -> bool:
        """Whether more hangs there than it takes."""
        return self.arrays_kw > self.limit_kw + 1e-9


def phase_of(design: Design, supply: Supply, converter: Converter) -> int:
    """Phase of three that a unit of a design hangs on: 1, 2 or 3, else 0."""
    at = next(number for number, item in enumerate(design.converters) if item is converter)
    return design.phases(supply)[at]


def only_phase_served(design: Design, supply: Supply) -> int | None:
    """The one phase that stays on where a single-phase unit serves a three-phase house; None elsewhere."""
    return phase_of(design, supply, design.leader) or None


def place_served(design: Design, supply: Supply) -> str:
    """What that phase is called, or the pair of phases; empty where all stay on."""
    served = only_phase_served(design, supply)
    return supply.circuit.places[served - 1] if served else ""


def arrays_beside(design: Design) -> tuple[Converter, ...]:
    """Units with arrays beside the one that forms the grid."""
    lead = design.battery_converter
    return tuple(other for other in design.converters if other is not lead and other.has_array)


def arrays_on_bus(design: Design, supply: Supply) -> tuple[Converter, ...]:
    """Those of them that the phases which it forms reach: one phase feeds no unit of three or of another phase."""
    served = only_phase_served(design, supply)
    beside = arrays_beside(design)
    if served is None:
        return beside
    return tuple(other for other in beside if phase_of(design, supply, other) == served)


def arrays_left_off(design: Design, supply: Supply) -> tuple[Converter, ...]:
    """Those of them that the phases which it forms do not reach: without a grid they are off."""
    on_bus = arrays_on_bus(design, supply)
    return tuple(other for other in arrays_beside(design) if not any(other is item for item in on_bus))


def bus_rating(design: Design, supply: Supply) -> BusRating | None:
    """What hangs on the bus of the inverter that forms the grid; None where no array does."""
    arrays_kw = sum(other.inverter.ac_kw for other in arrays_on_bus(design, supply))
    if arrays_kw <= 0.0:
        return None
    former = design.grid_former
    stated = former.outage_output.ac_pv_kw
    practice = PRACTICE_RATIO * former.outage_output.continuous_kw
    if stated is not None:
        return BusRating(arrays_kw, stated, practice, True, f"{former.name}, datasheet")
    owner = "common practice, no source: not more than its own rating"
    return BusRating(arrays_kw, practice, practice, False, owner)
