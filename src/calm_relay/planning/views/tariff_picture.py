"""A tariff as ribbons of a day by season, and the year's bill by month and kind under it."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.months import months_text
from calm_relay.job.tariff import RateWindow, Tariff
from calm_relay.planning.operation.simulate import bill_months
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option

QUARTERS = 96
# Kinds of a bill in the order they are stacked, and what a person calls them.
KINDS = {
    "energy": "energy",
    "tiers": "tiers",
    "demand": "power",
    "standing": "standing",
    "tax": "tax",
    "minimum": "up to the least bill",
    "export": "export",
}


@dataclass(frozen=True)
class Ribbon:
    """One kind of day in one season: its words, the price of each quarter hour, and which windows it is made of.

    `windows` holds the number of the window that sets each quarter hour, -1 for the base price.
    """

    words: str
    days: str
    months: tuple[int, ...]
    prices: np.ndarray
    windows: np.ndarray


def ribbons_of(price: float, windows: tuple[RateWindow, ...]) -> tuple[Ribbon, ...]:
    """Ribbons of every season that differs, weekdays and weekends apart where they do."""
    seasons: dict[bytes, list[int]] = {}
    for month in range(1, 13):
        mark = b"".join(_quarters(windows, month, weekend).tobytes() for weekend in (False, True))
        seasons.setdefault(mark, []).append(month)
    result = []
    for months in seasons.values():
        kept = () if len(seasons) == 1 else tuple(months)
        season = months_text(kept) if kept else "all year"
        week, rest = (_quarters(windows, months[0], weekend) for weekend in (False, True))
        kinds = (("all", week),) if np.array_equal(week, rest) else (("weekdays", week), ("weekends", rest))
        for days, numbers in kinds:
            prices = np.array([price if number < 0 else windows[number].price for number in numbers])
            words = season if days == "all" else f"{season}, {days}"
            result.append(Ribbon(words, days, kept, prices, numbers))
    return tuple(result)


def _quarters(windows: tuple[RateWindow, ...], month: int, weekend: bool) -> np.ndarray:
    """Number of the window that sets each quarter hour of a day, -1 for none."""
    numbers = np.full(QUARTERS, -1)
    at = np.arange(QUARTERS) * 15
    for number in reversed(range(len(windows))):
        window = windows[number]
        if window.months and month not in window.months:
            continue
        if window.days != "all" and (window.days == "weekends") != weekend:
            continue
        start, end = minutes_of(window.start), minutes_of(window.end)
        inside = (at >= start) & (at < end) if start < end else (at >= start) | (at < end)
        numbers[inside] = number
    return numbers


def hidden_windows(windows: tuple[RateWindow, ...]) -> tuple[str, ...]:
    """Names of windows that an earlier one hides at some time: the first that matches holds."""
    hidden = []
    for number, window in enumerate(windows):
        alone = {
            (month, weekend): _quarters((window,), month, weekend) == 0
            for month in range(1, 13)
            for weekend in (False, True)
        }
        if any(
            (inside & (_quarters(windows, *day) < number) & (_quarters(windows, *day) >= 0)).any()
            for day, inside in alone.items()
        ):
            hidden.append(window.name)
    return tuple(hidden)


def bill_by_kind(plan: Plan, option: Option, tariff: Tariff) -> dict[str, np.ndarray]:
    """The option's bill under a tariff, twelve months of each kind that is not nothing, in stacking order."""
    months = bill_months(option.outcome.year, tariff, plan.site)
    return {KINDS[kind]: months[kind] for kind in KINDS if np.abs(months[kind]).max() > 1e-9}
