"""Delayed charging: what a battery that waits for midday stores of what would be turned away, and what it is worth."""

from dataclasses import dataclass, replace
from math import inf

from calm_relay.job.control import DelayWindow
from calm_relay.job.model import Job
from calm_relay.physics.kept import STORE
from calm_relay.physics.plant.inputs import Inputs, sum_inputs
from calm_relay.physics.plant.year import PlantSums
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.controls import control_of, usual_delay
from calm_relay.planning.operation.finance import bill_kinds, bill_of_kinds
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.site_year import SiteYear

# Below it nobody sets a window for its sake [kWh a year].
SMALL_KWH = 50.0
# Hours at which a delay may end; it begins before the sun is of any use.
ENDS = ("10:00", "11:00", "12:00", "13:00", "14:00", "15:00")
FIRST = 2


@dataclass(frozen=True)
class Delay:
    """Charging that is delayed, against charging that is not.

    Attributes
    ----------
    windows : tuple of DelayWindow
        When it is.
    kept_kwh : float
        By how much less is turned away by the export limit and by the inverters in a year [kWh].
    worth : float
        By how much the year's bill is lower; below 0 where it is higher.
    """

    windows: tuple[DelayWindow, ...]
    kept_kwh: float
    worth: float


def turned_away_kwh(year: PlantSums) -> float:
    """What the export limit and the inverters turn away of the arrays in a year [kWh]."""
    return year.losses_kwh["curtailed"] + year.losses_kwh["clipped"]


def stated_delay(design: Design, job: Job, site: SiteYear, demand: DemandYear) -> Delay:
    """What the delay windows of a job do for a design."""
    windows = job.control.delay_windows
    return _against(inputs_of(design, job, site, demand), design, job, site, (), windows)


def best_delay(design: Design, job: Job, site: SiteYear, demand: DemandYear) -> Delay | None:
    """The delay in the sunny half of the year that lowers a design's bill most; None where none does.

    Parameters
    ----------
    design : Design
        Its battery is new, or controlled anew.
    job : Job
        Without delay windows.
    site : SiteYear
        Its site.
    demand : DemandYear
        The home's year.
    """
    inputs = inputs_of(design, job, site, demand)
    tried: dict[int, Delay | None] = {}

    def at(place: int) -> float:
        if place not in tried:
            windows = _until(job, ENDS[place])
            tried[place] = _against(inputs, design, job, site, (), windows) if windows else None
        found = tried[place]
        return found.worth if found is not None else -inf

    place = FIRST
    while place + 1 < len(ENDS) and at(place + 1) > at(place):
        place += 1
    while place > 0 and at(place - 1) > at(place):
        place -= 1
    best = tried[place]
    return best if best is not None and best.worth > 0.0 else None


def _until(job: Job, end: str) -> tuple[DelayWindow, ...]:
    """A delay until an hour that begins once charging from the grid has ended; none where the two would meet."""
    usual = usual_delay(job.site.latitude)
    begins = max([usual.start, *(charge.end for charge in job.battery.charge_windows if charge.end < end)])
    window = DelayWindow(start=begins, end=end, months=usual.months)
    return () if any(window.meets(charge) for charge in job.battery.charge_windows) else (window,)


def _against(
    inputs: Inputs,
    design: Design,
    job: Job,
    site: SiteYear,
    before: tuple[DelayWindow, ...],
    after: tuple[DelayWindow, ...],
) -> Delay:
    """What windows do against others."""
    (bill, turned), (bill_then, turned_then) = (
        _run(inputs, design, job, site, windows) for windows in (before, after)
    )
    return Delay(after, turned - turned_then, bill - bill_then)


def _run(
    inputs: Inputs, design: Design, job: Job, site: SiteYear, windows: tuple[DelayWindow, ...]
) -> tuple[float, float]:
    """The year's bill, and what is turned away in it [kWh]."""
    delayed = job.with_(control=job.control.with_(delay_windows=windows))
    tuned = replace(inputs, control=control_of(design, delayed, site.calendar))

    def run() -> tuple[float, float]:
        year = sum_inputs(tuned)
        assert isinstance(year, PlantSums), "nothing is delayed off grid"
        return bill_of_kinds(bill_kinds(year, job, site)), turned_away_kwh(year)

    return STORE.get(("delayed charging", tuned.digest, job.tariff, job.finance), run)
