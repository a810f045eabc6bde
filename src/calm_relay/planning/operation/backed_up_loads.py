"""The circuits behind the relay: what each draws in the year, on which leg, and when it is shed."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from calm_relay.job.backup_board import BackupBoard
from calm_relay.job.model import Job, Supply
from calm_relay.physics.kept import kept
from calm_relay.planning.architecture.bus_rating import only_phase_served
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.site.demand import DemandYear, evening_peak
from calm_relay.planning.site.home_phases import Phases, demand_by_phase
from calm_relay.planning.site.site_year import SiteYear

WHOLE = "Whole house"
# Demand of a home's peak minutes over that of their quarter hour: Wright and Firth 2007 (from memory).
BRIEFLY = 1.25


@dataclass(frozen=True, eq=False)
class BackedUpLoads:
    """The circuits that stay on in an outage: names, shares on the legs, levels at which each is shed, year's load.

    `house_kw` is the part of a circuit's load that no machine stated makes: many small things, which for minutes ask
    `BRIEFLY` times their quarter hour.
    """

    names: tuple[str, ...]
    legs: np.ndarray
    shed_below: np.ndarray
    kw: np.ndarray
    house_kw: np.ndarray

    @cached_property
    def briefly_kw(self) -> np.ndarray:
        """What each circuit may ask for minutes within each step [kW]."""
        return self.kw + (BRIEFLY - 1.0) * self.house_kw

    def on_legs(self, count: int) -> np.ndarray:
        """What they ask on each of so many legs, shape (count, steps) [kW]; on one leg all of it."""
        return self._on_one if count == 1 else self._on_two if count == 2 else self._on_three

    @cached_property
    def _on_one(self) -> np.ndarray:
        return self.kw.sum(axis=0)[None, :]

    @cached_property
    def _on_two(self) -> np.ndarray:
        return np.ascontiguousarray(self.legs.T[:2] @ self.kw)

    @cached_property
    def _on_three(self) -> np.ndarray:
        return np.ascontiguousarray(self.legs.T[:3] @ self.kw)

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

    def dropped_to_fit(self, asked_kw: np.ndarray, limit_kw: float, order: list[str]) -> tuple[str, ...]:
        """Circuits to drop, the first of `order` first, so that what all may ask stays within a limit [kW].

        `asked_kw` has a row a circuit, with what it may ask in each step.
        """
        asked = asked_kw.sum(axis=0)
        # Where all together stay within it, any of them do.
        over = np.flatnonzero(asked > limit_kw)
        if not over.size:
            return ()
        left, each = asked[over], asked_kw[:, over]
        dropped = []
        for name in (name for name in order if name in self.names):
            if left.max() <= limit_kw:
                break
            dropped.append(name)
            left = left - each[self.names.index(name)]
        for name in dropped[:-1]:
            back = left + each[self.names.index(name)]
            if back.max() <= limit_kw:
                dropped.remove(name)
                left = back
        return tuple(dropped)

    def only(self, names: list[str] | tuple[str, ...] | frozenset[Any]) -> "BackedUpLoads":
        """Those of the circuits that are named."""
        at = [number for number, name in enumerate(self.names) if name in names]
        names = tuple(self.names[n] for n in at)
        return BackedUpLoads(names, self.legs[at], self.shed_below[at], self.kw[at], self.house_kw[at])


def behind_relay(design: Design, job: Job, demand: DemandYear) -> BackedUpLoads:
    """The circuits behind the relay of a unit that forms a grid, with what each draws in the year."""
    return _behind(job.backup_board, job.supply, only_phase_served(design, job.supply), job.load_phases, demand)


def served_share(design: Design, job: Job, demand: DemandYear) -> float:
    """Share of what is to stay on that hangs on the phases which are served, by its energy over the year."""
    served = only_phase_served(design, job.supply)
    if served is None:
        return 1.0
    return _served_share(job.backup_board, job.supply, served, job.load_phases, demand)


def asked_where_served(design: Design, job: Job, demand: DemandYear, site: SiteYear) -> tuple[float, float]:
    """Worst evening half hour and mean of the worst season of all that hangs on the phases which are served [kW]."""
    one_phase = only_phase_served(design, job.supply)
    if one_phase is None:
        return demand.evening_peak_kw, demand.worst_season_mean_kw
    return _asked_on(one_phase, job.backup_board, job.supply, job.load_phases, demand, site)


@kept
def _asked_on(
    one_phase: int,
    backup_board: BackupBoard | None,
    supply: Supply,
    on_one: Phases,
    demand: DemandYear,
    site: SiteYear,
) -> tuple[float, float]:
    board = None if backup_board is None else _all_on(backup_board)
    kw = _behind(board, supply, one_phase, on_one, demand).kw.sum(axis=0)
    return evening_peak(kw, site)[0], float(kw[demand.worst_season_steps].mean())


def _all_on(backup_board: BackupBoard) -> BackupBoard:
    return backup_board.with_(circuits=tuple(item.with_(role="backed up") for item in backup_board.circuits))


@kept
def _served_share(
    backup_board: BackupBoard | None, supply: Supply, one_phase: int, on_one: Phases, demand: DemandYear
) -> float:
    asked = float(_behind(backup_board, supply, None, on_one, demand).kw.sum())
    served = float(_behind(backup_board, supply, one_phase, on_one, demand).kw.sum())
    return min(served / asked, 1.0) if asked > 0.0 else 0.0


def whole_behind(design: Design, job: Job, demand: DemandYear) -> BackedUpLoads:
    """Every circuit that a unit which forms the grid can reach, none of them shed."""
    served = only_phase_served(design, job.supply)
    return _behind(_all_on(job.board), job.supply, served, job.load_phases, demand)


def whole_house(backup_board: BackupBoard | None, supply: Supply, demand: DemandYear) -> BackedUpLoads:
    """Every circuit of the house, by priority, whatever is to become of it in an outage."""
    if backup_board is None:
        return _behind(None, supply, None, (), demand)
    circuits = sorted(backup_board.circuits, key=lambda circuit: circuit.priority)
    return _behind(_all_on(backup_board.with_(circuits=tuple(circuits))), supply, None, (), demand)


@kept
def most_by_day_kw(fed: BackedUpLoads, site: SiteYear) -> float:
    """The most that circuits draw together while the sun is up [kW]."""
    return float(fed.kw.sum(axis=0)[~site.night].max())


@kept
def _behind(
    backup_board: BackupBoard | None, supply: Supply, one_phase: int | None, on_one: Phases, demand: DemandYear
) -> BackedUpLoads:
    phases = supply.phases
    parts = {part.name: part.kw for part in demand.parts}
    house = demand.parts[0].kw
    if backup_board is None and one_phase is not None:
        share = supply.home_shares[one_phase - 1]
        legs = np.array([_shares(phases, str(one_phase))])
        here = demand_by_phase(supply, on_one, demand)[one_phase - 1]
        rows = here[None, :], house[None, :] * share
        place = supply.circuit.places[one_phase - 1]
        return BackedUpLoads((f"{place[0].upper()}{place[1:]}",), legs, np.zeros(1), *rows)
    if backup_board is None:
        rows = demand.kw[None, :].copy(), house[None, :]
        return BackedUpLoads((WHOLE,), np.array([_shares(phases, None)]), np.zeros(1), *rows)
    names: list[str] = []
    on_legs: list[tuple[float, float, float]] = []
    shed: list[float] = []
    kw: list[np.ndarray] = []
    small: list[np.ndarray] = []
    for circuit in backup_board.circuits:
        if circuit.role == "grid only" or (one_phase is not None and circuit.leg != str(one_phase)):
            continue
        names.append(circuit.name)
        on_legs.append(_shares(phases, circuit.leg))
        shed.append(circuit.shed_below if circuit.role == "shed" else 0.0)
        small.append(house * circuit.house_share)
        kw.append(small[-1] + sum((parts[name] for name in circuit.loads if name in parts), np.zeros(house.size)))
    if not names:
        nothing = np.zeros((0, house.size))
        return BackedUpLoads((), np.zeros((0, 3)), np.zeros(0), nothing, nothing)
    return BackedUpLoads(tuple(names), np.array(on_legs), np.array(shed), np.array(kw), np.array(small))


def _shares(phases: str, leg: str | None) -> tuple[float, float, float]:
    if phases == "single":
        return (1.0, 0.0, 0.0)
    if leg in ("1", "2", "3"):
        one, two, three = (1.0 if str(number) == leg else 0.0 for number in (1, 2, 3))
        return one, two, three
    return (0.5, 0.5, 0.0) if phases == "split" else (1 / 3, 1 / 3, 1 / 3)
