"""Bills by interval, and what a sum spent today is worth against savings later."""

from dataclasses import dataclass

import numpy as np
from numpy_financial import npv, pmt

from calm_relay.physics.plant.readings import priced


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
    paid, earned = priced(import_kw, prices, export_kw, rates)
    return paid * step_h - earned * step_h + standing_per_day * days


@dataclass(frozen=True)
class Terms:
    """What a tariff charges beside a price a kWh; see `bill_by_month`.

    `tiers` are (kWh of a month, surcharge a kWh above, whether a month that passes them pays it for every kWh), rising;
    `counted` marks the steps in which power is counted,
    and `demand_steps` how many make one mean. `credit` is "paid", "kWh" or "money".
    """

    standing_per_day: float = 0.0
    tiers: tuple[tuple[float, float, bool], ...] = ()
    demand_price: float = 0.0
    demand_steps: int = 1
    counted: np.ndarray | None = None
    minimum: float = 0.0
    tax: float = 0.0
    credit: str = "paid"
    carried: str = "month"
    rest_paid: float = 0.0


def bill_by_month(
    import_kw: np.ndarray,
    export_kw: np.ndarray,
    price: np.ndarray,
    feed_in: np.ndarray,
    month: np.ndarray,
    step_h: float,
    terms: Terms,
) -> dict[str, np.ndarray]:
    """A year's bill by month and kind.

    Parameters
    ----------
    import_kw, export_kw : ndarray
        Mean power of each step [kW].
    price, feed_in : ndarray
        Of imported and of exported energy in each step [currency/kWh].
    month : ndarray of int
        Month of each step, 1 to 12.
    step_h : float
        Step length [h].
    terms : Terms
        What else the tariff charges.

    Returns
    -------
    dict of str to ndarray
        Twelve amounts each [currency], below 0 where the grid pays: "energy", "tiers", "demand", "standing", "tax",
        "export" (paid or credited), "minimum" (what is missing to it). Their sum is the bill.
    """
    at = month - 1

    def monthly(series: np.ndarray) -> np.ndarray:
        return np.bincount(at, weights=series, minlength=12) * step_h

    imported, exported = monthly(import_kw), monthly(export_kw)
    energy = monthly(import_kw * price)
    days = np.bincount(at, minlength=12) * step_h / 24.0
    paid, charged_kwh = np.zeros(12), imported
    if terms.credit == "kWh":
        charged_kwh, paid = _by_energy(imported, exported, energy, monthly(export_kw * feed_in), terms)
    elif terms.credit == "money":
        paid = _by_money(energy, monthly(export_kw * price), terms)
    else:
        paid = -monthly(export_kw * feed_in)
    tiers = np.zeros(12)
    for above, surcharge, whole_month in terms.tiers:
        beyond = np.maximum(charged_kwh - above, 0.0)
        tiers += surcharge * (np.where(beyond > 0.0, charged_kwh, 0.0) if whole_month else beyond)
    demand = terms.demand_price * _highest(import_kw, at, terms)
    standing = terms.standing_per_day * days
    tax = terms.tax * (energy + tiers + demand + standing + (paid if terms.credit != "paid" else 0.0))
    tax = np.maximum(tax, 0.0)
    whole = energy + tiers + demand + standing + tax + paid
    lacking = np.maximum(terms.minimum - whole, 0.0) if terms.minimum else np.zeros(12)
    return {
        "energy": energy,
        "tiers": tiers,
        "demand": demand,
        "standing": standing,
        "tax": tax,
        "export": paid,
        "minimum": lacking,
    }


def _highest(import_kw: np.ndarray, at: np.ndarray, terms: Terms) -> np.ndarray:
    """Highest mean power of each month's counted steps [kW]."""
    if not terms.demand_price:
        return np.zeros(12)
    counted = import_kw if terms.counted is None else np.where(terms.counted, import_kw, 0.0)
    means = counted.reshape(-1, terms.demand_steps).mean(axis=1)
    highest = np.zeros(12)
    np.maximum.at(highest, at[:: terms.demand_steps], means)
    return highest


def _by_energy(
    imported: np.ndarray, exported: np.ndarray, energy: np.ndarray, worth: np.ndarray, terms: Terms
) -> tuple[np.ndarray, np.ndarray]:
    """What is left to pay for [kWh], and what credit takes off: one kWh cancels another at the month's mean price."""
    left, paid, credit, value = imported.copy(), np.zeros(12), 0.0, 0.0
    for number in range(12):
        credit += exported[number]
        value += worth[number]
        used = min(credit, imported[number])
        if imported[number] > 0.0:
            paid[number] -= energy[number] * used / imported[number]
        left[number] -= used
        value *= 1.0 - used / credit if credit > 0.0 else 1.0
        credit -= used
        if terms.carried == "month" or number == 11:
            paid[number] -= value * terms.rest_paid
            credit = value = 0.0
    return left, paid


def _by_money(energy: np.ndarray, earned: np.ndarray, terms: Terms) -> np.ndarray:
    """What credit takes off: export earns the import price of its hour, against what energy costs."""
    paid, credit = np.zeros(12), 0.0
    for number in range(12):
        credit += earned[number]
        used = min(credit, energy[number])
        paid[number] -= used
        credit -= used
        if terms.carried == "month" or number == 11:
            paid[number] -= credit * terms.rest_paid
            credit = 0.0
    return paid


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


def yearly_payment(principal: float, rate: float, years: int) -> float:
    """What a loan of equal payments at each year's end costs a year.

    Parameters
    ----------
    principal : float
        Lent today [currency].
    rate : float
        Interest a year.
    years : int
        Payments.

    References
    ----------
    Annuity formula: principal * rate / (1 - (1 + rate)**-years).
    """
    return -float(pmt(rate, years, principal)) if rate > 0.0 else principal / years


def payback_years(flows: list[float] | np.ndarray, discount_rate: float = 0.0) -> float | None:
    """Years until what came in equals what went out, straight within a year; None when it does not in time.

    Parameters
    ----------
    flows : sequence of float
        The first of them today, later ones at each year's end.
    discount_rate : float
        0 for the simple payback.
    """
    worth = np.asarray(flows, dtype=float) / (1.0 + discount_rate) ** np.arange(len(flows))
    total = np.cumsum(worth)
    if total[0] >= 0.0:
        return 0.0
    home = np.flatnonzero(total >= 0.0)
    if not home.size:
        return None
    year = int(home[0])
    return year - float(total[year] / (total[year] - total[year - 1]))


def levelised_storage(
    outlay: float,
    upkeep: np.ndarray,
    charging: np.ndarray,
    given_kwh: np.ndarray,
    discount_rate: float,
    end_of_life: float = 0.0,
) -> float | None:
    """What a kWh out of a battery costs over its years [currency/kWh]; None where it gives nothing.

    Parameters
    ----------
    outlay : float
        Of the battery with its unit and work, today.
    upkeep, charging : ndarray, shape (years,)
        Of each year: upkeep with replacements, and what the energy that charged it would have earned or cost.
    given_kwh : ndarray, shape (years,)
        Out of the battery in each year.
    discount_rate : float
        A year.
    end_of_life : float
        Cost at the end of the last year; below 0 for what is then left in it.

    References
    ----------
    Schmidt, Melchior, Hawkes and Staffell 2019, Joule 3(1), equation 1.
    """
    years = np.arange(1, len(given_kwh) + 1)
    worth = (1.0 + discount_rate) ** -years
    given = float((np.asarray(given_kwh) * worth).sum())
    if given <= 0.0:
        return None
    spent = outlay + float(((np.asarray(upkeep) + np.asarray(charging)) * worth).sum()) + end_of_life * worth[-1]
    return float(spent / given)
