"""When a battery is charged from the grid and when it serves, by prices that are known before the day begins."""

from dataclasses import dataclass

import numpy as np

# A day for which less of the battery is wanted is left as it is.
LEAST_SHARE = 0.05


@dataclass(frozen=True, eq=False)
class PriceSchedule:
    """State of charge up to which it is charged in each step, 0 where it is not, and whether it may serve."""

    charge_to: np.ndarray
    serves: np.ndarray


def mean_days(kw: np.ndarray, month: np.ndarray, *, brighter_half: bool = False) -> np.ndarray:
    """Each day's hours as they are on average of its month, shape (365, 24) [kW].

    Parameters
    ----------
    kw : ndarray, shape (steps of 365 days,)
        Power.
    month : ndarray of int, shape (steps,)
        1 to 12.
    brighter_half : bool
        Whether the mean is of those half of a month's days that have the most of it.
    """
    hours = kw.reshape(365, 24, -1).mean(axis=2)
    of_day = month.reshape(365, -1)[:, month.size // 730]
    result = np.zeros((365, 24))
    for number in range(1, 13):
        days = np.flatnonzero(of_day == number)
        counted = days[np.argsort(-hours[days].sum(axis=1))[: (days.size + 1) // 2]] if brighter_half else days
        result[days] = hours[counted].mean(axis=0)
    return result


def price_schedule(
    price: np.ndarray,
    home_kw: np.ndarray,
    made_kw: np.ndarray,
    *,
    hours: int,
    least: float,
    efficiency: float,
    usable_kwh: float,
    reserve: float,
    most: float,
    open_days: np.ndarray,
) -> PriceSchedule:
    """Charging in the cheapest hours of each day, as far as its dear hours are expected to want it.

    What is wanted is what the home asks beyond the array in hours dear enough, less what the array is expected to leave
    for the battery: both as is usual in the month, for a control knows no weather.

    Parameters
    ----------
    price : ndarray, shape (steps of 365 days,)
        Of imported energy [currency/kWh].
    home_kw, made_kw : ndarray, shape (365, 24)
        What is expected of home and array; see `mean_days`.
    hours : int
        How many of a day's hours it is charged in.
    least : float
        By how much a kWh given must be dearer than what was charged for it [currency/kWh].
    efficiency : float
        What comes out of what is charged.
    usable_kwh : float
        Of all batteries.
    reserve, most : float
        State of charge below which none serves, and up to which it is charged.
    open_days : ndarray of bool, shape (365,)
        Days on which it is so controlled.
    """
    each = price.size // 8760
    by_hour = price.reshape(365, 24, each).mean(axis=2)
    cheap = np.zeros_like(by_hour, dtype=bool)
    np.put_along_axis(cheap, np.argsort(by_hour, axis=1, kind="stable")[:, :hours], True, axis=1)
    paid = by_hour.mean(axis=1, where=cheap, keepdims=True)
    # What is charged for less than nothing is worth it whatever is lost.
    dear = (by_hour > np.where(paid > 0.0, paid / efficiency, paid) + least) & ~cheap
    short = np.maximum(home_kw - made_kw, 0.0)
    left = np.maximum(made_kw - home_kw, 0.0).sum(axis=1)
    one_way = efficiency**0.5
    wanted_kwh = (short * dear).sum(axis=1) / one_way - left * one_way
    share = np.clip(wanted_kwh / max(usable_kwh, 1e-9), 0.0, 1.0)
    target = np.where(open_days & (share >= LEAST_SHARE), np.minimum(reserve + share, most), 0.0)
    charge_to = np.where(cheap, target[:, None], 0.0)
    serves = dear | (target <= 0.0)[:, None]
    return PriceSchedule(np.repeat(charge_to.ravel(), each), np.repeat(serves.ravel(), each))
