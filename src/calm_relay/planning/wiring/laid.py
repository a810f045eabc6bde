"""How each cable lies: as the job states it, else as is usual for what it is for, marked assumed."""

from dataclasses import dataclass

from calm_relay.job.wires import WireTables
from calm_relay.job.wiring import Insulation, Laying, Material, Route
from calm_relay.planning.architecture.topology import Edge, EdgeKind

# Length one way [m] where nobody measured: common practice, no source.
LENGTH_M: dict[EdgeKind, float] = {
    "service": 15.0,
    "feeder": 4.0,
    "unit": 8.0,
    "branch": 20.0,
    "string": 20.0,
    "battery": 2.5,
    "pack": 1.0,
    "generator": 15.0,
    "car charger": 8.0,
}
# Around cables under modules on a summer's day: EN 50618, the temperature its ratings are stated for.
ROOF_C = 60.0
DC_KINDS = ("string", "battery", "pack")


@dataclass(frozen=True)
class Laid:
    """A route with nothing left open; `assumed` names the fields that nobody stated."""

    length_m: float
    laying: Laying
    grouped: int
    ambient_c: float
    material: Material
    insulation: Insulation
    parallel: int
    assumed: frozenset[str]


def _usual_laying(kind: EdgeKind, tables: WireTables) -> Laying:
    if kind == "string":
        return tables.dc_laying
    return "in free air" if kind in DC_KINDS else "in conduit on a wall"


def _usual_insulation(kind: EdgeKind, laying: Laying, tables: WireTables) -> Insulation:
    if kind == "string":
        return "PV cable" if laying == "on the roof" else "90 °C"
    return "90 °C" if kind in DC_KINDS else tables.ac_insulation


def reference_c(laying: Laying, insulation: Insulation, tables: WireTables) -> float:
    """The temperature that the table's figures for a way of laying hold for [degC]."""
    alike = [item for item in tables.capacities if item.laying == laying]
    exact = next((item for item in alike if item.insulation == insulation), None)
    found = exact or next(iter(alike), None)
    return found.reference_c if found is not None else 30.0


def laid_of(edge: Edge, route: Route, tables: WireTables) -> Laid:
    """How a cable lies.

    Parameters
    ----------
    edge : Edge
        The cable.
    route : Route
        What the job states of it.
    tables : WireTables
        The region's, from which the usual follows.
    """
    assumed = {
        name
        for name in ("length_m", "laying", "grouped", "ambient_c", "material", "insulation")
        if getattr(route, name) is None
    }
    if route.length_m is not None and not route.measured:
        assumed.add("measured")
    laying = route.laying or _usual_laying(edge.kind, tables)
    insulation = route.insulation or _usual_insulation(edge.kind, laying, tables)
    ambient = ROOF_C if laying == "on the roof" else reference_c(laying, insulation, tables)
    return Laid(
        LENGTH_M[edge.kind] if route.length_m is None else route.length_m,
        laying,
        (min(edge.runs, 20) if edge.kind == "string" else 1) if route.grouped is None else route.grouped,
        ambient if route.ambient_c is None else route.ambient_c,
        route.material or "copper",
        insulation,
        route.parallel,
        frozenset(assumed),
    )
