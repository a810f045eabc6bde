"""Controlled loads on an island: what they must have, what arrays leave them, and that they trip nothing.

`continuous_kw` is what forms the island without end [kW], `legs` how many legs or phases it parts its power to. A load
on the DC bus of what forms it burdens neither: its array, its rectifier and its battery bound it.
"""

import numpy as np

from calm_relay.physics.compiling import inlined
from calm_relay.physics.plant.converter import (
    discharge_room,
    forming_dc,
    inverter_ac,
    rectifier_ac,
    rectifier_dc,
)
from calm_relay.physics.plant.island_figures import Served
from calm_relay.physics.plant.loads import LoadRecord, LoadSteps, begin_load, end_load, on_surplus, port_is_on


@inlined
def _load_room(continuous_kw: float, legs: float, spec: np.ndarray, k: int, leg: np.ndarray) -> float:
    """What the leg of a controlled load still bears [kW]; a load on no leg is spread over all and bound by none."""
    phase = spec[k].phase
    if phase == 0 or legs < 2.0:
        return np.inf
    return max(continuous_kw / legs - leg[phase - 1], 0.0)


@inlined
def _load_on_leg(legs: float, spec: np.ndarray, k: int, leg: np.ndarray, kw: float) -> None:
    """Adds what a controlled load takes to the legs' load."""
    phase, count = spec[k].phase, int(max(legs, 1.0))
    if phase > 0:
        leg[min(phase, count) - 1] += kw
    else:
        for f in range(count):
            leg[f] += kw / count


@inlined
def begin_loads(
    continuous_kw: float,
    legs: float,
    loads: LoadSteps,
    work: np.ndarray,
    t: int,
    soc: float,
    fed: bool,
    generator_left_kw: float,
    left_kw: float,
    leg: np.ndarray,
    step_h: float,
) -> float:
    """Begins a step of every controlled load; returns what they take at once [kW], `left_kw` at most.

    While the house is `fed` a battery serves those that it may, and those on a port that is on; the others have what
    generators that run leave beside the house.
    """
    spec, sum_kw = loads.spec, 0.0
    for k in range(spec.size):
        on = port_is_on(spec, work, k, soc)
        fill_to = spec[k].cap_kwh if on else loads.fill_to_kwh[k, t]
        must = begin_load(
            spec, work, k, loads.draw_kwh[k, t], loads.per_gain_h[k, t], fill_to, loads.hours_left[k, t], step_h
        )
        work[k].taken, work[k].extra, work[k].wish = 0.0, 0.0, must
        if spec[k].converter == 0 and fed:
            most = left_kw if on or spec[k].from_battery > 0 else min(left_kw, generator_left_kw)
            taken = min(must, max(most - sum_kw, 0.0), _load_room(continuous_kw, legs, spec, k, leg))
            work[k].taken = taken
            sum_kw += taken
            _load_on_leg(legs, spec, k, leg, taken)
    return sum_kw


@inlined
def begin_dc_loads(
    c: np.ndarray,
    w: np.ndarray,
    former: int,
    loads: LoadSteps,
    work: np.ndarray,
    want: float,
    harvest: float,
    generator_kw: float,
    floor: float,
) -> float:
    """Has loads on the former's DC bus take what they must at once; returns how much [kW].

    `want` is what hangs on AC [kW]: it comes first, and no battery is drawn below its `floor` [kWh] for the others.
    """
    spec, sum_kw = loads.spec, 0.0
    for k in range(spec.size):
        by_battery = spec[k].from_battery > 0 or work[k].on > 0.0
        if spec[k].converter > 0 and (by_battery or generator_kw > 0.0) and work[k].wish > 0.0:
            most = harvest - sum_kw
            if by_battery:
                stored, derate = w[former].stored, w[former].discharge_derate
                most += discharge_room(c, former, stored, floor, derate, w[former].per_h)
            if generator_kw > want:
                most += max(rectifier_dc(c, former, min(generator_kw - want, c[former].from_ac_kw)), 0.0)
            else:
                most -= forming_dc(c, former, want - generator_kw)
            work[k].taken = min(work[k].wish, max(most * (1.0 - 1e-9), 0.0))
            sum_kw += work[k].taken
    return sum_kw


@inlined
def loads_from(
    c: np.ndarray,
    former: int,
    continuous_kw: float,
    legs: float,
    loads: LoadSteps,
    work: np.ndarray,
    t: int,
    soc: float,
    left: float,
    bus_kw: float,
    free_kw: float,
    want: float,
    first: bool,
    leg: np.ndarray,
    step_h: float,
) -> tuple[float, float]:
    """Has controlled loads take of what arrays leave, in their order; returns how much on AC, and on DC [kW].

    `left` is what is left on AC beyond what the house wants, out of `bus_kw` on the bus and `free_kw` behind the
    former's inverter. With `first` only loads that come before the battery take of it. What a load must have and no
    battery serves comes from here whether it takes surplus or not.
    """
    spec, sum_kw, dc_kw = loads.spec, 0.0, 0.0
    for k in range(spec.size):
        on_dc, from_free = spec[k].converter > 0, 0.0
        if on_dc:
            short = want + sum_kw - bus_kw
            if short > 0.0:
                from_free = max(free_kw - forming_dc(c, former, short), 0.0)
                most = from_free
            else:
                from_free = free_kw
                most = free_kw + max(rectifier_dc(c, former, min(-short, c[former].from_ac_kw)), 0.0)
            most *= 1.0 - 1e-9
        else:
            most = min(left - sum_kw, _load_room(continuous_kw, legs, spec, k, leg))
        if not (loads.may[k, t] and soc >= spec[k].soc_above):
            most = min(most, work[k].wish - work[k].taken)
        if most > 1e-12 and (spec[k].first > 0 or not first):
            more = on_surplus(spec, work, k, most, step_h)
            work[k].extra += more
            if on_dc:
                dc_kw += more
                free_kw -= min(more, from_free)
                if more > from_free:
                    bus_kw -= rectifier_ac(c, former, more - from_free)
                left = bus_kw + min(inverter_ac(c, former, free_kw), continuous_kw) - want
            else:
                sum_kw += more
                _load_on_leg(legs, spec, k, leg, more)
    return sum_kw, dc_kw


@inlined
def left_by_battery(served: Served, harvest: float, bus_kw: float) -> tuple[float, float]:
    """Of arrays on the bus, and of the former's own, what its battery does not take [kW], with what the house takes."""
    free_kw = harvest - served.into - served.on_dc if served.given <= 0.0 else 0.0
    return bus_kw + min(served.ac, 0.0), free_kw


@inlined
def end_loads(
    loads: LoadSteps, work: np.ndarray, t: int, served: bool, out: LoadRecord, row: int, step_h: float
) -> float:
    """Fills the stores with what was taken, nothing where the house was not served; returns its sum on AC [kW]."""
    sum_kw = 0.0
    for k in range(loads.spec.size):
        if not served:
            work[k].surplus -= work[k].extra * step_h
            work[k].taken = 0.0
        end_load(loads.spec, work, k, loads.gain_h[k, t], step_h)
        out.kw[k, row] = work[k].taken
        out.stored[k, row] = work[k].level
        sum_kw += work[k].taken if loads.spec[k].converter == 0 else 0.0
    return sum_kw
