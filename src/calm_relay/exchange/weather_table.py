"""Weather years from a table of hours or parts of hours, as services of satellite data and stations write them.

Columns are known by their heads, in any order; what the lines above them say of the place and the clock is read.
"""

import math
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path

import numpy as np

from calm_relay.exchange.csv_layout import DELIMITERS
from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.stamps import Stamp, read_stamp, read_time

HEAD_LINES = 80
PART_MINUTES = (5, 10, 15, 20, 30, 60)
_CLEAR = re.compile(r"clear|cloud|quality|flag|uncert|source|reliab", re.I)
# What each series is called, the range of its hours, and how a unit in the head is turned into ours.
Turn = Callable[[float], float]
_IRRADIANCE: tuple[tuple[str, Turn], ...] = ((r"kwh?\s*/\s*m", lambda value: value * 1000.0),)
_TEMPERATURE: tuple[tuple[str, Turn], ...] = (
    (r"°\s*f\b|fahrenheit|\(f\)", lambda value: (value - 32.0) / 1.8),
    (r"kelvin|[\[(]\s*k\s*[\])]", lambda value: value - 273.15),
)
_SPEED: tuple[tuple[str, Turn], ...] = (
    (r"km\s*/\s*h|kmh|kph", lambda value: value / 3.6),
    (r"mph|mi\s*/\s*h", lambda value: value * 0.44704),
    (r"\bkn\b|knot", lambda value: value * 0.514444),
)


@dataclass(frozen=True)
class _Series:
    """A series of the weather: how its column may be called, its range, and units it may be in."""

    name: str
    pattern: re.Pattern[str]
    low: float
    high: float
    units: tuple[tuple[str, Turn], ...]


def _called(pattern: str) -> re.Pattern[str]:
    return re.compile(pattern, re.I)


SERIES = (
    _Series(
        "global horizontal irradiance",
        _called(
            r"^g\(h\)|\bghi\b|global.{0,3}horiz|shortwave_radiation|^global (?:solar )?(?:ir)?radiation|"
            r"globalstrahlung|(?:irradia\w+|rayonnement|radiaci[oó]n|radiazione|radia[cç][aã]o)\W+global|globale\W+straling"
        ),
        0.0, 1500.0, _IRRADIANCE,
    ),
    _Series(
        "diffuse horizontal irradiance",
        _called(r"^gd\(h\)|\bdhi\b|diffuse(?!.*tilted)|diffusstrahlung|\bdiff?us[aeo]?\b"),
        0.0, 1000.0, _IRRADIANCE,
    ),
    _Series(
        "direct normal irradiance",
        _called(r"^gb\(n\)|\bdni\b|(?:direct|beam).{0,3}normal|direct_normal"),
        0.0, 1500.0, _IRRADIANCE,
    ),
    _Series(
        "air temperature",
        _called(
            r"^t2m|^t_?air|air.?temp|^temp(?:erature)?(?!.*(?:dew|max|min))|dry.?bulb|ambient.?temp|lufttemp|"
            r"^temp[eé]rat(?!.*(?:taupunkt|ros[eé]e|roc[ií]o|rugiada|orvalho|m[aá]x|m[ií]n))"
        ),
        -70.0, 70.0, _TEMPERATURE,
    ),
    _Series(
        "wind speed", _called(
            r"^ws(?:10m|pd)?\b|wind.?(?:speed|vel)|windgeschw|windsnelheid|"
            r"(?:vitesse|velocidad|velocit[aà]|velocidade)\W+d\w+\W+vi?ent"
        ),
        0.0, 60.0, _SPEED,
    ),
)  # fmt: skip
GHI, DHI, DNI, AIR, WIND = range(5)
_PARTS = tuple(
    map(_called, (r"^y(?:ea)?r$|^year", r"^mo(?:nth)?$", r"^dy$|^day$", r"^h(?:ou)?r$", r"^min(?:ute)?$"))
)
_PERIOD_END = _called(r"end\b|_end|end$")
_TIME = _called(r"time|date|period|stamp|utc|observation|zeit|datum|fecha|hora|heure|^data|tijd")
_PLACE = {
    "latitude": _called(r"^#?\s*lat(?:itude)?\b"),
    "longitude": _called(r"^#?\s*lon(?:g(?:itude)?)?\b"),
    "elevation": _called(r"^#?\s*(?:elev(?:ation)?|altitude)\b"),
    "time zone": _called(r"^#?\s*time.?zone\b"),
}
_NUMBER = re.compile(r"[+\-]?\d+(?:\.\d+)?")
_EMPTY = {"", "-", "nan", "null", "n/a", "-999", "-999.0", "-9999", "9999", "99999"}


@dataclass(frozen=True, eq=False)
class WeatherTable:
    """Hours of whole years from 1 January, in the clock of the file.

    Attributes
    ----------
    place : dict of str to float
        Latitude, longitude and elevation, as far as the file states them.
    utc_offset_h : float or None
        Hours the clock is ahead of UTC; None: it does not say.
    years : list of dict of str to ndarray, shape (8760,)
        Means of hours; "ghi", "dni", "dhi" [W/m2], "temp_air" [degC], "wind_speed" [m/s]; NaN where there is no
        column of it, which "dni", "dhi" and "wind_speed" may lack.
    calendar_years : list of int or None
        Of each, where all its hours are of one.
    """

    place: dict[str, float]
    utc_offset_h: float | None
    years: list[dict[str, np.ndarray]]
    calendar_years: list[int | None]


@dataclass(frozen=True)
class _Columns:
    """The line of heads from 0, the column of each series, and the columns of the time."""

    at: int
    series: tuple[int | None, ...]
    parts: tuple[int, ...]
    stamp: int | None
    clock: int | None
    ends: bool


def read_weather_table(path: Path, text: str, hours_a_year: int, most_years: int) -> WeatherTable:
    """Whole years of hours from the text of a table.

    Parameters
    ----------
    path : path-like
        Named in errors.
    text : str
        Its content.
    hours_a_year, most_years : int
        8760, and how many years are read at most.

    Raises
    ------
    InputError
        Names the column that is missing, or the line that is wrong and what would be right.
    """
    rows, columns = _columns_of(path, text)
    heads = rows[columns.at]
    turns = [_turn(series, heads, column) for series, column in zip(SERIES, columns.series, strict=True)]
    first = columns.at + 1
    last = next(
        (
            n
            for n in range(first, len(rows))
            if not any(cell.strip() for cell in rows[n]) or _is_foot(rows[n], columns)
        ),
        len(rows),
    )
    if last - first > most_years * hours_a_year * 12 + 10_000:
        raise InputError(
            path, f"line {last}", f"there are more than {most_years} years; wanted {most_years} at most"
        )
    moments, offset = _moments(path, rows, range(first, last), columns)
    values = np.array(
        [
            [
                np.nan if column is None else _value(path, number + 1, rows[number], column, series, turn)
                for series, column, turn in zip(SERIES, columns.series, turns, strict=True)
            ]
            for number in range(first, last)
        ]
    ).reshape(last - first, len(SERIES))
    per_hour = _per_hour(path, moments, first + 1)
    place = _place_of(rows[: columns.at])
    stated = place.pop("time zone", None)
    if offset is None:
        offset = 0.0 if _is_utc(heads, columns) else stated
    return WeatherTable(place, offset, *_whole_years(path, moments, values, per_hour, first + 1, hours_a_year))


def _columns_of(path: Path, text: str) -> tuple[list[list[str]], _Columns]:
    """Rows as they are split, and where the columns are."""
    best: tuple[int, list[str]] = (-1, [])
    for delimiter in DELIMITERS:
        top = split_lines(path, "\n".join(text.split("\n", HEAD_LINES)[:HEAD_LINES]), delimiter)
        for at, cells in enumerate(top):
            cells = [cell.strip().strip('"').lstrip("# ") for cell in cells]
            series = tuple(_column(cells, item) for item in SERIES)
            known = len({column for column in series if column is not None})
            # Of a line that is not split at all every name is found in its one cell.
            if known < 2:
                continue
            missing = [SERIES[n].name for n in (GHI, AIR) if series[n] is None]
            if missing:
                best = max(best, (known, missing))
                continue
            rows = split_lines(path, text, delimiter)
            return rows, _with_time(path, at, cells, series, rows[at + 1] if at + 1 < len(rows) else [])
    wanted = " and ".join(best[1] or [SERIES[n].name for n in (GHI, AIR)])
    raise InputError(path, "", f"holds no column of {wanted}; wanted EPW, TMY3, or a table of hours with heads")


def _column(cells: Sequence[str], series: _Series) -> int | None:
    return next(
        (n for n, cell in enumerate(cells) if series.pattern.search(cell) and not _CLEAR.search(cell)), None
    )


def _with_time(
    path: Path, at: int, heads: Sequence[str], series: tuple[int | None, ...], below: Sequence[str]
) -> _Columns:
    parts = tuple(next((n for n, head in enumerate(heads) if pattern.search(head)), -1) for pattern in _PARTS)
    if min(parts[:4]) >= 0:
        return _Columns(at, series, parts, None, None, False)
    free = [n for n in range(len(heads)) if n not in series]
    stamps = [n for n in free if n < len(below) and read_stamp(_begins(below[n])) is not None]
    stamps = stamps or [n for n in free if _TIME.search(heads[n])]
    starts = [n for n in stamps if not _PERIOD_END.search(heads[n])]
    if not stamps:
        raise InputError(path, f"line {at + 1}", "has no column of time; wanted one such as 2025-01-31 13:00")
    stamp = (starts or stamps)[0]
    clock = next((n for n in free if n != stamp and re.search(r"^(?:time|hour)", heads[n], re.I)), None)
    return _Columns(at, series, (), stamp, clock, not starts)


def _begins(cell: str) -> str:
    """A time, or the beginning of a span that is written as its beginning, a stroke and its end."""
    return re.sub(r"(?<=\d{2}:\d{2}).*/(?:19|20)\d{2}.*", "", cell)


def _turn(series: _Series, heads: Sequence[str], column: int | None) -> Turn:
    head = heads[column] if column is not None else ""
    return next((turn for unit, turn in series.units if re.search(unit, head, re.I)), lambda value: value)


def _is_utc(heads: Sequence[str], columns: _Columns) -> bool:
    told = [heads[n] for n in (columns.stamp, columns.clock, *columns.parts) if n is not None and n >= 0]
    return any(re.search(r"utc|gmt", head, re.I) for head in told)


def _is_foot(row: Sequence[str], columns: _Columns) -> bool:
    """Whether a row is a line of words below the table."""
    at = columns.stamp if columns.stamp is not None else columns.parts[0]
    return sum(bool(cell.strip()) for cell in row) < 3 and not re.match(
        r"\s*\"?\d", row[at] if at < len(row) else ""
    )


def _moments(
    path: Path, rows: Sequence[Sequence[str]], numbers: range, columns: _Columns
) -> tuple[list[datetime], float | None]:
    """When each row begins by the file's clock, and how far that is ahead of UTC where the stamps say so [h]."""
    found = []
    offsets: set[int | None] = set()
    month_first = _is_month_first((rows[number] for number in numbers[::7]), columns.stamp)
    for number in numbers:
        row = rows[number]
        try:
            moment, offset = _moment(row, columns, month_first)
        except (ValueError, IndexError, OverflowError):
            shown = ",".join(
                row[: max(filter(None, (*columns.parts, columns.stamp, columns.clock)), default=0) + 1]
            )
            raise InputError(
                path, f"line {number + 1}", f"the time is {shown[:60]!r}; wanted one such as 2025-01-31 13:00"
            ) from None
        found.append(moment)
        offsets.add(offset)
        if len(offsets) > 1:
            raise InputError(
                path, f"line {number + 1}", "has another clock than the rows above it; wanted one for all"
            )
    if columns.ends and len(found) > 1:
        step = found[1] - found[0]
        found = [moment - step for moment in found]
    offset = offsets.pop() if offsets else None
    return found, None if offset is None else offset / 60.0


def _is_month_first(rows: Iterable[Sequence[str]], stamp: int | None) -> bool:
    """Whether some day of a table stands behind its month, and none before it."""
    if stamp is None:
        return False
    read = [read_stamp(_begins(row[stamp])) for row in rows if len(row) > stamp]
    flat = [item for item in read if item is not None and not (item.year_first or item.named_month)]
    return any(item.b > 12 for item in flat) and not any(item.a > 12 for item in flat)


def _moment(row: Sequence[str], columns: _Columns, month_first: bool) -> tuple[datetime, int | None]:
    if columns.parts:
        year, month, day, hour = (int(float(row[n])) for n in columns.parts[:4])
        minute = int(float(row[columns.parts[4]])) if columns.parts[4] >= 0 else 0
        return datetime(year, month, day) + timedelta(hours=hour, minutes=minute), None
    assert columns.stamp is not None, "a row has parts or a stamp"
    stamp: Stamp | None = read_stamp(_begins(row[columns.stamp]))
    if stamp is None:
        raise ValueError
    when = stamp.when(not month_first)
    if columns.clock is not None:
        minute_of_day = read_time(row[columns.clock])
        if minute_of_day is None:
            raise ValueError
        when += timedelta(minutes=minute_of_day)
    return when, stamp.offset_minutes


def _value(path: Path, line: int, row: Sequence[str], column: int, series: _Series, turn: Turn) -> float:
    text = row[column].strip().strip('"') if column < len(row) else ""
    where = f"{series.name} (column {column + 1})"
    try:
        plain = text.replace(",", ".") if "." not in text and text.count(",") == 1 else text
        value = math.nan if text.lower() in _EMPTY else turn(float(plain))
    except ValueError:
        raise InputError(path, f"line {line}", f"{where} is {text!r}; wanted a number") from None
    # Stations read a little below nothing by night.
    value = 0.0 if series.low == 0.0 and -20.0 < value < 0.0 else value
    if not series.low <= value <= series.high:
        wanted = f"wanted {series.low:g} to {series.high:g} (is it a missing value?)"
        raise InputError(path, f"line {line}", f"{where} is {text or 'empty'}; {wanted}")
    return value


def _per_hour(path: Path, moments: Sequence[datetime], line: int) -> int:
    steps = [round((after - before).total_seconds() / 60.0) for before, after in pairwise(moments[:24])]
    minutes = min((step for step in steps if step > 0), default=60)
    if minutes not in PART_MINUTES:
        raise InputError(
            path,
            f"line {line + 1}",
            f"comes {minutes} minutes after the row before it; wanted 60, or a part of an hour",
        )
    return 60 // minutes


def _place_of(rows: Sequence[Sequence[str]]) -> dict[str, float]:
    """Figures of the place from the lines above the heads: beside, behind or below their words."""
    found: dict[str, float] = {}
    for number, row in enumerate(rows):
        for column, cell in enumerate(row):
            cell = cell.strip().strip('"')
            for name, pattern in _PLACE.items():
                if name in found or not pattern.search(cell):
                    continue
                below = rows[number + 1] if number + 1 < len(rows) else []
                near = [cell.partition(":")[2], *row[column + 1 : column + 2], *below[column : column + 1]]
                value = next((float(text) for text in map(str.strip, near) if _NUMBER.fullmatch(text)), None)
                if value is not None:
                    found[name] = value
    return found


def _whole_years(
    path: Path, moments: Sequence[datetime], values: np.ndarray, per_hour: int, line: int, hours_a_year: int
) -> tuple[list[dict[str, np.ndarray]], list[int | None]]:
    """Years from 1 January, wherever in a year the table begins; 29 February is left out."""
    kept = [n for n, moment in enumerate(moments) if (moment.month, moment.day) != (2, 29)]
    per_year = hours_a_year * per_hour
    slots = np.array([_slot(moments[n], per_hour) for n in kept], dtype=int)
    steps = np.diff(slots) % per_year
    wrong = np.flatnonzero(steps != 1)
    if wrong.size:
        at = kept[int(wrong[0]) + 1]
        raise InputError(
            path,
            f"line {line + at}",
            f"is {moments[at]:%Y-%m-%d %H:%M}, which does not follow the row before it; wanted every "
            f"{60 // per_hour} minutes of a year in their order",
        )
    if not kept or len(kept) % per_year:
        raise InputError(
            path,
            f"line {line + len(moments) - 1}",
            f"the table ends after {len(kept) / per_hour:,.0f} hours; wanted {hours_a_year} a year "
            "(29 February does not count)",
        )
    years, calendar_years = [], []
    for first in range(0, len(kept), per_year):
        own = np.roll(values[kept[first : first + per_year]], int(slots[first]), axis=0)
        hours = own.reshape(hours_a_year, per_hour, len(SERIES)).mean(axis=1)
        ghi, dhi, dni, air, wind = hours.T
        years.append({"ghi": ghi, "dni": dni, "dhi": dhi, "temp_air": air, "wind_speed": wind})
        of_it = {moments[n].year for n in kept[first : first + per_year]}
        calendar_years.append(of_it.pop() if len(of_it) == 1 else None)
    return years, calendar_years


_DAYS_BEFORE = np.cumsum([0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30]).tolist()


def _slot(moment: datetime, per_hour: int) -> int:
    """Number of a moment's part of an hour in a year without 29 February."""
    hour = (_DAYS_BEFORE[moment.month - 1] + moment.day - 1) * 24 + moment.hour
    return hour * per_hour + moment.minute * per_hour // 60
