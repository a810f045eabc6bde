"""A plant's year: the kernel's flows by name, the sums of the year, and the two balances."""

from concurrent.futures import Executor
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from calm_relay.physics import dispatch
from calm_relay.physics.control import Control, self_use
from calm_relay.physics.plant import COLUMNS, ConverterPart, GridConnection, pack

LOSSES = {
    "tracker": "tracker",
    "dc_dc": "dc_dc",
    "charge": "charge_loss",
    "discharge": "discharge_loss",
    "inverter": "inverter",
    "rectifier": "rectifier",
    "standby": "standby",
    "clipped": "clipped",
    "curtailed": "curtailed",
}
CONVERTER_AT = {name: i for i, name in enumerate(dispatch.CONVERTER_FLOWS)}
_BUS_AT = {name: i for i, name in enumerate(dispatch.BUS_FLOWS)}


@dataclass(frozen=True, eq=False)
class PlantBus:
    """The least that is kept of a plant's run: series of the bus, and of the batteries' levels [kWh]."""

    plant: tuple[ConverterPart, ...]
    step_h: float
    bus: np.ndarray
    level: np.ndarray

    def at_bus(self, name) -> np.ndarray:
        """Home, import or export [kW]."""
        return self.bus[_BUS_AT[name]]

    def bus_kwh(self, name) -> float:
        """Sum of home, import or export over the run [kWh]."""
        return float(self.bus[_BUS_AT[name]].sum() * self.step_h)

    @property
    def unmet_kwh(self) -> float:
        """Energy asked and not served over the run [kWh]; a grid leaves none."""
        return 0.0


@dataclass(frozen=True, eq=False)
class PlantSums(PlantBus):
    """What a plant's run comes to; `sums` adds up every flow's mean powers [kW], see `dispatch.run`."""

    sums: np.ndarray | None

    @property
    def _added(self):
        return self.sums

    def kwh(self, name, converter=None) -> float:
        """Sum of a flow over the run [kWh]."""
        column = self._added[:, CONVERTER_AT[name]] * self.step_h
        return float(column.sum() if converter is None else column[converter])

    @cached_property
    def losses_kwh(self) -> dict[str, float]:
        """Losses of the run by name [kWh]."""
        return {label: self.kwh(flow) for label, flow in LOSSES.items()}


@dataclass(frozen=True, eq=False)
class PlantYear(PlantSums):
    """Flows of a plant over its steps; see `dispatch.run` for shapes and units."""

    flows: np.ndarray

    @cached_property
    def _added(self):
        # Step by step in memory: added up along the steps, all flows at once.
        return self.flows.transpose(2, 0, 1).sum(axis=0)

    def of(self, name, converter=None) -> np.ndarray:
        """A flow by name [kW], of one converter or summed over all; "battery" in kWh."""
        at = CONVERTER_AT[name]
        return self.flows[:, at].sum(axis=0) if converter is None else self.flows[converter, at]

    def cut(self, first: int, last: int) -> "PlantYear":
        """Steps [first, last) alone; their battery starts where the plant's year does, so only flows are of use."""
        flows = self.flows[:, :, first:last]
        cut = self.bus[:, first:last], self.level[:, first:last], None, flows
        return PlantYear(self.plant, self.step_h, *cut)

    def kwh_out(self, converter) -> float:
        """Energy a converter gave to the AC bus over the run [kWh]."""
        return float(np.maximum(self.of("ac", converter), 0.0).sum() * self.step_h)

    def kwh_in(self, converter) -> float:
        """Energy a converter drew from the AC bus to rectify over the run [kWh]."""
        return float(np.maximum(-self.of("ac", converter), 0.0).sum() * self.step_h)

    @property
    def initial_stored_kwh(self) -> np.ndarray:
        """Level of each battery before the first step [kWh]."""
        return np.array([c.battery.initial * c.battery.usable_kwh if c.battery else 0.0 for c in self.plant])

    def dc_residuals_kwh(self) -> np.ndarray:
        """What does not close at each DC bus in each step [kWh], shape (converters, steps)."""
        f = {name: self.flows[:, at] for name, at in CONVERTER_AT.items()}
        outward, inward = np.maximum(f["ac"], 0.0), np.maximum(-f["ac"], 0.0)
        given = f["pv_dc"] + f["discharge"] + inward - f["rectifier"]
        taken = f["tracker"] + f["clipped"] + f["curtailed"] + f["dc_dc"] + f["charge"]
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
        return (given - self.at_bus("home") - self.at_bus("export") - self.of("standby")) * self.step_h

    def year_residual_kwh(self) -> float:
        """PV + import + first battery less home, export, losses and last battery [kWh]."""
        given = self.kwh("pv_dc") + self.bus_kwh("import") + self.initial_stored_kwh.sum()
        taken = self.bus_kwh("home") + self.bus_kwh("export") + sum(self.losses_kwh.values())
        return float(given - taken - self.flows[:, CONVERTER_AT["stored"], -1].sum())


def run_plant(
    plant,
    pv_kw,
    home_kw,
    step_h,
    grid: GridConnection | None = None,
    control: Control | None = None,
    fit: np.ndarray | None = None,
) -> PlantYear:
    """Simulates a plant.

    Parameters
    ----------
    plant : sequence of ConverterPart
        Priority for serving and filling follows the order, unless the control states one; none for a house
        without PV or battery.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW].
    home_kw : ndarray, shape (steps,) or (3, steps)
        Demand, of each phase where the meter counts each [kW].
    step_h : float
        Step length [h].
    grid : Grid
        Import and export limits; none when left out.
    control : Control, optional
        Self-use when left out.
    fit : ndarray, shape (2, converters, days), optional
        Share of the charge and the discharge limit that cold or heat leaves on each day; all when left out.

    Raises
    ------
    ValueError
        When shapes disagree or a series holds a negative or missing value.
    """
    flows, bus, level, _ = _run(plant, pv_kw, home_kw, step_h, grid, control, fit, True)
    return PlantYear(tuple(plant), step_h, bus, level, None, flows)


def sum_plant(plant, pv_kw, home_kw, step_h, grid=None, control=None, fit=None) -> PlantSums:
    """Simulates a plant and keeps what it comes to; the same figures as `run_plant` with less memory."""
    _, *rest = _run(plant, pv_kw, home_kw, step_h, grid, control, fit, False)
    return PlantSums(tuple(plant), step_h, *rest)


class BufferPool:
    """Room for series of many runs, used again and again: fresh memory costs as much as the kernel."""

    def __init__(self):
        self._rooms: dict[tuple, np.ndarray] = {}

    def room(self, place, shape) -> np.ndarray:
        """An array of a shape, the same one for the same place."""
        key = (place, shape)
        if key not in self._rooms:
            self._rooms[key] = np.empty(shape)
        return self._rooms[key]


def bus_plants(runs, workers: Executor, buffers: BufferPool) -> list[PlantBus]:
    """Simulates many plants in threads and keeps what their bus and their batteries do.

    Parameters
    ----------
    runs : sequence of dict
        Arguments of `run_plant`, each by name.
    workers : concurrent.futures.Executor
        Its threads run the kernel and nothing else, so that they do not wait for the interpreter's lock.
    shelf : Shelf
        Holds the series found; the next call with it writes over them.
    """
    ready = []
    for place, run in enumerate(runs):
        arguments, order = _arguments(**{**NOTHING_MORE, **run}, record=False, add_up=False)
        steps = arguments[2].shape[1]
        out = (
            buffers.room((place, "bus"), (len(dispatch.BUS_FLOWS), steps)),
            buffers.room((place, "level"), (len(run["plant"]), steps)),
        )
        ready.append((arguments, order, out))
    done = list(workers.map(lambda item: dispatch.run(*item[0], *item[2]), ready))
    return [
        PlantBus(tuple(run["plant"]), run["step_h"], *_in_order(order, flows, *out, sums)[1:3])
        for run, (_, order, out), (flows, sums) in zip(runs, ready, done, strict=True)
    ]


NOTHING_MORE = {"grid": None, "control": None, "fit": None}


def _run(plant, pv_kw, home_kw, step_h, grid, control, fit, record):
    arguments, order = _arguments(plant, pv_kw, home_kw, step_h, grid, control, fit, record, not record)
    steps = arguments[2].shape[1]
    bus, level = np.empty((len(dispatch.BUS_FLOWS), steps)), np.empty((len(plant), steps))
    flows, sums = dispatch.run(*arguments, bus, level)
    return _in_order(order, flows, bus, level, sums)


def _in_order(order, flows, bus, level, sums):
    """Flows, bus, levels and sums in the plant's own order."""
    if order is None:
        return flows, bus, level, sums
    back = np.argsort(order)
    return flows[back], bus, level[back], sums[back]


def _arguments(plant, pv_kw, home_kw, step_h, grid, control, fit, record, add_up):
    """What the kernel is called with, and the order of the converters where it is not the plant's own."""
    grid = grid or GridConnection()
    pv_kw = np.ascontiguousarray(pv_kw, dtype=float)
    home_kw = np.atleast_2d(np.ascontiguousarray(home_kw, dtype=float))
    steps = home_kw.shape[1]
    if pv_kw.shape != (len(plant), steps):
        raise ValueError(f"pv_kw has shape {pv_kw.shape}; wanted {(len(plant), steps)}")
    for name, series in (("pv_kw", pv_kw), ("home_kw", home_kw)):
        if (not series.size and plant) or (series.size and not series.min() >= 0.0):
            raise ValueError(f"{name} must hold numbers at or above 0")
    control = control or self_use(steps)
    orders = control.series()
    if orders[0].size != steps:
        raise ValueError(f"the control has {orders[0].size} steps, the home {steps}")
    order = np.arange(len(plant)) if control.order is None else np.array(control.order, dtype=int)
    if sorted(order.tolist()) != list(range(len(plant))):
        raise ValueError(f"order is {order.tolist()}; wanted each of {len(plant)} converters once")
    fit = np.ones((2, len(plant), 1)) if fit is None else np.ascontiguousarray(fit, dtype=float)
    if fit.shape[:2] != (2, len(plant)) or (fit.size and not (fit.min() >= 0.0 and fit.max() <= 1.0)):
        raise ValueError(f"fit has shape {fit.shape}; wanted (2, {len(plant)}, days) with shares in 0 to 1")
    arguments = (
        pack([plant[j] for j in order]) if plant else np.empty((0, len(COLUMNS))),
        pv_kw if control.order is None else pv_kw[order],
        home_kw,
        *orders,
        fit if control.order is None else np.ascontiguousarray(fit[:, order]),
        control.bias_kw,
        control.fill_import_kw,
        grid.import_limit_kw,
        grid.export_limit_kw,
        step_h,
        record,
        add_up,
    )
    return arguments, None if control.order is None else order
