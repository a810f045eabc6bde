"""The time-step kernel: every grid-tied plant, one step after another, under the orders of a control.

In each step units on a clock do what the clock says. The array serves the home first, then the battery on its own
DC side, then the AC bus; what the home leaves on the AC bus fills the other batteries, then the grid up to its
limit; what remains is curtailed. A shortfall is met by the batteries down to their floor, then by the grid. In a
charge window batteries below target are charged from the grid and none is discharged below target; in an export
window they give beyond what the home asks.

The path from PV to a battery on the same converter is not bound by the AC limit. That one fact is why a
DC-coupled battery catches what would be clipped and an AC-coupled one does not.

Where the meter counts each phase, `home_kw` has three rows: a unit on one phase sees and serves that phase, a unit
on all three sees their sum and gives a third to each.
"""

import numpy as np
from numba import njit

from calm_relay.physics.plant import COLUMNS, KNOTS

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
    PER_USABLE,
    CHARGE_KW,
    DISCHARGE_KW,
    CHARGE_AT,
    _,
    _,
    _,
    DISCHARGE_AT,
    _,
    _,
    _,
    TAPER_FROM,
    TAPER_FALL,
    CHARGE_EFF,
    PER_CHARGE,
    DISCHARGE_EFF,
    PER_DISCHARGE,
    DC_DC,
    PER_DC_DC,
    RESERVE,
    INITIAL,
    FROM_AC,
    PHASE,
    BY_CLOCK,
) = range(len(COLUMNS))
LOW, HIGH = KNOTS[1], KNOTS[2]
PER_ENDS, PER_MIDDLE = 1.0 / LOW, 1.0 / (HIGH - LOW)

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
    "stored",
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
def _all(spare):
    """AC power left [kW], all phases together."""
    left = spare[0]
    for f in range(1, spare.size):
        left += spare[f]
    return left


@_compiled
def _seen(p, j, spare):
    """AC power left [kW] as the meter shows it to a converter: its phase's, or the sum."""
    if spare.size == 1:
        return spare[0]
    phase = int(p[j, PHASE])
    return spare[phase - 1] if phase > 0 else _all(spare)


@_compiled
def _put(p, j, spare, ac):
    """AC power [kW] that a converter puts on the bus, below 0 what it takes."""
    if spare.size == 1:
        spare[0] += ac
        return
    phase = int(p[j, PHASE])
    if phase > 0:
        spare[phase - 1] += ac
    else:
        for f in range(spare.size):
            spare[f] += ac / spare.size


@_compiled
def _along(p, j, first, level):
    """A current's power limit [kW] at a level, straight between the knots; `first` is its first column."""
    if level < LOW:
        return p[j, first] + (p[j, first + 1] - p[j, first]) * level * PER_ENDS
    if level < HIGH:
        return p[j, first + 1] + (p[j, first + 2] - p[j, first + 1]) * (level - LOW) * PER_MIDDLE
    return p[j, first + 2] + (p[j, first + 3] - p[j, first + 2]) * (level - HIGH) * PER_ENDS


@_compiled
def charge_room(p, j, store, fit, per_h):
    """Most power [kW] the battery takes at the DC bus in this step; `per_h` is steps per hour."""
    if p[j, USABLE] <= 0.0:
        return 0.0
    level = store * p[j, PER_USABLE]
    most = min(p[j, CHARGE_KW], _along(p, j, CHARGE_AT, level)) * fit
    if level > p[j, TAPER_FROM]:
        most *= 1.0 - p[j, TAPER_FALL] * (level - p[j, TAPER_FROM])
    most = min(most, (p[j, USABLE] - store) * p[j, PER_CHARGE] * per_h)
    return max(most, 0.0) * p[j, PER_DC_DC]


@_compiled
def discharge_room(p, j, store, floor, fit, per_h):
    """Most power [kW] the battery gives at the DC bus in this step without going below its floor."""
    most = min(p[j, DISCHARGE_KW], _along(p, j, DISCHARGE_AT, store * p[j, PER_USABLE])) * fit
    most = min(most, (store - floor) * p[j, DISCHARGE_EFF] * per_h)
    return max(most, 0.0) * p[j, DC_DC]


@_compiled
def _own_charge(p, j, harvest, wanted, room):
    """Array power [kW] that goes into the battery on the same DC bus once the home has its share."""
    most = inverter_ac(p, j, harvest)
    # A home that takes all leaves nothing, not a rounding error that would keep the battery from helping.
    if room <= 0.0 or (wanted > 0.0 and wanted >= most and most < p[j, AC_LIMIT]):
        return 0.0
    return min(max(harvest - inverter_dc(p, j, min(wanted, most)), 0.0), room)


@_compiled
def _serve_array(p, j, harvest, wanted, room, now):
    """Array of one converter: home's share, then its own battery, then the AC bus. Returns AC power [kW]."""
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
    """Books the working figures of one converter in row `t`; returns the battery's new level [kWh].

    While a step is worked on, F_CHARGE holds PV to battery at the DC bus, F_RECTIFIER what the rectifier gives
    the DC bus, F_DISCHARGE what the battery gives the DC bus, F_INVERTER the PV power that enters the inverter.
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
def _offer(p, pv_kw, t, spare, now):
    """Books what the arrays offer, and what sleeping converters without a battery draw."""
    for j in range(p.shape[0]):
        if p[j, HAS_PV] > 0.0:
            offered = max(pv_kw[j, t], 0.0)
            now[j, F_PV] = offered
            now[j, F_TRACKER] = offered * (1.0 - p[j, TRACKER])
        if now[j, F_PV] <= 0.0 and p[j, USABLE] <= 0.0:
            now[j, F_STANDBY] = p[j, STANDBY]
            _put(p, j, spare, -p[j, STANDBY])


@_compiled
def _harvest(p, j, now):
    """What the trackers or charge controller of a converter bring to its DC bus [kW]; books what they cannot."""
    after_tracker = now[j, F_PV] - now[j, F_TRACKER]
    harvest = min(after_tracker, p[j, PV_LIMIT])
    now[j, F_CLIPPED] = after_tracker - harvest
    return harvest


@_compiled
def _serve_arrays(p, with_battery, store, filling_level, exporting, bias, fit, day, spare, per_h, now):
    """Runs the arrays on converters with a battery, or those without."""
    for j in range(p.shape[0]):
        if now[j, F_PV] > 0.0 and (p[j, USABLE] > 0.0) == with_battery:
            wanted = max(-_seen(p, j, spare) - bias, 0.0)
            # A battery that is being filled in the window comes before the home.
            if store[j] < filling_level * p[j, USABLE]:
                wanted = 0.0
            room = 0.0 if exporting else charge_room(p, j, store[j], fit[0, j, day], per_h)
            _put(p, j, spare, _serve_array(p, j, _harvest(p, j, now), wanted, room, now))
            if not with_battery and now[j, F_AC] <= 0.0:
                _put(p, j, spare, -p[j, STANDBY])
                now[j, F_STANDBY] = p[j, STANDBY]


@_compiled
def _draw(p, j, ac_most, room, now):
    """Has a converter rectify up to `ac_most` into `room` at its DC bus; returns the AC power it draws more."""
    before = -now[j, F_AC]
    ac = min(ac_most, p[j, FROM_AC], rectifier_ac(p, j, room))
    dc = min(rectifier_dc(p, j, ac), room)
    if dc <= now[j, F_RECTIFIER]:
        return 0.0
    now[j, F_RECTIFIER] = dc
    now[j, F_AC] = -ac
    return ac - before


@_compiled
def _give(p, j, store, floor, fit, wanted, per_h, now):
    """Has a battery give up to `wanted` AC power more, down to its floor; returns what it gives more [kW]."""
    give = discharge_room(p, j, store, floor, fit, per_h)
    if give <= now[j, F_DISCHARGE]:
        return 0.0
    drawn = now[j, F_INVERTER]
    before = now[j, F_AC]
    ac = min(inverter_ac(p, j, drawn + give), before + wanted)
    if ac <= before:
        return 0.0
    now[j, F_DISCHARGE] = max(inverter_dc(p, j, ac) - drawn, 0.0)
    now[j, F_AC] = ac
    return ac - before


@_compiled
def _obey_clock(p, clock_kw, store, fit, day, spare, per_h, now):
    """Units on a time clock charge or give as it says, whatever the meter shows."""
    for j in range(p.shape[0]):
        if p[j, BY_CLOCK] > 0.0 and p[j, USABLE] > 0.0:
            if clock_kw > 0.0:
                room = charge_room(p, j, store[j], fit[0, j, day], per_h)
                _put(p, j, spare, -_draw(p, j, clock_kw, room, now))
            elif clock_kw < 0.0:
                floor = p[j, RESERVE] * p[j, USABLE]
                _put(p, j, spare, _give(p, j, store[j], floor, fit[1, j, day], -clock_kw, per_h, now))


@_compiled
def _fill_from_surplus(p, store, bias, fit, day, spare, per_h, now):
    """Batteries on idle converters take what is left on the bus."""
    for j in range(p.shape[0]):
        left = _seen(p, j, spare) + bias
        if now[j, F_AC] == 0.0 and left > 0.0 and p[j, FROM_AC] > 0.0 and p[j, BY_CLOCK] == 0.0:
            room = charge_room(p, j, store[j], fit[0, j, day], per_h) - now[j, F_CHARGE]
            _put(p, j, spare, -_draw(p, j, left, room, now))


@_compiled
def _curtail(p, spare, export_limit_kw, now):
    """Turns converters down, the last first, until the export limit holds for the sum of the phases."""
    for j in range(p.shape[0] - 1, -1, -1):
        excess = _all(spare) - export_limit_kw
        ac = now[j, F_AC]
        if excess > 0.0 and ac > 0.0 and now[j, F_INVERTER] > 0.0:
            less = max(ac - excess, 0.0)
            drawn = inverter_dc(p, j, less)
            now[j, F_CURTAILED] += now[j, F_INVERTER] - drawn
            now[j, F_INVERTER] = drawn
            now[j, F_AC] = less
            _put(p, j, spare, less - ac)


@_compiled
def _serve_from_batteries(p, store, floor_level, leave_kw, fit, day, spare, per_h, now):
    """Batteries meet what the bus is short of beyond `leave_kw`, in order, down to their floor."""
    for j in range(p.shape[0]):
        short = -_seen(p, j, spare) - leave_kw
        idle = now[j, F_CHARGE] <= 0.0 and now[j, F_RECTIFIER] <= 0.0 and p[j, BY_CLOCK] == 0.0
        if short > 0.0 and p[j, USABLE] > 0.0 and idle:
            floor = max(p[j, RESERVE], floor_level) * p[j, USABLE]
            _put(p, j, spare, _give(p, j, store[j], floor, fit[1, j, day], short, per_h, now))


@_compiled
def _export_stored(p, store, battery_export_to, battery_export_kw, export_limit_kw, fit, day, spare, per_h, now):
    """Batteries give beyond what the home asks, down to a level, within the export limit."""
    for j in range(p.shape[0]):
        most = min(battery_export_kw, export_limit_kw - _all(spare))
        idle = now[j, F_CHARGE] <= 0.0 and now[j, F_RECTIFIER] <= 0.0 and p[j, BY_CLOCK] == 0.0
        if most > 0.0 and p[j, USABLE] > 0.0 and idle:
            floor = max(p[j, RESERVE], battery_export_to) * p[j, USABLE]
            more = _give(p, j, store[j], floor, fit[1, j, day], most, per_h, now)
            _put(p, j, spare, more)
            battery_export_kw -= more


@_compiled
def _charge_from_grid(p, store, target, allowed, fit, day, spare, per_h, now):
    """Batteries below target take power from the grid, `allowed` at most."""
    for j in range(p.shape[0]):
        short = target * p[j, USABLE] - store[j]
        may = now[j, F_AC] <= 0.0 and p[j, FROM_AC] > 0.0 and p[j, BY_CLOCK] == 0.0
        if may and allowed > 0.0 and short > 0.0:
            most = short * p[j, PER_CHARGE] * p[j, PER_DC_DC] * per_h
            room = min(charge_room(p, j, store[j], fit[0, j, day], per_h), most) - now[j, F_CHARGE]
            more = _draw(p, j, -now[j, F_AC] + allowed, room, now)
            _put(p, j, spare, -more)
            allowed -= more


@_compiled
def _add_up(flows, rows, sums):
    """Adds the first rows of a day's flows to the sums, four rows at a time."""
    fours = rows - rows % 4
    for j in range(sums.shape[0]):
        for t in range(0, fours, 4):
            for f in range(len(CONVERTER_FLOWS)):
                sums[j, f] += flows[t, j, f] + flows[t + 1, j, f] + flows[t + 2, j, f] + flows[t + 3, j, f]
        for t in range(fours, rows):
            for f in range(len(CONVERTER_FLOWS)):
                sums[j, f] += flows[t, j, f]


@_compiled
def run(
    p,
    pv_kw,
    home_kw,
    charge_to,
    charge_kw,
    may_give,
    leave_kw,
    battery_export_kw,
    battery_export_to,
    clock_kw,
    fit,
    bias_kw,
    fill_import_kw,
    import_limit_kw,
    export_limit_kw,
    step_h,
    record,
    add_up,
    bus,
    level,
):
    """Runs a plant over a series of steps.

    Parameters
    ----------
    p : ndarray, shape (converters, len(COLUMNS))
        From `plant.pack`, in the order in which converters serve and fill.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals; ignored where there is no PV input.
    home_kw : ndarray, shape (1, steps) or (3, steps)
        Demand, of each phase where the meter counts each.
    charge_to, charge_kw, may_give, leave_kw, sell_kw, sell_to, clock_kw : ndarray, shape (steps,)
        Orders, see `control.Control`.
    fit : ndarray, shape (2, converters, 1 or days)
        Share of the charge and of the discharge limit that cold or heat leaves.
    bias_kw, fill_import_kw : float
        See `control.Control`.
    import_limit_kw, export_limit_kw : float
        [kW].
    step_h : float
        Step length [h].
    record : bool
        Whether every flow of every step is kept.
    add_up : bool
        Whether the flows are added up instead, where they are not kept.
    bus : ndarray, shape (len(BUS_FLOWS), steps)
        Filled with home, import, export [kW].
    level : ndarray, shape (converters, steps)
        Filled with the energy stored at the end of each step [kWh].

    Returns
    -------
    flows : ndarray, shape (converters, len(CONVERTER_FLOWS), steps)
        Mean power [kW] by name; "battery" is the level at the end of the step [kWh]; "ac" is positive outward.
        Without `record` it holds the last day alone.
    sums : ndarray, shape (converters, len(CONVERTER_FLOWS))
        Of every flow over the steps [kW]; nothing unless they are added up.
    """
    n = p.shape[0]
    steps = home_kw.shape[1]
    per_h = 1.0 / step_h
    per_day = max(int(24.0 * per_h), 1)
    flows = np.empty((steps if record else min(per_day, steps), n, len(CONVERTER_FLOWS)))
    sums = np.zeros((n, len(CONVERTER_FLOWS)))
    now = np.empty((n, len(CONVERTER_FLOWS)))
    store = p[:, INITIAL] * p[:, USABLE]
    spare = np.empty(home_kw.shape[0])
    day, next_day, row = 0, per_day, -1
    clocks = p[:, BY_CLOCK].sum() > 0.0
    for t in range(steps):
        for j in range(n):
            for f in range(len(CONVERTER_FLOWS)):
                now[j, f] = 0.0
        if t == next_day:
            next_day += per_day
            day = min(day + 1, fit.shape[2] - 1)
            if not record:
                if add_up:
                    _add_up(flows, row + 1, sums)
                row = -1
        row += 1
        target = charge_to[t]
        exporting = battery_export_kw[t] > 0.0
        # AC power left on the bus, by phase; below 0 it is short.
        for f in range(spare.size):
            spare[f] = -home_kw[f, t]
        _offer(p, pv_kw, t, spare, now)
        if clocks:
            _obey_clock(p, clock_kw[t], store, fit, day, spare, per_h, now)
        # Arrays without a battery first: they can only go to the bus.
        _serve_arrays(p, False, store, target, exporting, bias_kw, fit, day, spare, per_h, now)
        _serve_arrays(p, True, store, target, exporting, bias_kw, fit, day, spare, per_h, now)
        if not exporting:
            _fill_from_surplus(p, store, bias_kw, fit, day, spare, per_h, now)
        if _all(spare) > export_limit_kw:
            _curtail(p, spare, export_limit_kw, now)
        if may_give[t]:
            _serve_from_batteries(p, store, target, leave_kw[t], fit, day, spare, per_h, now)
        if exporting:
            _export_stored(
                p, store, battery_export_to[t], battery_export_kw[t], export_limit_kw, fit, day, spare, per_h, now
            )
        if target > 0.0:
            short = max(-_all(spare), 0.0)
            allowed = min(charge_kw[t], min(import_limit_kw, fill_import_kw) - short)
            _charge_from_grid(p, store, target, allowed, fit, day, spare, per_h, now)
        for j in range(n):
            if p[j, USABLE] > 0.0 and now[j, F_AC] == 0.0:
                now[j, F_STANDBY] = p[j, STANDBY]
                _put(p, j, spare, -p[j, STANDBY])
            store[j] = _book(p, j, store[j], step_h, now, flows, row)
            level[j, t] = store[j]
        home, imported, exported = 0.0, 0.0, 0.0
        for f in range(spare.size):
            home += home_kw[f, t]
            imported += max(-spare[f], 0.0)
            exported += max(spare[f], 0.0)
        bus[0, t] = home
        bus[1, t] = imported
        bus[2, t] = exported
    if add_up and not record:
        _add_up(flows, row + 1, sums)
    # Written step by step, read as whole series.
    return flows.transpose(1, 2, 0), sums
