"""A weather year by months."""

from dataclasses import dataclass

import numpy as np

from calm_relay.planning.site.site_year import SiteYear


@dataclass(frozen=True, eq=False)
class SiteMonths:
    """Each month's mean horizontal irradiation [kWh/m2/day] and its lowest, mean and highest air [degC].

    `daily_range_c` is the year's mean swing from night to day [K], `wind_mean` its mean wind [m/s].
    """

    ghi_kwh_per_day: np.ndarray
    lowest_c: np.ndarray
    mean_c: np.ndarray
    highest_c: np.ndarray
    daily_range_c: float
    wind_mean: float


def months_of(site: SiteYear) -> SiteMonths:
    """A site's weather year by months of standard time."""
    calendar, weather = site.calendar, site.weather
    here = [calendar.month == month for month in range(1, 13)]
    air = weather.temp_air
    return SiteMonths(
        np.array([weather.ghi[cut].mean() * 24 / 1000 for cut in here]),
        np.array([air[cut].min() for cut in here]),
        np.array([air[cut].mean() for cut in here]),
        np.array([air[cut].max() for cut in here]),
        float(np.ptp(air.reshape(365, -1), axis=1).mean()),
        float(weather.wind_speed.mean()),
    )
