"""Whatever goes wrong in a thread reaches the window, the job stays, and the next edit plans again."""

import sys
import threading
import traceback
from importlib import import_module
from pkgutil import iter_modules

import pytest
from PySide6.QtGui import QGuiApplication, QPageSize
from PySide6.QtWidgets import QMessageBox, QWidget

from calm_relay import desk
from calm_relay.desk.app.application import make_window
from calm_relay.desk.app.fault import Faults, tell
from calm_relay.desk.charts.scale_rows import ScaleRows
from calm_relay.desk.output.pages import pdf_of
from calm_relay.desk.output.picture_file import save_picture
from calm_relay.desk.widgets.painted import painted
from calm_relay.planning import plan as plan_module
from calm_relay.planning.findings.base import Mend


def broken(*_):
    return 1 / 0


def test_a_plan_that_breaks_is_told_with_a_report_and_the_next_edit_plans_again(
    window, settled, qtbot, monkeypatch
):
    job = window.session.job
    with monkeypatch.context() as at_fault:
        at_fault.setattr(plan_module, "plan", broken)
        window.session.edit(job.with_(notes="one"), "Notes")
        qtbot.waitUntil(lambda: not window.session.busy)
    assert "while planning this job (ZeroDivisionError: division by zero)" in window.notice.text.text()
    assert not window.progress.isVisible() and window.session.job.notes == "one"
    assert window.bench.verdict.text().startswith("No verdict: something went wrong in the program")
    window.notice.buttons[0].click()
    report = QGuiApplication.clipboard().text()
    assert "in broken" in report and "Calm Relay" in report and job.customer not in report
    window.session.edit(job.with_(notes="two"), "Notes")
    settled(window)
    assert window.session.plan.job.notes == "two"
    assert not window.bench.verdict.text().startswith("No verdict")


def test_a_study_that_breaks_is_told_and_asked_for_again(window, settled, qtbot, monkeypatch):
    from calm_relay.planning.studies import tipping

    with monkeypatch.context() as at_fault:
        at_fault.setattr(tipping, "tips_of", broken)
        window.bench.choose_scales("tips")
        qtbot.waitUntil(lambda: "ZeroDivisionError" in window.notice.text.text())
    assert not window.progress.isVisible()
    window.bench.choose_scales("measures")
    window.bench.choose_scales("tips")
    qtbot.waitUntil(lambda: window.bench.settled)


def test_a_study_without_a_result_says_why(window, qtbot):
    from calm_relay.planning.common.errors import PlanError

    def refused(plan, option, progress):
        raise PlanError("faces.0.count", "more modules than a face may hold")

    window._study("footprint", refused)
    qtbot.waitUntil(lambda: "No result: " in window.notice.text.text())
    assert "more modules than a face may hold" in window.notice.text.text()


def test_a_mend_of_findings_that_are_gone_is_refused_and_one_that_breaks_is_told(window, settled):
    before = window.session.job
    window.session.edit(before.with_(notes="x"), "Notes")
    window._mend(Mend("Drop it", lambda job: job.with_(name="Mended")))
    assert window.session.job.name == before.name and "changed meanwhile" in window.notice.text.text()
    settled(window)
    window._mend(Mend("Break it", broken))
    assert "“Break it” was done (ZeroDivisionError" in window.notice.text.text()
    window._mend(Mend("Overdo it", lambda job: job.with_(outage_hours=1e9)))
    assert (
        "cannot be done as the job stands now: outage hours: is 1000000000.0; wanted less than"
        in window.notice.text.text()
    )
    assert window.session.job.name == before.name
    window._mend(Mend("Drop it", lambda job: job.with_(name="Mended")))
    assert window.session.job.name == "Mended"


def test_an_error_that_reached_nobody_is_told_from_any_thread(window, qtbot, monkeypatch):
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    faults = Faults()
    faults.found.connect(lambda details: tell(window.notice, "working with the window", details))
    faults.watch()
    try:
        broken()
    except ZeroDivisionError:
        sys.excepthook(*sys.exc_info())
    assert "while working with the window (ZeroDivisionError" in window.notice.text.text()
    window.notice.clear()
    thread = threading.Thread(target=broken)
    thread.start()
    thread.join()
    qtbot.waitUntil(lambda: "ZeroDivisionError" in window.notice.text.text())


@pytest.mark.parametrize("work", ["plan", "study"])
def test_a_window_closes_while_work_is_in_hand(dressed, qtbot, settled, monkeypatch, work):
    """The step in hand takes as long as it takes: nothing is torn down under it."""
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Discard)
    monkeypatch.setattr("calm_relay.desk.app.planner.PATIENCE_S", 0.05)
    made = make_window()
    made.show()
    settled(made)
    begun, go_on = threading.Event(), threading.Event()

    def long(*_):
        begun.set()
        go_on.wait(20)
        return None

    if work == "plan":
        monkeypatch.setattr(plan_module, "plan", long)
        made.session.edit(made.session.job.with_(notes="x"), "Notes")
    else:
        made._study("survey", long)
    assert begun.wait(10)
    made.close()
    made.deleteLater()
    del made
    qtbot.wait(50)
    go_on.set()
    qtbot.wait(100)


def test_what_a_window_before_asked_for_is_not_taken_for_ones_own(window, settled, qtbot):
    """A change of look while a study is in hand."""
    desk = window.desk
    window.open_bench("Home")
    desk.take_look("dark")
    try:
        qtbot.waitUntil(lambda: not desk.session.busy)
        desk.window._on_studied("home", (object(), None))
        assert desk.window.bench_name == "Home" and not desk.window.notice.isVisible()
    finally:
        desk.take_look("light")


def test_a_failed_study_leaves_benches_that_let_their_plan_go_alone(window, settled, qtbot):
    """The search was open for the plan before; a study of this one breaks."""
    window.open_bench("Search")
    settled(window)
    window.open_bench("Choice")
    window.session.edit(window.session.job.with_(notes="x"), "Notes")
    settled(window)
    assert not window.benches["Search"].shows_plan
    window._study("choice-tips", broken)
    qtbot.waitUntil(lambda: "ZeroDivisionError" in window.notice.text.text())
    window.open_bench("Search")
    assert window.bench.shows_plan and window.bench.start.isEnabled()


def test_an_error_in_a_paint_is_told_once_and_the_window_stays(window, qtbot, monkeypatch):
    picture = window.bench.scales
    with monkeypatch.context() as at_fault:
        at_fault.setattr(ScaleRows, "paint", broken)
        with qtbot.captureExceptions() as caught:
            for _ in range(4):
                picture.update()
                qtbot.wait(20)
    assert len(caught) == 1 and "in broken" in "".join(traceback.format_exception(*caught[0]))
    blank = picture.grab().toImage()
    with monkeypatch.context() as at_fault, qtbot.captureExceptions() as again:
        at_fault.setattr(ScaleRows, "paint", broken)
        picture.update()
        qtbot.wait(20)
    assert len(again) == 1, "what comes back after a whole paint is told anew"
    assert blank.size() == picture.size() * picture.devicePixelRatioF()
    assert len({blank.pixel(x, 20) for x in range(0, blank.width(), 3)}) > 3, "painted again once it can be"


def test_every_widget_paints_so_that_an_error_ends_its_paint():
    for module in iter_modules(desk.__path__, "calm_relay.desk."):
        for inner in iter_modules(import_module(module.name).__path__ if module.ispkg else [], f"{module.name}."):
            import_module(inner.name)
    own = [
        kind for kind in _below(QWidget) if kind.__module__.startswith("calm_relay") and "paintEvent" in vars(kind)
    ]
    assert len(own) > 15
    assert [
        kind.__name__ for kind in own if vars(kind)["paintEvent"].__code__ is not painted(broken).__code__
    ] == []


def _below(kind):
    return {kind}.union(*(_below(sub) for sub in kind.__subclasses__()))


def test_a_paper_that_breaks_leaves_no_file_and_no_painter(dressed, tmp_path):
    path = tmp_path / "picture.png"
    with pytest.raises(ZeroDivisionError):
        save_picture(broken, 40, 30, path, "A picture")
    with pytest.raises(ZeroDivisionError):
        pdf_of(QPageSize(QPageSize.PageSizeId.A4), "Paper", "foot", 9.0, broken)
    assert not path.exists()
