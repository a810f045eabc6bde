"""Prices of a tariff, step by step."""

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.tariff import HourlyPrices, RateWindow, Tariff
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.kept import kept


@kept
def price_series(tariff: Tariff, calendar: YearCalendar) -> np.ndarray:
    """Price of imported energy in each step, by local clock."""
    return _with_hours(_by_window(tariff.price, tariff.windows, calendar), tariff.hourly, 1.0)


@kept
def feed_in_series(tariff: Tariff, calendar: YearCalendar) -> np.ndarray:
    """What is paid for exported energy in each step, by local clock."""
    hourly = tariff.hourly
    paid = _by_window(tariff.feed_in, tariff.feed_in_windows, calendar)
    return _with_hours(paid, hourly, hourly.export_share if hourly is not None else 0.0)


def _with_hours(series: np.ndarray, hourly: HourlyPrices | None, share: float) -> np.ndarray:
    """Prices with so much of an exchange's price of each hour on top."""
    if hourly is None:
        return series
    return series + share * np.repeat(np.array(hourly.prices), series.size // len(hourly.prices))


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
