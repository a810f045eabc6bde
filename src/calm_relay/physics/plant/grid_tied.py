"""A plant on the grid, one step after another, under the orders of a control.

In each step inverters on a time clock do what the clock says. The array serves the home first, then the battery on
its own DC side, then the AC bus; what the home leaves on the AC bus charges the other batteries, then goes to the
grid up to its limit; what remains is curtailed. A shortfall is met by the batteries down to their floor, then by the
grid. In a charge window batteries below target are charged from the grid and none is discharged below target; in an
export window they give beyond what the home asks. Where charging is delayed what the arrays leave goes out first, up to
the export limit, and batteries take what would be turned away.

The path from PV to a battery on the same converter is not bound by the AC limit. That one fact is why a DC-coupled
battery catches what would be clipped and an AC-coupled one does not.

Controlled loads take what they must beside the home; what they may take is what the arrays leave, in the order of the
loads, some of them before the batteries.

Where the meter counts each phase, demand has three rows: a converter on one phase sees and serves that phase, one
on all three sees their sum and gives a third to each.
"""

from typing import NamedTuple

import numpy as np

from calm_relay.physics.compiling import inlined, uncounted
from calm_relay.physics.plant.control import ControlSteps
from calm_relay.physics.plant.converter import (
    charge_room,
    discharge_room,
    inverter_ac,
    inverter_dc,
    rectifier_ac,
    rectifier_dc,
)
from calm_relay.physics.plant.flows import (
    EXPORT,
    HOME,
    IMPORT,
    Record,
    Scratch,
    begin_run,
    begin_step,
    book,
    turn_page,
)
from calm_relay.physics.plant.loads import (
    LoadRecord,
    LoadSteps,
    able_to_give,
    begin_load,
    book_loads,
    end_load,
    on_surplus,
    port_is_on,
)
from calm_relay.physics.plant.parts import UNLIMITED


class Offer(NamedTuple):
    """What reaches the plant from outside.

    Attributes
    ----------
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW]; ignored where there is no PV input.
    home_kw : ndarray, shape (1, steps) or (3, steps)
        Demand, of each phase where the meter counts each [kW].
    thermal_derate : ndarray, shape (2, converters, 1 or days)
        Share of the charge and of the discharge limit that cold or heat leaves.
    import_limit_kw, export_limit_kw : float
        What the grid connection may carry [kW].
    """

    pv_kw: np.ndarray
    home_kw: np.ndarray
    thermal_derate: np.ndarray
    import_limit_kw: float
    export_limit_kw: float


@inlined
def _all(spare: np.ndarray) -> float:
    """AC power left [kW], all phases together."""
    left = spare[0]
    for f in range(1, spare.size):
        left += spare[f]
    return left


@inlined
def _seen(c: np.ndarray, j: int, spare: np.ndarray) -> float:
    """AC power left [kW] as the meter shows it to a converter: its phase's, or the sum."""
    if spare.size == 1:
        return spare[0]
    phase = c[j].phase
    return spare[phase - 1] if phase > 0 else _all(spare)


@inlined
def _put(c: np.ndarray, j: int, spare: np.ndarray, ac: float) -> None:
    """AC power [kW] that a converter puts on the bus, below 0 what it takes."""
    if spare.size == 1:
        spare[0] += ac
        return
    phase = c[j].phase
    if phase > 0:
        spare[phase - 1] += ac
    else:
        for f in range(spare.size):
            spare[f] += ac / spare.size


@inlined
def _take(spare: np.ndarray, phase: int, kw: float) -> None:
    """AC power [kW] that a load takes from the bus."""
    if spare.size == 1:
        spare[0] -= kw
    elif phase > 0:
        spare[phase - 1] -= kw
    else:
        for f in range(spare.size):
            spare[f] -= kw / spare.size


@inlined
def _array_left(c: np.ndarray, w: np.ndarray, spare: np.ndarray, filling: bool) -> float:
    """What all arrays could leave on the bus beyond what hangs on it [kW]; those that fill their battery give none."""
    left = _all(spare)
    for j in range(c.size):
        if c[j].has_pv and not (filling and c[j].usable_kwh > 0.0):
            left += inverter_ac(c, j, min(w[j].pv - w[j].tracker, c[j].pv_limit_kw))
    return left


@inlined
def _charge_level(c: np.ndarray, w: np.ndarray) -> float:
    """State of charge of all batteries together; 1 where there is none."""
    held, most = 0.0, 0.0
    for j in range(c.size):
        held += w[j].stored
        most += c[j].usable_kwh
    return held / most if most > 0.0 else 1.0


@inlined
def _own_charge(c: np.ndarray, j: int, harvest: float, wanted: float, room: float) -> float:
    """Array power [kW] that goes into the battery on the same DC bus once the home has its share."""
    if room <= 0.0:
        return 0.0
    if wanted <= 0.0:
        return min(harvest, room)
    most = inverter_ac(c, j, harvest)
    # A home that takes all leaves nothing, not a rounding error that would keep the battery from helping.
    if wanted >= most and most < c[j].ac_limit_kw:
        return 0.0
    return min(max(harvest - inverter_dc(c, j, min(wanted, most)), 0.0), room)


@inlined
def _serve_array(c: np.ndarray, w: np.ndarray, j: int, harvest: float, wanted: float, room: float) -> float:
    """Array of one converter: home's share, then its own battery, then the AC bus. Returns AC power [kW]."""
    charge = _own_charge(c, j, harvest, wanted, room)
    left = harvest - charge
    ac = inverter_ac(c, j, left)
    drawn = min(left, inverter_dc(c, j, ac))
    # Below its limit the inverter takes all there is, even where its own losses eat it.
    if ac < c[j].ac_limit_kw:
        drawn = left
    w[j].clipped += left - drawn
    w[j].charge = charge
    w[j].inverter = drawn
    w[j].ac = ac
    return ac


@inlined
def _offer(c: np.ndarray, w: np.ndarray, spare: np.ndarray, pv_kw: np.ndarray, t: int) -> None:
    """Books what the arrays offer, and what sleeping converters without a battery draw."""
    for j in range(c.size):
        if c[j].has_pv:
            offered = max(pv_kw[j, t], 0.0)
            w[j].pv = offered
            w[j].tracker = offered * (1.0 - c[j].tracker_efficiency)
        if w[j].pv <= 0.0 and c[j].usable_kwh <= 0.0:
            w[j].standby = c[j].standby_kw
            _put(c, j, spare, -c[j].standby_kw)


@inlined
def _harvest(c: np.ndarray, w: np.ndarray, j: int) -> float:
    """What the trackers or charge controller of a converter bring to its DC bus [kW]; books what they cannot."""
    after_tracker = w[j].pv - w[j].tracker
    harvest = min(after_tracker, c[j].pv_limit_kw)
    w[j].clipped = after_tracker - harvest
    return harvest


@inlined
def _serve_arrays(
    c: np.ndarray,
    w: np.ndarray,
    spare: np.ndarray,
    with_battery: bool,
    filling_level: float,
    exporting: bool,
    bias: float,
    out_first: float,
) -> None:
    """Runs the arrays on converters with a battery, or those without; `out_first` goes out before a battery [kW]."""
    for j in range(c.size):
        if w[j].pv > 0.0 and (c[j].usable_kwh > 0.0) == with_battery:
            wanted = max(-_seen(c, j, spare) - bias, out_first - _all(spare), 0.0)
            # A battery that is being filled in the window comes before the home.
            # Outside windows the level is 0, and no rounding error below it counts.
            if filling_level > 0.0 and w[j].stored < filling_level * c[j].usable_kwh:
                wanted = 0.0
            room = 0.0 if exporting else charge_room(c, j, w[j].stored, w[j].charge_derate, w[j].per_h)
            harvest = _harvest(c, w, j)
            # A load on its DC bus that must be served comes first.
            direct = min(harvest, w[j].asked)
            w[j].asked -= direct
            _put(c, j, spare, _serve_array(c, w, j, harvest - direct, wanted, room))
            if not with_battery and w[j].ac <= 0.0:
                _put(c, j, spare, -c[j].standby_kw)
                w[j].standby = c[j].standby_kw


@inlined
def _draw(c: np.ndarray, w: np.ndarray, j: int, ac_most: float, room: float) -> float:
    """Has a converter rectify up to `ac_most` into `room` at its DC bus; returns the AC power it draws more."""
    before = -w[j].ac
    ac = min(ac_most, c[j].from_ac_kw)
    dc = rectifier_dc(c, j, ac)
    # Where the battery has room for all of it, the root that tells what fills the room is spared.
    if dc > room or 2.0 * c[j].k2 * ac > 1.0 - c[j].k1:
        ac = min(ac, rectifier_ac(c, j, room))
        dc = min(rectifier_dc(c, j, ac), room)
    if dc <= w[j].rectifier:
        return 0.0
    w[j].rectifier = dc
    w[j].ac = -ac
    return ac - before


@inlined
def _give(c: np.ndarray, w: np.ndarray, j: int, floor: float, wanted: float) -> float:
    """Has a battery give up to `wanted` AC power more, down to its floor; returns what it gives more [kW]."""
    give = discharge_room(c, j, w[j].stored, floor, w[j].discharge_derate, w[j].per_h)
    if give <= w[j].discharge:
        return 0.0
    drawn = w[j].inverter
    before = w[j].ac
    ac = min(before + wanted, c[j].ac_limit_kw)
    dc = inverter_dc(c, j, ac)
    # Where the battery gives all that is wanted, the root that tells what its most comes to is spared.
    if dc > drawn + give:
        ac = inverter_ac(c, j, drawn + give)
        dc = inverter_dc(c, j, ac)
    if ac <= before:
        return 0.0
    w[j].discharge = max(dc - drawn, 0.0)
    w[j].ac = ac
    return ac - before


@inlined
def _obey_clock(c: np.ndarray, w: np.ndarray, spare: np.ndarray, clock_kw: float) -> None:
    """Units on a time clock charge or give as it says, whatever the meter shows."""
    for j in range(c.size):
        if c[j].by_clock and c[j].usable_kwh > 0.0:
            if clock_kw > 0.0:
                room = charge_room(c, j, w[j].stored, w[j].charge_derate, w[j].per_h)
                _put(c, j, spare, -_draw(c, w, j, clock_kw, room))
            elif clock_kw < 0.0:
                floor = c[j].reserve * c[j].usable_kwh
                _put(c, j, spare, _give(c, w, j, floor, -clock_kw))


@inlined
def _charge_from_surplus(c: np.ndarray, w: np.ndarray, spare: np.ndarray, bias: float, out_first: float) -> None:
    """Batteries on idle converters take what is left on the bus beyond what goes out before them [kW]."""
    for j in range(c.size):
        left = min(_seen(c, j, spare) + bias, _all(spare) - out_first)
        if w[j].ac == 0.0 and left > 0.0 and c[j].from_ac_kw > 0.0 and not c[j].by_clock:
            room = charge_room(c, j, w[j].stored, w[j].charge_derate, w[j].per_h) - w[j].charge
            _put(c, j, spare, -_draw(c, w, j, left, room))


@inlined
def _curtail(c: np.ndarray, w: np.ndarray, spare: np.ndarray, export_limit_kw: float) -> None:
    """Turns converters down, the last first, until the export limit holds for the sum of the phases."""
    for j in range(c.size - 1, -1, -1):
        excess = _all(spare) - export_limit_kw
        ac = w[j].ac
        if excess > 0.0 and ac > 0.0 and w[j].inverter > 0.0:
            less = max(ac - excess, 0.0)
            drawn = inverter_dc(c, j, less)
            w[j].curtailed += w[j].inverter - drawn
            w[j].inverter = drawn
            w[j].ac = less
            _put(c, j, spare, less - ac)


@inlined
def _serve_from_batteries(
    c: np.ndarray, w: np.ndarray, spare: np.ndarray, floor_level: float, leave_kw: float
) -> None:
    """Batteries meet what the bus is short of beyond `leave_kw`, in order, down to their floor."""
    for j in range(c.size):
        short = -_seen(c, j, spare) - leave_kw
        idle = w[j].charge <= 0.0 and w[j].rectifier <= 0.0 and not c[j].by_clock
        if short > 0.0 and c[j].usable_kwh > 0.0 and idle:
            floor = max(c[j].reserve, floor_level) * c[j].usable_kwh
            _put(c, j, spare, _give(c, w, j, floor, short))


@inlined
def _export_stored(
    c: np.ndarray, w: np.ndarray, spare: np.ndarray, export_to: float, export_kw: float, export_limit_kw: float
) -> None:
    """Batteries give beyond what the home asks, down to a level, within the export limit."""
    for j in range(c.size):
        most = min(export_kw, export_limit_kw - _all(spare))
        idle = w[j].charge <= 0.0 and w[j].rectifier <= 0.0 and not c[j].by_clock
        if most > 0.0 and c[j].usable_kwh > 0.0 and idle:
            floor = max(c[j].reserve, export_to) * c[j].usable_kwh
            more = _give(c, w, j, floor, most)
            _put(c, j, spare, more)
            export_kw -= more


@inlined
def _charge_from_grid(c: np.ndarray, w: np.ndarray, spare: np.ndarray, target: float, allowed: float) -> None:
    """Batteries below target take power from the grid, `allowed` at most."""
    for j in range(c.size):
        short = target * c[j].usable_kwh - w[j].stored
        may = w[j].ac <= 0.0 and c[j].from_ac_kw > 0.0 and not c[j].by_clock
        if may and allowed > 0.0 and short > 0.0:
            most = short * c[j].per_charge * c[j].per_dc_dc * w[j].per_h
            room = min(charge_room(c, j, w[j].stored, w[j].charge_derate, w[j].per_h), most) - w[j].charge
            more = _draw(c, w, j, -w[j].ac + allowed, room)
            _put(c, j, spare, -more)
            allowed -= more


@inlined
def _dc_from_battery(c: np.ndarray, w: np.ndarray, j: int, floor: float) -> None:
    """What a load on a DC bus still asks, from the battery there."""
    if w[j].asked <= 0.0 or w[j].charge > 0.0 or w[j].rectifier > 0.0 or c[j].usable_kwh <= 0.0:
        return
    give = min(w[j].asked, discharge_room(c, j, w[j].stored, floor, w[j].discharge_derate, w[j].per_h))
    w[j].discharge += give
    w[j].inverter -= give
    w[j].asked -= give


@inlined
def _dc_from_bus(c: np.ndarray, w: np.ndarray, j: int, wanted: float, allowed: float) -> float:
    """Rectifies for a load on a DC bus; returns the AC power that is drawn more [kW]."""
    if wanted <= 1e-12 or w[j].ac > 0.0:
        return 0.0
    before = -w[j].ac
    total = min(w[j].rectifier + wanted, rectifier_dc(c, j, c[j].ac_limit_kw))
    ac = min(rectifier_ac(c, j, total), c[j].ac_limit_kw, before + allowed)
    dc = min(rectifier_dc(c, j, ac), total)
    if dc <= w[j].rectifier + 1e-12:
        return 0.0
    more = dc - w[j].rectifier
    w[j].rectifier = dc
    w[j].charge -= more
    w[j].ac = -ac
    w[j].asked -= more
    return ac - before


@inlined
def _dc_left(c: np.ndarray, w: np.ndarray, j: int, spare: float) -> float:
    """What a DC bus could give a load of what is left over [kW]: clipped power, and what the inverter feeds in vain."""
    after_tracker = w[j].pv - w[j].tracker
    left = max(w[j].clipped - max(after_tracker - c[j].pv_limit_kw, 0.0), 0.0)
    if w[j].ac > 0.0 and spare > 0.0:
        left += max(w[j].inverter - inverter_dc(c, j, max(w[j].ac - spare, 0.0)), 0.0)
    elif spare > 0.0 and w[j].discharge <= 0.0:
        most = min(-w[j].ac + spare, c[j].ac_limit_kw)
        left += max(rectifier_dc(c, j, most) - w[j].rectifier, 0.0)
    return left


@inlined
def _dc_take_left(c: np.ndarray, w: np.ndarray, j: int, spare: float, take: float) -> float:
    """Takes of what `_dc_left` told; returns by how much the AC bus has less [kW]."""
    after_tracker = w[j].pv - w[j].tracker
    clipped = min(take, max(w[j].clipped - max(after_tracker - c[j].pv_limit_kw, 0.0), 0.0))
    w[j].clipped -= clipped
    take -= clipped
    if take <= 1e-12:
        return 0.0
    if w[j].ac > 0.0:
        drawn = max(w[j].inverter - take, 0.0)
        ac = inverter_ac(c, j, drawn)
        less = w[j].ac - ac
        w[j].inverter, w[j].ac = drawn, ac
        return less
    w[j].asked += take
    drawn = _dc_from_bus(c, w, j, take, spare)
    w[j].asked = 0.0
    return drawn


@inlined
def _give_back(
    c: np.ndarray, w: np.ndarray, spec: np.ndarray, k: int, able: float, short: float
) -> tuple[float, float]:
    """A load gives back to a bus that is short: what the AC bus has more, and what the load gave [kW]."""
    if spec[k].converter == 0:
        give = min(able, short)
        return give, give
    j = spec[k].converter - 1
    if w[j].ac < 0.0 or w[j].rectifier > 0.0:
        return 0.0, 0.0
    drawn = w[j].inverter + w[j].discharge
    ac = min(inverter_ac(c, j, drawn + able), w[j].ac + short)
    if ac <= w[j].ac:
        return 0.0, 0.0
    give = max(inverter_dc(c, j, ac) - drawn, 0.0)
    more = ac - w[j].ac
    w[j].inverter += give
    w[j].ac = ac
    return more, give


@inlined
def _begin_loads(
    spec: np.ndarray,
    work: np.ndarray,
    loads: LoadSteps,
    t: int,
    level_now: float,
    spare: np.ndarray,
    w: np.ndarray,
    import_limit_kw: float,
    step_h: float,
) -> float:
    """Loads take what they must; returns what of it no battery is to serve [kW]."""
    kept_kw = 0.0
    # What the arrays give is not counted on: the main fuse holds when a cloud comes.
    asked_kw = -_all(spare)
    for k in range(spec.size):
        on = port_is_on(spec, work, k, level_now)
        must = begin_load(
            spec,
            work,
            k,
            loads.draw_kwh[k, t],
            loads.per_gain_h[k, t],
            spec[k].cap_kwh if on else loads.fill_to_kwh[k, t],
            loads.hours_left[k, t],
            step_h,
        )
        work[k].wish = must
        if spec[k].managed > 0:
            must = min(must, max(import_limit_kw - asked_kw, 0.0))
        asked_kw += must
        work[k].taken = must
        if spec[k].converter > 0:
            w[spec[k].converter - 1].asked = must
            continue
        _take(spare, spec[k].phase, must)
        if spec[k].from_battery == 0 and not on:
            kept_kw += must
    return kept_kw


@inlined
def _loads_before_batteries(
    c: np.ndarray,
    w: np.ndarray,
    spare: np.ndarray,
    spec: np.ndarray,
    work: np.ndarray,
    may: np.ndarray,
    t: int,
    level_now: float,
    filling: bool,
    step_h: float,
) -> None:
    """Loads that come before the batteries take what the arrays will leave."""
    left = _array_left(c, w, spare, filling)
    for k in range(spec.size):
        if left > 0.0 and spec[k].first > 0 and may[k, t] and level_now >= spec[k].soc_above:
            j = spec[k].converter - 1
            most = left
            if j >= 0:
                harvest = min(w[j].pv - w[j].tracker, c[j].pv_limit_kw)
                most = min(left, max(harvest - inverter_dc(c, j, max(-_seen(c, j, spare), 0.0)), 0.0))
            more = on_surplus(spec, work, k, most, step_h)
            left -= more
            if j >= 0:
                w[j].asked += more
            else:
                _take(spare, spec[k].phase, more)


@inlined
def _serve_dc_loads(
    c: np.ndarray,
    w: np.ndarray,
    spare: np.ndarray,
    spec: np.ndarray,
    work: np.ndarray,
    may_discharge: bool,
    target: float,
    import_limit_kw: float,
) -> float:
    """Loads on a DC bus have the rest of what they must from its battery, then from the AC bus.

    Returns what of it other batteries are not to serve [kW].
    """
    kept_kw = 0.0
    for k in range(spec.size):
        if spec[k].converter > 0:
            j = spec[k].converter - 1
            if spec[k].from_battery > 0 and may_discharge:
                _dc_from_battery(c, w, j, max(c[j].reserve, target) * c[j].usable_kwh)
            allowed = max(import_limit_kw + _all(spare), 0.0) if spec[k].managed > 0 else np.inf
            drawn = _dc_from_bus(c, w, j, w[j].asked, allowed)
            _put(c, j, spare, -drawn)
            # Other batteries do not serve what the grid is to.
            if spec[k].from_battery == 0:
                kept_kw += drawn
            work[k].taken -= max(w[j].asked, 0.0)
            w[j].asked = 0.0
    return kept_kw


@inlined
def _loads_after_batteries(
    c: np.ndarray,
    w: np.ndarray,
    spare: np.ndarray,
    spec: np.ndarray,
    work: np.ndarray,
    may: np.ndarray,
    t: int,
    level_now: float,
    step_h: float,
) -> None:
    """Loads take, in their order, what home and batteries leave of the arrays."""
    for k in range(spec.size):
        if not (may[k, t] and level_now >= spec[k].soc_above):
            continue
        left = _all(spare)
        if spec[k].converter > 0:
            j = spec[k].converter - 1
            most = _dc_left(c, w, j, max(left, 0.0))
            more = on_surplus(spec, work, k, most, step_h) if most > 1e-9 else 0.0
            if more > 0.0:
                _put(c, j, spare, -_dc_take_left(c, w, j, max(left, 0.0), more))
        elif left > 0.0:
            _take(spare, spec[k].phase, on_surplus(spec, work, k, left, step_h))


@inlined
def _loads_give_back(
    c: np.ndarray,
    w: np.ndarray,
    spare: np.ndarray,
    spec: np.ndarray,
    work: np.ndarray,
    hours_left: np.ndarray,
    t: int,
    leave_kw: float,
    step_h: float,
) -> None:
    """Loads that may give back meet what the batteries leave the bus short of, beyond `leave_kw`."""
    for k in range(spec.size):
        able = able_to_give(spec, work, k, hours_left[k, t], step_h)
        short = -_all(spare) - leave_kw
        if able > 0.0 and short > 1e-9:
            more, gave = _give_back(c, w, spec, k, able, short)
            if spec[k].converter > 0:
                _put(c, spec[k].converter - 1, spare, more)
            else:
                _take(spare, spec[k].phase, -more)
            work[k].taken = -gave


@inlined
def _end_loads(
    spec: np.ndarray, work: np.ndarray, gain_h: np.ndarray, t: int, step_h: float, out: LoadRecord
) -> float:
    """Books a step of every load; returns what all took [kW]."""
    taken = 0.0
    for k in range(spec.size):
        end_load(spec, work, k, gain_h[k, t], step_h)
        out.kw[k, t] = work[k].taken
        out.stored[k, t] = work[k].level
        taken += work[k].taken
    return taken


@inlined
def _run(
    c: np.ndarray,
    w: np.ndarray,
    offer: Offer,
    control: ControlSteps,
    step_h: float,
    scratch: Scratch,
    out: Record,
    loads: LoadSteps,
    load_work: np.ndarray,
    load_out: LoadRecord,
) -> None:
    """See `run`."""
    n, steps = c.size, offer.home_kw.shape[1]
    pv_kw, home_kw, derate = offer.pv_kw, offer.home_kw, offer.thermal_derate
    bus, stored = out.bus, out.stored
    charge_to, charge_kw, may_discharge = control.charge_to, control.charge_kw, control.may_discharge
    leave_kw, export_kw, export_to = control.leave_kw, control.export_kw, control.export_to
    clock_kw, delayed, bias_kw = control.clock_kw, control.delayed, control.bias_kw
    export_limit_kw, fuse_kw = offer.export_limit_kw, offer.import_limit_kw
    import_limit_kw = min(fuse_kw, control.charge_import_limit_kw)
    spec, may = loads.spec, loads.may
    any_first, by_level, level_now, giving, any_dc = False, False, 1.0, False, False
    for k in range(spec.size):
        any_dc = any_dc or spec[k].converter > 0
        giving = giving or spec[k].gives_kw > 0.0
        any_first = any_first or spec[k].first > 0
        by_level = by_level or spec[k].soc_above > 0.0 or spec[k].on_above > 0.0
    per_day = min(max(int(24.0 / step_h), 1), steps)
    # AC power left on the bus, by phase; below 0 it is short.
    page, spare = scratch.page, scratch.spare
    begin_run(c, w, step_h)
    row, day = per_day, -1
    for t in range(steps):
        if row == per_day:
            if t > 0:
                turn_page(page, per_day, t, out)
            row, day = 0, min(day + 1, derate.shape[2] - 1)
            for j in range(n):
                w[j].charge_derate, w[j].discharge_derate = derate[0, j, day], derate[1, j, day]
        for j in range(n):
            begin_step(w, j)
        for f in range(spare.size):
            spare[f] = -home_kw[f, t]
        target, exporting, kept_kw = charge_to[t], export_kw[t] > 0.0, 0.0
        out_first = export_limit_kw if delayed[t] else -UNLIMITED
        _offer(c, w, spare, pv_kw, t)
        if clock_kw[t] != 0.0:
            _obey_clock(c, w, spare, clock_kw[t])
        if spec.size > 0:
            level_now = _charge_level(c, w) if by_level else 1.0
            kept_kw = _begin_loads(spec, load_work, loads, t, level_now, spare, w, fuse_kw, step_h)
        if any_first:
            _loads_before_batteries(c, w, spare, spec, load_work, may, t, level_now, target > 0.0, step_h)
        # Arrays without a battery first: they can only go to the bus.
        _serve_arrays(c, w, spare, False, target, exporting, bias_kw, out_first)
        _serve_arrays(c, w, spare, True, target, exporting, bias_kw, out_first)
        if any_dc:
            kept_kw += _serve_dc_loads(c, w, spare, spec, load_work, may_discharge[t], target, fuse_kw)
        if not exporting:
            _charge_from_surplus(c, w, spare, bias_kw, out_first)
        _loads_after_batteries(c, w, spare, spec, load_work, may, t, level_now, step_h)
        if _all(spare) > export_limit_kw:
            _curtail(c, w, spare, export_limit_kw)
        if may_discharge[t]:
            _serve_from_batteries(c, w, spare, target, leave_kw[t] + kept_kw)
        if giving and may_discharge[t]:
            left_out = leave_kw[t] + kept_kw
            _loads_give_back(c, w, spare, spec, load_work, loads.hours_left, t, left_out, step_h)
        if exporting:
            _export_stored(c, w, spare, export_to[t], export_kw[t], export_limit_kw)
        if target > 0.0:
            short = max(-_all(spare), 0.0)
            _charge_from_grid(c, w, spare, target, min(charge_kw[t], import_limit_kw - short))
        for j in range(n):
            if c[j].usable_kwh > 0.0 and w[j].ac == 0.0:
                w[j].standby = c[j].standby_kw
                _put(c, j, spare, -c[j].standby_kw)
            w[j].stored = book(c, w, j, w[j].stored, step_h, page, row)
            stored[j, t] = w[j].stored
        row += 1
        home, imported, exported = 0.0, 0.0, 0.0
        for f in range(spare.size):
            home += home_kw[f, t]
            imported += max(-spare[f], 0.0)
            exported += max(spare[f], 0.0)
        bus[HOME, t] = home + _end_loads(spec, load_work, loads.gain_h, t, step_h, load_out)
        bus[IMPORT, t] = imported
        bus[EXPORT, t] = exported
    turn_page(page, row, steps, out)
    book_loads(load_work, load_out.sums)


@uncounted
def run(
    c: np.ndarray,
    w: np.ndarray,
    offer: Offer,
    control: ControlSteps,
    step_h: float,
    scratch: Scratch,
    out: Record,
    loads: LoadSteps,
    load_work: np.ndarray,
    load_out: LoadRecord,
) -> None:
    """Runs a plant over a series of steps and fills its record.

    Parameters
    ----------
    c : ndarray, shape (converters,)
        From `converter.pack`, in the order in which they serve and charge.
    w : ndarray, shape (converters,)
        From `flows.new_work`, to work in.
    offer : Offer
        What reaches the plant from outside.
    control : ControlSteps
        Orders of the control, step by step.
    step_h : float
        Step length [h].
    scratch : Scratch
        From `flows.new_scratch`, to work in.
    out : Record
        What the run fills.
    loads : LoadSteps
        Controlled loads, in the order in which they take surplus.
    load_work : LoadWork
        From `loads.new_load_work`, to work in.
    load_out : LoadRecord
        What the run fills of them.
    """
    # What is called behind a condition is compiled for it alone: a count that is known takes a third less time.
    plain = loads.spec.size == 0 and scratch.spare.size == 1
    if plain and c.size == 1:
        _run(c, w, offer, control, step_h, scratch, out, loads, load_work, load_out)
        return
    if plain and c.size == 2:
        _run(c, w, offer, control, step_h, scratch, out, loads, load_work, load_out)
        return
    if plain:
        _run(c, w, offer, control, step_h, scratch, out, loads, load_work, load_out)
        return
    _run(c, w, offer, control, step_h, scratch, out, loads, load_work, load_out)
