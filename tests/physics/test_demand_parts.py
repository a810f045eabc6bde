"""Shapes, bills, heat pumps, cars and a meter's days on the planner's year."""

import numpy as np
import pytest

from calm_relay.physics.calendar import year_calendar
from calm_relay.physics.demand_shape import (
    SHAPES,
    car_load,
    heat_pump_load,
    scale_to_bills,
    scheduled_load,
    shaped_year,
)
from calm_relay.physics.meter_year import days_of_intervals, lay_on_year


@pytest.fixture(scope="module")
def calendar():
    return year_calendar(2026, "Europe/Dublin")


@pytest.mark.parametrize("shape", SHAPES)
def test_every_shape_keeps_its_sum_and_its_hours(calendar, shape):
    kw = shaped_year(5000, 1.2, 52.0, calendar.wall_minute, calendar.wall_weekday, 0.25, 4, shape)
    assert kw.sum() * 0.25 == pytest.approx(5000)
    assert kw.min() >= 0
    hour = calendar.wall_minute // 60
    by_hour = np.array([kw[hour == h].mean() for h in range(24)])
    peak = {"household": 18, "all-electric": 18, "small shop": 12, "farm": 7}[shape]
    assert abs(int(by_hour.argmax()) - peak) <= 2


def test_bills_hold_their_energy_and_other_days_follow(calendar):
    kw = shaped_year(5000, 1.2, 52.0, calendar.wall_minute, calendar.wall_weekday, 0.25, 4)
    billed = scale_to_bills(kw, 0.25, [(np.arange(0, 31), 600.0), (np.arange(31, 59), 500.0)])
    daily = billed.kw.reshape(365, -1).sum(axis=1) * 0.25
    assert daily[:31].sum() == pytest.approx(600)
    assert daily[31:59].sum() == pytest.approx(500)
    assert billed.days_without_bill == 365 - 59
    share = 1100 / (kw.reshape(365, -1).sum(axis=1)[:59].sum() * 0.25)
    assert daily[59:].sum() == pytest.approx(share * kw.reshape(365, -1)[59:].sum() * 0.25)


def test_48_kwh_of_heat_at_a_coefficient_of_3_is_16_kwh_of_electricity(calendar):
    # The trade's own example, every day alike: common practice, no source.
    cold = np.full(calendar.steps, 2.0)
    kw = heat_pump_load(48.0, 0.0, 16.0, [2.0], [3.0], cold, calendar.month, 0.25)
    assert kw.reshape(365, -1).sum(axis=1) * 0.25 == pytest.approx(np.full(365, 16.0))


def test_a_heat_pump_rests_on_warm_days_but_for_hot_water(calendar):
    air = np.where(calendar.month < 4, 1.0, 20.0)
    kw = heat_pump_load(30.0, 6.0, 15.0, [-7.0, 7.0], [2.0, 4.0], air, calendar.month, 0.25)
    daily = kw.reshape(365, -1).sum(axis=1) * 0.25
    assert daily[200] == pytest.approx(6.0 / 4.0)
    at_1 = 2.0 + 2.0 * 8 / 14
    assert daily[10] == pytest.approx(36.0 / at_1)
    nothing = heat_pump_load(30.0, 0.0, 15.0, [7.0], [3.0], np.full_like(air, 25.0), calendar.month, 0.25)
    assert nothing.sum() == 0


def test_a_car_takes_its_energy_and_stops_at_the_window_s_end(calendar):
    window = calendar.in_window(23 * 60, 5 * 60)
    opens = calendar.wall_minute == 23 * 60
    kw = car_load(9.0, 7.2, window, opens, 0.25)
    assert kw.sum() * 0.25 == pytest.approx(365 * 9.0, rel=0.005)
    assert kw.max() == 7.2
    short = car_load(60.0, 7.2, window, opens, 0.25)
    assert short.sum() * 0.25 == pytest.approx(365 * 6 * 7.2, rel=0.01)
    assert short[~window].sum() == 0


def test_a_machine_has_duty_and_season(calendar):
    kw = scheduled_load(
        4.0, {0, 1, 2, 3, 4, 5, 6}, 360, 2.0, calendar.wall_minute, calendar.wall_weekday,
        duty=0.5, months=(6, 7), month=calendar.month,
    )  # fmt: skip
    assert kw.sum() * 0.25 == pytest.approx(61 * 2.0 * 2.0)
    assert set(np.unique(kw)) == {0.0, 2.0}


def meter_days(calendar, days, first="2025-01-01", minutes=30):
    steps = days * 1440 // minutes
    utc = np.datetime64(f"{first}T00:00:00") + np.arange(steps) * np.timedelta64(minutes * 60, "s")
    kwh = 0.1 + 0.01 * (np.arange(steps) % 48) + 0.001 * (np.arange(steps) // 48)
    return days_of_intervals(utc, kwh, minutes, calendar)


def test_a_whole_year_keeps_its_energy_and_its_weekdays(calendar):
    first, table = meter_days(calendar, 365)
    year = lay_on_year(first, table, calendar, 15.0)
    assert year.measured_days == 365
    assert year.months == ()
    assert year.kw.sum() * 0.25 == pytest.approx(table.sum() * 0.25, rel=0.005)
    file_weekday = ((first + year.rows.astype("timedelta64[D]")).astype(int) + 3) % 7
    assert (file_weekday == (np.arange(365) + 3) % 7).mean() > 0.97


def test_a_missing_half_year_is_mirrored_about_midwinter_and_said(calendar):
    first, table = meter_days(calendar, 180)
    year = lay_on_year(first, table, calendar, 15.0)
    assert year.measured_days + year.neighbour_days + year.mirrored_days + year.nearest_days == 365
    assert year.measured_days < 240
    assert year.mirrored_days > 80
    assert 9 in year.months
    # Days as far from midwinter on its other side.
    assert abs(int(year.rows[330]) - (2 * 15 - 330) % 365) <= 7


def test_a_poor_day_is_left_out_and_a_small_gap_filled(calendar):
    starts = np.datetime64("2025-03-01T00:00:00") + np.arange(48 * 10) * np.timedelta64(1800, "s")
    keep = np.ones(480, dtype=bool)
    keep[60:62] = False
    keep[100:140] = False
    first, table = days_of_intervals(starts[keep], np.full(keep.sum(), 0.5), 30, calendar)
    assert np.isfinite(table[1]).all()
    assert table[1] == pytest.approx(1.0)
    assert np.isnan(table[2]).all()
    with pytest.raises(ValueError, match="no whole day"):
        lay_on_year(first, table[2:3], calendar, 15.0)
