"""Machines as events of a night: when each starts, minute by minute, and what that adds to the legs."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.backup_board import Circuit
from calm_relay.job.demand import ScheduledLoad
from calm_relay.job.model import Job
from calm_relay.planning.operation.backed_up_loads import WHOLE, BackedUpLoads
from calm_relay.planning.operation.island import start_power_kw, start_volts
from calm_relay.planning.site.demand import DemandYear

# Compressors and pumps on a duty start so often an hour: common practice, no source.
STARTS_PER_H = 3


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
    rng = np.random.default_rng(seed)
    load = np.repeat(fed.kw[:, steps], per_step, axis=1)
    start, again, who = np.zeros(load.shape), np.zeros(load.shape), {}
    parts = {part.name: part.kw for part in demand.parts}
    for machine in job.demand.loads:
        circuit = (
            next((c for c in job.backup_board.circuits if machine.name in c.loads), None)
            if job.backup_board
            else None
        )
        name = circuit.name if circuit else fed.names[0] if fed.names and job.backup_board is None else WHOLE
        if name not in fed.names:
            continue
        row = fed.names.index(name)
        mean = np.repeat(parts[machine.name][steps], per_step)
        runs = mean > 0
        if not runs.any():
            continue
        switched = _cycled(machine, runs, rng)
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


def extra_kw(machine: ScheduledLoad, circuit: Circuit, job: Job) -> float:
    """What the start of a machine adds to its running power [kW]."""
    volts = start_volts(job.supply.phases, job.supply.volts, circuit.leg if circuit else None)
    soft = circuit.soft_start if circuit else False
    return max(start_power_kw(machine, volts, soft) - machine.kw, 0.0)


def _cycled(machine: ScheduledLoad, runs: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Minutes in which a machine is on: its duty in `STARTS_PER_H` runs an hour, at seeded minutes."""
    if machine.duty >= 1.0:
        return runs.copy()
    period = 60 // STARTS_PER_H
    phase = int(rng.integers(0, period))
    at = (np.arange(runs.size) + phase) % period
    return runs & (at < round(machine.duty * period))
