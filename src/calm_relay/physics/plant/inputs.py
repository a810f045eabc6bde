"""One description of a run, read by every run: a year on the grid or off it, a night, a map of outages."""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from hashlib import blake2b
from threading import Lock
from typing import Any

import numpy as np

from calm_relay.physics.plant.control import Control
from calm_relay.physics.plant.island import (
    Island,
    IslandSums,
    IslandYear,
    ReadyOutages,
    lean_island,
    ready_outages,
    run_island,
    sum_island,
)
from calm_relay.physics.plant.island_figures import Limits
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.plant.parts import ConverterPart, GridConnection
from calm_relay.physics.plant.year import (
    BufferPool,
    PlantBus,
    PlantSums,
    PlantYear,
    bus_plant,
    lean_plant,
    run_plant,
    sum_plant,
)
from calm_relay.physics.unchanging import digest_as_is, times


@dataclass(frozen=True, eq=False)
class Inputs:
    """All that a run of the plant reads.

    Attributes
    ----------
    plant : tuple of ConverterPart
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW].
    home_kw : ndarray, shape (steps,) or (3, steps)
        Demand, of each phase where the meter counts each [kW].
    step_h : float
    grid : GridConnection
    control : Control
    thermal_derate : ndarray, shape (2, converters, days), or None
        Share of the charge and the discharge limit that cold or heat leaves on each day; None: all.
    island : Island, or None
        Set where the plant runs off grid.
    loads : tuple of ControlledLoad
        Loads that a control starts and stops, in the order in which they take surplus; in an outage they are off.
    """

    plant: tuple[ConverterPart, ...]
    pv_kw: np.ndarray
    home_kw: np.ndarray
    step_h: float
    grid: GridConnection
    control: Control
    thermal_derate: np.ndarray | None = None
    island: Island | None = None
    loads: tuple[ControlledLoad, ...] = ()

    @property
    def on_grid(self) -> dict[str, Any]:
        """What a run on the grid reads, by the names of `run_plant`."""
        return {name: value for name, value in vars(self).items() if name != "island"}

    @property
    def off_grid(self) -> tuple[Any, ...]:
        """What an islanded run reads, in the order of `run_island`."""
        return self.plant, self.pv_kw, self.step_h, self.island, self.thermal_derate

    @property
    def digest(self) -> bytes:
        """A digest of every field: two runs with the same one come to the same."""
        seen = blake2b(digest_size=16)
        for field in vars(self).values():
            _digest(field, seen)
        return seen.digest()

    def scaled(self, array: float = 1.0, home: float = 1.0) -> "Inputs":
        """The same plant with more or less array, or demand."""
        island = self.island and self.island.scaled(home)
        return replace(self, pv_kw=times(self.pv_kw, array), home_kw=times(self.home_kw, home), island=island)

    def faded(self, left: float, number: int | None = None) -> "Inputs":
        """The same plant with so much left of the energy of one converter's battery, or of all batteries."""
        plant = tuple(
            replace(part, battery=replace(part.battery, usable_kwh=part.battery.usable_kwh * left))
            if part.battery is not None and number in (None, place)
            else part
            for place, part in enumerate(self.plant)
        )
        return replace(self, plant=plant)

    def islanded(self, island: Island) -> "Inputs":
        """The same plant on an island of its own: nothing is kept in reserve there, and no clock is obeyed."""
        if island.former is None:
            return replace(self, island=island)
        plant = tuple(
            replace(part, battery=part.battery and replace(part.battery, reserve=0.0), by_clock=False, phase=0)
            if number in island.forming
            else part
            for number, part in enumerate(self.plant)
        )
        return replace(self, plant=plant, island=island)

    def at(self, steps: np.ndarray, repeated: int = 1) -> "Inputs":
        """The islanded plant over some of the steps, each so many times."""
        return replace(
            self,
            pv_kw=np.repeat(self.pv_kw[:, steps], repeated, axis=1),
            step_h=self.step_h / repeated,
            island=self.island and self.island.at(steps, repeated),
        )


def run_inputs(inputs: Inputs) -> PlantYear:
    """Runs the plant with the flows of every step."""
    if inputs.island is not None:
        return run_island(*inputs.off_grid, loads=inputs.loads)
    return run_plant(**inputs.on_grid)


def lean_inputs(inputs: Inputs) -> PlantYear:
    """Runs the plant for what a plan reads of it; its flows are made once more when they are looked at."""
    again = partial(_flows, inputs)
    if inputs.island is not None:
        return lean_island(*inputs.off_grid, loads=inputs.loads, again=again)
    return lean_plant(again, **inputs.on_grid)


def _flows(inputs: Inputs) -> np.ndarray:
    return run_inputs(inputs).flows


def sum_inputs(inputs: Inputs) -> PlantSums | IslandSums:
    """Runs the plant and keeps its sums, the bus and the energies stored."""
    if inputs.island is not None:
        return sum_island(*inputs.off_grid, loads=inputs.loads)
    return sum_plant(**inputs.on_grid)


def bus_inputs(inputs: Inputs, buffers: BufferPool | None = None) -> PlantBus | IslandSums:
    """Runs the plant and keeps what a bill and an outage read: the bus, and the energies stored; see `bus_plant`."""
    if inputs.island is not None:
        return sum_island(*inputs.off_grid, loads=inputs.loads)
    return bus_plant(**inputs.on_grid, buffers=buffers)


def run_outage(inputs: Inputs, stored_kwh: float | np.ndarray, clock: int = 0) -> IslandYear:
    """Runs an islanded plant from a given energy in the batteries that form the grid; see `run_island`."""
    return run_island(*inputs.off_grid, stored_kwh=stored_kwh, clock=clock)


def ready_survival(inputs: Inputs, starts: np.ndarray, most: int) -> ReadyOutages:
    """Outages of an islanded plant from many starts, ready to be run; see `island.ready_outages`."""
    return ready_outages(*inputs.off_grid, starts, most)  # type: ignore[call-arg]


def run_survival(inputs: Inputs, stored_kwh: np.ndarray, starts: np.ndarray, most: int) -> np.ndarray:
    """Hours an islanded plant serves from each start; see `ReadyOutages.hours`."""
    return ready_survival(inputs, starts, most).hours(stored_kwh)


# What is known by its words, and what by its parts.
_PLAIN, _TOLD = (float, int, str), (ConverterPart, GridConnection, Limits)
_PARTED = (Control, Island, ControlledLoad)


def _digest(value: Any | None, seen: blake2b) -> None:
    """Adds a value to a digest."""
    if isinstance(value, np.ndarray):
        seen.update(digest_as_is(value))
    elif isinstance(value, _TOLD):
        seen.update(repr(value).encode())
    elif isinstance(value, tuple):
        seen.update(f"{len(value)} parts".encode())
        for item in value:
            _digest(item, seen)
    elif isinstance(value, _PARTED):
        for field in vars(value).values():
            if isinstance(field, _PLAIN):
                seen.update(repr(field).encode())
            else:
                _digest(field, seen)
    else:
        seen.update(repr(value).encode())


class YearCache:
    """Years by the digest of their inputs, the latest used kept, within so many bytes.

    Parameters
    ----------
    most_bytes : int
        Memory that all years together may take; one alone is kept whatever it takes.
    """

    def __init__(self, most_bytes: int) -> None:
        self._most_bytes = most_bytes
        self._years: OrderedDict[bytes, Any] = OrderedDict()
        self._lock = Lock()
        self.hits = self.misses = 0

    def year(self, inputs: Inputs, make: Callable[[Inputs], Any] = run_inputs) -> Any:
        """The year of some inputs, made where it is not kept."""
        key = inputs.digest
        with self._lock:
            if key in self._years:
                self._years.move_to_end(key)
                self.hits += 1
                return self._years[key]
            self.misses += 1
        made = make(inputs)
        with self._lock:
            self._years[key] = made
            while len(self._years) > 1 and sum(year.nbytes for year in self._years.values()) > self._most_bytes:
                self._years.popitem(last=False)
        return made

    def clear(self) -> None:
        """Forgets every year."""
        with self._lock:
            self._years.clear()
