"""Generators beside an island, as its compiled run takes them."""

from typing import NamedTuple


class GeneratorLimits(NamedTuple):
    """A generator: its power [kW], and the states of charge below which it starts and above which it stops."""

    kw: float = 0.0
    start: float = 0.0
    stop: float = 0.0


# So many generators may run; the compiled run is made for this number.
GENERATORS = 4
Generators = tuple[GeneratorLimits, GeneratorLimits, GeneratorLimits, GeneratorLimits]
NO_GENERATORS: Generators = (GeneratorLimits(), GeneratorLimits(), GeneratorLimits(), GeneratorLimits())


def generators_of(*items: GeneratorLimits) -> Generators:
    """Generators as the compiled run takes them, from `GENERATORS` of them at most.

    Raises
    ------
    ValueError
        For more.
    """
    if len(items) > GENERATORS:
        raise ValueError(f"{len(items)} generators; wanted {GENERATORS} at most")
    padded = (*items, *NO_GENERATORS)
    return (padded[0], padded[1], padded[2], padded[3])
