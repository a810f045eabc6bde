"""A plant's year: the kernel's flows by name, the sums of the year, and the two balances."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from calm_relay.physics import dispatch
from calm_relay.physics.plant import COLUMNS, ChargeWindow, ConverterPart, Street, pack

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
_AT = {name: i for i, name in enumerate(dispatch.CONVERTER_FLOWS)}
_BUS_AT = {name: i for i, name in enumerate(dispatch.BUS_FLOWS)}


@dataclass(frozen=True, eq=False)
class PlantYear:
    """Flows of a plant over its steps; see `dispatch.run` for shapes and units."""

    plant: tuple[ConverterPart, ...]
    step_h: float
    flows: np.ndarray
    bus: np.ndarray

    def of(self, name, converter=None) -> np.ndarray:
        """A flow by name [kW], of one converter or summed over all; "store" in kWh."""
        at = _AT[name]
        return self.flows[:, at].sum(axis=0) if converter is None else self.flows[converter, at]

    def at_bus(self, name) -> np.ndarray:
        """Home, import or export [kW]."""
        return self.bus[_BUS_AT[name]]

    def cut(self, first: int, last: int) -> "PlantYear":
        """Steps [first, last) alone; their store starts where the plant's year does, so only flows are of use."""
        return PlantYear(self.plant, self.step_h, self.flows[:, :, first:last], self.bus[:, first:last])

    @cached_property
    def _sums(self):
        return self.flows.sum(axis=2) * self.step_h

    def kwh(self, name, converter=None) -> float:
        """Sum of a flow over the run [kWh]."""
        column = self._sums[:, _AT[name]]
        return float(column.sum() if converter is None else column[converter])

    def kwh_out(self, converter) -> float:
        """Energy a converter gave to the AC bus over the run [kWh]."""
        return float(np.maximum(self.of("ac", converter), 0.0).sum() * self.step_h)

    def kwh_in(self, converter) -> float:
        """Energy a converter drew from the AC bus to rectify over the run [kWh]."""
        return float(np.maximum(-self.of("ac", converter), 0.0).sum() * self.step_h)

    def bus_kwh(self, name) -> float:
        """Sum of home, import or export over the run [kWh]."""
        return float(self.bus[_BUS_AT[name]].sum() * self.step_h)

    @cached_property
    def losses_kwh(self) -> dict[str, float]:
        """Losses of the run by name [kWh]."""
        return {label: self.kwh(flow) for label, flow in LOSSES.items()}

    @property
    def initial_store_kwh(self) -> np.ndarray:
        """Level of each store before the first step [kWh]."""
        return np.array([c.battery.initial * c.battery.usable_kwh if c.battery else 0.0 for c in self.plant])

    def dc_residuals_kwh(self) -> np.ndarray:
        """What does not close at each DC bus in each step [kWh], shape (converters, steps)."""
        f = {name: self.flows[:, at] for name, at in _AT.items()}
        outward, inward = np.maximum(f["ac"], 0.0), np.maximum(-f["ac"], 0.0)
        given = f["pv_dc"] + f["discharge"] + inward - f["rectifier"]
        taken = f["tracker"] + f["clipped"] + f["curtailed"] + f["dc_dc"] + f["charge"]
        return (given - taken - outward - f["inverter"]) * self.step_h

    def store_residuals_kwh(self) -> np.ndarray:
        """What does not close in each store in each step [kWh], shape (converters, steps)."""
        f = {name: self.flows[:, at] for name, at in _AT.items()}
        before = np.concatenate([self.initial_store_kwh[:, None], f["store"][:, :-1]], axis=1)
        net = f["charge"] - f["charge_loss"] - f["discharge"] - f["discharge_loss"]
        return f["store"] - before - net * self.step_h

    def ac_residuals_kwh(self) -> np.ndarray:
        """What does not close at the AC bus in each step [kWh], shape (steps,)."""
        given = self.at_bus("import") + self.of("ac")
        return (given - self.at_bus("home") - self.at_bus("export") - self.of("standby")) * self.step_h

    def year_residual_kwh(self) -> float:
        """PV + import + first store less home, export, losses and last store [kWh]."""
        given = self.kwh("pv_dc") + self.bus_kwh("import") + self.initial_store_kwh.sum()
        taken = self.bus_kwh("home") + self.bus_kwh("export") + sum(self.losses_kwh.values())
        return float(given - taken - self.flows[:, _AT["store"], -1].sum())


def run_plant(
    plant, pv_kw, home_kw, step_h, street: Street | None = None, window: ChargeWindow | None = None
) -> PlantYear:
    """Simulates a plant.

    Parameters
    ----------
    plant : sequence of ConverterPart
        Priority for serving and filling follows the order; none for a house without PV or store.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer at each converter's terminals [kW].
    home_kw : ndarray, shape (steps,)
        Demand [kW].
    step_h : float
        Step length [h].
    street : Street
        Import and export limits; none when left out.
    window : ChargeWindow, optional
        When the store may be filled from the street.

    Raises
    ------
    ValueError
        When shapes disagree or a series holds a negative or missing value.
    """
    street = street or Street()
    pv_kw = np.ascontiguousarray(pv_kw, dtype=float)
    home_kw = np.ascontiguousarray(home_kw, dtype=float)
    if pv_kw.shape != (len(plant), home_kw.size):
        raise ValueError(f"pv_kw has shape {pv_kw.shape}; wanted {(len(plant), home_kw.size)}")
    for name, series in (("pv_kw", pv_kw), ("home_kw", home_kw)):
        if (not series.size and plant) or (series.size and not series.min() >= 0.0):
            raise ValueError(f"{name} must hold numbers at or above 0")
    if window is None:
        window = ChargeWindow(np.zeros(home_kw.size, dtype=bool), 0.0, 0.0)
    flows, bus = dispatch.run(
        pack(plant) if plant else np.empty((0, len(COLUMNS))),
        pv_kw,
        home_kw,
        np.ascontiguousarray(window.open, dtype=np.bool_),
        window.target,
        window.limit_kw,
        street.import_limit_kw,
        street.export_limit_kw,
        step_h,
    )
    return PlantYear(tuple(plant), step_h, flows, bus)
