"""Weighted efficiencies, the cold table, and money against outside figures."""

import numpy as np
import numpy_financial as npf
import pandas as pd
import pytest

from calm_relay.exchange.shipped import catalogue
from calm_relay.physics.conversion import LossCurve
from calm_relay.physics.money import payback_years, present_value, yearly_bill
from calm_relay.physics.strings import cold_open_circuit_v, cold_table_factor
from calm_relay.planning.site.prices import price_series

# Weights from memory of EN 50530 and of the Sandia test protocol of 2004.
WEIGHTS = {
    "european": {5: 3, 10: 6, 20: 13, 30: 10, 50: 48, 100: 20},
    "cec": {10: 4, 20: 5, 30: 12, 50: 21, 75: 53, 100: 5},
}


@pytest.mark.parametrize("weighting", WEIGHTS)
def test_weighted_efficiency_by_hand(weighting):
    """EN 50530 annex D and the CEC protocol: per cent of weight at per cent of load, summed by hand."""
    curve = LossCurve(0.007, 0.01, 0.02)
    by_hand = 0.0
    for load, weight in WEIGHTS[weighting].items():
        ac_w = 5000 * load / 100
        loss_w = 0.007 * 5000 + 0.01 * ac_w + 0.02 * ac_w**2 / 5000
        by_hand += weight / 100 * ac_w / (ac_w + loss_w)
    assert sum(WEIGHTS[weighting].values()) == 100
    assert curve.weighted_efficiency(weighting) == pytest.approx(by_hand, rel=1e-12)


# NEC table 690.7(A), crystalline silicon, ambient degC and factor (values from memory).
NEC_690_7 = [(22, 1.02), (12, 1.06), (2, 1.10), (-3, 1.12), (-8, 1.14), (-18, 1.18), (-28, 1.21), (-38, 1.25)]


@pytest.mark.parametrize(("ambient_c", "factor"), NEC_690_7)
def test_cold_table(ambient_c, factor):
    assert cold_table_factor(ambient_c) == factor
    # The coefficient of today's silicon, about -0.27 %/K (common practice, no source), stays under the table.
    assert cold_open_circuit_v(1.0, -0.0027, 1, ambient_c) <= factor


@pytest.mark.parametrize("rate", [0.0001, 0.04, 0.09])
def test_present_value_against_numpy_financial(rate):
    savings = [420 * 1.02**year for year in range(15)]
    assert present_value([-5000, *savings], rate) == pytest.approx(npf.npv(rate, [-5000, *savings]))


def test_present_value_is_zero_at_the_internal_rate_of_return():
    rate = npf.irr([-5000, *([640] * 15)])
    assert present_value([-5000, *([640] * 15)], rate) == pytest.approx(0.0, abs=1e-6)


def paid_back(outlay, saving):
    """Years by numpy-financial; at a rate of exactly 0 its answer has the wrong sign, so next to 0."""
    return float(npf.nper(1e-9, saving, -outlay))


def test_payback_against_numpy_financial():
    assert payback_years([-5000, *([640] * 15)]) == pytest.approx(paid_back(5000, 640), rel=1e-6)


def test_plan_money_against_numpy_financial(demo, demo_plan):
    costs = demo.costs
    for option in demo_plan.live[1:]:
        money = option.outcome.money
        savings = [money.saving * (1 + costs.price_rise) ** year for year in range(costs.horizon_years)]
        new = npf.npv(costs.discount_rate, [-money.outlay, *savings])
        # Lithium keeps 70 % and more over a job's years, a lead-acid bank far less: common practice, no source.
        least = 0.7 if option.design.battery_converter.bank.pack.chemistry == "LFP" else 0.3
        worn = npf.npv(costs.discount_rate, [-money.outlay, *(least * saving for saving in savings)])
        assert worn < money.npv < new
        simple = paid_back(money.outlay, money.saving)
        raised = (1 + costs.price_rise) ** costs.horizon_years
        assert simple / raised < money.payback_years
        assert least < 0.5 or money.payback_years < simple / least


def test_bill_against_pandas_on_the_local_clock(demo, demo_plan):
    """The same year billed with pandas' own time zones, rate by rate."""
    calendar, tariff = demo_plan.site.calendar, demo.tariff
    year = demo_plan.option("ac-addon").outcome.year
    local = pd.DatetimeIndex(calendar.utc, tz="UTC").tz_convert("Pacific/Auckland")
    frame = pd.DataFrame({"import": year.at_bus("import") / 4, "export": year.at_bus("export") / 4}, index=local)
    night = frame.between_time("23:00", "07:00", inclusive="left")
    peaks = [frame.between_time(*hours, inclusive="left") for hours in (("07:00", "11:00"), ("17:00", "21:00"))]
    peak = pd.concat(peaks)
    peak = peak[peak.index.day_of_week < 5]
    rest = frame["import"].sum() - night["import"].sum() - peak["import"].sum()
    billed = night["import"].sum() * 0.17 + peak["import"].sum() * 0.46 + rest * 0.33
    billed += 365 * 1.5 - frame["export"].sum() * 0.08
    assert demo_plan.option("ac-addon").outcome.money.bill == pytest.approx(billed, rel=1e-9)
    price = price_series(tariff, calendar)
    assert yearly_bill(year.at_bus("import"), year.at_bus("export"), price, 0.08, 1.5, 0.25) == pytest.approx(
        billed
    )


def test_catalogue_modules_obey_their_own_datasheets():
    """Vmp x Imp is the rated power within 1 % (IEC 61215 rating; common practice, no source for the tolerance)."""
    for module in catalogue().modules:
        assert np.isclose(module.max_power_v * module.max_power_a, module.power_w, rtol=0.01)
