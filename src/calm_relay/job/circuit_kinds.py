"""What follows from the phases of a circuit: its conductors, what opens them, and what its power is."""

from math import sqrt
from typing import Literal, NamedTuple

Phases = Literal["single", "split", "three", "three-wire"]


class CircuitKind(NamedTuple):
    """A kind of circuit.

    `live` counts the conductors that are not at earth's potential, `loaded` those that carry the current, `poles` what
    a breaker or a changeover opens. Its power is `factor` times volts times the amps of one conductor: volts are to
    neutral on three phases, between the legs of a split, and between phases where there is no neutral. Loads hang on
    one of `places`, each called a `leg`. `name` and `adjective` are what a service is called.
    """

    live: int
    loaded: Literal[2, 3]
    poles: int
    factor: float
    cores: tuple[str, ...]
    places: tuple[str, ...] = ()
    leg: str = ""
    name: str = ""
    adjective: str = ""

    @property
    def conductors(self) -> int:
        """Conductors of a cable, with neutral and earth."""
        return len(self.cores)

    @property
    def has_neutral(self) -> bool:
        """Whether loads hang between a phase or leg and a neutral, and not between two phases."""
        return "N" in self.cores

    @property
    def has_three_phases(self) -> bool:
        """Whether single-phase units may hang on one of three."""
        return self.live == len(self.places) == 3

    @property
    def short(self) -> tuple[str, ...]:
        """What places are called where the word before says that they are phases or legs."""
        return self.places if not self.has_neutral else tuple(str(number) for number in range(1, self.live + 1))

    def on_conductor(self, number: int) -> str:
        """Where the main fuse's current is told, as the end of what is said of it; conductors count from 0."""
        if self.live == 1:
            return ""
        return f" on {self.places[number] if self.has_neutral else f'L{number + 1}'}"


# By what carries the current back; of two wires both are phases.
CIRCUITS: dict[str, CircuitKind] = {
    "dc": CircuitKind(2, 2, 2, 1.0, ("DC +", "DC −")),
    "single": CircuitKind(1, 2, 2, 1.0, ("L1", "N", "PE"), ("phase 1",), "phase", "one phase", "single phase"),
    "split": CircuitKind(
        2, 2, 2, 1.0, ("L1", "L2", "N", "PE"), ("leg 1", "leg 2"), "leg", "split phase", "split phase"
    ),
    "three": CircuitKind(
        3, 3, 4, 3.0, ("L1", "L2", "L3", "N", "PE"), ("phase 1", "phase 2", "phase 3"), "phase", "three phases",
        "three phase",
    ),
    "two-wire": CircuitKind(2, 2, 2, 1.0, ("L1", "L2", "PE")),
    "three-wire": CircuitKind(
        3, 3, 3, sqrt(3.0), ("L1", "L2", "L3", "PE"), ("L1–L2", "L2–L3", "L3–L1"), "phase pair",
        "three phases without neutral", "three phase without neutral",
    ),
}  # fmt: skip
