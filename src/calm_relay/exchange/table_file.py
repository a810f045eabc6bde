"""Tables as CSV and XLSX."""

import csv
import io
from pathlib import Path

from calm_relay.exchange.job_file import write_atomically


def table_text(rows: list[list[str | float | None]]) -> str:
    """Rows as CSV."""
    stream = io.StringIO()
    csv.writer(stream, lineterminator="\n").writerows(rows)
    return stream.getvalue()


def workbook_bytes(tables: dict[str, list[list[str | float | None]]]) -> bytes:
    """Tables by name as sheets of one XLSX workbook, heads bold and frozen, columns wide enough to read."""
    from openpyxl import Workbook
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    book.remove(book.active)
    for name, rows in tables.items():
        sheet = book.create_sheet(name)
        for row in rows:
            sheet.append(list(row))
        for cell in sheet[1]:
            cell.font = Font(bold=True)
        sheet.freeze_panes = "A2"
        for number, column in enumerate(zip(*rows, strict=True), 1):
            width = max(len("" if value is None else f"{value}") for value in column)
            sheet.column_dimensions[get_column_letter(number)].width = min(max(width + 2, 10), 70)
            for line in range(2, sheet.max_row + 1):
                sheet.cell(line, number).alignment = Alignment(wrap_text=True, vertical="top")
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


def write_tables(tables: dict[str, list[list[str | float | None]]], folder: Path) -> list[Path]:
    """Writes every table as CSV and all of them as one workbook; returns the files.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    folder.mkdir(parents=True, exist_ok=True)
    written = []
    for name, rows in tables.items():
        written.append(folder / f"{name}.csv")
        write_atomically(written[-1], table_text(rows).encode())
    written.append(folder / "plan.xlsx")
    write_atomically(written[-1], workbook_bytes(tables))
    return written
