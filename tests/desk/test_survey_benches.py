"""The benches of the survey driven as their user drives them."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QFontMetricsF, QImage
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QDialogButtonBox,
    QFileDialog,
    QLineEdit,
    QTableWidgetItem,
    QWidget,
)

from calm_relay.desk.app import job_files
from calm_relay.desk.app.application import make_window
from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.benches.site_bench import TYPED
from calm_relay.desk.charts.scale_rows import PITCH, ScaleRows
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.view import LETTERS
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.theme import LIGHT, font
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.model import WeatherFile
from calm_relay.planning.architecture.ways import architectures
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.scales import scales_of
from tests.plans import of_few_futures, optimised_over_two_faces, plan

from . import driving
from .driving import LEFT, choose, filled_form, painted, type_into

OK = QDialogButtonBox.StandardButton.Ok


@pytest.fixture
def opened(window, qtbot, settled):
    """Opens a bench of a demo by its key and waits until it is drawn."""

    def open_bench(name, demo=None, option=None):
        if demo:
            window.session.replace(demo_job(demo))
            window.forget_view()
            settled(window)
        if option is not None:
            window.show_option(option)
        driving.press(qtbot, window, BENCHES[name].key)
        qtbot.waitUntil(lambda: not window.session.busy)
        window.grab()
        return window.bench

    return open_bench


def press(qtbot, dialog, button=OK):
    (converter,) = dialog.findChildren(QDialogButtonBox)
    qtbot.mouseClick(converter.button(button), LEFT)


def named(dialog):
    """Every control of a dialog has a name that can be read aloud."""
    for control in dialog.findChildren(QLineEdit) + dialog.findChildren(QComboBox):
        if "qt_" not in control.objectName():
            assert control.accessibleName(), control
    for button in dialog.findChildren(QAbstractButton):
        if button.isVisible() and "qt_" not in button.objectName():
            assert button.accessibleName() or button.text(), button


def test_the_horizon_is_drawn_by_hand_and_taken_back(window, opened, qtbot, settled):
    bench = opened("Roof")
    before = window.session.job.site.horizon
    qtbot.mouseClick(bench.draw, LEFT)
    dial = bench.dial
    start, end = (dial._at(azimuth, 30.0).toPoint() for azimuth in (40.0, 80.0))
    qtbot.mousePress(dial, LEFT, pos=start)
    qtbot.mouseMove(dial, QPoint((start.x() + end.x()) // 2, (start.y() + end.y()) // 2))
    qtbot.mouseMove(dial, end)
    qtbot.mouseRelease(dial, LEFT, pos=end)
    settled(window)
    job = window.session.job
    at_60 = next(point for point in job.site.horizon if 55 <= point.azimuth <= 65)
    assert 22 < at_60.elevation < 40
    assert window.commands.undo.text() == "Undo: Horizon drawn"
    assert window.session.plan.faces[0].made.losses_kwh["horizon"] > 50
    dial.setFocus()
    high = dial._horizon[0]
    qtbot.keyClick(dial, Qt.Key.Key_Up)
    settled(window)
    assert dial._horizon[0] == pytest.approx(high + 1)
    qtbot.mouseClick(bench.flat, LEFT)
    settled(window)
    assert window.session.job.site.horizon == ()
    for _ in range(3):
        window.session.undo()
    settled(window)
    assert window.session.job.site.horizon == before


def test_faces_are_added_changed_and_removed(window, opened, qtbot, settled):
    bench = opened("Roof")
    qtbot.mouseClick(bench.table.add, LEFT)
    settled(window)
    new = window.session.job.faces[2]
    assert (new.fate, new.wired_to) == ("new", None)
    # What was added is in hand.
    assert bench.dial.cursor == 2
    bench.tabs.choose("today")
    assert bench.today.title.text() == window.session.job.faces[2].name
    choose(bench.fields[2, "module"], "quillmere-440")
    type_into(qtbot, bench.fields[2, "name"], "Shed")
    settled(window)
    assert (window.session.job.faces[2].module, window.session.job.faces[2].name) == ("quillmere-440", "Shed")
    choose(bench.fields[1, "fate"], "remove")
    settled(window)
    assert len(window.session.plan.option("hybrid-swap").design.pv_converter.faces) <= 2
    bench.choose(2)
    qtbot.mouseClick(bench.remove, LEFT)
    settled(window)
    assert [face.name for face in window.session.job.faces] == ["Studio, north-east", "House, north-west"]
    type_into(qtbot, bench.fields[0, "name"], "House, north-west")
    assert "stands twice" in bench.problem.text()
    assert bench.fields[0, "name"].text() == "Studio, north-east"


def test_a_rectangle_is_measured_and_filled(window, opened, qtbot, settled):
    bench = opened("Roof")
    bench.tabs.choose("layout")
    layout = bench.layout_
    assert "10 modules; 10 fit" in layout.summary.text() or "fit" in layout.summary.text()
    type_into(qtbot, layout.fields["width_m"], "8,2 m")
    settled(window)
    assert window.session.job.faces[0].rectangle.width_m == 8.2
    choose(layout.layout_choice, "lying")
    settled(window)
    assert painted(bench) > 0.05
    qtbot.mouseClick(layout.fill, LEFT)
    settled(window)
    assert window.session.job.faces[0].count == layout.picture._room.count != 10
    type_into(qtbot, layout.fields["width_m"], "")
    settled(window)
    assert window.session.job.faces[0].rectangle is None
    assert "not measured" in layout.summary.text()


def test_what_lies_on_a_face_today_is_surveyed(window, opened, qtbot, settled):
    bench = opened("Roof")
    bench.tabs.choose("today")
    assert bench.today.summary.text() == "Wired today: 1 × 10 modules in series."
    type_into(qtbot, bench.today.strings, "2")
    settled(window)
    assert window.session.job.faces[0].in_series == 5
    type_into(qtbot, bench.today.strings, "3")
    assert "do not divide into 3 equal strings" in bench.today.problem.text()
    bench.choose(1)
    choose(bench.today.electronics, "corrie-500")
    type_into(qtbot, bench.today.age, "9 years")
    settled(window)
    assert window.session.job.faces[1].electronics == "corrie-500"
    assert window.session.job.faces[1].age_years == 9
    assert window.commands.undo.text() == "Undo: House, north-west: age"


def test_a_face_to_come_hangs_where_there_is_room_or_where_one_says(window, opened, qtbot, settled):
    bench = opened("Roof", "two-homes")
    bench.tabs.choose("today")
    carport = 2
    bench.choose(carport)
    unit = bench.today.unit
    assert unit.currentText() == "where there is room"
    choose(unit, "House inverter")
    settled(window)
    assert window.session.job.faces[carport].wired_to == "House inverter"
    kept = window.session.plan.option("hybrid-beside").design.converters[0]
    assert "Carport, south" in [face.plan.name for face in kept.faces]
    choose(unit, None)
    settled(window)
    assert window.session.job.faces[carport].wired_to is None
    bench.choose(0)
    assert unit.currentText() == "House inverter, the first"


def test_better_modules_and_shade_are_shown_when_asked(window, opened, qtbot):
    bench = opened("Roof", "dairy")
    bench.tabs.choose("shade")
    assert "of the year" in bench.shade.getPlotItem().titleLabel.text
    bench.tabs.choose("swaps")
    qtbot.waitUntil(lambda: bench.swaps.rowCount() > 0)
    assert "40 × Quillmere 440" in bench.swaps.item(0, 1).text()
    assert "kWp" in bench.swaps.item(0, 2).text()


def test_a_string_over_two_faces_is_dragged_as_one(window, opened, settled, qtbot):
    window.session.replace(optimised_over_two_faces())
    window.forget_view()
    settled(window)
    keys = [option.key for option in window.session.plan.options]
    bench = opened("Strings", None, keys.index("ac-addon"))
    view = bench.ladders
    assert view._joined_to(0) == "" and "in series with the one above" in view._joined_to(1)
    qtbot.mousePress(view, LEFT, pos=view.chip(0).topLeft().toPoint() + QPoint(30, 4))
    there = view._columns()[1].center().toPoint()
    qtbot.mouseMove(view, there)
    qtbot.mouseRelease(view, LEFT, pos=there)
    settled(window)
    first, second, *_ = window.session.job.string_plans[0].strings
    assert (first.input, second.input) == (2, 2) and first.face != second.face
    assert first.chain == second.chain is not None


def test_modules_and_strings_are_dragged(window, opened, qtbot, settled):
    bench = opened("Strings", "dairy", 2)
    view = bench.ladders
    assert bench.summary.text().endswith("laid by the planner")
    assert "From 24 strings to 4" in bench.works.text()
    # One module of the first string to the second.
    qtbot.mousePress(view, LEFT, pos=view.cell(0, 3).center().toPoint())
    target = view.chip(1).center().toPoint()
    qtbot.mouseMove(view, target)
    view.grab()
    qtbot.mouseRelease(view, LEFT, pos=target)
    settled(window)
    (plan,) = window.session.job.string_plans
    assert [string.modules for string in plan.strings] == [17, 19, 18, 18]
    assert "laid by hand" in bench.summary.text()
    stops = [finding.check for finding in window.view.option.findings if finding.severity == 0]
    assert "unequal strings" in stops
    # A string by its words to the other input.
    qtbot.mousePress(view, LEFT, pos=view.chip(0).topLeft().toPoint() + QPoint(30, 4))
    there = view._columns()[1].center().toPoint()
    qtbot.mouseMove(view, there)
    qtbot.mouseRelease(view, LEFT, pos=there)
    settled(window)
    assert window.session.job.string_plans[0].strings[0].input == 2
    assert window.commands.undo.text() == "Undo: String to input 2"
    # A module of one face does not go into a string of another.
    qtbot.mousePress(view, LEFT, pos=view.cell(1, 0).center().toPoint())
    other = view.chip(2).center().toPoint()
    qtbot.mouseMove(view, other)
    qtbot.mouseRelease(view, LEFT, pos=other)
    assert "cannot hang in a string of" in bench.problem.text()
    qtbot.mouseClick(bench.lay, LEFT)
    settled(window)
    assert window.session.job.string_plans == ()
    assert bench.summary.text().endswith("laid by the planner")


def test_strings_by_keys_fuses_and_curves(window, opened, qtbot, settled):
    bench = opened("Strings", "dairy", 2)
    view = bench.ladders
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert view.column == 1
    qtbot.keyClick(view, Qt.Key.Key_Down)
    qtbot.keyClick(view, Qt.Key.Key_Minus)
    settled(window)
    assert [string.modules for string in window.session.job.string_plans[0].strings] == [18, 18, 18, 17]
    qtbot.keyClick(view, Qt.Key.Key_PageUp)
    settled(window)
    assert window.session.job.string_plans[0].strings[3].input == 1
    choose(bench.school, "three strings up")
    settled(window)
    assert window.session.job.fuse_school == "three strings up"
    bench.tabs.choose("curves")
    assert len(bench.curves.getPlotItem().listDataItems()) >= 3
    assert painted(bench) > 0.05
    window.show_option(0)
    window.grab()
    assert "as wired today" in bench.summary.text()


@pytest.mark.parametrize(
    "phases, label, places",
    [("single", None, ()), ("split", "Hangs on leg", ("1", "2")), ("three", "Hangs on phase", ("1", "2", "3"))],
)
def test_a_load_s_phase_is_asked_where_there_is_more_than_one(window, opened, settled, phases, label, places):
    job = window.session.job
    supply = job.supply.with_(phases=phases, volts=240 if phases == "split" else job.supply.volts)
    window.session.replace(job.with_(supply=supply, backup_board=None))
    settled(window)
    bench = opened("Home")
    for key in ("loads", "heat_pumps", "cars", "hot_water", "flexible"):
        bench.loads.add_one(key)
        field = bench.loads.dialog.fields.get("phase")
        bench.loads.dialog.reject()
        if label is None:
            assert field is None
        else:
            assert field.accessibleName() == label
            assert [field.itemData(n) for n in range(field.count())] == ["all", *places]


def test_loads_are_added_changed_and_removed(window, opened, qtbot, settled):
    bench = opened("Home")
    bench.loads.add_one("heat_pumps")
    dialog = bench.loads.dialog
    named(dialog)
    type_into(qtbot, dialog.fields["heat_kwh_per_day"], "60 kWh")
    dialog.fields["cop"].setText("7: 3.5, much: 2")
    press(qtbot, dialog)
    assert "2, outdoor: is 'much'; wanted a valid number" in dialog.problem.text()
    dialog.fields["cop"].setText("−7: 2.3, 7: 3.5")
    press(qtbot, dialog)
    settled(window)
    pump = window.session.job.demand.heat_pumps[0]
    assert pump.heat_kwh_per_day == 60
    assert [(point.outdoor_c, point.cop) for point in pump.cop] == [(-7, 2.3), (7, 3.5)]
    assert [part.name for part in window.session.plan.demand.parts] == ["The house", "Kiln", "Heat pump"]
    bench.loads.table.selectRow(0)
    bench.loads.change()
    dialog = bench.loads.dialog
    dialog.fields["start"].setText("25:00")
    press(qtbot, dialog)
    assert dialog.problem.text() == "From (local clock, HH:MM): is '25:00'; wanted a time such as 12:30."
    dialog.fields["start"].setText("10:00")
    dialog.fields["months"].converters[12].setChecked(False)
    press(qtbot, dialog)
    settled(window)
    assert window.session.job.demand.loads[0].start == "10:00"
    assert window.session.job.demand.loads[0].months == tuple(range(1, 12))
    assert window.commands.undo.text() == "Undo: Kiln changed"
    bench.loads.table.selectRow(1)
    qtbot.mouseClick(bench.loads.drop, LEFT)
    settled(window)
    assert window.session.job.demand.heat_pumps == ()
    choose(bench.shape, "small shop")
    settled(window)
    assert "small shop shape" in window.session.plan.demand.source
    bench.tabs.choose("seasons")
    assert painted(bench) > 0.05


def meter_csv(path, days=300):
    stamps = np.datetime64("2025-01-01T00:00") + np.arange(48 * days) * np.timedelta64(30, "m")
    rows = [f"{str(t)[8:10]}.{str(t)[5:7]}.{str(t)[:4]} {str(t)[11:]};0,25;0,05" for t in stamps]
    path.write_text("\n".join(["Datum;Bezug kWh;Einspeisung kWh", *rows]))


def test_a_meter_s_file_is_previewed_corrected_and_read(window, opened, qtbot, settled, tmp_path, monkeypatch):
    meter_csv(tmp_path / "meter.csv")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "meter.csv"), ""))
    bench = opened("Home")
    qtbot.mouseClick(bench.meter, LEFT)
    dialog = bench.dialog
    qtbot.waitUntil(lambda: dialog.data is not None)
    named(dialog)
    assert "interval CSV, 14,400 intervals of 30 min" in dialog.summary.text()
    assert dialog.fields["decimal_mark"].itemText(0) == "as found: comma"
    assert dialog.rows.item(0, 1).text() == "0.250 kWh"
    choose(dialog.fields["unit"], "wh")
    qtbot.waitUntil(lambda: dialog.data.understood.unit == "wh")
    assert dialog.data.import_kwh[0] == pytest.approx(0.00025)
    choose(dialog.fields["unit"], None)
    choose(dialog.counts, "net")
    qtbot.waitUntil(lambda: dialog.data.understood.unit == "kwh" and dialog.rows.isVisible())
    assert "out 720 kWh" in dialog.summary.text()
    press(qtbot, dialog)
    settled(window)
    assert window.session.job.demand.counts == "net"
    assert window.session.plan.demand.metered.measured_days < 365
    qtbot.mouseClick(bench.again, LEFT)
    bench.dialog.reject()
    window.session.undo()
    settled(window)
    assert window.session.job.demand.kind == "shape"


def test_of_a_portals_file_the_house_is_taken_and_the_arrays_yield_is_held_against_the_model(
    window, opened, qtbot, settled, tmp_path
):
    stamps = np.datetime64("2025-01-01T00:00") + np.arange(365 * 24) * np.timedelta64(1, "h")
    rows = [f"{at},{2000 * (8 <= hour % 24 < 12)},600,300,80" for hour, at in enumerate(stamps)]
    (tmp_path / "portal.csv").write_text("\n".join(["Time,Solar (Wh),Home (Wh),From grid,To grid", *rows]) + "\n")
    bench = opened("Home")
    bench.open_meter(tmp_path / "portal.csv")
    dialog = bench.dialog
    qtbot.waitUntil(lambda: dialog.demand.production_path is not None and dialog.data is not None)
    assert dialog.counts.currentData() == "gross" and "Home (Wh) is taken of it" in dialog.summary.text()
    assert "Measured production: portal.csv" in dialog.production_file.text()
    # What a column is of goes by what the file is read for.
    assert dialog._import_label.text() == "Column of demand"
    choose(dialog.file, "production_reading")
    qtbot.waitUntil(lambda: "Solar (Wh) is taken of it" in dialog.summary.text())
    assert dialog._import_label.text() == "Column of production"
    choose(dialog.file, "reading")
    qtbot.waitUntil(lambda: "Home (Wh) is taken of it" in dialog.summary.text())
    press(qtbot, dialog)
    settled(window)
    assert window.session.job.demand.counts == "gross"
    assert window.session.plan.demand.yearly_kwh == pytest.approx(365 * 24 * 0.6, rel=1e-6)
    said = [item.sentence for item in window.session.plan.as_is.findings if item.check == "yield today"]
    assert "2,920 kWh by its inverter" in said[0]


def test_a_file_that_is_no_meter_s_says_why_and_cannot_be_taken(window, opened, qtbot, tmp_path):
    (tmp_path / "bad.csv").write_text("time,kwh\n2025-01-01 00:00,-1\n2025-01-01 00:30,1\n2025-01-01 01:00,1\n")
    bench = opened("Home")
    bench.open_meter(tmp_path / "bad.csv")
    dialog = bench.dialog
    qtbot.waitUntil(lambda: dialog.problem.isVisible())
    assert "bad.csv, line 2: the value is -1" in dialog.problem.text()
    (converter,) = dialog.findChildren(QDialogButtonBox)
    assert not converter.button(OK).isEnabled()
    dialog.reject()


def test_bills_are_typed_and_refused_by_their_line(window, opened, qtbot, settled):
    bench = opened("Home")
    qtbot.mouseClick(bench.bills, LEFT)
    dialog = bench.dialog
    dialog.show_months(2025)
    for row in range(12):
        dialog.table.setItem(row, 2, QTableWidgetItem("410 kWh" if row != 4 else "much"))
    press(qtbot, dialog)
    assert dialog.problem.text().startswith("Line 5:")
    dialog.table.setItem(4, 2, QTableWidgetItem("410"))
    press(qtbot, dialog)
    settled(window)
    assert len(window.session.job.demand.bills) == 12
    assert bench.bills.text() == "12 bills…"
    # The kiln that is there is in them.
    assert window.session.plan.demand.yearly_kwh == pytest.approx(12 * 410)
    assert len(window.session.plan.demand.parts) == 2


def test_what_nobody_said_of_a_figure_stands_as_not_said(window, opened, settled):
    job = window.session.job
    window.session.edit(job.with_(demand=job.demand.with_(counts=None)), "Counted")
    settled(window)
    counts = opened("Home").counts
    assert (counts.currentData(), counts.placeholderText()) == (None, "not said")


def test_bills_that_tell_what_went_out_are_read_beside_the_array(window, opened, qtbot, settled, tmp_path):
    table = tmp_path / "bills.csv"
    table.write_text("from,to,kWh,export kWh\n2025-01-01,2025-06-30,3600,2500\n2025-07-01,2025-12-31,3700,2700\n")
    bench = opened("Home")
    assert bench.counts.currentText() == "all that is used"
    qtbot.mouseClick(bench.bills, LEFT)
    dialog = bench.dialog
    assert dialog.table.isColumnHidden(3)
    dialog.read_file(tmp_path / "none.csv")
    assert "none.csv" in dialog.problem.text()
    dialog.read_file(table)
    assert not dialog.problem.text() and not dialog.table.isColumnHidden(3)
    assert (
        dialog.table.item(1, 3).text() == "2700" and "the rest is what came from the grid" in dialog.notes.text()
    )
    dialog.table.setItem(0, 4, QTableWidgetItem("3 MWh"))
    # What was refused is forgotten in the next turn.
    qtbot.wait(1)
    press(qtbot, dialog)
    settled(window)
    demand = window.session.job.demand
    assert demand.counts == "net" and [bill.made_kwh for bill in demand.bills] == [3000, None]
    assert bench.counts.currentText() == "what came from the grid" and bench.bills.text() == "2 bills…"
    assert "from the grid in 2 bills" in bench.source.text()
    choose(bench.counts, "gross")
    settled(window)
    assert window.session.plan.demand.yearly_kwh == pytest.approx(7300)


def test_a_place_is_found_by_name_and_taken(window, opened, qtbot, settled):
    bench = opened("Site")
    bench.place.line.setFocus()
    qtbot.keyClicks(bench.place.line, "tralee")
    qtbot.waitUntil(lambda: bench.place.result.isVisible())
    assert "Tralee, Ireland" in bench.place.result.item(0).text()
    qtbot.keyClick(bench.place.line, Qt.Key.Key_Return)
    dialog = bench.dialog
    named(dialog)
    # What belonged to the old place is asked about; the tariff stays by choice.
    assert {"climate", "currency", "tariff", "region"} <= set(dialog.ticks)
    dialog.ticks["tariff"].click()
    price = window.session.job.tariff.price
    press(qtbot, dialog)
    settled(window)
    job = window.session.job
    assert (job.tariff.price, job.tariff.currency, job.region) == (price, "€", "ireland")
    assert window.commands.undo.text() == "Undo: Place: Tralee"
    assert set(job.assumed) == {"site.elevation_m", "demand.winter_factor"}
    site = job.site
    assert (site.place, site.time_zone) == ("Tralee, Ireland", "Europe/Dublin")
    assert site.latitude == pytest.approx(52.27, abs=0.1)
    assert site.weather.climate == "dublin-ie"
    assert "Dublin, 2" in bench.source.currentText() and "km" in bench.source.currentText()
    choose(bench.zone, "Europe/London")
    settled(window)
    assert window.session.job.site.time_zone == "Europe/London"
    qtbot.keyClicks(bench.place.line, "xqzzyk")
    qtbot.waitUntil(lambda: bench.place.result.isVisible())
    assert "No such place" in bench.place.result.item(0).text()
    qtbot.keyClick(bench.place.line, Qt.Key.Key_Escape)
    assert not bench.place.result.isVisible()


def test_return_before_the_list_takes_the_one_town_of_that_name_and_never_an_older_list_s(window, opened, qtbot):
    place, taken = opened("Site").place, []
    place.taken.disconnect()
    place.taken.connect(lambda found: taken.append(found.label))
    place.line.setFocus()
    qtbot.keyClicks(place.line, "gal")
    qtbot.waitUntil(place.result.isVisible)
    first = place.result.item(0).text()
    assert not first.startswith("Galway")
    qtbot.keyClicks(place.line, "way")
    qtbot.keyClick(place.line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(taken))
    assert taken == ["Galway, Ireland"] and not place.result.isVisible() and not place.line.text()
    # Of several towns of one name a person chooses.
    qtbot.keyClicks(place.line, "Nelson")
    qtbot.keyClick(place.line, Qt.Key.Key_Return)
    qtbot.waitUntil(place.result.isVisible)
    assert place.result.count() > 1 and len(taken) == 1
    qtbot.keyClick(place.line, Qt.Key.Key_Return)
    assert len(taken) == 2 and taken[1].startswith("Nelson, ")


def test_a_town_typed_while_the_plan_is_made_is_found_when_it_has_come(window, opened, qtbot, settled):
    place = opened("Site").place
    window.session.edit(window.session.job.with_(name="Another name"), "name")
    assert window.session.busy
    place.line.setText("tralee")
    place._seek()
    assert not place.result.isVisible()
    settled(window)
    qtbot.waitUntil(place.result.isVisible)


def test_a_made_year_keeps_its_number_from_one_climate_to_another_and_back(window, opened, qtbot, settled):
    bench = opened("Site")
    before = window.session.job.site.weather.climate
    type_into(qtbot, bench.inputs.editors["Made year, no."], "7")
    settled(window)
    for source in ("dublin-ie", "monthly", before):
        choose(bench.source, source)
        settled(window)
        assert window.session.job.site.weather.seed == 7
    assert window.session.job.site.weather.climate == before


def test_months_are_typed_and_a_weather_file_is_taken(window, opened, qtbot, settled, pvlib_data, monkeypatch):
    bench = opened("Site")
    assert "an assumed kind of climate" in bench.sure.text()
    choose(bench.source, "monthly")
    settled(window)
    weather = window.session.job.site.weather
    assert weather.kind == "monthly"
    qtbot.mouseClick(bench.months, LEFT)
    dialog = bench.dialog
    named(dialog)
    type_into(qtbot, dialog.light[5], "1.5")
    dialog.origin.setText("an atlas")
    press(qtbot, dialog)
    settled(window)
    assert window.session.job.site.weather.ghi_kwh_per_day[5] == 1.5
    assert "the months are yours (an atlas)" in bench.sure.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(pvlib_data / "723170TYA.CSV"), ""))
    choose(bench.source, "file")
    settled(window)
    assert "far off" in bench.sure.text()
    type_into(qtbot, bench.inputs.editors["Coldest cell"], "-4")
    settled(window)
    assert window.session.job.site.coldest_c == -4


def test_the_converter_s_parts_and_what_is_there_today(window, opened, qtbot, settled):
    bench = opened("Inverter", "dairy", 2)
    qtbot.waitUntil(lambda: "the battery catches" in bench.clipping_summary.text())
    for tabs in (bench.foresight_tabs, bench.right_tabs, bench.side_tabs):
        for key in tabs.buttons:
            tabs.choose(key)
            assert painted(bench) > 0.05
    assert "the warranty" in bench.limits.accessibleDescription()
    assert "2 orientations on the roof, 2 trackers" in bench.trackers.text()
    wall = bench.wall
    choose(wall.inverters.fate, "keep")
    settled(window)
    assert window.session.job.existing_inverters[0].fate == "keep"
    assert window.session.plan.option("hybrid-swap").refusal.reasons
    type_into(qtbot, wall.batteries.health, "0.5")
    settled(window)
    assert window.session.job.existing_batteries[0].health == 0.5
    choose(wall.inverters.kind, "none")
    assert "none is stated, but" in wall.inverters.problem.text()
    choose(wall.batteries.kind, "none")
    settled(window)
    assert window.session.job.existing_batteries == ()


def test_a_unit_there_today_says_the_phase_it_hangs_on_where_it_could_be_another(window, opened, settled):
    wall = opened("Inverter", "two-homes", 1).wall
    window.bench.side_tabs.choose("today")
    house, garage = range(2)
    assert wall.inverters.which.currentData() == house and not wall.inverters.phase.isEnabled()
    choose(wall.inverters.which, garage)
    choose(wall.inverters.phase, 3)
    settled(window)
    assert window.session.job.existing_inverters[garage].phase == 3
    choose(wall.batteries.phase, 1)
    settled(window)
    assert window.session.job.existing_batteries[0].phase == 1
    choose(wall.inverters.phase, None)
    settled(window)
    assert window.session.job.existing_inverters[garage].phase is None
    # On an inverter that is there it hangs where that does.
    assert not wall.batteries.phase.isHidden()
    choose(wall.batteries.carrier, "on House inverter")
    settled(window)
    assert wall.batteries.phase.isHidden()


def test_microinverters_there_today_say_the_phase_they_hang_on(window, opened, settled):
    bench = opened("Roof", "two-homes", 1)
    bench.tabs.choose("today")
    bench.choose(0)
    panel = bench.today
    assert panel.phase.isHidden()
    choose(panel.electronics, "pennant-300")
    settled(window)
    assert not panel.phase.isHidden()
    assert "inverter of its own" in panel.summary.text()
    assert not panel.strings.isEnabled() and not panel.unit.isEnabled()
    choose(panel.phase, 0)
    settled(window)
    assert window.session.job.faces[0].phase == 0
    choose(panel.phase, None)
    settled(window)
    assert window.session.job.faces[0].phase is None


def test_rules_are_chosen_by_region_and_changed(window, opened, qtbot, settled):
    bench = opened("Grid")
    assert {"nz-volts", "nz-notify", "nz-export", "nz-branch", "nz-ac-drop"} <= set(bench.rules.limits)
    type_into(qtbot, bench.rules.limits["nz-volts"], "400")
    settled(window)
    assert window.session.job.rule_changes[0].limit == 400
    # The strings run today: they are asked about, against the volts that were typed.
    (asked,) = (item for item in window.view.option.findings if item.check == "cold voltage")
    assert asked.severity == 1 and asked.limit == 400.0
    type_into(qtbot, bench.rules.limits["nz-volts"], "")
    settled(window)
    assert window.session.job.rule_changes[0].limit is None
    choose(bench.rules.region, "united-states")
    settled(window)
    there = {label.text() for label in window.findChildren(Label)}
    assert "Main breaker" in there and not any("network operator" in text for text in there)
    names = {widget.accessibleName() for widget in window.findChildren(QWidget)}
    assert "Main breaker" in names and "Main fuse" not in names
    tips = {widget.toolTip() for widget in window.findChildren(QWidget)}
    assert any("utility" in text for text in tips) and not any("network operator" in text for text in tips)
    choose(bench.rules.region, "germany")
    settled(window)
    assert window.session.job.region == "germany"
    assert "de-unbalance" in bench.rules.limits
    here = {label.text() for label in window.findChildren(Label)}
    assert "Main fuse" in here and any("network operator" in text for text in here)
    assert "Main fuse" in {widget.accessibleName() for widget in window.findChildren(QWidget)}
    tips = {widget.toolTip() for widget in window.findChildren(QWidget)}
    assert not any("utility" in text for text in tips) and any("network operator" in text for text in tips)


def test_a_rule_of_the_job_is_changed_taken_out_and_stays_in_its_place(window, opened, qtbot, settled):
    bench = opened("Grid")
    (name,) = bench.rules.own
    type_into(qtbot, bench.rules.own[name], "1.1")
    settled(window)
    assert window.session.job.rules[0].ratio_max == 1.1
    assert "array ratio" in [finding.check for finding in window.view.option.findings if finding.severity < 2]
    type_into(qtbot, bench.rules.own[name], "")
    settled(window)
    assert window.session.job.rules == ()
    assert not bench.rules.own
    window.session.undo()
    settled(window)
    assert window.session.job.rules[0].name == name
    choose(bench.rules.region, "germany")
    settled(window)
    assert window.session.job.rules == ()


def test_typed_months_hold_their_swing_wind_and_elevation(window, opened, qtbot, settled):
    bench = opened("Site")
    choose(bench.source, TYPED)
    settled(window)
    bench.open_months()
    for name, text in (("daily_range_c", "11"), ("wind_mean", "2.5"), ("elevation_m", "640 m")):
        type_into(qtbot, bench.dialog.yearly[name], text)
    bench.dialog.take()
    settled(window)
    weather = window.session.job.site.weather
    assert (weather.daily_range_c, weather.wind_mean, weather.elevation_m) == (11.0, 2.5, 640.0)


def test_photos_are_attached_captioned_and_taken_out(window, opened, qtbot, settled, tmp_path, monkeypatch):
    image = QImage(1200, 900, QImage.Format.Format_RGB32)
    image.fill(0x336699)
    image.save(str(tmp_path / "board.png"))
    names = [str(tmp_path / "board.png"), str(tmp_path / "gone.pdf")]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: (names, ""))
    bench = opened("Notes")
    photos = bench.photos
    qtbot.mouseClick(photos.add, LEFT)
    settled(window)
    assert photos.list.count() == 2
    assert photos.list.item(1).text() == "gone.pdf (missing)"
    photos.list.setCurrentRow(0)
    photos.caption.setText("The board")
    photos.caption.editingFinished.emit()
    choose(photos.station, "Home")
    settled(window)
    first = window.session.job.attachments[0]
    assert (first.caption, first.station) == ("The board", "Home")
    window.session.save(tmp_path / "deep.relay.json")
    assert window.session.job.attachments[0].path == str(tmp_path / "board.png")
    photos.list.setCurrentRow(1)
    qtbot.mouseClick(photos.drop, LEFT)
    settled(window)
    assert len(window.session.job.attachments) == 1


@pytest.mark.parametrize("words", ["New house, split phase", "Dairy farm, three phase"])
def test_every_demo_opens_from_the_menu_on_every_bench(window, qtbot, settled, monkeypatch, words):
    monkeypatch.setattr(job_files, "demo_job", lambda name: of_few_futures(demo_job(name)))
    next(action for action in window.commands.all() if action.text() == words).trigger()
    settled(window)
    options = window.session.plan.options
    for at, name in enumerate(BENCHES):
        # Each bench draws three of the options, in turn what can be built and what cannot.
        for number in range(at, at + 3):
            window.show_option(number * 5 % len(options))
            window.open_bench(name)
            qtbot.waitUntil(lambda: not window.session.busy)
            assert painted(window) > 0.05


def test_options_that_can_be_built_have_buttons_and_the_others_a_list(dressed, window, settled, qtbot):
    for name, live in (("cottage", "ABCDE"), ("two-homes", "ABCEFGHILM"), ("dairy", "ABCEFHL")):
        window.session.replace(demo_job(name))
        window.forget_view()
        settled(window)
        seen = [button.text()[0] for button in window.switch.buttons if not button.isHidden()]
        assert "".join(seen) == live
        refused = window.switch.refused_menu.actions()
        assert len(refused) == len(architectures()) - len(live)
        assert window.switch.refused.text() == f"{len(refused)} refused"
        assert all(action.toolTip() for action in refused)
        for button in window.switch.buttons:
            # Between its borders and what stands free beside them.
            assert button.fontMetrics().horizontalAdvance(button.text()) <= button.width() - 18, button.text()
    refused[0].trigger()
    assert window.view.option.key == "micro-ac"
    assert not window.switch.buttons[3].isHidden()
    assert "strings lie on the roof" in window.margin.notes[0].finding.sentence


def test_a_refused_option_has_no_bar_and_words_of_bars_keep_clear(dressed, demo_plan):
    cottage = plan(demo_job("cottage"))
    numbers = [number for number, option in enumerate(cottage.options) if not isinstance(option, RefusedOption)]
    barred = next(number for number, option in enumerate(cottage.options) if isinstance(option, RefusedOption))
    three, refused = (
        ScaleRows(scales_of(made), LETTERS[: len(made.options)], 0, "", LIGHT, shown)
        for made, shown in ((demo_plan, (0, 1, 2)), (cottage, (*numbers[:3], barred)))
    )
    assert refused.height == three.height
    four = ScaleRows(scales_of(cottage), LETTERS[: len(cottage.options)], 0, "", LIGHT, tuple(numbers[:4]))
    bars = len(scales_of(cottage))
    assert four.height - three.height == pytest.approx(bars * PITCH)
    # Digits and capitals of one bar end above those of the next.
    assert QFontMetricsF(font(7.6, strong=True)).capHeight() + 2.0 <= PITCH


def test_a_window_opens_on_a_demo_by_its_word(dressed, qtbot, asked, settled):
    made = make_window(None, "cottage")
    made.show()
    settled(made)
    assert made.session.job.supply.phases == "split"
    made.close()
    made.deleteLater()


def test_losses_of_the_array_and_phases_of_the_service_are_typed(window, opened, qtbot, settled, monkeypatch):
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, {"soiling": "5", "mismatch": "2.5 %"}))
    before = window.session.plan.as_is.outcome.figures.pv_dc_kwh
    qtbot.mouseClick(opened("Roof").losses, LEFT)
    settled(window)
    losses = window.session.job.losses
    assert (losses.soiling, losses.mismatch) == (0.05, 0.025)
    assert window.session.plan.as_is.outcome.figures.pv_dc_kwh < before
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, {"phases": "three", "volts": "230"}))
    qtbot.mouseClick(opened("Grid").service, LEFT)
    settled(window)
    assert window.session.job.supply.phases == "three"
    assert {circuit.leg for circuit in window.session.job.board.circuits} <= {"1", "2", "3", "across"}


def test_a_rule_of_the_job_is_made_and_a_changed_one_says_why(window, opened, qtbot, settled, monkeypatch):
    def filled(dialog):
        for name, text in {
            "name": "Rural loan",
            "ratio_max": "1.2",
            "authority": "A bank",
            "dated": "2026-05",
        }.items():
            type_into(qtbot, dialog.fields[name], text)
        dialog.take()
        return dialog.result_model is not None

    monkeypatch.setattr(FormDialog, "exec", filled)
    bench = opened("Grid")
    count = len(window.session.job.rules)
    qtbot.mouseClick(bench.rules.add, LEFT)
    settled(window)
    made = window.session.job.rules[-1]
    assert len(window.session.job.rules) == count + 1
    assert (made.name, made.ratio_max, made.authority, made.dated) == ("Rural loan", 1.2, "A bank", "2026-05")
    assert bench.rules.own["Rural loan"].text() == "1.2"
    key, field = next(iter(bench.rules.limits.items()))
    type_into(qtbot, field, "7")
    settled(window)
    bench.rules.why[key].setText("The operator said so")
    bench.rules.why[key].editingFinished.emit()
    settled(window)
    assert next(one.why for one in window.session.job.rule_changes if one.rule == key) == "The operator said so"


def test_the_year_its_number_and_an_old_batterys_reserve_are_typed(window, opened, qtbot, settled):
    bench = opened("Site")
    type_into(qtbot, bench.inputs.editors["Calendar year"], "2027")
    settled(window)
    type_into(qtbot, bench.inputs.editors["Made year, no."], "7")
    settled(window)
    site = window.session.job.site
    assert (site.year, site.weather.seed) == (2027, 7)
    assert not bench.inputs.editors["Stamps later by"].isEnabled()
    assert not bench.inputs.editors["Year of the file, no."].isEnabled()
    type_into(qtbot, bench.inputs.editors["Calendar year"], "2028")
    assert "366 days" in bench.inputs.problem.text()
    home = opened("Home")
    type_into(qtbot, home.inputs.editors["Made days, no."], "5")
    settled(window)
    assert window.session.job.demand.seed == 5
    wall = opened("Inverter").wall
    choose(wall.batteries.kind, "fern-48")
    settled(window)
    type_into(qtbot, wall.batteries.reserve, "35")
    settled(window)
    assert window.session.job.existing_batteries[0].reserve == 0.35


def test_which_year_of_a_weather_file_is_typed(window, opened, qtbot, settled, tmp_path, pvlib_data):
    lines = (pvlib_data / "723170TYA.CSV").read_text().splitlines()
    (tmp_path / "two.csv").write_text("\n".join([*lines, *lines[2:]]) + "\n")
    job = window.session.job
    site = job.site.with_(weather=WeatherFile(path=str(tmp_path / "two.csv")))
    window.session.edit(job.with_(site=site), "Weather from a file")
    settled(window)
    bench = opened("Site")
    field = bench.inputs.editors["Year of the file, no."]
    assert (field.isEnabled(), field.placeholderText(), field.text()) == (True, "most usual", "")
    type_into(qtbot, field, "2")
    settled(window)
    assert window.session.plan.site.source == "weather file two.csv, year 2 of 2"
    type_into(qtbot, field, "")
    settled(window)
    assert window.session.job.site.weather.year is None


def test_snow_by_month_is_typed_undone_and_left_out_again(window, opened, qtbot, settled):
    bench = opened("Site")
    given = window.session.plan.as_is.outcome.figures.pv_dc_kwh
    qtbot.mouseClick(bench.snow, LEFT)
    dialog = bench.dialog
    named(dialog)
    assert not dialog.none.isEnabled()
    type_into(qtbot, dialog.fall[6], "40")
    dialog.take()
    assert dialog.isVisible() and "The snow of July needs a day" in dialog.problem.text()
    type_into(qtbot, dialog.days[6], "6")
    type_into(qtbot, dialog.yearly["lower_edge_m"], "1.5 m")
    assert dialog.yearly["humidity"].text() == "80%"
    type_into(qtbot, dialog.yearly["humidity"], "70")
    dialog.take()
    settled(window)
    snow = window.session.job.site.snow
    assert (snow.fall_cm[6], snow.days[6], snow.lower_edge_m, snow.humidity) == (40.0, 6.0, 1.5, 0.7)
    assert window.session.plan.as_is.outcome.figures.pv_dc_kwh < given
    assert "40 cm a year, on 6 days" in bench.snow.toolTip()
    window.open_bench("Roof")
    assert "snow" in window.bench.summary.text()
    window.open_bench("Site")
    qtbot.mouseClick(bench.snow, LEFT)
    qtbot.mouseClick(bench.dialog.none, LEFT)
    settled(window)
    assert window.session.job.site.snow is None
    assert window.session.plan.as_is.outcome.figures.pv_dc_kwh == given


def test_a_horizon_is_read_from_a_table(window, opened, settled, tmp_path):
    bench = opened("Roof")
    bench.read_horizon(tmp_path / "none.csv")
    assert "none.csv" in bench.problem.text()
    (tmp_path / "h.csv").write_text("-180 5\n-90 20\n0 8\n90 30\n")
    bench.read_horizon(tmp_path / "h.csv")
    settled(window)
    points = window.session.job.site.horizon
    assert [(point.azimuth, point.elevation) for point in points] == [(0, 5), (90, 20), (180, 8), (270, 30)]
    assert not bench.problem.isVisible() and "taken from south" in window.commands.undo.text()
