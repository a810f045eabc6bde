"""An islanded plant, step by step: starts, trips, shedding, curtailed PV, a generator; a night or a whole year.

The inverter that forms the grid carries the circuits that are not shed. PV on the AC bus serves first: what follows
the frequency is curtailed to what loads and battery can take, an old inverter gives all or is off. PV on the former's
own DC bus gives what is needed. A limit passed for longer than its time trips the inverter; it tries again a few
times, then it is locked out. When it comes back, every machine that runs starts at once. At its cut-off charge it
stops. Nothing is supplied then until PV on the former's DC bus has charged it, where the inverter can start black, or
the generator runs, or the former wakes with every load off and lets PV on its bus charge it: by a charge held back for
that, as soon as there is sun, or once a set time of the day has come.

Controlled loads take what they must from a generator that runs, from a battery that may serve them and from arrays;
beyond that they take what arrays give and house and battery leave, some of them before the battery. One on the former's
DC bus takes of its array and its battery without the inverter.
"""

import numpy as np

from calm_relay.physics.compiling import compiled, inlined
from calm_relay.physics.plant.converter import charge_room, harvest_dc, inverter_ac
from calm_relay.physics.plant.flows import (
    CONVERTER_FLOWS,
    EXPORT,
    HOME,
    IMPORT,
    Record,
    begin_run,
    book,
    turn_page,
)
from calm_relay.physics.plant.generators import GENERATORS
from calm_relay.physics.plant.island_booking import book_array, book_step, energy_after, tell_step
from calm_relay.physics.plant.island_figures import (
    EMPTY,
    FLAT,
    LOCKED,
    NOTHING,
    OVER_FREQUENCY,
    SERVING,
    TOO_COLD,
    TRIPPED,
    Arrays,
    Circuits,
    IslandRecord,
    Limits,
    Served,
)
from calm_relay.physics.plant.island_loads import (
    begin_dc_loads,
    begin_loads,
    end_loads,
    left_by_battery,
    loads_from,
)
from calm_relay.physics.plant.island_pool import Pool, keep_parts, part_out, with_energy, with_room
from calm_relay.physics.plant.island_serving import RESTART_SOC, asked_of, held_against, serve, thrown_away
from calm_relay.physics.plant.loads import LoadRecord, LoadSteps, book_loads

# AC-coupled PV that only a relay turns away is let go from 95 % charge and taken again below 90 %: common practice, no
# source.
HOLD_ABOVE, RELEASE_BELOW = 0.95, 0.90


# It serves again from so much above its cut-off; it wakes when arrays offer so much of its rating: practice, no source.
RESTART_ABOVE, WAKE_SUN = 0.05, 0.03


# It tries again after so many minutes, so many times within an hour of supply: common practice, no source.
RESTART_MIN, RESTARTS, FORGIVEN_MIN = 2.0, 3, 60.0


@inlined
def _run_generators(
    running: np.ndarray,
    able_kw: np.ndarray,
    start_at: np.ndarray,
    stop_at: np.ndarray,
    count: int,
    soc: float,
    flat: bool,
) -> float:
    """Starts and stops the generators by the battery's charge; returns what those that run can give [kW]."""
    generator_kw = 0.0
    for g in range(count):
        if soc <= start_at[g] or flat:
            running[g] = True
        elif soc >= stop_at[g]:
            running[g] = False
        if running[g]:
            generator_kw += able_kw[g]
    return generator_kw


@compiled
def run(
    c: np.ndarray,
    w: np.ndarray,
    former: int,
    limits: Limits,
    circuits: Circuits,
    arrays: Arrays,
    derate: np.ndarray,
    clock: int,
    first: int,
    steps: int,
    stored: float,
    step_h: float,
    until_out: bool,
    out: IslandRecord,
    loads: LoadSteps,
    work: np.ndarray,
    pool: Pool,
) -> tuple[int, int]:
    """Runs an island.

    Parameters
    ----------
    c : ndarray, shape (converters,)
        Records of `converter.CONVERTER`, from `converter.pack`.
    w : ndarray, shape (converters,)
        From `flows.new_work`, to work in.
    former : int
        The converter that forms the grid.
    limits : Limits
        Limits of the unit that forms the grid.
    circuits : Circuits
        Circuits that are fed.
    arrays : Arrays
        Arrays of the plant.
    derate : ndarray, shape (2, days)
        Share of the former's charge and discharge limit that cold or heat leaves.
    clock : int
        Steps since midnight at which the series begin, on the first day of `derate`.
    first, steps : int
        First step of the series to be run, and how many.
    stored : float
        Energy in the former's battery at the beginning [kWh], of the whole pool where several form the grid.
    step_h : float
        Step length [h].
    until_out : bool
        Whether to end with the first step that is not served.
    out : IslandRecord
        What the run fills.
    loads : LoadSteps
        Controlled loads, in the order in which they take surplus.
    work : ndarray
        From `loads.new_load_work`, to work in.
    pool : Pool
        Those that form the grid together, with what each holds at the beginning; `ALONE` where one forms it. The
        former's record stands for all of them.

    Returns
    -------
    served_steps : int
        Steps before the first that is not served, all of them where there is none.
    cause : int
        Why that one is not.
    """
    step_min, per_day = step_h * 60.0, round(24.0 / step_h)
    usable = c[former].usable_kwh
    load_kw, legs, shed_below = circuits.load_kw, circuits.legs, circuits.shed_below
    arrays_kw, switches = (arrays.pv_kw, arrays.ac_kw), arrays.switched
    smooth_kw, switched_kw, even_kw = arrays.smooth_kw, arrays.switched_kw, arrays.even_kw
    kept = out.book.stored
    state, cause, over_s, wait, trips, first_out = SERVING, NOTHING, 0.0, 0.0, 0, steps
    holding, waking = False, False
    running, generators = np.zeros(GENERATORS, dtype=np.bool_), 0
    able_kw, start_at, stop_at = np.zeros(GENERATORS), np.zeros(GENERATORS), np.zeros(GENERATORS)
    for g in range(GENERATORS):
        able_kw[g] = limits.generators[g].kw
        # One without power never starts.
        start_at[g] = limits.generators[g].start if able_kw[g] > 0.0 else -1.0
        stop_at[g] = limits.generators[g].stop
        generators = g + 1 if able_kw[g] > 0.0 else generators
    obeying, obeyed = loads.spec.size > 0, 0.0
    whole_kw, parted = limits.continuous_kw, limits.legs
    floor = limits.cut_off * usable
    restart_soc = max(RESTART_SOC, limits.cut_off + RESTART_ABOVE)
    at_once = limits.restarts_at_once
    formed_min, before_used, before_want = 0.0, 0.0, 0.0
    shed, leg, extra = np.zeros(load_kw.shape[0], dtype=np.bool_), np.zeros(3), np.zeros(3)
    begin_run(c, w, step_h)
    w[former].stored = stored
    keeps = out.state.size > 0
    page_rows = min(max(per_day, 1), max(steps, 1)) if keeps else 1
    page = np.empty((c.size, len(CONVERTER_FLOWS), page_rows))
    several, able, before = pool.stored.size > 1, 1.0, stored
    row = 0
    for k in range(steps):
        t = first + k
        day = ((clock + t) // per_day) % derate.shape[1]
        w[former].charge_derate, w[former].discharge_derate = derate[0, day], derate[1, day]
        soc = w[former].stored / usable if usable > 0.0 else 0.0
        harvest = harvest_dc(c, former, arrays_kw[0][former, t])
        if several:
            before, able = w[former].stored, with_energy(pool, limits.cut_off)
            w[former].discharge_derate *= able
            w[former].charge_derate *= with_room(pool)
            # One whose battery is empty still gives what its own array brings.
            able = 1.0 if harvest > 0.0 else able
        generator_kw = _run_generators(running, able_kw, start_at, stop_at, generators, soc, state == FLAT)
        if state in (TRIPPED, LOCKED):
            wait -= step_min
            if wait <= 0.0:
                state, over_s, at_once, formed_min = SERVING, 0.0, True, 0.0
        if state == FLAT and (generator_kw > 0.0 or soc >= restart_soc):
            state, over_s, at_once, formed_min, waking = SERVING, 0.0, True, 0.0, False
        if state == FLAT and limits.wakes and not waking:
            minute = ((clock + t) % per_day) * step_min
            waking = smooth_kw[t] + switched_kw[t] >= WAKE_SUN * c[former].ac_limit_kw
            waking = waking and minute >= limits.wakes_from_min
            formed_min = 0.0
        want = asked_of(t, soc, load_kw, legs, shed_below, shed, leg)
        house, on_dc = want, 0.0
        if obeying:
            # What would pass the inverter's limit waits.
            most = limits.continuous_kw * able + generator_kw - want
            serves = state == SERVING
            want += begin_loads(
                whole_kw,
                parted,
                loads,
                work,
                t,
                soc,
                serves,
                max(generator_kw - want, 0.0),
                most,
                leg,
                step_h,
            )
            if serves:
                on_dc = begin_dc_loads(c, w, former, loads, work, want, harvest, generator_kw, floor)
        # Generators that run carry what they can; the inverter has the rest.
        helped = min(generator_kw, want)
        # PV inverters wait for a bus that stands before they join it.
        joined = generator_kw <= 0.0 and (step_min >= limits.pv_waits_min or formed_min >= limits.pv_waits_min)
        smooth = smooth_kw[t] if joined else 0.0
        switched = switched_kw[t] if joined else 0.0
        cause_now = NOTHING
        if obeying and state == SERVING and generator_kw <= 0.0:
            on_bus = smooth + (switched if switched <= want else 0.0)
            free = max(harvest - on_dc, 0.0)
            left = on_bus + min(inverter_ac(c, former, free), limits.continuous_kw) - want
            taken, taken_dc = loads_from(
                c, former, whole_kw, parted, loads, work, t, soc, left, on_bus, free, want, True, leg, step_h
            )
            want += taken
            on_dc += taken_dc
        if state == SERVING:
            # So do the arrays on its bus; on each leg those that give to all of them.
            carried = min(switched, want) if switched <= want else 0.0
            carried += max(min(smooth, want - helped - carried), 0.0)
            on_each = (helped + min(even_kw[t] if joined else 0.0, carried)) / limits.legs
            helped += carried
            cause_now, over_s = held_against(
                limits, circuits, t, want, helped, on_each, leg, shed, at_once, able, over_s, step_h, extra
            )
            at_once = False
            # When a load drops, the inverter must take at once what the PV still gives.
            dropped = house < before_want and before_used - house > c[former].ac_limit_kw + 1e-9
            if dropped and generator_kw <= 0.0:
                cause_now = OVER_FREQUENCY
        served = Served(NOTHING, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
        serving = state == SERVING and cause_now == NOTHING
        if serving:
            if soc >= HOLD_ABOVE:
                holding = True
            elif soc < RELEASE_BELOW:
                holding = False
            served = serve(
                c, w, former, limits, harvest, smooth, switched, want, generator_kw, holding, floor, on_dc
            )
            if served.cause == EMPTY and generator_kw <= 0.0:
                # Within the step its charge passes where a generator starts, before the battery is empty.
                generator_kw = _run_generators(
                    running, able_kw, start_at, stop_at, generators, limits.cut_off, False
                )
                if generator_kw > 0.0:
                    smooth, switched = 0.0, 0.0
                    served = serve(
                        c, w, former, limits, harvest, 0.0, 0.0, want, generator_kw, holding, floor, on_dc
                    )
            cause_now = served.cause
            serving = cause_now == NOTHING
            if serving and obeying and generator_kw <= 0.0:
                # What the battery leaves of the arrays is offered to them before it is thrown away.
                left = thrown_away(c, former, limits, harvest, smooth, switched, served)
                on_bus = smooth + (switched if served.used >= switched - 1e-9 else 0.0)
                on_bus, free = left_by_battery(served, harvest, on_bus)
                taken, taken_dc = loads_from(
                    c, former, whole_kw, parted, loads, work, t, soc, left, on_bus, free, want, False, leg, step_h
                )
                if taken > 0.0 or taken_dc > 0.0:
                    want += taken
                    on_dc += taken_dc
                    served = serve(
                        c, w, former, limits, harvest, smooth, switched, want, 0.0, holding, floor, on_dc
                    )
                    cause_now = served.cause
                    serving = cause_now == NOTHING
            formed_min += step_min
            if formed_min >= FORGIVEN_MIN:
                trips = 0
        if cause_now in (EMPTY, TOO_COLD):
            state, waking = FLAT, False
        elif cause_now != NOTHING:
            trips += 1
            state, wait = (TRIPPED, RESTART_MIN) if trips <= RESTARTS else (LOCKED, limits.locked_min)
        if state == FLAT and limits.black_start and c[former].has_pv:
            into = min(harvest, charge_room(c, former, w[former].stored, w[former].charge_derate, w[former].per_h))
            served = Served(NOTHING, 0.0, into, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
        if state == FLAT and waking:
            # Its loads are off; what the arrays give fills the battery.
            served = serve(c, w, former, limits, harvest, smooth, switched, 0.0, 0.0, False, 0.0, 0.0)
            waking = served.cause == NOTHING
            formed_min += step_min
            if not waking:
                served = Served(NOTHING, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
        if state != SERVING and first_out == steps:
            first_out, cause = k, cause_now
        if keeps:
            if row == page_rows:
                turn_page(page, row, k, out.book)
                row = 0
            joined_kw = smooth_kw[t], switched_kw[t]
            book_step(c, w, former, arrays_kw, switches, t, joined_kw, served, step_h, page, row)
            if several:
                part_out(pool, w[former].stored - before, limits.cut_off)
                keep_parts(pool, k)
            for j in range(c.size):
                kept[j, k] = w[j].stored
            row += 1
            if obeying:
                obeyed = end_loads(loads, work, t, serving, out.loads, k, step_h)
            home, offered = want + on_dc if serving else 0.0, smooth + switched
            tell_step(out, k, home, state, cause_now, served, offered, running, able_kw, generator_kw, shed)
        else:
            w[former].stored = energy_after(c, w, former, served, step_h)
            if several:
                part_out(pool, w[former].stored - before, limits.cut_off)
        # A load that obeys is let go as slowly as the arrays follow; what the house drops is not.
        before_used, before_want = served.used - obeyed, house
        if until_out and state != SERVING:
            return k, cause
    if keeps:
        turn_page(page, row, steps, out.book)
        book_loads(work, out.loads.sums)
    return first_out, cause


@compiled
def run_without_former(
    c: np.ndarray,
    w: np.ndarray,
    limits: Limits,
    circuits: Circuits,
    arrays: Arrays,
    step_h: float,
    out: IslandRecord,
    loads: LoadSteps,
    work: np.ndarray,
) -> None:
    """Runs a plant in which nothing forms a grid: the generators serve what they can, circuits in their order.

    Arguments are those of `run`.
    """
    steps = circuits.load_kw.shape[1]
    n = c.size
    load_kw, pv_kw, ac_kw = circuits.load_kw, arrays.pv_kw, arrays.ac_kw
    bus, stored, states, causes = out.book.bus, out.book.stored, out.state, out.cause
    ac_offered, ac_used, fed = out.ac_offered, out.ac_used, out.on
    generator_kw = 0.0
    leg, whole_kw, parted = np.zeros(3), limits.continuous_kw, limits.legs
    for g in range(GENERATORS):
        generator_kw += limits.generators[g].kw
    begin_run(c, w, step_h)
    page_rows = min(round(24.0 / step_h), max(steps, 1))
    page = np.empty((n, len(CONVERTER_FLOWS), page_rows))
    row = 0
    for t in range(steps):
        made, any_on = 0.0, False
        for k in range(load_kw.shape[0]):
            asked = load_kw[k, t]
            fits = asked <= generator_kw - made + 1e-9
            made += asked if fits else 0.0
            fed[t, k] = (fits and asked > 0.0) or (asked <= 0.0 and generator_kw > 0.0)
            any_on = any_on or fed[t, k]
        if loads.spec.size > 0:
            made += begin_loads(
                whole_kw,
                parted,
                loads,
                work,
                t,
                0.0,
                True,
                generator_kw - made,
                generator_kw - made,
                leg,
                step_h,
            )
            end_loads(loads, work, t, True, out.loads, t, step_h)
        bus[HOME, t], bus[IMPORT, t], bus[EXPORT, t] = made, made, 0.0
        for g in range(out.generators.shape[0]):
            mine = limits.generators[g].kw
            out.generators[g, t] = made * mine / generator_kw if mine > 0.0 else 0.0
        states[t], causes[t] = (SERVING if any_on else FLAT), NOTHING
        ac_offered[t], ac_used[t] = 0.0, 0.0
        if row == page_rows:
            turn_page(page, row, t, out.book)
            row = 0
        for j in range(n):
            book_array(c, w, j, pv_kw, ac_kw, t, 0.0)
            stored[j, t] = book(c, w, j, w[j].stored, step_h, page, row)
        row += 1
    turn_page(page, row, steps, out.book)
    book_loads(work, out.loads.sums)


@compiled
def survival(
    c: np.ndarray,
    w: np.ndarray,
    former: int,
    limits: Limits,
    circuits: Circuits,
    arrays: Arrays,
    derate: np.ndarray,
    stored: np.ndarray,
    starts: np.ndarray,
    most: int,
    step_h: float,
    loads: LoadSteps,
    work: np.ndarray,
    pool: Pool,
    held: np.ndarray,
) -> np.ndarray:
    """Steps served from each of many starts, `most` at most; series hold `most` steps beyond the last start.

    Parameters
    ----------
    c, w, former, limits, circuits, arrays, derate, step_h, loads, work, pool
        As in `run`; in an outage no controlled load is served, and there are none.
    stored : ndarray, shape (starts,)
        Energy in the former's battery at each start [kWh].
    starts : ndarray of int, shape (starts,)
        First step of each outage.
    most : int
        Steps after which an outage counts as ridden through.
    held : ndarray, shape (forming, starts) or (0, starts)
        Energy in each battery of those that form the grid together [kWh]; `stored` is their sum.

    Returns
    -------
    ndarray, shape (starts,)
    """
    served = np.empty(starts.size)
    n = c.size
    no_flows = np.empty((n, len(CONVERTER_FLOWS), 0))
    nothing = Record(np.empty((3, 0)), np.empty((n, 0)), no_flows, np.empty((0, 0)), no_flows)
    none = np.empty(0)
    codes = np.empty(0, dtype=np.int8)
    no_loads = LoadRecord(np.empty((0, 0)), np.empty((0, 0)), np.empty((0, 0)))
    out = IslandRecord(
        nothing, codes, codes, none, none, np.empty((0, 0), dtype=np.bool_), np.empty((0, 0)), no_loads
    )
    for k in range(starts.size):
        for i in range(held.shape[0]):
            pool.stored[i] = held[i, k]
        served[k], _ = run(
            c,
            w,
            former,
            limits,
            circuits,
            arrays,
            derate,
            0,
            starts[k],
            most,
            stored[k],
            step_h,
            True,
            out,
            loads,
            work,
            pool,
        )
    return served
