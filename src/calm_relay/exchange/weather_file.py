"""Weather years from EPW and TMY3 files, checked line by line before pvlib reads them."""

import csv
import io
import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from calm_relay.exchange.errors import InputError, read_text

HOURS = 8760


@dataclass(frozen=True)
class HourlyWeather:
    """A year of hours in the file's fixed standard time, the first ending at 01:00 on 1 January.

    Irradiances are means of the hour [W/m2]; air temperature [degC] and wind [m/s] stand at its end.
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


@dataclass(frozen=True)
class _Layout:
    """Where a format keeps what: leading lines, columns of a row, and columns with their ranges."""

    name: str
    leading: int
    columns: int
    ranges: dict[str, tuple[int, float, float]]
    head: dict[str, tuple[int, float, float]]


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
)


def read_weather_file(path) -> HourlyWeather:
    """A weather year from an EPW (.epw) or TMY3 (.csv, .tm3) file.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    path = Path(path)
    layout = EPW if path.suffix.lower() == ".epw" else TMY3
    text = read_text(path)
    _check(path, text, layout)
    return _read_epw(path, text) if layout is EPW else _read_tmy3(path, text)


def _check(path, text, layout):
    rows = list(csv.reader(io.StringIO(text)))
    while rows and not any(field.strip() for field in rows[-1]):
        rows.pop()
    head = rows[0] if rows else []
    if layout is EPW and (not head or head[0].strip().upper() != "LOCATION"):
        raise InputError(path, "line 1", "this is not an EPW file; wanted a first line that starts with LOCATION")
    if layout is TMY3 and (len(rows) < 2 or not rows[1] or not rows[1][0].startswith("Date")):
        raise InputError(path, "line 2", "this is not a TMY3 file; wanted column names, the first one Date")
    _check_fields(path, 1, head, layout.head)
    body = rows[layout.leading :]
    for number, row in enumerate(body, layout.leading + 1):
        if len(row) < layout.columns and not (layout is EPW and len(row) >= 32):
            raise InputError(path, f"line {number}", f"has {len(row)} columns; wanted {layout.columns}")
        _check_fields(path, number, row, layout.ranges)
    if len(body) != HOURS:
        raise InputError(
            path,
            f"line {len(rows)}",
            f"the file ends after {len(body)} hours; wanted {HOURS} (a year without 29 February)",
        )


def _check_fields(path, number, row, ranges):
    for name, (column, low, high) in ranges.items():
        text = row[column].strip() if column < len(row) else ""
        try:
            value = float(text)
        except ValueError:
            raise InputError(
                path, f"line {number}", f"{name} (column {column + 1}) is {text!r}; wanted a number"
            ) from None
        if not (math.isfinite(value) and low <= value <= high):
            raise InputError(
                path,
                f"line {number}",
                f"{name} (column {column + 1}) is {text}; wanted {low:g} to {high:g} (is it a missing value?)",
            )


def _read_epw(path, text):
    from pvlib import iotools

    data, meta = iotools.read_epw(io.StringIO(text))
    return _hours(meta["city"], meta["altitude"], meta, data)


def _read_tmy3(path, text):
    from pvlib import iotools

    # The reader takes its own stream apart; 24:00 becomes 00:00 of the next day there, the order stays.
    data, meta = iotools.read_tmy3(path, map_variables=True, coerce_year=2001)
    return _hours(meta["Name"].strip('"').title(), meta["altitude"], meta, data)


def _hours(place, elevation, meta, data):
    columns = {name: data[name].to_numpy(dtype=float) for name in ("ghi", "dni", "dhi", "temp_air", "wind_speed")}
    return HourlyWeather(
        place=str(place),
        latitude=float(meta["latitude"]),
        longitude=float(meta["longitude"]),
        elevation_m=float(elevation),
        utc_offset_h=float(meta["TZ"]),
        **columns,
    )
