"""Tables of a region's wires as dated data: sizes, what each carries, how that falls, devices and colours."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import Identifier, Line, Model, Name, Positive
from calm_relay.job.wiring import Insulation, Laying, Material

Amps = Annotated[float, Field(gt=0.0, le=10_000.0)]
Factor = Annotated[float, Field(gt=0.0, le=3.0)]
Degrees = Annotated[float, Field(ge=-60.0, le=150.0)]
Circuits = Annotated[int, Field(ge=1, le=100)]


class WireSize(Model):
    """One size: its area, and what a kilometre of it resists at 20 degC."""

    name: Name
    mm2: Positive = Field(le=1000)
    copper: Positive | None = Field(default=None, description="Stranded copper [ohm/km].")
    flexible: Positive | None = Field(
        default=None, description="Flexible copper, of strings and batteries [ohm/km]."
    )
    aluminium: Positive | None = Field(default=None, description="Stranded aluminium [ohm/km].")
    breaker_most_a: Positive | None = Field(default=None, description="Largest device that may protect it.")


class Capacity(Model):
    """What each size carries in one way of laying, by the order of the pack's sizes; None where there is no figure."""

    laying: Laying
    insulation: Insulation
    material: Material = "copper"
    loaded: Literal[2, 3]
    reference_c: float = Field(description="Temperature around it that the figures hold for.")
    amps: tuple[Amps | None, ...] = Field(max_length=40)
    clause: Line


class AmbientFactors(Model):
    """What another temperature leaves or adds: factors at temperatures, between which they are read off a line."""

    insulation: Insulation
    buried: bool = False
    points: tuple[tuple[Degrees, Factor], ...] = Field(min_length=2, max_length=30)
    clause: Line


class DeviceSize(Model):
    """A breaker or fuse of a series; `let_through_a2s` is the energy it passes in a short circuit, None: not stated.

    A breaker passes it in a short circuit of up to 6 kA, and other energies up to 3 and 10 kA.
    """

    amps: Positive
    let_through_a2s: Positive | None = None
    let_through_3ka: Positive | None = None
    let_through_10ka: Positive | None = None

    def lets_through(self, fault_ka: float | None) -> float | None:
        """Energy it passes in a short circuit of so much [A2s]; None where it is not stated.

        A current that nobody stated is taken to be at most 6 kA; where an energy is not stated, the next larger counts.
        """
        if fault_ka is not None and fault_ka > 6.0:
            return self.let_through_10ka or self.let_through_a2s
        if fault_ka is not None and fault_ka <= 3.0:
            return self.let_through_3ka or self.let_through_a2s
        return self.let_through_a2s


class WireTables(Model):
    """The tables of one region's wiring rules."""

    key: Identifier
    name: Name
    authority: Line
    dated: str = Field(pattern=r"^\d{4}-\d{2}(-\d{2})?$")
    from_memory: bool = True
    note: Line = ""
    sizes: tuple[WireSize, ...] = Field(min_length=3, max_length=40)
    capacities: tuple[Capacity, ...] = Field(min_length=1, max_length=80)
    ambient: tuple[AmbientFactors, ...] = Field(min_length=1, max_length=20)
    grouping: tuple[tuple[Circuits, Factor], ...] = Field(min_length=1, max_length=30)
    grouping_clause: Line
    breakers: tuple[DeviceSize, ...] = Field(min_length=1, max_length=60)
    fuses: tuple[DeviceSize, ...] = Field(min_length=1, max_length=60)
    breaking_ka: tuple[Annotated[float, Field(gt=0.0, le=300.0)], ...] = Field(
        default=(6.0, 10.0),
        min_length=1,
        max_length=6,
        description="Short circuits that breakers are made for [kA].",
    )
    next_size_up: bool = Field(
        default=False, description="A cable may have the next breaker of the series above what it carries."
    )
    ac_insulation: Insulation
    dc_laying: Laying = "on the roof"
    colours: tuple[tuple[Name, Name], ...] = Field(max_length=20, description="Conductor and its colour.")
    symbols: Literal["IEC 60617", "IEEE 315"] = "IEC 60617"

    @model_validator(mode="after")
    def _as_many_figures_as_sizes(self) -> Self:
        for number, capacity in enumerate(self.capacities):
            if len(capacity.amps) != len(self.sizes):
                raise ValueError(
                    f"capacities.{number}.amps: holds {len(capacity.amps)} figures; wanted one for each of "
                    f"{len(self.sizes)} sizes, null where there is none"
                )
        return self

    def breaker_ka(self, fault_ka: float | None) -> float | None:
        """The breaking capacity that a breaker wants where so much flows [kA]; None where none is made for it."""
        return next((made for made in sorted(self.breaking_ka) if made >= (fault_ka or 0.0) - 1e-9), None)

    @property
    def summary(self) -> str:
        """Authority and date, and that it wants checking."""
        memory = ", quoted from memory" if self.from_memory else ""
        return f"{self.authority}, {self.dated}{memory}; check locally"

    def size(self, name: str) -> WireSize:
        """A size by its name.

        Raises
        ------
        KeyError
            When the tables have no such size.
        """
        found = next((size for size in self.sizes if size.name == name), None)
        if found is None:
            raise KeyError(name)
        return found
