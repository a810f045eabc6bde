"""Every start hour of the year to failure or seven days: the survival map, and what it says of the seasons."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics import outage
from calm_relay.physics.dispatch import RESERVE
from calm_relay.physics.island import arrays_ac
from calm_relay.physics.plant import pack
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.island import forms_grid, island_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Option, Plan
from calm_relay.planning.site.demand import SEASONS

DAYS = 7
LASTING_H = (4, 8, 24, 72)


@dataclass(frozen=True, eq=False)
class Survival:
    """Hours survived from every start hour of the year, at most `most_h`, shape (365, 24) by standard time.

    `worst` is the step of the worst start; `envelope_h` usable energy over the mean load of the worst season, as
    on the back of an envelope; `lasting` the share of starts of each season that last 4, 8, 24 and 72 hours.
    """

    hours: np.ndarray
    most_h: float
    worst: int
    envelope_h: float
    lasting: dict[str, dict[int, float]]

    def riding_through(self, after_h: np.ndarray) -> np.ndarray:
        """Share of all starts still alive after so many hours, shape of `after_h`."""
        ordered = np.sort(self.hours.ravel())
        return 1.0 - np.searchsorted(ordered, after_h, side="left") / ordered.size


def survival_of(plan: Plan, option: Option, progress: Progress = unheard) -> Survival | None:
    """Hours survived from every start hour of the year, without events; None where nothing forms a grid."""
    converter = option.design.battery_converter
    if option.outcome is None or not forms_grid(converter):
        return None
    fed = behind_relay(option.design, plan.job, plan.demand)
    if not fed.names:
        return None
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    island = island_of(option.design, plan.job, plan.demand)
    number = island.former
    p = pack(inputs.plant)
    offered = arrays_ac(p, inputs.pv_kw) * island.joins[:, None]
    per_hour = round(1.0 / inputs.step_h)
    most = DAYS * 24 * per_hour
    starts = np.arange(8760) * per_hour

    def wrapped(series):
        return np.ascontiguousarray(np.concatenate([series, series[..., :most]], axis=-1))

    load = wrapped(island.load)
    arrays = tuple(
        wrapped(series)
        for series in (
            inputs.pv_kw[number],
            offered[~island.switched].sum(axis=0),
            offered[island.switched].sum(axis=0),
        )
    )
    level = option.outcome.year.of("stored", number)
    levels = np.concatenate([level[-1:], level])[starts]
    row = p[[number]]
    row[0, RESERVE] = 0.0
    served_steps = np.empty(starts.size)
    for day in range(0, 365, 73):
        progress(day / 365, "Pulling the main switch at every hour of the year")
        cut = slice(day * 24, (day + 73) * 24)
        served_steps[cut] = outage.survival(
            row,
            island.limits,
            load,
            island.legs,
            island.shed_below,
            *arrays,
            levels[cut],
            starts[cut],
            most,
            inputs.step_h,
        )
    hours = served_steps * inputs.step_h
    worst_mean = float(fed.kw[:, plan.demand.worst_season_steps].sum(axis=0).mean())
    usable = inputs.plant[number].battery.usable_kwh
    return Survival(
        hours.reshape(365, 24),
        float(DAYS * 24),
        int(hours.argmin()) * per_hour,
        usable / max(worst_mean, 1e-9),
        _lasting(plan, hours),
    )


def every_survival(plan: Plan, progress: Progress = unheard) -> dict[str, Survival]:
    """The map of every option in which something lives, by the option's key."""
    result = {}
    for number, option in enumerate(plan.live):
        progress(number / len(plan.live), f"Pulling the main switch: {option.design.title}")
        mapped = survival_of(plan, option)
        if mapped is not None:
            result[option.design.key] = mapped
    return result


def _lasting(plan, hours):
    month = plan.site.calendar.month[:: round(1.0 / plan.site.calendar.step_h)]
    north = plan.job.site.latitude >= 0
    result = {}
    for name, months in SEASONS.items():
        own = {(m + 5) % 12 + 1 for m in months} if north else set(months)
        mine = hours[np.isin(month, list(own))]
        result[name] = {n: float((mine >= n).mean()) for n in LASTING_H}
    return result
