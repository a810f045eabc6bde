"""Plans off the interface thread; when edits come faster than plans, only the newest is planned."""

import contextlib
import queue
import threading
import traceback
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, Signal, Slot

from calm_relay.desk.app.memory import give_back
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.planning.common.progress import Cancelled, Superseded

# How long closing waits for the step in hand; the thread ends by itself after it.
PATIENCE_S = 3.0
# Studies that wait within one another at most.
MOST_LET_BY = 3


class _Request(NamedTuple):
    """Of which plan it is, who asked, and what is to be done."""

    number: int
    asker: str
    act: Callable[[], None]


class Planner(QObject):
    """Turns jobs into plans in a thread of its own, and studies plans there.

    A study that takes long lets those by that somebody else asks for meanwhile, between two of its steps: who opens
    another bench waits for its own studies alone. What one asks for comes in the order in which it was asked. Whatever
    goes wrong in the thread comes back as a signal: the thread itself ends with the planner alone.

    Signals
    -------
    planned : object
        A `Plan`, for the newest job asked for.
    failed : str, str
        Field and problem, for the newest job asked for.
    broke : str, str
        What was in hand when an error came that nobody foresaw, and its report.
    cancelled
        The plan of the newest job was called off.
    study_cancelled
        A study of the newest plan was called off.
    studied : str, object
        Key and result of a study of the newest plan.
    study_failed : str, str
        Key of a study of the newest plan, and why it has no result.
    progressed : float, str
        How far the work in hand is, 0 to 1, and what it does.
    """

    planned = Signal(object)
    failed = Signal(str, str)
    broke = Signal(str, str)
    cancelled = Signal()
    study_cancelled = Signal()
    studied = Signal(str, object)
    study_failed = Signal(str, str)
    progressed = Signal(float, str)
    # From the thread to the interface: number of the request, and what came of it.
    _back = Signal(int, str, object)

    def __init__(self, library: Library, parent=None):
        super().__init__(parent)
        self._library = library
        self._number = 0
        self._answered = 0
        # Every request has a ticket; those up to one were called off, later ones of the same job were not.
        self._ticket = self._called_off = 0
        self._lock = threading.Lock()
        self._queue: queue.SimpleQueue = queue.SimpleQueue()
        # What was taken off the queue and waits for a study in hand, and who asked for those in hand.
        self._next: deque[_Request | None] = deque()
        self._in_hand: list[str] = []
        self._may_begin = threading.Event()
        self._may_begin.set()
        self._back.connect(self._on_back)
        # A daemon: whatever it is in the middle of, it never keeps the process, and never brings it down.
        self._thread = threading.Thread(target=self._work, name="planner", daemon=True)
        self._thread.start()

    def hold(self) -> None:
        """Has what is asked for wait until `release`."""
        self._may_begin.clear()

    def release(self) -> None:
        """Begins with what was asked for."""
        self._may_begin.set()

    def take_library(self, library: Library) -> None:
        """Plans every job asked for from now on with another library."""
        self._library = library

    def request(self, job: Job, folder: Path) -> None:
        """Asks for the plan of a job; an earlier request not yet done is dropped."""
        with self._lock:
            self._number += 1
            self._ticket += 1
            number, ticket = self._number, self._ticket
        library = self._library
        self._queue.put(_Request(number, "", lambda: self._plan(number, ticket, job, library, folder)))

    def request_study(self, key: str, function, plan, option, asker: str = "") -> None:
        """Asks for `function(plan, option, progress)`; dropped when a newer job is asked for.

        `asker` tells who waits for it: its studies come one after the other, and wait for nobody else's.
        """
        with self._lock:
            self._ticket += 1
            number, ticket = self._number, self._ticket
        self._queue.put(
            _Request(number, asker, lambda: self._study(number, ticket, asker, key, function, plan, option))
        )

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
        with self._lock:
            self._number += 1
            self._answered = self._number
        self.cancel()
        self.release()
        self._queue.put(None)
        self._thread.join(PATIENCE_S)

    def _work(self):
        while (request := self._next.popleft() if self._next else self._queue.get()) is not None:
            self._may_begin.wait()
            number, _, act = request
            # What it holds must not outlive it until the next request comes.
            del request
            if number == self._newest():
                act()
            del act
            if self._queue.empty():
                give_back()

    def _plan(self, number, ticket, job, library, folder):
        try:
            # The numeric libraries take longer to import than the window takes to appear.
            from calm_relay.exchange.errors import InputError
            from calm_relay.planning.common.errors import PlanError
            from calm_relay.planning.plan import plan

            made = plan(job, library, folder, lambda done, what: self._show_text(number, ticket, done, what))
        except Cancelled:
            self._answer(number, "cancelled")
        except PlanError as error:
            from calm_relay.planning.common.refused import field_called

            self._answer(number, "failed", (field_called(error.field, Job), error.problem))
        except (InputError, OSError) as error:
            self._answer(number, "failed", ("", str(error)))
        except BaseException as error:
            self._answer(number, "plan broke", _report(error))
        else:
            self._answer(number, "planned", made)

    def _study(self, number, ticket, asker, key, function, plan, option):
        self._in_hand.append(asker)
        try:
            from calm_relay.exchange.errors import InputError
            from calm_relay.planning.common.errors import PlanError

            def told(done, what):
                self._show_text(number, ticket, done, what)
                self._let_others_by(number)

            result = function(plan, option, told)
        except Superseded:
            pass
        except Cancelled:
            self._answer(number, "study cancelled")
        except (PlanError, InputError, OSError) as error:
            self._answer(number, "study failed", (key, str(error)))
        except BaseException as error:
            self._answer(number, "study broke", (key, _report(error)))
        else:
            self._answer(number, "studied", (key, result))
        finally:
            self._in_hand.pop()

    def _let_others_by(self, number):
        """Does the studies of the same plan that others asked for since, within the one in hand."""
        if threading.current_thread() is self._thread:
            while len(self._in_hand) <= MOST_LET_BY and (request := self._of_another(number)) is not None:
                request.act()

    def _of_another(self, number):
        """The first study that waits for none in hand; None where there is none, or the end or another plan came."""
        with contextlib.suppress(queue.Empty):
            while True:
                self._next.append(self._queue.get_nowait())
        for request in self._next:
            if request is None or request.number != number:
                # The study in hand learns of it at its next step.
                return None
            if request.asker not in self._in_hand:
                self._next.remove(request)
                return request
        return None

    def _answer(self, number, what, result=None):
        # The window may have closed meanwhile.
        with contextlib.suppress(RuntimeError):
            self._back.emit(number, what, result)

    def _show_text(self, number, ticket, done, what):
        if self._is_stale(number, ticket):
            raise Cancelled
        with contextlib.suppress(RuntimeError):
            self.progressed.emit(done, what)

    def _newest(self):
        with self._lock:
            return self._number

    def _is_stale(self, number, ticket):
        with self._lock:
            return number != self._number or ticket <= self._called_off

    @Slot(int, str, object)
    def _on_back(self, number, what, result):
        if number != self._number:
            return
        if what in {"planned", "failed", "cancelled", "plan broke"}:
            self._answered = number
        if what == "planned":
            self.planned.emit(result)
        elif what == "failed":
            self.failed.emit(*result)
        elif what == "cancelled":
            self.cancelled.emit()
        elif what == "plan broke":
            self.broke.emit("plan", result)
        elif what == "studied":
            self.studied.emit(*result)
        elif what == "study cancelled":
            self.study_cancelled.emit()
        elif what == "study failed":
            self.study_failed.emit(*result)
        else:
            self.broke.emit(*result)


def _report(error):
    """What a person can hand on: the error, and where it came from."""
    return "".join(traceback.format_exception(error)).strip()
