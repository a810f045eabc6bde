"""The board: circuits, what hangs on them, and what becomes of each when the grid fails."""

from itertools import pairwise
from typing import Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import Fraction, Line, Model, Name, Positive

Leg = Literal["1", "2", "3", "across"]
# Legs that circuits of a service may hang on; on a single phase nobody asks.
LEGS: dict[str, tuple[Leg, ...]] = {
    "split": ("1", "2", "across"),
    "three": ("1", "2", "3", "across"),
    "three-wire": ("1", "2", "3", "across"),
}
Role = Literal["backed up", "shed", "grid only"]
CountsAs = Literal["floor area", "appliance", "range", "counted whole", "cooling", "heat pump", "heating"]


class Circuit(Model):
    """One circuit: its breaker, the leg or phase it hangs on, its loads, and its part in an outage.

    `leg` is "across" for 240 V of a split supply and for three-phase circuits; "1" is L1–L2 without neutral.
    A circuit that is shed goes below `shed_below` of the battery's charge and comes back 10 points above it.
    """

    name: Line = Field(min_length=1, max_length=60)
    breaker_a: Positive = Field(default=16, le=400)
    leg: Leg | None = Field(default=None, description="Needed on split and three-phase supplies.")
    loads: tuple[Name, ...] = Field(default=(), max_length=20, description="Loads of the demand, by name.")
    house_share: Fraction = Field(default=0.0, description="Share of the house's own demand.")
    role: Role = "backed up"
    shed_below: Fraction = Field(default=0.0, description="State of charge below which it is shed; 1: always.")
    priority: int = Field(default=5, ge=1, le=9, description="1 is kept longest.")
    soft_start: bool = Field(default=False, description="Its motors start softly.")
    nameplate_kva: Positive | None = Field(default=None, le=500, description="None: what its loads draw.")
    counts_as: CountsAs = Field(
        default="floor area",
        description="In the dwelling's load for the service; counted whole where a region does so with car chargers, "
        "tankless water heaters, heaters of pools and tubs.",
    )


class BackupBoard(Model):
    """Every circuit of the house; without circuits the whole house hangs behind the relay."""

    circuits: tuple[Circuit, ...] = Field(min_length=1, max_length=60)
    floor_m2: Positive | None = Field(
        default=None,
        le=10_000,
        description="For the dwelling's load by the optional method.",
    )
    dwelling: Literal["new", "existing"] = Field(
        default="existing", description="Whether the dwelling is built or stands: each has a method of its own."
    )
    small_circuits: int = Field(default=3, ge=0, le=20, description="Small-appliance and laundry circuits.")
    heating_parts: int = Field(default=1, ge=1, le=40, description="Parts of the heating with own control.")

    @model_validator(mode="after")
    def _shares_and_names(self) -> Self:
        names = [circuit.name for circuit in self.circuits]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"circuits: {twice!r} stands twice; wanted each once")
        share = sum(circuit.house_share for circuit in self.circuits)
        if share > 1.0 + 1e-9:
            raise ValueError(f"circuits: house shares add up to {share:.0%}; wanted at most 100%")
        loads = [load for circuit in self.circuits for load in circuit.loads]
        again = next((load for load in loads if loads.count(load) > 1), None)
        if again is not None:
            raise ValueError(f"circuits: {again!r} hangs on two circuits; wanted one")
        return self

    @model_validator(mode="after")
    def _shed_in_order(self) -> Self:
        # One that is shed at any charge is shed for its power, whatever its priority.
        shed = [c for c in self.circuits if c.role == "shed" and c.shed_below < 1.0]
        shed.sort(key=lambda circuit: circuit.priority)
        for kept, first in pairwise(shed):
            if kept.priority < first.priority and kept.shed_below > first.shed_below:
                raise ValueError(
                    f"circuits: {kept.name!r} is to be kept longer than {first.name!r} but is shed at a higher "
                    f"charge, {kept.shed_below:.0%} against {first.shed_below:.0%}"
                )
        return self

    def on_legs_of(self, phases: str) -> Self:
        """The circuits on legs that a service has: one on a leg that is not there hangs on the first."""
        legs = LEGS.get(phases)
        if legs is None:
            return self
        return self.with_(
            circuits=tuple(
                circuit if circuit.leg in legs else circuit.with_(leg=legs[0]) for circuit in self.circuits
            )
        )


__all__ = ["LEGS", "BackupBoard", "Circuit", "CountsAs"]
