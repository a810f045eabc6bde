"""The bench Money driven as its user drives it."""

import numpy as np
import pytest
from openpyxl import load_workbook

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.benches.futures_panel import _hours
from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.charts.money_chart import YearsChart
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.dialogs.switch_dialog import NEVER, SwitchDialog
from calm_relay.exchange.own_tariffs import keep_tariff
from calm_relay.planning.common.amounts import to_three_figures

from . import driving


@pytest.fixture
def bench(window, settled, qtbot):
    window.show_option(1)
    driving.press(qtbot, window, BENCHES["Money"].key)
    settled(window)
    qtbot.waitUntil(lambda: window.bench.settled and bool(window.bench.flows))
    window.resize(1280, 800)
    window.grab()
    return window.bench


def test_the_years_are_bars_and_running_sums(bench):
    flow = bench.flows[0]
    assert f"{abs(to_three_figures(flow.npv)):,.0f}" in bench.verdict.text()
    assert driving.painted(bench.years) > 0.03
    assert driving.painted(bench.running) > 0.005
    bench.tabs.choose("table")
    assert bench.table.columnCount() == flow.years + 2
    assert bench.summary.rowCount() >= 4


def test_a_loan_is_an_edit_and_moves_the_years(bench, window, settled, qtbot, monkeypatch):
    before = bench.flows[0].net.copy()

    def answer(dialog):
        dialog.fields["way"].show_value("loan")
        dialog.take()
        return dialog.result_model is not None

    monkeypatch.setattr(FormDialog, "exec", answer)
    bench.finance.click()
    settled(window)
    qtbot.waitUntil(lambda: bench.settled and (bench.flows[0].net != before).any())
    assert window.session.job.finance.way == "loan"
    assert bench.flows[0].net[0] > before[0]
    window.session.undo()
    assert window.session.job.finance.way == "cash"


def test_the_workbook_is_written_or_the_reason_told(bench, tmp_path):
    bench.write_book(tmp_path / "flow.xlsx")
    book = load_workbook(tmp_path / "flow.xlsx")
    assert any(str(cell.value).startswith("=IRR") for row in book["Cash flow"].iter_rows() for cell in row)
    bench.write_book(tmp_path / "no such folder" / "flow.xlsx")
    assert bench.problem.isVisible()


def test_an_option_that_cannot_be_built_says_so(bench, window):
    number = next(
        n for n, option in enumerate(window.session.plan.options) if option not in window.session.plan.live
    )
    window.show_option(number)
    assert "can be built" in bench.verdict.text()


def test_futures_are_tried_when_asked_and_told_in_a_sentence(bench, window, settled, qtbot):
    job = window.session.job
    window.session.edit(job.with_(uncertainty=job.uncertainty.with_(draws=100)), "Fewer futures")
    settled(window)
    qtbot.waitUntil(lambda: bench.settled and bool(bench.flows))
    bench.tabs.choose("sure")
    assert not bench.sure.chart.isVisible()
    bench.sure.start.click()
    qtbot.waitUntil(lambda: bench.settled and bench.sure.chart.isVisible())
    assert "of 100 futures" in bench.sure.sentence.text()
    assert driving.painted(bench.sure.chart) > 0.01
    qtbot.waitUntil(lambda: driving.painted(bench.sure.matters) > 0.01)
    assert bench.sure.table.rowCount() >= 2


def test_another_tariff_later_is_an_edit(bench, window, settled, qtbot, monkeypatch, tmp_path):
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path))
    job = window.session.job
    dear = job.tariff.with_(name="Dear", price=0.6)
    keep_tariff(dear)
    keep_tariff(dear.with_(name="Elsewhere", currency="€"))

    def answer(dialog):
        assert [dialog.tariff.itemText(row) for row in range(dialog.tariff.count())] == [
            "none, today's stays",
            "Dear",
        ]
        driving.choose(dialog.tariff, "tariff 0")
        dialog.after.setValue(3)
        dialog.take()
        return True

    monkeypatch.setattr(SwitchDialog, "exec", answer)
    bench.switch.click()
    settled(window)
    assert window.session.job.finance.switch.after == 3
    assert window.session.job.finance.switch.tariff == dear
    qtbot.waitUntil(lambda: bench.settled and "From year 4 on the tariff is Dear" in bench.note.text())
    again = SwitchDialog(window.session.job.finance.switch, (), job.tariff.currency)
    qtbot.addWidget(again)
    assert again.tariff.currentText() == "Dear"
    driving.choose(again.tariff, NEVER)
    again.take()
    assert again.switch is None


def test_what_is_burnt_today_is_said_on_home_and_counted_here(window, settled, qtbot):
    """A car is added on Home, said to come in place of petrol, and the whole change stands on Money."""
    driving.press(qtbot, window, BENCHES["Home"].key)
    settled(window)
    loads = window.bench.loads
    loads.add_one("cars")
    loads.dialog.take()
    settled(window)
    loads.table.selectRow(loads.table.rowCount() - 1)
    assert loads.fuel.isEnabled()
    loads.fuel.click()
    fields = loads.dialog.fields
    assert [fields["fuel"].itemText(n) for n in range(fields["fuel"].count())] == ["nothing", "petrol", "diesel"]
    currency = window.session.job.tariff.currency
    assert fields["price"].accessibleName() == f"Price of a litre, {currency}"
    fields["fuel"].show_value("petrol")
    fields["price"].show_value(1.6)
    loads.dialog.take()
    settled(window)
    assert window.session.job.demand.cars[-1].instead_of.price == 1.6
    assert "in place of petrol" in loads.table.item(loads.table.rowCount() - 1, 0).text()
    window.show_option(1)
    window.open_bench("Money")
    settled(window)
    bench = window.bench
    qtbot.waitUntil(lambda: bench.settled and bool(bench.flows))
    assert bench.whole is not None and "in place of petrol" in bench.verdict.text()
    bench.tabs.choose("whole")
    window.grab()
    assert driving.painted(bench.whole_years) > 0.03
    assert bench.whole_table.rowCount() == len(bench.whole.rows) + 3
    window.open_bench("Home")
    window.bench.loads.table.selectRow(window.bench.loads.table.rowCount() - 1)
    window.bench.loads.ask_fuel()
    window.bench.loads.dialog.fields["fuel"].show_value("nothing")
    window.bench.loads.dialog.take()
    settled(window)
    assert window.session.job.demand.cars[-1].instead_of is None


def test_without_anything_burnt_the_tab_says_how(bench):
    bench.tabs.choose("whole")
    assert bench.whole is None and bench.whole_said.isVisible() and "In place of" in bench.whole_said.text()


def test_years_in_which_nothing_is_paid_or_saved_have_no_empty_axes(qtbot):
    chart = YearsChart()
    qtbot.addWidget(chart)
    net = np.array([-9000.0, 0.0, 0.0])
    chart.show_kinds({"Outlay": (net, "ink")}, net, "€")
    assert chart._waiting.text() == "After the sale nothing is paid or saved in any year."
    chart.show_kinds({"Saved": (np.array([0.0, 400.0, 390.0]), "ok")}, np.array([-9000.0, 400.0, 390.0]), "€")
    assert chart._waiting is None


def test_what_costs_nothing_has_nothing_to_pay_back(bench, window, settled, qtbot):
    window.show_option(0)
    settled(window)
    qtbot.waitUntil(lambda: bench.settled and bool(bench.flows) and bench.flows[0].option.key == "as-is")
    assert bench.summary.item(2, 1).text() == bench.summary.item(3, 1).text() == "nothing to pay back"


def test_a_band_of_one_figure_is_that_figure_and_a_mark_without_words_has_no_patch(dressed):
    assert [
        _hours(band) for band in ((0.9, 1.0, 1.3), (1.04, 1.05, 1.04), (11.0, 12.0, 14.2), (0.0, 0.0, 0.0))
    ] == [
        "0.9 to 1.3",
        "1.0",
        "11 to 14",
        "\u2013",
    ]
    chart = Chart("", "", "")
    assert chart.marker(0.0, "", "#000000").getViewBox() is not None
    assert not hasattr(chart.marker(1.0, "", "#000000"), "label")
    assert chart.marker(2.0, "here", "#000000").label.toPlainText() == "here"
