"""Fixed standard time inside, local clock beside it."""

import numpy as np
import pandas as pd
import pytest

from calm_relay.physics.calendar import year_calendar


@pytest.mark.parametrize("zone", ["Pacific/Auckland", "Europe/Berlin", "America/New_York", "Asia/Kolkata"])
def test_local_clock_agrees_with_pandas(zone):
    calendar = year_calendar(2026, zone)
    local = pd.DatetimeIndex(calendar.utc, tz="UTC").tz_convert(zone)
    assert (local.tz_localize(None).to_numpy() == calendar.wall).all()
    assert (local.hour * 60 + local.minute == calendar.wall_minute).all()
    assert (local.day_of_week == calendar.wall_weekday).all()


def test_the_year_starts_at_midnight_of_standard_time():
    calendar = year_calendar(2026, "Pacific/Auckland")
    assert calendar.steps == 35_040
    assert calendar.utc_offset_h == 12
    assert calendar.standard[0] == np.datetime64("2026-01-01T00:00")
    assert calendar.wall[0] == np.datetime64("2026-01-01T01:00")
    assert calendar.month[0] == 1
    assert calendar.month[-1] == 12


def test_a_window_follows_the_clock_through_daylight_saving():
    calendar = year_calendar(2026, "Pacific/Auckland")
    here = calendar.in_window(3 * 60, 5 * 60)
    assert set(calendar.wall[here].astype("datetime64[h]").astype(str).astype("U13").tolist()) <= {
        f"{day}T{hour}"
        for day in np.unique(calendar.wall.astype("datetime64[D]")).astype(str)
        for hour in ("03", "04")
    }
    # Eight steps a day; the clock turns at 2 and 3 in the morning, outside this window's sum by one hour at most.
    assert here.sum() == pytest.approx(365 * 8, abs=4)


def test_a_window_may_run_over_midnight():
    calendar = year_calendar(2026, "UTC")
    here = calendar.in_window(23 * 60, 7 * 60)
    assert here.sum() == 365 * 8 * 4
    assert here[0]
    assert not here[7 * 4]


def test_odd_years_and_steps_are_refused():
    with pytest.raises(ValueError, match="366 days"):
        year_calendar(2028, "UTC")
    with pytest.raises(ValueError, match="does not divide"):
        year_calendar(2026, "UTC", 7)
