"""The islanded house, step by step: starts, trips, shedding, turned-down PV, a generator; a night or a whole year.

The inverter that forms the grid carries the circuits that are not shed. PV on the AC bus serves first: what follows the
frequency is curtailed to what house and battery can take, an old inverter gives all or is off. PV on the former's
own DC bus gives what is needed. A limit passed for longer than its time trips the inverter; it tries again a few times,
then it is locked out. When it comes back, every machine that runs starts at once. A flat battery is dark until PV on
the former's DC bus has charged it, where the inverter can start black, or the generator comes.
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
    K0,
    K1,
    K2,
    PV_LIMIT,
    STANDBY,
    TRACKER,
    USABLE,
    charge_room,
    discharge_room,
    rectifier_ac,
    rectifier_dc,
)

SERVING, TRIPPED, FLAT, LOCKED = 0, 1, 2, 3
NOTHING, OVERLOAD, START, LEG, OVER_FREQUENCY, EMPTY, START_LEG = 0, 1, 2, 3, 4, 5, 6
LIMITS = (
    "continuous_kw",
    "surge_kw",
    "surge_s",
    "legs",
    "leg_start_kw",
    "black_start",
    "restarts_at_once",
    "pv_waits_min",
    "locked_min",
    "generator_kw",
    "generator_start",
    "generator_stop",
)
(
    CONTINUOUS,
    SURGE,
    SURGE_S,
    LEGS,
    LEG_START,
    BLACK,
    AT_ONCE,
    PV_WAITS,
    LOCKED_MIN,
    GEN_KW,
    GEN_START,
    GEN_STOP,
) = range(len(LIMITS))
FLOWS = (
    "served",
    "pv_dc_used",
    "pv_ac_offered",
    "pv_ac_used",
    "generator",
    "charge",
    "discharge",
    "loss",
    "stored",
    "state",
    "cause",
    "former_ac",
)
SERVED, DC_USED, AC_OFFERED, AC_USED, GEN, CHARGE, DISCHARGE, LOSS, STORE, STATE, CAUSE, FORMER = range(len(FLOWS))
# AC-coupled PV is let go from 95 % charge and taken again below 90 %: common practice, no source.
HOLD_ABOVE, RELEASE_BELOW = 0.95, 0.90
# A shed circuit comes back when the battery has so much more; a dark unit starts again from this charge.
BACK_ABOVE, RESTART_LEVEL = 0.10, 0.10
# It tries again after so many minutes, so many times within an hour alive: common practice, no source.
RESTART_MIN, RESTARTS, FORGIVEN_MIN = 2.0, 3, 60.0

_compiled = njit(cache=True, nogil=True, error_model="numpy")
_inlined = njit(cache=True, nogil=True, error_model="numpy", forceinline=True)


@_inlined
def _asked(t, share, load, legs, shed_below, shed, leg):
    """Sheds and takes back by charge; fills the legs' load and returns all of it [kW]."""
    want = 0.0
    leg[0] = leg[1] = leg[2] = 0.0
    for c in range(load.shape[0]):
        if shed_below[c] > 0.0:
            if share < shed_below[c] or shed_below[c] >= 1.0:
                shed[c] = True
            elif share > shed_below[c] + BACK_ABOVE:
                shed[c] = False
        if not shed[c]:
            want += load[c, t]
            for f in range(3):
                leg[f] += load[c, t] * legs[c, f]
    return want


@_inlined
def _started(limits, t, want, leg, legs, shed, helped, start, again, at_once, extras):
    """Whether the starts of a step pass what the inverter gives for a moment: START in all, START_LEG on a leg."""
    heaviest, who, on_a_leg = 0.0, -1, False
    extras[0] = extras[1] = extras[2] = 0.0
    for c in range(start.shape[0]):
        if shed[c]:
            continue
        if at_once:
            heaviest += again[c, t]
            for f in range(3):
                extras[f] += again[c, t] * legs[c, f]
        elif start[c, t] > heaviest:
            heaviest, who = start[c, t], c
    if heaviest <= 0.0:
        return NOTHING
    for f in range(3):
        if who >= 0:
            extras[f] = heaviest * legs[who, f]
        extra = extras[f]
        if extra > 0.0:
            on_leg = leg[f] + extra - helped / limits[LEGS]
            if extra > limits[LEG_START] + 1e-9 or on_leg > limits[SURGE] / limits[LEGS] + 1e-9:
                on_a_leg = True
    if want + heaviest - helped > limits[SURGE] + 1e-9 or (on_a_leg and limits[LEGS] < 2.0):
        return START
    return START_LEG if on_a_leg else NOTHING


@_inlined
def _forming(p, ac):
    """DC power [kW] that the inverter needs to form the grid and give AC power, or none, to it."""
    return ac + max(p[0, K0], p[0, STANDBY]) + p[0, K1] * ac + p[0, K2] * ac * ac


@_inlined
def _serve(p, limits, level, harvest, smooth, switched, want, running, holding, per_h, now):
    """Serves what is asked from PV, generator and battery into `now`; where it cannot, says why."""
    for f in range(now.size):
        now[f] = 0.0
    room = charge_room(p, 0, level, 1.0, per_h)
    taking = min(p[0, FROM_AC], rectifier_ac(p, 0, room)) if room > 0.0 else 0.0
    made, used = 0.0, 0.0
    if running:
        made = min(limits[GEN_KW], want + taking)
    else:
        most = want if holding else want + taking
        used = switched if switched <= most + 1e-12 else 0.0
        used += max(min(smooth, most - used), 0.0)
    rest = want - used - made
    if rest >= 0.0:
        needed = _forming(p, rest)
        from_pv = min(harvest, needed)
        give = needed - from_pv
        if give > level * p[0, DISCHARGE_EFF] * per_h * p[0, DC_DC] + 1e-9:
            # What is left does not carry the house through the step.
            return EMPTY
        if give > max(discharge_room(p, 0, level, 0.0, 1.0, per_h), limits[SURGE]) + 1e-9:
            return OVERLOAD
        into = min(harvest - from_pv, room) if give <= 0.0 else 0.0
        now[DC_USED] = from_pv + into
        now[DISCHARGE] = give / p[0, DC_DC]
        now[CHARGE] = into * p[0, DC_DC]
        now[LOSS] = needed - rest
    else:
        dc = max(rectifier_dc(p, 0, -rest), 0.0)
        into = min(harvest, max(room - dc, 0.0))
        now[DC_USED] = into
        now[CHARGE] = (dc + into) * p[0, DC_DC]
        now[LOSS] = -rest - dc
    now[SERVED] = want
    now[AC_USED] = used
    now[GEN] = made
    now[FORMER] = rest
    return NOTHING


@_inlined
def _over(limits, own, leg, helped):
    """Whether what the inverter gives passes its continuous limits: OVERLOAD, LEG or NOTHING."""
    if own > limits[CONTINUOUS] + 1e-9:
        return OVERLOAD
    fullest = max(leg[0], leg[1], leg[2]) - helped / limits[LEGS]
    return LEG if fullest > limits[CONTINUOUS] / limits[LEGS] + 1e-9 else NOTHING


@_inlined
def _settle(p, now, level, step_h):
    """Books the battery's losses and returns its new level [kWh]."""
    charge, discharge = now[CHARGE], now[DISCHARGE]
    now[CHARGE] = charge * p[0, CHARGE_EFF]
    now[DISCHARGE] = discharge / p[0, DISCHARGE_EFF]
    now[LOSS] += charge / p[0, DC_DC] - now[CHARGE] + now[DISCHARGE] - discharge * p[0, DC_DC]
    level += (now[CHARGE] - now[DISCHARGE]) * step_h
    return min(max(level, 0.0), p[0, USABLE])


@_compiled
def rehearse(
    p,
    limits,
    load,
    legs,
    shed_below,
    start,
    again,
    pv_dc,
    pv_smooth,
    pv_switched,
    level,
    step_h,
    until_out,
    flows,
    on,
):
    """Runs an island.

    Parameters
    ----------
    p : ndarray, shape (1, len(plant.COLUMNS))
        The inverter that forms the grid, from `plant.pack`.
    limits : ndarray, shape (len(LIMITS),)
        What it can do in an outage. `legs` is how many it parts its power to, `leg_start_kw` the most that a motor
        may draw on a leg when it starts, `restarts_at_once` whether the transfer takes so long that machines stop.
    load : ndarray, shape (circuits, steps)
        What each backed-up circuit asks [kW].
    legs : ndarray, shape (circuits, 3)
        Share of each circuit on each leg or phase.
    shed_below : ndarray, shape (circuits,)
        Level of the battery below which a circuit is shed; 0 where it never is, 1 where it always is.
    start, again : ndarray, shape (circuits, steps)
        Power that the heaviest start on each circuit adds for a moment, of which the heaviest of a step counts;
        and what all machines that run on it add when power comes back to them at once [kW].
    pv_dc, pv_smooth, pv_switched : ndarray, shape (steps,)
        Offered on the former's DC bus, by inverters on the AC bus that follow the frequency, and by such that
        are only on or off [kW].
    level : float
        Energy stored at the beginning [kWh].
    step_h : float
    until_dark : bool
        Whether to end with the first dark step.
    flows : ndarray, shape (steps or 0, len(FLOWS))
        Filled where it has rows: mean powers [kW], level [kWh], state and cause; "former_ac" is what the inverter
        gives to its bus, below 0 what it takes.
    on : ndarray of bool, shape (steps or 0, circuits)
        Filled where it has rows: which circuits are fed.

    Returns
    -------
    lived : int
        Steps before the first dark one, all of them where there is none.
    cause : int
        Why the first dark step is dark.
    """
    circuits, steps = load.shape
    per_h, step_min = 1.0 / step_h, step_h * 60.0
    usable = p[0, USABLE]
    state, cause, over_s, wait, trips, first_out = SERVING, NOTHING, 0.0, 0.0, 0, steps
    holding, running = False, False
    at_once = limits[AT_ONCE] > 0.0
    formed_min, before_ac, before_want = 0.0, 0.0, 0.0
    shed = np.zeros(circuits, dtype=np.bool_)
    leg, extras = np.zeros(3), np.zeros(3)
    now = np.zeros(len(FLOWS))
    for t in range(steps):
        share = level / usable if usable > 0.0 else 0.0
        harvest = min(pv_dc[t] * p[0, TRACKER], p[0, PV_LIMIT]) if p[0, HAS_PV] > 0.0 else 0.0
        if limits[GEN_KW] > 0.0:
            if share <= limits[GEN_START] or state == FLAT:
                running = True
            elif share >= limits[GEN_STOP]:
                running = False
        if state in (TRIPPED, LOCKED):
            wait -= step_min
            if wait <= 0.0:
                state, over_s, at_once, formed_min = SERVING, 0.0, True, 0.0
        if state == FLAT and (running or share >= RESTART_LEVEL):
            state, over_s, at_once, formed_min = SERVING, 0.0, True, 0.0
        want = _asked(t, share, load, legs, shed_below, shed, leg)
        # A running generator carries what it can; the inverter has the rest.
        helped = min(limits[GEN_KW], want) if running else 0.0
        # Inverters wait for a bus that stands before they join it.
        joined = not running and (step_min >= limits[PV_WAITS] or formed_min >= limits[PV_WAITS])
        smooth, switched = (pv_smooth[t], pv_switched[t]) if joined else (0.0, 0.0)
        cause_now = NOTHING
        if state == SERVING:
            cause_now = _started(limits, t, want, leg, legs, shed, helped, start, again, at_once, extras)
            at_once = False
            over = _over(limits, want - helped, leg, helped)
            if over != NOTHING:
                over_s += step_h * 3600.0
                if over_s > limits[SURGE_S] or want - helped > limits[SURGE] + 1e-9:
                    cause_now = over
            else:
                over_s = 0.0
            # When a load drops, the inverter must take at once what the PV still gives.
            if want < before_want and before_ac - want > p[0, AC_LIMIT] + 1e-9 and not running:
                cause_now = OVER_FREQUENCY
        if state == SERVING and cause_now == NOTHING:
            if share >= HOLD_ABOVE:
                holding = True
            elif share < RELEASE_BELOW:
                holding = False
            cause_now = _serve(p, limits, level, harvest, smooth, switched, want, running, holding, per_h, now)
            formed_min += step_min
            if formed_min >= FORGIVEN_MIN:
                trips = 0
        else:
            for f in range(now.size):
                now[f] = 0.0
        if cause_now == EMPTY:
            state = FLAT
        elif cause_now != NOTHING:
            trips += 1
            state, wait = (TRIPPED, RESTART_MIN) if trips <= RESTARTS else (LOCKED, limits[LOCKED_MIN])
        if state == FLAT and limits[BLACK] > 0.0 and p[0, HAS_PV] > 0.0:
            now[DC_USED] = min(harvest, charge_room(p, 0, level, 1.0, per_h))
            now[CHARGE] = now[DC_USED] * p[0, DC_DC]
        level = _settle(p, now, level, step_h)
        before_ac, before_want = now[AC_USED], want
        if state != SERVING and first_out == steps:
            first_out, cause = t, cause_now
        if flows.shape[0] > 0:
            now[AC_OFFERED] = smooth + switched
            now[STORE] = level
            now[STATE] = state
            now[CAUSE] = cause_now
            for f in range(now.size):
                flows[t, f] = now[f]
            for c in range(circuits):
                on[t, c] = state == SERVING and not shed[c]
        if until_out and state != SERVING:
            return t, cause
    return first_out, cause


@_compiled
def survival(p, limits, load, legs, shed_below, pv_dc, pv_smooth, pv_switched, levels, starts, most, step_h):
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
    served_steps = np.empty(starts.size)
    none, nobody = np.empty((0, len(FLOWS))), np.empty((0, load.shape[0]), dtype=np.bool_)
    quiet = np.zeros((0, most))
    for k in range(starts.size):
        a = starts[k]
        b = a + most
        served_steps[k], _ = rehearse(
            p,
            limits,
            load[:, a:b],
            legs,
            shed_below,
            quiet,
            quiet,
            pv_dc[a:b],
            pv_smooth[a:b],
            pv_switched[a:b],
            levels[k],
            step_h,
            True,
            none,
            nobody,
        )
    return served_steps
