"""Text in a table is shown by a spreadsheet and never executed."""

import csv
import io

import pytest
from openpyxl import load_workbook

from calm_relay.exchange.table_file import shown_cell, table_text, workbook_bytes

FORMULAS = ["=1+1", "+1+1", "-1+cmd", "@SUM(A1)", "\t=1", "\r=1", '=HYPERLINK("http://x")', "  =1+1"]


@pytest.mark.parametrize("text", FORMULAS)
def test_a_formula_is_text_in_csv_and_xlsx(text):
    assert shown_cell(text) == f"'{text}".replace("\r", "\n")
    rows = [["name", "kWh"], [text, -1.5]]
    (_, (first, second)) = csv.reader(io.StringIO(table_text(rows)))
    assert first.startswith("'") and second == "-1.5"
    sheet = load_workbook(io.BytesIO(workbook_bytes({"a": rows})))["a"]
    assert sheet["A2"].data_type == "s" and sheet["A2"].value.strip() == text.strip()
    assert sheet["B2"].value == -1.5


def test_numbers_written_as_text_stay_numbers():
    assert shown_cell("-12.5") == "-12.5" and shown_cell("+3") == "+3" and shown_cell(-1.0) == -1.0


def test_characters_that_no_spreadsheet_takes_become_marks():
    rows = [["a"], ["x\x00\x07\x1fy\ufffe"]]
    assert table_text(rows) == "a\nx\ufffd\ufffd\ufffdy\ufffd\n"
    sheet = load_workbook(io.BytesIO(workbook_bytes({"a": rows})))["a"]
    assert sheet["A2"].value == "x\ufffd\ufffd\ufffdy\ufffd"
