"""What follows from the phases of a circuit: its conductors, what opens them, and what its power is."""

from typing import Literal, NamedTuple

Phases = Literal["single", "split", "three"]


class CircuitKind(NamedTuple):
    """A kind of circuit.

    `live` counts the conductors that are not at earth's potential, `loaded` those that carry the current, `poles` what
    a breaker or a changeover opens. Its power is `lines` times volts times the amps of one conductor: volts are to
    neutral on three phases, and between the legs of a split. `leg` is what a live conductor is called, `name` the
    service.
    """

    live: int
    loaded: Literal[2, 3]
    poles: int
    lines: int
    cores: tuple[str, ...]
    leg: str = ""
    name: str = ""

    @property
    def conductors(self) -> int:
        """Conductors of a cable, with neutral and earth."""
        return len(self.cores)


# By what carries the current back.
CIRCUITS: dict[str, CircuitKind] = {
    "dc": CircuitKind(2, 2, 2, 1, ("DC +", "DC −")),
    "single": CircuitKind(1, 2, 2, 1, ("L1", "N", "PE"), "phase", "one phase"),
    "split": CircuitKind(2, 2, 2, 1, ("L1", "L2", "N", "PE"), "leg", "split phase"),
    "three": CircuitKind(3, 3, 4, 3, ("L1", "L2", "L3", "N", "PE"), "phase", "three phases"),
}
