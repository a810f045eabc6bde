"""What delayed charging brings, by the hour at which it ends."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.control import DelayWindow
from calm_relay.physics.plant.inputs import sum_inputs
from calm_relay.physics.plant.year import PlantSums
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.controls import control_of
from calm_relay.planning.operation.delayed_charging import (
    delayed_until,
    delays,
    turned_away_kwh,
    with_delay,
    worth_a_window,
)
from calm_relay.planning.operation.finance import bill_kinds, bill_of_kinds
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option, RefusedOption

ENDS = tuple(f"{hour:02d}:00" for hour in range(8, 18))


@dataclass(frozen=True, eq=False)
class DelaySweep:
    """Charging that ends its wait at one hour or another, in the sunny half of the year, and none that waits.

    Attributes
    ----------
    hours : ndarray, shape (ends,)
        Local clock at which the delay ends [h]; nan first, for charging at once.
    windows : tuple of tuple of DelayWindow
        The delay of each.
    gained : ndarray, shape (ends,)
        By how much the year's bill is lower than without a delay [currency].
    turned_kwh : ndarray, shape (ends,)
        What export limit and inverters turn away in a year [kWh].
    least : float
        What a delay must bring a year to be worth a window [currency].
    stated : tuple of DelayWindow
        What the job states.
    stated_gained, stated_turned_kwh : float
        The same of it.
    """

    hours: np.ndarray
    windows: tuple[tuple[DelayWindow, ...], ...]
    gained: np.ndarray
    turned_kwh: np.ndarray
    least: float
    stated: tuple[DelayWindow, ...]
    stated_gained: float
    stated_turned_kwh: float

    @property
    def place(self) -> int | None:
        """The place of what the job states; None where its windows are others."""
        return self.windows.index(self.stated) if self.stated in self.windows else None

    @property
    def best(self) -> int:
        """The place of the delay that lowers the bill most; of several the shortest, 0 where none is worth a window."""
        best = int(self.gained.argmax())
        return best if self.gained[best] >= self.least else 0


def delay_sweep(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> DelaySweep | None:
    """Runs an option with its charging delayed to each hour; None where no battery on the grid can be told to wait.

    Parameters
    ----------
    plan : Plan
        Of the job.
    option : Option or RefusedOption
        In view.
    progress : Progress
        Told before each run; it may call the study off.
    """
    job = plan.job
    if isinstance(option, RefusedOption) or delays(option.design) is None or not job.supply.on_grid:
        return None
    ends = [(end, windows) for end in ENDS if (windows := delayed_until(job, end))]
    tried: list[tuple[DelayWindow, ...]] = [(), *(windows for _, windows in ends), job.control.delay_windows]
    found = []
    for number, windows in enumerate(tried):
        progress(number / len(tried), "Charging later")
        found.append(_year(plan, option, windows))
    bills, turned = np.array(found).T
    gained = bills[0] - bills
    return DelaySweep(
        hours=np.array([np.nan, *(float(end[:2]) for end, _ in ends)]),
        windows=tuple(tried[:-1]),
        gained=gained[:-1],
        turned_kwh=turned[:-1],
        least=worth_a_window(job),
        stated=tried[-1],
        stated_gained=float(gained[-1]),
        stated_turned_kwh=float(turned[-1]),
    )


def _year(plan: Plan, option: Option, windows: tuple[DelayWindow, ...]) -> tuple[float, float]:
    """A year's bill, and what is turned away in it [kWh]."""
    job = with_delay(plan.job, windows)
    inputs = inputs_of(option.design, job, plan.site, plan.demand)
    control = control_of(option.design, job, plan.site.calendar, inputs.home_kw, inputs.pv_kw)
    year = sum_inputs(replace(inputs, control=control))
    assert isinstance(year, PlantSums), "it is on the grid"
    return bill_of_kinds(bill_kinds(year, job, plan.site)), turned_away_kwh(year)
