"""Bills by interval, and what a sum spent today is worth against savings later."""

import numpy as np
from numpy_financial import npv

from calm_relay.physics.plant.readings import dot


def yearly_bill(
    import_kw: np.ndarray,
    export_kw: np.ndarray,
    price: np.ndarray,
    feed_in: float | np.ndarray,
    standing_per_day: float,
    step_h: float,
) -> float:
    """Bill of one year.

    Parameters
    ----------
    import_kw, export_kw : ndarray
        Mean power of each step [kW].
    price : ndarray or float
        Price of imported energy in each step [currency/kWh].
    feed_in : ndarray or float
        Paid for exported energy in each step [currency/kWh].
    standing_per_day : float
        [currency/day].
    step_h : float
        Step length [h].

    Returns
    -------
    float
        [currency/year]; below 0 when the grid pays.
    """
    days = import_kw.size * step_h / 24.0
    prices, rates = (np.broadcast_to(np.asarray(each, dtype=float), import_kw.shape) for each in (price, feed_in))
    imported = dot(import_kw, prices) * step_h
    exported = dot(export_kw, rates) * step_h
    return imported - exported + standing_per_day * days


def simple_payback_years(outlay: float, saving_per_year: float) -> float:
    """Years until undiscounted savings equal the outlay; infinite when nothing is saved, 0 without outlay."""
    if outlay <= 0:
        return 0.0
    return outlay / saving_per_year if saving_per_year > 0 else float("inf")


def net_present_value(
    outlay: float,
    saving_per_year: float,
    years: int,
    discount_rate: float,
    price_rise: float = 0.0,
    left: np.ndarray | float = 1.0,
) -> float:
    """Worth today of savings at the end of each year, less the outlay.

    Parameters
    ----------
    outlay : float
        Spent today.
    saving_per_year : float
        In the first year's prices.
    years : int
        Years from new.
    discount_rate, price_rise : float
        Yearly fractions; the saving of the first year is not yet raised.
    left : ndarray, shape (years,), or float
        Share of the first year's saving that what ages still brings.

    Returns
    -------
    float
        [currency]
    """
    savings = saving_per_year * left * (1.0 + price_rise) ** np.arange(years)
    return present_value([-outlay, *savings], discount_rate)


def present_value(flows: list[float] | np.ndarray, discount_rate: float) -> float:
    """Worth today of yearly sums, the first of them today; those of later years at each year's end."""
    return float(npv(discount_rate, np.asarray(flows, dtype=float)))


def internal_rate_of_return(flows: list[float] | np.ndarray) -> float | None:
    """Discount rate at which yearly sums are worth nothing today.

    Parameters
    ----------
    flows : sequence of float
        The first of them today, later ones at each year's end.

    Returns
    -------
    float or None
        Between -0.99 and 10 a year; None when the sums never change sign, or their worth does not in between.
    """
    flows = np.asarray(flows, dtype=float)
    low, high = -0.99, 10.0
    if not (flows.min() < 0.0 < flows.max()) or present_value(flows, low) * present_value(flows, high) > 0.0:
        return None
    from scipy.optimize import brentq

    return float(brentq(lambda rate: present_value(flows, rate), low, high, xtol=1e-14))
