"""The wiring of a design: every cable of its topology with size and protection."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.demand import ShapedDemand
from calm_relay.job.model import Job
from calm_relay.job.wires import WireTables
from calm_relay.job.wiring import Route
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.architecture.design import Converter, Design, DesignContext
from calm_relay.planning.architecture.topology import (
    BACKED_UP,
    CHANGEOVER,
    CurrentTransformer,
    Edge,
    Topology,
)
from calm_relay.planning.equipment.rules import InForce, Rules
from calm_relay.planning.strings.stringing import fusing_of
from calm_relay.planning.wiring.cable import Cable, Limits, size_cable
from calm_relay.planning.wiring.earthing import Bond, bonds_of
from calm_relay.planning.wiring.laid import laid_of
from calm_relay.planning.wiring.protection import FUSE_FACTOR, FUSED, device_of

DROP_RULE = {
    "string": "string drop",
    "battery": "battery drop",
    "pack": "battery drop",
    "car charger": "string drop",
}
AC_DROP, RISE, FACTOR = "AC drop", "voltage rise", "continuous factor"
# Share of the rise that is left to a unit's own cable whatever the cables before it take.
OWN_RISE = 0.3


@dataclass(frozen=True, eq=False)
class WiringPlan:
    """Every cable of a design."""

    topology: Topology
    cables: tuple[Cable, ...]
    tables: WireTables
    rules: Rules

    @cached_property
    def _by_key(self) -> dict[str, Cable]:
        return {cable.edge.key: cable for cable in self.cables}

    def cable(self, key: str) -> Cable:
        """A cable by the key of its edge.

        Raises
        ------
        KeyError
            When there is none.
        """
        return self._by_key[key]

    def reach_m(self, item: CurrentTransformer) -> float:
        """How far current transformers are from the unit that reads them, along the cables [m].

        Raises
        ------
        KeyError
            When no unit reads them.
        """
        if item.unit is None:
            raise KeyError(item.key)
        way = self.topology.towards_grid(self.topology.units[item.unit].key)
        keys = [edge.key for edge in way if edge.kind != "service"]
        if item.edge in keys:
            keys = keys[: keys.index(item.edge) + 1]
        return sum(self.cable(key).laid.length_m for key in keys)

    @cached_property
    def bonds(self) -> tuple[Bond, ...]:
        """Conductors to earth of frames and cabinets."""
        return bonds_of(self.topology, self._by_key, self.tables)

    def rise_share(self, key: str) -> float:
        """By how much the voltage of a source rises above the meter's, share of it, with all sources at full power."""
        own = self.cable(key)
        return own.rise_share + sum(self._by_key[edge.key].rise_share for edge in self._ahead(own))

    def _ahead(self, cable: Cable) -> tuple[Edge, ...]:
        path = self.topology.towards_grid(cable.edge.start)
        return tuple(edge for edge in path if edge.kind != "service" and edge.key in self._by_key)


def drop_rule(rules: Rules, edge: Edge) -> InForce | None:
    """The rule on a cable's voltage drop; None where the region has none."""
    return rules.of(DROP_RULE.get(edge.kind, AC_DROP))


def _continuous(rules: Rules) -> float:
    held = rules.of(FACTOR)
    return 1.0 if held is None else held.limit


def _needed_a(edge: Edge, factor: float) -> float:
    if edge.kind in FUSED:
        return edge.amps * max(factor, FUSE_FACTOR)
    if edge.kind in ("service", "feeder"):
        return edge.amps
    return edge.amps * factor


# Services of a dwelling whose conductors may be smaller than their rating [A]: NEC 310.12, from memory.
DWELLING_A = (100.0, 400.0)
DWELLINGS = ("household", "all-electric")


def _feeds_dwelling(edge: Edge, topology: Topology, job: Job) -> bool:
    """Whether a cable carries the whole service of a house of one phase or two legs; shops and farms are none."""
    supply, demand = job.supply, job.demand
    if isinstance(demand, ShapedDemand) and demand.shape not in DWELLINGS:
        return False
    if edge.kind != "feeder" or supply.circuit.has_three_phases or edge.amps < supply.main_fuse_a - 1e-9:
        return False
    whole = edge.end != BACKED_UP and (edge.end != CHANGEOVER or topology.whole_house)
    return whole and DWELLING_A[0] <= supply.main_fuse_a <= DWELLING_A[1]


def _string_fuse_a(converter: Converter, edge: Edge, context: DesignContext) -> float | None:
    """The fuse of an input's strings where they need one by the job's school."""
    number = int(edge.end.rsplit("/", 1)[1])
    method = "NEC" if context.survey.wires is not None and context.survey.wires.in_gauges else "IEC"
    for item in converter.stringing.inputs:
        if item.number == number:
            fusing = fusing_of(item, method)
            return fusing.size_a if fusing is not None and fusing.needed(context.job.fuse_school) else None
    return None


def route_of(edge: Edge, design: Design, job: Job) -> Route:
    """What the job states of a cable, with the circuit of an inverter that is there as it was surveyed."""
    route = job.wiring.route(edge.key)
    surveyed = design.converters[edge.unit].surveyed if edge.unit is not None else None
    if edge.kind != "unit" or surveyed is None:
        return route
    seen = surveyed.circuit
    changes: dict[str, Any] = {}
    if route.size is None and seen.size is not None:
        changes |= {"size": seen.size, "material": route.material or seen.material}
    if route.protect_a is None and seen.breaker_a is not None:
        changes["protect_a"] = seen.breaker_a
    return route.with_(**changes) if changes else route


def wiring_of(design: Design, context: DesignContext, topology: Topology | None = None) -> WiringPlan | None:
    """Sizes every cable of a design.

    Parameters
    ----------
    design : Design
        What is built, or stands there today.
    context : DesignContext
        Its job, rules and tables of wires.
    topology : Topology, optional
        What hangs on what in it, where that is known.

    Returns
    -------
    WiringPlan or None
        None where the region has no tables of wires.
    """
    tables = context.survey.wires
    if tables is None:
        return None
    topology = topology_of(design, context) if topology is None else topology
    factor = _continuous(context.rules)
    rise = context.rules.of(RISE)
    export_a = _exported_a(topology, _most_exported(design, context.job))
    cables: dict[str, Cable] = {}
    for edge in topology.power_edges:
        if edge.kind == "service":
            continue
        route = route_of(edge, design, context.job)
        drop = drop_rule(context.rules, edge)
        rise_a = edge.drop_a if edge.kind in ("unit", "branch") else export_a.get(edge.key, 0.0)
        left = None
        if rise is not None and edge.kind in ("unit", "branch"):
            ahead = sum(
                cables[item.key].rise_share for item in topology.towards_grid(edge.start) if item.key in cables
            )
            left = max(rise.limit - ahead, OWN_RISE * rise.limit)
        # A generator and what is behind a battery's unit drive no grid.
        on_grid = context.job.supply.on_grid
        limits = Limits(
            _needed_a(edge, factor),
            None if drop is None else drop.limit,
            left if on_grid else None,
            rise_a if on_grid else 0.0,
            context.job.supply.short_circuit_ka if edge.circuit != "dc" else None,
            tables.dwelling_share if _feeds_dwelling(edge, topology, context.job) else 1.0,
        )
        string_fuse = None
        if edge.kind == "string" and edge.unit is not None:
            string_fuse = _string_fuse_a(design.converters[edge.unit], edge, context)

        device, kind = device_of(edge, route, tables, limits.needed_a, string_fuse)
        laid = laid_of(edge, route, tables)
        cables[edge.key] = size_cable(edge, route.size, laid, limits, tables, device, kind)
    return WiringPlan(topology, tuple(cables.values()), tables, context.rules)


def _most_exported(design: Design, job: Job) -> float:
    """Share of all sources' power that may leave the site at once: a limiter holds the rest back."""
    limit, able = job.tariff.export_limit_kw, sum(unit.inverter.ac_kw for unit in design.converters)
    return 1.0 if limit is None or able <= 0.0 else min(limit / able, 1.0)


def _exported_a(topology: Topology, share: float) -> dict[str, float]:
    """Current of all sources behind each feeder at full power, as far as it may leave the site [A]."""
    result: dict[str, float] = {}
    for edge in topology.power_edges:
        if edge.kind not in ("unit", "branch"):
            continue
        for ahead in topology.towards_grid(edge.start):
            amps = edge.drop_a * edge.runs * share
            if edge.circuit == "single" and ahead.circuit == "three" and edge.runs % 3 == 0:
                amps /= 3.0
            elif edge.circuit == "two-wire" and ahead.circuit == "three-wire" and edge.runs % 3 == 0:
                amps /= CIRCUITS["three-wire"].factor
            result[ahead.key] = result.get(ahead.key, 0.0) + amps
    return result
