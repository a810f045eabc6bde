"""The cells of a spreadsheet's sheet as text: CSV, XLSX and ODS; heads, units and rows told apart."""

import csv
import io
import re
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from pathlib import Path

from calm_relay.exchange.bounds import (
    LONGEST_CELL,
    MOST_BYTES,
    MOST_COLUMNS,
    MOST_GROWN,
    MOST_ROWS,
    MOST_UNPACKED,
    checked_size,
    read_text,
)
from calm_relay.exchange.errors import InputError

HEAD_ROWS = 30
ENDINGS = (".csv", ".txt", ".tsv", ".xlsx", ".ods")


@dataclass(frozen=True)
class SheetTable:
    """A sheet: what heads its columns, the units under the heads ("" where none stand), its rows and their numbers."""

    path: Path
    heads: tuple[str, ...]
    units: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...]


def read_spreadsheet(path: Path) -> SheetTable:
    """The first sheet of a file that holds a table.

    Raises
    ------
    InputError
        When it is of no kind that is read, damaged, too large, or holds no table.
    """
    path = Path(path)
    if path.suffix.lower() not in ENDINGS:
        raise InputError(path, "", f"ends in {path.suffix or 'nothing'}; wanted one of {', '.join(ENDINGS)}")
    checked_size(path, "spreadsheet")
    packed = path.suffix.lower() in {".xlsx", ".ods"}
    sheets = _packed_sheets(path) if packed else [_csv_cells(path)]
    for cells in sheets:
        table = _table_of(path, cells)
        if table is not None:
            return table
    raise InputError(path, "", "holds no table; wanted a row of heads with rows of values under it")


def _csv_cells(path: Path) -> list[list[str]]:
    text = read_text(path, "spreadsheet")
    first = next((line for line in text.splitlines() if line.strip()), "")
    mark = max(";\t|,", key=lambda mark: (first.count(mark), mark == ";"))
    rows = []
    try:
        for row in csv.reader(io.StringIO(text), delimiter=mark):
            rows.append([cell.strip() for cell in row])
            if len(rows) > MOST_ROWS:
                raise InputError(path, "", f"has more than {MOST_ROWS:,} rows; wanted fewer")
    except csv.Error as error:
        raise InputError(path, f"line {len(rows) + 1}", f"cannot be read ({error}); wanted a CSV") from None
    return rows


def is_packed(raw: bytes) -> bool:
    """Whether a file's first bytes are those of a workbook or of another archive."""
    return raw[:4] in {b"PK\x03\x04", b"PK\x05\x06"}


def only_member(path: Path, kind: str) -> bytes | None:
    """Content of the one file in an archive that is no workbook; None for a workbook.

    Parameters
    ----------
    path : path-like
        The archive.
    kind : str
        What it is to hold; see `bounds.MOST_BYTES`.

    Raises
    ------
    InputError
        When it is damaged or too large, or holds several files or none.
    """
    path = Path(path)
    _refuse_bomb(path)
    try:
        with zipfile.ZipFile(path) as archive:
            names = [name for name in archive.namelist() if not name.endswith("/") and "__MACOSX" not in name]
            if {"[Content_Types].xml", "mimetype"} & set(names):
                return None
            if len(names) != 1:
                held = ", ".join(names[:6]) if names else "no file"
                raise InputError(path, "", f"is an archive with {held}; wanted one file in it: unpack it")
            with archive.open(names[0]) as stream:
                content = stream.read(MOST_BYTES[kind] + 1)
    except InputError:
        raise
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError, OSError):
        raise InputError(path, "", "is a damaged or locked archive; wanted one that can be unpacked") from None
    if len(content) > MOST_BYTES[kind]:
        raise InputError(path, names[0], f"is larger than {MOST_BYTES[kind] // 1_000_000} MB; wanted less")
    return content


def workbook_sheets(path: Path, kind: str, most_rows: int = MOST_ROWS) -> list[list[list[str]]]:
    """Cells of every sheet of an XLSX or ODS file as text, times of day with their dates.

    Parameters
    ----------
    path : path-like
        The file.
    kind : str
        What it is to hold; see `bounds.MOST_BYTES`.
    most_rows : int
        How many rows a sheet may have.

    Raises
    ------
    InputError
        When it is damaged, no such file, or too large.
    """
    path = Path(path)
    checked_size(path, kind)
    return _packed_sheets(path, most_rows, _whole_text)


def _packed_sheets(
    path: Path, most_rows: int = MOST_ROWS, text: Callable[[object], str] | None = None
) -> list[list[list[str]]]:
    from python_calamine import CalamineError, CalamineWorkbook

    if path.suffix.lower() == ".xls":
        raise InputError(path, "", "is a spreadsheet of the old kind (XLS); wanted it saved as XLSX, ODS or CSV")
    text = text or _text
    _refuse_bomb(path)
    try:
        book = CalamineWorkbook.from_path(str(path))
        found = []
        for name in book.sheet_names:
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
            if len(rows) > most_rows:
                raise InputError(path, f"sheet {name}", f"has {len(rows):,} rows; wanted at most {most_rows:,}")
            found.append([[text(cell) for cell in row] for row in rows])
    except (CalamineError, OSError, ValueError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError(path, "", "is damaged or no spreadsheet; wanted XLSX or ODS") from None
    return found


def _refuse_bomb(path: Path) -> None:
    try:
        with zipfile.ZipFile(path) as archive:
            unpacked = sum(info.file_size for info in archive.infolist())
    except (zipfile.BadZipFile, NotImplementedError, ValueError, OSError):
        raise InputError(path, "", "is damaged or no spreadsheet; wanted XLSX or ODS") from None
    if unpacked > MOST_UNPACKED or unpacked > MOST_GROWN * max(path.stat().st_size, 1):
        raise InputError(path, "", f"unpacks to {unpacked // 2**20:,} MB; wanted a plain spreadsheet")


def _text(cell: object) -> str:
    if cell is None or isinstance(cell, bool):
        return "" if cell is None else ("yes" if cell else "no")
    if isinstance(cell, float):
        return f"{cell:.12g}"
    if isinstance(cell, date | datetime):
        return cell.isoformat()[:10]
    return str(cell).strip()[:LONGEST_CELL]


def _whole_text(cell: object) -> str:
    """A cell's text with the time of day where it has one; a spreadsheet's times are off by parts of a second."""
    if isinstance(cell, datetime):
        cell = (cell + timedelta(milliseconds=500)).replace(microsecond=0)
        return cell.strftime("%Y-%m-%d %H:%M:%S" if cell.second else "%Y-%m-%d %H:%M")
    if isinstance(cell, time | timedelta):
        seconds = round(
            cell.total_seconds()
            if isinstance(cell, timedelta)
            else cell.hour * 3600 + cell.minute * 60 + cell.second + cell.microsecond / 1e6
        )
        return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}"
    return _text(cell)


def _table_of(path: Path, cells: list[list[str]]) -> SheetTable | None:
    """The table of a sheet: its heads are the fullest of the first rows that are words."""
    words = {
        number: sum(bool(re.search(r"[^\W\d_]", cell)) for cell in row)
        for number, row in enumerate(cells[:HEAD_ROWS])
    }
    at = max(words, key=lambda number: (words[number], -number), default=None)
    if at is None or words[at] < 2:
        return None
    # Of rows that are nearly as full the first holds the heads.
    at = next(number for number in words if words[number] >= max(2, 0.8 * words[at]))
    width = max(len(row) for row in cells[at:])
    if width > MOST_COLUMNS:
        raise InputError(path, f"row {at + 1}", f"has {width} columns; wanted at most {MOST_COLUMNS}")
    heads = _joined_heads(cells, at, width)
    body = at + 1
    units = [""] * width
    if body < len(cells) and _is_units(cells[body]):
        units = [_bare_unit(cell) for cell in _wide(cells[body], width)]
        body += 1
    rows = [(number + 1, _wide(row, width)) for number, row in enumerate(cells) if number >= body and any(row)]
    if not rows:
        return None
    return SheetTable(
        path, tuple(heads), tuple(units), tuple(tuple(row) for _, row in rows), tuple(number for number, _ in rows)
    )


def _wide(row: list[str], width: int) -> list[str]:
    return [*row, *[""] * (width - len(row))][:width]


def _joined_heads(cells: list[list[str]], at: int, width: int) -> list[str]:
    """Heads, with the merged heads above them in front: "Dimensions" over "Length" is "Dimensions Length"."""
    heads = _wide(cells[at], width)
    above = _wide(cells[at - 1], width) if at else [""] * width
    filled = [cell for cell in above if cell]
    if not 1 <= len(filled) < len([cell for cell in heads if cell]) or len(filled) < 2:
        return heads
    group, result = "", []
    for upper, head in zip(above, heads, strict=True):
        group = upper or group
        result.append(f"{group} {head}".strip() if head else head)
    return result


_UNITS = re.compile(
    r"^[\[\(]?(units?|kwp?|w|wp|v|a|mm|cm|m|m2|m²|in|kg|lbs?|kwh|wh|ah|%|°c|c|s|ms|h|years?|ohm|"
    r"[a-z%]{1,2}/(?:k|°c|c))[\]\)]?$",
    re.I,
)


def _is_units(row: list[str]) -> bool:
    """Whether a row holds units: at least two cells are one, and hardly any is anything else."""
    filled = [cell for cell in row if cell]
    units = [cell for cell in filled if _UNITS.match(cell)]
    return len(units) >= 2 and len(units) >= 0.8 * len(filled)


def _bare_unit(cell: str) -> str:
    unit = cell.strip("[]() ")
    return "" if unit.lower() in {"unit", "units"} else unit
