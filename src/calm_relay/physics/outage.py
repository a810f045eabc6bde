"""The night rehearsed: an islanded house step by step, with starts, trips, shedding, throttled PV, a generator.

The box that forms the grid carries the circuits that are not shed. AC-coupled PV serves first and is turned down
by frequency to what house and store can take; PV on the former's own DC bus gives what is needed. A limit passed
for longer than its time trips the box; it tries again a few times, then it is locked out. A flat store is dark
until PV on the former's DC bus has charged it, where the box can start black, or the generator comes.
"""

import numpy as np
from numba import njit

from calm_relay.physics.dispatch import (
    AC_LIMIT,
    CHARGE_EFF,
    DC_DC,
    DISCHARGE_EFF,
    FROM_AC,
    HAS_PV,
    PV_LIMIT,
    TRACKER,
    USABLE,
    charge_room,
    discharge_room,
    inverter_dc,
    rectifier_ac,
    rectifier_dc,
)

ALIVE, TRIPPED, FLAT, LOCKED = 0, 1, 2, 3
NOTHING, OVERLOAD, START, LEG, OVER_FREQUENCY, EMPTY = 0, 1, 2, 3, 4, 5
LIMITS = (
    "continuous_kw",
    "surge_kw",
    "surge_s",
    "leg_kw",
    "start_kw",
    "black_start",
    "throttle",
    "generator_kw",
    "generator_start",
    "generator_stop",
)
(CONTINUOUS, SURGE, SURGE_S, LEG_KW, START_KW, BLACK, THROTTLE, GEN_KW, GEN_START, GEN_STOP) = range(len(LIMITS))
THROTTLE_NONE, THROTTLE_RELAY, THROTTLE_SMOOTH = 0, 1, 2
FLOWS = (
    "served",
    "pv_dc_used",
    "pv_ac_offered",
    "pv_ac_used",
    "generator",
    "charge",
    "discharge",
    "loss",
    "store",
    "state",
    "cause",
)
SERVED, DC_USED, AC_OFFERED, AC_USED, GEN, CHARGE, DISCHARGE, LOSS, STORE, STATE, CAUSE = range(len(FLOWS))
# AC-coupled PV is let go from 95 % charge and taken again below 90 %: common practice, no source.
HOLD_ABOVE, RELEASE_BELOW = 0.95, 0.90
# A shed circuit comes back when the store has so much more; a dark box starts again from this charge.
BACK_ABOVE, RESTART_LEVEL = 0.10, 0.10
RESTART_MIN, RESTARTS = 2.0, 3

_compiled = njit(cache=True, nogil=True, error_model="numpy")


@_compiled
def rehearse(p, limits, load, legs, shed_below, start, pv_dc, pv_ac, level, step_h, until_dark, flows, on):
    """Runs an outage.

    Parameters
    ----------
    p : ndarray, shape (1, len(plant.COLUMNS))
        The box that forms the grid, from `plant.pack`.
    limits : ndarray, shape (len(LIMITS),)
        What it can do in the dark; `throttle` is how AC-coupled PV is turned down.
    load : ndarray, shape (circuits, steps)
        What each backed-up circuit asks [kW].
    legs : ndarray, shape (circuits, 3)
        Share of each circuit on each leg or phase.
    shed_below : ndarray, shape (circuits,)
        Level of the store below which a circuit is shed; 0 where it never is.
    start : ndarray, shape (steps,)
        Power that the heaviest start of a step adds for a moment [kW].
    pv_dc, pv_ac : ndarray, shape (steps,)
        Offered on the former's DC bus, and by inverters on the AC bus [kW].
    level : float
        Energy stored at the beginning [kWh].
    step_h : float
    until_dark : bool
        Whether to end with the first dark step.
    flows : ndarray, shape (steps or 0, len(FLOWS))
        Filled where it has rows: mean powers [kW], level [kWh], state and cause.
    on : ndarray of bool, shape (steps or 0, circuits)
        Filled where it has rows: which circuits are fed.

    Returns
    -------
    lived : int
        Steps before the first dark one, all of them where there is none.
    cause : int
        Why the first dark step is dark.
    """
    steps = load.shape[1]
    circuits = load.shape[0]
    per_h = 1.0 / step_h
    usable = p[0, USABLE]
    state, cause, over_s, wait, trips, first_dark = ALIVE, NOTHING, 0.0, 0.0, 0, steps
    holding, running = False, False
    before_ac, before_want = 0.0, 0.0
    shed = np.zeros(circuits, dtype=np.bool_)
    leg = np.zeros(3)
    for t in range(steps):
        share = level / usable if usable > 0.0 else 0.0
        harvest = min(pv_dc[t] * p[0, TRACKER], p[0, PV_LIMIT]) if p[0, HAS_PV] > 0.0 else 0.0
        offered = pv_ac[t] if limits[THROTTLE] > 0 else 0.0
        if limits[GEN_KW] > 0.0:
            if share <= limits[GEN_START] or state == FLAT:
                running = True
            elif share >= limits[GEN_STOP]:
                running = False
        if state == TRIPPED:
            wait -= step_h * 60.0
            if wait <= 0.0:
                state, over_s = ALIVE, 0.0
        if state == FLAT and (running or share >= RESTART_LEVEL):
            state, over_s = ALIVE, 0.0
        for f in range(3):
            leg[f] = 0.0
        want = 0.0
        for c in range(circuits):
            if shed_below[c] > 0.0:
                if share < shed_below[c]:
                    shed[c] = True
                elif share > shed_below[c] + BACK_ABOVE:
                    shed[c] = False
            if not shed[c]:
                want += load[c, t]
                for f in range(3):
                    leg[f] += load[c, t] * legs[c, f]
        helped = limits[GEN_KW] if running else 0.0
        cause_now = NOTHING
        if state == ALIVE:
            # A running generator carries what it can; the box has the rest.
            own = max(want - helped, 0.0)
            if want + start[t] - helped > limits[SURGE] + 1e-9 or start[t] > limits[START_KW] + 1e-9:
                cause_now = START
            fullest = max(leg[0], leg[1], leg[2])
            if own > limits[CONTINUOUS] + 1e-9 or fullest - helped > limits[LEG_KW] + 1e-9:
                over_s += step_h * 3600.0
                if over_s > limits[SURGE_S] or own > limits[SURGE] + 1e-9:
                    cause_now = OVERLOAD if own > limits[CONTINUOUS] + 1e-9 else LEG
            else:
                over_s = 0.0
            # When a load drops, the box must take at once what the PV still gives.
            if want < before_want and before_ac - want > p[0, AC_LIMIT] + 1e-9 and not running:
                cause_now = OVER_FREQUENCY
            if cause_now != NOTHING:
                trips += 1
                state = TRIPPED if trips <= RESTARTS else LOCKED
                wait = RESTART_MIN
                before_ac = 0.0
        served, dc_used, ac_used, made, charge, discharge, loss = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        if state == ALIVE:
            served = want
            room = charge_room(p, 0, level, 1.0, per_h)
            if running:
                offered = 0.0
            if share >= HOLD_ABOVE:
                holding = True
            elif share < RELEASE_BELOW:
                holding = False
            absorb = 0.0 if holding else min(p[0, FROM_AC], rectifier_ac(p, 0, room))
            if room <= 0.0:
                absorb = 0.0
            ac_used = min(offered, want + absorb)
            if limits[THROTTLE] == THROTTLE_RELAY and ac_used < offered - 1e-9:
                ac_used = 0.0
            if running:
                taken = min(p[0, FROM_AC], rectifier_ac(p, 0, room)) if room > 0.0 else 0.0
                made = min(helped, want + taken)
            rest = want - ac_used - made
            if rest >= 0.0:
                needed = inverter_dc(p, 0, rest)
                from_pv = min(harvest, needed)
                give = needed - from_pv
                left = level * p[0, DISCHARGE_EFF] * per_h * p[0, DC_DC]
                if give > left + 1e-9:
                    # What is left does not carry the house through the step.
                    state, cause_now = FLAT, EMPTY
                    served, ac_used, made = 0.0, 0.0, 0.0
                elif give > max(discharge_room(p, 0, level, 0.0, 1.0, per_h), limits[SURGE]) + 1e-9:
                    state, cause_now, wait = TRIPPED, OVERLOAD, RESTART_MIN
                    trips += 1
                    served, ac_used, made = 0.0, 0.0, 0.0
                else:
                    into = min(harvest - from_pv, room) if give <= 0.0 else 0.0
                    dc_used = from_pv + into
                    discharge = give / p[0, DC_DC]
                    charge = into * p[0, DC_DC]
                    loss = needed - rest
            else:
                drawn = -rest
                dc = max(rectifier_dc(p, 0, drawn), 0.0)
                into = min(harvest, max(room - dc, 0.0))
                dc_used = into
                charge = (dc + into) * p[0, DC_DC]
                loss = drawn - dc
        if state == FLAT and limits[BLACK] > 0.0 and p[0, HAS_PV] > 0.0:
            into = min(harvest, charge_room(p, 0, level, 1.0, per_h))
            dc_used = into
            charge = into * p[0, DC_DC]
            loss = 0.0
        loss += charge / p[0, DC_DC] - charge * p[0, CHARGE_EFF]
        out = discharge / p[0, DISCHARGE_EFF]
        loss += out - discharge * p[0, DC_DC]
        level += (charge * p[0, CHARGE_EFF] - out) * step_h
        level = min(max(level, 0.0), usable)
        before_ac, before_want = ac_used, want
        if state != ALIVE and first_dark == steps:
            first_dark = t
            cause = cause_now
        if flows.shape[0] > 0:
            flows[t, SERVED] = served
            flows[t, DC_USED] = dc_used
            flows[t, AC_OFFERED] = offered
            flows[t, AC_USED] = ac_used
            flows[t, GEN] = made
            flows[t, CHARGE] = charge * p[0, CHARGE_EFF]
            flows[t, DISCHARGE] = out
            flows[t, LOSS] = loss
            flows[t, STORE] = level
            flows[t, STATE] = state
            flows[t, CAUSE] = cause_now
            for c in range(circuits):
                on[t, c] = state == ALIVE and not shed[c]
        if until_dark and state != ALIVE:
            return t, cause
    return first_dark, cause


@_compiled
def survival(p, limits, load, legs, shed_below, pv_dc, pv_ac, levels, starts, most, step_h):
    """Steps lived from each of many starts, `most` at most; series wrap round the year's end.

    Parameters
    ----------
    levels : ndarray, shape (starts,)
        Energy stored at each start [kWh].
    starts : ndarray of int, shape (starts,)
        First step of each outage.
    most : int
        Steps after which an outage counts as survived.
    """
    lived = np.empty(starts.size)
    none, nobody = np.empty((0, len(FLOWS))), np.empty((0, load.shape[0]), dtype=np.bool_)
    quiet = np.zeros(most)
    for k in range(starts.size):
        a = starts[k]
        lived[k], _ = rehearse(
            p,
            limits,
            load[:, a : a + most],
            legs,
            shed_below,
            quiet,
            pv_dc[a : a + most],
            pv_ac[a : a + most],
            levels[k],
            step_h,
            True,
            none,
            nobody,
        )
    return lived
