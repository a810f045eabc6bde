"""Packs stacked into one bank, and what limits its power behind a given converter."""

from dataclasses import dataclass

from calm_relay.job.equipment import Converter, Pack
from calm_relay.physics.plant import BatteryPart
from calm_relay.planning.kit import loss_curve


@dataclass(frozen=True)
class Bank:
    """A number of packs behind one battery port; `health` is usable energy now over usable when new."""

    pack: Pack
    count: int
    health: float = 1.0

    @property
    def nominal_kwh(self) -> float:
        """Nameplate energy [kWh]."""
        return self.pack.nominal_kwh * self.count

    @property
    def usable_kwh(self) -> float:
        """Energy between full and the pack's own depth limit [kWh]."""
        return self.pack.usable_kwh * self.count * self.health

    @property
    def _series(self):
        return self.count if self.pack.stacking == "series" else 1

    @property
    def _parallel(self):
        return self.count if self.pack.stacking == "parallel" else 1

    @property
    def empty_v(self) -> float:
        """Terminal voltage when empty [V]."""
        return self.pack.empty_v * self._series

    @property
    def full_v(self) -> float:
        """Terminal voltage when full [V]."""
        return self.pack.full_v * self._series

    def amps(self, converter: Converter, direction: str) -> float:
        """Least of the bank's and the port's current limit [A]; direction is "charge" or "discharge"."""
        bank_a = getattr(self.pack, f"{direction}_a") * self._parallel
        return min(bank_a, getattr(converter.battery, f"{direction}_a"))

    def dc_limits(self, converter: Converter, direction: str) -> dict[str, float]:
        """Every limit on power at the bank's terminals, by name [kW]; current at the lowest voltage."""
        return {
            "battery current": getattr(self.pack, f"{direction}_a") * self._parallel * self.empty_v / 1000.0,
            "inverter battery current": getattr(converter.battery, f"{direction}_a") * self.empty_v / 1000.0,
            "battery rate": getattr(self.pack, f"{direction}_c") * self.nominal_kwh,
            "inverter battery port": getattr(converter.battery, f"{direction}_kw"),
        }

    def part(self, converter: Converter, reserve: float) -> BatteryPart:
        """The bank as the simulation sees it behind a converter."""
        rate_kw = {way: getattr(self.pack, f"{way}_c") * self.nominal_kwh for way in ("charge", "discharge")}
        one_way = self.pack.round_trip**0.5
        return BatteryPart(
            usable_kwh=self.usable_kwh,
            charge_kw=min(rate_kw["charge"], converter.battery.charge_kw),
            discharge_kw=min(rate_kw["discharge"], converter.battery.discharge_kw),
            charge_a=self.amps(converter, "charge"),
            discharge_a=self.amps(converter, "discharge"),
            empty_v=self.empty_v,
            full_v=self.full_v,
            charge_efficiency=one_way,
            discharge_efficiency=one_way,
            dc_dc_efficiency=converter.battery.dc_dc_efficiency,
            reserve=reserve,
            initial=max(0.5, reserve),
            from_ac_kw=converter.battery.charge_from_ac_kw,
        )


def discharge_ac_kw(bank: Bank, converter: Converter) -> tuple[float, str]:
    """Power on the AC side while discharging [kW], and the name of what limits it."""
    limits = bank.dc_limits(converter, "discharge")
    name = min(limits, key=limits.get)
    dc_kw = limits[name] * converter.battery.dc_dc_efficiency
    ac_kw = dc_kw * float(loss_curve(converter).efficiency(min(1.0, dc_kw / converter.ac_kw)))
    return (converter.ac_kw, "inverter") if ac_kw >= converter.ac_kw else (ac_kw, name)


def charge_dc_kw(bank: Bank, converter: Converter, window_kw: float | None = None) -> tuple[float, str]:
    """Power into the bank's terminals while charging from AC [kW], and the name of what limits it.

    `window_kw` is a limit set on the AC side for the charge window.
    """
    limits = bank.dc_limits(converter, "charge")
    loss, dc_dc = loss_curve(converter), converter.battery.dc_dc_efficiency
    limits["inverter charging"] = loss.rectified_kw(converter.battery.charge_from_ac_kw, converter.ac_kw) * dc_dc
    if window_kw is not None:
        limits["limit set for the window"] = loss.rectified_kw(window_kw, converter.ac_kw) * dc_dc
    name = min(limits, key=limits.get)
    return limits[name], name
