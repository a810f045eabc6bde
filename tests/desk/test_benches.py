"""The benches driven as their user drives them: drag, click, keys."""

import sys

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QSlider,
    QWidget,
)

from calm_relay.desk.app import planner
from calm_relay.desk.app.finder import Finder
from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.widgets.theme import DARK, LIGHT, colours, dress
from calm_relay.exchange.files import file_mark
from calm_relay.exchange.job_file import read_job, write_job
from calm_relay.exchange.kept_work import Journal, journals_folder, left_behind
from calm_relay.exchange.user_state import read_settings, write_settings
from calm_relay.planning.views.moment import spots_of

from .driving import LEFT, painted, press, type_into

CTRL = Qt.KeyboardModifier.ControlModifier


# The demo's option of the largest battery.
TWO_UNITS = 4


@pytest.fixture
def opened(window, qtbot, settled):
    """Opens a bench by its key and waits for its study."""

    def open_bench(name):
        press(qtbot, window, BENCHES[name].key)
        assert window.bench_name == name
        qtbot.waitUntil(lambda: not window.session.busy)
        return window.bench

    return open_bench


@pytest.mark.parametrize("name", BENCHES)
def test_every_bench_opens_by_its_key_and_names_its_controls(file_window, qtbot, name):
    window = file_window
    press(qtbot, window, BENCHES[name].key)
    assert window.bench_name == name
    qtbot.waitUntil(lambda: not window.session.busy)
    bench = window.bench
    assert painted(window) > 0.05
    kinds = (QAbstractButton, QAbstractSpinBox, QComboBox, QSlider, QLineEdit, QPlainTextEdit)
    for control in window.findChildren(QWidget):
        if isinstance(control, kinds) and control.isVisible() and "qt_" not in control.objectName():
            named = control.accessibleName() or (isinstance(control, QAbstractButton) and control.text())
            assert named, (name, control)
            # Of buttons that exclude each other one takes the tab, the arrow keys reach the rest.
            among = isinstance(control, QAbstractButton) and control.isCheckable() and not control.isChecked()
            assert among or control.focusPolicy() & Qt.FocusPolicy.TabFocus, (name, control)
    for chart in bench.findChildren(Chart):
        assert chart.accessibleName()


def test_a_station_of_the_line_opens_its_bench(window, qtbot):
    at = window.line._picture().point(1.0, 0)
    qtbot.mouseClick(window.line, LEFT, pos=QPoint(round(at.x()), round(at.y())))
    assert window.bench_name == "Roof"
    qtbot.mouseClick(window.switch.compare_button, LEFT)
    assert window.bench_name == "Choice"


def test_turning_a_wedge_is_one_edit(window, opened, qtbot, settled):
    dial = opened("Roof").dial
    window.grab()
    start = dial.wedge(0).boundingRect().center()
    centre, radius = dial._rim()
    qtbot.mousePress(dial, LEFT, pos=start.toPoint())
    # Straight north, where the sun of the southern half stands.
    qtbot.mouseMove(dial, QPoint(centre.x(), round(centre.y() - radius * 0.6)))
    qtbot.mouseRelease(dial, LEFT, pos=QPoint(centre.x(), round(centre.y() - radius * 0.6)))
    settled(window)
    assert window.session.job.faces[0].azimuth == pytest.approx(0.0, abs=5.0)
    assert "azimuth 35° to" in window.commands.undo.text()
    assert window.session.plan.faces[0].plan.azimuth == window.session.job.faces[0].azimuth


def test_the_dial_by_keys_and_the_face_by_numbers(window, opened, qtbot, settled):
    bench = opened("Roof")
    bench.dial.setFocus()
    qtbot.keyClick(bench.dial, Qt.Key.Key_Down)
    qtbot.keyClick(bench.dial, Qt.Key.Key_Right)
    assert window.session.job.faces[1].azimuth == 310
    type_into(qtbot, bench.fields[0, "tilt"], "31,5")
    assert window.session.job.faces[0].tilt == 31.5
    type_into(qtbot, bench.fields[0, "tilt"], "95")
    assert "wanted 0° to 90°" in bench.problem.text()
    type_into(qtbot, bench.fields[1, "count"], "9")
    settled(window)
    assert window.session.job.faces[1].count == 9
    assert "a kWp" in bench.table.sums[1].toolTip()


def drag_marker(chart, x):
    """Takes the movable mark of a chart to a value, as a mouse does."""
    (mark,) = [item for item in chart.getPlotItem().items if getattr(item, "movable", False)]
    mark.setPos(x)
    mark.sigPositionChangeFinished.emit(mark)


def test_dragging_the_mark_changes_the_number_of_packs(window, opened, qtbot, settled):
    window.show_option(TWO_UNITS)
    bench = opened("Battery")
    qtbot.waitUntil(lambda: "battery-energy" in bench._result)
    assert "night" in bench.summary.text()
    drag_marker(bench.chart, 42.0)
    settled(window)
    assert window.session.job.battery.count == 5
    assert window.commands.undo.text() == "Undo: Battery 14.4 to 24 kWh"
    qtbot.waitUntil(lambda: getattr(bench._result.get("battery-energy"), "chosen", None) == 4)
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    settled(window)
    assert window.session.job.battery.count == 3


def test_a_bench_left_before_its_study_came_has_it_all_the_same(window, opened, qtbot):
    window.open_bench("Battery")
    window.open_bench("Inverter")
    battery = window.benches["Battery"]
    qtbot.waitUntil(lambda: "battery-energy" in battery._result)
    assert "night" in battery.summary.text()


def test_dropping_the_mark_where_it_was_changes_nothing(window, opened, qtbot):
    window.show_option(TWO_UNITS)
    bench = opened("Battery")
    qtbot.waitUntil(lambda: "battery-energy" in bench._result)
    drag_marker(bench.chart, 26.1)
    assert window.commands.undo.text() == "Undo"


def test_a_real_drag_of_the_mark_by_mouse(window, opened, qtbot, settled):
    bench = opened("Battery")
    qtbot.waitUntil(lambda: "battery-energy" in bench._result)
    settled(window)
    # The day's ribbon comes in below and takes room: the mark is aimed at only when the chart has its own.
    size = None
    while size != (size := (bench.chart.width(), bench.chart.height())):
        window.grab()
        qtbot.wait(200)
    view = bench.chart.getPlotItem().getViewBox()

    def pixel(x):
        return bench.chart.mapFromScene(view.mapViewToScene(QPointF(x, 300.0)))

    port = bench.chart.viewport()
    now, then = (
        pixel(float(bench._result["battery-energy"].usable_kwh[2])),
        pixel(float(bench._result["battery-energy"].usable_kwh[5])),
    )
    qtbot.mouseMove(port, now)
    # The chart must have seen the pointer over the mark before it is pressed.
    qtbot.wait(60)
    qtbot.mousePress(port, LEFT, pos=now)
    for share in np.linspace(0, 1, 8):
        qtbot.mouseMove(port, now + (then - now) * share)
        qtbot.wait(15)
    qtbot.mouseRelease(port, LEFT, pos=then)
    qtbot.waitUntil(lambda: window.session.job.battery.count == 6)
    settled(window)


def test_the_window_limit_takes_other_units(window, opened, qtbot):
    panel = opened("Battery").panel
    type_into(qtbot, panel.limit, "3600 W")
    assert window.session.job.battery.first_window.limit_kw == 3.6
    type_into(qtbot, panel.limit, "plenty")
    assert "wanted a number such as" in panel.problem.text()
    type_into(qtbot, panel.limit, "")
    assert window.session.job.battery.first_window.limit_kw is None


def test_dragging_the_converter_mark_takes_the_nearest_hybrid(window, opened, qtbot, settled):
    bench = opened("Inverter")
    qtbot.keyClick(window, Qt.Key.Key_3, CTRL)
    qtbot.waitUntil(lambda: bench.summary.text() != "" and "5 kW" in bench.summary.text())
    qtbot.waitUntil(lambda: any(getattr(item, "movable", False) for item in bench.sweep.getPlotItem().items))
    drag_marker(bench.sweep, 7.6)
    settled(window)
    assert window.session.job.battery.hybrid == "umberlow-h8"
    assert window.commands.undo.text() == "Undo: Hybrid: Umberlow 8 hybrid"
    assert "8.0 kW" in bench.bars.accessibleDescription()


def test_the_battery_inverter_is_chosen_from_the_list(window, opened, qtbot, settled):
    converter = opened("Inverter").battery_inverter
    converter.setFocus()
    qtbot.keyClick(converter, Qt.Key.Key_Down)
    settled(window)
    assert window.session.job.battery.battery_inverter == "mossgate-3"
    assert window.session.plan.option("ac-addon").design.battery_converter.inverter.key == "mossgate-3"


def test_what_a_file_states_of_another_kind_is_named_and_not_left_blank(window, opened, settled):
    inverter, battery = opened("Inverter"), opened("Battery")
    pack = next(item for item in window.session.plan.equipment.catalogue.packs if item.expansion_of)
    stated = {"string_inverter": "umberlow-h8", "pack": pack.key}
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(**stated)), "as a file has it")
    assert inverter.units["string_inverter"].currentText() == "Umberlow 8 hybrid, of another kind"
    assert battery.panel.pack.currentText().startswith(pack.name)
    assert inverter.hybrid.currentData() == job.battery.hybrid


def test_figures_stand_with_their_source_and_their_inputs(window, opened, qtbot, settled):
    window.show_option(TWO_UNITS)
    bench = opened("Grid")
    tips = {label.toolTip() for label in bench.findChildren(QWidget) if label.toolTip().startswith("From:")}
    assert "From: the job's tariff" in tips
    type_into(qtbot, bench.inputs.editors["Main fuse"], "32")
    settled(window)
    assert window.session.job.supply.main_fuse_a == 32
    assert window.margin.notes[0].finding.check == "main fuse"
    type_into(qtbot, bench.inputs.editors["Export limit"], "")
    assert window.session.job.tariff.export_limit_kw is None
    home = opened("Home")
    type_into(qtbot, home.inputs.editors["Midwinter over mean"], "9")
    assert "wanted 0.5 to 2.5" in home.inputs.problem.text()


def test_notes_become_one_edit(window, opened, qtbot):
    bench = opened("Notes")
    bench.notes.setFocus()
    qtbot.keyClicks(bench.notes, "Ladder needed. ")
    qtbot.waitUntil(lambda: window.session.job.notes.startswith("Ladder needed."))
    assert window.commands.undo.text() == "Undo: Notes written"
    type_into(qtbot, bench.name, "")
    assert bench.problem.text() == "Name: is empty; wanted at least 1 character."
    assert bench.name.text() == window.session.job.name


def test_a_moment_by_one_key_moves_power_along_the_line(window, opened, qtbot):
    opened("Home")
    qtbot.keyClick(window, Qt.Key.Key_B, CTRL)
    (best,) = (spot for spot in spots_of(window.session.plan, window.view.option) if spot.key == "best")
    day = window.session.plan.site.calendar.wall[best.step].astype(object)
    assert f"{day:%-d %b}" in window.moment.clock.text()
    assert "exported" in window.moment.summary.text()
    picture = window.line._picture()
    texts = [
        picture._flow_text(leg, picture.point(*leg.start), picture.point(*leg.end))
        for leg in window.line.line.legs
    ]
    assert any(text.startswith("AC 5.0 kW ▸") for text in texts)
    qtbot.keyClick(window, Qt.Key.Key_E, CTRL)
    assert "imported" in window.moment.summary.text()
    qtbot.keyClick(window.moment.ribbon, Qt.Key.Key_Right)
    before = window.view.step
    qtbot.keyClick(window.moment.strip, Qt.Key.Key_Right)
    assert window.view.step == before + 96
    qtbot.keyClick(window, Qt.Key.Key_K, CTRL)
    assert "clipped" in window.moment.summary.text() or window.view.step is not None
    qtbot.keyClick(window, Qt.Key.Key_Y, CTRL)
    assert window.view.step is None
    assert window.moment.clock.text() == "The whole year"


def test_scrubbing_by_mouse_and_playing(window, opened, qtbot):
    opened("Home")
    window.grab()
    area = window.moment.strip._area()
    qtbot.mouseClick(window.moment.strip, LEFT, pos=QPoint(round(area.left() + area.width() * 0.5), 10))
    assert window.view.step // 96 == pytest.approx(182, abs=2)
    ribbon = window.moment.ribbon
    spot = ribbon.mapFromScene(ribbon.getViewBox().mapViewToScene(QPointF(18.1, 1.0)))
    qtbot.mouseClick(ribbon.viewport(), LEFT, pos=spot)
    assert window.moment.clock.text().endswith("18:00")
    qtbot.keyClick(window, Qt.Key.Key_Space, CTRL)
    first = window.view.step
    qtbot.waitUntil(lambda: window.view.step >= first + 3)
    qtbot.mouseClick(window.moment.buttons["play"], LEFT)
    assert window.moment.buttons["play"].text() == "Play"


def test_losses_and_costs_on_the_scales(window, opened, qtbot):
    bench = opened("Choice")
    qtbot.mouseClick(bench.which["losses"], LEFT)
    assert "Rectifying" in bench.scales.accessibleDescription()
    qtbot.mouseClick(bench.which["costs"], LEFT)
    assert "Battery packs" in bench.scales.accessibleDescription()


def test_a_command_is_found_by_typing(window, qtbot):
    qtbot.keyClick(window, Qt.Key.Key_F, CTRL)
    finder = window.findChild(Finder)
    qtbot.keyClicks(finder.words, "worst eve")
    assert finder.result.count() == 1
    qtbot.keyClick(finder.words, Qt.Key.Key_Return)
    assert window.view.step is not None


def test_light_and_outage_keep_what_is_shown(window, opened, qtbot, settled, dressed):
    opened("Battery")
    desk = window.desk
    next(a for a in window.commands.all() if a.text() == "&Dark").trigger()
    new = desk.window
    try:
        assert new is not window
        assert new.bench_name == "Battery"
        assert colours() is DARK
        assert read_settings().look == "dark"
        picture = new.grab().toImage()
        assert picture.pixelColor(5, 400).lightness() < 60
        type_into(qtbot, new.bench.panel.count.lineEdit(), "4")
        settled(new)
        assert new.session.job.battery.count == 4
        new.session.undo()
        settled(new)
        next(a for a in new.commands.all() if a.text() == "&Light").trigger()
        assert desk.window not in {window, new}
        assert desk.window.bench_name == "Battery"
        assert colours() is LIGHT
        new = desk.window
        settled(new)
    finally:
        new.hide()
        dress(dressed, "light")
        write_settings(read_settings().with_(look="light"))
    assert colours() is LIGHT


def test_a_size_is_remembered_for_the_next_start(window):
    next(a for a in window.commands.all() if a.text() == "Size 150%").trigger()
    assert read_settings().scale == 150
    assert "next" in window.notice.text.text()
    write_settings(read_settings().with_(scale=100))


def test_late_work_shows_how_far_it_is_and_can_be_called_off(window, qtbot, monkeypatch):
    from calm_relay.planning import plan as plan_module

    real = plan_module.plan

    def slow(job, library, folder, progress):
        for i in range(400):
            progress(i / 400, "Taking its time")
            planner.threading.Event().wait(0.02)
        return real(job, library, folder, progress)

    monkeypatch.setattr(plan_module, "plan", slow)
    before = window.session.plan
    window.benches["Choice"].battery.count.setValue(4)
    qtbot.waitUntil(lambda: window.progress.isVisible())
    assert "Taking its time" in window.progress._what.text()
    qtbot.mouseClick(window.progress.cancel, LEFT)
    qtbot.waitUntil(lambda: not window.session.busy)
    assert not window.progress.isVisible()
    assert window.session.plan is before
    assert "Called off" in window.notice.text.text()
    monkeypatch.setattr(plan_module, "plan", real)
    qtbot.mouseClick(window.notice.buttons[0], LEFT)
    qtbot.waitUntil(lambda: window.session.plan.job.battery.count == 4)


def test_a_file_changed_by_another_program_is_asked_about(window, asked, tmp_path, qtbot, settled):
    path = tmp_path / "studio.relay.json"
    window.session.save(path)
    write_job(window.session.job.with_(name="Theirs"), path)
    window.files.look_at_disk()
    assert "changed on disk by another program" in window.notice.text.text()
    qtbot.mouseClick(window.notice.buttons[1], LEFT)
    assert window.isWindowModified()
    write_job(window.session.job.with_(name="Theirs again"), path)
    assert not window.files.save()
    assert "Save over it?" in asked[-1]
    assert read_job(path).name == "Theirs again"
    window.files.look_at_disk()
    qtbot.mouseClick(window.notice.buttons[0], LEFT)
    settled(window)
    assert window.session.job.name == "Theirs again"


def test_what_is_dropped_is_opened_only_when_it_is_a_job(window, asked, tmp_path, settled):
    def drop(path):
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path))])
        action, buttons, keys = Qt.DropAction.CopyAction, LEFT, Qt.KeyboardModifier.NoModifier
        window.dropEvent(QDropEvent(QPointF(5, 5), action, mime, buttons, keys, QEvent.Type.Drop))

    picture = tmp_path / "roof.png"
    picture.write_bytes(b"\x89PNG\r\n\x1a\n\xff\xfe")
    job = window.session.job
    drop(picture)
    assert "roof.png" in asked[-1]
    assert window.session.job is job
    write_job(job.with_(name="Dropped"), tmp_path / "b.relay.json")
    drop(tmp_path / "b.relay.json")
    settled(window)
    assert window.session.job.name == "Dropped"
    assert read_settings().recent[0].endswith("b.relay.json")


def test_recent_jobs_are_one_choice_away(window, tmp_path, settled):
    write_job(window.session.job.with_(name="Lately"), tmp_path / "lately.relay.json")
    assert window.files.open_file(tmp_path / "lately.relay.json")
    window.files.open_demo()
    settled(window)
    window.commands._list_recent()
    window.commands._recent.actions()[0].trigger()
    settled(window)
    assert window.session.job.name == "Lately"


def test_unsaved_work_is_kept_aside_and_can_be_brought_back(window, qtbot, settled, demo, tmp_path):
    """Of two works left behind both are offered, one after the other."""
    for name in ("One", "Two"):
        journal = Journal()
        journal.begin(demo, None, tmp_path, None)
        journal.record(demo.with_(name=name))
        journal.close()
    window.files.offer_left_behind()
    assert "“One”" in window.notice.text.text() and "1 more after this" in window.notice.text.text()
    qtbot.mouseClick(window.notice.buttons[1], LEFT)
    qtbot.waitUntil(lambda: "“Two”" in window.notice.text.text())
    qtbot.mouseClick(window.notice.buttons[0], LEFT)
    settled(window)
    assert window.session.job.name == "Two" and window.session.unsaved
    # Brought back it is the window's own, and kept on.
    assert left_behind() == ((), ())
    window.benches["Choice"].battery.count.setValue(7)
    window.session.journal.flush()
    window.session.journal.close()
    (work,), _ = left_behind()
    assert work.job.battery.count == 7
    window.session.journal.forget()
    window.session.journal.flush()


def test_a_closed_window_leaves_nothing_to_be_offered(window, tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "state"))
    window.session.edit(window.session.job.with_(notes="half"), "Notes")
    window.session.journal.flush()
    assert len(list(journals_folder().iterdir())) == 1
    window.close()
    assert list(journals_folder().iterdir()) == []


def test_older_work_over_a_newer_file_asks(window, settled, asked, demo, tmp_path, monkeypatch):
    path = tmp_path / "a.relay.json"
    write_job(demo, path)
    journal = Journal()
    journal.begin(demo, path, tmp_path, file_mark(path))
    journal.record(demo.with_(name="Old"))
    journal.close()
    write_job(demo.with_(name="New"), path)
    window.files.offer_left_behind()
    assert "was saved by somebody else since" in window.notice.text.text()
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Cancel)
    window.notice.buttons[0].click()
    assert window.session.job.name != "Old"
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Yes)
    window.files.offer_left_behind()
    window.notice.buttons[0].click()
    settled(window)
    assert window.session.job.name == "Old" and window.session.changed_on_disk
    assert read_job(path).name == "New"


def test_a_file_removed_under_the_window_is_told(window, tmp_path):
    path = tmp_path / "a.relay.json"
    window.session.save(path)
    path.unlink()
    window.files.look_at_disk()
    assert "a.relay.json is no longer in" in window.notice.text.text()
    window.notice.buttons[0].click()
    assert path.exists()


def test_a_state_folder_that_cannot_be_written_is_shown(window, tmp_path, monkeypatch, qtbot):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "file"))
    window.benches["Choice"].battery.count.setValue(5)
    qtbot.waitUntil(lambda: "cannot be kept aside" in window.notice.text.text())


def test_painting_does_not_wear_python_out(window):
    """A Qt binding that drops a reference to None at every call aborts after a few dozen paintings."""
    window.grab()
    before = sys.getrefcount(None)
    for _ in range(5):
        window.grab()
    assert sys.getrefcount(None) > before - 500


def test_pictures_charts_and_tables_are_exported(window, opened, qtbot, tmp_path, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    bench = opened("Battery")
    qtbot.waitUntil(lambda: "battery-energy" in bench._result)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path))
    next(a for a in window.commands.all() if a.text() == "&Export pictures and tables…").trigger()
    qtbot.waitUntil(lambda: "Written" in window.notice.text.text())
    qtbot.waitUntil(lambda: not window.files._charts and (tmp_path / "battery-1.png").exists())
    names = {path.name for path in tmp_path.iterdir()}
    assert {
        "plan.xlsx",
        "line-ac-addon.svg",
        "comparison.png",
        "battery-1.svg",
        "battery-1.png",
        "losses.csv",
    } <= names
    assert QImage(str(tmp_path / "battery-1.png")).width() > 300
    assert "<path" in (tmp_path / "battery-1.svg").read_text()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "summary"), ""))
    next(a for a in window.commands.all() if a.text() == "&Print summary…").trigger()
    qtbot.waitUntil(lambda: (tmp_path / "summary.pdf").exists())
    assert (tmp_path / "summary.pdf").read_bytes().startswith(b"%PDF")


def test_writing_can_be_called_off(window, tmp_path, monkeypatch, qtbot):
    from PySide6.QtWidgets import QFileDialog

    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "summary.pdf"), ""))
    window.files.print_summary()
    qtbot.waitUntil(lambda: window.progress.isVisible())
    qtbot.mouseClick(window.progress.cancel, LEFT)
    qtbot.waitUntil(lambda: "not written" in window.notice.text.text())
    assert not (tmp_path / "summary.pdf").exists()


def test_a_folder_that_cannot_be_written_is_shown(window, asked, tmp_path, monkeypatch, qtbot):
    from PySide6.QtWidgets import QFileDialog

    (tmp_path / "file").write_text("")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "file"))
    window.files.export(window.bench, "Choice")
    qtbot.waitUntil(lambda: len(asked) == 1)
    assert "Nothing of the job is lost" in asked[0]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "file" / "x.pdf"), ""))
    window.files.print_summary()
    qtbot.waitUntil(lambda: len(asked) == 2)


def test_a_chart_says_that_it_is_being_worked_out_until_it_is_drawn(dressed, qtbot):
    chart = Chart("Lost at other AC sizes", "AC kW", "kWh")
    qtbot.addWidget(chart)
    chart.resize(300, 200)
    chart.show()
    (words,) = (label for label in chart.findChildren(QLabel) if label.isVisible())
    assert words.text() == "Being worked out…"
    # Its axes measure nothing yet, and lie under the words; the title stands above them.
    assert words.geometry().bottom() == chart.rect().bottom()
    assert 0 < words.y() < chart.height() / 4
    chart.start()
    chart.line([0, 1], [2, 3], "#000000")
    assert not [label for label in chart.findChildren(QLabel) if label.isVisible()]
