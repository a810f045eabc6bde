"""How the converters of a plant are controlled, step by step: the control of real inverters, not foresight."""

from dataclasses import dataclass, field, fields
from typing import NamedTuple

import numpy as np

from calm_relay.physics.plant.parts import UNLIMITED

# Series that say yes or no.
YES_OR_NO = ("may_discharge", "delayed")


class ControlSteps(NamedTuple):
    """A control as the compiled run takes it; see `Control`."""

    charge_to: np.ndarray
    charge_kw: np.ndarray
    may_discharge: np.ndarray
    leave_kw: np.ndarray
    export_kw: np.ndarray
    export_to: np.ndarray
    clock_kw: np.ndarray
    delayed: np.ndarray
    bias_kw: float
    charge_import_limit_kw: float


@dataclass(frozen=True, eq=False)
class Control:
    """How the batteries are controlled; every series has one entry a step.

    Attributes
    ----------
    charge_to : ndarray
        State of charge up to which batteries are charged from the grid, and below which none is discharged; 0
        outside windows.
    charge_kw : ndarray
        Most AC power drawn from the grid for that [kW].
    may_discharge : ndarray of bool
        Whether batteries may serve the home.
    leave_kw : ndarray
        Import that batteries leave to the grid: the peak-shaving threshold, or a small bias [kW].
    export_kw, export_to : ndarray
        Power batteries give beyond what the home asks [kW], and the state of charge at which that stops.
    clock_kw : ndarray
        What converters on a time clock do: above 0 charge from the AC bus, below 0 give to it [kW].
    delayed : ndarray of bool
        Whether batteries take of the arrays only what the export limit, or an inverter's, would turn away.
    bias_kw : float
        Import that charging and zero export aim at [kW].
    charge_import_limit_kw : float
        Import that charging from the grid must not pass, such as the peak-shaving threshold [kW].
    order : tuple of int
        Converters in the order in which they serve and charge; the plant's own where left out.
    """

    charge_to: np.ndarray = field(repr=False)
    charge_kw: np.ndarray = field(repr=False)
    may_discharge: np.ndarray = field(repr=False)
    leave_kw: np.ndarray = field(repr=False)
    export_kw: np.ndarray = field(repr=False)
    export_to: np.ndarray = field(repr=False)
    clock_kw: np.ndarray = field(repr=False)
    delayed: np.ndarray = field(repr=False)
    bias_kw: float = 0.0
    charge_import_limit_kw: float = UNLIMITED
    order: tuple[int, ...] | None = None

    def __post_init__(self) -> None:
        sizes = {getattr(self, item.name).size for item in fields(self) if item.type is np.ndarray}
        if len(sizes) != 1:
            raise ValueError(f"the control's series have {sorted(sizes)} steps; wanted one length")
        for name in ("charge_to", "export_to"):
            series = getattr(self, name)
            if series.size and not (series.min() >= 0.0 and series.max() <= 1.0):
                raise ValueError(f"{name} must lie in 0 to 1")

    @property
    def steps(self) -> ControlSteps:
        """The control in the compiled run's types."""
        series = {
            name: np.ascontiguousarray(getattr(self, name), dtype=np.bool_ if name in YES_OR_NO else float)
            for name in ControlSteps._fields[:8]
        }
        limits = {name: float(getattr(self, name)) for name in ControlSteps._fields[8:]}
        return ControlSteps._make([*series.values(), *limits.values()])


def self_use(steps: int) -> Control:
    """Serve the home from the battery whenever it is short, fill from what is left over, nothing else."""
    none, never = np.zeros(steps), np.zeros(steps, dtype=bool)
    return Control(none, none, ~never, none, none, none, none, never)


def filled_in(window: list[bool] | np.ndarray, target: float = 1.0, limit_kw: float = UNLIMITED) -> Control:
    """Self-use with batteries charged from the grid in a window (ndarray of bool) up to a target level."""
    window = np.asarray(window, dtype=bool)
    none, never = np.zeros(window.size), np.zeros(window.size, dtype=bool)
    filling = np.where(window, target, 0.0), np.where(window, limit_kw, 0.0)
    return Control(*filling, ~never, none, none, none, none, never)
