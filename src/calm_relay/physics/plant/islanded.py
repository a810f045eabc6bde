"""An islanded plant, step by step: starts, trips, shedding, curtailed PV, a generator; a night or a whole year.

The inverter that forms the grid carries the circuits that are not shed. PV on the AC bus serves first: what follows
the frequency is curtailed to what loads and battery can take, an old inverter gives all or is off. PV on the former's
own DC bus gives what is needed. A limit passed for longer than its time trips the inverter; it tries again a few
times, then it is locked out. When it comes back, every machine that runs starts at once. At its cut-off charge it
stops. Nothing is supplied then until PV on the former's DC bus has charged it, where the inverter can start black, or
the generator runs, or the former wakes with every load off and lets PV on its bus charge it: by a charge held back for
that, as soon as there is sun, or once a set time of the day has come.

Controlled loads take what they must from a generator that runs, from a battery that may serve them and from arrays;
beyond that they take what arrays give and house and battery leave, some of them before the battery.
"""

from typing import NamedTuple

import numpy as np

from calm_relay.physics.plant.converter import (
    charge_room,
    compiled,
    discharge_room,
    drained_by,
    forming_dc,
    harvest_dc,
    inlined,
    inverter_ac,
    inverter_dc,
    power_from,
    rectifier_ac,
    rectifier_dc,
)
from calm_relay.physics.plant.flows import (
    CONVERTER_FLOWS,
    EXPORT,
    HOME,
    IMPORT,
    Record,
    begin_run,
    begin_step,
    book,
    turn_page,
)
from calm_relay.physics.plant.generators import GENERATORS, NO_GENERATORS, GeneratorLimits, Generators
from calm_relay.physics.plant.island_loads import begin_loads, end_loads, loads_from
from calm_relay.physics.plant.loads import LoadRecord, LoadSteps, book_loads

SERVING, TRIPPED, FLAT, LOCKED = 0, 1, 2, 3
NOTHING, OVERLOAD, START, LEG, OVER_FREQUENCY, EMPTY, START_LEG, TOO_COLD = 0, 1, 2, 3, 4, 5, 6, 7
# AC-coupled PV is let go from 95 % charge and taken again below 90 %: common practice, no source.
HOLD_ABOVE, RELEASE_BELOW = 0.95, 0.90
# A shed circuit comes back when the battery has so much more; a flat one starts again from this charge.
BACK_ABOVE, RESTART_SOC = 0.10, 0.10
# It serves again from so much above its cut-off; it wakes when arrays offer so much of its rating: practice, no source.
RESTART_ABOVE, WAKE_SUN = 0.05, 0.03
# It tries again after so many minutes, so many times within an hour of supply: common practice, no source.
RESTART_MIN, RESTARTS, FORGIVEN_MIN = 2.0, 3, 60.0


class Limits(NamedTuple):
    """What the inverter that forms the grid can do in an outage, and the generators beside it.

    `legs` is how many legs or phases it parts its power to, `leg_start_kw` the most that a motor may draw on a leg
    when it starts, `restarts_at_once` whether the transfer takes so long that machines stop; `pv_waits_min` how
    long PV inverters wait for a bus that stands, `locked_min` how long a locked-out inverter stays off. Each of the
    `generators` runs by the state of charge; those without power are none. At the charge `cut_off` it stops serving;
    where it `wakes` it forms the grid with its loads off when arrays on its bus have sun, from `wakes_from_min`
    minutes after midnight on. `start_power_factor` is what real power a start's apparent power is.
    """

    continuous_kw: float = 0.0
    surge_kw: float = 0.0
    surge_s: float = 0.0
    legs: float = 0.0
    leg_start_kw: float = 0.0
    black_start: bool = False
    restarts_at_once: bool = False
    pv_waits_min: float = 0.0
    locked_min: float = 0.0
    generators: Generators = NO_GENERATORS
    cut_off: float = 0.0
    wakes: bool = False
    wakes_from_min: float = 0.0
    start_power_factor: float = 1.0

    @property
    def typed(self) -> "Limits":
        """The same in the types that the compiled run is made for."""
        generators = tuple(GeneratorLimits._make(map(float, item)) for item in self.generators)
        values = (
            generators
            if name == "generators"
            else (bool if isinstance(self._field_defaults[name], bool) else float)(value)
            for name, value in self._asdict().items()
        )
        return Limits._make(values)

    @property
    def told_generators(self) -> int:
        """How many of the first generators may give anything."""
        return max((number + 1 for number, item in enumerate(self.generators) if item.kw > 0.0), default=0)


class Circuits(NamedTuple):
    """What hangs behind the inverter that forms the grid.

    Attributes
    ----------
    load_kw : ndarray, shape (circuits, steps)
        What each asks [kW].
    legs : ndarray, shape (circuits, 3)
        Share of each on each leg or phase.
    shed_below : ndarray, shape (circuits,)
        State of charge below which it is shed; 0 where it never is, 1 where it always is.
    start_kw, again_kw : ndarray, shape (circuits, steps) or (0, 0)
        Power that the heaviest start on each adds for a moment, of which the heaviest of a step counts; and what
        all machines that run on it add when power comes back to them at once [kW].
    """

    load_kw: np.ndarray
    legs: np.ndarray
    shed_below: np.ndarray
    start_kw: np.ndarray
    again_kw: np.ndarray


class Arrays(NamedTuple):
    """What the arrays offer.

    Attributes
    ----------
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW].
    ac_kw : ndarray, shape (converters, steps)
        AC power behind the inverters that join the bus, 0 for those that do not [kW].
    switched : ndarray of bool, shape (converters,)
        Which of them are only on or off, and do not follow the frequency.
    smooth_kw, switched_kw : ndarray, shape (steps,)
        Sums of `ac_kw` over those that follow the frequency, and those that do not [kW].
    even_kw : ndarray, shape (steps,)
        Sum of `ac_kw` over those that give to all legs evenly, and so relieve each of them [kW].
    """

    pv_kw: np.ndarray
    ac_kw: np.ndarray
    switched: np.ndarray
    smooth_kw: np.ndarray
    switched_kw: np.ndarray
    even_kw: np.ndarray


class Pool(NamedTuple):
    """Those that form the grid together, each with a battery at a level of its own; without entries where one forms it.

    They part what is asked by what each can give, as inverters that share a frequency do; one whose battery is empty
    leaves its part to the others, and with it the limit of the whole falls.

    Attributes
    ----------
    usable_kwh, gives_kw, takes_kw : ndarray, shape (forming,)
        Energy of each battery [kWh], and the power by which each takes its part of giving and of charging [kW].
    stored, part : ndarray, shape (forming,)
        Energy in each [kWh], and what it had of the step's change; to work in.
    levels, shares : ndarray, shape (forming, steps or 0)
        Energy in each at the end of each step [kWh], and its part of what all did in the step.
    """

    usable_kwh: np.ndarray
    gives_kw: np.ndarray
    takes_kw: np.ndarray
    stored: np.ndarray
    part: np.ndarray
    levels: np.ndarray
    shares: np.ndarray


_NONE, _NO_STEPS = np.zeros(0), np.zeros((0, 0))
ALONE = Pool(_NONE, _NONE, _NONE, _NONE, _NONE, _NO_STEPS, _NO_STEPS)
# What counts as empty or full of a battery among others [kWh].
NO_ENERGY = 1e-9


@inlined
def _with_energy(pool: Pool, cut_off: float) -> float:
    """Part of the power of those that form the grid together which has energy behind it."""
    able, whole = 0.0, 0.0
    for i in range(pool.stored.size):
        whole += pool.gives_kw[i]
        if pool.stored[i] > cut_off * pool.usable_kwh[i] + NO_ENERGY:
            able += pool.gives_kw[i]
    return able / whole if whole > 0.0 else 1.0


@inlined
def _with_room(pool: Pool) -> float:
    """Part of their charging power which has room behind it."""
    able, whole = 0.0, 0.0
    for i in range(pool.stored.size):
        whole += pool.takes_kw[i]
        if pool.stored[i] < pool.usable_kwh[i] - NO_ENERGY:
            able += pool.takes_kw[i]
    return able / whole if whole > 0.0 else 1.0


@inlined
def _part_out(pool: Pool, change: float, cut_off: float) -> None:
    """Parts a step's change of all their energy [kWh]: by power, within what each holds or has room for."""
    giving, left = change < 0.0, abs(change)
    for i in range(pool.stored.size):
        pool.part[i] = 0.0
    # Each pass empties or fills one, or parts all that is left.
    for _ in range(pool.stored.size):
        weight = 0.0
        for i in range(pool.stored.size):
            if _free(pool, i, giving, cut_off) > 0.0:
                weight += pool.gives_kw[i] if giving else pool.takes_kw[i]
        if weight <= 0.0 or left <= 0.0:
            break
        whole = left
        for i in range(pool.stored.size):
            free = _free(pool, i, giving, cut_off)
            if free > 0.0:
                own = min(whole * (pool.gives_kw[i] if giving else pool.takes_kw[i]) / weight, free)
                pool.part[i] += own
                left -= own
    if left > 0.0:
        # Below the cut-off, or what rounding leaves: from the fullest, into the emptiest.
        most = 0
        for i in range(pool.stored.size):
            here = pool.stored[i] if giving else pool.usable_kwh[i] - pool.stored[i]
            best = pool.stored[most] if giving else pool.usable_kwh[most] - pool.stored[most]
            most = i if here > best else most
        pool.part[most] += left
    for i in range(pool.stored.size):
        moved = -pool.part[i] if giving else pool.part[i]
        pool.stored[i] = min(max(pool.stored[i] + moved, 0.0), pool.usable_kwh[i])


@inlined
def _free(pool: Pool, i: int, giving: bool, cut_off: float) -> float:
    """What one of them can still give or take of the step's change [kWh]."""
    if giving:
        return max(pool.stored[i] - cut_off * pool.usable_kwh[i] - pool.part[i], 0.0)
    return max(pool.usable_kwh[i] - pool.stored[i] - pool.part[i], 0.0)


@inlined
def _keep_parts(pool: Pool, k: int) -> None:
    """Books the levels of those that form the grid together, and what part each had of the step."""
    moved, gives = 0.0, 0.0
    for i in range(pool.stored.size):
        moved += pool.part[i]
        gives += pool.gives_kw[i]
    for i in range(pool.stored.size):
        pool.levels[i, k] = pool.stored[i]
        pool.shares[i, k] = pool.part[i] / moved if moved > 0.0 else pool.gives_kw[i] / gives


class IslandRecord(NamedTuple):
    """What an islanded run fills; arrays without steps are not kept.

    Attributes
    ----------
    book : Record
        Its "import" is what the generator gives.
    state, cause : ndarray of int8, shape (steps or 0,)
        SERVING, TRIPPED, FLAT or LOCKED; and why a step is not served.
    ac_offered, ac_used : ndarray, shape (steps or 0,)
        Of the arrays on the bus [kW].
    on : ndarray of bool, shape (steps or 0, circuits)
        Which circuits are fed.
    generators : ndarray, shape (generators, steps or 0)
        What each of the first generators gives, as many as are to be told [kW]; those that run share by their power.
    loads : LoadRecord
        Of the controlled loads.
    """

    book: Record
    state: np.ndarray
    cause: np.ndarray
    ac_offered: np.ndarray
    ac_used: np.ndarray
    on: np.ndarray
    generators: np.ndarray
    loads: LoadRecord


class Served(NamedTuple):
    """How a step is served [kW]; DC powers stand at the former's DC bus.

    `from_pv` and `into` are its own array's to the inverter and to the battery, `rectified` what its rectifier
    gives the battery, `ac` what it gives to its bus, below 0 what it takes; `used` is taken from arrays on the bus.
    """

    cause: int
    from_pv: float
    into: float
    rectified: float
    given: float
    ac: float
    used: float
    generator: float


@inlined
def _asked(
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
def _serve(
    c: np.recarray,
    w: np.recarray,
    j: int,
    limits: Limits,
    harvest: float,
    smooth: float,
    switched: float,
    want: float,
    generator_kw: float,
    holding: bool,
    floor: float,
) -> Served:
    """How what is asked is served from PV, the generators that run and battery; where it cannot be, why."""
    stored, per_h = w[j].stored, w[j].per_h
    room = charge_room(c, j, stored, w[j].charge_derate, per_h)
    taking = min(c[j].from_ac_kw, rectifier_ac(c, j, room)) if room > 0.0 else 0.0
    made, used = 0.0, 0.0
    if generator_kw > 0.0:
        made = min(generator_kw, want + taking)
    else:
        most = want if holding else want + taking
        used = switched if switched <= most + 1e-12 else 0.0
        used += max(min(smooth, most - used), 0.0)
    rest = want - used - made
    if rest < 0.0:
        rectified = max(rectifier_dc(c, j, -rest), 0.0)
        into = min(harvest, max(room - rectified, 0.0))
        return Served(NOTHING, 0.0, into, rectified, 0.0, rest, used, made)
    needed = forming_dc(c, j, rest)
    from_pv = min(harvest, needed)
    give = needed - from_pv
    above = max(stored - floor, 0.0)
    if give > power_from(c, j, above * per_h) * c[j].dc_dc_efficiency + 1e-9:
        # What is left does not carry the load through the step.
        return Served(EMPTY, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    room_out = discharge_room(c, j, stored, 0.0, w[j].discharge_derate, per_h)
    if give > max(room_out, limits.surge_kw * w[j].discharge_derate) + 1e-9:
        cause = OVERLOAD if w[j].discharge_derate > 0.0 else TOO_COLD
        return Served(cause, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    into = min(harvest - from_pv, room) if give <= 0.0 else 0.0
    return Served(NOTHING, from_pv, into, 0.0, give, rest, used, made)


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
def _harvested(c: np.recarray, w: np.recarray, j: int, pv_kw: np.ndarray, t: int) -> float:
    """Sets down what the array of a converter offers and what its tracker takes; returns the rest [kW]."""
    begin_step(w, j)
    if not c[j].has_pv:
        return 0.0
    offered = pv_kw[j, t]
    w[j].pv = offered
    w[j].tracker = offered * (1.0 - c[j].tracker_efficiency)
    harvest = harvest_dc(c, j, offered)
    w[j].clipped = offered - w[j].tracker - harvest
    return harvest


@inlined
def _book_array(
    c: np.recarray, w: np.recarray, j: int, pv_kw: np.ndarray, ac_kw: np.ndarray, t: int, share: float
) -> None:
    """Sets down a converter on the bus that does not form it, with the share of its power that is used."""
    harvest = _harvested(c, w, j, pv_kw, t)
    full = ac_kw[j, t]
    drawn_full = harvest
    if full >= c[j].ac_limit_kw:
        drawn_full = min(inverter_dc(c, j, full), harvest)
    w[j].clipped += harvest - drawn_full
    ac = full * share
    drawn = min(inverter_dc(c, j, ac), drawn_full)
    w[j].curtailed = drawn_full - drawn
    w[j].inverter = drawn
    w[j].ac = ac


@inlined
def _book_step(
    c: np.recarray,
    w: np.recarray,
    former: int,
    arrays_kw: tuple[np.ndarray, np.ndarray],
    switches: np.ndarray,
    t: int,
    joined_kw: tuple[float, float],
    served: Served,
    step_h: float,
    page: np.ndarray,
    row: int,
) -> None:
    """Books a step for every converter.

    `arrays_kw` are the arrays' DC power and the AC power they could give, `joined_kw` the sums of what follows the
    frequency and of what is only on or off, the latter named by `switches`.
    """
    smooth, switched = joined_kw
    on = served.used >= switched - 1e-9
    share = 0.0
    if smooth > 1e-12:
        share = min(max((served.used - (switched if on else 0.0)) / smooth, 0.0), 1.0)
    pv_kw, ac_kw = arrays_kw
    for j in range(c.size):
        if j == former:
            harvest = _harvested(c, w, j, pv_kw, t)
            w[j].curtailed = harvest - served.from_pv - served.into
            w[j].charge = served.into
            w[j].rectifier = served.rectified
            w[j].discharge = served.given
            w[j].inverter = served.from_pv
            w[j].ac = served.ac
        else:
            _book_array(c, w, j, pv_kw, ac_kw, t, (1.0 if on else 0.0) if switches[j] else share)
        w[j].stored = book(c, w, j, w[j].stored, step_h, page, row)
    w[former].stored = min(max(w[former].stored, 0.0), c[former].usable_kwh)


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


@inlined
def _held_against(
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
def _thrown_away(
    c: np.recarray, former: int, limits: Limits, harvest: float, smooth: float, switched: float, served: Served
) -> float:
    """What house and battery leave of the arrays [kW]: on the bus, and behind the former's inverter."""
    left = smooth + (switched if served.used >= switched - 1e-9 else 0.0) - served.used
    spare = harvest - served.from_pv - served.into
    if spare > 0.0 and served.ac >= 0.0 and served.given <= 0.0:
        most = inverter_ac(c, former, served.from_pv + spare)
        left += max(min(most, limits.continuous_kw) - served.ac, 0.0) * (1.0 - 1e-9)
    return left


@inlined
def _tell_step(
    out: IslandRecord,
    k: int,
    want: float,
    state: int,
    cause: int,
    served: Served,
    offered: float,
    running: np.ndarray,
    able_kw: np.ndarray,
    generator_kw: float,
    shed: np.ndarray,
) -> None:
    """Books what a step came to beside the flows of the converters."""
    bus = out.book.bus
    bus[HOME, k], bus[IMPORT, k], bus[EXPORT, k] = want, served.generator, 0.0
    for g in range(out.generators.shape[0]):
        mine = able_kw[g] if running[g] else 0.0
        out.generators[g, k] = served.generator * mine / generator_kw if mine > 0.0 else 0.0
    out.state[k], out.cause[k] = state, cause
    out.ac_offered[k], out.ac_used[k] = offered, served.used
    for i in range(shed.size):
        out.on[k, i] = state == SERVING and not shed[i]


@inlined
def _energy_after(c: np.recarray, w: np.recarray, former: int, served: Served, step_h: float) -> float:
    """Energy in the former's battery after a step of which no flow is kept [kWh]."""
    into = (served.into + served.rectified) * c[former].dc_dc_efficiency * c[former].charge_efficiency
    given = drained_by(c, former, served.given * c[former].per_dc_dc)
    return min(max(w[former].stored + (into - given) * step_h, 0.0), c[former].usable_kwh)


@compiled
def run(
    c: np.recarray,
    w: np.recarray,
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
    work: np.recarray,
    pool: Pool,
) -> tuple[int, int]:
    """Runs an island.

    Parameters
    ----------
    c : recarray, shape (converters,)
        From `converter.pack`.
    w : recarray, shape (converters,)
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
    work : recarray
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
    kept, flows, sums = out.book.stored, out.book.flows, out.book.sums
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
            before, able = w[former].stored, _with_energy(pool, limits.cut_off)
            w[former].discharge_derate *= able
            w[former].charge_derate *= _with_room(pool)
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
        want = _asked(t, soc, load_kw, legs, shed_below, shed, leg)
        house = want
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
                generator_kw > 0.0,
                most,
                leg,
                step_h,
            )
        # Generators that run carry what they can; the inverter has the rest.
        helped = min(generator_kw, want)
        # PV inverters wait for a bus that stands before they join it.
        joined = generator_kw <= 0.0 and (step_min >= limits.pv_waits_min or formed_min >= limits.pv_waits_min)
        smooth = smooth_kw[t] if joined else 0.0
        switched = switched_kw[t] if joined else 0.0
        cause_now = NOTHING
        if obeying and state == SERVING and generator_kw <= 0.0:
            on_bus = smooth + (switched if switched <= want else 0.0)
            own = min(inverter_ac(c, former, harvest), limits.continuous_kw)
            want += loads_from(whole_kw, parted, loads, work, t, soc, on_bus + own - want, True, leg, step_h)
        if state == SERVING:
            # So do the arrays on its bus; on each leg those that give to all of them.
            carried = min(switched, want) if switched <= want else 0.0
            carried += max(min(smooth, want - helped - carried), 0.0)
            on_each = (helped + min(even_kw[t] if joined else 0.0, carried)) / limits.legs
            helped += carried
            cause_now, over_s = _held_against(
                limits, circuits, t, want, helped, on_each, leg, shed, at_once, able, over_s, step_h, extra
            )
            at_once = False
            # When a load drops, the inverter must take at once what the PV still gives.
            dropped = house < before_want and before_used - house > c[former].ac_limit_kw + 1e-9
            if dropped and generator_kw <= 0.0:
                cause_now = OVER_FREQUENCY
        served = Served(NOTHING, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
        serving = state == SERVING and cause_now == NOTHING
        if serving:
            if soc >= HOLD_ABOVE:
                holding = True
            elif soc < RELEASE_BELOW:
                holding = False
            served = _serve(c, w, former, limits, harvest, smooth, switched, want, generator_kw, holding, floor)
            cause_now = served.cause
            serving = cause_now == NOTHING
            if serving and obeying and generator_kw <= 0.0:
                # What the battery leaves of the arrays is offered to them before it is thrown away.
                left = _thrown_away(c, former, limits, harvest, smooth, switched, served)
                taken = loads_from(whole_kw, parted, loads, work, t, soc, left, False, leg, step_h)
                if taken > 0.0:
                    want += taken
                    served = _serve(c, w, former, limits, harvest, smooth, switched, want, 0.0, holding, floor)
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
            served = Served(NOTHING, 0.0, into, 0.0, 0.0, 0.0, 0.0, 0.0)
        if state == FLAT and waking:
            # Its loads are off; what the arrays give fills the battery.
            served = _serve(c, w, former, limits, harvest, smooth, switched, 0.0, 0.0, False, 0.0)
            waking = served.cause == NOTHING
            formed_min += step_min
            if not waking:
                served = Served(NOTHING, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
        if state != SERVING and first_out == steps:
            first_out, cause = k, cause_now
        if keeps:
            if row == page_rows:
                turn_page(page, row, k, flows, sums)
                row = 0
            joined_kw = smooth_kw[t], switched_kw[t]
            _book_step(c, w, former, arrays_kw, switches, t, joined_kw, served, step_h, page, row)
            if several:
                _part_out(pool, w[former].stored - before, limits.cut_off)
                _keep_parts(pool, k)
            for j in range(c.size):
                kept[j, k] = w[j].stored
            row += 1
            if obeying:
                obeyed = end_loads(loads, work, t, serving, out.loads, k, step_h)
            home, offered = want if serving else 0.0, smooth + switched
            _tell_step(out, k, home, state, cause_now, served, offered, running, able_kw, generator_kw, shed)
        else:
            w[former].stored = _energy_after(c, w, former, served, step_h)
            if several:
                _part_out(pool, w[former].stored - before, limits.cut_off)
        # A load that obeys is let go as slowly as the arrays follow; what the house drops is not.
        before_used, before_want = served.used - obeyed, house
        if until_out and state != SERVING:
            return k, cause
    if keeps:
        turn_page(page, row, steps, flows, sums)
        book_loads(work, out.loads.sums)
    return first_out, cause


@compiled
def run_without_former(
    c: np.recarray,
    w: np.recarray,
    limits: Limits,
    circuits: Circuits,
    arrays: Arrays,
    step_h: float,
    out: IslandRecord,
    loads: LoadSteps,
    work: np.recarray,
) -> None:
    """Runs a plant in which nothing forms a grid: the generators serve what they can, circuits in their order.

    Arguments are those of `run`.
    """
    steps = circuits.load_kw.shape[1]
    n = c.size
    load_kw, pv_kw, ac_kw = circuits.load_kw, arrays.pv_kw, arrays.ac_kw
    bus, stored, states, causes = out.book.bus, out.book.stored, out.state, out.cause
    ac_offered, ac_used, fed = out.ac_offered, out.ac_used, out.on
    flows, sums = out.book.flows, out.book.sums
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
                True,
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
            turn_page(page, row, t, flows, sums)
            row = 0
        for j in range(n):
            _book_array(c, w, j, pv_kw, ac_kw, t, 0.0)
            stored[j, t] = book(c, w, j, w[j].stored, step_h, page, row)
        row += 1
    turn_page(page, row, steps, flows, sums)
    book_loads(work, out.loads.sums)


@compiled
def survival(
    c: np.recarray,
    w: np.recarray,
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
    work: np.recarray,
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
    nothing = Record(np.empty((3, 0)), np.empty((n, 0)), np.empty((n, len(CONVERTER_FLOWS), 0)), np.empty((0, 0)))
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
