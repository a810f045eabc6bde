"""The street goes dark: a rehearsal from any moment of the year, and the whole year's starts as a map."""

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from calm_relay.job.demand import ScheduledLoad
from calm_relay.physics import outage
from calm_relay.physics.frequency_watt import AS_4777, IEEE_1547, VDE_4105, FrequencyWatt
from calm_relay.physics.plant import UNLIMITED, pack
from calm_relay.physics.year import run_plant
from calm_relay.planning.backed import WHOLE, Backed, behind_relay
from calm_relay.planning.bank import discharge_ac_kw
from calm_relay.planning.demand import SEASONS
from calm_relay.planning.plan import Option, Plan
from calm_relay.planning.progress import Progress, unheard
from calm_relay.planning.simulate import inputs_of

DAYS = 7
STEP_MIN = 1
CURVES = {
    "united-states": IEEE_1547,
    "canada": IEEE_1547,
    "australia": AS_4777,
    "new-zealand": AS_4777,
}
THROTTLES = {"none": 0, "relay": 1, "frequency": 2, "data link": 2}
# kVA per horsepower with the rotor locked, the upper end of each letter: NEC table 430.7(B) (from memory).
CODE_KVA_PER_HP = {
    "A": 3.15, "B": 3.55, "C": 4.0, "D": 4.5, "E": 5.0, "F": 5.6, "G": 6.3, "H": 7.1, "J": 8.0, "K": 9.0,
    "L": 10.0, "M": 11.2, "N": 12.5, "P": 14.0, "R": 16.0, "S": 18.0, "T": 20.0, "U": 22.4, "V": 25.0,
}  # fmt: skip
KW_PER_HP = 0.746
# Starting power over running power of a motor without a figure, and under a soft starter: practice, no source.
UNKNOWN_START, SOFT_START = 6.0, 2.0
# Compressors and pumps on a duty start so often an hour: common practice, no source.
STARTS_PER_H = 3
CAUSES = {
    outage.OVERLOAD: "the load passed {continuous:.1f} kW for longer than {surge_s:.0f} s",
    outage.START: "{who} started: {start:.1f} kW on top of {want:.1f} kW, against {surge:.1f} kW of surge",
    outage.LEG: "one leg asked for more than {leg:.1f} kW",
    outage.OVER_FREQUENCY: "a load dropped and the array's power had nowhere to go: over-frequency",
    outage.EMPTY: "the store was empty",
}


@dataclass(frozen=True, eq=False)
class Island:
    """All that a rehearsal reads beside its moment: the box that forms the grid, its limits, the year's series."""

    matrix: np.ndarray
    limits: np.ndarray
    backed: Backed
    pv_dc: np.ndarray
    pv_ac: np.ndarray
    level: np.ndarray
    usable_kwh: float
    curve: FrequencyWatt
    throttles: str
    step_h: float


@dataclass(frozen=True, eq=False)
class Rehearsal:
    """One outage, minute by minute: flows by name [kW], which circuits are fed, and what ended it.

    `lived_h` is until the first dark minute, None where it lived through; `ended_by` says why in a sentence.
    """

    first: int
    step_h: float
    names: tuple[str, ...]
    load: np.ndarray
    start_kw: np.ndarray
    flows: np.ndarray
    on: np.ndarray
    frequency_hz: np.ndarray
    limit_kw: float
    surge_kw: float
    usable_kwh: float
    lived_h: float | None
    ended_by: str

    def of(self, name: str) -> np.ndarray:
        """A flow by its name in `physics.outage.FLOWS`."""
        return self.flows[:, outage.FLOWS.index(name)]

    @property
    def hours(self) -> np.ndarray:
        """Hours since the street went dark, at each step's start."""
        return np.arange(self.flows.shape[0]) * self.step_h

    def residuals_kwh(self) -> np.ndarray:
        """What does not close in each step [kWh]."""
        given = sum(self.of(name) for name in ("pv_dc_used", "pv_ac_used", "generator", "discharge"))
        taken = sum(self.of(name) for name in ("served", "charge", "loss"))
        return (given - taken) * self.step_h


@dataclass(frozen=True, eq=False)
class Survival:
    """Hours survived from every start hour of the year, at most `most_h`, shape (365, 24) by standard time.

    `lasting` is the share of starts of each season that last 4, 8, 24 and 72 hours.
    """

    hours: np.ndarray
    most_h: float
    worst: int
    envelope_h: float
    lasting: dict[str, dict[int, float]]


def start_power_kw(load: ScheduledLoad, volts: float, soft: bool = False) -> float:
    """Power a machine draws for a moment when it starts [kW], 0 for one without a motor.

    From its locked-rotor current, else its code letter and rating, else six times its power; a soft starter takes
    it down to twice the running power.
    """
    if load.starting_a is None and load.code_letter is None and not load.motor:
        return 0.0
    if soft:
        return SOFT_START * load.kw
    if load.starting_a is not None:
        return load.starting_a * volts / 1000.0
    if load.code_letter is None:
        return UNKNOWN_START * load.kw
    return CODE_KVA_PER_HP[load.code_letter] * load.kw / KW_PER_HP


def island_of(plan: Plan, option: Option) -> Island | None:
    """What can live in the dark; None where no box of the option forms a grid."""
    box = option.design.store_box
    if option.outcome is None or box is None or box.converter.backup is None:
        return None
    return _island(plan, option)


@lru_cache(maxsize=4)
def _island(plan, option):
    box, job = option.design.store_box, plan.job
    number = option.design.boxes.index(box)
    inputs = inputs_of(option.design, job, plan.site, plan.demand)
    part = inputs.plant[number]
    former = replace(part, battery=replace(part.battery, reserve=0.0), by_clock=False, phase=0)
    backup = box.converter.backup
    power = min(backup.continuous_kw, discharge_ac_kw(box.bank, box.converter)[0])
    legs = {"single": 1, "split": 2, "three": 3}[box.converter.phases]
    others = [n for n, other in enumerate(inputs.plant) if n != number and other.pv]
    pv_ac = np.zeros(plan.site.calendar.steps)
    if others:
        bare = [replace(inputs.plant[n], battery=None) for n in others]
        alone = run_plant(bare, inputs.pv_kw[others], np.zeros(pv_ac.size), inputs.step_h)
        pv_ac = np.maximum(alone.of("ac"), 0.0)
    generator = job.generator
    volts = box.converter.volts
    start_a = backup.locked_rotor_a
    limits = np.array(
        [
            power,
            max(backup.surge_kw, power),
            backup.surge_s,
            power / legs,
            UNLIMITED if start_a is None else start_a * volts * (3**0.5 if legs == 3 else 1.0) / 1000.0,
            float(backup.black_start),
            float(THROTTLES[backup.throttles_ac_pv]),
            generator.kw if generator else 0.0,
            generator.start_below if generator else 0.0,
            generator.stop_above if generator else 0.0,
        ]
    )
    return Island(
        pack([former]),
        limits,
        behind_relay(option.design, job, plan.demand),
        inputs.pv_kw[number].copy(),
        pv_ac,
        option.outcome.year.of("store", number),
        part.battery.usable_kwh,
        CURVES.get(job.region, VDE_4105),
        backup.throttles_ac_pv,
        inputs.step_h,
    )


def rehearse(
    plan: Plan,
    option: Option,
    first: int,
    hours: float = 48.0,
    events: bool = True,
    seed: int = 1,
    only: frozenset[str] | None = None,
) -> Rehearsal | None:
    """Pulls the main switch at a step of the year; None where nothing forms a grid.

    Parameters
    ----------
    first : int
        Step of the year at which the street goes dark.
    hours : float
        How long it stays dark.
    events : bool
        Whether machines start as events, minute by minute, the same for the same `seed`.
    only : frozenset of str, optional
        Circuits that live; the rest of those backed up is taken off.
    """
    island = island_of(plan, option)
    if island is not None and only is not None:
        island = replace(island, backed=island.backed.only(only))
    if island is None or not island.backed.names:
        return None
    per_step = round(island.step_h * 60) // STEP_MIN if events else 1
    steps = round(hours / island.step_h)
    here = np.arange(first, first + steps) % island.level.size
    load = np.repeat(island.backed.kw[:, here], per_step, axis=1)
    start = np.zeros(steps * per_step)
    who = {}
    if events:
        start, who = _starts(plan, option, island, here, per_step, load, seed)
    step_h = island.step_h / per_step
    flows = np.zeros((load.shape[1], len(outage.FLOWS)))
    on = np.zeros((load.shape[1], load.shape[0]), dtype=bool)
    level = float(island.level[first - 1])
    lived, cause = outage.rehearse(
        island.matrix,
        island.limits,
        load,
        island.backed.legs,
        island.backed.shed_below,
        start,
        np.repeat(island.pv_dc[here], per_step),
        np.repeat(island.pv_ac[here], per_step),
        level,
        step_h,
        False,
        flows,
        on,
    )
    offered, used = flows[:, outage.AC_OFFERED], flows[:, outage.AC_USED]
    lives = (offered > 1e-9) & (flows[:, outage.STATE] == outage.ALIVE)
    share = np.divide(used, offered, out=np.ones_like(used), where=lives)
    hz = np.array([island.curve.hz(float(part)) for part in share])
    dark = None if lived >= load.shape[1] else lived
    sentence = _sentence(island, load, start, who, dark, cause, step_h, hours)
    limits = island.limits
    return Rehearsal(
        first,
        step_h,
        island.backed.names,
        load,
        start,
        flows,
        on,
        hz,
        float(limits[outage.CONTINUOUS]),
        float(limits[outage.SURGE]),
        island.usable_kwh,
        None if dark is None else dark * step_h,
        sentence,
    )


def _starts(plan, option, island, here, per_step, load, seed):
    """Starts of machines as events: the heaviest of each minute [kW], and who it is; duties become on and off."""
    rng = np.random.default_rng(seed)
    start, who = np.zeros(load.shape[1]), {}
    volts = option.design.store_box.converter.volts
    volts *= 3**0.5 if option.design.store_box.converter.phases == "three" else 1.0
    board = plan.job.board
    parts = {part.name: part.kw for part in plan.demand.parts}
    for machine in plan.job.demand.loads:
        circuit = next((c for c in board.circuits if machine.name in c.loads), None) if board else None
        name = circuit.name if circuit else WHOLE
        if name not in island.backed.names:
            continue
        row = island.backed.names.index(name)
        kw = start_power_kw(machine, volts, circuit.soft_start if circuit else False)
        mean = np.repeat(parts[machine.name][here], per_step)
        runs = mean > 0
        if not runs.any():
            continue
        switched = _cycled(machine, runs, rng)
        load[row] += np.where(runs, switched * machine.kw - mean, 0.0)
        np.maximum(load[row], 0.0, out=load[row])
        begins = np.flatnonzero(switched & ~np.concatenate([[False], switched[:-1]]))
        for t in begins.tolist():
            extra = max(kw - machine.kw, 0.0)
            if extra > start[t]:
                start[t], who[t] = extra, machine.name
    return start, who


def _cycled(machine, runs, rng):
    """Minutes in which a machine is on: its duty in `STARTS_PER_H` runs an hour, at seeded minutes."""
    if machine.duty >= 1.0:
        return runs.copy()
    period = 60 // STARTS_PER_H
    phase = int(rng.integers(0, period))
    at = (np.arange(runs.size) + phase) % period
    return runs & (at < round(machine.duty * period))


def _sentence(island, load, start, who, dark, cause, step_h, hours):
    if dark is None:
        return f"It lives through the {hours:g} hours."
    told = CAUSES[int(cause)].format(
        continuous=island.limits[outage.CONTINUOUS],
        surge=island.limits[outage.SURGE],
        surge_s=island.limits[outage.SURGE_S],
        leg=island.limits[outage.LEG_KW],
        who=who.get(dark, "A motor"),
        start=float(start[dark]),
        want=float(load[:, dark].sum()),
    )
    after = dark * step_h
    when = f"{after * 60:.0f} minutes" if after < 2 else f"{after:.1f} hours"
    return f"Dark after {when}: {told}."


def survival_of(plan: Plan, option: Option, progress: Progress = unheard) -> Survival | None:
    """Hours survived from every start hour of the year, without events; None where nothing forms a grid."""
    island = island_of(plan, option)
    if island is None or not island.backed.names:
        return None
    per_hour = round(1.0 / island.step_h)
    most = DAYS * 24 * per_hour
    starts = np.arange(8760) * per_hour

    def wrapped(series):
        return np.ascontiguousarray(np.concatenate([series, series[..., :most]], axis=-1))

    load, pv_dc, pv_ac = (wrapped(series) for series in (island.backed.kw, island.pv_dc, island.pv_ac))
    levels = np.concatenate([island.level[-1:], island.level])[starts]
    lived = np.empty(starts.size)
    for day in range(0, 365, 73):
        progress(day / 365, "Pulling the main switch at every hour of the year")
        cut = slice(day * 24, (day + 73) * 24)
        lived[cut] = outage.survival(
            island.matrix,
            island.limits,
            load,
            island.backed.legs,
            island.backed.shed_below,
            pv_dc,
            pv_ac,
            levels[cut],
            starts[cut],
            most,
            island.step_h,
        )
    hours = lived * island.step_h
    worst_mean = float(island.backed.kw[:, plan.demand.worst_season_steps].sum(axis=0).mean())
    return Survival(
        hours.reshape(365, 24),
        float(DAYS * 24),
        int(hours.argmin()) * per_hour,
        island.usable_kwh / max(worst_mean, 1e-9),
        _lasting(plan, hours),
    )


def _lasting(plan, hours):
    month = plan.site.calendar.month[:: round(1.0 / plan.site.calendar.step_h)]
    north = plan.job.site.latitude >= 0
    found = {}
    for name, months in SEASONS.items():
        own = {(m + 5) % 12 + 1 for m in months} if north else set(months)
        mine = hours[np.isin(month, list(own))]
        found[name] = {n: float((mine >= n).mean()) for n in (4, 8, 24, 72)}
    return found
