"""The window driven as its user drives it: mouse and keys."""

import gc
import json
import subprocess
import sys
import threading

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QRawFont
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QComboBox,
    QFileDialog,
    QMessageBox,
    QPushButton,
    QSlider,
    QWidget,
)

from calm_relay.desk.app.ahead import import_skies
from calm_relay.desk.app.application import make_window
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.exchange import files
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.kept_verdict import kept_verdict
from calm_relay.exchange.shipped import library
from calm_relay.exchange.user_state import state_folder

from .conftest import close
from .driving import painted

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


def type_number(qtbot, field, text):
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def test_the_demo_opens_with_a_verdict_on_it(window):
    choice = window.session.plan.choice
    assert window.bench.verdict.text() == keep_units(choice.sentence)
    assert window.session.job.name in window.windowTitle()
    assert [button.isChecked() for button in window.switch.buttons].index(True) == 1
    assert window.view.option.key == choice.key
    assert "assumed climate" in window.bench.scales.accessibleDescription()
    assert "Calm Relay" in window.windowTitle()


def test_change_the_battery_see_the_verdict_change_undo_save_reopen(window, qtbot, settled, tmp_path, monkeypatch):
    bench, session = window.bench, window.session
    before, bill = bench.verdict.text(), bench.scales.accessibleDescription()
    # The whole bank goes; the add-on is left with one pack, too weak to be worth its works.
    type_number(qtbot, bench.battery.count, "1")
    settled(window)
    assert session.job.battery.count == 1
    assert bench.verdict.text() != before
    assert bench.scales.accessibleDescription() != bill
    assert window.isWindowModified()

    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled(window)
    assert session.job.battery.count == 3
    assert bench.verdict.text() == before
    assert not window.isWindowModified()
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL | SHIFT)
    settled(window)
    assert session.job.battery.count == 1

    path = tmp_path / "studio.relay.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "studio"), ""))
    qtbot.keyClick(window, Qt.Key.Key_S, CTRL)
    assert read_job(path).battery.count == 1
    assert not window.isWindowModified()
    assert "studio.relay.json" in window.windowTitle()

    qtbot.keyClick(bench.battery.count, Qt.Key.Key_Up)
    settled(window)
    qtbot.keyClick(window, Qt.Key.Key_S, CTRL)
    assert read_job(path).battery.count == 2
    assert read_job(files.previous_version(path)).battery.count == 1

    window.files.open_demo()
    settled(window)
    assert session.job.battery.count == 3
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    qtbot.keyClick(window, Qt.Key.Key_O, CTRL)
    settled(window)
    assert session.job.battery.count == 2
    assert session.path == path
    assert window.commands.undo.text() == "Undo"


def test_another_pack_from_the_list(window, qtbot, settled):
    pack = window.bench.battery.pack
    pack.setFocus()
    qtbot.keyClick(pack, Qt.Key.Key_Down)
    settled(window)
    assert window.session.job.battery.pack == "fern-51"
    qtbot.keyClick(pack, Qt.Key.Key_Down)
    settled(window)
    assert window.session.job.battery.pack == "fern-96"
    assert window.session.plan.bank.pack.key == "fern-96"
    assert "Battery to" in window.commands.undo.text()
    assert window.bench.battery.count.high == 4


@pytest.mark.parametrize(
    ("field", "typed", "wanted"),
    [
        ("count", "99", "How many packs is 99; wanted 1 to 8 ×."),
        ("count", "0", "How many packs is 0; wanted 1 to 8 ×."),
        ("reserve", "96", "Reserve kept for an outage is 96; wanted 0 to 95%."),
        ("target", "130", "State of charge at which filling stops is 130; wanted 0 to 100%."),
    ],
)
def test_out_of_range_is_refused_at_the_field_with_the_range(window, qtbot, field, typed, wanted):
    spin = getattr(window.bench.battery, field)
    before, job = spin.value(), window.session.job
    type_number(qtbot, spin, typed)
    assert spin.value() == before
    assert window.session.job is job
    assert window.bench.battery.problem.isVisible()
    assert window.bench.battery.problem.text() == wanted


def test_steps_end_at_the_range(window, qtbot):
    count = window.bench.battery.count
    count.setFocus()
    qtbot.keyClick(count, Qt.Key.Key_PageDown)
    assert window.session.job.battery.count == 1
    qtbot.keyClick(count, Qt.Key.Key_Down)
    assert window.session.job.battery.count == 1
    assert not window.bench.battery.problem.isVisible()


def test_the_charge_window_by_keys(window, qtbot, settled):
    battery = window.bench.battery
    battery.end.setFocus()
    battery.end.setCurrentSection(battery.end.Section.HourSection)
    qtbot.keyClick(battery.end, Qt.Key.Key_Up)
    settled(window)
    assert window.session.job.battery.first_window.end == "06:00"
    note = next(note for note in window.margin.notes if note.finding.check == "charge window")
    assert note.finding.measured > 5.2
    battery.charge.setFocus()
    qtbot.keyClick(battery.charge, Qt.Key.Key_Space)
    settled(window)
    assert window.session.job.battery.first_window is None
    assert not battery.start.isEnabled()


def test_a_window_without_length_is_refused_in_words(window, qtbot):
    battery = window.bench.battery
    battery.end.setTime(battery.start.time())
    assert "wanted a window with a length" in battery.problem.text()
    assert window.session.job.battery.first_window.end == "05:00"


def test_weights_move_the_verdict(window, qtbot, settled):
    sliders = window.bench.purposes.sliders
    sliders["low_outlay"].setFocus()
    for _ in range(5):
        qtbot.keyClick(sliders["low_outlay"], Qt.Key.Key_PageUp)
    qtbot.keyClick(sliders["ride_through_outage"], Qt.Key.Key_Home)
    settled(window)
    assert window.session.job.weight("low_outlay") == 10
    assert window.session.job.weight("ride_through_outage") == 0
    assert window.bench.verdict.text().startswith("As it is neither gains nor loses and fits best, above all for")


def test_the_last_weight_cannot_be_taken_away(window, qtbot, settled):
    for slider in window.bench.purposes.sliders.values():
        qtbot.keyClick(slider, Qt.Key.Key_Home)
    assert window.bench.purposes.problem.isVisible()
    assert sum(purpose.weight for purpose in window.session.job.purposes) > 0
    settled(window)


def test_options_by_mouse_and_key_rearrange_the_line(window, qtbot):
    def names():
        return {station.name for station in window.line.line.stations}

    assert "Battery inverter" in names()
    qtbot.mouseClick(window.switch.buttons[2], Qt.MouseButton.LeftButton)
    assert "Battery inverter" not in names()
    assert "Battery" in names()
    qtbot.keyClick(window, Qt.Key.Key_1, CTRL)
    assert "Battery" not in names()
    assert window.switch.buttons[0].isChecked()
    assert "the house is off" in " ".join(note.finding.sentence for note in window.margin.notes)


def test_a_mend_is_one_click_and_one_undo(window, qtbot, settled):
    window.show_option(4)
    note = next(note for note in window.margin.notes if note.finding.check == "charge window")
    button = note.findChildren(QPushButton)[0]
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    settled(window)
    assert window.session.job.battery.first_window.start == "00:30"
    assert window.commands.undo.text() == "Undo: Start at 00:30"
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled(window)
    assert window.session.job.battery.first_window.start == "03:00"


def test_the_line_by_mouse_and_keys_leads_to_its_notes(window, qtbot):
    chosen = []
    window.line.station_chosen.connect(chosen.append)
    at = window.line._picture().point(4.8, 0)
    qtbot.mouseClick(window.line, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()), round(at.y())))
    window.line.setFocus()
    qtbot.keyClick(window.line, Qt.Key.Key_Right)
    qtbot.keyClick(window.line, Qt.Key.Key_Return)
    assert chosen == ["Home", "Grid"]
    assert window.bench_name == "Grid"


def test_pointing_at_a_note_rings_its_station(window, qtbot):
    lit = []
    window.margin.station_pointed.connect(lit.append)
    note = window.margin.notes[0]
    from PySide6.QtGui import QEnterEvent

    note.enterEvent(QEnterEvent(QPointF(1, 1), QPointF(1, 1), QPointF(1, 1)))
    assert window.line._lit == note.finding.station
    window.grab()
    note.leaveEvent(None)
    assert lit == [note.finding.station, ""]


def test_a_bad_file_is_named_and_the_present_job_stays(window, asked, tmp_path, monkeypatch, qtbot):
    bad = tmp_path / "bad.relay.json"
    bad.write_text(json.dumps({"format": "calm-relay-job", "schema_version": 9}))
    job, plan = window.session.job, window.session.plan
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(bad), ""))
    qtbot.keyClick(window, Qt.Key.Key_O, CTRL)
    assert "bad.relay.json, schema_version: is 9" in asked[-1]
    assert window.session.job is job
    assert window.session.plan is plan
    window.show_option(0)


def test_a_failed_save_is_shown_and_loses_nothing(window, asked, tmp_path, monkeypatch, qtbot):
    path = tmp_path / "studio.relay.json"
    window.session.save(path)
    before = path.read_bytes()
    type_number(qtbot, window.bench.battery.count, "5")
    monkeypatch.setattr(files.os, "fsync", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left")))
    qtbot.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "No space left" in asked[-1]
    assert path.read_bytes() == before
    assert window.isWindowModified()
    assert window.session.job.battery.count == 5


def test_a_job_that_cannot_be_planned_says_so_in_the_margin(window, qtbot, settled):
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(pack="nothing-such")), "Odd")
    qtbot.waitUntil(lambda: "cannot be planned" in window.bench.verdict.text())
    # By the field's name on screen, not by its path in the file.
    assert window.margin._why.text().startswith("Battery, pack: no battery pack has the key 'nothing-such'")
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled(window)
    assert window.bench.verdict.text() == keep_units(window.session.plan.choice.sentence)


def test_leaving_unsaved_work_is_asked_about(window, asked, qtbot):
    type_number(qtbot, window.bench.battery.count, "4")
    window.close()
    assert "has changes that are not saved" in asked[-1]


def test_when_edits_come_fast_only_the_newest_plan_is_shown(window, qtbot, settled):
    plans = []
    window.session.plan_changed.connect(lambda plan: plans.append(plan.job.battery.count))
    for count in (4, 5, 6, 7):
        window.bench.battery.count.setValue(count)
    settled(window)
    assert plans[-1] == 7
    assert plans == sorted(plans)
    assert window.session.plan.job is window.session.job


def test_every_control_has_a_name_and_can_be_reached_by_keyboard(window):
    kinds = (QAbstractButton, QAbstractSpinBox, QComboBox, QSlider)
    controls = [w for w in window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible()]
    assert len(controls) > 15
    for control in controls:
        assert control.accessibleName() or control.text(), control
        assert control.focusPolicy() & Qt.FocusPolicy.TabFocus, control
    for drawn in (window.line, window.bench.scales):
        assert drawn.accessibleName()
        assert drawn.accessibleDescription()


def test_help_names_shortcuts_and_cautions(window, monkeypatch):
    summary = []
    monkeypatch.setattr(QMessageBox, "exec", lambda converter: summary.append(converter.text()))
    for action in window.commands.all():
        if action.text() in {"&Shortcuts", "&Cautions"}:
            action.trigger()
    assert "Ctrl+Z" in summary[0]
    assert "does not authorise work" in summary[1] and "network operator" in summary[1]


def test_cautions_speak_of_an_operator_where_there_is_one(window, settled, monkeypatch):
    caution = window.margin.caution
    assert "network operator" in caution.text() and "Backfeed" in caution.accessibleDescription()
    job = window.session.job
    window.session.edit(job.with_(supply=job.supply.with_(on_grid=False)), "No grid")
    settled(window)
    assert caution.text() == "This plan does not authorise work. Local codes and licensed practice decide."
    assert "stop and isolate all of them" in caution.accessibleDescription()
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda converter: told.append(converter.text()))
    next(action for action in window.commands.all() if action.text() == "&Cautions").trigger()
    assert "network operator" not in told[0]
    window.open_bench("Grid")
    assert "never law: local codes and licensed practice decide" in window.bench.rules._note.text()


def test_a_refused_option_is_shown_with_its_reasons(window, settled, qtbot):
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(pack="wharfell-10", count=1)), "Other battery")
    settled(window)
    qtbot.keyClick(window, Qt.Key.Key_3, CTRL)
    assert "cannot be built" in window.switch.buttons[2].accessibleName()
    window.open_bench("Battery")
    qtbot.waitUntil(lambda: window.moment.clock.text() == "No year")
    qtbot.waitUntil(lambda: window.bench.chart.isHidden())
    assert window.moment.ribbon.isHidden()
    qtbot.keyClick(window, Qt.Key.Key_2, CTRL)
    qtbot.waitUntil(lambda: window.moment.ribbon.isVisible() and window.bench.chart.isVisible())
    assert painted(window) > 0.05


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1600, 1000)])
def test_nothing_on_the_line_overlaps(window, width, height, settled):
    window.resize(width, height)
    picture = window.line._picture()
    for number in range(3):
        window.show_option(number)
        picture = window.line._picture()
        areas = [picture._area(station) for station in window.line.line.stations]
        for i, area in enumerate(areas):
            assert not any(area.intersects(other) for other in areas[i + 1 :] if other.top() == area.top())


def test_numbers_keep_their_units():
    assert (
        keep_units("asks 10.8 kW at −3 °C, NZ$ 473 for 3 units of 4 mm², × 0.94")
        == "asks 10.8\u00a0kW at −3\u00a0°C, NZ$\u00a0473 for 3 units of 4\u00a0mm², ×\u00a00.94"
    )
    for country in library().countries.values():
        assert f"{country.currency}\u00a012" in keep_units(f"loses {country.currency} 12,000")


def test_the_font_that_ships_has_the_sign_of_every_currency(dressed):
    face = QRawFont.fromFont(font(10))
    assert face.familyName().startswith("Inter")
    signs = {sign for country in library().countries.values() for sign in country.currency}
    assert not [sign for sign in signs if not face.supportsCharacter(ord(sign))]


class Ring:
    """Hangs on itself, so that only the collector takes it."""

    gone_in = None

    def __init__(self):
        self.me = self

    def __del__(self):
        Ring.gone_in = threading.current_thread()


def test_what_hangs_in_a_ring_is_taken_in_the_interface_thread_alone(window, qtbot):
    """A widget that another thread takes apart stops both threads for good."""
    assert not gc.isenabled()
    Ring()
    busy = threading.Thread(target=lambda: [[{}] for _ in range(200_000)])
    busy.start()
    busy.join()
    assert Ring.gone_in is None
    qtbot.waitUntil(lambda: Ring.gone_in is not None)
    assert Ring.gone_in is threading.main_thread()


def test_the_next_start_shows_the_last_verdict_until_the_new_one_has_come(dressed, window, asked, settled, qtbot):
    verdict = window.bench.verdict.text()
    titles = [button.text() for button in window.switch.buttons if button.isVisible()]
    window.close()
    again = make_window()
    try:
        again.show()
        qtbot.waitExposed(again)
        assert again.view is None
        assert again.bench.verdict.text() == verdict
        assert again.bench.footnote.text().startswith("As planned last time; it is being planned anew.")
        kept = [button for button in again.switch.buttons if button.isVisible()]
        assert [button.text() for button in kept] == titles
        assert not any(button.isEnabled() for button in kept)
        settled(again)
        assert again.bench.verdict.text() == verdict
        assert "last time" not in again.bench.footnote.text()
        assert all(button.isEnabled() for button in again.switch.buttons)
    finally:
        again.close()
        again.deleteLater()


def test_another_job_or_a_damaged_file_shows_no_verdict_of_last_time(window, demo):
    window.close()
    assert kept_verdict(demo) is not None
    assert kept_verdict(demo.with_(name="Another")) is None
    for file in (state_folder() / "verdicts").iterdir():
        file.write_text("{")
    assert kept_verdict(demo) is None


def test_undo_goes_back_five_hundred_steps_and_older_ones_are_forgotten(demo):
    from calm_relay.desk.app.history import MOST_STEPS, History

    history = History(demo)
    for number in range(MOST_STEPS + 50):
        assert history.add(demo.with_(notes=str(number)), f"step {number}")
    steps = 0
    while history.undo():
        steps += 1
    assert steps == MOST_STEPS == 500 and history.job.notes == "49"
    assert history.redo() and history.job.notes == "50"
    # An edit here drops what was undone.
    assert history.add(demo.with_(notes="other"), "other") and not history.redo()


def test_closing_while_benches_are_imported_says_nothing():
    """Once the program ends nothing may register for its end: the import of the book's bench is given up."""
    code = """
import threading, time
from calm_relay.desk.app import ahead
ahead.NAMES = ("book",)
main, calls = threading.main_thread(), []

def late():
    while main.is_alive():
        time.sleep(0.001)
    # It was alive when the module's turn came.
    ahead.threading.main_thread = lambda: main if calls else calls.append(1) or threading.current_thread()
    ahead._import_all()
    print("given up", flush=True)

threading.Thread(target=late).start()
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=600, check=False)
    assert (done.stdout.strip(), done.stderr) == ("given up", "")


def test_what_makes_skies_is_imported_where_a_sky_or_a_face_is_changed(window, monkeypatch):
    begun = []
    monkeypatch.setattr("calm_relay.desk.app.window.import_skies", lambda: begun.append(window._name))
    for name in ("Battery", "Money", "Grid"):
        window.open_bench(name)
    assert begun == []
    for name in ("Roof", "Roof", "Site"):
        window.open_bench(name)
    assert len(begun) == 2
    window.ask_questions()
    assert len(begun) == 3
    thread = import_skies()
    thread.join()
    assert {"pvlib.irradiance", "pvlib.iam", "pvlib.spa"} <= set(sys.modules) and import_skies() is thread


def test_the_first_plan_waits_until_the_window_stands(dressed, qtbot, asked, settled):
    made = make_window()
    desk, begun = made.desk, []
    made.session.progressed.connect(
        lambda done, what: begun.append(made.testAttribute(Qt.WidgetAttribute.WA_Mapped))
    )
    assert made.session.busy
    made.show()
    settled(made)
    assert begun and all(begun)
    close(desk)


def test_a_window_that_nobody_shows_plans_all_the_same(dressed, qtbot, asked):
    made = make_window()
    desk = made.desk
    qtbot.waitUntil(lambda: made.session.plan is not None)
    close(desk)


def test_no_compiler_is_imported_before_a_run_is_called():
    code = """
import sys
from calm_relay.desk.app.application import make_window
from calm_relay.physics.plant import grid_tied, readings
print(sorted({"numba", "pandas", "pvlib", "scipy.interpolate", "scipy.optimize"} & set(sys.modules)))
import numpy as np
print(readings.split_sum(np.array([1.0, -2.0, 3.0])), readings.split_sum.__doc__[:3], "numba" in sys.modules)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines() == ["[]", "(4.0, 2.0) Sum True"]
