"""What limits a battery's power at each state of charge: inverter, battery current times voltage, rate, window."""

from dataclasses import dataclass

import numpy as np

from calm_relay.planning.equipment.bank import charge_dc_kw, discharge_ac_kw
from calm_relay.planning.verdict.option import Option, RefusedOption

LEVELS = np.linspace(0.0, 1.0, 41)


@dataclass(frozen=True, eq=False)
class PowerRange:
    """Terminal voltage and power over state of charge, and the names of what limits each.

    `giving_kw` is at the AC side, `charging_kw` at the battery's terminals; `limits` names the power of every
    limit on giving at the DC side when half full.
    """

    level: np.ndarray
    volts: np.ndarray
    giving_kw: np.ndarray
    giving_by: tuple[str, ...]
    charging_kw: np.ndarray
    charging_by: tuple[str, ...]
    limits: dict[str, float]

    def summary(self) -> str:
        """What limits here, in a sentence."""
        empty, full = 0, len(self.level) - 1
        middle = full // 2
        text = (
            f"Gives {self.giving_kw[middle]:.1f} kW half full ({self.giving_by[middle]}), "
            f"{self.giving_kw[empty]:.1f} kW near empty ({self.giving_by[empty]}). "
            f"Takes {self.charging_kw[middle]:.1f} kW half full ({self.charging_by[middle]}), "
            f"{self.charging_kw[full]:.1f} kW near full ({self.charging_by[full]})."
        )
        return text


def power_range(option: Option | RefusedOption) -> PowerRange | None:
    """The power of an option's battery over its state of charge; None without one."""
    converter = option.design.battery_converter if isinstance(option, Option) else None
    if converter is None:
        return None
    window = option.context.job.battery.first_window if converter.battery_moves else None
    limit_kw = window.limit_kw if window else None
    giving = [discharge_ac_kw(converter.bank, converter.inverter, float(level)) for level in LEVELS]
    taking = [charge_dc_kw(converter.bank, converter.inverter, limit_kw, float(level)) for level in LEVELS]
    return PowerRange(
        LEVELS,
        converter.bank.volts(LEVELS),
        np.array([kw for kw, _ in giving]),
        tuple(name for _, name in giving),
        np.array([kw for kw, _ in taking]),
        tuple(name for _, name in taking),
        converter.bank.dc_limits(converter.inverter, "discharge", 0.5) | {"inverter": converter.inverter.ac_kw},
    )
