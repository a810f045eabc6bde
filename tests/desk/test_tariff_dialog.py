"""The tariff as a picture: typed, dragged, drawn, kept, and its bill beside it."""

from datetime import datetime, timedelta

import pytest
from PySide6.QtCore import QPoint, QTime

from calm_relay.exchange.own_tariffs import read_tariffs
from tests.desk.driving import LEFT, choose, painted, press, type_into

pytestmark = pytest.mark.usefixtures("own_folder")


@pytest.fixture
def dialog(window, qtbot, settled):
    window.show_option(1)
    press(qtbot, window, "F8")
    settled(window)
    qtbot.mouseClick(window.bench.tariff, LEFT)
    return window.bench.dialog


def drag(qtbot, ribbons, row, start, end):
    y = round(ribbons.row_of(row).center().y())
    first, last = (QPoint(round(ribbons.x_of(minute)), y) for minute in (start, end))
    qtbot.mousePress(ribbons, LEFT, pos=first)
    qtbot.mouseMove(ribbons, first + QPoint(4, 0))
    qtbot.mouseMove(ribbons, last)
    qtbot.mouseRelease(ribbons, LEFT, pos=last)


def test_the_bill_of_the_option_in_view_is_drawn(window, dialog):
    money = window.session.plan.option("ac-addon").outcome.money
    assert f"{money.bill:,.0f} a year" in dialog.bill.getPlotItem().titleLabel.text
    assert painted(dialog.bill) > 0.02
    assert painted(dialog.imports) > 0.1


def test_a_price_typed_changes_picture_and_bill_at_once(window, dialog, qtbot, settled):
    before = dialog.bill.getPlotItem().titleLabel.text
    type_into(qtbot, dialog.fields["price"], "0.50")
    assert dialog.bill.getPlotItem().titleLabel.text != before
    type_into(qtbot, dialog.power, "15")
    assert "power" in dialog.bill.accessibleDescription()
    type_into(qtbot, dialog.tiers, "200: 0.1, 400: 0.2 all")
    assert "tiers" in dialog.bill.accessibleDescription()
    dialog.take()
    settled(window)
    tariff = window.session.job.tariff
    assert (tariff.price, tariff.demand_charge.price_per_kw) == (0.5, 15.0)
    tiers = [(tier.above_kwh, tier.surcharge, tier.whole_month) for tier in tariff.tiers]
    assert tiers == [(200.0, 0.1, False), (400.0, 0.2, True)]
    assert window.commands.undo.text() == "Undo: Tariff"


def test_an_edge_is_dragged_by_quarter_hours(dialog, qtbot):
    first = dialog.import_rows.rows[0][1]
    start = first["start"].time()
    minute = start.hour() * 60 + start.minute()
    row = next(n for n, ribbon in enumerate(dialog.imports._ribbons) if 0 in ribbon.windows)
    drag(qtbot, dialog.imports, row, minute, minute + 60)
    assert first["start"].time() == start.addSecs(3600)
    assert dialog._typed().windows[0].start == start.addSecs(3600).toString("HH:mm")


def test_a_window_drawn_goes_before_the_others(dialog, qtbot):
    count = len(dialog.import_rows.rows)
    drag(qtbot, dialog.imports, 0, 12 * 60 + 30, 15 * 60)
    assert len(dialog.import_rows.rows) == count + 1
    fields = dialog.import_rows.rows[0][1]
    assert (fields["start"].time(), fields["end"].time()) == (QTime(12, 30), QTime(15, 0))
    type_into(qtbot, fields["price"], "0.05")
    assert dialog.imports._ribbons[0].prices[4 * 13] == 0.05
    qtbot.keyClicks(fields["months"], "Nov to Feb")
    fields["months"].editingFinished.emit()
    assert any("Nov to Feb" in ribbon.words for ribbon in dialog.imports._ribbons)


def test_overlaps_seasons_and_nonsense_are_told(dialog, qtbot):
    rows = dialog.import_rows
    rows.add.click()
    rows.add.click()
    assert "is hidden in part" in dialog.hint.text()
    fields = rows.rows[-1][1]
    fields["months"].setText("Smarch")
    fields["months"].editingFinished.emit()
    assert "no month" in dialog.problem.text()
    fields["months"].clear()
    fields["end"].setTime(fields["start"].time())
    assert "as its end" in dialog.problem.text()
    dialog.take()
    assert dialog.isVisible()
    type_into(qtbot, dialog.tiers, "many: 3")
    assert dialog.problem.isVisible()


def test_net_metering_is_chosen_and_billed(window, dialog, settled):
    choose(dialog.credit, "kWh")
    choose(dialog.carried, "year")
    assert dialog.rest.isEnabled()
    dialog.take()
    settled(window)
    assert (window.session.job.tariff.credit, window.session.job.tariff.carried) == ("kWh", "year")


def test_a_tariff_is_kept_and_taken_in_another_job(window, dialog, qtbot):
    qtbot.mouseClick(dialog.keep, LEFT)
    assert "Not kept: the tariff has no name" in dialog.problem.text()
    qtbot.keyClicks(dialog.name, "Valley Power evening")
    qtbot.mouseClick(dialog.keep, LEFT)
    assert [tariff.name for tariff in read_tariffs()] == ["Valley Power evening"]
    type_into(qtbot, dialog.fields["price"], "3")
    choose(dialog.known, "Valley Power evening")
    assert dialog._typed().price == window.session.job.tariff.price


def test_damaged_own_tariffs_are_told_and_left_alone(window, qtbot, own_folder):
    own_folder.mkdir(parents=True)
    (own_folder / "tariffs.json").write_text("{")
    press(qtbot, window, "F8")
    qtbot.mouseClick(window.bench.tariff, LEFT)
    dialog = window.bench.dialog
    assert not dialog.known.isEnabled()
    dialog.name.setText("x")
    qtbot.mouseClick(dialog.keep, LEFT)
    assert "Not kept" in dialog.problem.text()
    assert (own_folder / "tariffs.json").read_text() == "{"


def priced_hours(path):
    lines = ["time (UTC),price"]
    for n in range(8760):
        at = datetime(2025, 1, 1) + timedelta(hours=n)
        lines.append(f"{at:%Y-%m-%d %H:%M},{240 if at.hour == 7 else 90}")
    path.write_text("\n".join(lines))
    return path


def test_one_of_several_areas_is_chosen(dialog, tmp_path):
    text = priced_hours(tmp_path / "p.csv").read_text()
    lines = [f"{line},{'South €/MWh' if number == 0 else 500}" for number, line in enumerate(text.splitlines())]
    (tmp_path / "areas.csv").write_text("\n".join(lines))
    dialog.hourly.read_file(tmp_path / "p.csv")
    assert dialog.hourly.column.isHidden()
    dialog.hourly.read_file(tmp_path / "areas.csv")
    assert dialog.hourly.column.isVisible() and dialog.hourly.column.currentText() == "price"
    choose(dialog.hourly.column, "South €/MWh")
    assert dialog.hourly.value.mean == pytest.approx(0.5) and "p.csv" not in dialog.hourly.said.text()


def test_prices_by_the_hour_are_read_from_a_file_and_told(window, dialog, qtbot, settled, tmp_path):
    before = dialog.bill.getPlotItem().titleLabel.text
    assert "no spot price for each hour" in dialog.hourly.said.text() and not dialog.hourly.share.isEnabled()
    dialog.hourly.read_file(tmp_path / "none.csv")
    assert "none.csv" in dialog.problem.text()
    dialog.hourly.read_file(priced_hours(tmp_path / "p.csv"))
    assert dialog.hourly.unit.currentText() == "a MWh" and "their size speaks for" in dialog.hourly.said.text()
    assert "on top of the spot price" in dialog.hint.text()
    assert dialog.bill.getPlotItem().titleLabel.text != before
    choose(dialog.hourly.unit, "cents a kWh")
    assert dialog.hourly.value.mean == pytest.approx(0.9625, abs=0.01)
    choose(dialog.hourly.unit, "a MWh")
    type_into(qtbot, dialog.hourly.share, "80")
    dialog.take()
    settled(window)
    hourly = window.session.job.tariff.hourly
    assert (hourly.origin, hourly.export_share) == ("p.csv", 0.8) and hourly.mean == pytest.approx(
        0.09625, abs=0.001
    )
    qtbot.mouseClick(window.bench.tariff, LEFT)
    again = window.bench.dialog
    assert "p.csv" in again.hourly.said.text() and not again.hourly.unit.isEnabled()
    qtbot.mouseClick(again.hourly.drop, LEFT)
    again.take()
    settled(window)
    assert window.session.job.tariff.hourly is None
