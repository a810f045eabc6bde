"""Interval files: energy is kept, weekdays stay weekdays, and a bad line is named."""

from datetime import datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_csv import read_meter_year


def lines_of(minutes=60, days=365, unit="kwh", start="2025-01-01T00:00", value=lambda i: 0.5):
    first = datetime.fromisoformat(start)
    count = days * 1440 // minutes
    rows = [f"{(first + timedelta(minutes=minutes * i)).isoformat()},{value(i)}" for i in range(count)]
    return [f"time,{unit}", *rows]


@pytest.fixture
def meter(tmp_path):
    def write(lines, year=2026, offset=12.0):
        path = tmp_path / "meter.csv"
        path.write_text("\n".join(lines) + "\n")
        return read_meter_year(path, offset, year)

    return write


@pytest.mark.parametrize(
    ("minutes", "unit", "factor"), [(60, "kwh", 1.0), (30, "wh", 0.002), (15, "kw", 1.0), (5, "w", 0.001)]
)
def test_every_unit_and_interval_gives_the_same_power(meter, minutes, unit, factor):
    year = meter(lines_of(minutes, unit=unit, value=lambda i: 250))
    assert year.kw.size == 35_040
    assert year.kw == pytest.approx(np.full(35_040, 250 * factor))
    assert year.interval_minutes == minutes


@settings(max_examples=8, deadline=None)
@given(seed=st.integers(0, 2**16), start=st.sampled_from(["2025-01-01", "2024-07-01", "2025-03-17"]))
def test_energy_is_kept_and_weekdays_stay_weekdays(tmp_path_factory, seed, start):
    random = np.random.default_rng(seed)
    values = random.uniform(0, 3, 365 * 24)
    path = tmp_path_factory.mktemp("meter") / "meter.csv"
    # Sundays carry a mark that must land on Sundays of another year.
    first = datetime.fromisoformat(start)
    for i in range(values.size):
        if (first + timedelta(hours=i)).weekday() == 6:
            values[i] += 10
    path.write_text("\n".join(lines_of(start=f"{start}T00:00", value=lambda i: values[i])))
    kw = read_meter_year(path, 0.0, 2026).kw
    sunday = (np.arange(kw.size) // 96 + 3) % 7 == 6
    assert (kw[sunday] >= 10).all()
    assert (kw[~sunday] < 10).all()
    assert kw.sum() / 4 == pytest.approx(values.sum(), rel=0.02)


def test_stamps_with_an_offset_are_turned_to_the_site(meter):
    lines = lines_of(value=lambda i: 5.0 if i % 24 == 12 else 0.0)
    utc = [lines[0], *(line.replace(",", "+00:00,") for line in lines[1:])]
    kw = meter(utc).kw
    assert set((np.flatnonzero(kw > 0) % 96 // 4).tolist()) == {0}


def replaced(at, text, **shape):
    lines = lines_of(**shape)
    lines[at - 1] = text
    return lines


@pytest.mark.parametrize(
    ("lines", "where", "wanted"),
    [
        ([], "line 1", "wanted a header time,kwh"),
        (replaced(1, "when,kwh"), "line 1", "wanted a header"),
        (replaced(7, "yesterday,1.0"), "line 7", "wanted ISO 8601"),
        (replaced(9, "2025-01-01T07:00:00,1,0"), "line 9", "has 3 columns; wanted 2"),
        (replaced(11, "2025-01-01T09:00:00,much"), "line 11", "wanted a number"),
        (replaced(11, "2025-01-01T09:00:00,-4"), "line 11", "0 or more"),
        (replaced(11, "2025-01-01T09:00:00,nan"), "line 11", "0 or more"),
        (replaced(12, "2025-01-01T09:00:00,1"), "line 12", "stands twice"),
        (replaced(12, ""), "line 13", "gap of 120 minutes"),
        (lines_of(minutes=20), "line 3", "the interval is 20 minutes"),
        (lines_of(days=300), "line 7201", "ends after 300.0 days"),
        (["time,kwh", "2025-01-01T00:00,1"], "", "fewer than two"),
    ],
)
def test_a_bad_line_is_named_with_what_would_be_right(meter, lines, where, wanted):
    with pytest.raises(InputError) as caught:
        meter(lines)
    assert caught.value.where == where
    assert wanted in caught.value.problem
