"""Prices of a tariff, step by step."""

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.tariff import RateWindow, Tariff
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.kept import kept


@kept
def price_series(tariff: Tariff, calendar: YearCalendar) -> np.ndarray:
    """Price of imported energy in each step, by local clock."""
    return _by_window(tariff.price, tariff.windows, calendar)


@kept
def feed_in_series(tariff: Tariff, calendar: YearCalendar) -> np.ndarray:
    """What is paid for exported energy in each step, by local clock."""
    return _by_window(tariff.feed_in, tariff.feed_in_windows, calendar)


def _by_window(price: float, windows: tuple[RateWindow, ...], calendar: YearCalendar) -> np.ndarray:
    series = np.full(calendar.steps, price)
    weekend = calendar.wall_weekday >= 5
    for window in reversed(windows):
        here = calendar.in_window(minutes_of(window.start), minutes_of(window.end))
        if window.days != "all":
            here &= weekend if window.days == "weekends" else ~weekend
        if window.months:
            here &= np.isin(calendar.month, window.months)
        series[here] = window.price
    return series
