"""The whole house against its service, by the method for a dwelling that is built or for one that stands."""

from typing import get_args

from calm_relay.job.backup_board import CountsAs
from calm_relay.job.model import Job
from calm_relay.physics.dwelling import (
    OTHER_FROM_VA,
    dwelling_by_area_va,
    existing_dwelling_va,
    optional_dwelling_va,
)
from calm_relay.planning.equipment.rules import InForce, Rules
from calm_relay.planning.findings.base import Finding, Subject, grid_check, stops_if
from calm_relay.planning.site.demand import DemandYear

BY_AREA = "area dwelling share"
METHODS = {
    "dwelling share": "new dwelling",
    "existing dwelling share": "dwelling that stands",
    BY_AREA: "dwelling by its area",
}


def dwelling_rule(rules: Rules, job: Job) -> InForce | None:
    """The rule by which a region counts a dwelling: by its area, or a method each for one that is new or stands."""
    stands = job.backup_board is None or job.backup_board.dwelling == "existing"
    return rules.of(BY_AREA) or rules.of("existing dwelling share" if stands else "dwelling share")


def _nameplates(job: Job, demand: DemandYear) -> list[tuple[CountsAs, float]]:
    """What each circuit that is more than floor area counts as, and its nameplate [VA]."""
    peaks = {part.name: float(part.kw.max()) for part in demand.parts}
    rated = {load.name: load.kw for load in job.demand.loads}
    rated |= {car.name: car.charger_kw for car in job.demand.cars}
    rated |= {water.name: water.element_kw for water in job.demand.hot_water}
    rated |= {item.name: item.kw for item in job.demand.flexible}
    rated |= {pump.name: pump.most_kw for pump in job.demand.heat_pumps if pump.is_controlled and pump.most_kw}
    found: list[tuple[CountsAs, float]] = []
    for circuit in job.board.circuits:
        if circuit.counts_as != "floor area":
            own = sum(rated.get(name, peaks.get(name, 0.0)) for name in circuit.loads)
            kva = own if circuit.nameplate_kva is None else circuit.nameplate_kva
            found.append((circuit.counts_as, 1000.0 * kva))
    return found


def dwelling_va(job: Job, demand: DemandYear, kind: str, rest: float) -> float | None:
    """Load of the job's house by the method of a kind of rule [VA]; None without a floor area."""
    backup_board = job.backup_board
    if backup_board is None or backup_board.floor_m2 is None:
        return None
    plates = _nameplates(job, demand)
    kinds = {one: sum(va for counted, va in plates if counted == one) for one in get_args(CountsAs)}
    if kind == BY_AREA:
        # What draws little is held by the area.
        others_va = sum(va for counted, va in plates if counted == "appliance" and va > OTHER_FROM_VA)
        heating_va = kinds["heat pump"] + kinds["heating"]
        return dwelling_by_area_va(
            backup_board.floor_m2,
            kinds["range"],
            others_va,
            kinds["counted whole"],
            kinds["cooling"],
            heating_va,
            rest,
        )
    kinds["appliance"] += kinds["range"] + kinds["counted whole"]
    if backup_board.dwelling == "existing":
        return existing_dwelling_va(
            backup_board.floor_m2,
            backup_board.small_circuits,
            kinds["appliance"],
            kinds["cooling"],
            kinds["heat pump"] + kinds["heating"],
            rest,
        )
    return optional_dwelling_va(
        backup_board.floor_m2,
        backup_board.small_circuits,
        kinds["appliance"],
        kinds["cooling"],
        kinds["heat pump"],
        kinds["heating"],
        backup_board.heating_parts,
        rest,
    )


@grid_check
def check_service(subject: Subject) -> list[Finding]:
    """The dwelling's load by its region's method must pass its service."""
    job = subject.job
    if job.backup_board is None:
        return []
    rule = dwelling_rule(subject.rules, job)
    if rule is None:
        return []
    load_va = dwelling_va(job, subject.context.demand, rule.rule.kind, rule.limit)
    if load_va is None:
        return []
    amps, service_a = load_va / job.supply.volts, job.supply.main_fuse_a
    over = amps > service_a
    method = METHODS[rule.rule.kind]
    sentence = (
        f"By the method for a {method} the house counts as {load_va:,.0f} VA, {amps:.0f} A at {job.supply.volts:g} V; "
        f"its service is {service_a:g} A."
    )
    return [
        stops_if(
            over,
            "service",
            "Grid",
            "supply.main_fuse_a",
            sentence,
            reading=(amps, service_a, "A"),
            rule=rule.authority,
        )
    ]
