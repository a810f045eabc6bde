"""What an option clips, by hour and month, and what its store catches of it."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.physics.control import self_use
from calm_relay.physics.plant import Street
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.simulate import inputs_of, run_inputs
from calm_relay.planning.plan import Option, Plan


@dataclass(frozen=True, eq=False)
class ClippedYear:
    """Clipped energy of a year [kWh]: without the store, and with it.

    `bare` and `kept` have shape (12, 24): months by hours of standard time. `caught_kwh` is what the store takes
    of it; `why` says in a sentence why it is so much.
    """

    bare: np.ndarray
    kept: np.ndarray
    days: int
    why: str

    @property
    def bare_kwh(self) -> float:
        """Clipped in the year without the store."""
        return float(self.bare.sum())

    @property
    def kept_kwh(self) -> float:
        """Clipped in the year with the store."""
        return float(self.kept.sum())

    @property
    def caught_kwh(self) -> float:
        """What the store catches."""
        return max(0.0, self.bare_kwh - self.kept_kwh)


def clipped_year(plan: Plan, option: Option, progress: Progress = unheard) -> ClippedYear | None:
    """Clipping of an option with and without its store; None where no array stands or it is refused."""
    design = option.design
    if option.outcome is None or not any(box.has_array for box in design.boxes):
        return None
    progress(0.2, "Looking at what is clipped")
    with_store = option.outcome.year.of("clipped")
    bare = with_store
    if any(box.bank for box in design.boxes):
        # The same boxes on the same roof, their stores taken off.
        inputs = inputs_of(design, plan.job, plan.site, plan.demand)
        plant = tuple(replace(part, battery=None) for part in inputs.plant)
        # Without a street the modules are asked alone, as if all they give were taken.
        free = {} if inputs.island is None else {"island": None, "street": Street()}
        bare = run_inputs(
            replace(inputs, plant=plant, control=self_use(plan.site.calendar.steps), fit=None, **free)
        ).of("clipped")
    tables = [_by_month_and_hour(series, plan.site.calendar) for series in (bare, with_store)]
    days = int((bare.reshape(365, -1).sum(axis=1) * plan.site.calendar.step_h > 0.05).sum())
    return ClippedYear(*tables, days, _why(design))


def _by_month_and_hour(series, calendar):
    table = np.zeros((12, 24))
    hour = ((calendar.standard - calendar.standard.astype("datetime64[D]")).astype(int) // 3600).astype(int)
    np.add.at(table, (calendar.month - 1, hour), series * calendar.step_h)
    return table


def _why(design):
    box = design.store_box
    array = design.pv_box
    if array.micro:
        return "Microinverters clip module by module on the roof: no store sees any of it."
    if box is None:
        return "Without a store nothing can catch it."
    if box is array:
        return "The store hangs before the AC limit and takes what would be clipped while it has room."
    return "The store hangs behind the AC limit: what is clipped ends before it."
