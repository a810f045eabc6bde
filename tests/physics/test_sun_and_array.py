"""Sun, made years and the way from irradiance to DC power."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from calm_relay.exchange.shipped import climates
from calm_relay.physics.array_yield import LOSS_NAMES, cell_temperature, face_light, face_yield, incidence_modifier
from calm_relay.physics.calendar import year_calendar
from calm_relay.physics.demand_shape import scheduled_load, shaped_year
from calm_relay.physics.made_year import made_year
from calm_relay.physics.sun import plane_of_array, spread_hours, sun_path


@pytest.fixture(scope="module")
def calendar():
    return year_calendar(2026, "Pacific/Auckland")


@pytest.fixture(scope="module")
def sun(calendar):
    return sun_path(calendar.utc, calendar.step_h, -41.0, 173.0)


def made(climate, sun, calendar, seed):
    return made_year(
        climate.ghi_kwh_per_day, climate.temp_c, climate.daily_range_c, climate.wind_mean, sun, calendar.utc,
        calendar.month, calendar.step_h, seed,
    )  # fmt: skip


@pytest.fixture(scope="module")
def weather(calendar, sun):
    return made(climates()["nz-north-coast-south-island"], sun, calendar, 7)


def test_a_made_year_keeps_every_month(calendar, weather):
    climate = climates()["nz-north-coast-south-island"]
    for month in range(1, 13):
        here = calendar.month == month
        daily = weather.ghi[here].sum() * calendar.step_h / 1000 / (here.sum() * calendar.step_h / 24)
        assert daily == pytest.approx(climate.ghi_kwh_per_day[month - 1], rel=1e-9)


def test_a_made_year_is_the_same_for_the_same_seed_only(calendar, sun, weather):
    climate = climates()["nz-north-coast-south-island"]
    assert (made(climate, sun, calendar, 7).ghi == weather.ghi).all()
    assert not (made(climate, sun, calendar, 8).ghi == weather.ghi).all()


def test_a_made_year_closes_beam_and_diffuse(sun, weather):
    assert weather.dni * sun.cos_zenith + weather.dhi == pytest.approx(weather.ghi, abs=1e-6)
    assert weather.dni.max() < 1400


def test_a_climate_that_does_not_fit_the_latitude_is_refused(calendar):
    arctic = sun_path(calendar.utc, calendar.step_h, 65.0, 173.0)
    with pytest.raises(ValueError, match=r"month \d+ asks for"):
        made(climates()["hot-arid"], arctic, calendar, 1)


def test_spreading_hours_keeps_their_energy(sun):
    random = np.random.default_rng(5)
    high = sun.cos_zenith.reshape(-1, 4).mean(axis=1)
    ghi = 900 * high * random.uniform(0.1, 1.0, 8760)
    dhi = ghi * random.uniform(0.2, 1.0, 8760)
    fine, _, diffuse = spread_hours(ghi, dhi, sun, 4)
    assert fine.reshape(-1, 4).mean(axis=1) == pytest.approx(ghi, abs=1e-9)
    assert diffuse.reshape(-1, 4).mean(axis=1) == pytest.approx(dhi, abs=1e-9)


@given(
    rated=st.floats(0.2, 50),
    soiling=st.floats(0, 0.3),
    shading=st.floats(0, 0.5),
    age=st.floats(0, 40),
)
def test_what_the_plane_offers_is_yield_plus_named_losses(sun, weather, calendar, rated, soiling, shading, age):
    plane = plane_of_array(weather, sun, 25.0, 35.0)
    light = face_light(plane, weather.temp_air, weather.wind_speed)
    face = face_yield(
        plane, light, calendar.step_h, rated_kw=rated, power_per_c=-0.004,
        age_years=age, soiling=soiling, shading=shading,
    )  # fmt: skip
    assert tuple(face.losses_kwh) == LOSS_NAMES
    left = face.dc_kw.sum() * calendar.step_h + sum(face.losses_kwh.values())
    assert left == pytest.approx(face.ideal_kwh, rel=1e-9)
    assert face.dc_kw.min() >= 0


def test_a_face_to_the_equator_beats_one_away_from_it(sun, weather, calendar):
    sums = [plane_of_array(weather, sun, 35.0, azimuth).total.sum() for azimuth in (0.0, 90.0, 180.0)]
    assert sums[0] > sums[1] > sums[2]


def test_glass_and_cell_temperature_at_known_points():
    # 1 - 0.05 (1 / cos 60 - 1) = 0.95 (ASHRAE form); 20 + 800 / (25 + 6.84 x 2) = 40.7 (Faiman form).
    assert incidence_modifier(np.array([0.0, 60.0, 89.95])) == pytest.approx([1.0, 0.95, 0.0])
    assert cell_temperature(800.0, 20.0, 2.0) == pytest.approx(40.683, abs=1e-3)


def test_shaped_year_keeps_its_sum_and_leans_to_winter(calendar):
    kw = shaped_year(5200, 1.3, -41.0, calendar.wall_minute, calendar.wall_weekday, calendar.step_h, 3)
    assert kw.sum() * calendar.step_h == pytest.approx(5200)
    assert kw.min() >= 0
    assert kw[calendar.month == 7].mean() > 1.3 * kw[calendar.month == 1].mean()


def test_a_machine_may_run_past_midnight(calendar):
    minute, weekday = calendar.wall_minute, calendar.wall_weekday
    kw = scheduled_load(3.0, [4], 22 * 60, 5.0, minute, weekday)
    assert set(weekday[kw > 0].tolist()) == {4, 5}
    assert set((minute[(kw > 0) & (weekday == 5)] // 60).tolist()) == {0, 1, 2}
    assert kw.sum() * calendar.step_h == pytest.approx(52 * 15, rel=0.03)
