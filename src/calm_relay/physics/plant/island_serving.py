"""How a step of an island is served, and which limit ends it."""

import numpy as np

from calm_relay.physics.compiling import inlined
from calm_relay.physics.plant.converter import (
    charge_room,
    discharge_room,
    forming_dc,
    inverter_ac,
    power_from,
    rectifier_ac,
    rectifier_dc,
)
from calm_relay.physics.plant.island_figures import (
    EMPTY,
    LEG,
    NOTHING,
    OVERLOAD,
    START,
    START_LEG,
    TOO_COLD,
    Circuits,
    Limits,
    Served,
)

# A shed circuit comes back when the battery has so much more; a flat one starts again from this charge.
BACK_ABOVE, RESTART_SOC = 0.10, 0.10


@inlined
def asked_of(
    t: int,
    soc: float,
    load_kw: np.ndarray,
    legs: np.ndarray,
    shed_below: np.ndarray,
    shed: np.ndarray,
    leg: np.ndarray,
) -> float:
    """Sheds and takes back by charge; fills the legs' load and returns all of it [kW]."""
    want = 0.0
    leg[0] = leg[1] = leg[2] = 0.0
    for k in range(load_kw.shape[0]):
        below = shed_below[k]
        if below > 0.0:
            if soc < below or below >= 1.0:
                shed[k] = True
            elif soc > below + BACK_ABOVE:
                shed[k] = False
        if not shed[k]:
            want += load_kw[k, t]
            for f in range(3):
                leg[f] += load_kw[k, t] * legs[k, f]
    return want


@inlined
def _started(
    limits: Limits,
    t: int,
    want: float,
    leg: np.ndarray,
    legs: np.ndarray,
    shed: np.ndarray,
    start_kw: np.ndarray,
    again_kw: np.ndarray,
    helped: float,
    on_each: float,
    at_once: bool,
    able: float,
    extra: np.ndarray,
) -> int:
    """Whether the starts of a step pass what the inverter gives for a moment: START in all, START_LEG on a leg."""
    heaviest, who, on_a_leg = 0.0, -1, False
    extra[0] = extra[1] = extra[2] = 0.0
    for k in range(start_kw.shape[0]):
        if shed[k]:
            continue
        if at_once:
            heaviest += again_kw[k, t]
            for f in range(3):
                extra[f] += again_kw[k, t] * legs[k, f]
        elif start_kw[k, t] > heaviest:
            heaviest, who = start_kw[k, t], k
    if heaviest <= 0.0:
        return NOTHING
    for f in range(3):
        if who >= 0:
            extra[f] = heaviest * legs[who, f]
        if extra[f] > 0.0:
            on_leg = leg[f] + extra[f] * limits.start_power_factor - on_each
            if extra[f] > limits.leg_start_kw + 1e-9 or on_leg > limits.surge_kw * able / limits.legs + 1e-9:
                on_a_leg = True
    real = heaviest * limits.start_power_factor
    if want + real - helped > limits.surge_kw * able + 1e-9 or (on_a_leg and limits.legs < 2.0):
        return START
    return START_LEG if on_a_leg else NOTHING


@inlined
def serve(
    c: np.ndarray,
    w: np.ndarray,
    j: int,
    limits: Limits,
    harvest: float,
    smooth: float,
    switched: float,
    want: float,
    generator_kw: float,
    holding: bool,
    floor: float,
    on_dc: float,
) -> Served:
    """How what is asked is served from PV, the generators that run and battery; where it cannot be, why.

    `on_dc` is what a load on the former's DC bus takes [kW]: of its own array first, then of what is rectified, then of
    the battery. PV that follows the frequency gives what loads and battery take; what can only be switched is let go
    while `holding`.
    """
    stored, per_h = w[j].stored, w[j].per_h
    room = charge_room(c, j, stored, w[j].charge_derate, per_h)
    owed = max(on_dc - harvest, 0.0)
    taking = min(c[j].from_ac_kw, rectifier_ac(c, j, room + owed)) if room + owed > 0.0 else 0.0
    made, used = 0.0, 0.0
    if generator_kw > 0.0:
        made = min(generator_kw, want + taking)
    else:
        most = want + taking
        borne = most
        if holding:
            borne = want + (min(c[j].from_ac_kw, rectifier_ac(c, j, owed)) if owed > 0.0 else 0.0)
        used = switched if switched <= borne + 1e-12 else 0.0
        used += max(min(smooth, most - used), 0.0)
    rest = want - used - made
    rectified, by_ac = 0.0, 0.0
    if rest < 0.0:
        rectified = max(rectifier_dc(c, j, -rest), 0.0)
        by_ac = min(rectified, owed)
        give = owed - by_ac
        from_pv = 0.0
    else:
        needed = forming_dc(c, j, rest) + on_dc
        from_pv = min(harvest, needed)
        give = needed - from_pv
    above = max(stored - floor, 0.0)
    if give > power_from(c, j, above * per_h) * c[j].dc_dc_efficiency + 1e-9:
        # What is left does not carry the load through the step.
        return Served(EMPTY, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    room_out = discharge_room(c, j, stored, 0.0, w[j].discharge_derate, per_h)
    if give > max(room_out, limits.surge_kw * w[j].discharge_derate) + 1e-9:
        cause = OVERLOAD if w[j].discharge_derate > 0.0 else TOO_COLD
        return Served(cause, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    if rest < 0.0:
        into = min(max(harvest - on_dc, 0.0), max(room - (rectified - by_ac), 0.0))
        return Served(NOTHING, -give, into - by_ac, rectified, give, rest, used, made, on_dc)
    into = min(harvest - from_pv, room) if give <= 0.0 else 0.0
    return Served(NOTHING, from_pv - on_dc, into, 0.0, give, rest, used, made, on_dc)


@inlined
def _over(limits: Limits, own: float, leg: np.ndarray, on_each: float, able: float) -> int:
    """Whether what the inverter gives passes its continuous limits: OVERLOAD, LEG or NOTHING.

    `able` is what part of the limits stands where several form the grid and one of them is empty.
    """
    if own > limits.continuous_kw * able + 1e-9:
        return OVERLOAD
    fullest = max(leg[0], leg[1], leg[2]) - on_each
    return LEG if fullest > limits.continuous_kw * able / limits.legs + 1e-9 else NOTHING


@inlined
def held_against(
    limits: Limits,
    circuits: Circuits,
    t: int,
    want: float,
    helped: float,
    on_each: float,
    leg: np.ndarray,
    shed: np.ndarray,
    at_once: bool,
    able: float,
    over_s: float,
    step_h: float,
    extra: np.ndarray,
) -> tuple[int, float]:
    """What is asked beyond `helped`, held against what those that form the grid give for a moment and without end.

    Returns which limit it passes, NOTHING where none, and for how long the continuous one has been passed [s].
    """
    own = want - helped
    cause = _started(
        limits,
        t,
        want,
        leg,
        circuits.legs,
        shed,
        circuits.start_kw,
        circuits.again_kw,
        helped,
        on_each,
        at_once,
        able,
        extra,
    )
    over = _over(limits, own, leg, on_each, able)
    if over == NOTHING:
        return cause, 0.0
    over_s += step_h * 3600.0
    if over_s > limits.surge_s or own > limits.surge_kw * able + 1e-9:
        cause = over
    return cause, over_s


@inlined
def thrown_away(
    c: np.ndarray, former: int, limits: Limits, harvest: float, smooth: float, switched: float, served: Served
) -> float:
    """What house and battery leave of the arrays [kW]: on the bus, and behind the former's inverter."""
    left = smooth + (switched if served.used >= switched - 1e-9 else 0.0) - served.used
    spare = harvest - served.from_pv - served.into - served.on_dc
    if spare > 0.0 and served.ac >= 0.0 and served.given <= 0.0:
        most = inverter_ac(c, former, served.from_pv + spare)
        left += max(min(most, limits.continuous_kw) - served.ac, 0.0) * (1.0 - 1e-9)
    return left
