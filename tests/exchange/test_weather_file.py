"""EPW and TMY3: checked line by line before they are believed."""

import numpy as np
import pytest
from pvlib import iotools

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.weather_file import most_usual, read_weather_years

HEAD = "LOCATION,Invented Bay,-,NZL,made,000000,-41.0,173.0,12.0,15.0"


def epw_lines():
    """A small invented EPW year: a square sun of 600 W/m2 from 9 to 15 h."""
    lines = [HEAD, *(f"HEADER {i}" for i in range(2, 9))]
    for hour in range(8760):
        ghi = 600 if 9 <= hour % 24 < 15 else 0
        day = np.datetime64("2025-01-01") + np.timedelta64(hour // 24, "D")
        date = ",".join(str(int(part)) for part in str(day).split("-"))
        fields = ["0"] * 30
        fields[1], fields[8], fields[9], fields[10], fields[16] = (
            "14.5",
            str(ghi),
            str(ghi // 2),
            str(ghi // 2),
            "3.5",
        )
        lines.append(f"{date},{hour % 24 + 1},60,{','.join(fields)}")
    return lines


@pytest.fixture(scope="module")
def epw():
    return epw_lines()


@pytest.fixture
def written(tmp_path):
    def write(lines, name="station.epw"):
        path = tmp_path / name
        path.write_text("\n".join(lines) + "\n")
        return path

    return write


def test_an_epw_year_is_read_in_its_order(epw, written):
    (year,) = read_weather_years(written(epw))
    assert (year.latitude, year.longitude, year.elevation_m, year.utc_offset_h) == (-41.0, 173.0, 15.0, 12.0)
    assert year.place == "Invented Bay"
    assert year.ghi.reshape(365, 24)[0].tolist() == [600.0 if 9 <= h < 15 else 0.0 for h in range(24)]
    assert year.temp_air == pytest.approx(np.full(8760, 14.5))
    assert year.wind_speed == pytest.approx(np.full(8760, 3.5))
    assert year.dni.sum() == year.dhi.sum() == year.ghi.sum() / 2
    theirs, _ = iotools.read_epw(written(epw))
    assert year.ghi.tolist() == theirs["ghi"].tolist()
    assert year.wind_speed.tolist() == theirs["wind_speed"].tolist()


def test_the_tmy3_file_that_pvlib_ships_is_read(pvlib_data):
    (year,) = read_weather_years(pvlib_data / "723170TYA.CSV")
    assert year.utc_offset_h == -5.0
    assert year.latitude == pytest.approx(36.1)
    data, meta = iotools.read_tmy3(pvlib_data / "723170TYA.CSV", map_variables=True, coerce_year=2001)
    for name in ("ghi", "dni", "dhi", "temp_air", "wind_speed"):
        assert getattr(year, name).tolist() == data[name].tolist()
    assert year.elevation_m == meta["altitude"]


def with_line(lines, at, text):
    return [*lines[: at - 1], text, *lines[at:]]


def with_field(lines, at, column, text):
    fields = lines[at - 1].split(",")
    fields[column - 1] = text
    return with_line(lines, at, ",".join(fields))


@pytest.mark.parametrize(
    ("spoil", "where", "wanted"),
    [
        (lambda lines: with_line(lines, 1, "SOMETHING,else"), "line 1", "starts with LOCATION"),
        (
            lambda lines: with_field(lines, 1, 7, "north"),
            "line 1",
            "latitude (column 7) is 'north'; wanted a number",
        ),
        (lambda lines: with_line(lines, 40, "2025,1,2,8,60"), "line 40", "has 5 columns; wanted 35"),
        (lambda lines: with_field(lines, 99, 14, "9999"), "line 99", "wanted 0 to 1500 (is it a missing value?)"),
        (lambda lines: with_field(lines, 99, 7, "cold"), "line 99", "dry bulb temperature"),
        (lambda lines: with_field(lines, 99, 22, "nan"), "line 99", "wind speed"),
        (lambda lines: with_field(lines, 99, 4, "3"), "line 99", "wanted 1, 4, 19, hour by hour"),
        (lambda lines: [*lines[:50], *lines[51:]], "line 51", "wanted 1, 2, 19"),
        (lambda lines: with_line(lines, 60, lines[59] + ",1"), "line 60", "has 36 columns; wanted 35"),
        (lambda lines: with_field(lines, 77, 6, '"x'), "line 77", "has 6 columns"),
        (lambda lines: lines[:5000], "line 5000", "ends after 4992 hours; wanted 8760"),
        (lambda lines: [], "line 1", "LOCATION"),
    ],
)
def test_a_spoilt_epw_names_line_and_field(epw, written, spoil, where, wanted):
    with pytest.raises(InputError) as caught:
        read_weather_years(written(spoil(epw)))
    assert caught.value.where == where
    assert wanted in caught.value.problem


@pytest.mark.parametrize(
    ("spoil", "where", "wanted"),
    [
        (lambda lines: lines[:1], "", "wanted EPW, TMY3, or a table of hours with heads"),
        (lambda lines: with_field(lines, 1, 5, ""), "line 1", "latitude"),
        (lambda lines: with_field(lines, 700, 5, "-9900"), "line 700", "GHI (column 5) is -9900"),
        (lambda lines: with_line(lines, 9, "01/01/1988,07:00"), "line 9", "has 2 columns; wanted 71"),
        (lambda lines: lines[:-1], "line 8761", "ends after 8759 hours"),
        (lambda lines: with_field(lines, 30, 1, "02/03/1988"), "line 30", "wanted 01/02 04:00"),
    ],
)
def test_a_spoilt_tmy3_names_line_and_field(pvlib_data, written, spoil, where, wanted):
    lines = (pvlib_data / "723170TYA.CSV").read_text().splitlines()
    with pytest.raises(InputError) as caught:
        read_weather_years(written(spoil(lines), "station.csv"))
    assert caught.value.where == where
    assert wanted in caught.value.problem


def years_of(epw, *suns, first=2023):
    """A file of several years, each with another sun; the second one is a leap year."""
    lines = epw[:8]
    for number, sun in enumerate(suns):
        for line in epw[8:]:
            fields = [str(first + number), *line.split(",")[1:]]
            fields[13] = str(round(float(fields[13]) * sun))
            lines.append(",".join(fields))
            if number == 1 and fields[1:4] == ["2", "28", "24"]:
                lines += [",".join([fields[0], "2", "29", str(hour), *fields[4:]]) for hour in range(1, 25)]
    return lines


def test_several_years_are_read_one_after_another_without_the_leap_day(epw, written):
    years = read_weather_years(written(years_of(epw, 1.0, 0.8, 1.4)))
    assert [year.calendar_year for year in years] == [2023, 2024, 2025]
    assert [year.ghi.size for year in years] == [8760] * 3
    sums = [year.ghi.sum() for year in years]
    assert sums[1:] == pytest.approx([sums[0] * 0.8, sums[0] * 1.4])


def test_the_most_usual_of_them_stands_for_the_file(epw, written):
    years = read_weather_years(written(years_of(epw, 0.7, 1.0, 1.4)))
    assert most_usual(years) == 1
    assert years[1].calendar_year == 2024


def test_a_second_year_that_ends_early_is_named(epw, written):
    lines = years_of(epw, 1.0, 1.0)
    with pytest.raises(InputError) as caught:
        read_weather_years(written(lines[:-5]))
    assert "ends after 17515 hours; wanted 8760 a year" in caught.value.problem


def test_a_file_of_too_many_years_is_refused_before_it_is_read(epw, written):
    lines = [*epw[:8], *["x"] * (51 * 8784)]
    with pytest.raises(InputError, match="more than 50 years"):
        read_weather_years(written(lines))
