"""Meter intervals from a CSV of any common shape: found out, told, and open to correction.

A file has one row an interval, or one row a day with a column an interval; stamps in one column or in a date and
a time; any delimiter; decimal point or comma; energy, power or a counter; a title above the header.
"""

import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Literal

import numpy as np

from calm_relay.exchange.csv_layout import (
    EXPORT_WORDS,
    METER_WORDS,
    MOST_A_DAY,
    SAMPLE,
    UNITS,
    VALUE,
    Table,
    one_meter,
    plain_number,
    split_table,
)
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.flow_heads import Flow, first_of, flows_of
from calm_relay.exchange.meter_data import INTERVALS, LONGEST_DAYS, MeterData, Understood
from calm_relay.exchange.stamps import local_to_utc, read_stamp, read_time, skipped_hours
from calm_relay.job.survey import MeterReading

SHOWN = {"kwh": "kWh", "wh": "Wh", "kw": "kW", "w": "W"}
# A number of so many digits that never changes is no energy.
LABEL_DIGITS = 6
FACTORS = {"kwh": 1.0, "wh": 0.001}
IMPORT_WORDS = re.compile(
    r"import|consum|usage|from grid|bezug|verbrauch|demand|energy|load|kwh|read|value|wh|quantity|volume|amount",
    re.I,
)
POWER_WORDS = re.compile(r"power|leistung|puissance|potencia|pot[êe]ncia|potenza|vermogen|effekt", re.I)
UTC_WORDS = re.compile(r"(?<![a-z])utc(?![a-z+\-±])", re.I)
END_WORDS = re.compile(r"\bend|ending|until|\bto\b|bis\b|stop", re.I)
# What is looked for in a file: all that a house draws, both directions of a meter beside an array, what went out, what
# an array made, or both directions of a battery, what it gave first.
Wanted = Literal["use", "net", "export", "production", "battery"]
_FIRST: dict[Wanted, tuple[Flow, ...]] = {
    "use": ("used", "in"),
    "net": ("in", "used"),
    "export": ("out",),
    "production": ("made",),
    "battery": ("discharged",),
}
_ALONE = ("export", "production", "battery")
# Beside what comes: what goes the other way.
_BACK: dict[Flow | None, tuple[Flow, ...]] = {"in": ("out",), "discharged": ("charged",)}
TURNED = "The grid's power rises with the array's: its sign is taken the other way round."


def read_interval_csv(
    path: str | Path, text: str, reading: MeterReading, time_zone: str, *, wanted: Wanted = "use"
) -> MeterData:
    """Intervals from the text of a file.

    Parameters
    ----------
    path : path-like
        Named in errors.
    text : str
        Its content.
    reading : MeterReading
        What the user states; the rest is found out.
    time_zone : str
        Local clock of the site.
    wanted : Wanted
        What is looked for among the columns. In a net meter's file values below 0 are energy that went out; in
        any other they are a fault.

    Raises
    ------
    InputError
        Names the line and what would be right.
    """
    table = split_table(path, text, reading)
    meters, table = one_meter(path, table, reading)
    signed = wanted == "net"
    numeric, decimal = _numeric_columns(table, reading)
    flows = _flows(table, numeric)
    columns = (table.wide[0],) if table.wide else _value_columns(table, numeric, flows, reading, wanted)
    for column in columns:
        if column >= len(table.header):
            raise InputError(
                path, f"column {column + 1}", f"is past the file, which has {len(table.header)} columns"
            )
    notes: list[str] = []
    if _of_plant(flows) and not reading.import_column:
        notes.append(f"The file tells of a whole plant; {table.header[columns[0]].strip()} is taken of it.")
    kinds = _day_first(path, table, reading)
    walls, offset = _walls(path, table, kinds)
    if table.number is not None:
        walls, offset = _numbered(path, table, walls, time_zone)
    values, unit = _values(path, table, columns, decimal, reading)
    if table.wide:
        walls, values, lines, minutes = _unfold(table, walls, values)
    elif table.register is not None:
        walls, values, lines = _by_direction(table, walls, values[0])
        notes.append(
            f"{table.header[table.register].strip()} tells registers of one meter apart: what came in is summed, and "
            "what went out."
        )
        minutes = _interval(path, walls, lines)
    else:
        lines = table.lines
        minutes = _interval(path, walls, lines)
    in_rows = not table.wide and table.register is None
    if signed and in_rows and flows[columns[0]] == "in" and len(values) == 1 and np.any(values[0] < 0):
        beside = first_of(dict(enumerate(flows)), table.header, ("made",))
        if beside is not None and rises_with(values[0], _values(path, table, (beside,), decimal, reading)[0][0]):
            values = [-values[0]]
            notes.append(TURNED)
    unit = unit or _unit_by_size(values[0], table.header[columns[0]], minutes, notes)
    stamps = reading.stamps or _stamps(table, walls, minutes)
    if stamps == "end" and not table.wide:
        walls = walls - np.timedelta64(minutes * 60, "s")
    clock = (
        "utc" if offset else (reading.clock or _clock_in_heads(table) or _clock(walls[_filled(values)], time_zone))
    )
    starts = _to_utc(walls, clock, time_zone)
    values = [_energies(path, series, unit, minutes, lines, signed, notes) for series in values]
    starts, values = _in_order(path, starts, values, minutes, lines, notes)
    imported, exported = _directions(values, signed)
    headers = tuple(table.header[i].strip() or f"column {i + 1}" for i in range(len(table.header)))
    understood = Understood(
        kind="interval CSV, a row a day" if table.wide else "interval CSV",
        unit=unit,
        interval_minutes=minutes,
        stamps=stamps,
        clock=clock,
        delimiter=table.delimiter,
        decimal_mark=decimal,
        day_first=kinds,
        columns=headers,
        import_column=columns[0] + 1,
        export_column=columns[1] + 1 if len(columns) > 1 else 0,
        flows=flows,
        meters=meters,
        notes=tuple(notes),
    )
    return MeterData(starts, imported, exported, understood)


def rises_with(grid: np.ndarray, made: np.ndarray | None) -> bool:
    """Whether more comes from the grid in full sun than at night, which tells a sign that is turned round.

    Parameters
    ----------
    grid, made : ndarray, shape (rows,)
        Of the grid, with a sign, and of the array; NaN where there is none.
    """
    if made is None:
        return False
    known = np.isfinite(grid) & np.isfinite(made)
    grid, made = grid[known], made[known]
    most = float(made.max(initial=0.0))
    bright, dark = grid[made > 0.5 * most], grid[made <= 0.02 * most]
    return bool(most > 0.0 and bright.size and dark.size and bright.mean() > dark.mean())


@dataclass(frozen=True, eq=False)
class IntervalColumns:
    """Several columns of one file of intervals.

    Attributes
    ----------
    heads : tuple of str
        Of all its columns.
    numeric : tuple of int
        Columns that hold numbers, from 0.
    starts : ndarray of datetime64[s], shape (rows,)
        In UTC, rising, each once.
    kwh : dict of int to ndarray, shape (rows,)
        Energy of each interval by column [kWh]; NaN where there is none, below 0 where it went the other way.
    minutes : int
        Length of an interval.
    notes : tuple of str
        What has to be said of how it was read.
    """

    heads: tuple[str, ...]
    numeric: tuple[int, ...]
    starts: np.ndarray = field(repr=False)
    kwh: dict[int, np.ndarray] = field(repr=False)
    minutes: int
    notes: tuple[str, ...]


def read_interval_columns(
    path: str | Path,
    text: str,
    time_zone: str,
    chosen: Callable[[Sequence[str], Sequence[int]], Sequence[int]],
) -> IntervalColumns | None:
    """Some columns of a file of intervals, each in its own unit.

    Parameters
    ----------
    path : path-like
        Named in errors.
    text : str
        Its content.
    time_zone : str
        Local clock of the site.
    chosen : callable
        Of the heads of all columns and the numbers of those that hold numbers makes the numbers of those to read.

    Returns
    -------
    IntervalColumns or None
        None for a file that has a row a day or a row a register: it has two directions at most.

    Raises
    ------
    InputError
        Names the line and what would be right.
    """
    reading = MeterReading()
    table = split_table(path, text, reading)
    _, table = one_meter(path, table, reading)
    if table.wide or table.register is not None or table.number is not None:
        return None
    numeric, decimal = _numeric_columns(table, reading)
    walls, offset = _walls(path, table, _day_first(path, table, reading))
    minutes = _interval(path, walls, table.lines)
    if _stamps(table, walls, minutes) == "end":
        walls = walls - np.timedelta64(minutes * 60, "s")
    starts = _to_utc(walls, "utc" if offset else _clock_in_heads(table) or _clock(walls, time_zone), time_zone)
    starts, first = np.unique(starts, return_index=True)
    notes: list[str] = []
    kwh = {}
    for column in chosen(table.header, numeric):
        (values,), unit = _values(path, table, (column,), decimal, reading)
        said: list[str] = []
        unit = unit or _unit_by_size(values, table.header[column], minutes, said)
        energies = _energies(path, values, unit, minutes, table.lines, True, said)
        kwh[column] = energies[first]
        notes += [f"{table.header[column].strip()}: {note[0].lower()}{note[1:]}" for note in said]
    return IntervalColumns(tuple(table.header), tuple(numeric), starts, kwh, minutes, tuple(notes))


def _unit_by_size(values: np.ndarray, head: str, minutes: int, notes: list[str]) -> str:
    """The unit that nobody wrote, and a note that it is taken for that."""
    known = values[np.isfinite(values)]
    power = POWER_WORDS.search(head) is not None
    counted = _is_counter(known) or _is_daily_counter(known, minutes)
    unit = _likely_unit(np.maximum(np.diff(known), 0.0) if counted else known, minutes, power=power)
    notes.append(f"No unit is written anywhere; the size of the numbers speaks for {SHOWN[unit]}.")
    return unit


def _numeric_columns(table: Table, reading: MeterReading) -> tuple[list[int], str]:
    """Columns that hold energy or power as far as their cells tell, and the decimal mark of theirs."""
    sample = table.rows[: SAMPLE * 4]
    taken = {table.date, table.time, table.number}
    numeric = []
    for column in range(len(table.header)):
        cells = [row[column].strip() for row in sample if len(row) > column and row[column].strip()]
        good = [cell for cell in cells if VALUE.fullmatch(cell)]
        if column not in taken and cells and len(good) >= 0.8 * len(cells) and read_stamp(cells[0]) is None:
            numeric.append(column)
    numeric = [c for c in numeric if not _is_label(sample, c)]
    numeric = [c for c in numeric if not METER_WORDS.search(table.header[c]) or UNITS.search(table.header[c])]
    return numeric, reading.decimal_mark or _decimal(sample, numeric, table.delimiter)


def _flows(table: Table, numeric: list[int]) -> tuple[Flow | None, ...]:
    """What each column of the file counts, by its head."""
    found = flows_of(table.header)
    return tuple(flow if column in numeric else None for column, flow in enumerate(found))


def _of_plant(flows: tuple[Flow | None, ...]) -> bool:
    """Whether a file tells of a whole plant: what its array made beside what was used or came in."""
    return "made" in flows and not {"used", "in"}.isdisjoint(flows)


def _value_columns(
    table: Table, numeric: list[int], flows: tuple[Flow | None, ...], reading: MeterReading, wanted: Wanted
) -> tuple[int, ...]:
    """Columns of what is wanted, and of what went out where that is asked for too."""
    held = dict(enumerate(flows))
    known = first_of(held, table.header, _FIRST[wanted]) if _of_plant(flows) or wanted in _ALONE else None
    if reading.import_column:
        columns = [reading.import_column - 1]
    elif known is not None:
        columns = [known]
    else:
        inward = [c for c in numeric if IMPORT_WORDS.search(table.header[c])]
        inward = [c for c in inward if not EXPORT_WORDS.search(table.header[c])] or numeric[:1]
        columns = inward[:1]
    if reading.export_column is None and known is not None:
        out = first_of(held, table.header, _BACK.get(flows[known], ()))
        if out is not None and out not in columns:
            columns.append(out)
    elif reading.export_column is None:
        outward = [c for c in numeric if EXPORT_WORDS.search(table.header[c]) and c not in columns]
        columns += outward[:1]
    elif reading.export_column:
        columns.append(reading.export_column - 1)
    return tuple(columns)


def _is_label(sample: list[list[str]], column: int) -> bool:
    """Whether a column holds nothing but one long number, such as that of a point of supply."""
    held = {row[column].strip() for row in sample if len(row) > column and row[column].strip()}
    return len(held) == 1 and all(cell.isdecimal() and len(cell) >= LABEL_DIGITS for cell in held)


def _decimal(sample: list[list[str]], numeric: list[int], delimiter: str) -> str:
    cells = [row[c].strip() for row in sample for c in numeric if len(row) > c]
    commas = sum("," in cell for cell in cells)
    points = sum("." in cell for cell in cells)
    both = sum("," in cell and "." in cell and cell.rfind(",") < cell.rfind(".") for cell in cells)
    return "," if commas > both and commas >= points and (delimiter != "," or commas) else "."


def _day_first(path: str | Path, table: Table, reading: MeterReading) -> bool | None:
    read = (read_stamp(row[table.date]) for row in table.rows[:: max(1, len(table.rows) // 2000)])
    stamps = [stamp for stamp in read if stamp]
    if any(stamp.year_first or stamp.named_month for stamp in stamps):
        return None
    if reading.day_first is not None:
        return reading.day_first
    if any(stamp.a > 12 for stamp in stamps):
        return True
    if any(stamp.b > 12 for stamp in stamps):
        return False
    # Both read: the order that runs forwards day by day is the right one.
    days = [(stamp.a, stamp.b) for stamp in stamps]
    changes = [(x[0] != y[0], x[1] != y[1]) for x, y in pairwise(days)]
    return sum(a for a, _ in changes) >= sum(b for _, b in changes)


def _walls(path: Path | str, table: Table, day_first: bool | None) -> tuple[np.ndarray, bool]:
    """Stamps as naive datetime64[s]; the second result says whether they carried offsets and are UTC."""
    result = np.empty(len(table.rows), dtype="datetime64[s]")
    with_offset = 0
    for i, (row, line) in enumerate(zip(table.rows, table.lines, strict=True)):
        stamp = read_stamp(row[table.date])
        minute = 0 if table.time is None else read_time(row[table.time])
        if stamp is None or minute is None:
            at = table.date if stamp is None or table.time is None else table.time
            shown = row[at].strip()
            raise InputError(
                path, f"line {line}", f"time is {shown!r}; wanted a time stamp such as 2025-07-01 17:30"
            )
        try:
            when = np.datetime64(stamp.when(bool(day_first)), "s")
        except ValueError:
            raise InputError(
                path, f"line {line}", f"{row[table.date].strip()!r} is no day of the calendar"
            ) from None
        when += np.timedelta64(minute * 60, "s")
        if stamp.offset_minutes is not None:
            with_offset += 1
            when -= np.timedelta64(stamp.offset_minutes * 60, "s")
        result[i] = when
    if 0 < with_offset < len(table.rows):
        raise InputError(path, "", "some stamps carry an offset from UTC and some do not; wanted all or none")
    return result, with_offset > 0


def _numbered(path: Path | str, table: Table, days: np.ndarray, time_zone: str) -> tuple[np.ndarray, bool]:
    """Starts of intervals that are numbered within their day, from 0 or from 1; whether they are UTC.

    Where a day of 23 or 25 hours has as many numbers without a gap, they count what has passed since midnight; else
    they are a clock's.
    """
    numbers = np.empty(days.size, dtype=int)
    for i, (row, line) in enumerate(zip(table.rows, table.lines, strict=True)):
        cell = row[table.number or 0].strip()
        if not cell.isdecimal() or int(cell) > MOST_A_DAY:
            shown = "a day's interval such as 1 to 24"
            raise InputError(path, f"line {line}", f"{cell!r} is no number of {shown}")
        numbers[i] = int(cell)
    from_one = int(numbers.min()) > 0
    numbers -= from_one
    per_day = next(each for each in (24, 48, 96) if numbers.max() < each + each // 24 + 1 or each == 96)
    step = np.timedelta64(86400 // per_day, "s")
    midnights, at, counts = np.unique(days, return_inverse=True, return_counts=True)
    lasting = local_to_utc(midnights + np.timedelta64(1, "D"), time_zone) - local_to_utc(midnights, time_zone)
    expected = (lasting / step).astype(int)
    whole = (counts == expected) & (np.bincount(at, weights=numbers) == counts * (counts - 1) // 2)
    if np.any(whole & (expected != per_day)):
        return local_to_utc(midnights, time_zone)[at] + numbers * step, True
    return days + numbers * step, False


def _by_direction(
    table: Table, walls: np.ndarray, energy: np.ndarray
) -> tuple[np.ndarray, list[np.ndarray], list[int]]:
    """What came in and what went out of each interval, all tariffs together, where each register has rows of its own.

    A stamp that comes again for one register is the repeated hour of autumn.
    """
    labels = [row[table.register or 0].strip() for row in table.rows]
    passes, keys = Counter[tuple[str, int]](), []
    for label, wall in zip(labels, walls.astype(int).tolist(), strict=True):
        keys.append((wall, passes[label, wall]))
        passes[label, wall] += 1
    place = {key: number for number, key in enumerate(dict.fromkeys(keys))}
    at = np.array([place[key] for key in keys])
    out = np.array([EXPORT_WORDS.search(label) is not None for label in labels])
    known = np.isfinite(energy)
    sums = []
    for direction in (~out, out) if out.any() else (~out,):
        held = np.full(len(place), np.nan)
        rows = direction & known
        held[np.unique(at[rows])] = 0.0
        np.add.at(held, at[rows], energy[rows])
        sums.append(held)
    first = np.unique(at, return_index=True)[1]
    return walls[first], sums, [table.lines[row] for row in first]


def _values(
    path: str | Path, table: Table, columns: tuple[int, ...], decimal: str, reading: MeterReading
) -> tuple[list[np.ndarray], str | None]:
    columns = table.wide or columns
    named = {}
    for column in columns:
        match = UNITS.search(table.header[column].replace("_", " "))
        if match:
            named[column] = match[1].lower()
    if len(set(named.values())) > 1:
        raise InputError(
            path, "header", f"mixes units ({', '.join(sorted(set(named.values())))}); wanted one for all columns"
        )
    unit, unit_line = next(iter(named.values()), None), None
    series = [np.empty(len(table.rows)) for _ in columns]
    for i, (row, line) in enumerate(zip(table.rows, table.lines, strict=True)):
        for values, column in zip(series, columns, strict=True):
            text = row[column].strip() if len(row) > column else ""
            match = VALUE.fullmatch(text)
            if text in {"", "-", "NaN", "nan", "null", "NULL", "N/A", "#N/A"}:
                values[i] = np.nan
                continue
            value = plain_number(match[1], decimal) if match else None
            if match is None or value is None:
                raise InputError(path, f"line {line}", f"the value is {text!r}; wanted a number")
            own = (match[2] or "").lower()
            if own and unit and own != unit:
                before = f"line {unit_line}" if unit_line else "the header"
                raise InputError(
                    path, f"line {line}", f"is in {match[2]}, but {before} says {unit}; wanted one unit throughout"
                )
            if own:
                unit, unit_line = own, unit_line or line
            values[i] = value
    return series, reading.unit or unit


def _unfold(
    table: Table, walls: np.ndarray, values: list[np.ndarray]
) -> tuple[np.ndarray, list[np.ndarray], list[int], int]:
    """A row a day becomes a row an interval."""
    minutes = 1440 // len(table.wide)
    steps = np.arange(len(table.wide)) * np.timedelta64(minutes * 60, "s")
    days = walls.astype("datetime64[D]").astype("datetime64[s]")
    lines = [line for line in table.lines for _ in table.wide]
    return (days[:, None] + steps).ravel(), [np.stack(values, axis=1).ravel()], lines, minutes


def _interval(path: str | Path, walls: np.ndarray, lines: list[int]) -> int:
    if walls.size < 3:
        raise InputError(path, "", "holds fewer than three intervals; wanted a day or more")
    gaps = np.diff(walls).astype(int)
    forward = gaps[gaps > 0]
    if not forward.size:
        raise InputError(path, f"line {lines[1]}", "the time does not run on; wanted rising time stamps")
    sizes, counts = np.unique(forward, return_counts=True)
    seconds = int(sizes[counts.argmax()])
    if seconds % 60 or seconds // 60 not in INTERVALS:
        odd = int(np.flatnonzero(gaps == seconds)[0]) + 1
        long = " (these read like bills: use them as bills)" if seconds >= 86400 * 6 else ""
        raise InputError(
            path,
            f"line {lines[odd]}",
            f"the interval is {seconds / 60:g} minutes; wanted one of {', '.join(map(str, INTERVALS))}{long}",
        )
    off = np.flatnonzero((gaps % seconds != 0) & (gaps > 0))
    if off.size > 0.05 * gaps.size:
        raise InputError(
            path,
            f"line {lines[int(off[0]) + 1]}",
            f"does not follow the interval of {seconds // 60} minutes; wanted one interval length throughout",
        )
    return seconds // 60


def _likely_unit(values: np.ndarray, minutes: int, *, power: bool = False) -> str:
    """A household draws 2 to 300 kWh a day; of the units that agree the first of kWh, Wh, kW, W is taken.

    What a head calls power is in kW where they agree, else in W.
    """
    mean = float(np.abs(values).mean()) if values.size else 0.0
    per_day = 1440 / minutes
    if power:
        return "kw" if mean * 24.0 <= 300.0 else "w"
    if mean >= 1e5:
        return "kwh"
    for unit, factor in (("kwh", per_day), ("wh", per_day / 1000), ("w", 0.024)):
        if 2.0 <= mean * factor <= 300.0:
            return unit
    return "kwh"


def _stamps(table: Table, walls: np.ndarray, minutes: int) -> str:
    if END_WORDS.search(table.header[table.time if table.time is not None else table.date]):
        return "end"
    first, last = (walls[i].astype("datetime64[m]").astype(int) % 1440 for i in (0, -1))
    return "end" if first == minutes and last == 0 else "start"


def _filled(values: list[np.ndarray]) -> np.ndarray:
    """Rows with a number: in a row a day the hour that the clock leaves out is an empty cell."""
    filled = np.isfinite(values[0])
    return filled if filled.any() else np.ones(filled.size, dtype=bool)


def _clock_in_heads(table: Table) -> Literal["utc"] | None:
    """The clock that the heads of the time's columns name."""
    heads = (table.header[column] for column in (table.date, table.time) if column is not None)
    return "utc" if any(UTC_WORDS.search(head) for head in heads) else None


def _clock(walls: np.ndarray, time_zone: str) -> str:
    """Local when the hours daylight saving leaves out are missing, standard when they are there."""
    first, last = walls.min().astype(object), walls.max().astype(object)
    if (last - first).days > LONGEST_DAYS:
        return "standard"
    left_out, _ = skipped_hours(time_zone, first, last)
    hours = set(walls.astype("datetime64[h]").tolist())
    inside = [hour for hour in left_out if first < hour < last]
    if inside and all(hour in hours for hour in inside):
        return "standard"
    return "local"


def _to_utc(walls: np.ndarray, clock: str, time_zone: str) -> np.ndarray:
    if clock == "utc":
        return walls
    if clock == "standard":
        from calm_relay.physics.calendar import standard_offset_h

        year = int(walls[0].astype("datetime64[Y]").astype(int)) + 1970
        return walls - np.timedelta64(round(standard_offset_h(year, time_zone) * 3600), "s")
    return local_to_utc(walls, time_zone)


def _energies(
    path: Path | str, values: np.ndarray, unit: str, minutes: int, lines: list[int], signed: bool, notes: list[str]
) -> np.ndarray:
    """Interval energies [kWh]; a counter becomes its steps."""
    known = values[np.isfinite(values)]
    if unit in FACTORS and _is_counter(known):
        notes.append("The numbers are a counter's readings; the steps between them are taken.")
        steps = np.diff(values, append=np.nan)
        values = np.where(steps < 0, np.nan, steps)
    elif unit in FACTORS and _is_daily_counter(known, minutes):
        notes.append(
            "The numbers count up each day from nothing; the steps between them are taken, and the last of a day is "
            "taken for as much as the one before it."
        )
        after, before = np.append(values[1:], np.nan), np.diff(values, prepend=values[0])
        values = np.where(after < values, np.maximum(after, before), after - values)
    if not signed and np.any(values < 0):
        at = int(np.flatnonzero(values < 0)[0])
        raise InputError(
            path,
            f"line {lines[at]}",
            f"the value is {values[at]:g}; wanted 0 or more (beside PV say that the meter counts net)",
        )
    return values * (FACTORS[unit] if unit in FACTORS else {"kw": 1.0, "w": 0.001}[unit] * minutes / 60.0)


def _is_counter(values: np.ndarray) -> bool:
    if values.size < 100:
        return False
    steps = np.diff(values)
    return bool(
        np.mean(steps >= 0) > 0.999 and values[-1] > values[0] and values[-1] > 20 * np.mean(np.abs(steps))
    )


def _is_daily_counter(values: np.ndarray, minutes: int) -> bool:
    """Whether values count up within each day and begin from nothing once a day, as inverters tell a day's yield."""
    per_day = 1440 // minutes
    if values.size < 3 * per_day or per_day < 12:
        return False
    steps = np.diff(values)
    down = np.flatnonzero(steps < 0)
    days = values.size / per_day
    if not 0.6 * days <= down.size <= 1.3 * days or (steps > 0).sum() < 3 * down.size:
        return False
    # What a reading falls by is what the day came to, and days are a day apart.
    falls = np.mean(values[down + 1] <= 0.1 * values[down])
    return bool(falls > 0.9 and np.median(np.diff(down)) > 0.8 * per_day)


def _in_order(
    path: Path | str,
    starts: np.ndarray,
    values: list[np.ndarray],
    minutes: int,
    lines: list[int],
    notes: list[str],
) -> tuple[np.ndarray, list[np.ndarray]]:
    order = np.argsort(starts, kind="stable")
    starts, values = starts[order], [series[order] for series in values]
    if (starts[-1] - starts[0]).astype(int) > LONGEST_DAYS * 86400:
        raise InputError(
            path,
            f"line {lines[int(order[-1])]}",
            f"stands more than {LONGEST_DAYS} days after the first interval; wanted one to four years",
        )
    known = np.isfinite(values[0])
    if not known.any():
        raise InputError(path, "", "holds no number in its column of values")
    order, starts, values = order[known], starts[known], [series[known] for series in values]
    twice = np.flatnonzero(np.diff(starts).astype(int) == 0)
    if twice.size:
        if twice.size > 0.2 * starts.size:
            raise InputError(
                path,
                f"line {lines[int(order[twice[0] + 1])]}",
                f"and {twice.size - 1} more stand twice; wanted each interval once (are there two meters?)",
            )
        stand = "1 interval stands" if twice.size == 1 else f"{twice.size} intervals stand"
        notes.append(f"{stand} twice; the later line is taken.")
        keep = np.ones(starts.size, dtype=bool)
        keep[twice] = False
        starts, values = starts[keep], [series[keep] for series in values]
    missing = int((starts[-1] - starts[0]).astype(int) // (minutes * 60)) + 1 - starts.size
    if missing > 0:
        are = "1 interval is" if missing == 1 else f"{missing} intervals are"
        notes.append(f"{are} missing between the first and the last.")
    return starts, values


def _directions(values: list[np.ndarray], signed: bool) -> tuple[np.ndarray, np.ndarray | None]:
    imported = values[0]
    if len(values) > 1:
        return np.maximum(imported, 0.0), np.abs(np.nan_to_num(values[1]))
    if signed and np.any(imported < 0):
        return np.maximum(imported, 0.0), np.maximum(-imported, 0.0)
    return imported, None
