"""Which circuits ride through a chosen outage: a critical-loads board against the whole house with shedding."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from calm_relay.job.backup_board import BackupBoard
from calm_relay.job.model import Job
from calm_relay.physics.plant import island_figures
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, whole_behind
from calm_relay.planning.operation.island import forms_grid
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.outage import Rehearsal, rehearse
from calm_relay.planning.verdict.option import Option, RefusedOption

HOURS = 30.0
# Levels at which circuits of lesser priority are shed, tried from the lowest up.
LADDERS = ((0.15, 0.35), (0.25, 0.6), (0.4, 0.9))
MOST_TRIES = 40


@dataclass(frozen=True, eq=False)
class Proposal:
    """One school's answer: circuits to keep, to shed and to leave, the outage they were held against, the cost.

    `left` says for each circuit left out, or dropped as the grid goes, why; `shed` holds the charge below which
    a circuit goes. `rehearsal` is None where not even one circuit stays on.
    """

    school: str
    kept: tuple[str, ...]
    left: tuple[tuple[str, str], ...]
    shed: dict[str, float]
    cost: float
    rehearsal: Rehearsal | None

    @property
    def holds(self) -> bool:
        """Whether something is kept that rides through."""
        return bool(self.kept) and self.rehearsal is not None and self.rehearsal.served_h is None

    def apply(self, job: Job) -> Job:
        """The job with this board: kept, shed, and the rest on the grid side only, or dropped as the grid fails."""
        circuits = []
        for circuit in job.board.circuits:
            if circuit.name in self.shed:
                circuits.append(circuit.with_(role="shed", shed_below=self.shed[circuit.name]))
            elif circuit.name in self.kept:
                keeps = circuit.role if circuit.role != "grid only" else "backed up"
                circuits.append(circuit.with_(role="backed up" if self.school == WHOLE else keeps))
            else:
                circuits.append(circuit.with_(role="grid only"))
        return job.with_(backup_board=job.board.with_(circuits=tuple(circuits)))

    @property
    def load_hours(self) -> dict[str, float]:
        """Hours in which each circuit that is kept or shed was fed."""
        if self.rehearsal is None:
            return {}
        hours = self.rehearsal.on.sum(axis=0) * self.rehearsal.step_h
        return dict(zip(self.rehearsal.names, hours.tolist(), strict=True))


CRITICAL, WHOLE = "critical-loads board", "whole house with shedding"


@dataclass(frozen=True, eq=False)
class _Trial:
    """The outage that boards are held against."""

    plan: Plan
    option: Option
    first: int
    hours: float
    progress: Progress
    events: bool
    covered: bool

    @property
    def backup_board(self) -> BackupBoard:
        """The job's board."""
        return self.plan.job.board

    def run(self, **fed: Any) -> Rehearsal | None:
        """Rehearses it with the circuits that are fed."""
        return rehearse(self.plan, self.option, self.first, self.hours, self.events, covered=self.covered, **fed)


def _critical(trial: _Trial) -> Proposal:
    """The largest critical-loads board: circuits by priority, as long as the outage is ridden through.

    A circuit that ends it is left out, and the next tried: a large one does not keep the small ones after it out.
    """
    wanted = sorted(
        (circuit for circuit in trial.backup_board.circuits if circuit.role != "grid only"),
        key=lambda circuit: circuit.priority,
    )
    kept: list[str] = []
    left: list[tuple[str, str]] = []
    best: Rehearsal | None = None
    for number, circuit in enumerate(wanted):
        trial.progress(number / max(len(wanted), 1), f"Trying {circuit.name}")
        run = trial.run(only=frozenset([*kept, circuit.name]))
        if run is None or circuit.name not in run.names:
            left.append((circuit.name, "it hangs on a phase that is off"))
        elif run.served_h is None:
            kept.append(circuit.name)
            best = run
        else:
            left.append((circuit.name, _why(run)))
    costs = trial.plan.job.costs
    cost = costs.backup_board + len(kept) * costs.backup_circuit if kept else 0.0
    return Proposal(CRITICAL, tuple(kept), tuple(left), {}, cost, best)


def _whole(trial: _Trial) -> Proposal:
    """Every circuit behind the relay: what trips it is dropped at once, what empties it is shed by charge."""
    backup_board, job = trial.backup_board, trial.plan.job
    everything = whole_behind(trial.option.design, job, trial.plan.demand)
    priority = {circuit.name: circuit.priority for circuit in backup_board.circuits}
    dropped: dict[str, str] = {}
    shed: dict[str, float] = {}
    ladder, run = 0, None
    for tried in range(MOST_TRIES):
        trial.progress(tried / MOST_TRIES, "Shedding until it holds")
        run = trial.run(fed=_shed_at(everything, dropped, shed))
        if run is None or run.served_h is None:
            break
        if run.cause == island_figures.EMPTY and ladder < len(LADDERS):
            shed = _ladder(everything.names, priority, dropped, LADDERS[ladder])
            ladder += 1
        else:
            # What asks most goes first where power is short, what matters least where energy is.
            name = _next(run, priority, dropped) if run.cause == island_figures.EMPTY else _fed(run, dropped)
            if name is None:
                break
            dropped[name] = _why(run)
            shed.pop(name, None)
    kept = tuple(name for name in everything.names if name not in dropped)
    elsewhere = tuple(
        (circuit.name, "it hangs on a phase that is off")
        for circuit in backup_board.circuits
        if circuit.name not in everything.names
    )
    levels = {**shed, **dict.fromkeys(dropped, 1.0)}
    cost = job.costs.whole_changeover + len(levels) * job.costs.shed_relay
    return Proposal(WHOLE, kept, (*dropped.items(), *elsewhere), levels, cost, run)


def _why(run: Rehearsal) -> str:
    """What ended it, as part of a sentence."""
    return run.ended_by[:1].lower() + run.ended_by[1:].rstrip(".")


def _shed_at(everything: BackedUpLoads, dropped: dict[str, str], shed: dict[Any, Any]) -> BackedUpLoads:
    levels = [1.0 if name in dropped else shed.get(name, 0.0) for name in everything.names]
    return replace(everything, shed_below=np.array(levels, dtype=float))


def _ladder(
    names: Sequence[str], priority: dict[str, int], dropped: dict[str, str], ends: tuple[float, float]
) -> dict[str, float]:
    """Levels that rise as priority falls; what has the first priority is never shed by charge."""
    ranks = sorted({priority[name] for name in names if name not in dropped})[1:]
    if not ranks:
        return {}
    levels = dict(zip(ranks, np.linspace(ends[0], ends[1], len(ranks)), strict=True))
    return {
        name: round(float(levels[priority[name]]), 2)
        for name in names
        if name not in dropped and priority[name] in levels
    }


def _fed(run: Rehearsal, dropped: dict[str, str]) -> str | None:
    """The circuit that ended it, or of those still fed the one that asks most then."""
    if run.ended_at and run.ended_at not in dropped:
        return run.ended_at
    at = round((run.served_h or 0.0) / run.step_h)
    asked = {
        name: kw for name, kw in zip(run.names, run.load_kw[:, at].tolist(), strict=True) if name not in dropped
    }
    return max(asked, key=asked.__getitem__) if len(asked) > 1 else None


def _next(run: Rehearsal, priority: dict[str, int], dropped: dict[str, str]) -> str | None:
    """The circuit that matters least; None where one is left."""
    left = [name for name in run.names if name not in dropped]
    return max(left, key=lambda name: (priority[name], left.index(name))) if len(left) > 1 else None


def schools_of(
    plan: Plan,
    option: Option | RefusedOption,
    first: int,
    hours: float = HOURS,
    progress: Progress = unheard,
    events: bool = True,
    covered: bool = False,
) -> tuple[Proposal, ...]:
    """Both schools for an outage from a step: the critical-loads board, and the whole house with shedding.

    `events` says whether machines start as events in the outage they are held against, `covered` whether snow lies on
    the modules all the while. Empty without a board or a
    unit that forms a grid.
    """
    if isinstance(option, RefusedOption) or plan.job.backup_board is None:
        return ()
    if not forms_grid(option.design.battery_converter):
        return ()
    trial = _Trial(plan, option, first, hours, progress, events, covered)
    return _critical(trial), _whole(trial)
