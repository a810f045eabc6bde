"""The bench Commissioning driven as its user drives it, against the simulated site."""

import csv
import json
import time

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QFileDialog

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.dialogs.conditions_dialog import ConditionsDialog
from calm_relay.exchange.logbook import logbook_path, read_logbook
from calm_relay.exchange.shipped import demo_job
from calm_relay.fieldbus.server import SiteServer
from calm_relay.job.commissioning import FieldDevice
from calm_relay.planning.commissioning.played import PlayedSite, fault_of, step_at

from . import driving

ONE = "string Inverter/1/1"


@pytest.fixture
def bench(window, settled, qtbot):
    window.show_option(1)
    driving.press(qtbot, window, BENCHES["Commissioning"].key)
    settled(window)
    window.resize(1280, 800)
    window.grab()
    return window.bench


@pytest.fixture
def lit(bench, window, settled):
    """Conditions typed, so that strings can be judged whenever the test runs."""
    job = window.session.job
    conditions = job.commissioning.conditions.with_(on="2026-12-21", at="13:00")
    record = job.commissioning.with_(conditions=conditions)
    window.session.edit(job.with_(commissioning=record), "Conditions")
    settled(window)
    return bench


def cell_of(panel, key, column):
    row = next(row for row, item in panel._rows.items() if item.expected.key == key)
    return panel.table.item(row, column).text()


def test_the_sheet_follows_the_order_of_work(bench):
    panel = bench.readings
    stages = [
        panel.table.item(row, 0).text()
        for row in range(panel.table.rowCount())
        if panel.table.columnSpan(row, 0) > 1
    ]
    assert stages[:3] == ["Strings, isolated", "Battery, isolated", "AC, before closing"]
    assert "0 of" in panel.tally.text()
    assert driving.painted(panel.table) > 0.02


def test_a_reading_typed_is_judged_and_undone(lit, window, settled):
    panel = lit.readings
    panel.type_reading(f"{ONE} voc", "-370")
    settled(window)
    assert window.session.job.commissioning.value(f"{ONE} voc") == -370.0
    assert "✗ fail" in cell_of(panel, f"{ONE} voc", 5)
    assert "Reversed polarity" in panel.meaning.text()
    window.session.undo()
    settled(window)
    assert cell_of(panel, f"{ONE} voc", 3) == ""


@pytest.mark.parametrize("text, said", [("abc", "no number"), ("12 A", "no unit here"), ("9000000", "million")])
def test_what_is_no_reading_is_told_and_nothing_is_lost(lit, window, text, said):
    import re

    before = window.session.job
    lit.readings.type_reading(f"{ONE} voc", text)
    assert lit.readings.problem.isVisible()
    assert re.search(said, lit.readings.problem.text())
    assert window.session.job is before
    assert cell_of(lit.readings, f"{ONE} voc", 3) == ""


def test_units_and_commas_are_understood(lit, window):
    lit.readings.type_reading(f"{ONE} voc", "0,373 kV")
    assert window.session.job.commissioning.value(f"{ONE} voc") == pytest.approx(373.0)


def test_a_string_as_built_is_one_click(lit, window, settled):
    panel = lit.readings
    item = next(item for item in panel._judged if item.expected.key == f"{ONE} voc")
    panel.type_reading(f"{ONE} voc", f"{item.expected.value * 0.9:.1f}")
    settled(window)
    panel.choose(f"{ONE} voc")
    assert panel.mend.isVisible() and "9 modules" in panel.mend.text()
    before = [face.count for face in window.session.job.faces]
    panel.mend.click()
    settled(window)
    assert [face.count for face in window.session.job.faces] != before
    window.session.undo()
    assert [face.count for face in window.session.job.faces] == before


def test_conditions_are_asked_and_refused_in_words(bench, window, monkeypatch):
    asked = []

    def answer(dialog):
        dialog.day.setText("2026-13-01")
        dialog.take()
        asked.append(dialog.problem.text())
        dialog.day.setText("2026-12-21")
        dialog.time.setText("noon")
        dialog.take()
        asked.append(dialog.problem.text())
        dialog.time.setText("12:15")
        face = next(iter(dialog.light))
        dialog.light[face][0].setText("812")
        dialog.light[face][0].editingFinished.emit()
        dialog.take()
        return dialog.result_model is not None

    monkeypatch.setattr(ConditionsDialog, "exec", answer)
    bench.readings.conditions.click()
    assert "2026-06-21" in asked[0] and "12:30" in asked[1]
    conditions = window.session.job.commissioning.conditions
    assert (conditions.on, conditions.at, conditions.light[0].irradiance) == ("2026-12-21", "12:15", 812.0)


def test_the_option_that_was_built_stays(bench, window, settled):
    assert not bench.built.isVisible()
    window.show_option(4)
    bench.built.click()
    settled(window)
    assert window.session.job.commissioning.option == window.view.option.key == "two-units"
    window.show_option(2)
    assert "as built" in bench.title.text()
    assert bench.option.key == window.session.job.commissioning.option


def test_three_moments_say_what_to_turn(bench, window):
    bench.tabs.choose("ct")
    panel = bench.ct
    for kind, load, pv, charge, shown in (
        ("load only", 1.5, 0, 0, -1.5), ("PV only", 0.5, 3.0, 0, 2.5), ("charging", 0.6, 0, 2.0, -2.6),
    ):  # fmt: skip
        for name, value in (("load", load), ("pv", pv), ("charge", charge), ("shown", shown)):
            field = panel.fields[kind, name, 0]
            field.setText(str(value))
            field.editingFinished.emit()
    assert "turn it round" in panel.verdict.text()
    assert driving.painted(panel.picture) > 0.01
    assert window.session.job.commissioning.ct_moment("charging").shown == (-2.6,)
    window.session.undo()
    assert window.session.job.commissioning.ct_moment("charging").shown == ()


def test_a_test_passed_and_a_note_are_kept(bench, window):
    bench.tabs.choose("tests")
    panel = bench.tests
    result, note = panel.results["transfer"], panel.notes["transfer"]
    result.setCurrentIndex(result.findData("passed"))
    result.activated.emit(result.currentIndex())
    note.setText("18 ms")
    note.editingFinished.emit()
    record = window.session.job.commissioning.test("transfer")
    assert (record.result, record.note) == ("passed", "18 ms")


def _setting_row(panel, name):
    return next(
        row
        for row in range(panel.settings.rowCount())
        if panel.settings.item(row, 1) is not None and panel.settings.item(row, 1).text() == name
    )


def test_what_was_keyed_in_otherwise_changes_the_job_in_one_step(bench, window, settled):
    bench.tabs.choose("record")
    panel, before = bench.record, window.session.job
    row = _setting_row(panel, "Lowest charge, grid up")
    panel.settings.item(row, 3).setText("mud")
    assert "'mud' is no number" in panel.problem.text() and window.session.job == before
    panel.settings.item(row, 3).setText("140 %")
    assert panel.problem.isVisibleTo(panel) and window.session.job == before
    panel.settings.item(row, 3).setText("35")
    settled(window)
    assert window.session.job.battery.reserve == pytest.approx(0.35)
    assert panel.settings.item(_setting_row(panel, "Lowest charge, grid up"), 2).text() == "35%"
    window.session.undo()
    settled(window)
    assert window.session.job == before
    row = _setting_row(panel, "Grid code")
    panel.settings.item(row, 3).setText("an older one")
    settled(window)
    assert [item.value for item in window.session.job.commissioning.keyed_other] == ["an older one"]
    assert "an older one" in panel.settings.item(_setting_row(panel, "Grid code"), 3).text()


def test_settings_serials_instruments_and_open_points_are_kept(bench, window):
    bench.tabs.choose("record")
    panel = bench.record
    row = next(row for row in range(panel.settings.rowCount()) if panel.settings.columnSpan(row, 0) == 1)
    panel.settings.item(row, 0).setCheckState(Qt.CheckState.Checked)
    panel.serials.item(0, 1).setText("SN 77")
    panel.add.click()
    panel.instruments.item(0, 2).setText("2027-03")
    panel.by.setText("An electrician")
    panel.by.editingFinished.emit()
    panel.open_points.setPlainText("Label on the meter")
    bench.commit()
    record = window.session.job.commissioning
    assert len(record.keyed) == 1
    assert record.serials[0].serial == "SN 77"
    assert record.instruments[0].calibrated == "2027-03"
    assert (record.by, record.open_points) == ("An electrician", "Label on the meter")
    panel.instruments.item(0, 0).setText("")
    assert panel.problem.isVisible()
    panel.drop.click()
    assert window.session.job.commissioning.instruments == ()


def test_the_protocol_is_written(lit, window, tmp_path, monkeypatch, settled):
    from pypdf import PdfReader

    lit.readings.type_reading(f"{ONE} voc", "-370")
    settled(window)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "p.pdf"), ""))
    lit.protocol.click()
    reader = PdfReader(tmp_path / "p.pdf")
    text = " ".join(page.extract_text() for page in reader.pages)
    assert "Reversed polarity" in " ".join(text.split())
    assert "-370" in text
    assert any(item.title == "Open points" for item in reader.outline)
    document = json.loads((tmp_path / "p.json").read_text(encoding="utf-8"))
    assert window.session.path is None
    assert any(item["verdict"] == "fail" for item in document["readings"])


def test_a_protocol_of_a_saved_job_stands_in_its_logbook(lit, window, tmp_path, monkeypatch, settled):
    names = iter((str(tmp_path / "own.relay.json"), str(tmp_path / "p.pdf")))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (next(names), ""))
    assert window.files.save_as()
    lit.readings.type_reading(f"{ONE} voc", "-370")
    settled(window)
    lit.protocol.click()
    entry = read_logbook(logbook_path(tmp_path / "own.relay.json")).entries[-1]
    assert (entry.kind, entry.failed) == ("commissioning", 1)
    assert "Reversed polarity" in entry.text


@pytest.fixture
def site(window, settled):
    """The two homes' plant, played with a reversed transformer and a dead string."""
    window.session.replace(demo_job("two-homes"))
    window.forget_view()
    settled(window)
    plan = window.session.plan
    option = plan.option(window.session.job.commissioning.option)
    began = time.monotonic()
    faults = [fault_of("reversed-ct:1"), fault_of("dead-string:2")]
    played = PlayedSite(
        plan, option, step_at(plan, "06-21", "10:00"), 60.0, faults, lambda: time.monotonic() - began
    )
    server = SiteServer(played.devices)
    port = server.start()
    job = window.session.job
    devices = tuple(FieldDevice(address=f"127.0.0.1:{port}", unit=unit) for unit in played.devices)
    window.session.edit(job.with_(commissioning=job.commissioning.with_(devices=devices)), "Devices")
    settled(window)
    window.open_bench("Commissioning")
    window.bench.tabs.choose("live")
    yield window.bench.live
    window.bench.live.stop()
    server.stop()


def test_the_live_site_names_a_reversed_transformer_and_a_dead_string(site, window, qtbot, tmp_path):
    stretches = []
    site.means_ready.connect(stretches.append)
    site.keep.setChecked(True)
    site.connect_button.click()
    assert site.connected
    site.start_recording(tmp_path / "r.csv")

    def both():
        text = site.deviations.text()
        return "transformer on phase 1 round" in text and "gives nothing" in text

    qtbot.waitUntil(both)
    assert window.bench.own_moment is not None
    assert site.table.rowCount() > 8
    assert all("✓" in site.devices.item(row, 3).text() for row in range(3))
    moment = site.ct_moment("PV only")
    # The load is what the clamp meter said, never what the meter makes of it.
    assert len(moment.shown) == 3
    assert moment.load == window.session.job.commissioning.ct_moment("PV only").load
    site.toggle()
    assert not site.connected
    assert window.bench.own_moment is None
    assert stretches[-1].columns["pv kw"] and stretches[-1].columns["soc"]
    with (tmp_path / "r.csv").open(encoding="utf-8") as stream:
        rows = list(csv.DictReader(stream))
    assert {row["part"] for row in rows} >= {"unit 1", "meter"}
    assert all(row["ac_kw"] or row["grid_kw"] for row in rows if not row["problem"])


def test_the_window_answers_while_a_device_hangs(window, settled, qtbot):
    """An address that nobody answers at is said so, and the window goes on."""
    import socket

    silent = socket.create_server(("127.0.0.1", 0))
    window.open_bench("Commissioning")
    window.bench.tabs.choose("live")
    live = window.bench.live
    live.address.setText(f"127.0.0.1:{silent.getsockname()[1]}")
    live.add.click()
    settled(window)

    def given_up():
        return live.devices.item(0, 3) is not None and "✗" in live.devices.item(0, 3).text()

    live.connect_button.click()
    turns = []
    beat = QTimer(live, interval=5)
    beat.timeout.connect(lambda: turns.append(given_up()))
    beat.start()
    qtbot.waitUntil(given_up)
    # The device is waited for longer than three seconds; who waited with it would have had no turn between.
    assert turns.count(False) > 20
    live.stop()
    silent.close()


@pytest.mark.parametrize("text", ["", "http://x", "a b:1"])
def test_what_is_no_address_is_told(window, text):
    window.open_bench("Commissioning")
    window.bench.tabs.choose("live")
    live = window.bench.live
    before = window.session.job
    live.address.setText(text)
    live.add.click()
    assert live.problem.isVisible() and "wanted" in live.problem.text()
    assert window.session.job is before


def test_devices_are_added_once_and_removed(window):
    window.open_bench("Commissioning")
    window.bench.tabs.choose("live")
    live = window.bench.live
    live.address.setText("192.0.2.1")
    live.add.click()
    live.add.click()
    assert "already" in live.problem.text()
    assert len(window.session.job.commissioning.devices) == 1
    live.drop.click()
    assert window.session.job.commissioning.devices == ()
