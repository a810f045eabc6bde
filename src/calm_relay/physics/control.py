"""What the units of a plant are told to do, step by step: the control of real units, not foresight."""

from dataclasses import dataclass, field, fields

import numpy as np

from calm_relay.physics.plant import UNLIMITED


@dataclass(frozen=True, eq=False)
class Control:
    """Orders to the batteries; every series has one entry a step.

    Attributes
    ----------
    charge_to : ndarray
        Level up to which batteries are charged from the grid, and below which none is emptied; 0 outside windows.
    charge_kw : ndarray
        Most AC power drawn from the grid for that [kW].
    may_give : ndarray of bool
        Whether batteries may serve the home.
    leave_kw : ndarray
        Import that batteries leave standing: the peak-shaving threshold, or a small bias [kW].
    sell_kw, sell_to : ndarray
        Power batteries give beyond what the home asks [kW], and the level at which that stops.
    clock_kw : ndarray
        What units on a time clock do: above 0 charge from the AC bus, below 0 give to it [kW].
    bias_kw : float
        Import that charging and zero export aim at [kW].
    fill_import_kw : float
        Import that filling from the grid must not pass, such as the peak-shaving threshold [kW].
    order : tuple of int
        Converters in the order in which they serve and fill; the plant's own where left out.
    """

    charge_to: np.ndarray = field(repr=False)
    charge_kw: np.ndarray = field(repr=False)
    may_give: np.ndarray = field(repr=False)
    leave_kw: np.ndarray = field(repr=False)
    battery_export_kw: np.ndarray = field(repr=False)
    battery_export_to: np.ndarray = field(repr=False)
    clock_kw: np.ndarray = field(repr=False)
    bias_kw: float = 0.0
    fill_import_kw: float = UNLIMITED
    order: tuple[int, ...] | None = None

    def __post_init__(self):
        sizes = {getattr(self, item.name).size for item in fields(self) if item.type is np.ndarray}
        if len(sizes) != 1:
            raise ValueError(f"the control's series have {sorted(sizes)} steps; wanted one length")
        for name in ("charge_to", "battery_export_to"):
            series = getattr(self, name)
            if series.size and not (series.min() >= 0.0 and series.max() <= 1.0):
                raise ValueError(f"{name} must lie in 0 to 1")

    def series(self) -> tuple[np.ndarray, ...]:
        """The series in the kernel's order and types."""
        names = (
            "charge_to",
            "charge_kw",
            "may_give",
            "leave_kw",
            "battery_export_kw",
            "battery_export_to",
            "clock_kw",
        )
        kinds = (float, float, np.bool_, float, float, float, float)
        pairs = zip(names, kinds, strict=True)
        return tuple(np.ascontiguousarray(getattr(self, name), dtype=kind) for name, kind in pairs)


def self_use(steps: int) -> Control:
    """Serve the home from the battery whenever it is short, fill from what is left over, nothing else."""
    none = np.zeros(steps)
    return Control(none, none, np.ones(steps, dtype=bool), none, none, none, none)


def filled_in(window, target: float = 1.0, limit_kw: float = UNLIMITED) -> Control:
    """Self-use with batteries charged from the grid in a window (ndarray of bool) up to a target level."""
    window = np.asarray(window, dtype=bool)
    none = np.zeros(window.size)
    filling = np.where(window, target, 0.0), np.where(window, limit_kw, 0.0)
    return Control(*filling, np.ones(window.size, dtype=bool), none, none, none, none)
