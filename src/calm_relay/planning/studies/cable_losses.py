"""What each cable turns into heat in the simulated year, and what the next size would save."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.physics.cables import conductor_temp_c, heat_w, resistance_ohm_per_km
from calm_relay.planning.architecture.topology import METER, Edge
from calm_relay.planning.operation.fuel import fuel_price
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.wiring.cable import Cable
from calm_relay.planning.wiring.capacity import MOST_C, carries, ohm_per_km
from calm_relay.planning.wiring.laid import DC_KINDS
from calm_relay.planning.wiring.wiring import WiringPlan


@dataclass(frozen=True)
class CableYear:
    """A cable's year: what it loses, the next size, and what that would save in energy and money.

    `saved_money` is over the job's years at today's price of a kWh, without interest.
    """

    key: str
    lost_kwh: float
    next_size: str
    saved_kwh: float
    saved_money: float


def cable_years(option: Option, plan: WiringPlan) -> tuple[CableYear, ...]:
    """Heat of every sized cable over the year, from the current of each step.

    Parameters
    ----------
    option : Option
        With the year of its plant.
    plan : WiringPlan
        Its wiring.
    """
    job = option.context.job
    price = job.tariff.mean_price if job.supply.on_grid else fuel_price(option.outcome.year, job)
    result = []
    for cable in plan.cables:
        if cable.size is None:
            continue
        squared = _squared_amps(option, cable.edge, plan)
        if squared is None:
            continue
        lost = _lost_kwh(cable, cable.size.name, plan, squared, option.outcome.year.step_h)
        sizes = [size.name for size in plan.tables.sizes]
        at = sizes.index(cable.size.name)
        bigger = sizes[at + 1] if at + 1 < len(sizes) else ""
        then = _lost_kwh(cable, bigger, plan, squared, option.outcome.year.step_h) if bigger else None
        saved = max(lost - then, 0.0) if lost is not None and then is not None else 0.0
        result.append(
            CableYear(cable.edge.key, lost or 0.0, bigger, saved, saved * price * job.costs.horizon_years)
        )
    return tuple(result)


def _lost_kwh(cable: Cable, name: str, plan: WiringPlan, squared_a: float, step_h: float) -> float | None:
    """Heat of a size over the year [kWh]; `squared_a` is the sum of the squared current over the steps [A2]."""
    size = plan.tables.size(name)
    able = carries(cable.laid, cable.edge.loaded, plan.tables)
    ohm = ohm_per_km(size, cable.laid, flexible=cable.edge.kind in DC_KINDS)
    if able is None or ohm is None:
        return None
    capacity = able.amps[[item.name for item in plan.tables.sizes].index(name)]
    if capacity is None:
        return None
    # Warmth by the mean of the squared current: what heats a conductor is the square.
    steps = max(round(8760.0 / step_h), 1)
    usual = float(np.sqrt(squared_a / steps))
    temp = conductor_temp_c(usual, capacity, cable.laid.ambient_c, MOST_C[cable.laid.insulation])
    warm = resistance_ohm_per_km(ohm, temp)
    return cable.edge.runs * heat_w(usual, warm, cable.laid.length_m, cable.edge.loaded) * steps * step_h / 1000.0


def _squared_amps(option: Option, edge: Edge, plan: WiringPlan) -> float | None:
    """Sum of the squared current of one conductor over the steps of the year [A2]; None where no flow is known."""
    amps = _amps(option, edge, plan)
    return None if amps is None else float(np.dot(amps, amps))


def _amps(option: Option, edge: Edge, plan: WiringPlan) -> np.ndarray | None:
    year, design, job = option.outcome.year, option.design, option.context.job
    if edge.kind in ("unit", "branch") and edge.unit is not None:
        volts = edge.volts * CIRCUITS[edge.circuit].factor
        return np.abs(year.of("ac", edge.unit)) * 1000.0 / volts / edge.runs
    if edge.kind == "string" and edge.unit is not None:
        laid = design.converters[edge.unit].stringing
        number = int(edge.end.rsplit("/", 1)[1])
        mine = next(item for item in laid.inputs if item.number == number)
        share = sum(run.kw for run in mine.runs) / sum(run.kw for run in laid.runs)
        return year.of("pv_dc", edge.unit) * share * 1000.0 / edge.volts / edge.runs
    if edge.kind in ("battery", "pack") and edge.unit is not None:
        bank = design.converters[edge.unit].bank
        volts = (bank.empty_v + bank.full_v) / 2.0
        moved = year.of("charge", edge.unit) + year.of("discharge", edge.unit)
        return moved * 1000.0 / volts / edge.runs
    if edge.kind == "car charger" and edge.unit is not None:
        run, on_dc = year.loads, edge.unit + 1
        moved = [np.abs(kw) for load, kw in zip(run.loads, run.kw, strict=True) if load.converter == on_dc]
        return moved[0] * 1000.0 / edge.volts if moved else None
    if edge.kind == "feeder" and edge.start == METER:
        supply = job.supply
        passed = year.at_bus("import") + year.at_bus("export")
        return passed * 1000.0 / supply.volts / supply.circuit.factor
    return None
