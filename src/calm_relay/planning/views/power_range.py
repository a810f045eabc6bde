"""What limits a store's power at each state of charge: inverter, battery current times voltage, rate, window."""

from dataclasses import dataclass

import numpy as np

from calm_relay.planning.equipment.bank import charge_dc_kw, discharge_ac_kw
from calm_relay.planning.plan import Option

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

    def told(self) -> str:
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


def power_range(option: Option) -> PowerRange | None:
    """The power of an option's store over its state of charge; None without one."""
    box = option.design.store_box
    if box is None:
        return None
    window = option.ground.job.store.first_window if box.store_is_new else None
    limit_kw = window.limit_kw if window else None
    giving = [discharge_ac_kw(box.bank, box.converter, float(level)) for level in LEVELS]
    taking = [charge_dc_kw(box.bank, box.converter, limit_kw, float(level)) for level in LEVELS]
    return PowerRange(
        LEVELS,
        box.bank.volts(LEVELS),
        np.array([kw for kw, _ in giving]),
        tuple(name for _, name in giving),
        np.array([kw for kw, _ in taking]),
        tuple(name for _, name in taking),
        box.bank.dc_limits(box.converter, "discharge", 0.5) | {"inverter": box.converter.ac_kw},
    )
