"""The time-step kernel: every grid-tied plant, one step after another, with rule-based self-use control.

In each step the array serves the home first, then the store on its own DC side, then the AC bus; what the home
leaves on the AC bus fills the other stores, then the street up to its limit; what remains is curtailed. A
shortfall is met by the stores down to their floor, then by the street. In the charge window stores below
target are filled from the street and none is emptied below target.

The path from PV to a store on the same converter is not bound by the AC limit. That one fact is why a
DC-coupled store catches what would be clipped and an AC-coupled one does not.
"""

import numpy as np
from numba import njit

from calm_relay.physics.plant import COLUMNS

(
    AC_LIMIT,
    HAS_PV,
    PV_LIMIT,
    TRACKER,
    K0,
    K1,
    K2,
    STANDBY,
    USABLE,
    CHARGE_KW,
    DISCHARGE_KW,
    CHARGE_BASE,
    CHARGE_RISE,
    DISCHARGE_BASE,
    DISCHARGE_RISE,
    CHARGE_EFF,
    PER_CHARGE,
    DISCHARGE_EFF,
    PER_DISCHARGE,
    DC_DC,
    PER_DC_DC,
    RESERVE,
    INITIAL,
    FROM_AC,
) = range(len(COLUMNS))

CONVERTER_FLOWS = (
    "pv_dc",
    "tracker",
    "clipped",
    "curtailed",
    "charge",
    "discharge",
    "dc_dc",
    "charge_loss",
    "discharge_loss",
    "inverter",
    "rectifier",
    "standby",
    "ac",
    "store",
)
(
    F_PV,
    F_TRACKER,
    F_CLIPPED,
    F_CURTAILED,
    F_CHARGE,
    F_DISCHARGE,
    F_DC_DC,
    F_CHARGE_LOSS,
    F_DISCHARGE_LOSS,
    F_INVERTER,
    F_RECTIFIER,
    F_STANDBY,
    F_AC,
    F_STORE,
) = range(len(CONVERTER_FLOWS))
BUS_FLOWS = ("home", "import", "export")

_compiled = njit(cache=True, nogil=True, error_model="numpy", forceinline=True)


@_compiled
def inverter_dc(p, j, ac):
    """DC power [kW] an inverter needs for an AC output; switched off it needs none."""
    if ac <= 0.0:
        return 0.0
    return ac + p[j, K0] + p[j, K1] * ac + p[j, K2] * ac * ac


@_compiled
def inverter_ac(p, j, dc):
    """AC output [kW] of an inverter fed with DC power, within its AC limit; 0 when its own losses eat it."""
    net = dc - p[j, K0]
    if net <= 0.0:
        return 0.0
    b = 1.0 + p[j, K1]
    ac = 2.0 * net / (b + np.sqrt(b * b + 4.0 * p[j, K2] * net))
    return min(ac, p[j, AC_LIMIT])


@_compiled
def rectifier_dc(p, j, ac):
    """DC power [kW] out of a rectifier that draws AC power; at or below 0 it is not worth starting."""
    return ac - p[j, K0] - p[j, K1] * ac - p[j, K2] * ac * ac


@_compiled
def rectifier_ac(p, j, dc):
    """AC power [kW] a rectifier draws to give DC power, the smaller root; its most when none gives so much."""
    b = 1.0 - p[j, K1]
    c = dc + p[j, K0]
    root = b * b - 4.0 * p[j, K2] * c
    if root < 0.0:
        return p[j, FROM_AC]
    return 2.0 * c / (b + np.sqrt(root))


@_compiled
def _charge_room(p, j, store, per_h):
    """Most power [kW] the store takes at the DC bus in this step; `per_h` is steps per hour."""
    if p[j, USABLE] <= 0.0:
        return 0.0
    most = min(p[j, CHARGE_KW], p[j, CHARGE_BASE] + p[j, CHARGE_RISE] * store)
    most = min(most, (p[j, USABLE] - store) * p[j, PER_CHARGE] * per_h)
    return max(most, 0.0) * p[j, PER_DC_DC]


@_compiled
def _discharge_room(p, j, store, floor, per_h):
    """Most power [kW] the store gives at the DC bus in this step without going below its floor."""
    most = min(p[j, DISCHARGE_KW], p[j, DISCHARGE_BASE] + p[j, DISCHARGE_RISE] * store)
    most = min(most, (store - floor) * p[j, DISCHARGE_EFF] * per_h)
    return max(most, 0.0) * p[j, DC_DC]


@_compiled
def _own_charge(p, j, harvest, wanted, room):
    """Array power [kW] that goes into the store on the same DC bus once the home has its share."""
    most = inverter_ac(p, j, harvest)
    # A home that takes all leaves nothing, not a rounding error that would keep the store from helping.
    if room <= 0.0 or (wanted > 0.0 and wanted >= most and most < p[j, AC_LIMIT]):
        return 0.0
    return min(max(harvest - inverter_dc(p, j, min(wanted, most)), 0.0), room)


@_compiled
def _serve_array(p, j, harvest, wanted, room, now):
    """Array of one converter: home's share, then its own store, then the AC bus. Returns AC power [kW]."""
    charge = _own_charge(p, j, harvest, wanted, room)
    left = harvest - charge
    ac = inverter_ac(p, j, left)
    drawn = min(left, inverter_dc(p, j, ac))
    # Below its limit the inverter takes all there is, even where its own losses eat it.
    if ac < p[j, AC_LIMIT]:
        drawn = left
    now[j, F_CLIPPED] += left - drawn
    now[j, F_CHARGE] = charge
    now[j, F_INVERTER] = drawn
    now[j, F_AC] = ac
    return ac


@_compiled
def _book(p, j, store, step_h, now, flows, t):
    """Turns the working figures of one converter into booked flows; returns the store's new level [kWh].

    While a step is worked on, F_CHARGE holds PV to store at the DC bus, F_RECTIFIER what the rectifier gives
    the DC bus, F_DISCHARGE what the store gives the DC bus, F_INVERTER the PV power that enters the inverter.
    """
    ac = now[j, F_AC]
    charge_bus = now[j, F_CHARGE] + now[j, F_RECTIFIER]
    discharge_bus = now[j, F_DISCHARGE]
    charge = charge_bus * p[j, DC_DC]
    discharge = discharge_bus * p[j, PER_DC_DC]
    discharge_loss = discharge * (p[j, PER_DISCHARGE] - 1.0)
    charge_loss = charge * (1.0 - p[j, CHARGE_EFF])
    store += (charge - charge_loss - discharge - discharge_loss) * step_h
    flows[t, j, F_PV] = now[j, F_PV]
    flows[t, j, F_TRACKER] = now[j, F_TRACKER]
    flows[t, j, F_CLIPPED] = now[j, F_CLIPPED]
    flows[t, j, F_CURTAILED] = now[j, F_CURTAILED]
    flows[t, j, F_CHARGE] = charge
    flows[t, j, F_DISCHARGE] = discharge
    flows[t, j, F_DC_DC] = charge_bus - charge + discharge - discharge_bus
    flows[t, j, F_CHARGE_LOSS] = charge_loss
    flows[t, j, F_DISCHARGE_LOSS] = discharge_loss
    flows[t, j, F_INVERTER] = now[j, F_INVERTER] + discharge_bus - max(ac, 0.0)
    flows[t, j, F_RECTIFIER] = max(-ac, 0.0) - now[j, F_RECTIFIER]
    flows[t, j, F_STANDBY] = now[j, F_STANDBY]
    flows[t, j, F_AC] = ac
    flows[t, j, F_STORE] = store
    return store


@_compiled
def _offer(p, pv_kw, t, now):
    """Books what the arrays offer; returns what sleeping converters without a store draw [kW]."""
    asleep = 0.0
    for j in range(p.shape[0]):
        if p[j, HAS_PV] > 0.0:
            offered = max(pv_kw[j, t], 0.0)
            now[j, F_PV] = offered
            now[j, F_TRACKER] = offered * (1.0 - p[j, TRACKER])
        if now[j, F_PV] <= 0.0 and p[j, USABLE] <= 0.0:
            now[j, F_STANDBY] = p[j, STANDBY]
            asleep += p[j, STANDBY]
    return asleep


@_compiled
def _harvest(p, j, now):
    """What the trackers or charge controller of a converter bring to its DC bus [kW]; books what they cannot."""
    after_tracker = now[j, F_PV] - now[j, F_TRACKER]
    harvest = min(after_tracker, p[j, PV_LIMIT])
    now[j, F_CLIPPED] = after_tracker - harvest
    return harvest


@_compiled
def _serve_arrays(p, with_store, store, filling_level, spare, per_h, now):
    """Runs the arrays on converters with a store, or those without; returns the power left on the bus [kW]."""
    for j in range(p.shape[0]):
        if now[j, F_PV] > 0.0 and (p[j, USABLE] > 0.0) == with_store:
            wanted = max(-spare, 0.0)
            # A store that is being filled in the window comes before the home.
            if store[j] < filling_level * p[j, USABLE]:
                wanted = 0.0
            room = _charge_room(p, j, store[j], per_h)
            spare += _serve_array(p, j, _harvest(p, j, now), wanted, room, now)
            if not with_store and now[j, F_AC] <= 0.0:
                spare -= p[j, STANDBY]
                now[j, F_STANDBY] = p[j, STANDBY]
    return spare


@_compiled
def _fill_from_surplus(p, store, spare, per_h, now):
    """Stores on idle converters take what is left on the bus; returns what is then left [kW]."""
    for j in range(p.shape[0]):
        if now[j, F_AC] == 0.0 and spare > 0.0 and p[j, FROM_AC] > 0.0:
            room = _charge_room(p, j, store[j], per_h) - now[j, F_CHARGE]
            ac = min(spare, p[j, FROM_AC], rectifier_ac(p, j, room))
            dc = min(rectifier_dc(p, j, ac), room)
            if dc > 0.0:
                now[j, F_RECTIFIER] = dc
                now[j, F_AC] = -ac
                spare -= ac
    return spare


@_compiled
def _curtail(p, spare, export_limit_kw, now):
    """Turns converters down, the last first, until the export limit holds; returns what is left [kW]."""
    for j in range(p.shape[0] - 1, -1, -1):
        excess = spare - export_limit_kw
        ac = now[j, F_AC]
        if excess > 0.0 and ac > 0.0:
            less = max(ac - excess, 0.0)
            drawn = inverter_dc(p, j, less)
            now[j, F_CURTAILED] += now[j, F_INVERTER] - drawn
            now[j, F_INVERTER] = drawn
            now[j, F_AC] = less
            spare -= ac - less
    return spare


@_compiled
def _serve_from_stores(p, store, floor_level, spare, per_h, now):
    """Stores meet what the bus is short of, in order, down to their floor; returns what is left [kW]."""
    for j in range(p.shape[0]):
        if spare < 0.0 and p[j, USABLE] > 0.0 and now[j, F_CHARGE] <= 0.0:
            floor = max(p[j, RESERVE], floor_level) * p[j, USABLE]
            give = _discharge_room(p, j, store[j], floor, per_h)
            drawn = now[j, F_INVERTER]
            before = now[j, F_AC]
            ac = min(inverter_ac(p, j, drawn + give), before - spare)
            if give > 0.0 and ac > before:
                now[j, F_DISCHARGE] = max(inverter_dc(p, j, ac) - drawn, 0.0)
                now[j, F_AC] = ac
                spare += ac - before
    return spare


@_compiled
def _fill_from_street(p, store, target, allowed, spare, per_h, now):
    """Stores below target take power from the street, `allowed` at most; returns what is left [kW]."""
    for j in range(p.shape[0]):
        short = target * p[j, USABLE] - store[j]
        if now[j, F_AC] <= 0.0 and p[j, FROM_AC] > 0.0 and allowed > 0.0 and short > 0.0:
            most = short * p[j, PER_CHARGE] * p[j, PER_DC_DC] * per_h
            room = min(_charge_room(p, j, store[j], per_h), most) - now[j, F_CHARGE]
            before = -now[j, F_AC]
            ac = min(before + allowed, p[j, FROM_AC], rectifier_ac(p, j, room))
            dc = min(rectifier_dc(p, j, ac), room)
            if dc > now[j, F_RECTIFIER]:
                now[j, F_RECTIFIER] = dc
                now[j, F_AC] = -ac
                spare -= ac - before
                allowed -= ac - before
    return spare


@_compiled
def run(p, pv_kw, home_kw, window, target, window_limit_kw, import_limit_kw, export_limit_kw, step_h):
    """Runs a plant over a series of steps.

    Parameters
    ----------
    p : ndarray, shape (converters, len(COLUMNS))
        From `plant.pack`.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals; ignored where there is no PV input.
    home_kw : ndarray, shape (steps,)
        Demand.
    window : ndarray of bool, shape (steps,)
        Steps in which stores may be filled from the street.
    target : float
        Fraction of usable energy at which that stops.
    window_limit_kw, import_limit_kw, export_limit_kw : float
        Charging from the street, whole import, whole export [kW].
    step_h : float
        Step length [h].

    Returns
    -------
    flows : ndarray, shape (converters, len(CONVERTER_FLOWS), steps)
        Mean power [kW] by name; "store" is the level at the end of the step [kWh]; "ac" is positive outward.
    bus : ndarray, shape (len(BUS_FLOWS), steps)
        Home, import, export [kW].
    """
    n = p.shape[0]
    steps = home_kw.size
    per_h = 1.0 / step_h
    flows = np.empty((steps, n, len(CONVERTER_FLOWS)))
    now = np.empty((n, len(CONVERTER_FLOWS)))
    bus = np.empty((len(BUS_FLOWS), steps))
    store = p[:, INITIAL] * p[:, USABLE]
    for t in range(steps):
        now[:, :] = 0.0
        level = target if window[t] else 0.0
        # AC power left on the bus; below 0 it is short.
        spare = -home_kw[t] - _offer(p, pv_kw, t, now)
        # Arrays without a store first: they can only go to the bus.
        spare = _serve_arrays(p, False, store, level, spare, per_h, now)
        spare = _serve_arrays(p, True, store, level, spare, per_h, now)
        if spare > 0.0:
            spare = _fill_from_surplus(p, store, spare, per_h, now)
            spare = _curtail(p, spare, export_limit_kw, now)
        elif spare < 0.0:
            spare = _serve_from_stores(p, store, level, spare, per_h, now)
        if window[t]:
            allowed = min(window_limit_kw, import_limit_kw - max(-spare, 0.0))
            spare = _fill_from_street(p, store, target, allowed, spare, per_h, now)
        for j in range(n):
            if p[j, USABLE] > 0.0 and now[j, F_AC] == 0.0:
                now[j, F_STANDBY] = p[j, STANDBY]
                spare -= p[j, STANDBY]
            store[j] = _book(p, j, store[j], step_h, now, flows, t)
        bus[0, t] = home_kw[t]
        bus[1, t] = max(-spare, 0.0)
        bus[2, t] = max(spare, 0.0)
    # Written step by step, read as whole series.
    return flows.transpose(1, 2, 0), bus
