"""A reproducible weather year from twelve monthly figures, for a site without a weather file."""

import numpy as np

from calm_relay.physics.sun import SunPath, WeatherYear, clear_sky_ghi, decompose

CLEAREST = 1.05


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
    random = np.random.Generator(np.random.PCG64(seed))
    dullness = _autoregressive(random, days, 0.35)
    clear = clear_sky_ghi(sun)
    flicker = _autoregressive(random, month.size, 0.9)
    clearness = 0.62 + 0.27 * np.repeat(dullness, per_day) + 0.10 * flicker
    ghi = np.empty_like(clear)
    for number in range(1, 13):
        here = month == number
        wanted = monthly_ghi_kwh[number - 1] * here.sum() / per_day
        ghi[here] = _keep_total(clear[here], clearness[here], wanted / step_h * 1000.0, number)
    dni, dhi = decompose(ghi, sun, utc)
    day_of_year = np.arange(month.size) * step_h / 24.0
    hour = (np.arange(month.size) * step_h) % 24.0
    mean_c = _smooth_months(monthly_temp_c, day_of_year)
    swing_c = _smooth_months(daily_range_c, day_of_year) * np.repeat(1.0 + 0.3 * np.tanh(dullness), per_day)
    spells_c = np.repeat(2.0 * _autoregressive(random, days, 0.7), per_day)
    temp_air = mean_c + spells_c - swing_c / 2 * np.cos((hour - 3.0) / 24.0 * 2 * np.pi)
    wind = wind_mean * np.exp(0.5 * np.repeat(_autoregressive(random, days, 0.4), per_day) - 0.125)
    wind = wind * (1.0 - 0.35 * np.cos((hour - 2.0) / 24.0 * 2 * np.pi))
    return WeatherYear(ghi, dni, dhi, temp_air, wind)


def _autoregressive(random: np.random.Generator, length: int, memory: float) -> np.ndarray:
    """Unit-variance series in which each value keeps a part of the one before."""
    shocks = random.standard_normal(length) * np.sqrt(1.0 - memory**2)
    series = np.empty(length)
    value = random.standard_normal()
    for i, shock in enumerate(shocks):
        value = memory * value + shock
        series[i] = value
    return series


def _keep_total(clear: np.ndarray, clearness: np.ndarray, wanted: float, month: int) -> np.ndarray:
    ceiling = clear * CLEAREST
    if wanted > ceiling.sum():
        raise ValueError(
            f"month {month} asks for {wanted / ceiling.sum():.0%} of what a clear sky gives at this latitude"
        )
    # Clear days are taken or given until the month's sum is right; each step stays within what a sky can do.
    low, high = -3.0, 3.0
    for _ in range(60):
        shift = (low + high) / 2
        ghi = clear * np.clip(clearness + shift, 0.08, CLEAREST)
        if ghi.sum() < wanted:
            low = shift
        else:
            high = shift
    total = ghi.sum()
    return ghi * (wanted / total) if total > 0 else ghi


def _smooth_months(monthly: np.ndarray | tuple[float, ...], day_of_year: np.ndarray) -> np.ndarray:
    middles = (np.arange(12) + 0.5) * 365.0 / 12
    return np.interp(day_of_year, middles, monthly, period=365.0)
