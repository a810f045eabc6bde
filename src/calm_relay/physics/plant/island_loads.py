"""Controlled loads on an island: what they must have, what arrays leave them, and that they trip nothing.

`continuous_kw` is what forms the island without end [kW], `legs` how many legs or phases it parts its power to.
"""

import numpy as np

from calm_relay.physics.compiling import inlined
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
    every: bool,
    left_kw: float,
    leg: np.ndarray,
    step_h: float,
) -> float:
    """Begins a step of every controlled load; returns what they take at once [kW], `left_kw` at most.

    While the house is `fed` a battery serves those that it may, and those on a port that is on; with `every` all are.
    """
    spec, sum_kw = loads.spec, 0.0
    for k in range(spec.size):
        on = port_is_on(spec, work, k, soc)
        fill_to = spec[k].cap_kwh if on else loads.fill_to_kwh[k, t]
        must = begin_load(
            spec, work, k, loads.draw_kwh[k, t], loads.per_gain_h[k, t], fill_to, loads.hours_left[k, t], step_h
        )
        work[k].taken, work[k].extra, work[k].wish = 0.0, 0.0, must
        if fed and (on or every or spec[k].from_battery > 0):
            taken = min(must, max(left_kw - sum_kw, 0.0), _load_room(continuous_kw, legs, spec, k, leg))
            work[k].taken = taken
            sum_kw += taken
            _load_on_leg(legs, spec, k, leg, taken)
    return sum_kw


@inlined
def loads_from(
    continuous_kw: float,
    legs: float,
    loads: LoadSteps,
    work: np.ndarray,
    t: int,
    soc: float,
    left: float,
    first: bool,
    leg: np.ndarray,
    step_h: float,
) -> float:
    """Has controlled loads take of what arrays leave, in their order; returns how much [kW].

    With `first` only those that come before the battery do. What a load must have and no battery serves comes from here
    whether it takes surplus or not.
    """
    spec, sum_kw = loads.spec, 0.0
    for k in range(spec.size):
        most = min(left - sum_kw, _load_room(continuous_kw, legs, spec, k, leg))
        if not (loads.may[k, t] and soc >= spec[k].soc_above):
            most = min(most, work[k].wish - work[k].taken)
        if most > 1e-12 and (spec[k].first > 0 or not first):
            more = on_surplus(spec, work, k, most, step_h)
            work[k].extra += more
            sum_kw += more
            _load_on_leg(legs, spec, k, leg, more)
    return sum_kw


@inlined
def end_loads(
    loads: LoadSteps, work: np.ndarray, t: int, served: bool, out: LoadRecord, row: int, step_h: float
) -> float:
    """Fills the stores with what was taken, nothing where the house was not served; returns its sum [kW]."""
    sum_kw = 0.0
    for k in range(loads.spec.size):
        if not served:
            work[k].surplus -= work[k].extra * step_h
            work[k].taken = 0.0
        end_load(loads.spec, work, k, loads.gain_h[k, t], step_h)
        out.kw[k, row] = work[k].taken
        out.stored[k, row] = work[k].level
        sum_kw += work[k].taken
    return sum_kw
