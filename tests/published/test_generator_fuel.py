"""Fuel at part load: Skarstein and Uhlen, Wind Engineering 13 (1989), 0.246 l a kWh, 0.08415 l/h a kW; from memory."""

import numpy as np
import pytest

from calm_relay.job.existing_supply import Generator
from calm_relay.physics.generator_fuel import litres_an_hour

A_KWH, AN_HOUR_A_KW = 0.246, 0.08415


@pytest.mark.parametrize("rated_kw", [3.0, 12.0, 80.0])
def test_a_diesel_burns_as_published_at_any_load(rated_kw):
    given = rated_kw * np.array([0.05, 0.25, 0.5, 0.75, 1.0])
    full = A_KWH + AN_HOUR_A_KW
    burns = litres_an_hour(given, rated_kw, full, AN_HOUR_A_KW / full)
    assert burns == pytest.approx(A_KWH * given + AN_HOUR_A_KW * rated_kw, rel=1e-12)


def test_what_is_assumed_of_a_generator_is_near_it():
    assert Generator(kw=6.0).no_load_share == pytest.approx(AN_HOUR_A_KW / (A_KWH + AN_HOUR_A_KW), abs=0.01)


def test_one_that_idles_through_the_night_burns_twice_what_one_does_that_charges_a_battery():
    """At a tenth of its load a kWh takes more than twice the fuel; common practice, no source."""
    idling, working = (litres_an_hour(np.array([kw]), 6.0, 0.4, 0.25)[0] / kw for kw in (0.6, 6.0))
    assert idling > 2.0 * working
    assert litres_an_hour(np.zeros(3), 6.0, 0.4, 0.25) == pytest.approx(0.0)
