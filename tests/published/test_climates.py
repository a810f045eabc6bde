"""The assumed climates against measured typical years, clear skies, and what every climate must be."""

import numpy as np
import pandas as pd
import pytest
from pvlib import clearsky, iotools, location

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.model import ClimatePreset
from calm_relay.physics.calendar import year_calendar
from calm_relay.physics.sun import clear_sky_ghi, sun_path
from calm_relay.planning.site.climates import MONTH_SPREAD, TEMP_SPREAD_K, YEAR_SPREAD, nearest_climates
from calm_relay.planning.site.site_year import site_year

PLACES = {climate.key: climate for climate in library().climates.values() if climate.longitude is not None}
CONTINENTS = {
    "Europe": "NO SE FI EE LV LT DK GB IE NL BE FR DE CH AT CZ PL HU RO BG RS HR SI GR IT ES PT UA",
    "Asia": "TR IL JO SA AE IR PK IN BD NP LK TH VN MY SG ID PH HK CN TW KR JP KZ MN",
    "Africa": "MA TN DZ EG SN ML GH NG KE ET UG TZ ZM ZW ZA NA MG",
    "Oceania": "AU NZ FJ",
    "North America": "CA US MX CU CR PR",
    "South America": "VE CO EC PE BO CL AR UY BR PY",
}


def test_a_hundred_places_and_more_over_every_inhabited_continent():
    assert len(PLACES) >= 100
    countries = {climate.country for climate in PLACES.values()}
    for continent, codes in CONTINENTS.items():
        assert len(countries & set(codes.split())) >= 3, continent
    for climate in PLACES.values():
        assert climate.coldest_c < min(climate.temp_c) and climate.hottest_c > max(climate.temp_c), climate.key
        assert len(set(climate.temp_c)) > 1 and 2.0 <= np.mean(climate.daily_range_c) <= 20.0, climate.key


def daily_kwh(series):
    """Mean daily energy of each month from a year of steps of any length [kWh/m2]."""
    return series.groupby(series.index.month).mean().to_numpy() * 24.0 / 1000.0


def test_no_month_is_brighter_than_a_clear_sky():
    """By pvlib's clear sky after Haurwitz 1945 on each month's fifteenth; near the poles that knows no twilight."""
    days = [pd.date_range(f"2025-{month:02d}-15", periods=48, freq="30min", tz="UTC") for month in range(1, 13)]
    stamps = days[0].append(days[1:])
    for key, climate in PLACES.items():
        place = location.Location(climate.latitude, climate.longitude, "UTC", climate.elevation_m)
        clear = clearsky.haurwitz(place.get_solarposition(stamps)["apparent_zenith"])["ghi"]
        assert (np.array(climate.ghi_kwh_per_day) <= daily_kwh(clear) * 1.04 + 0.12).all(), key


@pytest.mark.parametrize(("name", "key"), [("723170TYA.CSV", "greensboro-us")])
def test_a_climate_is_within_its_spread_of_the_measured_year(pvlib_data, name, key):
    """The TMY3 that pvlib ships for the place (NREL/TP-581-43156)."""
    data, meta = iotools.read_tmy3(pvlib_data / name, map_variables=True, coerce_year=2025)
    climate = PLACES[key]
    assert abs(meta["latitude"] - climate.latitude) < 0.2 and abs(meta["longitude"] - climate.longitude) < 0.2
    data.index = data.index - pd.Timedelta(minutes=30)
    measured = data.groupby(data.index.month)
    ghi = measured["ghi"].mean().to_numpy() * 24 / 1000
    assert np.mean(climate.ghi_kwh_per_day) == pytest.approx(ghi.mean(), rel=YEAR_SPREAD)
    assert np.array(climate.ghi_kwh_per_day) == pytest.approx(ghi, rel=MONTH_SPREAD)
    temp = measured["temp_air"].mean().to_numpy()
    assert np.array(climate.temp_c).mean() == pytest.approx(temp.mean(), abs=TEMP_SPREAD_K)
    assert climate.coldest_c == pytest.approx(data["temp_air"].min(), abs=3 * TEMP_SPREAD_K)


def test_the_nearest_counts_distance_latitude_and_height():
    site = demo_job("pottery").site
    valley = nearest_climates(site.with_(latitude=47.2, longitude=9.6, elevation_m=450.0), library())[0]
    pass_ = nearest_climates(site.with_(latitude=46.75, longitude=9.8, elevation_m=1700.0), library())[0]
    assert valley.climate.name != "Davos" and pass_.climate.name == "Davos"
    assert pass_.sure.startswith("near") and pass_.higher_m == pytest.approx(110.0)
    ocean = nearest_climates(site.with_(latitude=-20.0, longitude=-130.0), library())[0]
    assert ocean.sure.startswith("far")
    # A coast and a high plain of one latitude are told apart.
    coast = nearest_climates(site.with_(latitude=-33.6, longitude=-71.6, elevation_m=10.0), library())
    assert coast[0].climate.country == "CL"


@pytest.mark.parametrize(
    "key", ["tromso-no", "phoenix-us", "la-paz-bo", "singapore-sg", "riyadh-sa", "dunedin-nz"]
)
def test_a_year_is_made_of_a_place_s_months(key, tmp_path):
    climate = PLACES[key]
    site = demo_job("pottery").site.with_(
        latitude=climate.latitude, longitude=climate.longitude, elevation_m=climate.elevation_m,
        weather=ClimatePreset(climate=key), time_zone="UTC",
    )  # fmt: skip
    made = site_year(site, library(), tmp_path)
    calendar = year_calendar(site.year, "UTC")
    month = calendar.month
    for number in range(1, 13):
        daily = made.weather.ghi[month == number].mean() * 24 / 1000
        assert daily == pytest.approx(climate.ghi_kwh_per_day[number - 1], abs=0.08), number
    assert made.extreme_min_c == climate.coldest_c
    clear = clear_sky_ghi(sun_path(calendar.utc, calendar.step_h, site.latitude, site.longitude, site.elevation_m))
    assert (made.weather.ghi <= clear * 1.35 + 1e-6).all()
