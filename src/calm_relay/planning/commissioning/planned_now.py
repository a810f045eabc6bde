"""What the plan would do now: its plant and its control for one short step, from the light, load and charge at hand."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

import numpy as np

from calm_relay.physics.plant.inputs import Inputs
from calm_relay.physics.plant.year import PlantYear, run_plant
from calm_relay.planning.plan import Plan

# Short enough that no battery runs full or empty in it [h].
STEP_H = 1.0 / 60.0


def year_step(plan: Plan, at: datetime) -> int:
    """The step of the plan's year at a moment of any year."""
    calendar = plan.site.calendar
    utc = np.datetime64(at.astimezone(UTC).replace(tzinfo=None), "s")
    return int((utc - calendar.utc[0]) / np.timedelta64(3600, "s") % 8760 / calendar.step_h) % calendar.steps


def planned_now(
    inputs: Inputs, step: int, pv_kw: Sequence[float], home_kw: float, charge: Sequence[float | None]
) -> PlantYear:
    """A plant on the grid through one step that begins as things are now.

    Parameters
    ----------
    inputs : Inputs
        The plant's year.
    step : int
        Whose windows and whose share of cold and heat hold.
    pv_kw : sequence of float
        What each converter's strings should give [kW].
    home_kw : float
        What the home takes, controlled loads among it [kW].
    charge : sequence of float or None
        State of charge of each converter's battery; None: half.
    """
    plant = tuple(
        part if part.battery is None else replace(part, battery=replace(part.battery, initial=_share(level)))
        for part, level in zip(inputs.plant, charge, strict=True)
    )
    planned = np.atleast_2d(inputs.home_kw)[:, step]
    total = float(planned.sum())
    shares = planned / total if total > 0.0 else np.full(planned.size, 1.0 / planned.size)
    control = inputs.control
    series: dict[str, Any] = {
        name: value[step : step + 1] for name, value in vars(control).items() if isinstance(value, np.ndarray)
    }
    derate = inputs.thermal_derate
    if derate is not None:
        day = int(step * inputs.step_h / 24.0) % derate.shape[2]
        derate = derate[:, :, day : day + 1]
    return run_plant(
        plant,
        np.array(pv_kw, dtype=float).reshape(-1, 1),
        (shares * max(home_kw, 0.0)).reshape(-1, 1),
        STEP_H,
        inputs.grid,
        replace(control, **series),
        derate,
    )


def _share(level: float | None) -> float:
    return 0.5 if level is None else min(max(level, 0.0), 1.0)
