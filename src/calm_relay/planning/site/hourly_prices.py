"""An exchange's prices laid on a site's year."""

import numpy as np

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.hourly_prices import PriceFile
from calm_relay.job.model import Site
from calm_relay.job.tariff import HOURS, HourlyPrices
from calm_relay.physics.calendar import year_calendar
from calm_relay.physics.demand_shape import midwinter_day
from calm_relay.physics.meter_year import days_of_intervals, lay_on_year


def laid_on_year(found: PriceFile, site: Site, origin: str, export_share: float = 1.0) -> HourlyPrices:
    """Prices of a file on the days of a site's year: the same weekdays, the nearest season.

    Parameters
    ----------
    found : PriceFile
        What was read.
    site : Site
        Its calendar year and clock.
    origin : str
        Where they are from, in words.
    export_share : float
        What share of them export earns.

    Raises
    ------
    InputError
        When no day is whole.
    """
    calendar = year_calendar(site.year, site.time_zone)
    first, table = days_of_intervals(found.starts, found.prices * found.minutes / 60.0, found.minutes, calendar)
    try:
        laid = lay_on_year(first, table, calendar, midwinter_day(site.latitude))
    except ValueError as error:
        raise InputError(origin, "", f"{error}; wanted at least one whole day") from None
    hours = laid.kw.reshape(HOURS, -1).mean(axis=1)
    return HourlyPrices(
        origin=origin[:300],
        days=laid.measured_days,
        prices=tuple(np.round(hours, 5).tolist()),
        export_share=export_share,
    )
