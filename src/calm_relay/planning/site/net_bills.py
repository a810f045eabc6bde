"""Bills of what came from the grid beside an array, turned into what the house used."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from calm_relay.job.demand import ShapedDemand
from calm_relay.job.survey import Bill
from calm_relay.physics.net_use import Exchange, Window, scales_behind

# A year's figure is a bill over the year.
YEAR = ("2025-01-01", "2025-12-31")
# What a year's figure or a bill may be.
LEAST_KWH, MOST_KWH = 1e-3, 1e6


@dataclass(frozen=True, eq=False)
class BehindMeter:
    """What a house's figures come to behind its array.

    Attributes
    ----------
    used : ShapedDemand
        The same demand with what the house used in place of what was counted.
    bills : int
        How many bills there are; 0 for a year's figure.
    balanced : int
        How many windows were found by what came in less what went out.
    counted_kwh, sent_kwh : float
        What came in and what went out by the bills; of export those that state it.
    house_kwh : float
        What the house used in the same days, with the loads that are there.
    run_in_kwh : float
        What the plant that stands there takes from the grid beside that house in those days.
    made : (float, float), or None
        What the array made by its inverter, and as it is modelled, in the days of which it is known.
    at_rest : int
        In how many windows even a house at rest would exchange more than was counted.
    """

    used: ShapedDemand
    bills: int
    balanced: int
    counted_kwh: float
    sent_kwh: float
    house_kwh: float
    run_in_kwh: float
    made: tuple[float, float] | None
    at_rest: int


def days_of(bill: Bill) -> np.ndarray:
    """Days of the year that a bill covers, 0 to 364."""
    first, last = date.fromisoformat(bill.first), date.fromisoformat(bill.last)
    return (min(first.timetuple().tm_yday, 365) - 1 + np.arange((last - first).days + 1)) % 365


def behind_meter(
    demand: ShapedDemand,
    shape_kw: np.ndarray,
    beside_kwh: np.ndarray,
    step_h: float,
    made_kw: np.ndarray,
    exchange: Exchange,
) -> BehindMeter:
    """The house behind its array.

    Parameters
    ----------
    demand : ShapedDemand
        With a figure or bills that count what came from the grid.
    shape_kw : ndarray, shape (steps,)
        Its house before it is scaled [kW].
    beside_kwh : ndarray, shape (365,)
        What the loads that are there use on each day [kWh].
    step_h : float
        Step length [h].
    made_kw : ndarray, shape (steps,)
        AC power of the array that stands there, as modelled [kW].
    exchange : callable
        Import and export [kW] of the plant that stands there beside a house and the loads that are there.
    """
    bills = in_order(demand.bills) or (Bill(first=YEAR[0], last=YEAR[1], kwh=demand.yearly_kwh),)
    made_by_day = made_kw.reshape(365, -1).sum(axis=1) * step_h
    modelled = [float(made_by_day[days_of(bill)].sum()) for bill in bills]
    windows = [_window(bill, made) for bill, made in zip(bills, modelled, strict=True)]
    found = scales_behind(shape_kw, step_h, windows, exchange)
    daily = shape_kw.reshape(365, -1).sum(axis=1) * step_h
    used = [float(scale * daily[window.days].sum()) for scale, window in zip(found.scales, windows, strict=True)]
    beside = [float(beside_kwh[window.days].sum()) for window in windows]
    known = [
        (bill.made_kwh, made) for bill, made in zip(bills, modelled, strict=True) if bill.made_kwh is not None
    ]
    return BehindMeter(
        used=_gross(demand, bills, used, beside),
        bills=len(demand.bills),
        balanced=sum(window.balance for window in windows),
        counted_kwh=sum(bill.kwh for bill in bills),
        sent_kwh=sum(bill.sent_kwh or 0.0 for bill in bills),
        house_kwh=sum(used) + sum(beside),
        run_in_kwh=float(found.in_kwh.sum()),
        made=(sum(stated for stated, _ in known), sum(made for _, made in known)) if known else None,
        at_rest=int(sum(found.scales <= 0.0)),
    )


def in_order(bills: Sequence[Bill]) -> tuple[Bill, ...]:
    """Bills by their first days."""
    return tuple(sorted(bills, key=lambda bill: bill.first))


def _window(bill: Bill, modelled_kwh: float) -> Window:
    if bill.sent_kwh is None:
        return Window(days_of(bill), bill.kwh)
    # Where the array made less than its model does, so much more of the model's would have gone out.
    off = 0.0 if bill.made_kwh is None else modelled_kwh - bill.made_kwh
    return Window(days_of(bill), bill.kwh - bill.sent_kwh - off, balance=True)


def _gross(
    demand: ShapedDemand, bills: Sequence[Bill], used: Sequence[float], beside: Sequence[float]
) -> ShapedDemand:
    """The demand with figures of what was used: a bill's with the loads that are there, a year's without them."""
    if not demand.bills:
        return demand.with_(counts="gross", yearly_kwh=min(max(used[0], LEAST_KWH), MOST_KWH))
    return demand.with_(
        counts="gross",
        bills=tuple(
            Bill(first=bill.first, last=bill.last, kwh=min(kwh + others, MOST_KWH))
            for bill, kwh, others in zip(bills, used, beside, strict=True)
        ),
    )
