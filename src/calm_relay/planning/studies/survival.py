"""Every start hour of the year to failure or seven days: the survival map, and what it says of the seasons."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.plant.inputs import run_survival
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.island import forms_grid, island_of
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.seasons import seasons_at
from calm_relay.planning.verdict.option import Option, RefusedOption

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
        """Share of all starts with supply after so many hours, shape of `after_h`."""
        ordered = np.sort(self.hours.ravel())
        return 1.0 - np.searchsorted(ordered, after_h, side="left") / ordered.size


def survival_of(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> Survival | None:
    """Hours survived from every start hour of the year, without events; None where nothing forms a grid."""
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.battery_converter
    if not forms_grid(converter):
        return None
    fed = behind_relay(option.design, plan.job, plan.demand)
    if not fed.names:
        return None
    island = island_of(option.design, plan.job, plan.demand)
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand).islanded(island)
    forming = list(island.forming)
    per_hour = round(1.0 / inputs.step_h)
    starts = np.arange(8760) * per_hour
    stored = option.outcome.year.stored[forming]
    stored = np.concatenate([stored[:, -1:], stored], axis=1)[:, starts]
    hours = np.empty(starts.size)
    for day in range(0, 365, 73):
        progress(day / 365, "Failing the grid at every hour of the year")
        cut = slice(day * 24, (day + 73) * 24)
        hours[cut] = run_survival(inputs, stored[:, cut], starts[cut], DAYS * 24 * per_hour)
    worst_mean = float(fed.kw[:, plan.demand.worst_season_steps].sum(axis=0).mean())
    usable = sum(inputs.plant[number].bank.usable_kwh for number in forming)
    return Survival(
        hours.reshape(365, 24),
        float(DAYS * 24),
        int(hours.argmin()) * per_hour,
        usable / max(worst_mean, 1e-9),
        _lasting(plan, hours),
    )


def every_survival(plan: Plan, progress: Progress = unheard) -> dict[str, Survival]:
    """The map of every option in which something stays on, by the option's key."""
    result = {}
    for number, option in enumerate(plan.live):
        progress(number / len(plan.live), f"Failing the grid: {option.title}")
        mapped = survival_of(plan, option)
        if mapped is not None:
            result[option.key] = mapped
    return result


def _lasting(plan: Plan, hours: np.ndarray) -> dict[str, dict[int, float]]:
    month = plan.site.calendar.month[:: round(1.0 / plan.site.calendar.step_h)]
    result = {}
    for name, months in seasons_at(plan.job.site.latitude).items():
        mine = hours[np.isin(month, months)]
        result[name] = {n: float((mine >= n).mean()) for n in LASTING_H}
    return result
