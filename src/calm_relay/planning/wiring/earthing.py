"""Conductors to earth of parts whose cables bring none: frames of arrays, and cabinets of batteries."""

from dataclasses import dataclass

from calm_relay.job.wires import WireSize, WireTables
from calm_relay.planning.architecture.topology import Edge, Topology
from calm_relay.planning.wiring.cable import Cable


@dataclass(frozen=True)
class Bond:
    """A conductor to earth: its least size, how long it is beside its part's cable [m], and by which clause."""

    edge: Edge
    size: WireSize
    length_m: float
    length_assumed: bool
    clause: str


def bonds_of(topology: Topology, cables: dict[str, Cable], tables: WireTables) -> tuple[Bond, ...]:
    """Every conductor to earth of a design that a part has for itself.

    Parameters
    ----------
    topology : Topology
        Parts and cables.
    cables : dict of str to Cable
        Sized cables by the keys of their edges; what has none that was seen is left out.
    tables : WireTables
        The region's.
    """
    found = []
    for edge in topology.edges:
        beside = next((item for item in topology.towards_grid(edge.start)[:1]), None)
        cable = cables.get(beside.key) if beside is not None else None
        if (
            edge.kind != "earth"
            or cable is None
            or cable.size is None
            or topology.node(edge.start).kind == "board"
        ):
            continue
        if topology.node(edge.start).kind == "array":
            size, clause = tables.size(tables.bonding.frames), tables.bonding.clause
        else:
            device = cable.device.amps if cable.device is not None else None
            size, clause = tables.bonding_size(cable.size, device), tables.bonding.device_clause
        found.append(
            Bond(edge, size, cable.laid.length_m, "length_m" in cable.laid.assumed, f"{clause}, from memory")
        )
    return tuple(found)
