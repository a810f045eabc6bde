"""Snow on the modules against the published monthly model.

Townsend and Powers 2011, Photovoltaics and snow: an update from two winters of measurements in the Sierra, 37th IEEE
PVSC: equations 1 to 3, with its constants 5.7e4 and 0.51 and snow that piles at 40 degrees.
"""

import math

import numpy as np
import pytest

from calm_relay.physics.snow import snow_shares

FALL = np.array([40.0, 35, 30, 10, 0, 0, 0, 0, 0, 2, 15, 35])
DAYS = np.array([6.0, 5, 5, 2, 0, 0, 0, 0, 0, 1, 3, 5])
AIR = np.array([-4.0, -2, 2, 7, 12, 15, 17, 16, 12, 7, 1, -3])
LIGHT = np.array([70.0, 90, 120, 130, 140, 145, 150, 145, 125, 100, 65, 55])
ROOF = {"slant_m": 3.4, "lower_edge_m": 2.0, "humidity": 0.8}


def shares(tilt, **changes):
    return snow_shares(FALL, DAYS, tilt, AIR, LIGHT, **{**ROOF, **changes})


def test_a_month_equals_the_published_equations_by_hand():
    """January at 35 degrees: inches, kelvin and kWh/m2, weighted by a third with December."""

    def effective(fall_cm, days):
        return 0.5 * fall_cm / 2.54 * (1 + 1 / days)

    snow_in = effective(35, 5) / 3 + effective(40, 6) * 2 / 3
    slant_in, edge_in = 3.4 * 39.37, 2.0 * 39.37
    tilt = math.radians(35)
    gamma = slant_in * snow_in * math.cos(tilt) / (edge_in**2 - snow_in**2) * 2 * math.tan(math.radians(40))
    interference = 1 - 0.51 * math.exp(-gamma)
    wanted = 5.7e4 * snow_in * math.cos(tilt) ** 2 * interference * 0.8 / (273.15 - 4) ** 2 / 70.0**0.67
    assert shares(35.0)[0] == pytest.approx(wanted, rel=1e-9)
    assert 0.05 < wanted < 0.35


def test_steep_modules_shed_it_and_a_wall_holds_none():
    """Common practice, no source: huts and mountain lodges hang modules on the wall for this."""
    flat, roof, steep, wall = (shares(tilt)[0] for tilt in (10.0, 35.0, 60.0, 90.0))
    assert flat > roof > steep > wall == pytest.approx(0.0, abs=1e-12)


def test_snow_that_cannot_slide_away_lies_longer():
    assert shares(35.0, lower_edge_m=0.5)[0] > shares(35.0, lower_edge_m=5.0)[0]


def test_a_month_without_light_or_snow_loses_nothing():
    dark = LIGHT.copy()
    dark[0] = 0.0
    lost = snow_shares(FALL, DAYS, 35.0, AIR, dark, **ROOF)
    assert lost[0] == 0.0
    assert (lost[5:9] == 0.0).all()
    assert (lost >= 0.0).all() and (lost <= 1.0).all()
