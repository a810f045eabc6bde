"""The bench Book driven as its user drives it: a folder, a change, whom to call, and a job that is opened from it."""

from concurrent.futures import ThreadPoolExecutor
from datetime import date

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QFileDialog

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.benches.book_bench import BookBench
from calm_relay.desk.benches.book_run import BookRun
from calm_relay.desk.dialogs.change_dialog import AS_IT_IS, OF_THE_DESK, OF_THE_FIRM, ChangeDialog
from calm_relay.desk.widgets.long_table import LongTable
from calm_relay.exchange.job_file import job_text
from calm_relay.exchange.own_tariffs import keep_tariff
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.exchange.user_state import read_settings
from calm_relay.job.tariff import Costs
from calm_relay.planning.book import replan
from calm_relay.planning.book.change import Change
from calm_relay.planning.book.invented import invented_jobs, new_tariff
from calm_relay.planning.book.replan import Workers, planned_book

from . import driving

MANY = 24


@pytest.fixture(scope="module")
def jobs(tmp_path_factory):
    """A pottery to be called when the tariff changes, one in another country, a broken file."""
    folder = tmp_path_factory.mktemp("jobs")
    bakery = next(job for _, job in invented_jobs(40, date.today()) if job.name == "Bakery at Saltings")
    small = bakery.with_(name="Small pottery", state="offered", follow_up=date.today().isoformat())
    dairy = demo_job("dairy")
    (folder / "a.relay.json").write_text(job_text(small))
    (folder / "b.relay.json").write_text(job_text(dairy.with_(name="Farm", state="built")))
    (folder / "c.relay.json").write_text("{")
    # Rows are kept beside the jobs: each test's run takes them from there.
    planned_book(folder, Workers(lambda: ThreadPoolExecutor(1), lambda: 1), Change(tariff=new_tariff()))
    return folder


@pytest.fixture
def bench(window, settled, qtbot, monkeypatch):
    monkeypatch.setattr(BookRun, "workers", Workers(lambda: ThreadPoolExecutor(1), lambda: 1))
    settled(window)
    driving.press(qtbot, window, BENCHES["Book"].key)
    window.resize(1280, 800)
    window.grab()
    return window.bench


def done(qtbot, bench):
    qtbot.waitUntil(lambda: bench.settled and bench.book is not None)
    return bench.book


def texts(table):
    rows = table.rows
    return [[table.text(row, at) for at in range(rows.columnCount())] for row in range(rows.rowCount())]


def test_a_folder_is_chosen_once_and_its_jobs_stand_in_the_table(bench, jobs, qtbot, monkeypatch):
    assert "Choose the folder" in bench.said.text() and not bench.plan_all.isEnabled()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(jobs))
    bench.choose.click()
    done(qtbot, bench)
    rows = texts(bench.table)
    assert [row[0] for row in rows] == ["Small pottery", "Farm", "c.relay.json"]
    assert rows[0][2] == "offered" and "follow-up" in rows[0][4] and rows[0][5].startswith("NZ$")
    assert "not planned" in rows[2][3]
    assert "3 jobs, 1 not planned, 1 due" in bench.said.text()
    assert read_settings().book_path == jobs.resolve()
    assert BookBench().folder == jobs.resolve()
    assert not bench.calls.isVisibleTo(bench)


def test_rows_are_filtered_and_sorted(bench, jobs, qtbot):
    bench.take_folder(jobs)
    done(qtbot, bench)
    for tab, names in (
        ("built", ["Farm"]), ("offered", ["Small pottery"]), ("due", ["Small pottery"]), ("call", []),
        ("all", ["Small pottery", "Farm", "c.relay.json"]),
    ):  # fmt: skip
        bench.tabs.choose(tab)
        assert [row[0] for row in texts(bench.table)] == names
    header = bench.table.horizontalHeader()
    header.sectionClicked.emit(0)
    assert [row[0] for row in texts(bench.table)] == ["c.relay.json", "Farm", "Small pottery"]
    header.sectionClicked.emit(0)
    assert texts(bench.table)[0][0] == "Small pottery"
    header.sectionClicked.emit(6)
    assert [row[0] for row in texts(bench.table)] == ["Small pottery", "Farm", "c.relay.json"]


def test_a_change_says_whom_to_call(bench, jobs, qtbot, monkeypatch, tmp_path):
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path))
    keep_tariff(new_tariff())
    bench.take_folder(jobs)
    done(qtbot, bench)

    def answer(dialog):
        dialog.take()
        assert "Nothing is changed yet" in dialog.problem.text()
        dialog.on_tariff.setText("Somebody's")
        dialog.take()
        assert "choose the new one" in dialog.problem.text()
        dialog.on_tariff.setText("")
        driving.choose(dialog.tariff, "own 0")
        dialog.take()
        return True

    monkeypatch.setattr(ChangeDialog, "exec", answer)
    bench.replan.click()
    book = done(qtbot, bench)
    assert book.change == Change(tariff=new_tariff())
    assert bench.calls.isVisibleTo(bench) and f"call {len(book.calls)}" in bench._call_head.text()
    assert book.calls and [row[1] for row in texts(bench.calls)] == [call.before.name for call in book.calls]
    assert driving.painted(bench.map) > 0.02
    # However much there is to say, what it comes to stands beside it.
    assert bench.calls.horizontalScrollBar().maximum() == 0


def test_the_dialog_makes_the_change_that_was_asked_for(qtbot):
    job, tariff, costs = demo_job("pottery"), new_tariff(), Costs(labour_per_hour=1.0)
    dialog = ChangeDialog(job, (tariff,), costs, library().rule_packs, "tcp://x:1")
    qtbot.addWidget(dialog)
    for field, value in ((dialog.tariff, OF_THE_DESK), (dialog.prices, OF_THE_FIRM), (dialog.rules, "germany")):
        driving.choose(field, value)
    dialog.newest.setChecked(True)
    dialog.on_tariff.setText("Day")
    dialog.take()
    wanted = Change(tariff=job.tariff, on_tariff="Day", costs=costs, region="germany", newest=True)
    assert (dialog.change, dialog.scheduler) == (wanted, "tcp://x:1")
    bare = ChangeDialog(job, (), None, library().rule_packs)
    qtbot.addWidget(bare)
    assert bare.prices.findData(OF_THE_FIRM) < 0
    driving.choose(bare.prices, OF_THE_DESK)
    bare.take()
    assert bare.change == Change(costs=job.costs)
    assert bare.tariff.currentData() == AS_IT_IS


def test_no_scheduler_at_the_address_is_told_and_the_window_goes_on(bench, jobs, qtbot, monkeypatch):
    monkeypatch.setattr(BookRun, "workers", None)
    monkeypatch.setattr(replan, "PATIENCE_S", 1)
    bench.folder = jobs
    bench.start(None, "tcp://127.0.0.1:9")
    qtbot.waitUntil(lambda: bench.settled)
    assert "no scheduler answers" in bench.problem.text() and bench.plan_all.isEnabled()
    assert "not planned yet" in bench.said.text()


def test_a_folder_that_went_is_told(bench, qtbot, tmp_path):
    bench.take_folder(tmp_path / "gone")
    qtbot.waitUntil(lambda: bench.settled)
    assert "is no folder" in bench.problem.text()


def test_a_run_is_called_off(bench, tmp_path, qtbot):
    # So many that they are not all planned before the first is drawn and the button pressed.
    for number in range(MANY):
        job = demo_job("pottery").with_(name=f"Job {number}")
        (tmp_path / f"{number}.relay.json").write_text(job_text(job))
    bench.take_folder(tmp_path)
    qtbot.waitUntil(lambda: bench.table.rows.rowCount() > 0)
    bench.progress.cancel.click()
    qtbot.waitUntil(lambda: bench.settled)
    assert bench.book is None and not bench.problem.isVisibleTo(bench)
    bench.plan_all.click()
    assert len(done(qtbot, bench).rows) == MANY


def test_the_table_is_written(bench, jobs, qtbot, tmp_path, monkeypatch):
    import pandas

    bench.take_folder(jobs)
    done(qtbot, bench)
    names = iter([(str(tmp_path / "x"), "Parquet (*.parquet)"), (str(tmp_path / "no" / "x.csv"), "")])
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: next(names))
    bench.write.click()
    assert len(pandas.read_parquet(tmp_path / "x.parquet")) == 3
    bench.write.click()
    assert "cannot be written" in bench.problem.text()


def test_a_place_on_the_map_chooses_its_jobs(bench, jobs, qtbot):
    bench.take_folder(jobs)
    done(qtbot, bench)
    bench.map.resize(400, 300)
    marks = bench.map._marks()
    assert sorted(len(mark.spots) for mark in marks) == [1, 1]
    mark = next(mark for mark in marks if mark.spots[0].file == "b.relay.json")
    qtbot.mouseClick(bench.map, Qt.MouseButton.LeftButton, pos=mark.at.toPoint())
    assert [row[0] for row in texts(bench.table)] == ["Farm"]
    qtbot.mouseClick(bench.map, Qt.MouseButton.LeftButton, pos=QPointF(3, 3).toPoint())
    assert bench.table.rows.rowCount() == 3
    bench.whole.setChecked(True)
    assert "2 jobs at 2 places" in bench.map.accessibleDescription()
    assert "Natural Earth" in bench.map.attribution


def test_a_job_is_opened_from_its_row(bench, jobs, window, qtbot, settled):
    bench.take_folder(jobs)
    done(qtbot, bench)
    bench.table.choose(1)
    bench.table.setFocus()
    qtbot.keyClick(bench.table, Qt.Key.Key_Return)
    settled(window)
    assert window.session.job.name == "Farm" and window.bench_name == "Choice"
    assert window.session.path == jobs / "b.relay.json"


def test_state_and_follow_up_are_typed_on_notes(window, qtbot, settled):
    settled(window)
    driving.press(qtbot, window, BENCHES["Notes"].key)
    notes = window.bench
    driving.choose(notes.state, "signed")
    driving.type_into(qtbot, notes.follow_up, "2027-02-31")
    assert "wanted a day" in notes.problem.text()
    driving.type_into(qtbot, notes.follow_up, "2027-03-15")
    assert (window.session.job.state, window.session.job.follow_up) == ("signed", "2027-03-15")
    driving.type_into(qtbot, notes.follow_up, "")
    assert window.session.job.follow_up is None


def test_of_thousands_of_jobs_only_those_in_view_are_worded(dressed, qtbot):
    table, worded = LongTable("Jobs"), []
    qtbot.addWidget(table)
    table.resize(260, 300)
    table.show()

    def words(number):
        worded.append(number)
        return [f"Job {number} of a long name that gives room to the figures", f"{number}"]

    table.show_rows(("Job", "kWp"), range(5000), words, "invented", left=1, widest={0: 100})
    table.grab()
    assert table.rows.rowCount() == 5000 and 0 < len(worded) < 200
    narrow = table.columnWidth(0)
    assert 100 <= narrow < table._natural[0] and table.columnWidth(1) == table._natural[1]
    table.resize(900, 300)
    table.grab()
    assert table.columnWidth(0) == table._natural[0], "where there is room names are read whole"
    opened = []
    table.opened.connect(opened.append)
    table.choose(4999)
    qtbot.keyClick(table, Qt.Key.Key_Return)
    assert opened == [4999] and table.text(4999, 1) == "4999"
