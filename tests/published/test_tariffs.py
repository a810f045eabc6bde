"""Tiered, demand-charge and rolled-credit bills against hand arithmetic and an independent computation with pandas.

How such bills are reckoned is common practice, no source.
"""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.physics.money import Terms, bill_by_month, yearly_bill

STAMPS = pd.date_range("2026-01-01", periods=35040, freq="15min")
MONTH = STAMPS.month.to_numpy()
DAYS = np.array([31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
ZERO = np.zeros(35040)


def flat(price):
    return np.full(35040, price)


def bill(imported, exported, terms, price=0.30, feed_in=0.10):
    return bill_by_month(imported, exported, flat(price), flat(feed_in), MONTH, 0.25, terms)


def test_tiers_by_hand():
    """1 kW all year is 744 kWh in January: 300 at 30, 300 at 40 and 144 at 55 cents are 289.20."""
    found = bill(flat(1.0), ZERO, Terms(tiers=((300.0, 0.10, False), (600.0, 0.15, False))))
    assert found["energy"][0] == pytest.approx(744 * 0.30)
    assert found["energy"][0] + found["tiers"][0] == pytest.approx(300 * 0.30 + 300 * 0.40 + 144 * 0.55)


def test_a_month_past_an_edge_may_pay_it_for_every_kwh():
    """Slabs as some suppliers of South Asia and Egypt have them (common practice, no source): 744 kWh at 45 cents."""
    terms = Terms(tiers=((300.0, 0.05, False), (700.0, 0.15, True)))
    found = bill(flat(1.0), ZERO, terms)
    whole = found["energy"] + found["tiers"]
    assert whole[0] == pytest.approx(744 * 0.45 + 444 * 0.05)
    # February has 672 kWh, and stays below; a kWh less than the edge is worth more than a kWh.
    assert whole[1] == pytest.approx(672 * 0.30 + 372 * 0.05)
    saved = bill(flat(699.0 / 744.0), ZERO, terms)["tiers"][0]
    assert found["tiers"][0] - saved == pytest.approx(744 * 0.15 + 45 * 0.05)


def test_a_demand_charge_by_hand():
    """One half hour of 9 kW on 10 March, at 12 a kW: half hours count it whole, hours by half."""
    imported = flat(2.0).copy()
    at = 4 * 24 * (31 + 28 + 9) + 4 * 18
    imported[at : at + 2] = 9.0
    assert bill(imported, ZERO, Terms(demand_price=12.0, demand_steps=2))["demand"][2] == pytest.approx(108.0)
    assert bill(imported, ZERO, Terms(demand_price=12.0, demand_steps=4))["demand"][2] == pytest.approx(12 * 5.5)
    night = np.asarray(STAMPS.hour < 6)
    only_nights = bill(imported, ZERO, Terms(demand_price=12.0, counted=night))["demand"]
    assert only_nights == pytest.approx(np.full(12, 24.0))


def test_credit_in_kwh_rolls_on_to_the_next_month_and_is_settled_at_the_end():
    """100 kWh a month are imported; July exports 500: July to November are cancelled, no kWh is left over."""
    imported = np.repeat(100.0 / (DAYS * 24.0), DAYS * 96)
    exported = np.where(MONTH == 7, 500.0 / (31 * 24.0), 0.0)
    terms = Terms(credit="kWh", carried="year", rest_paid=1.0)
    found = bill(imported, exported, terms)
    net = found["energy"] + found["export"]
    assert net == pytest.approx([30.0] * 6 + [0.0] * 5 + [30.0])
    monthly = bill(imported, exported, Terms(credit="kWh", carried="month", rest_paid=0.5))
    # July cancels its own 100; the 400 left are worth 10 cents, half of it is paid.
    assert monthly["export"][6] == pytest.approx(-30.0 - 400 * 0.10 * 0.5)
    assert monthly["export"][7] == 0.0


def test_credit_in_money_tax_and_a_least_bill_by_hand():
    imported = np.repeat(100.0 / (DAYS * 24.0), DAYS * 96)
    exported = np.where(MONTH == 5, 150.0 / (31 * 24.0), 0.0)
    terms = Terms(credit="money", carried="year", tax=0.2, standing_per_day=0.5, minimum=12.0)
    found = bill(imported, exported, terms)
    # May earns 45: 30 cancel May, 15 go on to June; standing 15.50, a fifth of tax.
    assert found["export"][4:6] == pytest.approx([-30.0, -15.0])
    assert sum(kind[4] for kind in found.values()) == pytest.approx(15.5 * 1.2)
    assert sum(kind[5] for kind in found.values()) == pytest.approx((15.0 + 15.0) * 1.2)
    least = bill(flat(0.0), ZERO, Terms(minimum=12.0))
    assert sum(kind.sum() for kind in least.values()) == pytest.approx(144.0)


@settings(max_examples=25, deadline=None)
@given(
    st.integers(0, 10_000), st.floats(0.05, 0.6), st.floats(0.0, 0.3), st.floats(50, 600), st.floats(-0.1, 0.3),
    st.floats(0, 20), st.sampled_from([1, 2, 4]), st.floats(0, 0.25),
)  # fmt: skip
def test_the_same_bill_by_pandas(seed, price, feed_in, edge, surcharge, demand, steps, tax):
    random = np.random.default_rng(seed)
    imported, exported = random.gamma(1.0, 1.0, 35040), random.gamma(0.5, 1.0, 35040)
    prices = price * (1.0 + (np.asarray(STAMPS.hour) >= 17))
    terms = Terms(0.7, ((edge, surcharge, False),), demand, steps, None, 0.0, tax)
    found = bill_by_month(imported, exported, prices, flat(feed_in), MONTH, 0.25, terms)
    frame = pd.DataFrame({"in": imported, "out": exported, "cost": imported * prices * 0.25}, index=STAMPS)
    months = frame.groupby(frame.index.month)
    kwh = months["in"].sum() * 0.25
    peak = frame["in"].resample(f"{15 * steps}min").mean()
    peak = peak.groupby(peak.index.month).max()
    charged = months["cost"].sum() + (kwh - edge).clip(lower=0) * surcharge + peak * demand + 0.7 * DAYS
    whole = charged + (charged * tax).clip(lower=0) - months["out"].sum() * 0.25 * feed_in
    assert sum(found.values()) == pytest.approx(whole.to_numpy(), rel=1e-9, abs=1e-9)


def test_without_anything_beside_the_kwh_it_is_the_plain_bill():
    random = np.random.default_rng(4)
    imported, exported, prices = random.random(35040), random.random(35040), random.random(35040)
    found = bill_by_month(imported, exported, prices, flat(0.08), MONTH, 0.25, Terms(0.9))
    plain = yearly_bill(imported, exported, prices, 0.08, 0.9, 0.25)
    assert sum(kind.sum() for kind in found.values()) == pytest.approx(plain, rel=1e-12)
