"""The window on the demo job, closed without questions at the end."""

import gc
import itertools
import time
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from calm_relay.desk.app.application import make_window
from calm_relay.desk.app.garbage import collect_in_interface
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.theme import dress
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning import plan as plan_module
from calm_relay.planning.common.progress import unheard
from calm_relay.planning.plan import Plan

# The first plan on a new machine compiles what it runs.
PATIENCE_MS = 180_000
CLOSED = itertools.count(1)
# The demo's plan by the folder its paths start in.
PLANNED: dict[Path | None, Plan] = {}


@pytest.fixture(scope="session")
def dressed(qapp):
    dress(qapp)
    collect_in_interface(qapp)
    # What the tests imported is no garbage: each window's own is found at once.
    gc.freeze()
    return qapp


@pytest.fixture(autouse=True)
def own_state(tmp_path_factory, monkeypatch):
    """What one test leaves unsaved is not offered to the next, nor are its feet."""
    MEASURES.show_feet(False)
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path_factory.mktemp("state")))


@pytest.fixture
def own_folder(tmp_path, monkeypatch):
    """A folder of this test alone for what a user keeps over all jobs."""
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "own"))
    return tmp_path / "own"


@pytest.fixture(scope="module", autouse=True)
def demo_planned_once():
    """The plan of the job that every window opens on: it is a pure function's answer, and made once."""
    whole, demo, shipped = plan_module.plan, demo_job(), library()

    def once(job, library, folder=None, progress=unheard):
        if library is not shipped or job != demo:
            return whole(job, library, folder, progress)
        if folder not in PLANNED:
            PLANNED[folder] = whole(job, library, folder, progress)
        return replace(PLANNED[folder])

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(plan_module, "plan", once)
        yield


class Patient(QtBot):
    """Waits for what must come as long as the slowest machine needs: how soon it comes is a benchmark's matter."""

    def waitUntil(self, callback, *, timeout=PATIENCE_MS):
        super().waitUntil(callback, timeout=timeout)


@pytest.fixture
def qtbot(qapp, request):
    """The library's own, with more patience."""
    return Patient(request)


@pytest.fixture
def asked(monkeypatch):
    """Texts of the units that were shown; questions are answered with "discard"."""
    texts = []

    def warning(parent, title, text, *_):
        texts.append(text)
        return QMessageBox.StandardButton.Ok

    def question(parent, title, text, *_):
        texts.append(text)
        return QMessageBox.StandardButton.Discard

    monkeypatch.setattr(QMessageBox, "warning", warning)
    monkeypatch.setattr(QMessageBox, "question", question)
    return texts


@pytest.fixture
def settled(qtbot):
    """Waits until the present job's plan is drawn."""

    def wait(window):
        session, moment = window.session, window.moment
        qtbot.waitUntil(lambda: session.plan is not None and not session.busy)
        qtbot.waitUntil(lambda: moment.ready and moment._view.plan is session.plan)

    return wait


@pytest.fixture
def window(dressed, qtbot, asked, settled):
    made = make_window()
    desk = made.desk
    made.show()
    qtbot.waitExposed(made)
    settled(made)
    yield made
    del made
    close(desk)


def close(desk):
    """Closes a desk's window for good."""
    # Another look puts another window in this one's place.
    desk.window.close()
    desk.window.deleteLater()
    # Its plans are megabytes: the collector's own beat is too slow for a window a second.
    if next(CLOSED) % 4 == 0:
        gc.collect()


def wait_for(ready):
    """Lets the interface work until something is ready; for fixtures of a whole file, which have no `qtbot`."""
    end, loop = time.monotonic() + PATIENCE_MS / 1000.0, QEventLoop()
    while not ready():
        assert time.monotonic() < end, "the window is not ready in time"
        # A wait of Qt's test library would keep other threads from running.
        QTimer.singleShot(5, loop.quit)
        loop.exec()


@pytest.fixture(scope="module")
def file_window(dressed, tmp_path_factory):
    """One window for all tests of a file, each of which leaves the job as it found it."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("CALM_RELAY_STATE", str(tmp_path_factory.mktemp("state")))
        patch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Discard)
        desk = make_window().desk
        desk.window.show()
        wait_for(lambda: desk.window.session.plan is not None and desk.window.moment.ready)
        yield desk.window
        close(desk)
