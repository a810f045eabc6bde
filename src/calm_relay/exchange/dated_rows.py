"""Rows of a table that has days or months in a column: bills, and what a portal tells of days and months."""

import re
from collections.abc import Callable, Container, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path

from calm_relay.exchange.bounds import any_text, read_bytes
from calm_relay.exchange.csv_layout import DELIMITERS, VALUE, plain_number
from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.spreadsheet import is_packed, only_member, workbook_sheets
from calm_relay.exchange.stamps import Stamp, month_of, read_stamp

_MONTH = re.compile(
    r"(?:(?P<year>\d{4})[-/. ](?P<number>\d{1,2})|(?P<after>\d{1,2})[-/. ](?P<then>\d{4})"
    r"|(?P<word>[^\W\d_]{3,10})\.?[-/. ']+(?P<late>\d{4}|\d{2}))"
)
_COMMAS, _POINTS = (re.compile(rf"\D*\d{{1,3}}(?:{mark}\d{{3}})+\D*") for mark in (",", r"\."))
_EMPTY = {"", "-", "–"}
_YEAR = re.compile(r"((?:19|20)\d{2})(?:\s*[(\[]?kwh[)\]]?)?", re.I)
# Lines by which days are told from intervals within them.
FIRST_LINES = 300
# So many names of months beside one another are months across; so many figures are a table of them, of so many rows.
MONTHS_ACROSS, FEWEST, MOST_DOWN = 6, 3, 200
_YEAR_HEAD = re.compile(r"year|jahr|año|ann[ée]+e?|anno|ano|jaar|rok|år", re.I)
_MONTH_HEAD = re.compile(r"month|monat|mes|m[êe]s|mois|mese|maand|miesi[ąa]c|m[åa]nad|måned", re.I)
_SPAN = re.compile(r"\s+(?:-|–|to|until|bis|au|al|a|tot)\s+|\s*–\s*", re.I)


@dataclass(frozen=True)
class Row:
    """Cells of a line of the file."""

    line: int
    cells: list[str]

    def at(self, column: int) -> str:
        """A cell, empty past the row's end."""
        return self.cells[column].strip() if column < len(self.cells) else ""


def dated_rows(path: Path, kind: str) -> tuple[list[str], list[Row]]:
    """Heads and rows of the first table with days in it; lines of words above it and sums below it are left.

    Parameters
    ----------
    path : path-like
        A CSV, XLSX or ODS file, or an archive of one CSV.
    kind : str
        What it is, for how large it may be: of `exchange.bounds.MOST_BYTES`.

    Raises
    ------
    InputError
        When it cannot be read.
    """
    raw = read_bytes(path, kind)
    inner = only_member(path, kind) if is_packed(raw) else raw
    return _fullest(workbook_sheets(path, kind) if inner is None else _split(path, any_text(inner)))


def first_dated_rows(path: Path, text: str) -> list[Row]:
    """Rows of the first table with days in it among the first lines of a text.

    Raises
    ------
    InputError
        When a line cannot be split.
    """
    return _fullest(_split(path, "\n".join(text.split("\n", FIRST_LINES)[:FIRST_LINES])))[1]


def _split(path: Path, text: str) -> list[list[list[str]]]:
    return [split_lines(path, text, delimiter) for delimiter in DELIMITERS]


def _fullest(choices: Sequence[list[list[str]]]) -> tuple[list[str], list[Row]]:
    """Heads and rows of whichever reading of a file has the most rows with days."""
    best: tuple[int, list[str], list[Row]] = (0, [], [])
    for cells in choices:
        unfolded = _unfolded(cells)
        rows = unfolded or [Row(number, row) for number, row in enumerate(_months_in_one(cells), 1)]
        dated = [number for number, row in enumerate(rows) if _is_dated(row)]
        if dated and len(dated) * 100 + len(rows[dated[0]].cells) > best[0]:
            body = [row for row in rows[dated[0] : dated[-1] + 1] if any(cell.strip() for cell in row.cells)]
            above = [row.cells for row in rows[: dated[0]] if sum(map(_is_word, row.cells)) > 1]
            best = (len(dated) * 100 + len(rows[dated[0]].cells), above[-1] if above else [], body)
    heads = best[1]
    return heads + [""] * (max((len(row.cells) for row in best[2]), default=0) - len(heads)), best[2]


def _unfolded(cells: list[list[str]]) -> list[Row]:
    """Rows of a table that has months down and years across, or years down and months across; none of any other."""
    for at, row in enumerate(cells[:30]):
        years = {column: number for column, cell in enumerate(row) if (number := _year_number(cell)) is not None}
        months = {column: number for column, cell in enumerate(row) if (number := _month_number(cell)) is not None}
        body = list(enumerate(cells[at + 1 : at + 1 + MOST_DOWN], at + 2))
        if years and not months:
            down = [(line, other, _down(other, years, _month_number)) for line, other in body]
            found = [
                Row(line, [f"{year}-{number:02d}", other[column]])
                for column, year in years.items()
                for line, other, number in down
                if number is not None and len(other) > column and other[column].strip() not in _EMPTY
            ]
        elif len(months) >= MONTHS_ACROSS:
            found = [
                Row(line, [f"{year}-{number:02d}", other[column]])
                for line, other in body
                if (year := _down(other, months, _year_number)) is not None
                for column, number in months.items()
                if len(other) > column and other[column].strip() not in _EMPTY
            ]
        else:
            continue
        if len(found) >= FEWEST:
            return sorted(found, key=lambda row: row.cells[0])
    return []


def _down(row: list[str], across: Container[int], number: Callable[[str], int | None]) -> int | None:
    """The month or the year of a row, in the first of its cells that is none of those across."""
    return next(
        (found for column, cell in enumerate(row) if column not in across and (found := number(cell)) is not None),
        None,
    )


def _month_number(cell: str) -> int | None:
    word = cell.strip().rstrip(".")
    return month_of(word) if re.fullmatch(r"[^\W\d_]{3,10}", word) and not _MONTH_HEAD.fullmatch(word) else None


def _year_number(cell: str) -> int | None:
    return int(match[1]) if (match := _YEAR.fullmatch(cell.strip())) else None


def _months_in_one(cells: list[list[str]]) -> list[list[str]]:
    """Rows with a column of years and one of months have both in the first of them: "2025-03"."""
    for at, row in enumerate(cells[:30]):
        year = next((column for column, cell in enumerate(row) if _YEAR_HEAD.fullmatch(cell.strip())), None)
        month = next((column for column, cell in enumerate(row) if _MONTH_HEAD.fullmatch(cell.strip())), None)
        if year is not None and month is not None:
            return cells[: at + 1] + [_with_month(row, year, month) for row in cells[at + 1 :]]
    return cells


def _with_month(row: list[str], year: int, month: int) -> list[str]:
    if len(row) <= max(year, month) or not re.fullmatch(r"\s*\d{4}\s*", row[year]):
        return row
    cell = row[month].strip()
    number = int(cell) if cell.isdecimal() and len(cell) < 3 else month_of(cell)
    if number is None:
        return row
    joined = list(row)
    joined[year], joined[month] = f"{row[year].strip()}-{number:02d}", ""
    return joined


def _is_word(cell: str) -> bool:
    return re.search(r"[^\W\d_]", cell) is not None


def _is_dated(row: Row) -> bool:
    """Whether a row has a day or a month, and more beside it."""
    filled = [cell.strip() for cell in row.cells if cell.strip()]
    return len(filled) > 1 and any(map(has_day, filled))


def has_day(cell: str) -> bool:
    """Whether a cell holds a day, a month or two days."""
    return read_stamp(cell) is not None or whole_month(cell) is not None or two_days(cell) is not None


def two_days(cell: str) -> tuple[Stamp, Stamp] | None:
    """The first and the last day of a cell that holds both."""
    parts = _SPAN.split(cell.strip())
    found = [read_stamp(part) for part in parts]
    return (found[0], found[1]) if len(found) == 2 and found[0] and found[1] else None


def whole_month(cell: str) -> tuple[int, int] | None:
    """Year and month of a cell that names a whole month."""
    match = _MONTH.fullmatch(cell.strip())
    if match is None:
        return None
    if match["word"]:
        month, year = month_of(match["word"]), int(match["late"])
    else:
        month, year = int(match["number"] or match["after"]), int(match["year"] or match["then"])
    year += 2000 if year < 100 else 0
    return (year, month) if month is not None and 1 <= month <= 12 and 1990 <= year <= 2100 else None


def names_months(head: str) -> bool:
    """Whether a head says that a column's days stand for their months."""
    return _MONTH_HEAD.fullmatch(head.strip()) is not None


def month_around(first: date) -> tuple[date, date]:
    """The first day of a day's month, and the first of the next."""
    return first.replace(day=1), (first.replace(day=1) + timedelta(days=31)).replace(day=1)


def is_numeric(cells: Sequence[str]) -> bool:
    """Whether most of a column's cells that are filled are numbers."""
    filled = [cell for cell in cells if cell not in _EMPTY]
    good = sum(VALUE.fullmatch(cell) is not None and not has_day(cell) for cell in filled)
    return good >= max(1.0, 0.6 * len(filled))


def decimal_mark(cells: Sequence[str], few_kwh: float) -> str:
    """The decimal mark of a table's energies.

    Parameters
    ----------
    cells : sequence of str
        Its energies as they are written.
    few_kwh : float
        No energy of such a table is as small; 0 where three digits behind a mark may be decimals [kWh].
    """
    for cell in cells:
        if "," in cell and "." in cell:
            return max(",.", key=cell.rfind)
    commas = [cell for cell in cells if "," in cell]
    points = [cell for cell in cells if "." in cell]
    # Three digits behind every mark are thousands where the numbers are otherwise whole.
    if commas and not points:
        return "." if few_kwh and all(map(_COMMAS.fullmatch, commas)) else ","
    if few_kwh and points and not commas and all(map(_POINTS.fullmatch, points)):
        few = all(float(re.sub(r"[^\d.]", "", cell)) < few_kwh for cell in points if cell.count(".") == 1)
        return "," if few else "."
    return "."


def day_first(stamps: Sequence[Sequence[Stamp]], lengths: tuple[int, int], *, month_first: bool) -> bool:
    """Whether days stand before months: as one of them says, else as the rows run on, else as is usual there.

    Parameters
    ----------
    stamps : sequence of sequence of Stamp
        Those of each row.
    lengths : tuple of int
        Between how many days a row is long.
    month_first : bool
        What is usual.
    """
    flat = [stamp for row in stamps for stamp in row if not (stamp.year_first or stamp.named_month)]
    if any(stamp.a > 12 for stamp in flat):
        return True
    if any(stamp.b > 12 for stamp in flat):
        return False
    good, bad = (_regular(stamps, lengths, order) for order in (True, False))
    return good > bad if good != bad else not month_first


def _regular(stamps: Sequence[Sequence[Stamp]], lengths: tuple[int, int], order: bool) -> int:
    """How many rows are as long as they are to be, and follow one another in one direction, read in an order."""
    try:
        days = [[stamp.when(order).date() for stamp in row] for row in stamps]
    except ValueError:
        return -len(stamps)
    least, most = lengths
    own = [(row[-1] - row[0]).days for row in days if len(row) > 1]
    steps = [(after[0] - before[0]).days for before, after in pairwise(days) if before and after]
    onward = max(sum(least <= step <= most for step in steps), sum(-most <= step <= -least for step in steps))
    return sum(least <= length <= most for length in own) - sum(length < 0 for length in own) + onward


def stamps_of(row: Row, columns: Sequence[int]) -> list[Stamp]:
    """The days in some columns of a row."""
    found: list[Stamp] = []
    for column in columns:
        two = two_days(row.at(column))
        stamp = read_stamp(row.at(column))
        found += list(two) if two else [stamp] if stamp else []
    return found


def energy_in(path: Path, row: Row, column: int, heads: Sequence[str], mark: str) -> float | None:
    """A cell's energy [kWh], None where it is empty.

    Raises
    ------
    InputError
        Names the line of a cell that holds none.
    """
    text = row.at(column)
    if text in _EMPTY:
        return None
    unit = re.search(r"\b([mk]?wh)\b", f"{text} {heads[column] if column < len(heads) else ''}", re.I)
    plain = re.sub(r"\s*[mk]?wh$", "", text, flags=re.I)
    value = plain_number(plain, mark) if VALUE.fullmatch(plain) else None
    if value is None:
        raise InputError(path, f"line {row.line}", f"the energy is {text!r}; wanted kWh")
    return value * {"mwh": 1000.0, "wh": 0.001}.get(unit[1].lower() if unit else "kwh", 1.0)
