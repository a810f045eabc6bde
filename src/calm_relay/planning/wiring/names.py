"""What cables are called: by the parts at their ends."""

from calm_relay.planning.architecture.topology import Edge, Topology


def name_of(edge: Edge, topology: Topology) -> str:
    """A cable's name, with a capital."""
    start, end = _end(edge.start, topology), _end(edge.end, topology)
    if edge.kind == "string":
        unit = topology.node(edge.start).title
        return f"Strings {topology.node(edge.end).title}, input {edge.end.rsplit('/', 1)[1]} of {unit}"
    if edge.kind == "pack":
        return f"Battery busbar to each pack, {topology.node(edge.end).title}"
    if edge.kind == "branch":
        end = f"microinverters of {end}"
    name = f"{start} to {end}"
    return f"{name[:1].upper()}{name[1:]}"


def _end(key: str, topology: Topology) -> str:
    node = topology.node(key)
    if node.kind in ("board", "meter", "grid", "changeover", "generator", "battery bus"):
        return node.title[:1].lower() + node.title[1:]
    return node.title
