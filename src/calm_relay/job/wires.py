"""Tables of a region's wires as dated data: sizes, what each carries, how that falls, devices and colours."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import Identifier, Line, Model, Name, Positive
from calm_relay.job.laying import Insulation, Laying, Material
from calm_relay.job.own_figures import OwnCapacity, OwnFigures
from calm_relay.job.quantity import length_text, shown_unit

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
    own_sizes: tuple[Name, ...] = Field(
        default=(), max_length=40, description="Sizes whose figures a firm entered."
    )
    own_clause: Line = Field(default="", description="Standard, edition and clause of those.")

    @property
    def way(self) -> tuple[str, str, str, int]:
        """What tells it from others."""
        return self.laying, self.insulation, self.material, self.loaded


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


class Bonding(Model):
    """The least conductors to earth of parts whose cables bring none: frames of an array, and cabinets.

    Of cabinets the device of their cable says it, by the first entry that is large enough; without entries the
    cable's own area does, as in table 54.2 of IEC 60364-5-54.
    """

    frames: Name = Field(description="Size for the frames of an array.")
    clause: Line
    by_device: tuple[tuple[Amps, Name], ...] = Field(default=(), max_length=20)
    device_clause: Line = ""


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
    dwelling_share: float = Field(
        default=1.0,
        gt=0.0,
        le=1.0,
        description="Of the service's rating, what conductors must carry that feed all of a one-family dwelling.",
    )
    dwelling_clause: Line = Field(default="", description="Whose share that is.")
    bonding: Bonding
    ac_insulation: Insulation
    dc_laying: Laying = "on the roof"
    colours: tuple[tuple[Name, Name], ...] = Field(max_length=20, description="Conductor and its colour.")
    symbols: Literal["IEC 60617", "IEEE 315"] = "IEC 60617"
    lengths: Literal["m", "ft"] = Field(default="m", description="In what lengths are told where the tables hold.")
    entered: Line = Field(default="", description="How many figures are a firm's own, and of which standard.")

    @model_validator(mode="after")
    def _bonds_by_its_sizes(self) -> Self:
        names = {size.name for size in self.sizes}
        for name in (self.bonding.frames, *(item[1] for item in self.bonding.by_device)):
            if name not in names:
                raise ValueError(f"bonding: {name!r} is no size of these tables")
        return self

    @model_validator(mode="after")
    def _as_many_figures_as_sizes(self) -> Self:
        for number, capacity in enumerate(self.capacities):
            if len(capacity.amps) != len(self.sizes):
                raise ValueError(
                    f"capacities.{number}.amps: holds {len(capacity.amps)} figures; wanted one for each of "
                    f"{len(self.sizes)} sizes, null where there is none"
                )
        return self

    @property
    def in_gauges(self) -> bool:
        """Whether sizes are gauges, and not areas."""
        return self.sizes[0].name != f"{self.sizes[0].mm2:g}"

    @property
    def in_feet(self) -> bool:
        """Whether lengths are told in feet."""
        return self.lengths == "ft"

    @property
    def length_unit(self) -> tuple[str, float]:
        """In what lengths are counted where these tables hold, and how long one is [m]."""
        return shown_unit("m", self.in_feet)

    def length_words(self, metres: float) -> str:
        """A length with its unit."""
        return length_text(metres, self.in_feet)

    def bonding_size(self, phase: WireSize, device_a: float | None) -> WireSize:
        """The least conductor to earth of a cabinet whose cable has a size and a device [A], None without one."""
        if self.bonding.by_device and device_a is not None:
            named = next((name for amps, name in self.bonding.by_device if amps >= device_a), None)
            return self.size(named or self.bonding.by_device[-1][1])
        if self.bonding.by_device:
            return phase
        wanted = phase.mm2 if phase.mm2 <= 16.0 else 16.0 if phase.mm2 <= 35.0 else phase.mm2 / 2.0
        return next((size for size in self.sizes if size.mm2 >= wanted - 1e-9), self.sizes[-1])

    def breaker_ka(self, fault_ka: float | None) -> float | None:
        """The breaking capacity that a breaker wants where so much flows [kA]; None where none is made for it."""
        return next((made for made in sorted(self.breaking_ka) if made >= (fault_ka or 0.0) - 1e-9), None)

    @property
    def summary(self) -> str:
        """Authority and date, and that it wants checking."""
        memory = ", quoted from memory" if self.from_memory else ""
        entered = f"; {self.entered}" if self.entered else ""
        return f"{self.authority}, {self.dated}{memory}; check locally{entered}"

    def with_own(self, own: OwnFigures) -> "WireTables":
        """With a firm's own figures in place of those that ship; the same where they are for other tables."""
        if own.tables != self.key:
            return self
        rows = {item.way: item for item in self.capacities}
        for stated in own.capacities:
            rows[stated.way] = self._row_of(stated, rows.get(stated.way), own.source)
        factors = {(item.insulation, item.buried): item for item in self.ambient}
        for each in own.ambient:
            key = each.insulation, each.buried
            points = dict(factors[key].points) if key in factors else {}
            points |= {point.at_c: point.factor for point in each.points}
            factors[key] = AmbientFactors.model_construct(
                insulation=each.insulation,
                buried=each.buried,
                points=tuple(sorted(points.items())),
                clause=own.source,
            )
        grouped = dict(self.grouping) | {item.circuits: item.factor for item in own.grouping}
        figures = "1 figure" if own.count == 1 else f"{own.count} figures"
        return self.as_built(
            capacities=tuple(rows.values()),
            ambient=tuple(factors.values()),
            grouping=tuple(sorted(grouped.items())),
            grouping_clause=own.source if own.grouping else self.grouping_clause,
            entered=f"{figures} of {own.source} as the firm entered them",
        )

    def _row_of(self, stated: OwnCapacity, shipped: Capacity | None, source: str) -> Capacity:
        """A way of laying by a firm's figures; what ships fills up where it holds for the same temperature."""
        own = {item.size: item.amps for item in stated.amps}
        same = shipped is not None and shipped.reference_c == stated.reference_c
        usual = shipped.amps if shipped is not None and same else (None,) * len(self.sizes)
        amps = tuple(own.get(size.name, base) for size, base in zip(self.sizes, usual, strict=True))
        return Capacity(
            laying=stated.laying,
            insulation=stated.insulation,
            material=stated.material,
            loaded=stated.loaded,
            reference_c=stated.reference_c,
            amps=amps,
            clause=shipped.clause if shipped is not None else "as entered",
            own_sizes=tuple(own),
            own_clause=f"{source}, {stated.clause}" if stated.clause else source,
        )

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
