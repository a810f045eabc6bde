"""A plant's run read off: flows by name, what they add up to, and the balances that close."""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from threading import Lock, local
from typing import Any

import numpy as np

from calm_relay.physics.kept import FLOWS_BYTES
from calm_relay.physics.plant import grid_tied
from calm_relay.physics.plant.control import Control, ControlSteps, self_use
from calm_relay.physics.plant.converter import pack
from calm_relay.physics.plant.flows import (
    AC_SIDE,
    BUS_FLOWS,
    CONVERTER_FLOWS,
    LOSSES,
    Record,
    new_record,
    new_scratch,
    new_work,
)
from calm_relay.physics.plant.grid_tied import Offer
from calm_relay.physics.plant.loads import (
    NO_LOADS,
    ControlledLoad,
    LoadRecord,
    LoadsRun,
    LoadSteps,
    new_load_record,
    new_load_work,
    pack_loads,
)
from calm_relay.physics.plant.parts import ConverterPart, GridConnection
from calm_relay.physics.plant.readings import bus_totals, split_sum

CONVERTER_AT = {name: i for i, name in enumerate(CONVERTER_FLOWS)}
AT_AC = [CONVERTER_AT[name] for name in AC_SIDE]
BUS_AT = {name: i for i, name in enumerate(BUS_FLOWS)}


@dataclass(frozen=True, eq=False)
class PlantBus:
    """The least that is kept of a plant's run: series of the bus [kW], and of the energy stored [kWh].

    What the home takes includes what its controlled loads take, which stands in `loads` as well.
    """

    plant: tuple[ConverterPart, ...]
    step_h: float
    bus: np.ndarray
    stored: np.ndarray
    loads: LoadsRun = field(default=NO_LOADS, kw_only=True)

    @cached_property
    def controlled_kw(self) -> np.ndarray:
        """What all controlled loads take together [kW]."""
        return self.loads.kw.sum(axis=0) if self.loads.loads else np.zeros(self.bus.shape[1])

    @property
    def controlled_ac_kw(self) -> np.ndarray:
        """What those of them take that hang on the AC bus [kW]."""
        return self.controlled_kw - self.loads.on_dc_kw() if self.loads.loads else self.controlled_kw

    def at_bus(self, name: str) -> np.ndarray:
        """Home, import or export [kW]; of the home also what loads take of a DC bus."""
        return self.bus[BUS_AT[name]]

    def bus_kwh(self, name: str) -> float:
        """Sum of home, import or export over the run [kWh]."""
        return float(self._totals[BUS_AT[name]] * self.step_h)

    @property
    def highest_import_kw(self) -> float:
        """The most that is imported in a step [kW]."""
        return self._totals[-2]

    @property
    def highest_export_kw(self) -> float:
        """The most that is exported in a step [kW]."""
        return self._totals[-1]

    @property
    def by_generator(self) -> np.ndarray:
        """What each generator gave, shape (generators, steps) [kW]; on the grid none runs."""
        return np.zeros((0, self.bus.shape[1]))

    @cached_property
    def _totals(self) -> tuple[float, float, float, float, float]:
        """Sums of the bus in the order of its series [kW], the highest import and the highest export [kW]."""
        return bus_totals(*self.bus)

    @property
    def nbytes(self) -> int:
        """Memory its arrays take [bytes]."""
        return self.bus.nbytes + self.stored.nbytes + self.loads.nbytes

    @property
    def unmet_kwh(self) -> float:
        """Energy asked and not served over the run [kWh]; on the grid there is none."""
        return 0.0


@dataclass(frozen=True, eq=False)
class PlantSums(PlantBus):
    """What a plant's run comes to; `sums` adds up every flow's mean powers [kW], see `flows.Record`."""

    sums: np.ndarray

    def kwh(self, name: str, converter: int | None = None) -> float:
        """Sum of a flow over the run [kWh], of one converter or over all."""
        column = self.sums[:, CONVERTER_AT[name]] * self.step_h
        return float(column.sum() if converter is None else column[converter])

    @cached_property
    def losses_kwh(self) -> dict[str, float]:
        """Losses of the run by name [kWh]."""
        return {label: self.kwh(flow) for label, flow in LOSSES.items()}

    @property
    def initial_stored_kwh(self) -> np.ndarray:
        """Energy in each battery before the first step [kWh]."""
        return np.array([c.battery.initial * c.battery.usable_kwh if c.battery else 0.0 for c in self.plant])


class FlowsAtHand:
    """Flows of the years looked at last, for years that keep the way to their flows alone.

    Parameters
    ----------
    most_bytes : int
        Memory that all of them may take; those of one year are kept whatever they take.
    """

    def __init__(self, most_bytes: int) -> None:
        self._most_bytes = most_bytes
        self._flows: OrderedDict[Callable[[], np.ndarray], np.ndarray] = OrderedDict()
        self._lock = Lock()

    def of(self, make: Callable[[], np.ndarray]) -> np.ndarray:
        """What a way makes, made where it is not at hand."""
        with self._lock:
            if make in self._flows:
                self._flows.move_to_end(make)
                return self._flows[make]
        made = make()
        with self._lock:
            self._flows[make] = made
            while len(self._flows) > 1 and sum(flows.nbytes for flows in self._flows.values()) > self._most_bytes:
                self._flows.popitem(last=False)
        return made

    def clear(self) -> None:
        """Forgets them all."""
        with self._lock:
            self._flows.clear()


FLOWS = FlowsAtHand(FLOWS_BYTES)


@dataclass(frozen=True, eq=False)
class PlantYear(PlantSums):
    """Flows of a plant over its steps; see `flows.Record` for shapes and units.

    `ac_side` is kept in any case, shape (converters, len(AC_SIDE), steps) [kW]; `kept` is the flows themselves, or what
    runs the plant once more for them, which takes a few milliseconds when they are first looked at.
    """

    ac_side: np.ndarray
    kept: np.ndarray | Callable[[], np.ndarray]

    @property
    def flows(self) -> np.ndarray:
        """Every flow, shape (converters, len(CONVERTER_FLOWS), steps)."""
        return self.kept if isinstance(self.kept, np.ndarray) else FLOWS.of(self.kept)

    @property
    def nbytes(self) -> int:
        """Memory its arrays take [bytes]; `stored` may be a part of the flows."""
        series = self.ac_side.nbytes + (self.kept.nbytes if isinstance(self.kept, np.ndarray) else 0)
        return series + self.bus.nbytes + self.stored.nbytes + self.loads.nbytes

    def of(self, name: str, converter: int | None = None) -> np.ndarray:
        """A flow by name [kW], of one converter or summed over all; "stored" in kWh."""
        if name in AC_SIDE:
            rows = self.ac_side[:, AC_SIDE.index(name)]
        else:
            rows = self.stored if name == "stored" else self.flows[:, CONVERTER_AT[name]]
        return rows.sum(axis=0) if converter is None else rows[converter]

    def cut(self, first: int, last: int) -> "PlantYear":
        """Steps [first, last) alone; batteries begin where the plant's year does, so only flows are of use."""
        flows = self.flows[:, :, first:last]
        cut = (
            self.bus[:, first:last],
            self.stored[:, first:last],
            flows.sum(axis=2),
            self.ac_side[..., first:last],
            flows,
        )
        return PlantYear(self.plant, self.step_h, *cut, loads=self.loads.cut(first, last))

    def kwh_out(self, converter: int) -> float:
        """Energy a converter gave to the AC bus over the run [kWh]."""
        return split_sum(self.of("ac", converter))[0] * self.step_h

    def kwh_in(self, converter: int) -> float:
        """Energy a converter drew from the AC bus to rectify over the run [kWh]."""
        return split_sum(self.of("ac", converter))[1] * self.step_h

    def dc_residuals_kwh(self) -> np.ndarray:
        """What does not close at each DC bus in each step [kWh], shape (converters, steps)."""
        f = {name: self.flows[:, at] for name, at in CONVERTER_AT.items()}
        outward, inward = np.maximum(f["ac"], 0.0), np.maximum(-f["ac"], 0.0)
        given = f["pv_dc"] + f["discharge"] + inward - f["rectifier"]
        taken = f["tracker"] + f["clipped"] + f["curtailed"] + f["dc_dc"] + f["charge"]
        if any(load.converter for load in self.loads.loads):
            taken = taken + np.array([self.loads.on_dc_kw(number) for number in range(len(self.plant))])
        return (given - taken - outward - f["inverter"]) * self.step_h

    def battery_residuals_kwh(self) -> np.ndarray:
        """What does not close in each battery in each step [kWh], shape (converters, steps)."""
        f = {name: self.flows[:, at] for name, at in CONVERTER_AT.items()}
        before = np.concatenate([self.initial_stored_kwh[:, None], f["stored"][:, :-1]], axis=1)
        net = f["charge"] - f["charge_loss"] - f["discharge"] - f["discharge_loss"]
        return f["stored"] - before - net * self.step_h

    def ac_residuals_kwh(self) -> np.ndarray:
        """What does not close at the AC bus in each step [kWh], shape (steps,)."""
        given = self.at_bus("import") + self.of("ac")
        if self.loads.loads:
            given = given + self.loads.on_dc_kw()
        return (given - self.at_bus("home") - self.at_bus("export") - self.of("standby")) * self.step_h

    @property
    def largest_residual_kwh(self) -> float:
        """Largest error of any balance in any step [kWh]."""
        parts = (self.dc_residuals_kwh(), self.battery_residuals_kwh(), self.ac_residuals_kwh())
        return max(float(np.abs(part).max(initial=0.0)) for part in parts)

    def year_residual_kwh(self) -> float:
        """PV + import + first stored less home, export, losses and last stored [kWh]."""
        given = self.kwh("pv_dc") + self.bus_kwh("import") + self.initial_stored_kwh.sum()
        taken = self.bus_kwh("home") + self.bus_kwh("export") + sum(self.losses_kwh.values())
        return float(given - taken - self.flows[:, CONVERTER_AT["stored"], -1].sum())


def run_plant(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    home_kw: np.ndarray,
    step_h: float,
    grid: GridConnection | None = None,
    control: Control | None = None,
    thermal_derate: np.ndarray | None = None,
    loads: tuple[ControlledLoad, ...] = (),
) -> PlantYear:
    """Simulates a plant on the grid.

    Parameters
    ----------
    plant : sequence of ConverterPart
        Priority for serving and charging follows the order, unless the control states one; none for a house
        without PV or battery.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW].
    home_kw : ndarray, shape (steps,) or (3, steps)
        Demand, of each phase where the meter counts each [kW].
    step_h : float
        Step length [h].
    grid : GridConnection, optional
        Import and export limits; none when left out.
    control : Control, optional
        Self-use when left out.
    thermal_derate : ndarray, shape (2, converters, days), optional
        Share of the charge and the discharge limit that cold or heat leaves on each day; all when left out.
    loads : tuple of ControlledLoad
        In the order in which they take surplus.

    Returns
    -------
    PlantYear

    Raises
    ------
    ValueError
        When shapes disagree or a series holds a negative or missing value.
    """
    out, taken = _run(plant, pv_kw, home_kw, step_h, grid, control, thermal_derate, loads, flows=True)
    return PlantYear(tuple(plant), step_h, *_read(out), out.flows[:, AT_AC], out.flows, loads=taken)


def lean_plant(again: Callable[[], np.ndarray], **run: Any) -> PlantYear:
    """Simulates a plant and keeps what a plan reads of it.

    Parameters
    ----------
    again : callable
        Makes its flows when they are looked at.
    **run
        Arguments of `run_plant`, each by name.
    """
    out, taken = _run(**{**NOTHING_MORE, "loads": (), **run}, flows=False, ac_side=True)
    return PlantYear(tuple(run["plant"]), run["step_h"], *_read(out), out.ac_side, again, loads=taken)


def sum_plant(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    home_kw: np.ndarray,
    step_h: float,
    grid: GridConnection | None = None,
    control: Control | None = None,
    thermal_derate: np.ndarray | None = None,
    loads: tuple[ControlledLoad, ...] = (),
) -> PlantSums:
    """Simulates a plant and keeps what it comes to; the same figures as `run_plant` with less memory."""
    out, taken = _run(plant, pv_kw, home_kw, step_h, grid, control, thermal_derate, loads, flows=False)
    return PlantSums(tuple(plant), step_h, *_read(out), loads=taken)


def bus_plant(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    home_kw: np.ndarray,
    step_h: float,
    grid: GridConnection | None = None,
    control: Control | None = None,
    thermal_derate: np.ndarray | None = None,
    loads: tuple[ControlledLoad, ...] = (),
    buffers: "BufferPool | None" = None,
) -> PlantBus:
    """Simulates a plant and keeps what its bus and its batteries do, which takes less time; see `run_plant`.

    What it keeps lies in `buffers` where they are given: the next run of this thread with them writes over it.
    """
    arguments, order = _arguments(plant, pv_kw, home_kw, step_h, grid, control, thermal_derate)
    n, steps = len(plant), arguments[2].home_kw.shape[1]
    rooms = buffers or BufferPool()
    out = Record(
        rooms.room("bus", (len(BUS_FLOWS), steps)),
        rooms.room("stored", (n, steps)),
        np.empty((n, len(CONVERTER_FLOWS), 0)),
        np.empty((0, len(CONVERTER_FLOWS))),
        np.empty((n, len(AC_SIDE), 0)),
    )
    taken = _simulate(arguments, out, tuple(loads), step_h, order)
    stored = out.stored if order is None else out.stored[_back(order)]
    return PlantBus(tuple(plant), step_h, out.bus, stored, loads=taken)


class BufferPool(local):
    """Room for the series of a run, used again by the next of the same thread.

    Fresh memory costs as much as the kernel. Each thread has its own.
    """

    def __init__(self) -> None:
        self._rooms: dict[tuple[Any, ...], np.ndarray] = {}

    def room(self, name: str, shape: tuple[int, ...]) -> np.ndarray:
        """An array of a shape, the same one for the same name."""
        key = (name, shape)
        if key not in self._rooms:
            self._rooms[key] = np.empty(shape)
        return self._rooms[key]


_Arguments = tuple[np.ndarray, np.ndarray, grid_tied.Offer, ControlSteps, float]
_Loads = tuple[ControlledLoad, ...]


def _simulate(
    arguments: _Arguments, out: Record, loads: _Loads, step_h: float, order: np.ndarray | None
) -> LoadsRun:
    """Runs the kernel; what the controlled loads took."""
    steps = out.bus.shape[1]
    scratch = new_scratch(out, arguments[2].home_kw.shape[0], step_h)
    if not loads:
        packed, work, record = _nothing_obeys(steps, step_h)
        grid_tied.run(*arguments, scratch, out, packed, work, record)
        return NO_LOADS
    packed = pack_loads(loads, steps, step_h)
    if order is not None:
        back = _back(order)
        for number, load in enumerate(loads):
            if load.converter > 0:
                packed.spec[number]["converter"] = back[load.converter - 1] + 1
    record = new_load_record(len(loads), steps)
    grid_tied.run(*arguments, scratch, out, packed, new_load_work(packed), record)
    return LoadsRun(loads, step_h, *record)


@lru_cache(maxsize=8)
def _nothing_obeys(steps: int, step_h: float) -> tuple[LoadSteps, np.ndarray, LoadRecord]:
    """Room for no controlled loads; nothing is ever written there."""
    packed = pack_loads((), steps, step_h)
    return packed, new_load_work(packed), new_load_record(0, 1)


NOTHING_MORE: dict[str, Any] = {"grid": None, "control": None, "thermal_derate": None}


def _run(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    home_kw: np.ndarray,
    step_h: float,
    grid: GridConnection | None,
    control: Control | None,
    thermal_derate: np.ndarray | None,
    loads: _Loads,
    *,
    flows: bool,
    sums: bool = True,
    ac_side: bool = False,
) -> tuple[Record, LoadsRun]:
    arguments, order = _arguments(plant, pv_kw, home_kw, step_h, grid, control, thermal_derate)
    out = new_record(len(plant), arguments[2].home_kw.shape[1], flows=flows, sums=sums, ac_side=ac_side)
    taken = _simulate(arguments, out, tuple(loads), step_h, order)
    if order is None:
        return out, taken
    back = _back(order)
    own = out.stored[back], out.flows[back], out.sums[back] if sums else out.sums, out.ac_side[back]
    return Record(out.bus, *own), taken


def _back(order: np.ndarray) -> np.ndarray:
    """Places in the plant's own order."""
    return np.argsort(order)


def _read(out: Record) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    return out.bus, out.stored, out.sums


def _arguments(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    home_kw: np.ndarray,
    step_h: float,
    grid: GridConnection | None,
    control: Control | None,
    thermal_derate: np.ndarray | None,
) -> tuple[tuple[np.ndarray, np.ndarray, Offer, ControlSteps, float], np.ndarray | None]:
    """What the kernel is called with, and the order of the converters where it is not the plant's own."""
    grid = grid or GridConnection()
    n = len(plant)
    pv_kw = np.ascontiguousarray(pv_kw, dtype=float)
    home_kw = np.atleast_2d(np.ascontiguousarray(home_kw, dtype=float))
    steps = home_kw.shape[1]
    if pv_kw.shape != (n, steps):
        raise ValueError(f"pv_kw has shape {pv_kw.shape}; wanted {(n, steps)}")
    for name, series in (("pv_kw", pv_kw), ("home_kw", home_kw)):
        if (not series.size and plant) or (series.size and not series.min() >= 0.0):
            raise ValueError(f"{name} must hold numbers at or above 0")
    control = control or self_use(steps)
    control_steps = control.steps
    if control_steps.charge_to.size != steps:
        raise ValueError(f"the control has {control_steps.charge_to.size} steps, the home {steps}")
    derate = checked_derate(thermal_derate, n)
    limits = float(grid.import_limit_kw), float(grid.export_limit_kw)
    if control.order is None:
        offer = grid_tied.Offer(pv_kw, home_kw, derate, *limits)
        return (pack(plant), new_work(n), offer, control_steps, float(step_h)), None
    order = np.array(control.order, dtype=int)
    if sorted(order.tolist()) != list(range(n)):
        raise ValueError(f"order is {order.tolist()}; wanted each of {n} converters once")
    derate = np.ascontiguousarray(derate[:, order])
    offer = grid_tied.Offer(pv_kw[order], home_kw, derate, *limits)
    return (pack([plant[j] for j in order]), new_work(n), offer, control_steps, float(step_h)), order


def checked_derate(thermal_derate: np.ndarray | None, converters: int) -> np.ndarray:
    """Shares left by cold and heat as the runs take them, shape (2, converters, days); all of it when left out.

    Raises
    ------
    ValueError
        When its shape is another, or a share lies outside 0 to 1.
    """
    if thermal_derate is None:
        return np.ones((2, converters, 1))
    derate = np.ascontiguousarray(thermal_derate, dtype=float)
    if derate.shape[:2] != (2, converters) or (derate.size and not (derate.min() >= 0.0 and derate.max() <= 1.0)):
        raise ValueError(
            f"thermal_derate has shape {derate.shape}; wanted (2, {converters}, days) with shares in 0 to 1"
        )
    return derate
