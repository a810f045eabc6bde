"""Delayed charging: what a battery took before midday and could have taken of what was turned away then."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.control import DelayWindow
from calm_relay.job.model import Job
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.year import PlantSums, PlantYear
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.operation.controls import open_in, usual_delay
from calm_relay.planning.site.site_year import SiteYear

# Below it nobody sets a window [kWh a year].
SMALL_KWH = 50.0
# What units that idle may draw of what the limit lets out [kW].
IDLE_KW = 0.05
# What is worth a window [kWh a year].
LITTLE_KWH = 25.0
# Of what was taken early on such days so much is stored again; runs of eight plants gave 0.3 to 0.6.
STORED_AGAIN = 0.5
# From such a charge on a battery takes hardly more [share].
FULL = 0.97


def delayed_until(job: Job, end: str) -> tuple[DelayWindow, ...]:
    """A delay until an hour in the sunny half of the year, begun when charging from the grid ends; none if they meet.

    Parameters
    ----------
    job : Job
        Its place, and its charge windows.
    end : str
        Local clock time, such as "12:00".
    """
    usual = usual_delay(job.site.latitude)
    begins = max([usual.start, *(charge.end for charge in job.battery.charge_windows if charge.end < end)])
    window = DelayWindow(start=begins, end=end, months=usual.months)
    return () if any(window.meets(charge) for charge in job.battery.charge_windows) else (window,)


def with_delay(job: Job, windows: Sequence[DelayWindow]) -> Job:
    """A job whose charging is delayed in these windows alone."""
    return job.with_(control=job.control.with_(delay_windows=tuple(windows)))


def delays(design: Design) -> Converter | None:
    """The unit whose battery may be charged later; None where no control moves one."""
    unit = design.battery_converter
    return None if unit is None or not unit.battery_moves or design.by_clock else unit


def worth_a_window(job: Job) -> float:
    """What a delay must bring a year for somebody to set it: the price of a little of the grid's energy [currency]."""
    return LITTLE_KWH * job.tariff.mean_price


def turned_away_kwh(year: PlantSums) -> float:
    """What the export limit and the inverters turn away of the arrays in a year [kWh]."""
    return year.losses_kwh["curtailed"] + year.losses_kwh["clipped"]


@dataclass(frozen=True)
class Waiting:
    """What a delay to midday would bring a year, read off the year without it.

    `saved_kwh` is what is stored of what is turned away now, `lost_kwh` what no later sun brings [kWh]; `worth` is what
    both come to by feed-in and dearest price [currency].
    """

    saved_kwh: float
    lost_kwh: float
    worth: float


def waiting_of(design: Design, job: Job, site: SiteYear, year: PlantYear) -> Waiting | None:
    """What a delay to midday would bring; None where nothing can wait, or nothing is turned away.

    What the batteries take in the mornings goes out instead. Of that they take again after midday what was exported
    then, and on days on which they were full while power was turned away also of that.
    """
    most = turned_away_kwh(year)
    windows = delayed_until(job, usual_delay(job.site.latitude).end)
    if delays(design) is None or not job.supply.on_grid or not windows or most < SMALL_KWH:
        return None
    limit = job.tariff.export_limit_kw
    morning, after = _halves(site.calendar, windows[0])
    exported = year.at_bus("export")
    at_limit = exported >= (np.inf if limit is None else limit - IDLE_KW)
    turned, taken = np.zeros(morning.size, dtype=bool), np.zeros(morning.size)
    for number, unit in enumerate(design.converters):
        if not unit.has_battery:
            continue
        stored = year.stored[number]
        clips = at_limit
        if unit.has_array:
            clips = clips | (year.ac_side[number, 0] >= unit.inverter.ac_kw - 1e-6)
        turned |= clips & (stored >= FULL * stored.max())
        taken += np.maximum(np.diff(stored, prepend=stored[:1]), 0.0)
    early = _by_day(np.where(morning, taken, 0.0))
    later = _by_day(np.where(after, exported, 0.0)) * year.step_h
    full = _by_day(turned & after)
    # What is turned away is spread over the steps in which it is, batteries full or not.
    share = float(full.sum()) / max(float((at_limit | turned).sum()), 1.0)
    saved = STORED_AGAIN * min(float(early[full > 0].sum()), most * min(share, 1.0))
    lost = float(np.maximum(early - later, 0.0)[full == 0].sum())
    # What is not stored is lacking in the evening, when it is dear.
    feed_in, dear = job.tariff.mean_feed_in, job.tariff.dearest
    more = max(dear.price - job.tariff.price, 0.0) if dear is not None else 0.0
    price = job.tariff.mean_price + more
    return Waiting(saved, lost, saved * feed_in - lost * (price - feed_in))


@kept
def _halves(calendar: YearCalendar, window: DelayWindow) -> tuple[np.ndarray, np.ndarray]:
    """Steps in which charging waits, and those after it in the same months."""
    after = (calendar.wall_minute >= minutes_of(window.end)) & np.isin(calendar.month, window.months)
    return open_in(calendar, window), after


def _by_day(series: np.ndarray) -> np.ndarray:
    """Sums of the steps of each day, shape (365,)."""
    return series.reshape(365, -1).sum(axis=1)
