"""What a house uses behind its array, found from what came from the grid."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

# A window is found when its energy is this near [share, kWh]; further runs gain nothing.
NEAR, NEAR_KWH, MOST_RUNS = 1e-3, 0.05, 24

Exchange = Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]


@dataclass(frozen=True)
class Window:
    """Days of a bill, of the year from 0 to 364, and what was counted in them.

    `balance` says that the energy is what came in less what went out; else it is what came in.
    """

    days: np.ndarray
    kwh: float
    balance: bool = False


@dataclass(frozen=True, eq=False)
class NetUse:
    """What was found: a scale of the shape for each window, and in and out of each in the last run [kWh]."""

    scales: np.ndarray
    in_kwh: np.ndarray
    out_kwh: np.ndarray


def scales_behind(shape_kw: np.ndarray, step_h: float, windows: Sequence[Window], exchange: Exchange) -> NetUse:
    """The scale of a house's shape in each window at which the plant beside it exchanges what was counted.

    Newton's method, each window for itself, held between what is known to be too little and too much.

    Parameters
    ----------
    shape_kw : ndarray, shape (steps of 365 days,)
        The house before it is scaled [kW].
    step_h : float
        Step length [h].
    windows : sequence of Window
        Of a day in several the last counts.
    exchange : callable
        Import and export [kW] of the plant that stands there beside a house, by the house's power [kW].

    Returns
    -------
    NetUse
        A scale of 0 where even a house at rest would exchange more than was counted.
    """
    per_day = shape_kw.size // 365
    owner = np.full(365, -1)
    for number, window in enumerate(windows):
        owner[window.days] = number
    daily = _by_day(shape_kw, step_h)
    owned = [np.flatnonzero(owner == number) for number in range(len(windows))]
    whole = np.array([daily[window.days].sum() for window in windows])
    # What a later bill counts of a window's days is shared out by the shape.
    part = np.array([daily[days].sum() for days in owned]) / np.where(whole > 0.0, whole, 1.0)
    wanted = np.array([window.kwh for window in windows]) * part
    by_balance = np.array([window.balance for window in windows])
    open_ = np.array([days.size > 0 for days in owned]) & (whole > 0.0)
    scales = np.where(
        whole > 0.0, np.maximum([window.kwh for window in windows], 0.0) / np.maximum(whole, 1e-9), 0.0
    )
    low, high = np.zeros(scales.size), np.full(scales.size, np.inf)
    lasting, bare = np.ones(365), owner < 0
    came = went = np.zeros(scales.size)
    for _ in range(MOST_RUNS):
        for days, scale in zip(owned, scales, strict=True):
            lasting[days] = scale
        if bare.any() and not bare.all():
            # Days that no window holds go with all that are held.
            lasting[bare] = (lasting * daily)[~bare].sum() / max(daily[~bare].sum(), 1e-9)
        kw = shape_kw * np.repeat(lasting, per_day)
        taken, sent = exchange(kw)
        came, went = (_of(owned, _by_day(flow, step_h)) for flow in (taken, sent))
        over = np.where(by_balance, came - went, came) - wanted
        high = np.where(over >= 0.0, np.minimum(high, scales), high)
        low = np.where(over <= 0.0, np.maximum(low, scales), low)
        at_rest = (scales <= 0.0) & (over >= 0.0)
        if not (open_ & ~at_rest & (np.abs(over) > NEAR * np.abs(wanted) + NEAR_KWH)).any():
            break
        slope = _of(owned, _by_day(shape_kw * (taken > 0.0), step_h))
        slope = np.where(by_balance, _of(owned, daily), slope)
        scales = np.where(open_ & ~at_rest, _next(scales, over, slope, low, high), scales)
    return NetUse(scales, came, went)


def _next(
    scales: np.ndarray, over: np.ndarray, slope: np.ndarray, low: np.ndarray, high: np.ndarray
) -> np.ndarray:
    """Newton's step, or half of what is left where that leads out of it."""
    step = np.maximum(scales - np.divide(over, slope, out=np.full(scales.size, -np.inf), where=slope > 0.0), 0.0)
    middle = np.where(np.isfinite(high), (low + high) / 2.0, 2.0 * np.maximum(scales, 1e-6))
    inside = np.isfinite(step) & (step >= low) & (step <= high)
    return np.where(inside, step, middle)


def _by_day(kw: np.ndarray, step_h: float) -> np.ndarray:
    return np.asarray(kw.reshape(365, -1).sum(axis=1) * step_h)


def _of(owned: Sequence[np.ndarray], daily: np.ndarray) -> np.ndarray:
    return np.array([daily[days].sum() for days in owned])
