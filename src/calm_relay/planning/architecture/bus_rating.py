"""What arrays on the bus of a unit that forms the grid may add up to."""

from dataclasses import dataclass

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


def bus_rating(design: Design, converter: Converter) -> BusRating | None:
    """What hangs on the bus of the inverter that forms the grid; None where no array does."""
    arrays_kw = sum(
        other.inverter.ac_kw for other in design.converters if other is not converter and other.has_array
    )
    if arrays_kw <= 0.0:
        return None
    former = design.grid_former
    stated = former.outage_output.ac_pv_kw
    practice = PRACTICE_RATIO * former.outage_output.continuous_kw
    if stated is not None:
        return BusRating(arrays_kw, stated, practice, True, f"{former.name}, datasheet")
    owner = "common practice, no source: not more than its own rating"
    return BusRating(arrays_kw, practice, practice, False, owner)
