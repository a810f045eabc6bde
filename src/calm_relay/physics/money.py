"""Bills by interval, and what a sum spent today is worth against savings later."""

import numpy as np


def yearly_bill(import_kw, export_kw, price, feed_in, standing_per_day, step_h):
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
    # Not `np.dot`: its threads would wait for the kernel's.
    imported = float(np.einsum("t,t->", import_kw, np.broadcast_to(price, import_kw.shape))) * step_h
    exported = float(np.einsum("t,t->", export_kw, np.broadcast_to(feed_in, export_kw.shape))) * step_h
    return imported - exported + standing_per_day * days


def simple_payback_years(outlay, saving_per_year):
    """Years until undiscounted savings equal the outlay; infinite when nothing is saved, 0 without outlay."""
    if outlay <= 0:
        return 0.0
    return outlay / saving_per_year if saving_per_year > 0 else float("inf")


def net_present_value(outlay, saving_per_year, years, discount_rate, price_rise=0.0):
    """Worth today of savings at the end of each year, less the outlay.

    Parameters
    ----------
    outlay : float
        Spent today.
    saving_per_year : float
        In the first year's prices.
    years : int
    discount_rate, price_rise : float
        Yearly fractions; the saving of the first year is not yet raised.
    """
    year = np.arange(1, years + 1)
    savings = saving_per_year * (1 + price_rise) ** (year - 1)
    return float((savings / (1 + discount_rate) ** year).sum() - outlay)


def present_value(flows, discount_rate):
    """Worth today of yearly sums, the first of them today; those of later years at each year's end."""
    flows = np.asarray(flows, dtype=float)
    return float((flows / (1.0 + discount_rate) ** np.arange(flows.size)).sum())


def internal_rate_of_return(flows):
    """Discount rate at which yearly sums are worth nothing today; None when they never change sign or have none.

    Found by bisection between -0.99 and 10 a year.
    """
    flows = np.asarray(flows, dtype=float)
    if not (flows.min() < 0.0 < flows.max()):
        return None
    low, high = -0.99, 10.0
    at_low, at_high = present_value(flows, low), present_value(flows, high)
    if at_low * at_high > 0:
        return None
    for _ in range(200):
        middle = (low + high) / 2.0
        at_middle = present_value(flows, middle)
        if at_middle * at_low > 0:
            low, at_low = middle, at_middle
        else:
            high = middle
    return float((low + high) / 2.0)
