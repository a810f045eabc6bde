"""A tariff with a price for each hour: bills, the control that goes by it, the bound, and what is said of it."""

import numpy as np
import pytest

from calm_relay.job.control import PriceCharge
from calm_relay.job.tariff import HourlyPrices
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.settings_sheet import settings_of
from calm_relay.planning.site.money_turned import turned
from calm_relay.planning.site.prices import feed_in_series, price_series
from calm_relay.planning.studies.foresight import foresight_gap_of
from calm_relay.planning.studies.search import control_profiles_of
from calm_relay.planning.views.tables import assumptions_of
from tests.planning.test_new_job import begun
from tests.plans import plan


def made(seed=3):
    """Days of all levels, cheap by night and at noon in summer, dear in the evening [currency/kWh]."""
    random, hour, day = np.random.default_rng(seed), np.arange(8760) % 24, np.arange(8760) // 24
    level = np.repeat(0.09 + random.normal(0, 0.03, 365), 24)
    evening = 0.10 * np.exp(-(((hour - 19) / 2.2) ** 2)) - 0.05 * np.exp(-(((hour - 3) / 2.5) ** 2))
    noon = np.maximum(-np.cos((day + 10) / 365 * 2 * np.pi) + 0.6, 0) * 0.06 * np.exp(-(((hour - 13) / 2.5) ** 2))
    return HourlyPrices(origin="made.csv", prices=tuple(np.round(level + evening - noon, 5).tolist()))


@pytest.fixture(scope="module")
def job():
    bare = begun("hamburg", 0, 5000.0)
    tariff = bare.tariff.with_(price=0.15, windows=(), feed_in=-0.01, hourly=made())
    return bare.with_(tariff=tariff, costs=bare.costs)


def finding(made, check):
    return next((item for item in made.option("ac-addon").findings if item.check == check), None)


def test_each_hour_has_its_price_on_top_of_the_tariff_s(job):
    found = plan(job)
    calendar, hourly = found.site.calendar, job.tariff.hourly
    assert price_series(job.tariff, calendar) == pytest.approx(0.15 + np.repeat(np.array(hourly.prices), 4))
    half = job.tariff.with_(hourly=hourly.with_(export_share=0.5))
    assert feed_in_series(half, calendar) == pytest.approx(-0.01 + 0.5 * np.repeat(np.array(hourly.prices), 4))
    assert job.tariff.mean_price == pytest.approx(0.15 + hourly.mean)
    year = found.option("as-is").outcome.year
    paid = (year.at_bus("import") * price_series(job.tariff, calendar)).sum() * 0.25
    standing = 365 * job.tariff.standing_per_day
    assert found.option("as-is").outcome.money.bill == pytest.approx(paid + standing, rel=1e-6)


def test_a_battery_that_knows_the_prices_is_worth_more_and_never_beats_the_bound(job):
    alone = plan(job)
    told = plan(job.with_(control=job.control.with_(by_price=PriceCharge())))
    before, after = (made.option("ac-addon").outcome.money.bill for made in (alone, told))
    assert after < before - 20.0
    gap = foresight_gap_of(told, told.option("ac-addon"))
    assert gap.best_bill < after
    # Beside an array nothing that the sun brings is bought.
    sunny = begun("hamburg", 14, 5000.0).with_(tariff=job.tariff)
    self_use, priced = (
        plan(sunny.with_(control=sunny.control.with_(by_price=by_price))).option("ac-addon").outcome.money.bill
        for by_price in (None, PriceCharge())
    )
    assert priced < self_use


def test_its_limits_hold(job):
    by_price = PriceCharge(hours=2, target=0.6, limit_kw=1.0, months=(1, 2))
    year = plan(job.with_(control=job.control.with_(by_price=by_price))).option("ac-addon").outcome.year
    drawn = np.maximum(-year.of("ac", 1 if len(year.plant) > 1 else 0), 0.0)
    hours = drawn.reshape(365, 24, 4).mean(axis=2) > 0.05
    assert hours[:59].any() and not hours[62:].any() and (hours.sum(axis=1) <= 2).all()
    assert drawn.max() <= 1.0 + 1e-6


def test_what_is_said_and_offered(job):
    found = plan(job)
    said = finding(found, "charge by price")
    assert said.severity is Severity.CHECK and "has a spot price for each hour" in said.sentence
    mended = said.mends[0].apply(job)
    after = plan(mended)
    assert finding(after, "charge by price") is None and finding(after, "hourly prices") is None
    sheet = [item for item in settings_of(after.option("ac-addon")) if item.name == "Charge by price"]
    assert sheet and "3 cheapest hours of each day" in sheet[0].value
    assert any("3 cheapest hours" in str(cell) for row in assumptions_of(after) for cell in row)
    flat = mended.with_(tariff=mended.tariff.with_(hourly=None))
    said = finding(plan(flat), "charge by price")
    assert "one price for all hours" in said.sentence
    assert said.mends[0].apply(flat).control.by_price is None
    short = job.with_(tariff=job.tariff.with_(hourly=job.tariff.hourly.with_(days=120)))
    assert "holds prices of 120 days" in finding(plan(short), "hourly prices").sentence


def test_the_search_tries_it_and_another_currency_turns_it(job):
    assert any(profile.control.by_price is not None for profile in control_profiles_of(job))
    assert not any(
        profile.control.by_price is not None
        for profile in control_profiles_of(job.with_(tariff=job.tariff.with_(hourly=None)))
    )
    assert turned(job, 10.0).tariff == job.tariff


def test_a_tariff_of_hours_is_checked():
    with pytest.raises(ValueError, match="at least 8760"):
        HourlyPrices(prices=(0.1,) * 24)
