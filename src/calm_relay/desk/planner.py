"""Plans off the interface thread; when edits come faster than plans, only the newest is planned."""

import threading
from pathlib import Path

from PySide6.QtCore import QObject, QThread, Signal, Slot

from calm_relay.job.model import Job


class _Worker(QObject):
    done = Signal(int, object)
    failed = Signal(int, str, str)

    def __init__(self, newest):
        super().__init__()
        self._newest = newest

    @Slot(int, object, object)
    def work(self, number, job, folder):
        if number != self._newest():
            return
        # The numeric libraries take longer to import than the window takes to appear.
        from calm_relay.planning.errors import PlanError
        from calm_relay.planning.plan import plan

        try:
            made = plan(job, folder)
        except PlanError as error:
            self.failed.emit(number, error.field, error.problem)
        except (ValueError, OSError) as error:
            self.failed.emit(number, "", str(error))
        else:
            self.done.emit(number, made)


class Planner(QObject):
    """Turns jobs into plans in a thread of its own.

    Signals
    -------
    planned : object
        A `Plan`, for the newest job asked for.
    failed : str, str
        Field and problem, for the newest job asked for.
    """

    planned = Signal(object)
    failed = Signal(str, str)
    _ask = Signal(int, object, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._number = 0
        self._lock = threading.Lock()
        self._thread = QThread(self)
        self._worker = _Worker(self._newest)
        self._worker.moveToThread(self._thread)
        self._ask.connect(self._worker.work)
        self._worker.done.connect(self._on_done)
        self._worker.failed.connect(self._on_failed)
        self._thread.start()

    def request(self, job: Job, folder: Path) -> None:
        """Asks for the plan of a job; an earlier request not yet begun is dropped."""
        with self._lock:
            self._number += 1
            number = self._number
        self._ask.emit(number, job, folder)

    @property
    def busy(self) -> bool:
        """Whether the newest request is still unanswered."""
        return self._answered != self._number

    _answered = 0

    def stop(self) -> None:
        """Ends the thread after the plan in hand."""
        self._thread.quit()
        self._thread.wait()

    def _newest(self):
        with self._lock:
            return self._number

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
