"""How a meter's CSV is laid out: delimiter, header, stamps, day columns, and which of several meters is meant."""

import csv
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.flow_heads import OUT_WORDS
from calm_relay.exchange.stamps import read_stamp, read_time
from calm_relay.job.survey import MeterReading

DELIMITERS = (";", "\t", ",", "|")
SAMPLE = 60
QUARTER = re.compile(r"(?:[01]\d|2[0-4])\.(?:00|15|30|45)")
HOUR_SPAN = re.compile(r"\d\s*h?\s*[-–]\s*\d")
# Seconds since 1970 of 2001 and later, and their thousandths.
_SINCE_1970 = re.compile(r"1\d{9}(?:\d{3})?")
# Rows by which a numbering of a day's intervals is known, and how many a day of quarters with an hour more has.
COUNTED, MOST_A_DAY = 8, 100
METER_WORDS = re.compile(r"meter|serial|mpan|mprn|nmi|icp|device|register|z.hler", re.I)
# What a meter or a bill calls so besides.
EXPORT_WORDS = re.compile(OUT_WORDS + r"|generat|reverse|received|salient|\bas_|injeç", re.I)
# Of a register whose energy came in.
INWARD = re.compile(r"import|consum|from grid|bezug|verbrauch|afname|prelev|soutir|pob[oó]r|\b1\.8\b", re.I)
# Of a register that counts at one tariff alone.
TARIFF = re.compile(
    r"dag|nacht|day|night|peak|piek|\bdal\b|tag|plein|creus|low|high|laag|hoog|\b[hn]t\b|\bt\d|1\.8\.[1-9]", re.I
)
UNITS = re.compile(r"(?<![a-z])(kwh|wh|kw|w)(?![a-z])", re.I)
VALUE = re.compile(r"([+\-−]?[\d.,  '’]*\d[\d.,]*(?:[eE][+\-]?\d{1,3})?)\s*([kK]?[wW][hH]?)?")


def plain_number(text: str, decimal: str) -> float | None:
    """A number as it is written with a decimal mark, with or without marks of thousands; None when it is none."""
    plain = re.sub(r"[\s'’\u00a0\u202f]", "", text).replace("−", "-")
    thousands = "," if decimal == "." else "."
    plain = plain.replace(thousands, "").replace(decimal, ".")
    try:
        value = float(plain)
    except ValueError:
        return None
    return value if abs(value) < 1e9 else None


@dataclass(frozen=True)
class Table:
    """Rows of the file as text with their line numbers, the header above them, and how they were split."""

    rows: list[list[str]]
    lines: list[int]
    header: list[str]
    delimiter: str
    date: int
    time: int | None
    wide: tuple[int, ...]
    # The column that numbers the intervals of a day in place of a time.
    number: int | None = None
    # The column that says of a row whether its energy came in or went out, and at which tariff.
    register: int | None = None


def split_table(path: Path | str, text: str, reading: MeterReading) -> Table:
    """Rows of a file, split as the user states or as most of them agree.

    Raises
    ------
    InputError
        Names the line that cannot be split, or says that no stamps are found.
    """
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip(" \t;,|\x00")]
    if len(lines) < 3:
        raise InputError(path, "", "holds fewer than three lines; wanted a row for each interval")
    choices = (reading.delimiter,) if reading.delimiter else DELIMITERS
    while len(lines) > 3 and not re.search(r"\d", lines[-1][1]):
        # A mark of the end is no interval.
        lines.pop()
    best = _best_shape(path, lines, choices)
    if best is None:
        lines, best = _with_stamps(path, lines, choices)
    if best is None:
        raise InputError(
            path,
            f"line {lines[min(1, len(lines) - 1)][0]}",
            "no column of time stamps beside a column of numbers is found; wanted rows such as "
            "2025-07-01 17:30,0.42 (is the delimiter right?)",
        )
    _, first, date, time, wide, number_at, delimiter = best
    rows, numbers = [], []
    width = max(date, time or 0, number_at or 0, *(wide or (0,))) + 1
    for number, line in lines[first:]:
        row = _fields(path, number, line, delimiter)
        if len(row) < width or (not row[date].strip() and not any(f.strip() for f in row[:width])):
            raise InputError(path, f"line {number}", f"has {len(row)} columns; wanted {width} or more")
        rows.append(row)
        numbers.append(number)
    while rows and read_stamp(rows[-1][date]) is None and len(rows) > 3:
        # A line of totals at the end is no interval.
        if any(read_stamp(row[date]) is None for row in rows[-4:-1]):
            break
        rows.pop()
        numbers.pop()
        break
    header = _fields(path, 0, lines[first - 1][1], delimiter) if first else []
    most = max(len(header), max(len(row) for row in rows))
    return Table(rows, numbers, header + [""] * (most - len(header)), delimiter, date, time, wide, number_at)


_Best = tuple[int, int, int, int | None, tuple[int, ...], int | None, str]


def _best_shape(path: Path | str, lines: list[tuple[int, str]], choices: Sequence[str]) -> _Best | None:
    """The shape of a file's first rows and the delimiter that gives it."""
    best: _Best | None = None
    for delimiter in choices:
        result = _shape([_fields(path, number, line, delimiter) for number, line in lines[:SAMPLE]])
        if result and (best is None or result[0] > best[0]):
            best = (*result, delimiter)
    return best


def _with_stamps(
    path: Path | str, lines: list[tuple[int, str]], choices: Sequence[str]
) -> tuple[list[tuple[int, str]], _Best | None]:
    """Lines whose days stand in three columns, or whose times are counted from 1970, with both written out."""
    inside = lines[len(lines) // 3 :][:SAMPLE]
    for delimiter in choices:
        sample = [_fields(path, number, line, delimiter) for number, line in inside]
        for at in range(min(map(len, sample), default=0)):
            change = _days_at(sample, at) or _counted_at(sample, at)
            if change is None:
                continue
            written = [
                (number, _joined(change(_fields(path, number, line, delimiter)), delimiter))
                for number, line in lines
            ]
            best = _best_shape(path, written, (delimiter,))
            if best is not None:
                return written, best
    return lines, None


def _joined(row: list[str], delimiter: str) -> str:
    return delimiter.join(f'"{cell}"' if delimiter in cell else cell for cell in row)


def _days_at(sample: list[list[str]], at: int) -> Callable[[list[str]], list[str]] | None:
    """How year, month and day in three columns from one on become one of them; None where they are none."""

    def whole(row: list[str]) -> list[str]:
        cells = [cell.strip() for cell in row[at : at + 3]]
        if len(cells) == 3 and all(map(str.isdecimal, cells)):
            return [*row[:at], f"{cells[0]}-{cells[1]:0>2}-{cells[2]:0>2}", *row[at + 3 :]]
        return [*row[:at], " ".join(cells), *row[at + 3 :]]

    days = [row[at : at + 3] for row in sample]
    good = all(
        len(day) == 3
        and all(cell.strip().isdecimal() and len(cell.strip()) <= 4 for cell in day)
        and 1990 <= int(day[0]) <= 2100
        and 1 <= int(day[1]) <= 12
        and 1 <= int(day[2]) <= 31
        for day in days
    )
    return whole if good and days else None


def _counted_at(sample: list[list[str]], at: int) -> Callable[[list[str]], list[str]] | None:
    """How seconds or their thousandths since 1970 in a column become stamps; None where they are none that run on."""
    cells = [row[at].strip() for row in sample]
    if len(cells) < COUNTED or not all(map(_SINCE_1970.fullmatch, cells)):
        return None
    if any(int(after) <= int(before) for before, after in pairwise(cells)):
        return None

    def stamped(row: list[str]) -> list[str]:
        cell = row[at].strip() if len(row) > at else ""
        if not _SINCE_1970.fullmatch(cell):
            return row
        moment = datetime.fromtimestamp(int(cell[:10]), UTC)
        return [*row[:at], f"{moment:%Y-%m-%dT%H:%M:%S}Z", *row[at + 1 :]]

    return stamped


def _fields(path: Path | str, number: int, line: str, delimiter: str) -> list[str]:
    try:
        return next(csv.reader([line.replace("\x00", "")], delimiter=delimiter), [])
    except csv.Error as error:
        raise InputError(path, f"line {number}", f"cannot be split into columns: {error}") from None


def _shape(rows: list[list[str]]) -> tuple[int, int, int, int | None, tuple[int, ...], int | None] | None:
    """Score, first data row, date column, time column, day columns and numbering column of a sample, or None."""
    for first, row in enumerate(rows[: SAMPLE // 2]):
        stamps = [i for i, field in enumerate(row) if read_stamp(field)]
        if not stamps:
            continue
        below = rows[first : first + 20]
        date = stamps[0]
        alike = sum(len(other) > date and read_stamp(other[date]) is not None for other in below)
        if alike < 0.7 * len(below):
            continue
        numbers = [
            i for i in range(len(row)) if i not in stamps and VALUE.fullmatch(row[i].strip()) and row[i].strip()
        ]
        time = None
        stamp = read_stamp(row[date])
        if stamp is not None and stamp.minute is None:
            times = [i for i in range(len(row)) if i != date and read_time(row[i]) is not None]
            # A number such as 0.42 reads like a time too; a colon does not lie, nor do quarter hours alone.
            times = [i for i in times if ":" in row[i] or HOUR_SPAN.search(row[i]) or _are_quarters(below, i)]
            if times:
                time = times[0]
                numbers = [i for i in numbers if i not in times]
            elif _run(numbers) in {24, 48, 96, 144, 288}:
                run = _run(numbers)
                return alike * 10 + run, first, date, None, tuple(numbers[:run]), None
            elif len(numbers) > 1 and (counting := _counting(below, date, numbers)) is not None:
                return alike * 10 + len(row), first, date, None, (), counting
            elif len(stamps) == 1 or not numbers:
                continue
        if numbers:
            return alike * 10 + len(row), first, date, time, (), None
    return None


def _are_quarters(rows: list[list[str]], column: int) -> bool:
    return all(len(row) > column and QUARTER.fullmatch(row[column].strip()) for row in rows)


def _counting(rows: list[list[str]], date: int, numbers: list[int]) -> int | None:
    """The first column that counts up by one within each day, from 0 or 1 on; None where none does."""
    for column in numbers:
        cells = [(row[date], row[column].strip()) for row in rows if len(row) > max(date, column)]
        if len(cells) < COUNTED or not all(cell.isdecimal() and int(cell) <= MOST_A_DAY for _, cell in cells):
            continue
        counts = [(day, int(cell)) for day, cell in cells]
        if all(
            after == before + 1 if day == same else after in {0, 1}
            for (same, before), (day, after) in pairwise(counts)
        ):
            return column
    return None


def _run(numbers: list[int]) -> int:
    """How many columns stand side by side from the first of them on."""
    length = 0
    for i, column in enumerate(numbers):
        if column != numbers[0] + i:
            break
        length = i + 1
    # A total beside the intervals is not one of them.
    return next((size for size in (288, 144, 96, 48, 24) if size <= length <= size + 2), length)


def _are_registers(names: tuple[str, ...]) -> bool:
    """Whether a column names the registers of one meter: of what came in and went out, or of its tariffs."""
    out = [EXPORT_WORDS.search(name) is not None for name in names]
    parted = any(out) or all(TARIFF.search(name) for name in names)
    return parted and all(is_out or INWARD.search(name) for name, is_out in zip(names, out, strict=True))


def one_meter(path: str | Path, table: Table, reading: MeterReading) -> tuple[tuple[str, ...], Table]:
    """Names of the meters in a file, and the rows of the one that is meant.

    Raises
    ------
    InputError
        When there are several and none is chosen.
    """
    for column, name in enumerate(table.header):
        if column in {table.date, table.time} or not METER_WORDS.search(name) or UNITS.search(name):
            continue
        here = [row[column].strip() if len(row) > column else "" for row in table.rows]
        names = tuple(dict.fromkeys(here))
        if len(names) < 2 or len(names) > 20 or len(names) > len(here) / 10:
            continue
        if reading.meter is None and _are_registers(names):
            return (), replace(table, register=column)
        if reading.meter is None:
            where = next(i for i, result in enumerate(here) if result != here[0])
            listed = ", ".join(repr(result) for result in names)
            raise InputError(
                path,
                f"line {table.lines[where]}",
                f"{name.strip()} holds {len(names)} meters ({listed}); wanted one: choose which",
            )
        if reading.meter not in names:
            raise InputError(path, name.strip(), f"no meter is called {reading.meter!r}; wanted one of {names}")
        kept = [i for i, result in enumerate(here) if result == reading.meter]
        rows, lines = [table.rows[i] for i in kept], [table.lines[i] for i in kept]
        return names, replace(table, rows=rows, lines=lines)
    return (), table
