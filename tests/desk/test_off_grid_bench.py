"""The bench Grid of an off-grid house, and the way from one to the other, as a person uses them."""

from io import BytesIO

import pytest
from openpyxl import load_workbook
from PySide6.QtCore import QPointF, Qt

from calm_relay.desk.benches.load_rows import KINDS, rows_on
from calm_relay.desk.benches.money_bench import OF_A_GRID, finance_rows
from calm_relay.desk.charts.off_grid_charts import SizingMap
from calm_relay.desk.dialogs.backed_up_loads_dialog import BackedUpLoadsDialog
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.label import Label
from calm_relay.exchange.own_equipment import library
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.architecture.ways import architectures
from calm_relay.planning.common.progress import unheard
from calm_relay.planning.views.money_rows import workbook_of

from .driving import LEFT, choose, type_into


@pytest.fixture
def hut(window, settled, qtbot):
    window.session.replace(demo_job("hut"))
    window.forget_view()
    settled(window)
    window.show_option([option.key for option in window.session.plan.options].index("hybrid-swap"))
    window.open_bench("Grid")
    qtbot.waitUntil(lambda: window.bench.off_grid.summary.text() != "")
    return window.bench


def plain(label):
    return label.text().replace("\u00a0", " ")


def test_the_year_alone_is_shown_and_its_inputs_stand_beside_it(hut, window, qtbot, settled):
    assert not hut.inputs.isVisible()
    assert hut.off_grid_rows.isVisible()
    assert not hut.rules.isVisible()
    assert "on the back of an envelope" in plain(hut.off_grid.summary)
    assert "without sun and generator it lasts 1.9 days" in plain(hut.off_grid.summary)
    assert not hut.off_grid.months.isHidden()
    type_into(qtbot, hut.off_grid_rows.editors["May go unserved"], "2")
    settled(window)
    assert window.session.job.off_grid.unmet_max == 0.02
    note = next(n.finding for n in window.margin.notes if n.finding.check == "unmet")
    assert note.severity.name == "OK"


def test_a_size_is_found_on_the_map_and_used(hut, window, qtbot, settled):
    panel = hut.off_grid
    qtbot.mouseClick(panel.tabs.buttons["size"], LEFT)
    qtbot.waitUntil(lambda: panel._sizing is not None)
    result = panel._sizing
    assert panel.map.place == result.best
    assert "The cheapest of those within the target." in plain(panel.chosen)
    assert panel.use.isEnabled()
    panel.map.setFocus()
    i, j = result.best
    qtbot.keyClick(panel.map, Qt.Key.Key_Right)
    assert panel.map.place == (i, j + 1)
    assert not result.allowed[panel.map.place]
    assert not panel.use.isEnabled()
    assert "More array than the makers allow" in plain(panel.chosen)
    window.grab()
    view = panel.map.getPlotItem().getViewBox()
    here = QPointF(result.here[1] + 0.5, result.here[0] + 0.5)
    spot = panel.map.mapFromScene(view.mapViewToScene(here))
    qtbot.mouseClick(panel.map.viewport(), LEFT, pos=spot)
    assert panel.map.place == result.here
    assert "What this option has." in plain(panel.chosen)
    assert not panel.use.isEnabled()
    choose(panel.reading, "cost")
    assert "thousands of €" in panel.map.getPlotItem().titleLabel.text
    panel._pick(i, j)
    qtbot.mouseClick(panel.use, LEFT)
    settled(window)
    assert window.commands.undo.text().startswith(f"Undo: Size: {result.counts[i]} packs")
    assert sum(face.count for face in window.session.job.faces) > sum(face.count for face in demo_job("hut").faces)


def test_sizes_called_off_stay_off_and_can_be_tried_again(hut, window, qtbot):
    panel, summary = hut.off_grid, []
    window.session.study_cancelled.connect(lambda: summary.append(1))
    qtbot.mouseClick(panel.tabs.buttons["size"], LEFT)
    window.session.cancel()
    qtbot.waitUntil(lambda: len(summary) == 1)
    qtbot.wait(400)
    assert len(summary) == 1
    assert "Called off" in panel.chosen.text()
    assert "Called off" in window.notice.text.text()
    qtbot.mouseClick(panel.tabs.buttons["size"], LEFT)
    qtbot.waitUntil(lambda: panel._sizing is not None)
    assert "kWh usable" in plain(panel.chosen)


def test_the_map_shows_nothing_where_there_is_nothing_to_try(dressed, qtbot):
    shown = SizingMap()
    qtbot.addWidget(shown)
    shown.show_sizing(None, "unmet")
    assert shown.isHidden()
    qtbot.keyClick(shown, Qt.Key.Key_Right)
    assert shown.place is None


def test_a_grid_is_taken_away_and_laid_again(window, settled, qtbot, monkeypatch):
    def answer(dialog):
        dialog.fields["on_grid"].setChecked(not dialog.fields["on_grid"].isChecked())
        dialog.take()
        return 1

    monkeypatch.setattr(FormDialog, "exec", answer)
    window.open_bench("Grid")
    bench = window.bench
    assert bench.rules.isVisible() and not bench.off_grid.isVisible()
    qtbot.mouseClick(bench.service, LEFT)
    settled(window)
    assert not window.session.job.supply.on_grid
    assert bench.off_grid.isVisible()
    assert "none" in next(s.headline for s in window.line.line.stations if s.name == "Grid")
    qtbot.mouseClick(bench.service, LEFT)
    settled(window)
    assert window.session.job.supply.on_grid
    assert bench.rules.isVisible()


def test_the_night_of_a_hut_is_not_an_outage(hut, window, qtbot):
    window.open_bench("Outage")
    bench = window.bench
    qtbot.waitUntil(lambda: bench.verdict.text() != "" and bench._mapped is not None)
    assert (bench.when.text(), bench.pull.text()) == ("From", "Rehearse")
    assert "Carried over" not in bench.more.text()
    assert "The generator" in bench.more.text()


def test_the_search_of_a_hut_asks_for_its_target(hut, window, qtbot, monkeypatch):
    monkeypatch.setattr("calm_relay.planning.studies.search.search.__defaults__", (unheard, 200))
    assert not window.benches["Choice"].battery.charge.isEnabled()
    window.open_bench("Search")
    bench = window.bench
    assert bench.unmet.isVisible() and not bench.counted.isVisible()
    assert bench.unmet.value == 0.5
    offered = [bench.benefit.itemData(row) for row in range(bench.benefit.count())]
    assert bench.benefit.currentData() == "score" and "hours" not in offered
    type_into(qtbot, bench.unmet, "")
    qtbot.mouseClick(bench.start, LEFT)
    qtbot.waitUntil(lambda: bench.model.rowCount() > 0)
    whole = len(bench._plants)
    assert {plant.key for plant in bench._plants} <= {way.key for way in architectures() if way.search_words}
    type_into(qtbot, bench.unmet, "1")
    assert len(bench._plants) < whole
    type_into(qtbot, bench.unmet, "")
    bench.pick(bench.model.plants[0])
    assert "goes unserved" in plain(bench.summary)


def test_home_shows_who_is_on_the_board(window, qtbot, settled):
    window.show_option(1)
    window.open_bench("Home")
    bench = window.bench
    qtbot.mouseClick(bench.tabs.buttons["backup-board"], LEFT)
    qtbot.waitUntil(lambda: bench.picture._stack is not None)
    summary = bench.picture.accessibleDescription()
    assert "Kiln: stays on, 6.0 kW" in summary
    assert "Together: 10.9 of 4.7 kW" in summary
    assert bench.picture.isVisible()
    picture = bench.picture.grab().toImage()
    shades = {picture.pixelColor(150, y).name() for y in range(25, picture.height(), 4)}
    assert len(shades) > 4


def test_a_new_car_waits_for_the_sun_and_no_main_fuse_and_no_cheap_hours_are_named():
    on_grid, off = demo_job("pottery").supply, demo_job("hut").supply
    _, first, rows = KINDS["cars"]
    assert first(off).control == "on surplus" and (first(off).start, first(off).end) == ("09:00", "16:00")
    assert first(on_grid).control == "at once"

    def asked(supply, car):
        found = {row[0]: row for row in rows_on(rows, car, supply)}
        return found["within_fuse"][1], [way for way, _ in found["control"][2]]

    at_fuse, at_unit = "It holds back for the main fuse", "It holds back for the inverter's limit"
    assert asked(on_grid, first(on_grid)) == (at_fuse, ["at once", "on surplus", "in cheap hours"])
    assert asked(off, first(off)) == (at_unit, ["at once", "on surplus"])
    # What a job holds stays to be seen.
    assert "in cheap hours" in asked(off, first(off).with_(control="in cheap hours"))[1]


def test_money_asks_for_no_tariff_and_no_export_where_there_is_no_grid(hut, window, qtbot, settled):
    window.open_bench("Money")
    bench = window.bench
    settled(window)
    qtbot.waitUntil(lambda: bench.settled and bool(bench.flows), timeout=20_000)
    assert not bench.switch.isVisible() and bench.finance.isVisible()
    asked = {row[0] for row in finance_rows(window.session.job.supply)}
    assert "maintenance" in asked and not asked & OF_A_GRID
    assert {row[0] for row in finance_rows(demo_job("pottery").supply)} >= OF_A_GRID
    book = load_workbook(BytesIO(workbook_of(bench.flows[0])))
    words = {str(cell.value) for sheet in book for row in sheet.iter_rows() for cell in row}
    assert "Prices rise a year" in words and not {word for word in words if "xport" in word or "tanding" in word}


def test_no_control_at_a_meter_is_asked_where_there_is_none(hut, window, settled):
    window.open_bench("Battery")
    assert not window.bench.panel.control.isEnabled() and window.bench.panel.place.isEnabled()
    window.session.replace(demo_job("pottery"))
    settled(window)
    assert window.bench.panel.control.isEnabled()


def test_circuits_are_fed_or_left_off_where_no_grid_goes_down(qtbot):
    said = {}
    for name in ("pottery", "hut"):
        job = demo_job(name)
        dialog = BackedUpLoadsDialog(job, library())
        qtbot.addWidget(dialog)
        role = dialog.rows[0].role
        heads = [label.text() for label in dialog.findChildren(Label)]
        said[name] = [role.itemText(row) for row in range(role.count())], role.accessibleName(), heads
    assert said["pottery"][0] == ["backed up", "shed", "grid only"] and "In an outage" in said["pottery"][2]
    assert said["hut"][:2] == (["stays on", "shed", "left off"], "Circuit 1: is fed")
    assert "Is fed" in said["hut"][2] and "In an outage" not in said["hut"][2]


def test_its_circuits_are_called_that_and_backed_up_loads_with_a_grid(hut, window, settled):
    assert hut.backup_board.text() == "Circuits and generator…"
    window.open_bench("Home")
    settled(window)
    assert window.bench.backup_board.text() == "Circuits…"
    assert window.bench.tabs.buttons["backup-board"].text() == "Circuits"
    window.open_bench("Outage")
    settled(window)
    assert window.bench.backup_board.text() == "Circuits and generator…"
    window.session.edit(demo_job("pottery"), "another job")
    settled(window)
    assert window.bench.backup_board.text() == "Backed-up loads and generator…"
