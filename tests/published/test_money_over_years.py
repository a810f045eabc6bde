"""Money over the years against closed forms, numpy-financial and the published formula of storage cost.

Sources: the annuity formula; numpy-financial (npv, irr, pmt); Schmidt, Melchior, Hawkes and Staffell 2019, Joule 3(1),
equation 1, on a case worked by hand.
"""

import numpy as np
import numpy_financial as npf
import pytest
from hypothesis import given
from hypothesis import strategies as st

from calm_relay.physics.money import (
    internal_rate_of_return,
    levelised_storage,
    payback_years,
    present_value,
    yearly_payment,
)
from calm_relay.planning.site.fuels import FACTS

money = st.floats(1.0, 1e5)
rates = st.floats(0.001, 0.3)


@given(money, rates, st.integers(1, 40))
def test_a_loan_is_paid_back_to_nothing(principal, rate, years):
    """What is owed after each year is what was owed with its interest, less the payment; nothing at the end."""
    payment, owed = yearly_payment(principal, rate, years), principal
    for _ in range(years):
        owed = owed * (1.0 + rate) - payment
    assert owed == pytest.approx(0.0, abs=1e-6 * principal * (1.0 + rate) ** years)
    assert payment == pytest.approx(principal * rate / (1.0 - (1.0 + rate) ** -years))
    assert payment == pytest.approx(-npf.pmt(rate, years, principal))


def test_a_loan_without_interest_is_parted_evenly():
    assert yearly_payment(1200.0, 0.0, 12) == 100.0


@given(st.lists(st.floats(-1e4, 1e4), min_size=2, max_size=30), rates)
def test_present_value_is_numpy_financials(flows, rate):
    assert present_value(flows, rate) == pytest.approx(npf.npv(rate, flows), abs=1e-6)


@given(money, money, st.integers(2, 30))
def test_the_rate_of_return_makes_it_worth_nothing(outlay, saving, years):
    flows = [-outlay, *[saving] * years]
    rate = internal_rate_of_return(flows)
    if rate is not None:
        assert present_value(flows, rate) == pytest.approx(0.0, abs=1e-6 * max(outlay, saving))
        theirs = npf.irr(flows)
        if not np.isnan(theirs) and -0.9 < theirs < 9.0:
            assert rate == pytest.approx(theirs, abs=1e-6)


def test_payback_by_hand():
    """1,000 out, 300 a year: back in 3 1/3 years; at 10 % after 4.26 (272.7 + 247.9 + 225.4 + 204.9, then 49.0)."""
    flows = [-1000.0, 300.0, 300.0, 300.0, 300.0, 300.0]
    assert payback_years(flows) == pytest.approx(10.0 / 3.0)
    assert payback_years(flows, 0.10) == pytest.approx(4.0 + 49.04 / 186.28, abs=0.001)
    assert payback_years([-1000.0, 10.0]) is None
    assert payback_years([0.0, 10.0]) == 0.0


def test_storage_cost_on_a_case_worked_by_hand():
    """10 kWh at 5,000, 250 cycles of 9 kWh out a year, 2 years at 8 %; upkeep 100, charging 2,700 kWh at 0.10.

    Worth of a year's sums 1/1.08 + 1/1.08^2 = 1.783265. Cost 5000 + (100 + 270) * 1.783265 = 5659.81 less 500 / 1.1664
    that is left = 5231.14; energy 2250 * 1.783265 = 4012.35 kWh: 1.30376 a kWh.
    """
    worked = levelised_storage(
        5000.0, np.array([100.0, 100.0]), np.array([270.0, 270.0]), np.array([2250.0, 2250.0]), 0.08, -500.0
    )
    assert worked == pytest.approx(1.30376, abs=1e-4)
    assert levelised_storage(5000.0, np.zeros(2), np.zeros(2), np.zeros(2), 0.08) is None


def test_fuels_hold_the_heat_that_handbooks_state():
    """Lower heating values. ISO 17225-2:2021, class A1: pellets at least 4.6 kWh/kg as received.

    IPCC 2006 Guidelines, volume 2, table 1.2: motor gasoline 44.3, gas/diesel oil 43.0, liquefied gases 47.3 MJ/kg;
    densities 0.745, 0.84 and 0.51 to 0.54 kg/l of EN 228, EN 590 and EN 589 at 15 degC. All from memory.
    """
    assert 4.6 <= FACTS["wood pellets"].heat_kwh <= 5.3
    assert FACTS["petrol"].heat_kwh == pytest.approx(44.3 * 0.745 / 3.6, rel=0.04)
    assert FACTS["diesel"].heat_kwh == pytest.approx(43.0 * 0.84 / 3.6, rel=0.04)
    assert FACTS["heating oil"].heat_kwh == pytest.approx(43.0 * 0.845 / 3.6, rel=0.04)
    assert 46.0 * 0.50 / 3.6 <= FACTS["liquid gas"].heat_kwh <= 47.3 * 0.54 / 3.6
