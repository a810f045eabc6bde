"""Machines as events of a night: when each starts, minute by minute, and what that adds to the legs."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.backup_board import BackupBoard, Circuit
from calm_relay.job.demand import ScheduledLoad
from calm_relay.job.model import Job
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.island_figures import Limits
from calm_relay.planning.operation.backed_up_loads import BRIEFLY, WHOLE, BackedUpLoads
from calm_relay.planning.operation.island import start_power_kw, start_volts
from calm_relay.planning.site.demand import DemandYear

# Compressors and pumps on a duty start so often an hour: common practice, no source.
STARTS_PER_H = 3
# A peak of many small things takes up one minute of so many: common practice, no source.
PEAK_OF = 5


@dataclass(frozen=True, eq=False)
class Starts:
    """Starts of a night.

    Attributes
    ----------
    load : ndarray, shape (circuits, minutes)
        What each circuit asks, machines switched on and off instead of their mean [kW].
    start, again : ndarray, shape (circuits, minutes)
        What the heaviest start of a minute adds on each circuit, and what all machines that run on it would add
        if they started at once [kW].
    who : dict of (int, int) to str
        The machine that starts, by circuit and minute.
    """

    load: np.ndarray
    start: np.ndarray
    again: np.ndarray
    who: dict[tuple[int, int], str]


def machine_starts(
    job: Job, demand: DemandYear, fed: BackedUpLoads, steps: np.ndarray, per_step: int, seed: int
) -> Starts:
    """Starts of the machines that are fed in some steps of the year, the same for the same seed.

    Each machine has its own from the seed: a longer night leaves the starts before its end as they are.

    Parameters
    ----------
    job : Job
        Its machines and its board.
    demand : DemandYear
        The home's year, part by part.
    fed : BackedUpLoads
        Circuits that are fed.
    steps : ndarray of int
        Steps of the year.
    per_step : int
        Minutes in each.
    seed : int
        The same seed gives the same starts.
    """
    load = np.repeat(fed.kw[:, steps], per_step, axis=1)
    load += np.repeat(fed.house_kw[:, steps], per_step, axis=1) * _small_peaks(
        steps.size, per_step, np.random.default_rng(seed)
    )
    start, again, who = np.zeros(load.shape), np.zeros(load.shape), {}
    parts = {part.name: part.kw for part in demand.parts}
    for number, machine in enumerate(demand.machines):
        circuit = (
            next((c for c in job.board.circuits if machine.name in c.loads), None) if job.backup_board else None
        )
        name = circuit.name if circuit else fed.names[0] if fed.names and job.backup_board is None else WHOLE
        if name not in fed.names:
            continue
        row = fed.names.index(name)
        mean = np.repeat(parts[machine.name][steps], per_step)
        runs = mean > 0
        if not runs.any():
            continue
        switched = _cycled(machine, runs, np.random.default_rng((seed, number)))
        load[row] += np.where(runs, switched * machine.kw - mean, 0.0)
        np.maximum(load[row], 0.0, out=load[row])
        extra = extra_kw(machine, circuit, job)
        if extra <= 0.0:
            continue
        again[row] += switched * extra
        for t in (np.flatnonzero(switched[1:] & ~switched[:-1]) + 1).tolist():
            if extra > start[row, t]:
                start[row, t], who[row, t] = extra, machine.name
    return Starts(load, start, again, who)


def may_ask_kw(job: Job, demand: DemandYear, fed: BackedUpLoads) -> np.ndarray:
    """What each circuit may ask for minutes within each step, shape (circuits, steps) [kW].

    Machines on a duty are on or off, not at their mean, and any of them may be on; many small things peak.
    """
    return _may_ask_kw(demand.machines, job.backup_board, demand, fed)


def dropped_to_fit(job: Job, demand: DemandYear, fed: BackedUpLoads, limit_kw: float) -> tuple[str, ...]:
    """Circuits to drop, the least wanted first, so that what all may ask for minutes stays within a limit [kW]."""
    return _dropped_to_fit(demand.machines, job.board, demand, fed, limit_kw)


@kept
def _dropped_to_fit(
    loads: tuple[ScheduledLoad, ...], board: BackupBoard, demand: DemandYear, fed: BackedUpLoads, limit_kw: float
) -> tuple[str, ...]:
    order = [circuit.name for circuit in sorted(board.circuits, key=lambda circuit: -circuit.priority)]
    return fed.dropped_to_fit(_may_ask_kw(loads, board, demand, fed), limit_kw, order)


def may_ask_together_kw(job: Job, demand: DemandYear, fed: BackedUpLoads) -> np.ndarray:
    """What all circuits together may ask for minutes within each step, shape (steps,) [kW]."""
    return _may_ask_together_kw(demand.machines, job.backup_board, demand, fed)


@kept
def _may_ask_together_kw(
    loads: tuple[ScheduledLoad, ...], board: BackupBoard | None, demand: DemandYear, fed: BackedUpLoads
) -> np.ndarray:
    return _may_ask_kw(loads, board, demand, fed).sum(axis=0)


@dataclass(frozen=True)
class LegLoads:
    """What circuits may ask for minutes on each leg in the step in which one leg asks most [kW].

    `move` is the circuit and the leg, from 1, to which it goes, that lowers the fullest leg most; None where no move
    lowers it by more than a fiftieth.
    """

    asked_kw: tuple[float, ...]
    move: tuple[str, int] | None


def leg_loads(job: Job, demand: DemandYear, fed: BackedUpLoads, count: int) -> LegLoads:
    """What circuits may ask on each of so many legs."""
    return _leg_loads(demand.machines, job.backup_board, demand, fed, count)


@kept
def _leg_loads(
    loads: tuple[ScheduledLoad, ...], board: BackupBoard | None, demand: DemandYear, fed: BackedUpLoads, count: int
) -> LegLoads:
    most = _may_ask_kw(loads, board, demand, fed)
    legs = fed.legs[:, :count].T @ most
    at = int(legs.max(axis=0).argmax())
    return LegLoads(tuple(legs[:, at].tolist()), _best_move(fed, most, legs))


def _best_move(fed: BackedUpLoads, kw: np.ndarray, legs: np.ndarray) -> tuple[str, int] | None:
    highest = legs.max(axis=1)
    best, taken = float(highest.max()) * 0.98, None
    for number, name in enumerate(fed.names):
        (whole_on,) = np.nonzero(fed.legs[number] == 1.0)
        if not whole_on.size or highest[whole_on[0]] < highest.max():
            continue
        home = int(whole_on[0])
        relieved = float((legs[home] - kw[number]).max())
        for to in (leg for leg in range(legs.shape[0]) if leg != home):
            rest = [highest[leg] for leg in range(legs.shape[0]) if leg not in (home, to)]
            then = max(relieved, float((legs[to] + kw[number]).max()), *rest)
            if then < best:
                best, taken = then, (name, to + 1)
    return taken


@kept
def _may_ask_kw(
    loads: tuple[ScheduledLoad, ...], board: BackupBoard | None, demand: DemandYear, fed: BackedUpLoads
) -> np.ndarray:
    most = fed.briefly_kw.copy()
    parts = {part.name: part.kw for part in demand.parts}
    for load in loads:
        mean = parts[load.name]
        if board is None:
            row = 0 if fed.names else None
        else:
            row = next((n for n, name in enumerate(fed.names) if load.name in _loads_of(board, name)), None)
        if row is not None:
            most[row] += np.where(mean > 0, np.maximum(load.kw - mean, 0.0), 0.0)
    return most


def _loads_of(board: BackupBoard, name: str) -> tuple[str, ...]:
    return next(circuit.loads for circuit in board.circuits if circuit.name == name)


def extra_kw(machine: ScheduledLoad, circuit: Circuit | None, job: Job) -> float:
    """What the start of a machine adds to its running power [kW]."""
    volts = start_volts(job.supply.phases, job.supply.volts, circuit.leg if circuit else None)
    soft = circuit.soft_start if circuit else False
    return max(start_power_kw(machine, volts, soft) - machine.kw, 0.0)


@dataclass(frozen=True)
class StartMargin:
    """The worst start of a machine in the year: its figures, and what it is held against.

    `asked_kw` is real power with all that may run at that moment, on all legs or on the fullest leg it starts on,
    against `surge_kw`; `start_a` what it draws on a leg against `locked_rotor_a`, None where none is stated.
    """

    running_kw: float
    asked_kw: float
    surge_kw: float
    on_leg: bool
    start_a: float
    locked_rotor_a: float | None

    @property
    def by_current(self) -> bool:
        """Whether it is the current that is nearer to its limit, or further beyond."""
        if self.locked_rotor_a is None:
            return False
        return self.start_a / self.locked_rotor_a > self.asked_kw / self.surge_kw

    @property
    def over(self) -> bool:
        """Whether the inverter trips on it."""
        too_much = self.locked_rotor_a is not None and self.start_a > self.locked_rotor_a * (1.0 + 1e-9)
        return self.asked_kw > self.surge_kw + 1e-9 or too_much


def start_margin(
    machine: ScheduledLoad,
    circuit: Circuit,
    job: Job,
    demand: DemandYear,
    on: BackedUpLoads,
    limits: Limits,
    leg_v: float,
    locked_rotor_a: float | None,
) -> StartMargin | None:
    """How a machine's start stands on top of all that may run beside it; None where it never runs.

    Parameters
    ----------
    machine : ScheduledLoad
        The machine.
    circuit : Circuit
        What it hangs on.
    job : Job
        Its machines and its board.
    demand : DemandYear
        The home's year.
    on : BackedUpLoads
        Circuits that are on with a full battery.
    limits : Limits
        Of the unit that forms the grid.
    leg_v : float
        Voltage from a leg to neutral [V].
    locked_rotor_a : float or None
        What the unit states for a leg.
    """
    parts = {part.name: part.kw for part in demand.parts}
    runs = np.flatnonzero(parts[machine.name] > 0)
    if not runs.size or circuit.name not in on.names:
        return None
    most = may_ask_kw(job, demand, on)[:, runs]
    row = on.names.index(circuit.name)
    extra, factor = extra_kw(machine, circuit, job), limits.start_power_factor
    total = most.sum(axis=0)
    legs = (on.legs.T @ most) + on.legs[row][:, None] * extra * factor
    here = on.legs[row] > 0
    whole_kw = float(total.max()) + extra * factor
    leg_kw = float(legs[here].max()) if here.any() and limits.legs > 1 else 0.0
    leg_surge = limits.surge_kw / limits.legs
    on_leg = leg_kw / leg_surge > whole_kw / limits.surge_kw
    start_a = extra * float(on.legs[row].max()) * 1000.0 / leg_v
    asked, surge = (leg_kw, leg_surge) if on_leg else (whole_kw, limits.surge_kw)
    return StartMargin(float(total.max()) - machine.kw, asked, surge, on_leg, start_a, locked_rotor_a)


def _small_peaks(steps: int, per_step: int, rng: np.random.Generator) -> np.ndarray:
    """What many small things ask beside their mean, minute by minute: `BRIEFLY` of it at once, less in the rest."""
    high = max(1, per_step // PEAK_OF)
    at = (np.arange(per_step) + rng.integers(0, per_step, size=(steps, 1))) % per_step
    return np.where(at < high, BRIEFLY - 1.0, -(BRIEFLY - 1.0) * high / (per_step - high)).ravel()


def _cycled(machine: ScheduledLoad, runs: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Minutes in which a machine is on: its duty in `STARTS_PER_H` runs an hour, at seeded minutes."""
    if machine.duty >= 1.0:
        return runs.copy()
    period = 60 // STARTS_PER_H
    phase = int(rng.integers(0, period))
    at = (np.arange(runs.size) + phase) % period
    return runs & (at < round(machine.duty * period))
