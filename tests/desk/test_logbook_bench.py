"""The bench Logbook driven as its user drives it."""

import pytest
from PySide6.QtWidgets import QFileDialog

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.dialogs.facts_dialog import LIGHT, FactsDialog
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.exchange.logbook import logbook_path, read_logbook
from calm_relay.exchange.shipped import demo_job, demo_logbook
from calm_relay.job.logbook import KINDS, CapacityTest, MonthFacts

from . import driving


@pytest.fixture
def bench(window, settled, qtbot):
    driving.press(qtbot, window, BENCHES["Logbook"].key)
    settled(window)
    qtbot.waitUntil(lambda: window.bench.settled and window.bench.book is not None)
    return window.bench


@pytest.fixture
def saved(bench, window, tmp_path, monkeypatch, settled, qtbot):
    """The demo saved as a job of one's own, its logbook beside it."""
    path = tmp_path / "own.relay.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    assert window.files.save_as()
    settled(window)
    qtbot.waitUntil(lambda: bench.settled)
    return bench, path


def test_the_demo_excuses_a_summer_and_accuses_a_battery(bench):
    assert bench.verdict.text() == "Array: as promised. Battery: fades faster than planned."
    assert "The summer was dim" in bench.years.text()
    assert "Tell the maker now" in bench.battery.text()
    assert "30% of the warranty's years" in bench.battery.text()
    assert driving.painted(bench.array) > 0.05
    assert driving.painted(bench.fade) > 0.01


def test_every_month_stands_beside_its_promise(bench):
    bench.tabs.choose("months")
    table = bench.months
    assert table.rowCount() == 36
    assert table.item(0, 0).text() == "2026-06"
    assert all("±" in table.item(row, column).text() for row in range(36) for column in range(1, 5))


def test_a_logbook_that_ships_is_not_added_to(bench, window):
    bench.ask_entry("visit")
    assert "Save the job" in bench.problem.text()
    assert not read_logbook(demo_logbook(window.session.job)).problems


def test_a_saved_job_takes_its_history_along(saved, window):
    _, path = saved
    assert len(read_logbook(logbook_path(path)).lines) == len(read_logbook(demo_logbook(window.session.job)).lines)


def test_every_kind_of_entry_can_be_added(saved, monkeypatch, qtbot):
    bench, path = saved
    written = path.with_name("own.relay.logbook.jsonl")

    def answer(dialog):
        dialog.take()
        return dialog.result_model is not None

    monkeypatch.setattr(FormDialog, "exec", answer)
    for kind, (_, words, *_) in KINDS.items():
        before = written.read_bytes()
        bench.actions_by_kind[kind].trigger()
        qtbot.waitUntil(lambda: bench.settled)
        book = read_logbook(logbook_path(path))
        assert not book.problems and book.entries[-1].kind == kind
        assert written.read_bytes().startswith(before)
        bench.tabs.choose("entries")
        assert any(words == bench.table.item(row, 1).text() for row in range(bench.table.rowCount())), kind


def test_a_test_that_is_better_lifts_the_accusation(saved, qtbot):
    bench, _ = saved
    bench.add_entries([CapacityTest(on="2026-07-15", kwh=24.0)])
    qtbot.waitUntil(lambda: bench.settled and "ages as planned" in bench.verdict.text())
    assert "ages as planned" in bench.battery.text()


def test_a_broken_line_is_told_and_nothing_is_lost(saved, qtbot):
    bench, path = saved
    book = logbook_path(path)
    book.write_bytes(book.read_bytes()[:-40])
    bench.load()
    qtbot.waitUntil(lambda: bench.settled)
    assert "cannot be used" in bench.summary.text() and "cut short" in bench.summary.text()
    assert bench.table.rowCount() == 44


def test_months_come_from_a_meters_file(saved, tmp_path, monkeypatch, qtbot):
    bench, path = saved
    lines = ["time,kWh"]
    for day in range(1, 32):
        lines += [f"2026-07-{day:02d} {hour:02d}:00,1.5" for hour in range(24)]
    csv = tmp_path / "july.csv"
    csv.write_text("\n".join(lines) + "\n", encoding="utf-8")

    def answer(dialog):
        dialog.path.setText(str(tmp_path / "none.csv"))
        dialog.path.editingFinished.emit()
        qtbot.waitUntil(lambda: "none.csv" in dialog.problem.text())
        dialog.path.setText(str(csv))
        dialog.path.editingFinished.emit()
        qtbot.waitUntil(lambda: bool(dialog.columns))
        assert "no head says what a column counts" in dialog.summary.text()
        driving.choose(dialog.columns[1], "made")
        qtbot.waitUntil(lambda: bool(dialog.months))
        dialog.take()
        return True

    monkeypatch.setattr(FactsDialog, "exec", answer)
    bench.read.click()
    qtbot.waitUntil(lambda: bench.settled)
    new = read_logbook(logbook_path(path)).entries[-1]
    assert new == MonthFacts(year=2026, month=7, production_kwh=1116.0)


def test_the_light_of_a_year_comes_from_a_weather_file(saved, monkeypatch, qtbot, pvlib_data):
    bench, path = saved

    def answer(dialog):
        dialog.path.setText(str(pvlib_data / "723170TYA.CSV"))
        driving.choose(dialog.holds, LIGHT)
        dialog.year.setValue(2024)
        qtbot.waitUntil(lambda: bool(dialog.months))
        dialog.take()
        return True

    monkeypatch.setattr(FactsDialog, "exec", answer)
    bench.read.click()
    qtbot.waitUntil(lambda: bench.settled)
    *lit, weather = read_logbook(logbook_path(path)).entries[-13:]
    assert [entry.year for entry in lit] == [2024] * 12
    assert (weather.kind, weather.year) == ("weather", 2024)
    # What was known of those months stays beside the new light.
    assert all(entry.production_kwh is not None for entry in lit)


def test_growth_starts_from_the_job_as_built(bench, window, qtbot):
    bench.tabs.choose("growth")
    qtbot.waitUntil(lambda: bench.settled and bench._grown is not None)
    assert driving.painted(bench.growth.bars) > 0.02


def test_an_empty_logbook_says_what_will_stand_there_and_how_it_begins(window, settled, qtbot):
    window.session.replace(demo_job("cottage"))
    window.forget_view()
    settled(window)
    window.open_bench("Logbook")
    qtbot.waitUntil(lambda: window.bench.settled)
    bench = window.bench
    assert bench.verdict.text().startswith("No logbook yet.")
    assert "“Months from a file…”" in bench.array._waiting.text()
    assert "warranted" in bench.fade._waiting.text()
    window.session.replace(demo_job("pottery"))
    window.forget_view()
    qtbot.waitUntil(lambda: bench.promise is not None)
    assert bench.array._waiting is None and bench.fade._waiting is None
