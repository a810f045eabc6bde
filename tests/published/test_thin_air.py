"""Air and engines high above the sea, against a table of the atmosphere and a rule of the trade."""

import pytest

from calm_relay.exchange.places import find_places
from calm_relay.exchange.shipped import library
from calm_relay.job.model import ClimatePreset, Site
from calm_relay.physics.engine_power import air_pressure, engine_share
from calm_relay.planning.site.climates import nearest_climates
from calm_relay.planning.site.new_job import new_job


@pytest.mark.parametrize(
    ("elevation_m", "kpa"),
    [(-300.0, 105.0), (0.0, 101.325), (1000.0, 89.87), (2000.0, 79.50), (3000.0, 70.11), (5000.0, 54.02)],
)
def test_air_thins_as_the_standard_atmosphere_s_table(elevation_m, kpa):
    """ISO 2533 / U.S. Standard Atmosphere 1976, table of pressure; values from memory."""
    assert air_pressure(elevation_m) == pytest.approx(kpa, rel=1e-3)


@pytest.mark.parametrize("elevation_m", [600.0, 1000.0, 1500.0, 2000.0, 2500.0, 3000.0])
def test_an_engine_loses_as_the_rule_of_thumb_says(elevation_m):
    """3.5 per cent for every 300 m above the first 150, without turbocharger: common practice, no source."""
    assert engine_share(elevation_m) == pytest.approx(1.0 - 0.035 * (elevation_m - 150.0) / 300.0, abs=0.035)


def test_an_engine_keeps_its_power_up_to_where_its_maker_says():
    assert engine_share(0.0) == engine_share(100.0) == 1.0
    assert engine_share(1500.0, 1500.0) == engine_share(800.0, 1500.0) == 1.0
    assert engine_share(2000.0) < engine_share(2000.0, 1000.0) < 1.0
    # By hand, ISO 3046-1: 54.02 kPa of 100 is 0.540; less 0.7 x 0.460 x 0.25 for friction.
    assert engine_share(5000.0) == pytest.approx(0.5402 - 0.7 * 0.4598 * 0.25, abs=1e-3)


@pytest.mark.parametrize(
    ("town", "climate"),
    [
        ("johannesburg", "johannesburg-za"), ("pretoria", "johannesburg-za"), ("la paz, bolivia", "la-paz-bo"),
        ("amman", "amman-jo"), ("bengaluru", "bengaluru-in"), ("campinas", "sao-paulo-br"),
        ("patna", "kolkata-in"), ("cartagena, colombia", "caracas-ve"), ("basrah", "riyadh-sa"),
    ],
)  # fmt: skip
def test_a_town_whose_height_nobody_stated_gets_the_climate_of_its_plain(town, climate):
    """Highland towns beside a highland's climate, towns in the plain far below one not: geography, no source."""
    place = find_places(town)[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    job = new_job("A job", *where, 4000.0, library(), 10)
    assert job.site.weather.climate == climate
    assert job.site.elevation_m == library().climates[climate].elevation_m


def test_every_climate_stands_for_its_own_town():
    known = library()
    for climate in known.climates.values():
        if climate.longitude is None:
            continue
        site = Site(
            place="", latitude=climate.latitude, longitude=climate.longitude, time_zone="UTC",
            weather=ClimatePreset(climate="x"),
        )  # fmt: skip
        assert nearest_climates(site, known, height_known=False)[0].climate.key == climate.key
