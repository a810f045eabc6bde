"""When a battery is charged by prices: in the cheapest hours, as far as dear hours want it, and never for nothing."""

import numpy as np
import pytest

from calm_relay.physics.price_schedule import mean_days, price_schedule

HOUR = np.arange(8760) % 24
# Cheap from 1 to 5 h, dear from 17 to 21 h.
PRICE = np.where((HOUR >= 1) & (HOUR < 5), 0.10, np.where((HOUR >= 17) & (HOUR < 21), 0.40, 0.25))
HOME = np.full((365, 24), 1.0)
DARK = np.zeros((365, 24))
SUNNY = np.zeros((365, 24))
SUNNY[:, 10:15] = 4.0


def schedule(price=PRICE, home=HOME, made=DARK, **changes):
    given = {
        "hours": 4, "least": 0.02, "efficiency": 0.81, "usable_kwh": 10.0, "reserve": 0.2, "most": 1.0,
        "open_days": np.ones(365, dtype=bool),
    }  # fmt: skip
    found = price_schedule(np.repeat(price, 4), home, made, **{**given, **changes})
    return found.charge_to.reshape(365, 24, 4)[:, :, 0], found.serves.reshape(365, 24, 4)[:, :, 0]


def test_it_is_charged_in_the_cheapest_hours_for_what_the_dear_ones_want():
    charge_to, serves = schedule()
    assert ((charge_to > 0) == (HOUR.reshape(365, 24) < 5) & (HOUR.reshape(365, 24) >= 1)).all()
    # All hours but the four cheap ones are dear enough, 20 kWh: it is filled.
    assert charge_to[0, 2] == 1.0 and serves[0, 6] and not serves[0, 2]
    # With a larger gain wanted the four dear hours alone are: 4 kWh, and what is lost on the way out.
    charge_to, serves = schedule(least=0.2)
    assert charge_to[0, 2] == pytest.approx(0.2 + 4.0 / 0.9 / 10.0) and serves[0].sum() == 4


def test_what_the_array_is_expected_to_bring_is_not_bought():
    charge_to, serves = schedule(made=SUNNY, least=0.2)
    assert (charge_to == 0).all() and serves.all()


def test_a_flat_tariff_and_a_gain_that_no_hour_has_charge_nothing():
    for found in (schedule(price=np.full(8760, 0.25)), schedule(least=1.0)):
        assert (found[0] == 0).all() and found[1].all()


def test_its_days_its_level_and_prices_below_nothing():
    some = np.arange(365) < 31
    charge_to, serves = schedule(open_days=some, most=0.6)
    assert charge_to[:31].max() == 0.6 and (charge_to[31:] == 0).all() and serves[31:].all()
    negative = np.where(PRICE < 0.2, -0.05, 0.01)
    assert schedule(price=negative)[0].max() == 1.0


def test_mean_days_are_those_of_their_month():
    month = np.repeat(np.repeat(np.arange(1, 13), (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)), 96)
    kw = np.where(month == 3, 2.0, 1.0) * (1.0 + np.repeat(HOUR == 8, 4))
    found = mean_days(kw, month)
    assert found.shape == (365, 24) and found[0, 8] == 2.0 and found[70, 8] == 4.0 and found[70, 7] == 2.0
    bright = np.repeat(np.arange(365) % 2, 96) * kw
    assert mean_days(bright, month, brighter_half=True)[70, 7] == pytest.approx(2.0, rel=0.1)
    assert mean_days(bright, month)[70, 7] == pytest.approx(1.0, rel=0.1)
