"""The year by months, and the home's typical days by season."""

from dataclasses import dataclass

import numpy as np

from calm_relay.planning.demand import SEASONS
from calm_relay.planning.plan import Plan


@dataclass(frozen=True, eq=False)
class SkyMonths:
    """Each month's mean horizontal irradiation [kWh/m2/day] and its lowest, mean and highest air [degC]."""

    ghi_kwh_per_day: np.ndarray
    lowest_c: np.ndarray
    mean_c: np.ndarray
    highest_c: np.ndarray


def sky_months(plan: Plan) -> SkyMonths:
    """The weather year by months of standard time."""
    calendar, weather = plan.site.calendar, plan.site.weather
    here = [calendar.month == month for month in range(1, 13)]
    air = weather.temp_air
    return SkyMonths(
        np.array([weather.ghi[cut].mean() * 24 / 1000 for cut in here]),
        np.array([air[cut].min() for cut in here]),
        np.array([air[cut].mean() for cut in here]),
        np.array([air[cut].max() for cut in here]),
    )


def typical_days(plan: Plan) -> dict[str, np.ndarray]:
    """Mean demand of each local clock hour by season [kW], 24 values each."""
    calendar, kw = plan.site.calendar, plan.demand.kw
    turn = 0 if plan.job.site.latitude < 0 else 6
    hour = calendar.wall_minute // 60
    days = {}
    for name, months in SEASONS.items():
        cut = np.isin((calendar.month - 1 + turn) % 12 + 1, months)
        days[name] = np.bincount(hour[cut], weights=kw[cut], minlength=24) / np.bincount(hour[cut], minlength=24)
    return days
