"""What hangs on what: parts with terminals, the cables between them, and the current transformers of controls."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from calm_relay.job.circuit_kinds import CIRCUITS

NodeKind = Literal[
    "grid",
    "meter",
    "board",
    "changeover",
    "unit",
    "battery",
    "battery bus",
    "array",
    "branch",
    "generator",
    "car charger",
    "earth",
]
EdgeKind = Literal[
    "service",
    "feeder",
    "unit",
    "branch",
    "string",
    "battery",
    "pack",
    "generator",
    "car charger",
    "data",
    "earth",
]
Status = Literal["new", "there"]

GRID, METER, MAIN, AHEAD, BACKED_UP = "grid", "meter", "main board", "board ahead", "backup board"
CHANGEOVER, GENERATOR, EARTH = "changeover", "generator", "earth"


@dataclass(frozen=True)
class Node:
    """A part with terminals; `unit` is the number of the converter that it is, or hangs on.

    `strings` counts the modules of each string of an array, or those of a branch one by one; `stores` says whether a
    unit has its battery inside; `bonded` how many conductors to earth like parts have, one where they stand together.
    """

    key: str
    kind: NodeKind
    title: str
    detail: str = ""
    status: Status = "new"
    unit: int | None = None
    count: int = 1
    strings: tuple[int, ...] = ()
    stores: bool = False
    bonded: int = 1


@dataclass(frozen=True)
class Edge:
    """A cable from one part to another, away from the grid.

    Attributes
    ----------
    circuit : {"dc", "single", "split", "three", "two-wire", "three-wire"}
        What carries the current back.
    volts : float
        What a voltage drop is a share of: to neutral on three phases, between them where there is none, the lowest
        working voltage of a battery [V].
    amps : float
        What a conductor carries for hours at most [A].
    drop_a : float
        What the voltage drop is reckoned at [A].
    open_v : float
        The highest voltage there is [V].
    runs : int
        Like cables beside each other, one for each of several like parts.
    fed : bool
        Whether a source at the far end drives it: its voltage rises towards that end.
    """

    key: str
    start: str
    end: str
    kind: EdgeKind
    circuit: str = "single"
    volts: float = 0.0
    amps: float = 0.0
    drop_a: float = 0.0
    open_v: float = 0.0
    status: Status = "new"
    unit: int | None = None
    runs: int = 1
    fed: bool = False

    @property
    def is_power(self) -> bool:
        """Whether it carries power, and so has a size."""
        return self.kind not in ("data", "earth")

    @property
    def conductors(self) -> int:
        """Conductors of the cable, with neutral and earth."""
        return CIRCUITS[self.circuit].conductors

    @property
    def loaded(self) -> Literal[2, 3]:
        """Conductors that carry current."""
        return CIRCUITS[self.circuit].loaded


@dataclass(frozen=True)
class CurrentTransformer:
    """Current transformers of a control: on which cable, how many, and which way their arrows point.

    `unit` is None where no unit of the design reads them, `surveyed` what the survey calls those that are there.
    """

    unit: int | None
    edge: str
    count: int
    arrow: str
    sees: tuple[str, ...]
    surveyed: str = ""

    @property
    def key(self) -> str:
        """By which the drawing knows them."""
        return f"CT {self.surveyed if self.unit is None else self.unit}"


@dataclass(frozen=True)
class Topology:
    """Every part of a design and every cable between them."""

    nodes: tuple[Node, ...]
    edges: tuple[Edge, ...]
    transformers: tuple[CurrentTransformer, ...] = ()
    whole_house: bool = False

    @cached_property
    def _nodes(self) -> dict[str, Node]:
        return {node.key: node for node in self.nodes}

    @cached_property
    def _edges(self) -> dict[str, Edge]:
        return {edge.key: edge for edge in self.edges}

    def node(self, key: str) -> Node:
        """A part by its key.

        Raises
        ------
        KeyError
            When there is none.
        """
        return self._nodes[key]

    def edge(self, key: str) -> Edge:
        """A cable by its key.

        Raises
        ------
        KeyError
            When there is none.
        """
        return self._edges[key]

    def brings(self, key: str) -> bool:
        """Whether the works bring a part of this key."""
        return key in self._nodes and self._nodes[key].status == "new"

    @cached_property
    def power_edges(self) -> tuple[Edge, ...]:
        """Cables that carry power."""
        return tuple(edge for edge in self.edges if edge.is_power)

    @cached_property
    def _arriving(self) -> dict[str, Edge]:
        return {edge.end: edge for edge in self.power_edges}

    @cached_property
    def _leaving(self) -> dict[str, tuple[Edge, ...]]:
        found: dict[str, tuple[Edge, ...]] = {}
        for edge in self.power_edges:
            found[edge.start] = (*found.get(edge.start, ()), edge)
        return found

    @cached_property
    def units(self) -> dict[int, Node]:
        """Units, and branches of microinverters, by the numbers of their converters."""
        return {
            node.unit: node for node in self.nodes if node.kind in ("unit", "branch") and node.unit is not None
        }

    @cached_property
    def arrays(self) -> tuple[Node, ...]:
        """Parts that have modules."""
        return tuple(node for node in self.nodes if node.strings)

    @cached_property
    def storing(self) -> frozenset[int]:
        """Numbers of the units that carry a battery."""
        return frozenset(
            node.unit for node in self.nodes if node.unit is not None and (node.kind == "battery" or node.stores)
        )

    @cached_property
    def roof_units(self) -> tuple[int, ...]:
        """Numbers of the units that take the roof's power where there is one way for it.

        The first with modules; with it the other string inverters that carry no battery, or all microinverters.
        """
        with_modules = sorted({node.unit for node in self.arrays if node.unit is not None})
        if not with_modules:
            return ()
        first = with_modules[0]
        if first in self.storing:
            return (first,)
        kind = self.units[first].kind
        return tuple(n for n in with_modules if self.units[n].kind == kind and n not in self.storing)

    def beside_units(self, lead: int | None) -> tuple[tuple[int, ...], ...]:
        """Numbers of the units that join at the AC side beside those of the roof: `lead` first, then the others.

        Two groups at most: more than one other stand together.
        """
        beside = sorted((n for n in self.units if n not in self.roof_units), key=lambda n: (n != lead, n))
        return tuple((n,) for n in beside) if len(beside) < 3 else ((beside[0],), tuple(beside[1:]))

    def children(self, key: str) -> tuple[Edge, ...]:
        """Power cables that leave a part, away from the grid."""
        return self._leaving.get(key, ())

    def towards_grid(self, key: str) -> tuple[Edge, ...]:
        """Power cables from a part to the grid, the nearest first."""
        path: list[Edge] = []
        edge = self._arriving.get(key)
        while edge is not None:
            path.append(edge)
            edge = self._arriving.get(edge.start)
        return tuple(path)


def edge_key(start: str, end: str) -> str:
    """The name of a cable: of the parts at its ends."""
    return f"{start} > {end}"
