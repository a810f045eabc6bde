"""Tariffs with seasons, tiers, power charges and credit in a plan."""

import numpy as np
import pytest
from pydantic import ValidationError

from calm_relay.job.tariff import DemandCharge, RateWindow, Tariff, Tier
from calm_relay.planning.operation.controls import usual_charge, usual_service
from calm_relay.planning.operation.simulate import bill_months, bill_of
from calm_relay.planning.site.prices import price_series
from calm_relay.planning.studies.foresight import foresight_gap_of
from tests.plans import plan


def test_a_window_of_a_season_holds_in_its_months_alone(demo_plan):
    calendar = demo_plan.site.calendar
    window = RateWindow(name="Winter peak", price=0.9, start="17:00", end="21:00", months=(11, 12, 1, 2))
    series = price_series(Tariff(price=0.2, windows=(window,)), calendar)
    dear = series == 0.9
    assert set(np.unique(calendar.month[dear])) == {1, 2, 11, 12}
    assert window.summary == "17:00 to 21:00, Nov to Feb"
    assert RateWindow(name="x", price=1, start="01:00", end="02:00", months=(4, 6)).summary.endswith("Apr, Jun")


@pytest.mark.parametrize(
    "change",
    [
        {"tiers": (Tier(above_kwh=200, surcharge=0.2),)},
        {"demand_charge": DemandCharge(price_per_kw=14.0)},
        {
            "demand_charge": DemandCharge(
                price_per_kw=14.0, minutes=60, start="17:00", end="21:00", days="weekdays"
            )
        },
        {"minimum_per_month": 400.0},
        {"tax": 0.2},
        {"credit": "kWh", "carried": "year"},
        {"credit": "money", "rest_paid": 1.0},
    ],
)
def test_every_option_is_billed_by_it_and_the_books_agree(demo, change):
    job = demo.with_(tariff=demo.tariff.with_(**change))
    made = plan(job)
    for option in made.live:
        year = option.outcome.year
        months = bill_months(year, job.tariff, made.site)
        assert option.outcome.money.bill == pytest.approx(sum(kind.sum() for kind in months.values()))
        assert option.outcome.money.bill == pytest.approx(bill_of(year, job, made.site))
    before = {option.key: option.outcome.money.bill for option in plan(demo).live}
    assert any(abs(option.outcome.money.bill - before[option.key]) > 1.0 for option in made.live)
    # The bound is one of linear prices.
    assert foresight_gap_of(made, made.option("ac-addon")) is None


def test_a_battery_lowers_the_power_that_is_charged(demo):
    tariff = demo.tariff.with_(demand_charge=DemandCharge(price_per_kw=20.0))
    job = demo.with_(tariff=tariff, control=demo.control.with_(shave_above_kw=5.0))
    made = plan(job)
    today, then = (bill_months(made.option(key).outcome.year, tariff, made.site) for key in ("as-is", "ac-addon"))
    assert then["demand"].sum() < today["demand"].sum()


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"tiers": ({"above_kwh": 300, "surcharge": 0.1}, {"above_kwh": 200, "surcharge": 0.1})}, "rising kWh"),
        ({"windows": ({"name": "x", "price": 1, "start": "23:00", "end": "23:00"},)}, "as its end"),
        ({"windows": ({"name": "x", "price": 1, "start": "23:00", "end": "01:00", "months": (13,)},)}, "12"),
        ({"demand_charge": {"price_per_kw": -1}}, "greater than or equal to 0"),
    ],
)
def test_tariffs_that_make_no_sense_are_refused(fields, words):
    with pytest.raises(ValidationError, match=words):
        Tariff(price=0.3, **fields)


def test_what_windows_a_control_begins_with():
    flat = Tariff(price=0.3)
    assert (usual_charge(flat).summary, usual_service(flat).summary) == ("01:00 to 05:00", "17:00 to 21:00")
    peak = {"name": "Peak", "price": 0.5, "start": "16:30", "end": "19:30"}
    early = peak | {"start": "06:00", "end": "09:00"}
    night = {"name": "Night", "price": 0.1, "start": "23:30", "end": "05:30"}
    banded = flat.with_(windows=(peak, early, night))
    assert (usual_charge(banded).summary, usual_service(banded).summary) == ("23:30 to 05:30", "16:30 to 19:30")
    assert usual_charge(flat.with_(windows=(peak,))).summary == "01:00 to 05:00"
