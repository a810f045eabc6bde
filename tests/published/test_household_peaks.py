"""The highest half hour of made-up households against the formula that networks are laid out by.

Velander 1952: P = k1 E + k2 sqrt(E), with the constants that Swedish handbooks give for houses (k1 0.00033 and k2 0.05
without electric heating; 0.0003 and 0.025 with it; both from memory).
"""

import numpy as np
import pytest

from calm_relay.physics.calendar import year_calendar
from calm_relay.physics.demand_shape import shaped_year


@pytest.fixture(scope="module")
def calendar():
    return year_calendar(2026, "Europe/Stockholm")


def highest_half_hour(calendar, kwh, shape, winter):
    """Mean over four households [kW]."""
    found = []
    for seed in range(4):
        clock = calendar.wall_minute, calendar.wall_weekday, calendar.step_h
        kw = shaped_year(kwh, winter, 59.0, *clock, seed, shape)
        assert kw.sum() * calendar.step_h == pytest.approx(kwh)
        found.append(kw.reshape(-1, 2).mean(axis=1).max())
    return float(np.mean(found))


@pytest.mark.parametrize("kwh", [4_000.0, 7_000.0, 10_000.0, 14_000.0, 20_000.0, 30_000.0, 45_000.0])
def test_half_hours_rise_with_the_year_as_the_formula_says(calendar, kwh):
    wanted = 0.00033 * kwh + 0.05 * kwh**0.5
    assert highest_half_hour(calendar, kwh, "household", 1.25) == pytest.approx(wanted, rel=0.15)


def test_a_larger_house_has_flatter_half_hours_and_no_jump(calendar):
    """A kWh more a year changes no half hour by more than its share."""
    below, above = (highest_half_hour(calendar, kwh, "household", 1.25) for kwh in (7_000.0, 7_001.0))
    assert above == pytest.approx(below, rel=1e-3)
    assert highest_half_hour(calendar, 28_000.0, "household", 1.25) < 3.2 * below


@pytest.mark.parametrize("kwh", [9_000.0, 18_000.0, 30_000.0])
def test_heated_houses_are_above_the_formula_for_many_and_below_twice_it(calendar, kwh):
    """The constants with heating are of houses whose heating is held steady; a single one's is not."""
    wanted = 0.0003 * kwh + 0.025 * kwh**0.5
    peak = highest_half_hour(calendar, kwh, "all-electric", 1.6)
    assert wanted < peak < 2.0 * wanted
