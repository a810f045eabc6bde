"""The wiring list: every cable from where to where, its cores and their colours, length, terminals and protection."""

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.wires import WireTables
from calm_relay.planning.architecture.topology import Edge
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.wiring.cable import Cable, size_words
from calm_relay.planning.wiring.earthing import Bond
from calm_relay.planning.wiring.wiring import WiringPlan

HEAD = (
    "option", "from", "to", "status", "cables", "cores", "size", "conductor", "insulation bears", "colours", "length m",
    "length is", "laid", "terminals", "protection", "amps for hours", "voltage drop %", "sized by", "table",
)  # fmt: skip
FINE = 35.0


def earth_core(tables: WireTables) -> str:
    """What the region calls the protective conductor."""
    known = dict(tables.colours)
    return next((name for name in ("PE", "EGC", "Bonding") if name in known), "PE")


def colours_of(edge: Edge, tables: WireTables) -> str:
    """Colours of a cable's cores by the region; a core that the region names otherwise is that."""
    known = dict(tables.colours)
    earth = earth_core(tables)
    result = []
    for core in CIRCUITS[edge.circuit].cores:
        name = earth if core == "PE" else core
        result.append(f"{name} {known.get(name, 'as the local code says')}")
    return "; ".join(result)


def terminals_of(cable: Cable) -> str:
    """What the ends of a cable are finished with: common practice, no source."""
    kind = cable.edge.kind
    if kind == "string":
        return "PV connectors of the modules' own make and type"
    if kind in ("battery", "pack"):
        return "pressed lugs, insulated, as the battery's maker says"
    if cable.size is not None and cable.size.mm2 > FINE:
        return "pressed lugs"
    return "ferrules on fine strands, none on solid or coarse ones"


def _row(option: Option, cable: Cable, plan: WiringPlan) -> list[str | float | None]:
    edge, laid = cable.edge, cable.laid
    device = f"{cable.device.amps:g} A {cable.device_kind}" if cable.device is not None else ""
    if edge.kind == "string" and cable.device is None:
        device = "isolator"
    status = "there today" if edge.status == "there" else "new"
    source = (
        "assumed" if "length_m" in laid.assumed else "measured" if "measured" not in laid.assumed else "stated"
    )
    if plan.tables.in_gauges:
        source += f", {plan.tables.length_words(laid.length_m)}"
    size = size_words(cable.size) if cable.size is not None and not cable.is_there else "not seen"
    return [
        option.title,
        plan.topology.node(edge.start).title,
        plan.topology.node(edge.end).title,
        status,
        float(edge.runs * laid.parallel),
        float(edge.conductors),
        size,
        laid.material,
        laid.insulation,
        colours_of(edge, plan.tables),
        laid.length_m,
        source,
        laid.laying,
        terminals_of(cable),
        device,
        round(edge.amps, 2),
        round(cable.drop_share * 100.0, 2),
        "as typed" if cable.typed else cable.binding,
        cable.clause,
    ]


def _bond_row(option: Option, bond: Bond, plan: WiringPlan) -> list[str | float | None]:
    core, topology = earth_core(plan.tables), plan.topology
    colour = dict(plan.tables.colours).get(core, "as the local code says")
    return [
        option.title,
        topology.node(bond.edge.start).title,
        topology.node(bond.edge.end).title,
        "there today" if bond.edge.status == "there" else "new",
        float(bond.edge.runs),
        1.0,
        size_words(bond.size),
        "copper",
        "",
        f"{core} {colour}",
        bond.length_m,
        "assumed" if bond.length_assumed else "as the cable beside it",
        "beside its cable",
        "pressed lugs, as the part's maker says",
        "",
        None,
        None,
        "least for earthing",
        bond.clause,
    ]


def wiring_rows(options: tuple[Option, ...]) -> list[list[str | float | None]]:
    """Every cable of some options as rows of a table, with a head."""
    rows: list[list[str | float | None]] = [list(HEAD)]
    for option in options:
        plan = option.wiring
        if plan is not None:
            rows += [_row(option, cable, plan) for cable in plan.cables]
            rows += [_bond_row(option, bond, plan) for bond in plan.bonds]
    return rows
