"""The benches Battery, Choice and Search as a person uses them: tabs, dialogs, the cloud, an option opened."""

from html import unescape

import pytest
from PySide6.QtCore import QPoint, Qt, QTime
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox

from calm_relay.desk.dialogs.control_dialog import ControlDialog
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.label import Label
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.control import GridCharge
from calm_relay.job.uncertainty import Uncertainty
from calm_relay.planning.common.progress import unheard

from .driving import LEFT, choose, painted, type_into


@pytest.fixture
def battery(window, settled):
    window.show_option(1)
    window.open_bench("Battery")
    return window.bench


def tab(bench, qtbot, key):
    qtbot.mouseClick(bench.tabs.buttons[key], LEFT)
    return bench


@pytest.mark.parametrize(
    ("key", "result", "words"),
    [
        ("map", "battery-map", "An expansion moves it to the right alone"),
        ("use", "battery-years", "winter sun"),
        ("years", "battery-years", "Warranty"),
        ("foresight", "battery-foresight", "gap to perfect foresight"),
    ],
)
def test_every_tab_asks_for_its_own_study_and_says_what_it_shows(battery, qtbot, key, result, words):
    tab(battery, qtbot, key)
    qtbot.waitUntil(lambda: result in battery._result)
    assert words in battery.summary.text()
    assert "NaN" not in battery.summary.text() and "nan" not in battery.summary.text()
    assert painted(battery) > 0.05


def test_what_limits_is_drawn_at_once(battery, qtbot):
    tab(battery, qtbot, "limits")
    assert "inverter's battery port" in unescape(battery.summary.text())
    assert battery.limits.isVisible()
    for key in battery.tabs.buttons:
        tab(battery, qtbot, key)
        assert battery.limited.isVisible()
        assert "Gives" in battery.limited.text()


def test_an_option_without_a_battery_says_so_on_every_tab(window, battery, qtbot):
    window.show_option(0)
    for key in battery.tabs.buttons:
        tab(battery, qtbot, key)
        qtbot.waitUntil(lambda: battery.summary.text() != "…")
        assert "battery" in battery.summary.text().lower()


def test_charging_is_delayed_by_dragging_its_mark(window, battery, qtbot, settled):
    tab(battery, qtbot, "delay")
    qtbot.waitUntil(lambda: "battery-delay" in battery._result)
    assert "No delay makes the bill lower" in battery.summary.text()
    job = window.session.job
    window.session.edit(job.with_(tariff=job.tariff.with_(export_limit_kw=2.5)), "Export limit")
    settled(window)
    qtbot.waitUntil(lambda: "battery-delay" in battery._result)
    sweep = battery._result["battery-delay"]
    (window_,) = sweep.windows[sweep.best]
    assert f"lowest with charging delayed {window_.summary}" in unescape(battery.summary.text())
    marks = [item for item in battery.delay_chart.getPlotItem().items if getattr(item, "movable", False)]
    assert marks[0].value() == pytest.approx(8.0 - 1.5)
    marks[0].setValue(12.8)
    marks[0].sigPositionChangeFinished.emit(marks[0])
    settled(window)
    assert [late.summary for late in window.session.job.control.delay_windows] == ["05:00 to 13:00, Oct to Mar"]
    assert window.commands.undo.text() == "Undo: Delayed charging"
    qtbot.waitUntil(lambda: "battery-delay" in battery._result)
    # Let go beside where it stood, it goes back there and nothing is edited.
    before = window.session.job
    battery.delay_chart.dropped.emit(13.2)
    assert window.session.job is before
    battery.delay_chart.dropped.emit(2.0)
    settled(window)
    assert window.session.job.control.delay_windows == ()
    # Charged from the grid all day, it can wait for nothing.
    all_day = window.session.job.battery.charge_windows[0].with_(start="04:00", end="19:00")
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(charge_windows=(all_day,))), "All day")
    settled(window)
    qtbot.waitUntil(lambda: "battery-delay" in battery._result)
    assert battery._result["battery-delay"].hours.size == 1
    assert "No delay makes the bill lower" in battery.summary.text()


def test_two_controllers_are_seen_and_an_order_is_set(window, settled, qtbot, monkeypatch):
    window.session.replace(demo_job("dairy"))
    window.forget_view()
    settled(window)
    window.show_option(1)
    window.open_bench("Battery")
    bench = window.bench
    tab(bench, qtbot, "meter")
    qtbot.waitUntil(lambda: "battery-meter" in bench._result)
    assert "nobody has said who goes first" in bench.summary.text()

    def answer(dialog):
        choose(dialog.order, "new")
        dialog.take()
        return 1

    monkeypatch.setattr(ControlDialog, "exec", answer)
    qtbot.mouseClick(bench.panel.control, LEFT)
    settled(window)
    assert window.session.job.existing_batteries[0].waits
    assert window.commands.undo.text() == "Undo: How the battery is controlled"
    notes = [note.finding for note in window.margin.notes if note.finding.check == "two controllers"]
    assert "goes first" in notes[0].sentence


def test_windows_are_added_changed_and_refused_in_words(window, battery, qtbot, settled):
    dialog = ControlDialog(window.session.job, window)
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.mouseClick(dialog.fill.add, LEFT)
    assert len(dialog.fill.rows) == 2
    dialog.fill.rows[1][1].setTime(QTime(4, 0))
    dialog.take()
    assert "overlap" in dialog.problem.text()
    assert dialog.result_job is None
    assert dialog.problem.isVisible()
    dialog.fill.rows[1][1].setTime(QTime(12, 0))
    assert not dialog.problem.isVisible()
    dialog.fill.rows[1][2].setTime(QTime(14, 0))
    type_into(qtbot, dialog.fill.rows[1][3]["target"], "60")
    type_into(qtbot, dialog.shave, "4.5 kW")
    type_into(qtbot, dialog.bias, "30")
    qtbot.mouseClick(dialog.export.add, LEFT)
    dialog.allowed.setChecked(True)
    qtbot.mouseClick(dialog.delay.add, LEFT)
    _, start, _, fields = dialog.delay.rows[0]
    start.setTime(QTime(8, 0))
    assert "Oct to Mar" in fields["months"].text()
    type_into(qtbot, fields["months"], "summer")
    dialog.take()
    assert dialog.result_job is None
    assert (
        dialog.problem.text() == "Charging is delayed, window 1: 'summer' is no month; wanted such as Nov, or 11."
    )
    type_into(qtbot, fields["months"], "Dec to Feb")
    dialog.take()
    job = dialog.result_job
    assert [(late.start, late.end, late.months) for late in job.control.delay_windows] == [
        ("08:00", "12:00", (1, 2, 12))
    ]
    assert [window_.target for window_ in job.battery.charge_windows] == [0.8, 0.6]
    assert job.control.shave_above_kw == 4.5
    assert job.control.import_bias_w == 30
    assert job.control.export_windows[0].down_to == pytest.approx(0.3)
    assert job.tariff.stored_export
    remove = dialog.fill.rows[0][0].findChildren(type(dialog.fill.add))[0]
    qtbot.mouseClick(remove, LEFT)
    assert len(dialog.fill.rows) == 1


def test_charging_unticked_comes_back_with_all_its_windows(window, battery, qtbot, settled):
    job, panel = window.session.job, battery.panel
    night = job.battery.charge_windows[0].with_(target=0.65)
    windows = (night, GridCharge(start="12:00", end="14:00"))
    window.session.replace(job.with_(battery=job.battery.with_(charge_windows=windows)))
    settled(window)
    for wanted in ((), windows):
        panel.charge.click()
        settled(window)
        assert window.session.job.battery.charge_windows == wanted
    panel.charge.click()
    window.session.replace(job.with_(customer="Another", battery=job.battery.with_(charge_windows=())))
    settled(window)
    panel.charge.click()
    (begun,) = window.session.job.battery.charge_windows
    cheap = job.tariff.cheapest
    assert (begun.start, begun.end, begun.target) == (cheap.start, cheap.end, 1.0)


def test_the_place_is_asked_and_becomes_a_finding(window, battery, qtbot, settled, monkeypatch):
    def answer(dialog):
        choose(dialog.fields["where"], "outdoors")
        dialog.take()
        return 1

    monkeypatch.setattr(FormDialog, "exec", answer)
    qtbot.mouseClick(battery.panel.place, LEFT)
    settled(window)
    assert window.session.job.battery_place.where == "outdoors"
    assert "not made to stand outdoors" in window.margin.notes[0].finding.sentence


def test_units_and_expansions_are_typed(window, battery, qtbot, settled):
    assert not battery.panel.expansions.isEnabled()
    type_into(qtbot, battery.panel.units, "2")
    settled(window)
    assert window.session.job.battery.units == 2
    assert "2 × Mossgate 5" in window.view.option.design.battery_converter.inverter.name


def test_the_choice_shows_paths_units_purposes_and_energies(window, settled, qtbot):
    window.show_option(2)
    bench = window.bench
    for key in ("purposes", "losses", "costs"):
        qtbot.mouseClick(bench.which[key], LEFT)
        assert bench.scales.isVisible()
    qtbot.mouseClick(bench.which["purposes"], LEFT)
    assert "points" in bench.scales.accessibleDescription()
    qtbot.mouseClick(bench.which["paths"], LEFT)
    assert "through the battery: tracker" in bench.paths.accessibleDescription()
    qtbot.mouseClick(bench.which["wall"], LEFT)
    assert "if it fails: 6.0 kWp and the battery stop with it" in bench.wall.text().replace("\u00a0", " ")
    qtbot.mouseClick(bench.which["energies"], LEFT)
    qtbot.waitUntil(lambda: "Operator counts" in bench.scales.accessibleDescription())
    window.show_option(3)
    qtbot.mouseClick(bench.which["wall"], LEFT)
    assert "cannot be built" in bench.wall.text()
    assert painted(window) > 0.05


def test_reasons_of_an_option_that_is_left_are_seen_no_more_even_before_they_are_deleted(window, settled, qtbot):
    window.open_bench("Choice")
    settled(window)
    keys = [option.key for option in window.session.plan.options]
    window.show_option(keys.index("micro-ac"))
    gone = [label for label in window.bench.findChildren(Label) if "cannot be built" in label.text()]
    qtbot.waitUntil(lambda: all(label.isVisible() for label in gone))
    window.show_option(keys.index("ac-addon"))
    # A dialog's loop deletes nothing that was let go before it.
    assert gone and not any(label.isVisible() for label in gone)


def test_tipping_points_come_and_are_shown_where_the_mouse_points(window, settled, qtbot):
    bench = window.bench
    qtbot.mouseClick(bench.which["tips"], LEFT)
    assert "Turning each figure" in bench.tips._word
    qtbot.waitUntil(lambda: "fits best" in bench.tips.accessibleDescription())
    assert "As it is" in bench.tips.accessibleDescription()
    qtbot.mouseMove(bench.tips, QPoint(200, 40))
    assert painted(bench.tips) > 0.05
    # Another option in view asks for nothing anew.
    asked = []
    bench.study_wanted.connect(lambda key, _: asked.append(key))
    window.show_option(1)
    assert asked == []


def test_the_verdict_says_how_sure_it_is_once_asked(window, settled, qtbot):
    window.session.edit(window.session.job.with_(uncertainty=Uncertainty(draws=100)), "Fewer futures")
    settled(window)
    bench = window.bench
    before = bench.footnote.text()
    assert "In 1,000 weightings" in before and "futures" not in before
    qtbot.mouseClick(bench.futures, LEFT)
    assert not bench.futures.isEnabled()
    qtbot.waitUntil(lambda: "By money alone" in bench.footnote.text())
    assert "100 futures" in bench.footnote.text()
    assert not bench.futures.isVisible()
    # A changed job is another question.
    window.session.edit(window.session.job.with_(uncertainty=Uncertainty(draws=120)), "More futures")
    settled(window)
    assert bench.footnote.text() == before and bench.futures.isVisible() and bench.futures.isEnabled()


@pytest.fixture
def small_search(monkeypatch):
    monkeypatch.setattr("calm_relay.planning.studies.search.search.__defaults__", (unheard, 120))


def test_a_search_is_filtered_and_a_plant_opened_as_an_option(window, settled, qtbot, small_search):
    window.open_bench("Search")
    bench = window.bench
    assert "Nothing tried yet" in bench.state.text()
    qtbot.mouseClick(bench.start, LEFT)
    assert not bench.start.isEnabled()
    qtbot.waitUntil(lambda: bench.model.rowCount() > 0)
    assert bench.start.isEnabled()
    assert "can be built" in bench.state.text()
    whole = len(bench.cloud._plants)
    type_into(qtbot, bench.outlay, "8000")
    assert 0 < len(bench.cloud._plants) < whole
    choose(bench.chemistry, "NMC")
    bench.chemistry.taken.emit("NMC")
    assert bench.model.rowCount() == 0
    assert bench.cloud._plants == []
    choose(bench.chemistry, None)
    bench.chemistry.taken.emit(None)
    type_into(qtbot, bench.outlay, "")
    before = bench.table.geometry()
    bench.pick(bench.model.plants[-1])
    last = bench.model.index(bench.model.rowCount() - 1, 0)
    # What is picked is seen in the table, and nothing moves.
    assert bench.table.currentIndex().row() == last.row()
    assert bench.table.viewport().rect().contains(bench.table.visualRect(last).center())
    assert bench.table.geometry() == before
    choose(bench.benefit, "score")
    bench.benefit.taken.emit("score")
    heads = [bench.model.headerData(column, Qt.Orientation.Horizontal) for column in range(2)]
    assert heads == ["Outlay, NZ$", "Fits the purposes, of 100"]
    bench.table.setFocus()
    bench.table.selectRow(bench.model.rowCount() - 1)
    plant = bench.chosen
    assert plant is bench.model.plants[-1]
    assert "The operator counts" in bench.summary.text().replace("\u00a0", " ")
    qtbot.mouseClick(bench.open, LEFT)
    settled(window)
    assert window.view.option.key == plant.key
    assert window.session.job.battery.pack == plant.job.battery.pack
    assert window.view.option.outcome.money.outlay == pytest.approx(plant.brief.money.outlay)
    assert "as it was before" in bench.state.text()
    assert window.commands.undo.text().startswith("Undo: From the search")


def test_a_search_can_be_called_off(window, settled, qtbot):
    window.open_bench("Search")
    bench = window.bench
    qtbot.mouseClick(bench.start, LEFT)
    qtbot.waitUntil(lambda: window.progress.isVisible())
    qtbot.wait(300)
    window.session.cancel()
    qtbot.waitUntil(lambda: bench.start.isEnabled())
    assert "Nothing tried yet" in bench.state.text()
    assert "Called off" in window.notice.text.text()


def test_a_study_called_off_is_not_asked_for_until_somebody_does(window, battery, qtbot):
    summary = []
    window.session.study_cancelled.connect(lambda: summary.append(1))
    qtbot.mouseClick(battery.tabs.buttons["map"], LEFT)
    window.session.cancel()
    qtbot.waitUntil(lambda: "Called off" in battery.summary.text())
    qtbot.wait(400)
    assert len(summary) == 1
    tab(battery, qtbot, "map")
    qtbot.waitUntil(lambda: "battery-map" in battery._result)


def test_another_option_drops_a_study_without_a_word(window, battery, qtbot, settled):
    tab(battery, qtbot, "foresight")
    window.show_option(2)
    qtbot.waitUntil(lambda: "battery-foresight" in battery._result)
    assert "Called off" not in window.notice.text.text()
    QApplication.processEvents()
    assert window.view.option.key == "hybrid-swap"
    assert f"{window.view.option.outcome.money.bill:,.0f}" in battery.summary.text()


def test_meter_and_connection_are_asked_on_the_grid(window, settled, qtbot, monkeypatch):
    window.open_bench("Grid")

    def answer(dialog):
        type_into(qtbot, dialog.fields["inverter_limit_kw"], "8")
        dialog.fields["home_shares"].setText("50 / 30 / 30")
        dialog.take()
        assert "wanted 1" in dialog.problem.text()
        dialog.fields["home_shares"].setText("50 / 30 / 20")
        dialog.take()
        return 1

    monkeypatch.setattr(FormDialog, "exec", answer)
    qtbot.mouseClick(window.bench.service, LEFT)
    settled(window)
    supply = window.session.job.supply
    assert supply.inverter_limit_kw == 8.0
    assert supply.home_shares == (0.5, 0.3, 0.2)
    assert "this connection may have 8 kW" in window.session.plan.option("two-units").refusal.reasons[0]


def test_no_field_is_squeezed_where_the_window_is_low(window, battery, qtbot):
    window.resize(1280, 720)
    qtbot.waitUntil(lambda: window.height() == 720)
    fields = [*battery.panel.findChildren(QAbstractSpinBox), *battery.panel.findChildren(QComboBox)]
    assert len(fields) >= 6
    for field in fields:
        assert field.height() >= field.minimumSizeHint().height(), field.accessibleName()


def test_charging_by_price_is_switched_on_with_its_bounds(window, battery, qtbot, settled):
    dialog = ControlDialog(window.session.job, window)
    qtbot.addWidget(dialog)
    dialog.show()
    part = dialog.by_price
    assert not part.on.isChecked() and not part.hours.isEnabled()
    part.on.setChecked(True)
    part.hours.setValue(5)
    type_into(qtbot, part.target, "80")
    type_into(qtbot, part.limit, "2.5")
    type_into(qtbot, part.gain, "0.04")
    part.months.setText("summer")
    dialog.take()
    assert dialog.problem.text().startswith("Charged by price:") and dialog.result_job is None
    part.months.setText("May to Aug")
    dialog.take()
    by_price = dialog.result_job.control.by_price
    assert (by_price.hours, by_price.target, by_price.limit_kw, by_price.least_gain) == (5, 0.8, 2.5, 0.04)
    assert by_price.months == (5, 6, 7, 8)
    again = ControlDialog(dialog.result_job, window)
    qtbot.addWidget(again)
    again.by_price.on.setChecked(False)
    again.take()
    assert again.result_job.control.by_price is None
