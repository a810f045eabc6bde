"""Demand for a house without interval data: a household's hours scaled to its yearly figure."""

import numpy as np

# Relative draw at each local hour: night, breakfast, a quiet middle, the evening (common practice, no source).
# fmt: off
WEEKDAY = np.array([
    0.42, 0.38, 0.36, 0.35, 0.36, 0.46, 0.80, 1.30, 1.20, 0.85, 0.75, 0.75,
    0.80, 0.75, 0.72, 0.80, 1.05, 1.55, 2.05, 2.00, 1.70, 1.35, 0.95, 0.60,
])
WEEKEND = np.array([
    0.46, 0.40, 0.37, 0.36, 0.36, 0.42, 0.58, 0.95, 1.30, 1.35, 1.20, 1.15,
    1.20, 1.05, 0.98, 1.00, 1.15, 1.50, 1.90, 1.85, 1.60, 1.30, 0.98, 0.65,
])
# fmt: on

# A quarter of an hour's draw is steady, the rest comes in bouts: with these, 1 kWp and 1 kWh per MWh give the
# self-sufficiencies of Weniger, Tjaden and Quaschning 2014 within four points.
STEADY, BOUTS, HIGHEST_BOUT = 0.25, 0.7, 4.5


def household_year(yearly_kwh, winter_factor, latitude, wall_minute, wall_weekday, step_h, seed):
    """A year of household demand with seeded quarter-hour unrest.

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

    Returns
    -------
    ndarray
        Mean power of each step [kW].
    """
    hour = wall_minute / 60.0
    clock = np.arange(24) + 0.5
    weekend = wall_weekday >= 5
    shape = np.where(
        weekend, np.interp(hour, clock, WEEKEND, period=24.0), np.interp(hour, clock, WEEKDAY, period=24.0)
    )
    day = np.arange(hour.size) * step_h / 24.0
    midwinter = 15.0 if latitude >= 0 else 197.0
    season = np.maximum(1.0 + (winter_factor - 1.0) * np.cos((day - midwinter) / 365.0 * 2 * np.pi), 0.1)
    random = np.random.Generator(np.random.PCG64(seed))
    bouts = np.minimum(random.gamma(BOUTS, 1.0 / BOUTS, hour.size), HIGHEST_BOUT)
    unrest = STEADY + (1.0 - STEADY) * bouts
    busy = 1.0 + 0.15 * random.standard_normal(round(hour.size * step_h / 24.0))
    unrest = unrest * np.repeat(np.clip(busy, 0.4, 1.6), round(24.0 / step_h))
    kw = shape * season * unrest
    return kw * (yearly_kwh / (kw.sum() * step_h))


def scheduled_load(kw, weekdays, start_minute, hours, wall_minute, wall_weekday):
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

    Returns
    -------
    ndarray
        Power of each step [kW].
    """
    end_minute = start_minute + hours * 60.0
    today = np.isin(wall_weekday, list(weekdays)) & (wall_minute >= start_minute) & (wall_minute < end_minute)
    yesterday = np.isin((wall_weekday - 1) % 7, list(weekdays)) & (wall_minute < end_minute - 1440.0)
    return np.where(today | yesterday, float(kw), 0.0)
