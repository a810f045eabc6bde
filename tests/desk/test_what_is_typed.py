"""What is being typed counts: saving, leaving, printing and another bench take it first, or say why not."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialogButtonBox, QFileDialog, QLineEdit, QMessageBox

from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.exchange.job_file import read_job
from tests.desk.driving import LEFT, press


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


def test_another_option_takes_what_is_being_typed(window, qtbot, saved):
    field = typing(window, qtbot, "Grid", fuse, "80")
    press(qtbot, window, "Ctrl+2")
    assert window.session.job.supply.main_fuse_a == 80.0 and field.text() == "80 A"


def test_a_plan_that_comes_leaves_what_is_being_typed(window, qtbot, settled):
    def first(bench):
        settled(window)
        bench.tabs.choose("ct")
        field = next(iter(bench.ct.fields.values()))
        qtbot.waitUntil(field.isVisible)
        return field

    field = typing(window, qtbot, "Commissioning", first, "1.2")
    qtbot.keyClick(field, Qt.Key.Key_Tab)
    after = window.focusWidget()
    assert after is not field and after in window.bench.ct.fields.values()
    qtbot.keyClicks(after, "3.")
    settled(window)
    assert after.text() == "3." and after.hasFocus()
    qtbot.keyClicks(after, "4")
    qtbot.keyClick(after, Qt.Key.Key_Tab)
    assert after.text() == "3.4 kW"
    (moment,) = window.session.job.commissioning.ct_moments
    assert (moment.load, moment.pv) == ((1.2,), (3.4,))


def test_the_focus_goes_on_from_a_rules_limit_and_its_reason(window, qtbot, settled):
    field = typing(window, qtbot, "Grid", lambda bench: bench.rules.limits["nz-volts"], "400")
    qtbot.keyClick(field, Qt.Key.Key_Tab)
    settled(window)
    after = window.focusWidget()
    assert after is not field and isinstance(after, QLineEdit) and after.isVisible()
    why = window.bench.rules.why["nz-volts"]
    assert why.isVisible() and why is not after
    why.setFocus()
    qtbot.keyClicks(why, "by the operator")
    qtbot.keyClick(why, Qt.Key.Key_Tab)
    settled(window)
    assert window.session.job.rule_changes[0].why == "by the operator"
    assert window.focusWidget() is after


@pytest.fixture
def losses(window, qtbot):
    """The dialog of an array's losses, into whose soiling one types."""

    def typed(text):
        dialog = FormDialog("Losses", window.session.job.losses, [("soiling", "Soiling", "percent")], window)
        dialog.show()
        field = dialog.fields["soiling"]
        dialog.activateWindow()
        field.setFocus()
        qtbot.waitUntil(field.hasFocus)
        field.selectAll()
        qtbot.keyClicks(field, text)
        return dialog, dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Ok)

    return typed


def test_ok_pressed_by_key_takes_what_is_being_typed(losses):
    dialog, ok = losses("7")
    ok.click()
    assert dialog.result_model.soiling == pytest.approx(0.07)


@pytest.mark.parametrize("by", ["mouse", "key"])
def test_ok_does_not_close_over_a_number_that_it_refuses(losses, qtbot, by):
    dialog, ok = losses("250")

    def again():
        if by == "mouse":
            qtbot.mouseClick(ok, LEFT)
        else:
            ok.click()

    again()
    assert dialog.isVisible() and dialog.result_model is None
    assert "wanted 0% to 90%" in dialog.problem.text()
    qtbot.wait(10)
    again()
    assert not dialog.isVisible()


def test_escape_asks_before_what_was_changed_goes(losses, qtbot, asked, monkeypatch):
    dialog, _ = losses("7")
    answers = [QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Discard]
    monkeypatch.setattr(
        QMessageBox, "question", lambda parent, title, text, *_: (asked.append(text), answers.pop(0))[1]
    )
    qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    assert dialog.isVisible() and "Leave without it?" in asked[-1]
    dialog.close()
    assert not dialog.isVisible() and len(asked) == 2 and dialog.result_model is None


def test_escape_leaves_at_once_where_nothing_was_changed_and_cancel_always(losses, qtbot, asked):
    dialog, _ = losses("2%")
    qtbot.keyClick(dialog, Qt.Key.Key_Escape)
    assert not dialog.isVisible()
    dialog, _ = losses("7")
    cancel = dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Cancel)
    qtbot.mouseClick(cancel, LEFT)
    assert not dialog.isVisible() and not asked


def test_what_was_refused_is_told_until_the_same_field_is_typed_into(losses, qtbot):
    dialog, ok = losses("250")
    other = dialog.findChild(QLineEdit)
    ok.click()
    assert "250" in dialog.problem.text()
    assert dialog.problem.isVisible()
    height = dialog.height()
    qtbot.keyClicks(other, "6")
    assert not dialog.problem.isVisible()
    assert dialog.height() == height
