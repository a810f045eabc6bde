"""Demand without interval data: the hours of a kind of house scaled to its bill, and loads by their own rules."""

from collections.abc import Collection
from dataclasses import dataclass
from math import ceil

import numpy as np

from calm_relay.physics.kept import kept_in_common

# Relative draw at each local hour on a weekday and at the weekend (common practice, no source).
# fmt: off
_HOUSEHOLD = (
    np.array([
        0.42, 0.38, 0.36, 0.35, 0.36, 0.46, 0.80, 1.30, 1.20, 0.85, 0.75, 0.75,
        0.80, 0.75, 0.72, 0.80, 1.05, 1.55, 2.05, 2.00, 1.70, 1.35, 0.95, 0.60,
    ]),
    np.array([
        0.46, 0.40, 0.37, 0.36, 0.36, 0.42, 0.58, 0.95, 1.30, 1.35, 1.20, 1.15,
        1.20, 1.05, 0.98, 1.00, 1.15, 1.50, 1.90, 1.85, 1.60, 1.30, 0.98, 0.65,
    ]),
)
# Heating and hot water fill the night and the early morning.
_ALL_ELECTRIC = (
    np.array([
        0.85, 0.82, 0.80, 0.82, 0.95, 1.20, 1.55, 1.60, 1.25, 0.95, 0.85, 0.80,
        0.80, 0.78, 0.78, 0.85, 1.05, 1.40, 1.65, 1.60, 1.40, 1.15, 0.95, 0.88,
    ]),
    np.array([
        0.88, 0.84, 0.82, 0.82, 0.90, 1.00, 1.20, 1.45, 1.50, 1.30, 1.10, 1.00,
        1.00, 0.95, 0.92, 0.95, 1.10, 1.35, 1.55, 1.50, 1.35, 1.15, 0.98, 0.90,
    ]),
)
_SMALL_SHOP = (
    np.array([
        0.35, 0.35, 0.35, 0.35, 0.35, 0.40, 0.55, 0.90, 1.50, 1.80, 1.85, 1.90,
        1.90, 1.90, 1.85, 1.85, 1.80, 1.60, 1.00, 0.55, 0.40, 0.36, 0.35, 0.35,
    ]),
    np.array([
        0.35, 0.35, 0.35, 0.35, 0.35, 0.38, 0.45, 0.60, 0.95, 1.15, 1.20, 1.20,
        1.20, 1.15, 1.05, 0.90, 0.70, 0.50, 0.42, 0.38, 0.36, 0.35, 0.35, 0.35,
    ]),
)
# Two milkings a day, and the cooling after each.
_FARM = (
    np.array([
        0.45, 0.42, 0.42, 0.45, 0.60, 1.30, 2.30, 2.50, 1.90, 1.10, 0.80, 0.70,
        0.68, 0.65, 0.70, 1.00, 2.00, 2.40, 2.00, 1.20, 0.80, 0.62, 0.52, 0.48,
    ]),
    np.array([
        0.45, 0.42, 0.42, 0.45, 0.60, 1.30, 2.30, 2.50, 1.90, 1.10, 0.80, 0.70,
        0.68, 0.65, 0.70, 1.00, 2.00, 2.40, 2.00, 1.20, 0.80, 0.62, 0.52, 0.48,
    ]),
)
# fmt: on
SHAPES = {
    "household": _HOUSEHOLD,
    "all-electric": _ALL_ELECTRIC,
    "small shop": _SMALL_SHOP,
    "farm": _FARM,
}

# A quarter of an hour's draw is steady, the rest comes in bouts: with these, 1 kWp and 1 kWh per MWh give the
# self-sufficiencies of Weniger, Tjaden and Quaschning 2014 within four points.
STEADY, BOUTS, HIGHEST_BOUT = 0.25, 0.7, 4.5
# Up to so much a year a dwelling's bouts are those of one household [kWh]; a larger one has more people and machines,
# whose bouts meet by chance. With it half hours rise with the year as Velander's formula says (1952, from memory).
ONE_HOUSEHOLD_KWH = {"household": 7_000.0, "all-electric": 9_000.0}
# More households than this are taken to be no smoother: by then bouts stray by a third of their mean.
MOST_HOUSEHOLDS = 12.0
MIDWINTER_NORTH, MIDWINTER_SOUTH = 15.0, 197.0


def midwinter_day(latitude: float) -> float:
    """Day of the year on which demand is highest, some three weeks after the shortest day."""
    return MIDWINTER_NORTH if latitude >= 0 else MIDWINTER_SOUTH


def shaped_year(
    yearly_kwh: float,
    winter_factor: float,
    latitude: float,
    wall_minute: np.ndarray,
    wall_weekday: np.ndarray,
    step_h: float,
    seed: int,
    shape: str = "household",
) -> np.ndarray:
    """A year of demand with seeded quarter-hour unrest.

    Parameters
    ----------
    yearly_kwh : float
        Sum of the result [kWh].
    winter_factor : float
        Midwinter draw over the yearly mean; midsummer is as far below it, down to a tenth.
    latitude : float
        Sets which months are winter.
    wall_minute, wall_weekday : ndarray of int
        Local clock minutes after midnight and weekday (0 Monday) of each step of the year.
    step_h : float
        Step length [h].
    seed : int
        The same seed gives the same year.
    shape : str
        A key of `SHAPES`.

    Returns
    -------
    ndarray
        Mean power of each step [kW].
    """
    clock, minutes = np.arange(24) + 0.5, np.arange(1440) / 60.0
    weekday, weekend = (np.interp(minutes, clock, hours, period=24.0)[wall_minute] for hours in SHAPES[shape])
    hours = np.where(wall_weekday >= 5, weekend, weekday)
    day = np.arange(wall_minute.size) * step_h / 24.0
    season = (day - midwinter_day(latitude)) / 365.0
    season = np.maximum(1.0 + (winter_factor - 1.0) * np.cos(season * 2 * np.pi), 0.1)
    kw = hours * season * _unrest(seed, wall_minute.size, step_h, _households(yearly_kwh, shape))
    return kw * (yearly_kwh / (kw.sum() * step_h))


def _households(yearly_kwh: float, shape: str) -> float:
    """For how many households' bouts a dwelling stands, 1 or more; shops and farms for one."""
    one_kwh = ONE_HOUSEHOLD_KWH.get(shape)
    return 1.0 if one_kwh is None else min(max(yearly_kwh / one_kwh, 1.0), MOST_HOUSEHOLDS)


@kept_in_common
def _unrest(seed: int, steps: int, step_h: float, households: float) -> np.ndarray:
    """What each step draws over what it would on average, from a quarter hour and from a day to the next."""
    random = np.random.Generator(np.random.PCG64(seed))
    bouts = _bouts(random, steps)
    busy = 1.0 + 0.15 * random.standard_normal(round(steps * step_h / 24.0))
    for number in range(1, ceil(households)):
        share = min(households - number, 1.0)
        bouts = bouts + share * _bouts(np.random.Generator(np.random.PCG64((seed, number))), steps)
    return (STEADY + (1.0 - STEADY) * bouts / households) * np.repeat(
        np.clip(busy, 0.4, 1.6), round(24.0 / step_h)
    )


def _bouts(random: np.random.Generator, steps: int) -> np.ndarray:
    return np.minimum(random.gamma(BOUTS, 1.0 / BOUTS, steps), HIGHEST_BOUT)


@dataclass(frozen=True, eq=False)
class BilledYear:
    """A shaped year scaled to bills [kW], and the days of 365 that no bill covers."""

    kw: np.ndarray
    days_without_bill: int


def scale_to_bills(kw: np.ndarray, step_h: float, bills: list[tuple[np.ndarray, float]]) -> BilledYear:
    """A shaped year scaled so that the days of each bill hold its energy.

    Days without a bill keep the shape's season at the scale of all bills together; of two bills over the same day
    the later counts.

    Parameters
    ----------
    kw : ndarray
        Shape on the steps of 365 days.
    step_h : float
        Step length [h].
    bills : sequence of (ndarray of int, float)
        Days of the year (0 to 364; a day may stand twice where a bill covers more than a year) and kWh of each.
    """
    daily = kw.reshape(365, -1).sum(axis=1) * step_h
    share = np.full(365, np.nan)
    energy, shaped = 0.0, 0.0
    for days, kwh in bills:
        here = daily[days].sum()
        energy, shaped = energy + kwh, shaped + here
        share[days] = kwh / here if here > 0 else 0.0
    bare = np.isnan(share)
    share[bare] = energy / shaped if shaped > 0 else 1.0
    return BilledYear(kw * np.repeat(share, kw.size // 365), int(bare.sum()))


def scheduled_load(
    kw: float,
    weekdays: list[int] | set[int],
    start_minute: int,
    hours: float,
    wall_minute: np.ndarray,
    wall_weekday: np.ndarray,
    *,
    duty: float = 1.0,
    months: Collection[int] | None = None,
    month: np.ndarray | None = None,
) -> np.ndarray:
    """A machine that starts at a local clock time on set weekdays; it may run past midnight.

    Parameters
    ----------
    kw : float
        Running power [kW].
    weekdays : collection of int
        Days on which it starts, 0 for Monday.
    start_minute : int
        Minutes after local midnight.
    hours : float
        Running time, at most 24.
    wall_minute, wall_weekday : ndarray of int
        Local clock minutes and weekday of each step.
    duty : float
        Share of the running time that it draws power; the mean counts.
    months : collection of int, optional
        Months (1 to 12) in which it runs; all when left out.
    month : ndarray of int, optional
        Month of each step.

    Returns
    -------
    ndarray
        Power of each step [kW].
    """
    end_minute = start_minute + hours * 60.0
    starts = np.zeros(7, dtype=bool)
    starts[list(weekdays)] = True
    here = starts[wall_weekday] & (wall_minute >= start_minute) & (wall_minute < end_minute)
    if end_minute > 1440.0:
        here |= np.roll(starts, 1)[wall_weekday] & (wall_minute < end_minute - 1440.0)
    if months is not None and month is not None:
        here &= np.isin(month, list(months))
    return np.where(here, float(kw) * duty, 0.0)


def heat_pump_load(
    heat_kwh_per_day: float,
    water_kwh_per_day: float,
    heats_below_c: float,
    cop_c: list[float],
    cop: list[float],
    temp_air: np.ndarray,
    month: np.ndarray,
    step_h: float,
) -> np.ndarray:
    """Electricity of a heat pump whose heat follows how far a day stays below a threshold.

    Parameters
    ----------
    heat_kwh_per_day : float
        Heat on a mean day of the coldest month [kWh].
    water_kwh_per_day : float
        Heat for hot water on every day [kWh].
    heats_below_c : float
        Daily mean air temperature from which the house is not heated [degC].
    cop_c, cop : sequence of float
        Heat over electricity at outdoor temperatures [degC], rising; held constant beyond their ends.
    temp_air : ndarray
        Air on steps of 365 days [degC].
    month : ndarray of int
        Month of each step.
    step_h : float
        Step length [h].

    Returns
    -------
    ndarray
        Power of each step [kW]; in a place that never needs heat only hot water is left.
    """
    heat_kw = heat_by_day(heat_kwh_per_day, water_kwh_per_day, heats_below_c, temp_air, month)
    return heat_kw / np.interp(temp_air, cop_c, cop)


def heat_by_day(
    heat_kwh_per_day: float,
    water_kwh_per_day: float,
    heats_below_c: float,
    temp_air: np.ndarray,
    month: np.ndarray,
) -> np.ndarray:
    """Heat asked of a heat pump in each step [kW], even through each day; see `heat_pump_load`."""
    daily_c = temp_air.reshape(365, -1).mean(axis=1)
    need = np.maximum(heats_below_c - daily_c, 0.0)
    day_month = month.reshape(365, -1)[:, 0]
    coldest = max(need[day_month == m].mean() for m in range(1, 13))
    heat = need / coldest * heat_kwh_per_day if coldest > 0 else need
    per_day = temp_air.size // 365
    return np.repeat((heat + water_kwh_per_day) / 24.0, per_day)


def car_load(
    kwh_per_day: float, charger_kw: float, in_window: np.ndarray, starts_here: np.ndarray, step_h: float
) -> np.ndarray:
    """A car charged from the start of each window until its energy is in or the window ends.

    Parameters
    ----------
    kwh_per_day : float
        Energy wanted in each window [kWh].
    charger_kw : float
        Charger [kW].
    in_window : ndarray of bool
        Steps in which charging is allowed.
    starts_here : ndarray of bool
        Steps at which a day's window opens and the car is there.
    step_h : float
        Step length [h].

    Returns
    -------
    ndarray
        Power of each step [kW].
    """
    begun, closed = _last_before(starts_here), _last_before(~in_window)
    steps = np.arange(in_window.size)
    # A window that runs over new year goes on in the year's first hours.
    on = (begun > closed) & ((begun >= 0) | (steps < round(24 / step_h)))
    had_kwh = (steps - begun) * charger_kw * step_h
    return np.where(on, np.clip((kwh_per_day - had_kwh) / step_h, 0.0, charger_kw), 0.0)


def _last_before(there: np.ndarray) -> np.ndarray:
    """The last step up to each at which something is there; below 0 in the year before, as far back as no year is."""
    size = there.size
    last = np.maximum.accumulate(np.where(there, np.arange(size), -3 * size))
    return np.where(last < 0, last[-1] - size, last)
