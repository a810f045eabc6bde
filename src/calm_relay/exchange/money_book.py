"""A cash flow as a workbook with live formulas: whoever doubts a figure can follow it cell by cell."""

import io
from collections.abc import Mapping, Sequence
from typing import Any

from openpyxl import Workbook
from openpyxl.styles import Font
from openpyxl.utils import get_column_letter

from calm_relay.exchange.table_file import plain_text

MONEY = "#,##0;[Red]-#,##0"


def money_workbook(
    title: str,
    currency: str,
    assumptions: Sequence[tuple[str, str, float | str]],
    saved: Mapping[str, tuple[Sequence[float], str]],
    flows: Mapping[str, Sequence[float]],
    notes: Sequence[str],
    beside: Mapping[str, Sequence[float]] | None = None,
) -> bytes:
    """A workbook of two sheets, assumptions and cash flow; a third where more changes than the plan.

    Parameters
    ----------
    title, currency : str
        What the option is called, and its money.
    assumptions : sequence of (key, words, value)
        Cells that formulas read, by key; "discount" is among them.
    saved : mapping of str to (sequence of float, str)
        By its words what is saved in each year in today's prices, and the key of the assumption by which its price
        rises.
    flows : mapping of str to sequence of float
        By their words sums of each year, today first, that no formula makes.
    notes : sequence of str
        What is assumed, in words.
    beside : mapping of str to sequence of float, optional
        By their words sums of each year, today first, of what changes beside the plan.

    Returns
    -------
    bytes
        Of an XLSX file; net, running sum, discounted sums, present value and rate of return are formulas.
    """
    book = Workbook()
    sheet = book.active
    sheet.title = "Cash flow"
    given = book.create_sheet("Assumptions")
    cells = {}
    given.append([plain_text(title)])
    given.append(["Assumption", "Value"])
    for key, words, value in assumptions:
        given.append([words, value])
        cells[key] = f"Assumptions!$B${given.max_row}"
    given.append([])
    for note in notes:
        given.append([plain_text(note)])
    given.column_dimensions["A"].width, given.column_dimensions["B"].width = 56, 16
    years = len(next(iter(flows.values()))) - 1
    last = get_column_letter(years + 2)
    sheet.append([f"{plain_text(title)}, {currency}"])
    sheet.append(["Year", *range(years + 1)])
    sheet.append(["Saved in today's prices"])
    priced = {}
    for words, (amounts, _) in saved.items():
        sheet.append([f"{words}, today's prices", None, *(float(amount) for amount in amounts)])
        priced[words] = sheet.max_row
    sheet.append(["Money in and out"])
    first = sheet.max_row + 1
    for words, (_, rise) in saved.items():
        row = priced[words]
        made = [
            f"={get_column_letter(year + 2)}{row}*{_price(cells, rise, get_column_letter(year + 2))}"
            for year in range(1, years + 1)
        ]
        sheet.append([words, 0.0, *made])
    for words, amounts in flows.items():
        sheet.append([words, *(float(amount) for amount in amounts)])
    end = sheet.max_row
    letters = [get_column_letter(year + 2) for year in range(years + 1)]
    sheet.append(["Net", *(f"=SUM({letter}{first}:{letter}{end})" for letter in letters)])
    net = sheet.max_row
    sheet.append(["Running sum", *(f"=SUM($B{net}:{letter}{net})" for letter in letters)])
    rate = cells["discount"]
    sheet.append(["Discounted", *(f"={letter}{net}/(1+{rate})^{letter}$2" for letter in letters)])
    worth = sheet.max_row
    sheet.append([])
    sheet.append(["Net present value", f"=SUM(B{worth}:{last}{worth})"])
    sheet.append(["Rate of return", f"=IRR(B{net}:{last}{net})"])
    _dress(sheet, 3, (1, 2, 3, first - 1, net))
    if beside:
        _whole(book.create_sheet("Whole change", 1), f"{plain_text(title)}, {currency}", beside, net, rate)
    for row in given.iter_rows(min_row=1, max_row=2):
        for cell in row:
            cell.font = Font(bold=True)
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


def _whole(sheet: Any, title: str, beside: Mapping[str, Sequence[float]], plan_net: int, rate: str) -> None:
    """What changes beside the plan, and all together; the plan's net is read from its own sheet."""
    years = len(next(iter(beside.values()))) - 1
    letters = [get_column_letter(year + 2) for year in range(years + 1)]
    sheet.append([title])
    sheet.append(["Year", *range(years + 1)])
    for words, amounts in beside.items():
        sheet.append([words, *(float(amount) for amount in amounts)])
    sheet.append(["This plan beside it", *(f"='Cash flow'!{letter}{plan_net}" for letter in letters)])
    end = sheet.max_row
    sheet.append(["Net of all", *(f"=SUM({letter}3:{letter}{end})" for letter in letters)])
    net = sheet.max_row
    sheet.append(["Running sum", *(f"=SUM($B{net}:{letter}{net})" for letter in letters)])
    sheet.append(["Discounted", *(f"={letter}{net}/(1+{rate})^{letter}$2" for letter in letters)])
    worth = sheet.max_row
    sheet.append([])
    sheet.append(["Net present value", f"=SUM(B{worth}:{letters[-1]}{worth})"])
    sheet.append(["Rate of return", f"=IRR(B{net}:{letters[-1]}{net})"])
    _dress(sheet, 3, (1, 2, net))


def _dress(sheet: Any, first: int, strong: Sequence[int]) -> None:
    """Number formats from a row on, strong rows with the last two, widths."""
    for row in sheet.iter_rows(min_row=first, max_row=sheet.max_row - 1, min_col=2):
        for cell in row:
            cell.number_format = MONEY
    sheet.cell(sheet.max_row, 2).number_format = "0.0%"
    for row in (*strong, sheet.max_row - 1, sheet.max_row):
        for cell in sheet[row]:
            cell.font = Font(bold=True)
    sheet.column_dimensions["A"].width = 42
    sheet.freeze_panes = "B3"


def _price(cells: Mapping[str, str], rise: str, letter: str) -> str:
    """A year's price over today's: its rise, and what is paid after a contract ends where there is one."""
    risen = f"(1+{cells[rise]})^({letter}$2-1)"
    if rise == "export rise" and "contract" in cells:
        return f"{risen}*IF({letter}$2>{cells['contract']},{cells['after']},1)"
    return risen
