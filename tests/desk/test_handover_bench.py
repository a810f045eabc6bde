"""The bench Handover driven as its user drives it."""

import pytest
from PySide6.QtWidgets import QFileDialog

from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.exchange.firm import read_firm
from calm_relay.planning.verdict.option import RefusedOption
from tests.plans import of_few_futures

from . import driving
from .conftest import wait_for
from .driving import LEFT, painted


@pytest.fixture(scope="module")
def opened(file_window):
    # What is printed hangs on few futures as on many, and comes sooner.
    window = file_window
    window.session.replace(of_few_futures(window.session.job))
    window.forget_view()
    wait_for(lambda: not window.session.busy and window.moment.ready)
    window.show_option(1)
    window.open_bench("Handover")
    wait_for(lambda: window.bench.settled)
    window.resize(1280, 800)
    window.grab()
    return window


@pytest.fixture
def window(opened):
    return opened


@pytest.fixture
def bench(window, asked, own_folder):
    """The bench on the first option that can be built, with the papers in view that it begins with."""
    window.show_option(1)
    window.bench.tabs.choose(next(iter(window.bench.tabs.buttons)))
    wait_for(lambda: window.bench.settled)
    return window.bench


def test_the_offer_is_a_picture_of_days_bill_and_years(bench, window):
    money = window.view.option.outcome.money
    assert f"{money.outlay:,.0f}" in bench.title.text()
    assert painted(bench.pictures) > 0.1
    assert "midwinter" in bench.pictures.accessibleDescription()
    assert window.session.plan.assumed_note in bench.note.text()


@pytest.mark.parametrize("key", ["materials", "settings", "steps", "application"])
def test_each_paper_has_its_table(bench, key):
    bench.tabs.choose(key)
    table = bench.tables[key]
    assert table.isVisible()
    assert table.rowCount() > 5
    assert all(table.item(row, 0).text() for row in range(table.rowCount()))


@pytest.mark.parametrize("size", [(1280, 720), (1600, 900)])
@pytest.mark.parametrize("key", ["materials", "settings", "steps"])
def test_every_column_of_a_paper_is_in_view_and_long_texts_wrap(bench, window, key, size):
    window.resize(*size)
    bench.tabs.choose(key)
    table = bench.tables[key]
    window.grab()
    across = sum(table.columnWidth(column) for column in range(table.columnCount()))
    assert table.viewport().width() - 4 <= across <= table.viewport().width()
    measure = table.fontMetrics()
    for row in range(table.rowCount()):
        for column in range(table.columnCount()):
            lines = measure.horizontalAdvance(table.item(row, column).text()) / table.columnWidth(column)
            assert table.rowHeight(row) >= int(lines) * measure.height(), table.item(row, column).text()


def test_what_stops_an_option_stands_above_its_papers(bench, window):
    """Behind a fuse of a few amps none can be built; off it the word is gone, and off grid nobody is asked."""
    assert not bench.stop.isVisible() and not window.view.option.stopped
    before = window.session.job
    window.session.replace(before.with_(supply=before.supply.with_(main_fuse_a=16.0)))
    wait_for(lambda: not window.session.busy and window.moment.ready and window.view.option.stopped)
    wait_for(lambda: bench.stop.isVisible())
    assert bench.stop.text().startswith("Not to be built as it stands. ")
    assert window.view.option.stop_words == bench.stop.text()
    window.session.replace(before)
    wait_for(lambda: not window.session.busy and window.moment.ready and not window.view.option.stopped)
    wait_for(lambda: not bench.stop.isVisible())


def test_what_is_shown_follows_the_option_and_the_job(bench, window, settled):
    bench.tabs.choose("materials")

    def rows():
        table = bench.tables["materials"]
        return [[table.item(r, c).text() for c in range(table.columnCount())] for r in range(table.rowCount())]

    before = rows()
    window.show_option(2)
    assert rows() != before
    window.show_option(1)
    assert rows() == before
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(count=5)), "Five packs")
    settled(window)
    assert rows() != before
    window.commands.undo.trigger()
    settled(window)
    assert window.session.job == job


def test_a_refused_option_has_no_papers_and_says_so(bench, window):
    number = next(n for n, item in enumerate(window.session.plan.options) if isinstance(item, RefusedOption))
    window.show_option(number)
    assert "can be built" in bench.title.text()
    assert not bench.write.isEnabled()


def test_all_papers_are_written_into_a_folder(bench, window, qtbot, monkeypatch, tmp_path):
    folder = tmp_path / "papers"
    folder.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    qtbot.mouseClick(bench.write, LEFT)
    qtbot.waitUntil(lambda: "Written" in window.notice.text.text())
    names = {path.name for path in folder.iterdir()}
    assert {
        "offer.pdf",
        "materials.xlsx",
        "settings.pdf",
        "work-order.pdf",
        "application.json",
        "diagram.dxf",
    } <= names


def test_a_folder_that_cannot_be_written_is_told_at_once(bench, window, qtbot, monkeypatch, tmp_path, asked):
    blocked = tmp_path / "file"
    blocked.write_text("")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(blocked / "in"))
    qtbot.mouseClick(bench.write, LEFT)
    assert asked and "Nothing of the job is lost" in asked[-1]


def test_the_firm_is_asked_and_kept(bench, qtbot, monkeypatch, own_folder):
    def fill(dialog):
        dialog.fields["name"].setText("Hallowmere Solar (invented)")
        driving.choose(dialog.fields["prices"], "in sums")
        dialog.take()
        return True

    monkeypatch.setattr(FormDialog, "exec", fill)
    qtbot.mouseClick(bench.firm, LEFT)
    assert read_firm().name == "Hallowmere Solar (invented)"
    assert read_firm().prices == "in sums"


def test_a_colour_that_is_none_is_refused_in_the_dialog(bench, qtbot, monkeypatch):
    seen = []

    def fill(dialog):
        dialog.fields["colour"].setText("green")
        dialog.take()
        seen.append(dialog.problem.text())
        return False

    monkeypatch.setattr(FormDialog, "exec", fill)
    qtbot.mouseClick(bench.firm, LEFT)
    assert "colour" in seen[0]


def test_a_damaged_firm_file_is_told(bench, qtbot, monkeypatch, own_folder):
    own_folder.mkdir(exist_ok=True)
    (own_folder / "firm.json").write_text("{")
    monkeypatch.setattr(FormDialog, "exec", lambda dialog: False)
    qtbot.mouseClick(bench.firm, LEFT)
    assert "left as it is" in bench.problem.text()


def test_room_to_grow_is_sought_when_it_is_looked_at(bench, qtbot):
    bench.tabs.choose("growth")
    qtbot.waitUntil(lambda: bench.settled)
    assert "Packs on" in bench.growth.bars.accessibleDescription()
    assert "better" in bench.growth.verdict.text() or "neither" in bench.growth.verdict.text()
    assert bench.growth.table.rowCount() >= 1
    # Rows that have just come take their room in the next turn of the window.
    qtbot.waitUntil(lambda: bench.growth.bars.height() > 20)
    assert painted(bench.growth.bars) > 0.05
