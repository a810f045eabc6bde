"""A meter's file of any kind, told apart by what it holds."""

import re
from pathlib import Path

from calm_relay.exchange.bounds import any_text, read_bytes
from calm_relay.exchange.green_button import read_green_button
from calm_relay.exchange.interval_csv import Wanted, read_interval_csv
from calm_relay.exchange.meter_data import MeterData
from calm_relay.exchange.nem12 import read_nem12
from calm_relay.exchange.spreadsheet import is_packed, only_member, workbook_sheets
from calm_relay.job.survey import MeterReading

# A year of five minutes in a sheet, and a little.
MOST_SHEET_ROWS = 200_000
DAY = re.compile(r"\d{4}-\d{2}-\d{2}")
TIMED = re.compile(DAY.pattern + r" \d{2}:\d{2}(?::\d{2})?")


def read_meter_file(path: Path, reading: MeterReading, time_zone: str, *, wanted: Wanted = "use") -> MeterData:
    """Intervals from an interval CSV or workbook, Green Button XML or NEM12 file, or from one in a ZIP archive.

    Parameters
    ----------
    path : path-like
        The file.
    reading : MeterReading
        What the user states about a CSV, and which of several meters is meant.
    time_zone : str
        Local clock of the site.
    wanted : Wanted
        What is looked for among the columns of a CSV or a workbook.

    Raises
    ------
    InputError
        Names the line or element that is wrong and what would be right.
    """
    text = meter_text(path)
    if not is_table(text):
        is_xml = text.lstrip().startswith("<")
        return read_green_button(path, text, reading) if is_xml else read_nem12(path, text, reading)
    return read_interval_csv(path, text, reading, time_zone, wanted=wanted)


def is_table(text: str) -> bool:
    """Whether a meter's file is a table, and neither Green Button XML nor NEM12."""
    start = text.lstrip()[:400]
    return not start.startswith("<") and re.match(r'"?100"?,"?NEM1', start) is None


def meter_text(path: Path | str, kind: str = "meter") -> str:
    """Text of a meter's file or another table, whichever of the common encodings it is in.

    Of a workbook the cells of its longest sheet; of an archive its one file.

    Raises
    ------
    InputError
        When it is missing, unreadable, or far too large.
    """
    raw = read_bytes(Path(path), kind)
    if not is_packed(raw):
        return any_text(raw)
    inner = only_member(Path(path), kind)
    return any_text(inner) if inner is not None else _fullest_sheet(Path(path), kind)


def _fullest_sheet(path: Path, kind: str) -> str:
    """Rows of a workbook's longest sheet, with tabs between their cells; its lines are the sheet's."""
    sheets = workbook_sheets(path, kind, MOST_SHEET_ROWS)
    rows = max(sheets, key=len, default=[])
    # A cell at midnight is a day without a time; in a column of times it is one of them.
    timed = {column for row in rows for column, cell in enumerate(row) if TIMED.fullmatch(cell)}
    rows = [
        [f"{cell} 00:00" if column in timed and DAY.fullmatch(cell) else cell for column, cell in enumerate(row)]
        for row in rows
    ]
    return "\n".join("\t".join(" ".join(cell.split()) for cell in row) for row in rows)
