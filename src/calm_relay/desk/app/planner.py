"""Plans off the interface thread; when edits come faster than plans, only the newest is planned."""

import threading
from pathlib import Path

from PySide6.QtCore import QObject, QThread, Signal, Slot

from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.planning.common.progress import Cancelled, Superseded


class _Worker(QObject):
    done = Signal(int, object)
    failed = Signal(int, str, str)
    cancelled = Signal(int)
    studied = Signal(int, str, object)
    study_cancelled = Signal(int)
    progressed = Signal(float, str)

    def __init__(self, library, newest, stale):
        super().__init__()
        self._library = library
        self._newest = newest
        self._stale = stale

    def take_library(self, library):
        """From the next job on."""
        self._library = library

    @Slot(int, int, object, object)
    def work(self, number, ticket, job, folder):
        if number != self._newest():
            return
        # The numeric libraries take longer to import than the window takes to appear.
        from calm_relay.planning.common.errors import PlanError
        from calm_relay.planning.plan import plan

        try:
            made = plan(job, self._library, folder, lambda done, what: self._show_text(number, ticket, done, what))
        except Cancelled:
            self.cancelled.emit(number)
        except PlanError as error:
            self.failed.emit(number, error.field, error.problem)
        except (ValueError, OSError) as error:
            self.failed.emit(number, "", str(error))
        else:
            self.done.emit(number, made)

    @Slot(int, int, str, object, object, object)
    def study(self, number, ticket, key, function, plan, option):
        if number != self._newest():
            return
        try:
            result = function(plan, option, lambda done, what: self._show_text(number, ticket, done, what))
        except Superseded:
            pass
        except Cancelled:
            self.study_cancelled.emit(number)
        else:
            self.studied.emit(number, key, result)

    def _show_text(self, number, ticket, done, what):
        if self._stale(number, ticket):
            raise Cancelled
        self.progressed.emit(done, what)


class Planner(QObject):
    """Turns jobs into plans in a thread of its own, and studies plans there.

    Signals
    -------
    planned : object
        A `Plan`, for the newest job asked for.
    failed : str, str
        Field and problem, for the newest job asked for.
    cancelled
        The plan of the newest job was called off.
    study_cancelled
        A study of the newest plan was called off.
    studied : str, object
        Key and result of a study of the newest plan.
    progressed : float, str
        How far the work in hand is, 0 to 1, and what it does.
    """

    planned = Signal(object)
    failed = Signal(str, str)
    cancelled = Signal()
    studied = Signal(str, object)
    study_cancelled = Signal()
    progressed = Signal(float, str)
    _ask = Signal(int, int, object, object)
    _ask_study = Signal(int, int, str, object, object, object)

    def __init__(self, library: Library, parent=None):
        super().__init__(parent)
        self._number = 0
        self._answered = 0
        # Every request has a ticket; those up to one were called off, later ones of the same job were not.
        self._ticket = self._called_off = 0
        self._lock = threading.Lock()
        self._thread = QThread(self)
        self._worker = _Worker(library, self._newest, self._is_stale)
        self._worker.moveToThread(self._thread)
        self._ask.connect(self._worker.work)
        self._ask_study.connect(self._worker.study)
        self._worker.done.connect(self._on_done)
        self._worker.failed.connect(self._on_failed)
        self._worker.cancelled.connect(self._on_cancelled)
        self._worker.studied.connect(self._on_studied)
        self._worker.study_cancelled.connect(self._on_study_cancelled)
        self._worker.progressed.connect(self.progressed)
        self._thread.start()

    def take_library(self, library: Library) -> None:
        """Plans every job asked for from now on with another library."""
        self._worker.take_library(library)

    def request(self, job: Job, folder: Path) -> None:
        """Asks for the plan of a job; an earlier request not yet done is dropped."""
        with self._lock:
            self._number += 1
            self._ticket += 1
        self._ask.emit(self._number, self._ticket, job, folder)

    def request_study(self, key: str, function, plan, option) -> None:
        """Asks for `function(plan, option, progress)`; dropped when a newer job is asked for."""
        with self._lock:
            self._ticket += 1
        self._ask_study.emit(self._number, self._ticket, key, function, plan, option)

    def cancel(self) -> None:
        """Calls off, each at its next step, the work in hand and what waits behind it."""
        with self._lock:
            self._called_off = self._ticket

    @property
    def busy(self) -> bool:
        """Whether the newest request is still unanswered."""
        return self._answered != self._number

    def stop(self) -> None:
        """Ends the thread at the next step of the work in hand."""
        self.cancel()
        self._thread.quit()
        self._thread.wait()

    def _newest(self):
        with self._lock:
            return self._number

    def _is_stale(self, number, ticket):
        with self._lock:
            return number != self._number or ticket <= self._called_off

    @Slot(int, object)
    def _on_done(self, number, plan):
        if number == self._number:
            self._answered = number
            self.planned.emit(plan)

    @Slot(int, str, str)
    def _on_failed(self, number, field, problem):
        if number == self._number:
            self._answered = number
            self.failed.emit(field, problem)

    @Slot(int)
    def _on_cancelled(self, number):
        if number == self._number:
            self._answered = number
            self.cancelled.emit()

    @Slot(int, str, object)
    def _on_studied(self, number, key, result):
        if number == self._number:
            self.studied.emit(key, result)

    @Slot(int)
    def _on_study_cancelled(self, number):
        if number == self._number:
            self.study_cancelled.emit()
