"""The whole house against its service, by the method for a dwelling that is built or for one that stands."""

from calm_relay.job.model import Job
from calm_relay.physics.dwelling import existing_dwelling_va, optional_dwelling_va
from calm_relay.planning.findings.base import Finding, Subject, grid_check, stops_if
from calm_relay.planning.site.demand import DemandYear


def dwelling_va(job: Job, demand: DemandYear, rest: float) -> float | None:
    """Load of the job's house by the method for a new dwelling or one that stands [VA]; None without a floor area."""
    backup_board = job.backup_board
    if backup_board is None or backup_board.floor_m2 is None:
        return None
    peaks = {part.name: float(part.kw.max()) for part in demand.parts}
    rated = {load.name: load.kw for load in job.demand.loads}
    rated |= {car.name: car.charger_kw for car in job.demand.cars}
    rated |= {water.name: water.element_kw for water in job.demand.hot_water}
    rated |= {item.name: item.kw for item in job.demand.flexible}
    rated |= {pump.name: pump.most_kw for pump in job.demand.heat_pumps if pump.is_controlled and pump.most_kw}
    kinds = dict.fromkeys(("appliance", "cooling", "heat pump", "heating"), 0.0)
    for circuit in backup_board.circuits:
        if circuit.counts_as != "floor area":
            own = sum(rated.get(name, peaks.get(name, 0.0)) for name in circuit.loads)
            kinds[circuit.counts_as] += 1000.0 * (own if circuit.nameplate_kva is None else circuit.nameplate_kva)
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
    stands = job.board.dwelling == "existing"
    rule = subject.rules.of("existing dwelling share" if stands else "dwelling share")
    if rule is None:
        return []
    load_va = dwelling_va(job, subject.context.demand, rule.limit)
    if load_va is None:
        return []
    amps, service_a = load_va / job.supply.volts, job.supply.main_fuse_a
    over = amps > service_a
    method = "dwelling that stands" if stands else "new dwelling"
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
