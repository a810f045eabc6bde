"""Packs stacked into one bank, and what limits its power behind a given converter."""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from calm_relay.job.equipment import Inverter, Pack
from calm_relay.job.model import Job
from calm_relay.job.survey import ExistingBattery
from calm_relay.physics.plant.parts import KNOTS, BatteryPart
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.equipment.equipment import Equipment, loss_curve


@dataclass(frozen=True)
class Bank:
    """Packs behind a battery port; `health` is usable energy now over usable when new.

    `count` packs stand in each of `stacks` stacks in parallel on each of `units` units that act as one; `expansions` of
    the pack `expansion` hang on each unit and add energy only.
    """

    pack: Pack
    count: int
    health: float = 1.0
    units: int = 1
    expansion: Pack | None = None
    expansions: int = 0
    stacks: int = 1

    @property
    def packs(self) -> int:
        """Packs in all, expansions aside."""
        return self.count * self.stacks * self.units

    @property
    def in_parallel(self) -> int:
        """What is joined on a busbar of each unit: packs, or stacks of packs in series."""
        return self.count * self.stacks if self.pack.stacking == "parallel" else self.stacks

    @property
    def added_kwh(self) -> float:
        """Nameplate energy of the expansions [kWh]."""
        return self.expansion.nominal_kwh * self.expansions * self.units if self.expansion else 0.0

    @property
    def nominal_kwh(self) -> float:
        """Nameplate energy [kWh]."""
        return self.pack.nominal_kwh * self.packs + self.added_kwh

    @property
    def usable_kwh(self) -> float:
        """Energy between full and the packs' own depth limit [kWh]."""
        added = self.added_kwh * self.expansion.depth_of_discharge if self.expansion else 0.0
        return (self.pack.usable_kwh * self.packs + added) * self.health

    @property
    def summary(self) -> str:
        """What it is made of, in words."""
        stack = f"{self.count} × {self.pack.name}"
        beside = self.stacks * self.units
        if beside > 1:
            stack = f"{beside} × ({stack})" if self.count > 1 else f"{beside} × {self.pack.name}"
        added = self.expansions * self.units
        return f"{stack} + {added} × {self.expansion.name}" if self.expansion and added else stack

    @property
    def price(self) -> float:
        """Of all packs."""
        added = self.expansion.price * self.expansions if self.expansion else 0.0
        further = self.pack.stack_price * (self.stacks - 1)
        return (self.pack.price * self.count * self.stacks + further + added) * self.units

    @property
    def install_hours(self) -> float:
        """Of all packs [h]."""
        added = self.expansion.install_hours * self.expansions if self.expansion else 0.0
        return (self.pack.install_hours * self.count * self.stacks + added) * self.units

    @property
    def _series(self) -> int:
        return self.count if self.pack.stacking == "series" else 1

    @property
    def _parallel(self) -> int:
        return self.in_parallel * self.units

    @property
    def empty_v(self) -> float:
        """Terminal voltage when empty [V]."""
        return self.pack.empty_v * self._series

    @property
    def full_v(self) -> float:
        """Terminal voltage when full [V]."""
        return self.pack.full_v * self._series

    @property
    def _rate_kwh(self) -> float:
        """Energy that the packs' C-rates refer to: expansions bring none."""
        return self.pack.nominal_kwh * self.packs

    def volts(self, level: np.ndarray | float) -> np.ndarray:
        """Terminal voltage at a level, the share of usable energy [V]."""
        return np.interp(level, KNOTS, self._knees_v) * self._series

    @property
    def _counted(self) -> float:
        return self.pack.depth_of_discharge if self.pack.is_lead else 1.0

    def shown_charge(self, level: float) -> float:
        """State of charge that a unit shows at a level: of lead-acid, which has no control, it counts from empty."""
        return 1.0 - self._counted * (1.0 - level)

    def level_at(self, shown: float) -> float:
        """Level, the share of usable energy, at a state of charge that a unit shows; below 0 under what may be used."""
        return 1.0 - (1.0 - shown) / self._counted

    @cached_property
    def _knees_v(self) -> Any:
        """Voltage of one pack at the knots, on the straight line where the datasheet states no knee."""
        pack = self.pack
        low, high = (pack.empty_v + (pack.full_v - pack.empty_v) * knot for knot in KNOTS[1:3])
        return pack.empty_v, pack.knee_low_v or low, pack.knee_high_v or high, pack.full_v

    def amps(self, inverter: Inverter, direction: str) -> float:
        """Least of the bank's and the port's current limit [A]; direction is "charge" or "discharge"."""
        bank_a = getattr(self.pack, f"{direction}_a") * self._parallel
        return min(bank_a, getattr(inverter.battery, f"{direction}_a"))

    def dc_limits(self, inverter: Inverter, direction: str, level: float = 0.0) -> dict[str, float]:
        """Every limit on power at the bank's terminals, by name [kW]; current at the voltage of a level."""
        volts = float(self.volts(level))
        taper = 1.0
        if direction == "charge" and level > self.pack.taper_from:
            fall = (level - self.pack.taper_from) / (1.0 - self.pack.taper_from)
            taper = 1.0 - (1.0 - self.pack.taper_to) * fall
        return {
            "battery's current": getattr(self.pack, f"{direction}_a") * self._parallel * volts * taper / 1000.0,
            "inverter's battery current": getattr(inverter.battery, f"{direction}_a") * volts / 1000.0,
            "battery's C-rate": getattr(self.pack, f"{direction}_c") * self._rate_kwh * taper,
            "inverter's battery port": getattr(inverter.battery, f"{direction}_kw"),
        }

    def part(self, inverter: Inverter, reserve: float) -> BatteryPart:
        """The bank as the simulation sees it behind a converter."""
        rate_kw = {way: getattr(self.pack, f"{way}_c") * self._rate_kwh for way in ("charge", "discharge")}
        one_way = self.pack.round_trip**0.5
        empty_v, low_v, high_v, full_v = (float(v) for v in self.volts(np.array(KNOTS)))
        return BatteryPart(
            usable_kwh=self.usable_kwh,
            charge_kw=min(rate_kw["charge"], inverter.port.charge_kw),
            discharge_kw=min(rate_kw["discharge"], inverter.port.discharge_kw),
            charge_a=self.amps(inverter, "charge"),
            discharge_a=self.amps(inverter, "discharge"),
            empty_v=empty_v,
            low_v=low_v,
            high_v=high_v,
            full_v=full_v,
            taper_from=self.pack.taper_from,
            taper_to=self.pack.taper_to,
            charge_efficiency=one_way,
            discharge_efficiency=one_way,
            dc_dc_efficiency=inverter.port.dc_dc_efficiency,
            peukert=self.pack.peukert_exponent,
            rated_kw=self._rate_kwh / self.pack.rated_hours,
            reserve=reserve,
            initial=max(0.5, reserve),
            from_ac_kw=inverter.port.charge_from_ac_kw,
        )


def bank_of(job: Job, equipment: Equipment) -> Bank:
    """The new battery of a job.

    Raises
    ------
    PlanError
        When its pack is unknown, or it asks for expansions that the catalogue does not hold.
    """
    battery = job.battery
    pack = equipment.pack(battery.pack, "battery.pack")
    expansion = next((item for item in equipment.catalogue.packs if item.expansion_of == pack.key), None)
    if battery.expansions and expansion is None:
        raise PlanError(
            "battery.expansions", f"is {battery.expansions}, but nothing expands {pack.name}; wanted 0"
        )
    if expansion is not None and battery.expansions > expansion.count_max:
        raise PlanError(
            "battery.expansions",
            f"is {battery.expansions}; {expansion.name} hangs on it {expansion.count_max} times at most",
        )
    return Bank(
        pack,
        battery.count,
        1.0,
        battery.units,
        expansion if battery.expansions else None,
        battery.expansions,
        battery.stacks,
    )


@lru_cache(maxsize=1024)
def discharge_ac_kw(bank: Bank, inverter: Inverter, level: float = 0.0) -> tuple[float, str]:
    """Power on the AC side while discharging at a level [kW], and the name of what limits it."""
    limits = bank.dc_limits(inverter, "discharge", level)
    name = min(limits, key=limits.__getitem__)
    dc_kw = limits[name] * inverter.port.dc_dc_efficiency
    ac_kw = dc_kw * float(loss_curve(inverter).efficiency(min(1.0, dc_kw / inverter.ac_kw)))
    return (inverter.ac_kw, "inverter") if ac_kw >= inverter.ac_kw else (ac_kw, name)


@lru_cache(maxsize=1024)
def charge_dc_kw(
    bank: Bank, inverter: Inverter, window_kw: float | None = None, level: float = 0.0
) -> tuple[float, str]:
    """Power into the bank's terminals while charging from AC at a level [kW], and the name of what limits it.

    `window_kw` is a limit set on the AC side for the charge window.
    """
    limits = bank.dc_limits(inverter, "charge", level)
    loss, dc_dc = loss_curve(inverter), inverter.port.dc_dc_efficiency
    limits["inverter charging"] = loss.rectified_kw(inverter.port.charge_from_ac_kw, inverter.ac_kw) * dc_dc
    if window_kw is not None:
        limits["limit set for the window"] = loss.rectified_kw(window_kw, inverter.ac_kw) * dc_dc
    name = min(limits, key=limits.__getitem__)
    return limits[name], name


def health_of(battery: ExistingBattery, usable_new_kwh: float) -> float:
    """Usable energy now over usable when new: as measured, else as stated."""
    if battery.measured_kwh is None:
        return battery.health
    return min(battery.measured_kwh / usable_new_kwh, 1.0)


def may_mix(old: Pack, new: Pack) -> bool:
    """Whether a new pack may stand beside an old one on one port, as their makers state it."""
    return old.key == new.key or new.key in old.mixes_with or old.key in new.mixes_with
