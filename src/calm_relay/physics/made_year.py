"""A reproducible weather year from twelve monthly figures, for a site without a weather file.

The sky's clearness (global horizontal over clear-sky irradiance) is drawn in three layers: the day, the hour and
the quarter hour. Their sum, a normal variate, is mapped to clearness by a curve with two heaps, overcast and clear,
as real skies have (Skartveit and Olseth 1992, Solar Energy 49(4)); the autoregressive draw of a normal variate
follows Aguiar and Collares-Pereira 1992, Solar Energy 49(3). Shares and curve are fitted to real years of hours, see
`tests/published/test_sun.py`.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from calm_relay.physics.kept import kept_in_common
from calm_relay.physics.sun import SunPath, WeatherYear, clear_sky_ghi, decompose

# Most that a month's sum may be of the clear sky's.
CLEAREST = 1.05

# Shares of the day and of the hour in the variance of the normal variate; the quarter hour has the rest.
_DAY_SHARE, _HOUR_SHARE = 0.55, 0.42
# What a day keeps of the day before, an hour of the hour before.
_DAY_MEMORY, _HOUR_MEMORY = 0.35, 0.45

# Clearness over the normal variate.
_VARIATE = (-3.5, -1.64, -0.9, -0.3, 0.0, 0.35, 1.2, 2.0, 4.0)
_CLEARNESS = (0.12, 0.22, 0.28, 0.47, 1.03, 1.037, 1.065, 1.087, 1.127)

# Where air is warm, clouds gather after noon; where it is cold, the morning is duller: shift of the variate with the
# sun due west, for each 20 degC that the month's air is above the warmth at which both halves of a day are alike.
_AFTERNOON, _ALIKE = 0.30, 0.92
_WARMEST_FITTED = 25.5
# The sunniest months reach this share of their clear sky.
_SUNNIEST = 0.93


def made_year(
    monthly_ghi_kwh: tuple[float, ...] | np.ndarray,
    monthly_temp_c: tuple[float, ...] | np.ndarray,
    daily_range_c: tuple[float, ...] | np.ndarray,
    wind_mean: float,
    sun: SunPath,
    utc: np.ndarray,
    month: np.ndarray,
    step_h: float,
    seed: int,
) -> WeatherYear:
    """A year with seeded clear and dull days that keeps every month's horizontal total.

    Parameters
    ----------
    monthly_ghi_kwh : sequence of 12 float
        Mean daily global horizontal irradiation [kWh/m2/day].
    monthly_temp_c, daily_range_c : sequence of 12 float
        Mean air temperature and mean daily swing, lowest to highest [degC].
    wind_mean : float
        Yearly mean wind [m/s].
    sun : SunPath
        On the year's steps.
    utc : ndarray of datetime64
        Stamps of the steps; the first step is local midnight.
    month : ndarray of int
        Month of each step, 1 to 12.
    step_h : float
        Step length [h].
    seed : int
        The same seed gives the same year.

    Raises
    ------
    ValueError
        When a month asks for more than a clear sky gives at that latitude.
    """
    per_day = round(24 / step_h)
    days = month.size // per_day
    drawn = _drawn(seed, days, per_day, step_h)
    dullness = drawn.dullness
    warmth = np.clip(np.asarray(monthly_temp_c, dtype=float), -10.0, 30.0)[month - 1] / 20.0
    # Positive after noon on both halves of the globe.
    west = np.where(sun.cos_zenith > 0.0, np.sin(np.radians(sun.azimuth - 180.0)), 0.0)
    variate = drawn.variate - _AFTERNOON * west * (warmth - _ALIKE)
    clear = clear_sky_ghi(sun)
    # At a low sun the way through the air dims more than the clear-sky formula has it.
    low_sun = 1.0 - 0.65 * np.exp(-sun.cos_zenith / 0.357)
    ghi = np.empty_like(clear)
    for number in range(1, 13):
        here = month == number
        wanted = monthly_ghi_kwh[number - 1] * here.sum() / per_day / step_h * 1000.0
        # Warm air carries more water (Clausius and Clapeyron), and a clear sky is dimmer by it, as far as was fitted.
        damp = 1.067 - 0.0338 * np.exp(0.062 * min(monthly_temp_c[number - 1], _WARMEST_FITTED))
        ghi[here] = _keep_total(clear[here], low_sun[here], damp, variate[here], wanted, number)
    dni, dhi = decompose(ghi, sun, utc)
    day_of_year = np.arange(month.size) * step_h / 24.0
    hour = (np.arange(month.size) * step_h) % 24.0
    mean_c = _smooth_months(monthly_temp_c, day_of_year)
    swing_c = _smooth_months(daily_range_c, day_of_year) * np.repeat(1.0 + 0.3 * np.tanh(dullness), per_day)
    spells_c = np.repeat(2.0 * drawn.spells, per_day)
    temp_air = mean_c + spells_c - swing_c / 2 * np.cos((hour - 3.0) / 24.0 * 2 * np.pi)
    wind = wind_mean * np.exp(0.5 * np.repeat(drawn.winds, per_day) - 0.125)
    wind = wind * (1.0 - 0.35 * np.cos((hour - 2.0) / 24.0 * 2 * np.pi))
    return WeatherYear(ghi, dni, dhi, temp_air, wind)


@dataclass(frozen=True, eq=False)
class _Drawn:
    """What is drawn of a year, of unit variance: a variate a step; dullness, spells of warmth and winds a day."""

    variate: np.ndarray
    dullness: np.ndarray
    spells: np.ndarray
    winds: np.ndarray


@kept_in_common
def _drawn(seed: int, days: int, per_day: int, step_h: float) -> _Drawn:
    """The same for the same seed, whatever the place."""
    random = np.random.Generator(np.random.PCG64(seed))
    dullness = _autoregressive(random, days, _DAY_MEMORY)
    hours = _autoregressive(random, days * per_day, _HOUR_MEMORY**step_h)
    steps = random.standard_normal(days * per_day)
    variate = (
        np.sqrt(_DAY_SHARE) * np.repeat(dullness, per_day)
        + np.sqrt(_HOUR_SHARE) * hours
        + np.sqrt(1.0 - _DAY_SHARE - _HOUR_SHARE) * steps
    )
    spells = _autoregressive(random, days, 0.7)
    return _Drawn(variate, dullness, spells, _autoregressive(random, days, 0.4))


def _autoregressive(random: np.random.Generator, length: int, memory: float) -> np.ndarray:
    """Unit-variance series in which each value keeps a part of the one before."""
    shocks = random.standard_normal(length) * np.sqrt(1.0 - memory**2)
    series = np.empty(length)
    value = random.standard_normal()
    for i, shock in enumerate(shocks):
        value = memory * value + shock
        series[i] = value
    return series


def _keep_total(
    clear: np.ndarray, low_sun: np.ndarray, damp: float, variate: np.ndarray, wanted: float, month: int
) -> np.ndarray:
    """A month's irradiance with the wanted sum: its variate is moved until clear and dull hours give it."""
    if wanted > CLEAREST * clear.sum():
        raise ValueError(
            f"month {month} asks for {wanted / (CLEAREST * clear.sum()):.0%} of what a clear sky gives at this latitude"
        )
    sky = clear * low_sun
    if sky.sum() <= 0.0:
        return sky
    # A month sunnier than damp air allows has dry air.
    sky *= max(damp, wanted / sky.sum() / _SUNNIEST)
    grid, curve = _curve()
    lit = np.flatnonzero(sky > 0.0)
    # A table is looked up several times as fast in its own order.
    lit = lit[np.argsort(variate[lit])]
    light, place = sky[lit], variate[lit]

    def given(shift: float) -> np.ndarray:
        return np.asarray(light * np.interp(place + shift, grid, curve))

    ghi = given(_shifted(lambda shift: float(given(shift).sum()) - wanted))
    sky[lit] = ghi * (wanted / ghi.sum())
    return sky


def _shifted(beyond: Callable[[float], float], most: float = 4.0) -> float:
    """The shift of a variate at which what it gives beyond what is wanted is nothing; the nearest there is."""
    from scipy.optimize import brentq

    if beyond(-most) >= 0.0:
        return -most
    if beyond(most) <= 0.0:
        return most
    return float(brentq(beyond, -most, most, xtol=1e-12))


@lru_cache(maxsize=1)
def _curve() -> tuple[np.ndarray, np.ndarray]:
    """Clearness over the variate on a fine grid."""
    from scipy.interpolate import PchipInterpolator

    grid = np.linspace(-8.0, 8.0, 1601)
    return grid, PchipInterpolator(_VARIATE, _CLEARNESS)(np.clip(grid, _VARIATE[0], _VARIATE[-1]))


def _smooth_months(monthly: np.ndarray | tuple[float, ...], day_of_year: np.ndarray) -> np.ndarray:
    middles = (np.arange(12) + 0.5) * 365.0 / 12
    return np.interp(day_of_year, middles, monthly, period=365.0)
