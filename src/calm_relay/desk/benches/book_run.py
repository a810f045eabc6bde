"""Plans a book away from the window's thread, and can be called off."""

import threading
from contextlib import nullcontext

from PySide6.QtCore import QObject, Signal

from calm_relay.exchange.errors import InputError
from calm_relay.planning.common.progress import Cancelled


class BookRun(QObject):
    """One run at a time.

    Signals
    -------
    row_made : object
        A row, as it is made.
    progressed : float, str
        How far it is.
    ended : object, str
        The book, None where there is none; and why there is none, empty where it was called off.
    """

    row_made = Signal(object)
    progressed = Signal(float, str)
    ended = Signal(object, str)
    # `Workers` in place of this machine or a cluster; for tests.
    workers = None

    def __init__(self, parent=None):
        super().__init__(parent)
        self._thread, self._off = None, threading.Event()
        self.ended.connect(self._forget)

    @property
    def busy(self) -> bool:
        """Whether a run is under way."""
        return self._thread is not None

    def start(self, folder, change, scheduler: str) -> None:
        """Begins a run; nothing where one is under way."""
        if self.busy:
            return
        self._off = threading.Event()
        self._thread = threading.Thread(target=self._run, args=(folder, change, scheduler, self._off), daemon=True)
        self._thread.start()

    def _forget(self):
        self._thread = None

    def stop(self) -> None:
        """Calls the run off; rows made so far are kept."""
        self._off.set()

    def wait(self, seconds: float) -> None:
        """Waits for a run that was called off."""
        if self._thread is not None:
            self._thread.join(seconds)

    def _run(self, folder, change, scheduler, off):
        from calm_relay.planning.book.replan import BookError, cluster, local_cores, planned_book

        def progress(done, what):
            if off.is_set():
                raise Cancelled
            self.progressed.emit(done, what)

        book, problem = None, ""
        try:
            where = (
                nullcontext(self.workers) if self.workers else cluster(scheduler) if scheduler else local_cores()
            )
            with where as workers:
                book = planned_book(folder, workers, change, progress, self.row_made.emit)
        except Cancelled:
            problem = ""
        except (BookError, InputError, OSError) as error:
            problem = str(error)
        except RuntimeError:
            # The window went meanwhile.
            return
        self.ended.emit(book, problem)
