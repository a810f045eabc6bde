"""The bench Survey: the next thing worth measuring stands on top, and prints for the visit."""

import pytest
from pypdf import PdfReader
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from tests.desk.driving import LEFT, painted, press


@pytest.fixture
def bench(window, qtbot):
    press(qtbot, window, "Ctrl+Shift+Y")
    bench = window.bench
    qtbot.waitUntil(lambda: bench.settled)
    return bench


def test_the_list_is_sorted_and_says_what_to_measure_next(bench):
    first = bench.result.swings[0]
    assert bench.table.item(0, 0).text() == first.entry.label
    assert first.entry.label[1:] in bench.summary.text()
    states = [bench.table.item(row, 2).text() for row in range(bench.table.rowCount())]
    assert states == sorted(states, key=("assumed", "missing", "measured").index)
    assert painted(bench.table) > 0.01


def test_a_row_opens_where_it_is_edited(window, bench):
    row = next(row for row in range(bench.table.rowCount()) if bench.table.item(row, 0).text() == "Soiling")
    bench.table.itemActivated.emit(bench.table.item(row, 0))
    assert window.bench_name == "Roof"


def test_an_edit_turns_everything_anew(window, bench, qtbot, settled):
    job = window.session.job
    window.session.edit(job.with_(losses=job.losses.with_(soiling=0.05)), "soiling")
    qtbot.waitUntil(lambda: not bench.settled or bench.result is None)
    qtbot.waitUntil(lambda: bench.settled)
    rows = {
        bench.table.item(row, 0).text(): bench.table.item(row, 2).text() for row in range(bench.table.rowCount())
    }
    assert rows["Soiling"] == "measured"


def test_the_sheet_for_the_visit_is_printed_with_blanks(window, bench, qtbot, tmp_path, monkeypatch, asked):
    path = tmp_path / "visit.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    qtbot.mouseClick(bench.print, LEFT)
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(path).pages).split())
    assert f"Site visit: {window.session.job.name}" in text
    for swing in bench.result.swings:
        assert swing.entry.label in text
    assert "Measured" in text
    (tmp_path / "folder.pdf").mkdir()
    assert not window.files.write_site_visit(bench.result, tmp_path / "folder.pdf")
    assert "Nothing of the job is lost" in asked[-1]
    assert bench.table.focusPolicy() & Qt.FocusPolicy.TabFocus
