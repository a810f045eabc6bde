"""Tables as CSV and XLSX."""

import csv
import io
import re
from pathlib import Path

from calm_relay.exchange.files import make_folder, write_atomically

# What a spreadsheet takes for the beginning of a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\n")
_CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ufffe\uffff]")


def plain_text(text: str) -> str:
    """A text without characters that no spreadsheet takes; a mark stands in their place."""
    return _CONTROL.sub("\ufffd", text.replace("\r\n", "\n").replace("\r", "\n"))


def shown_cell(value: str | float | None) -> str | float | None:
    """A cell of a CSV as a spreadsheet shows it: text that looks like a formula has an apostrophe before it."""
    if not isinstance(value, str):
        return value
    text = plain_text(value)
    return f"'{text}" if text.lstrip(" ").startswith(_FORMULA) and not _is_number(text) else text


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def table_text(rows: list[list[str | float | None]]) -> str:
    """Rows as CSV."""
    stream = io.StringIO()
    csv.writer(stream, lineterminator="\n").writerows([shown_cell(value) for value in row] for row in rows)
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
            sheet.append([plain_text(value) if isinstance(value, str) else value for value in row])
        for row in sheet.iter_rows():
            for cell in row:
                if cell.data_type == "f":
                    # Text that begins with an equals sign is text, and stays it when it is edited.
                    cell.data_type, cell.quotePrefix = "s", True
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


def write_tables(
    tables: dict[str, list[list[str | float | None]]], folder: Path, book: str = "plan.xlsx"
) -> list[Path]:
    """Writes every table as CSV and all of them as one workbook, called `book`; returns the files.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    make_folder(folder)
    written = []
    for name, rows in tables.items():
        written.append(folder / f"{name}.csv")
        write_atomically(written[-1], table_text(rows).encode())
    written.append(folder / book)
    write_atomically(written[-1], workbook_bytes(tables))
    return written
