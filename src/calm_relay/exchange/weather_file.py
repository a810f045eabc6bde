"""Weather years from EPW and TMY3 files and from tables of hours, checked line by line.

Every error says what would be right.
"""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.weather_table import read_weather_table

HOURS = 8760
# A file of so many years is refused before its hours are read.
YEARS_MOST = 50


@dataclass(frozen=True)
class HourlyWeather:
    """A year of hours in the file's fixed standard time, the first ending at 01:00 on 1 January.

    Irradiances are means of the hour [W/m2]; air temperature [degC] and wind [m/s] stand at its end. `extreme_min_c`
    is the mean of the yearly lowest air temperatures that the file's head states, None where it states none;
    `calendar_year` is what all its stamps say, None where months are of several years. What a table does not tell is
    NaN: of its place, of its clock, and beam, diffuse and wind of every hour.
    """

    place: str
    latitude: float
    longitude: float
    elevation_m: float
    utc_offset_h: float
    ghi: np.ndarray
    dni: np.ndarray
    dhi: np.ndarray
    temp_air: np.ndarray
    wind_speed: np.ndarray
    extreme_min_c: float | None = None
    calendar_year: int | None = None


@dataclass(frozen=True)
class _Layout:
    """Where a format keeps what: leading lines, columns of a row, and columns with their ranges.

    `place` is the head's column with the station's name; `weather` names the columns in the order of
    `HourlyWeather`.
    """

    name: str
    leading: int
    columns: int
    ranges: dict[str, tuple[int, float, float]]
    head: dict[str, tuple[int, float, float]]
    place: int
    weather: tuple[str, ...]


EPW = _Layout(
    "EPW",
    8,
    35,
    {
        "dry bulb temperature": (6, -70.0, 70.0),
        "global horizontal radiation": (13, 0.0, 1500.0),
        "direct normal radiation": (14, 0.0, 1500.0),
        "diffuse horizontal radiation": (15, 0.0, 1000.0),
        "wind speed": (21, 0.0, 60.0),
    },
    {
        "latitude": (6, -90.0, 90.0),
        "longitude": (7, -180.0, 180.0),
        "time zone": (8, -12.0, 14.0),
        "elevation": (9, -1000.0, 9000.0),
    },
    1,
    (
        "global horizontal radiation",
        "direct normal radiation",
        "diffuse horizontal radiation",
        "dry bulb temperature",
        "wind speed",
    ),
)
TMY3 = _Layout(
    "TMY3",
    2,
    71,
    {
        "GHI": (4, 0.0, 1500.0),
        "DNI": (7, 0.0, 1500.0),
        "DHI": (10, 0.0, 1000.0),
        "Dry-bulb": (31, -70.0, 70.0),
        "Wspd": (46, 0.0, 60.0),
    },
    {
        "time zone": (3, -12.0, 14.0),
        "latitude": (4, -90.0, 90.0),
        "longitude": (5, -180.0, 180.0),
        "elevation": (6, -1000.0, 9000.0),
    },
    1,
    ("GHI", "DNI", "DHI", "Dry-bulb", "Wspd"),
)
_HOURS = [
    (int(month), int(day), hour)
    for _, month, day in (str(date).split("-") for date in np.arange("2001-01-01", "2002-01-01", dtype="M8[D]"))
    for hour in range(1, 25)
]


def most_usual(years: Sequence[HourlyWeather]) -> int:
    """The place of the year whose months together are nearest to the mean of all years in their light."""
    if len(years) == 1:
        return 0
    ends = np.cumsum([0, *(31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30)]) * 24
    light = np.array([np.add.reduceat(year.ghi, ends) for year in years])
    return int(np.abs(light - light.mean(axis=0)).sum(axis=1).argmin())


def read_weather_years(path: Path | str) -> tuple[HourlyWeather, ...]:
    """The years of an EPW (.epw) or TMY3 (.csv, .tm3) file or of a table, one after another; 29 February is left out.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.

    References
    ----------
    EnergyPlus auxiliary programs, EPW data dictionary. Wilcox and Marion 2008, NREL/TP-581-43156 (TMY3).
    """
    path = Path(path)
    layout = EPW if path.suffix.lower() == ".epw" else TMY3
    text = read_text(path, "weather")
    if layout is TMY3 and not _TMY3_HEAD.match(text):
        return _of_table(path, text)
    rows = split_lines(path, text)
    while rows and not any(field.strip() for field in rows[-1]):
        rows.pop()
    head = rows[0] if rows else []
    if layout is EPW and (not head or head[0].strip().upper() != "LOCATION"):
        raise InputError(path, "line 1", "this is not an EPW file; wanted a first line that starts with LOCATION")
    place = _numbers(path, 1, head, layout.head)
    hours, stamped = _hours(path, rows, layout)
    years = []
    for first in range(0, len(hours), HOURS):
        own = hours[first : first + HOURS]
        ghi, dni, dhi, temp_air, wind_speed = (np.array([hour[name] for hour in own]) for name in layout.weather)
        of_it = set(stamped[first : first + HOURS])
        years.append(
            HourlyWeather(
                place=head[layout.place].strip().title() if len(head) > layout.place else "",
                latitude=place["latitude"],
                longitude=place["longitude"],
                elevation_m=place["elevation"],
                utc_offset_h=place["time zone"],
                ghi=ghi,
                dni=dni,
                dhi=dhi,
                temp_air=temp_air,
                wind_speed=wind_speed,
                extreme_min_c=_extreme_min_c(rows[1]) if layout is EPW and len(rows) > 1 else None,
                calendar_year=of_it.pop() if len(of_it) == 1 else None,
            )
        )
    return tuple(years)


# A line of the station, and one of heads that begins so.
_TMY3_HEAD = re.compile(r"[^\n]*\n\"?Date \(MM/DD/YYYY\)", re.I)


def _of_table(path: Path, text: str) -> tuple[HourlyWeather, ...]:
    found = read_weather_table(path, text, HOURS, YEARS_MOST)
    for name, low, high in (("latitude", -90.0, 90.0), ("longitude", -180.0, 180.0)):
        if not low <= found.place.get(name, low) <= high:
            raise InputError(path, name, f"is {found.place[name]:g}; wanted {low:g} to {high:g}")
    return tuple(
        HourlyWeather(
            place="",
            latitude=found.place.get("latitude", math.nan),
            longitude=found.place.get("longitude", math.nan),
            elevation_m=found.place.get("elevation", math.nan),
            utc_offset_h=math.nan if found.utc_offset_h is None else found.utc_offset_h,
            ghi=year["ghi"],
            dni=year["dni"],
            dhi=year["dhi"],
            temp_air=year["temp_air"],
            wind_speed=year["wind_speed"],
            calendar_year=calendar_year,
        )
        for year, calendar_year in zip(found.years, found.calendar_years, strict=True)
    )


def _extreme_min_c(row: list[str]) -> float | None:
    """Mean of the yearly lowest temperatures, from an EPW's line of design conditions; None where it has none."""
    fields = [field.strip() for field in row]
    if not fields or fields[0].upper() != "DESIGN CONDITIONS" or "Extremes" not in fields:
        return None
    # After the word: wind exceeded by 1, 2.5 and 5 %, highest wet bulb, mean of the yearly lowest dry bulbs.
    at = fields.index("Extremes") + 5
    try:
        value = float(fields[at])
    except (IndexError, ValueError):
        return None
    return value if -75.0 <= value <= 35.0 else None


def _hours(path: Path, rows: list[list[str]], layout: _Layout) -> tuple[list[dict[str, float]], list[int | None]]:
    """The weather of every hour by column name and its calendar year, in the order of years without 29 February."""
    # Later editions of TMY3 leave out the last three columns.
    least = 32 if layout is EPW else 68
    hours: list[dict[str, float]] = []
    stamped: list[int | None] = []
    if len(rows) - layout.leading > YEARS_MOST * (HOURS + 24):
        raise InputError(
            path, f"line {len(rows)}", f"there are more than {YEARS_MOST} years; wanted {YEARS_MOST} at most"
        )
    for number, row in enumerate(rows[layout.leading :], layout.leading + 1):
        if not least <= len(row) <= layout.columns:
            raise InputError(path, f"line {number}", f"has {len(row)} columns; wanted {layout.columns}")
        wanted = _HOURS[len(hours) % HOURS]
        if _is_leap_day(row, layout) and wanted == (3, 1, 1):
            continue
        _check_stamp(path, number, row, layout, wanted)
        hours.append(_numbers(path, number, row, layout.ranges))
        stamped.append(_year_of(row, layout))
    if not hours or len(hours) % HOURS:
        raise InputError(
            path,
            f"line {len(rows)}",
            f"the file ends after {len(hours)} hours; wanted {HOURS} a year (29 February does not count)",
        )
    return hours, stamped


def _is_leap_day(row: list[str], layout: _Layout) -> bool:
    if layout is EPW:
        return [field.strip().lstrip("0") for field in row[1:3]] == ["2", "29"]
    return row[0].strip().startswith("02/29/")


def _year_of(row: list[str], layout: _Layout) -> int | None:
    text = row[0].strip() if layout is EPW else row[0].strip()[-4:]
    return int(text) if re.fullmatch(r"[12]\d{3}", text) else None


def _check_stamp(path: Path, number: int, row: list[str], layout: _Layout, wanted: tuple[int, int, int]) -> None:
    month, day, hour = wanted
    if layout is EPW:
        result = tuple(field.strip() for field in row[1:4])
        right = all(re.fullmatch(r"0*" + str(value), text) for value, text in zip(wanted, result, strict=True))
        shown, asked = "month, day, hour " + ", ".join(result), f"{month}, {day}, {hour}"
    else:
        shown, asked = f"{row[0]} {row[1]}", f"{month:02d}/{day:02d} {hour:02d}:00"
        dated = re.fullmatch(rf"{month:02d}/{day:02d}/\d{{4}}", row[0].strip())
        right = dated is not None and row[1].strip() == asked[6:]
    if not right:
        raise InputError(path, f"line {number}", f"is {shown}; wanted {asked}, hour by hour from 1 January")


def _numbers(
    path: Path, number: int, row: list[str], ranges: dict[str, tuple[int, float, float]]
) -> dict[str, float]:
    """The named fields of a row as numbers within their ranges."""
    result = {}
    for name, (column, low, high) in ranges.items():
        text = row[column].strip() if column < len(row) else ""
        where = f"{name} (column {column + 1})"
        try:
            value = float(text)
        except ValueError:
            raise InputError(path, f"line {number}", f"{where} is {text!r}; wanted a number") from None
        if not (math.isfinite(value) and low <= value <= high):
            wanted = f"wanted {low:g} to {high:g} (is it a missing value?)"
            raise InputError(path, f"line {number}", f"{where} is {text}; {wanted}")
        result[name] = value
    return result
