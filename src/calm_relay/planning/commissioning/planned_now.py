"""What the plan would do now: its plant and its control for one short step, from the light, load and charge at hand."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

import numpy as np

from calm_relay.physics.plant.inputs import Inputs
from calm_relay.physics.plant.island import Island, run_island
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.plant.year import PlantYear, run_plant
from calm_relay.planning.plan import Plan

# Short enough that no battery runs full or empty in it [h].
STEP_H = 1.0 / 60.0
# Days before and after over which the usual load of an hour is the mean.
AROUND_DAYS = 14


def year_step(plan: Plan, at: datetime) -> int:
    """The step of the plan's year at a moment of any year."""
    calendar = plan.site.calendar
    utc = np.datetime64(at.astimezone(UTC).replace(tzinfo=None), "s")
    return int((utc - calendar.utc[0]) / np.timedelta64(3600, "s") % 8760 / calendar.step_h) % calendar.steps


def planned_now(
    inputs: Inputs, step: int, pv_kw: Sequence[float], home_kw: float, charge: Sequence[float | None]
) -> PlantYear:
    """A plant through one step that begins as things are now.

    What the home takes above its ordinary load of these hours is taken for its controlled loads, as far as they can
    take so much: no meter tells them apart, and batteries need not serve them.

    Parameters
    ----------
    inputs : Inputs
        The plant's year, on the grid or off it.
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
    pv, home = np.array(pv_kw, dtype=float).reshape(-1, 1), max(home_kw, 0.0)
    derate = inputs.thermal_derate
    if derate is not None:
        day = int(step * inputs.step_h / 24.0) % derate.shape[2]
        derate = derate[:, :, day : day + 1]
    if inputs.island is not None:
        return run_island(plant, pv, STEP_H, _island_now(inputs.island, step, home), derate)
    apart = _controlled(inputs, step, home)
    planned = np.atleast_2d(inputs.home_kw)[:, step]
    control = inputs.control
    series: dict[str, Any] = {
        name: value[step : step + 1] for name, value in vars(control).items() if isinstance(value, np.ndarray)
    }
    return run_plant(
        plant,
        pv,
        (_shares(planned) * (home - apart)).reshape(-1, 1),
        STEP_H,
        inputs.grid,
        replace(control, **series),
        derate,
        (_taking(apart),) if apart > 0.0 else (),
    )


def usual_kw(series: np.ndarray, step: int, step_h: float) -> float:
    """What a year's series of power usually is at this hour: its mean over the hour of the weeks around [kW].

    Parameters
    ----------
    series : ndarray, shape (steps,)
        Of one year [kW].
    step : int
        Number of the step.
    step_h : float
        Length of a step [h].
    """
    hour = max(1, round(1.0 / step_h))
    days = np.arange(-AROUND_DAYS, AROUND_DAYS + 1) * round(24.0 / step_h)
    first = step - step % hour
    return float(series[(first + days[:, None] + np.arange(hour)[None, :]) % series.size].mean())


def _controlled(inputs: Inputs, step: int, home_kw: float) -> float:
    """Power that loads take which no battery serves [kW]."""
    most = sum(load.max_kw for load in inputs.loads if not load.from_battery)
    if most == 0.0:
        return 0.0
    base = usual_kw(np.atleast_2d(inputs.home_kw).sum(axis=0), step, inputs.step_h)
    return min(max(home_kw - base, 0.0), most)


def _taking(kw: float) -> ControlledLoad:
    """A load that takes so much through the one step, whatever supplies it, and not from a battery."""
    one = np.ones(1)
    return ControlledLoad(kw, kw, 0.0 * one, one, one < 0.0, kw * one, 0.0 * one, from_battery=False, initial=0.0)


def _island_now(island: Island, step: int, home_kw: float) -> Island:
    """An island whose circuits take what they take now, none of them about to start or to be shed."""
    asked = island.load_kw[:, step]
    return replace(
        island,
        load_kw=(_shares(asked) * home_kw).reshape(-1, 1),
        asked_kw=np.array([home_kw]),
        shed_below=np.zeros_like(island.shed_below),
        start_kw=None,
        again_kw=None,
    )


def _shares(kw: np.ndarray) -> np.ndarray:
    """Each one's part of a sum; even where nothing is asked."""
    total = float(kw.sum())
    return kw / total if total > 0.0 else np.full(kw.size, 1.0 / max(kw.size, 1))


def _share(level: float | None) -> float:
    return 0.5 if level is None else min(max(level, 0.0), 1.0)
