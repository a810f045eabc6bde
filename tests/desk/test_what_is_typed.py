"""What is being typed counts: saving, leaving, printing and another bench take it first, or say why not."""

import pytest
from PySide6.QtWidgets import QFileDialog

from calm_relay.exchange.job_file import read_job
from tests.desk.driving import press


@pytest.fixture
def saved(window, tmp_path):
    path = tmp_path / "job.relay.json"
    window.session.save(path)
    return path


def typing(window, qtbot, bench, field_of, text):
    """Goes into a field and types, without leaving it."""
    window.open_bench(bench)
    field = field_of(window.bench)
    window.activateWindow()
    field.setFocus()
    qtbot.waitUntil(field.hasFocus)
    field.selectAll()
    qtbot.keyClicks(field, text)
    return field


def fuse(bench):
    return bench.inputs.editors["Main fuse"]


def test_a_number_being_typed_is_saved(window, qtbot, saved):
    field = typing(window, qtbot, "Grid", fuse, "80")
    press(qtbot, window, "Ctrl+S")
    assert read_job(saved).supply.main_fuse_a == 80.0
    assert field.text() == "80 A"
    assert not window.session.unsaved


def test_a_spin_being_typed_is_saved(window, qtbot, saved):
    typing(window, qtbot, "Battery", lambda bench: bench.panel.reserve, "25")
    press(qtbot, window, "Ctrl+S")
    assert read_job(saved).battery.reserve == 0.25


def test_notes_being_written_are_saved_at_once(window, qtbot, saved):
    window.open_bench("Notes")
    window.bench.notes.setPlainText("Board is behind the fridge")
    press(qtbot, window, "Ctrl+S")
    assert read_job(saved).notes == "Board is behind the fridge"


def test_leaving_asks_about_what_is_being_typed(window, qtbot, saved, asked):
    typing(window, qtbot, "Grid", fuse, "80")
    assert window.files.may_leave()
    assert "changes that are not saved" in asked[-1]
    assert window.session.job.supply.main_fuse_a == 80.0


def test_what_cannot_be_taken_keeps_the_window_and_says_why(window, qtbot, saved):
    before = saved.read_text()
    typing(window, qtbot, "Grid", fuse, "many")
    press(qtbot, window, "Ctrl+S")
    assert saved.read_text() == before
    assert "Not taken: Main fuse: 'many' is no number" in window.notice.text.text()
    field = typing(window, qtbot, "Grid", fuse, "99999")
    assert not window.files.may_leave()
    assert field.isVisible()


def test_another_bench_another_look_and_paper_take_it_too(window, qtbot, saved, tmp_path, monkeypatch):
    typing(window, qtbot, "Grid", fuse, "80")
    press(qtbot, window, "F7")
    assert window.session.job.supply.main_fuse_a == 80.0
    typing(window, qtbot, "Grid", fuse, "63")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: ("", ""))
    window.files.print_summary()
    assert window.session.job.supply.main_fuse_a == 63.0
    typing(window, qtbot, "Grid", fuse, "50")
    window.commands._take_look("dark")
    assert window.session.job.supply.main_fuse_a == 50.0
    window.desk.take_look("light")


def test_more_text_than_notes_hold_is_refused_as_it_is_pasted(window):
    from PySide6.QtCore import QMimeData

    window.open_bench("Notes")
    before = window.bench.notes.toPlainText()
    paste = QMimeData()
    paste.setText("x" * 5_000_000)
    window.bench.notes.insertFromMimeData(paste)
    assert window.bench.notes.toPlainText() == before
    assert "5,000,000 characters are more than fit" in window.bench.problem.text()
    paste.setText("a few words ")
    window.bench.notes.insertFromMimeData(paste)
    assert "a few words" in window.bench.notes.toPlainText()


def test_a_row_whose_face_is_gone_tells_of_no_edit(window, qtbot):
    window.open_bench("Roof")
    table = window.bench.table
    table.add.click()
    last = len(window.session.job.faces) - 1
    name, works = table.fields[last, "name"], table.fields[last, "count"]
    window.session.undo()
    told = []
    table.edited.connect(lambda job, label: told.append(label))
    name.setText("Shed")
    # Both are still there until the next turn, and leaving them tells what was typed.
    name.editingFinished.emit()
    works.accepted.emit(3.0)
    assert told == []
    assert len(window.session.job.faces) == last
