"""The circuits behind the relay: what each draws in the year, on which leg, and when it is shed."""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.site.demand import DemandYear

WHOLE = "Whole house"


@dataclass(frozen=True, eq=False)
class Backed:
    """The circuits that live in the dark: names, shares on the legs, levels at which each is shed, year's load."""

    names: tuple[str, ...]
    legs: np.ndarray
    shed_below: np.ndarray
    kw: np.ndarray

    @cached_property
    def most_kw(self) -> float:
        """Highest power of all together in the year [kW]."""
        return float(self.kw.sum(axis=0).max()) if self.names else 0.0

    @cached_property
    def when_full(self) -> "Backed":
        """Those of the circuits that stay on in the dark while the store is full."""
        return self.only([name for name, level in zip(self.names, self.shed_below, strict=True) if level < 1.0])

    @cached_property
    def half_hours_kw(self) -> np.ndarray:
        """Mean power of each circuit over the half hour from every step [kW]."""
        return (self.kw + np.roll(self.kw, -1, axis=1)) / 2

    @cached_property
    def stacked_kw(self) -> np.ndarray:
        """Mean power of all together over the half hour from every step [kW]."""
        return self.half_hours_kw.sum(axis=0)

    @cached_property
    def worst_step(self) -> int:
        """The step from which they stack highest over half an hour."""
        return int(self.stacked_kw.argmax())

    def dropped_to_fit(self, limit_kw: float, order) -> tuple[str, ...]:
        """Circuits to drop, the first of `order` first, so that the worst half hour stays within a limit [kW]."""
        left = self.stacked_kw
        dropped = []
        for name in (name for name in order if name in self.names):
            if left.max() <= limit_kw:
                break
            dropped.append(name)
            left = left - self.half_hours_kw[self.names.index(name)]
        for name in dropped[:-1]:
            back = left + self.half_hours_kw[self.names.index(name)]
            if back.max() <= limit_kw:
                dropped.remove(name)
                left = back
        return tuple(dropped)

    def only(self, names) -> "Backed":
        """Those of the circuits that are named."""
        at = [number for number, name in enumerate(self.names) if name in names]
        return Backed(tuple(self.names[n] for n in at), self.legs[at], self.shed_below[at], self.kw[at])


def behind_relay(design: Design, job: Job, demand: DemandYear) -> Backed | None:
    """The circuits behind the relay with what each draws in the year; None without a box that forms a grid."""
    box = design.store_box
    if box is None or box.converter.backup is None:
        return None
    return _behind(job.board, job.supply, _lone_phase(box, job), demand)


def whole_behind(design: Design, job: Job, demand: DemandYear) -> Backed:
    """Every circuit that a box which forms the grid can reach, none of them shed."""
    box = design.store_box
    circuits = tuple(circuit.with_(role="backed up") for circuit in job.board.circuits)
    return _behind(job.board.with_(circuits=circuits), job.supply, _lone_phase(box, job), demand)


def whole_house(job: Job, demand: DemandYear) -> Backed:
    """Every circuit of the house, by priority, whatever is to become of it in an outage."""
    if job.board is None:
        return _behind(None, job.supply, None, demand)
    circuits = sorted(job.board.circuits, key=lambda circuit: circuit.priority)
    all_on = tuple(circuit.with_(role="backed up") for circuit in circuits)
    return _behind(job.board.with_(circuits=all_on), job.supply, None, demand)


@lru_cache(maxsize=8)
def _behind(board, supply, one_phase, demand):
    phases = supply.phases
    parts = {part.name: part.kw for part in demand.parts}
    house = demand.parts[0].kw
    if board is None and one_phase is not None:
        alone = demand.kw[None, :] * supply.home_shares[one_phase - 1]
        return Backed((f"Phase {one_phase}",), np.array([_shares(phases, str(one_phase))]), np.zeros(1), alone)
    if board is None:
        return Backed((WHOLE,), np.array([_shares(phases, None)]), np.zeros(1), demand.kw[None, :].copy())
    names, legs, shed, rows = [], [], [], []
    for circuit in board.circuits:
        if circuit.role == "street only" or (one_phase is not None and circuit.leg != str(one_phase)):
            continue
        names.append(circuit.name)
        legs.append(_shares(phases, circuit.leg))
        shed.append(circuit.shed_below if circuit.role == "shed" else 0.0)
        rows.append(
            house * circuit.house_share
            + sum((parts[name] for name in circuit.loads if name in parts), np.zeros(house.size))
        )
    if not names:
        return Backed((), np.zeros((0, 3)), np.zeros(0), np.zeros((0, house.size)))
    return Backed(tuple(names), np.array(legs), np.array(shed), np.array(rows))


def _lone_phase(box, job):
    """The one phase that lives where a single-phase box serves a three-phase house; None elsewhere."""
    single = box.converter.phases == "single" and job.supply.phases == "three"
    return job.supply.single_on if single else None


def _shares(phases, leg):
    if phases == "single":
        return (1.0, 0.0, 0.0)
    if leg in ("1", "2", "3"):
        return tuple(1.0 if str(number) == leg else 0.0 for number in (1, 2, 3))
    return (0.5, 0.5, 0.0) if phases == "split" else (1 / 3, 1 / 3, 1 / 3)
