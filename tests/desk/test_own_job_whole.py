"""An installer who starts from nothing: four jobs, each with a box from its datasheet, to a plan on paper.

Each is done once by keyboard alone and once by mouse. What a person does is counted: a key of a menu, going into a
field and typing, pressing a button, taking a value from a list are one each; under 80 are wanted for a retrofit.
"""

import pytest
from pypdf import PdfReader
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QDialogButtonBox, QFileDialog

from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.dialogs.item_dialog import ItemDialog
from tests.datasheets import HYBRID, MODULE, PACK, write_pdf
from tests.desk.driving import LEFT, choose, choose_new, press

MOST = 80
TABS = 160
OK = QDialogButtonBox.StandardButton.Ok


class Person:
    """Works a window by keyboard alone or by mouse, and counts what it does."""

    def __init__(self, qtbot, window, mouse):
        self.qtbot, self.window, self.mouse, self.count = qtbot, window, mouse, 0

    def command(self, keys):
        """A command by its key, or from its menu."""
        self.count += 1
        if self.mouse:
            action = next(one for one in self.window.commands.all() if one.shortcut().toString() == keys)
            action.trigger()
        else:
            self.window.activateWindow()
            self.qtbot.waitUntil(self.window.isActiveWindow)
            press(self.qtbot, self.window, keys)

    def go(self, field):
        """Into a field, by Tab or by a click."""
        self.count += 1
        whole = field.window()
        if self.mouse:
            field.setFocus(Qt.FocusReason.MouseFocusReason)
            return
        whole.activateWindow()
        for _ in range(TABS):
            now = whole.focusWidget()
            if now is field or (now is not None and field.isAncestorOf(now)):
                return
            self.qtbot.keyClick(now or whole, Qt.Key.Key_Tab)
        raise AssertionError(f"no Tab leads to {field.accessibleName() or field.objectName()}")

    def type(self, field, text):
        """Into a field with a text."""
        self.go(field)
        if hasattr(field, "selectAll"):
            field.selectAll()
        self.qtbot.keyClicks(field, text)
        self.qtbot.keyClick(field, Qt.Key.Key_Return)

    def push(self, button):
        """Presses a button; of buttons that exclude each other the arrow keys reach the rest."""
        if button.autoExclusive() and button.isChecked():
            return
        if button.autoExclusive() and not self.mouse:
            alike = [one for one in button.parent().findChildren(type(button)) if one.autoExclusive()]
            self.go(next(one for one in alike if one.isChecked()))
            for _ in alike:
                if button.hasFocus() or button.isChecked():
                    break
                self.qtbot.keyClick(button.window().focusWidget(), Qt.Key.Key_Right)
            if button.isChecked():
                return
        else:
            self.go(button)
        if self.mouse:
            self.qtbot.mouseClick(button, LEFT, pos=QPoint(8, button.height() // 2))
        else:
            self.qtbot.keyClick(button, Qt.Key.Key_Space)

    def take(self, field, value):
        """Takes a value from a list."""
        self.go(field)
        if self.mouse:
            choose(field, value)
            return
        # In the list that comes up nothing is taken before Return.
        self.qtbot.keyClick(field, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
        seen = field.view()
        wanted = field.findData(value)
        for _ in range(field.count()):
            at = seen.currentIndex().row()
            if at == wanted:
                break
            self.qtbot.keyClick(seen, Qt.Key.Key_Down if at < wanted else Qt.Key.Key_Up)
        self.qtbot.keyClick(seen, Qt.Key.Key_Return)
        assert field.currentData() == value

    def answer(self, dialog):
        """Closes a dialog with its OK."""
        self.push(dialog.findChild(QDialogButtonBox).button(OK))


@pytest.fixture(params=["keyboard", "mouse"])
def person(request, window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "own"))
    window.shelf.read_again()
    return Person(qtbot, window, request.param == "mouse")


def begin(person, settled, name, town, yearly, modules):
    """Job > New job, the questions of the path, and the plan that follows."""
    window, questions = person.window, person.window.questions
    person.command("Ctrl+N")
    settled(window)
    assert (window.bench_name, questions.step.answers) == ("Site", "place")
    person.type(questions.name, name)
    person.type(window.bench.place.line, town)
    # Return takes the one town of that name; of several a list is shown, of which Return takes the first.

    def found():
        return "place" not in window.session.job.wanted

    person.qtbot.waitUntil(lambda: found() or window.bench.place.result.isVisible())
    if not found():
        person.qtbot.keyClick(window.bench.place.line, Qt.Key.Key_Return)
        person.count += 1
    settled(window)
    for bench in ("Choice", "Inverter"):
        person.qtbot.waitUntil(lambda bench=bench: questions.step.bench == bench)
        assert window.session.plan.choice.key is None
        person.push(questions.next)
    assert window.bench_name == "Home"
    person.type(window.bench.inputs.editors["A year, kWh"], yearly)
    person.qtbot.waitUntil(lambda: questions.how.text().startswith("Answered."))
    person.push(questions.next)
    person.qtbot.waitUntil(lambda: questions.step.bench == "Grid")
    person.push(questions.next)
    if modules:
        person.type(questions.modules, str(modules))
        person.push(questions.lay)
    else:
        person.push(questions.none)
    person.qtbot.waitUntil(lambda: questions.step.bench == "Battery")
    person.push(questions.next)
    settled(window)
    assert not questions.isVisible() and window.bench_name == "Choice"
    assert window.session.job.name == name
    assert window.session.plan.job is window.session.job
    assert window.session.plan.choice.key is not None


def read_sheet(person, dialog, path, monkeypatch, typed=()):
    """An item from its datasheet: opened, confirmed, what it lacks typed, kept."""
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    person.push(dialog.open_sheet)
    person.qtbot.waitUntil(lambda: dialog._reading is not None and dialog.open_sheet.isEnabled())
    person.push(dialog.confirm_all)
    for name, text in typed:
        person.type(dialog.form.fields[name], text)
    person.answer(dialog)
    assert dialog.own is not None, dialog.problem.text()


def new_from_bench(person, kind, path, monkeypatch, settled, typed=()):
    """Equipment > New, from a datasheet."""
    person.command("Ctrl+Shift+E")
    person.take(person.window.bench.kind, kind)
    person.push(person.window.bench.new)
    read_sheet(person, person.window.findChildren(ItemDialog)[-1], path, monkeypatch, typed)
    settled(person.window)


def print_plan(person, path, monkeypatch, *words):
    """The summary on paper, with words that stand in it; by keyboard, for it is the same one after the mouse."""
    if person.mouse:
        return
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    person.command("Ctrl+P")
    person.qtbot.waitUntil(path.exists)
    person.qtbot.waitUntil(lambda: person.window.files._process is None)
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(path).pages).split())
    for word in words:
        assert word in text


def test_a_single_phase_retrofit(person, settled, tmp_path, monkeypatch):
    begin(person, settled, "Quay Street 4", "tralee", "5200", 14)
    window = person.window
    person.command("F5")
    wall = window.bench.side_tabs
    person.push(wall.buttons["today"])
    person.take(window.bench.wall.inverters.kind, "tarnlight-5")
    settled(window)
    person.command("F3")
    person.take(window.bench.fields[0, "fate"], "reuse")
    settled(window)
    typed = (("family", "fern-lv"), ("price", "1850"))
    new_from_bench(person, "packs", write_pdf(tmp_path / "fellmar.pdf", PACK), monkeypatch, settled, typed)
    person.command("F9")
    person.take(window.bench.battery.pack, "fellmar-5")
    settled(window)
    assert window.session.plan.bank.pack.name == "Fellmar 5"
    assert window.session.plan.option("ac-addon") in window.session.plan.live
    print_plan(person, tmp_path / "plan.pdf", monkeypatch, "Quay Street 4", "Fellmar 5", "Tarnlight 5.0")
    assert person.count < MOST


def test_a_three_phase_new_build(person, settled, tmp_path, monkeypatch):
    begin(person, settled, "Neubau Elbweg", "hamburg", "4800", 22)
    window = person.window
    assert window.session.job.supply.phases == "three"
    new_from_bench(person, "modules", write_pdf(tmp_path / "larkmoor.pdf", MODULE), monkeypatch, settled,
                   (("price", "92"),))  # fmt: skip
    person.command("F3")
    person.take(window.bench.fields[0, "module"], "lm-400")
    settled(window)
    assert window.session.plan.faces[0].module.name == "LM-400"
    assert window.session.plan.choice.key is not None
    print_plan(person, tmp_path / "plan.pdf", monkeypatch, "Neubau Elbweg", "LM-400")
    assert person.count < MOST


def test_a_battery_alone(person, settled, tmp_path, monkeypatch):
    begin(person, settled, "Flat 3", "cape town", "3900", 0)
    window = person.window
    assert window.session.job.faces == ()
    typed = (("family", "fern-lv"), ("price", "31000"))
    new_from_bench(person, "packs", write_pdf(tmp_path / "fellmar.pdf", PACK), monkeypatch, settled, typed)
    person.command("F6")
    person.take(window.bench.panel.pack, "fellmar-5")
    settled(window)
    person.push(window.bench.panel.charge)
    settled(window)
    assert window.session.job.battery.first_window is not None
    print_plan(person, tmp_path / "plan.pdf", monkeypatch, "Flat 3", "Fellmar 5")
    assert person.count < MOST


def test_a_house_off_grid(person, settled, tmp_path, monkeypatch):
    begin(person, settled, "Cabin on the ridge", "wanaka", "2600", 16)
    window = person.window
    person.command("F8")

    def fill():
        dialog = window.findChildren(FormDialog)[-1]
        person.push(dialog.fields["on_grid"])
        person.answer(dialog)

    QTimer.singleShot(0, fill)
    person.push(window.bench.service)
    settled(window)
    assert not window.session.job.supply.on_grid
    person.command("F5")
    person.go(window.bench.hybrid)
    choose_new(person.qtbot, window.bench.hybrid, mouse=person.mouse)
    person.count += 1
    path = write_pdf(tmp_path / "tamber.pdf", HYBRID)
    typed = (("battery.families", "fern-lv"), ("price", "2100"))
    read_sheet(person, window.findChildren(ItemDialog)[-1], path, monkeypatch, typed)
    settled(window)
    assert window.session.job.battery.hybrid == "tamber-hybrid-5"
    print_plan(person, tmp_path / "plan.pdf", monkeypatch, "Cabin on the ridge")
    assert person.count < MOST
