"""The circuits behind the relay: what each draws in the year, on which leg, and when it is shed."""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from calm_relay.job.backup_board import BackupBoard
from calm_relay.job.model import Job, Supply
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.site.demand import DemandYear

WHOLE = "Whole house"


@dataclass(frozen=True, eq=False)
class BackedUpLoads:
    """The circuits that stay on in an outage: names, shares on the legs, levels at which each is shed, year's load."""

    names: tuple[str, ...]
    legs: np.ndarray
    shed_below: np.ndarray
    kw: np.ndarray

    @cached_property
    def most_kw(self) -> float:
        """Highest power of all together in the year [kW]."""
        return float(self.kw.sum(axis=0).max()) if self.names else 0.0

    @cached_property
    def when_full(self) -> "BackedUpLoads":
        """Those of the circuits that stay on in an outage while the battery is full."""
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

    def dropped_to_fit(self, limit_kw: float, order: list[str]) -> tuple[str, ...]:
        """Circuits to drop, the first of `order` first, so that the worst half hour stays within a limit [kW]."""
        return _dropped_to_fit(self, limit_kw, tuple(order))

    def only(self, names: list[str] | tuple[str, ...] | frozenset[Any]) -> "BackedUpLoads":
        """Those of the circuits that are named."""
        at = [number for number, name in enumerate(self.names) if name in names]
        return BackedUpLoads(tuple(self.names[n] for n in at), self.legs[at], self.shed_below[at], self.kw[at])


@lru_cache(maxsize=64)
def _dropped_to_fit(loads: BackedUpLoads, limit_kw: float, order: tuple[str, ...]) -> tuple[str, ...]:
    # Where all together stay within it, any of them do.
    over = np.flatnonzero(loads.stacked_kw > limit_kw)
    if not over.size:
        return ()
    left, each = loads.stacked_kw[over], loads.half_hours_kw[:, over]
    dropped = []
    for name in (name for name in order if name in loads.names):
        if left.max() <= limit_kw:
            break
        dropped.append(name)
        left = left - each[loads.names.index(name)]
    for name in dropped[:-1]:
        back = left + each[loads.names.index(name)]
        if back.max() <= limit_kw:
            dropped.remove(name)
            left = back
    return tuple(dropped)


def behind_relay(design: Design, job: Job, demand: DemandYear) -> BackedUpLoads | None:
    """The circuits behind the relay with what each draws in the year; None without a unit that forms a grid."""
    converter = design.battery_converter
    if converter is None or converter.inverter.backup is None:
        return None
    return _behind(job.backup_board, job.supply, _only_phase_served(converter, job), demand)


def whole_behind(design: Design, job: Job, demand: DemandYear) -> BackedUpLoads:
    """Every circuit that a unit which forms the grid can reach, none of them shed."""
    converter = design.battery_converter
    circuits = tuple(circuit.with_(role="backed up") for circuit in job.backup_board.circuits)
    return _behind(
        job.backup_board.with_(circuits=circuits), job.supply, _only_phase_served(converter, job), demand
    )


def whole_house(backup_board: BackupBoard | None, supply: Supply, demand: DemandYear) -> BackedUpLoads:
    """Every circuit of the house, by priority, whatever is to become of it in an outage."""
    if backup_board is None:
        return _behind(None, supply, None, demand)
    circuits = sorted(backup_board.circuits, key=lambda circuit: circuit.priority)
    all_on = tuple(circuit.with_(role="backed up") for circuit in circuits)
    return _behind(backup_board.with_(circuits=all_on), supply, None, demand)


@lru_cache(maxsize=8)
def _behind(
    backup_board: BackupBoard | None, supply: Supply, one_phase: int | None, demand: DemandYear
) -> BackedUpLoads:
    phases = supply.phases
    parts = {part.name: part.kw for part in demand.parts}
    house = demand.parts[0].kw
    if backup_board is None and one_phase is not None:
        on_phase = demand.kw[None, :] * supply.home_shares[one_phase - 1]
        return BackedUpLoads(
            (f"Phase {one_phase}",), np.array([_shares(phases, str(one_phase))]), np.zeros(1), on_phase
        )
    if backup_board is None:
        return BackedUpLoads((WHOLE,), np.array([_shares(phases, None)]), np.zeros(1), demand.kw[None, :].copy())
    names, legs, shed, rows = [], [], [], []
    for circuit in backup_board.circuits:
        if circuit.role == "grid only" or (one_phase is not None and circuit.leg != str(one_phase)):
            continue
        names.append(circuit.name)
        legs.append(_shares(phases, circuit.leg))
        shed.append(circuit.shed_below if circuit.role == "shed" else 0.0)
        rows.append(
            house * circuit.house_share
            + sum((parts[name] for name in circuit.loads if name in parts), np.zeros(house.size))
        )
    if not names:
        return BackedUpLoads((), np.zeros((0, 3)), np.zeros(0), np.zeros((0, house.size)))
    return BackedUpLoads(tuple(names), np.array(legs), np.array(shed), np.array(rows))


def _only_phase_served(converter: Converter, job: Job) -> int | None:
    """The one phase that stays on where a single-phase unit serves a three-phase house; None elsewhere."""
    single = converter.inverter.phases == "single" and job.supply.phases == "three"
    return job.supply.single_on if single else None


def _shares(phases: str, leg: str | None) -> tuple[float, float, float]:
    if phases == "single":
        return (1.0, 0.0, 0.0)
    if leg in ("1", "2", "3"):
        one, two, three = (1.0 if str(number) == leg else 0.0 for number in (1, 2, 3))
        return one, two, three
    return (0.5, 0.5, 0.0) if phases == "split" else (1 / 3, 1 / 3, 1 / 3)
