"""What hangs on what: parts with terminals, the cables between them, and the current transformers of controls."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

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
    "earth",
]
EdgeKind = Literal[
    "service", "feeder", "unit", "branch", "string", "battery", "pack", "generator", "data", "earth"
]
Status = Literal["new", "there"]
CONDUCTORS = {"dc": 2, "single": 3, "split": 4, "three": 5}
LOADED: dict[str, Literal[2, 3]] = {"dc": 2, "single": 2, "split": 2, "three": 3}

GRID, METER, MAIN, AHEAD, BACKED_UP = "grid", "meter", "main board", "board ahead", "backup board"
CHANGEOVER, GENERATOR, EARTH = "changeover", "generator", "earth"


@dataclass(frozen=True)
class Node:
    """A part with terminals; `unit` is the number of the converter that it is, or hangs on."""

    key: str
    kind: NodeKind
    title: str
    detail: str = ""
    status: Status = "new"
    unit: int | None = None
    count: int = 1


@dataclass(frozen=True)
class Edge:
    """A cable from one part to another, away from the grid.

    Attributes
    ----------
    circuit : {"dc", "single", "split", "three"}
        What carries the current back.
    volts : float
        What a voltage drop is a share of: to neutral on three phases, the lowest working voltage of a battery [V].
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
        return CONDUCTORS[self.circuit]

    @property
    def loaded(self) -> Literal[2, 3]:
        """Conductors that carry current."""
        return LOADED[self.circuit]


@dataclass(frozen=True)
class CurrentTransformer:
    """Current transformers of a control: on which cable, how many, and which way their arrows point."""

    unit: int
    edge: str
    count: int
    arrow: str
    sees: tuple[str, ...]


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
