"""What benches are made of is imported beside the window, before the first of them is opened."""

import threading
import time
from collections.abc import Callable
from functools import lru_cache, partial
from importlib import import_module

from PySide6.QtCore import QObject, QTimer

from calm_relay.desk.app.session import Session

# So long after the last verdict nobody is in the middle of edits.
REST_MS = 1500
GIVES_WAY_S = 0.03
# Those with charts first: their library takes as long to import as all the others.
NAMES = (
    "battery", "site", "roof", "home", "grid", "inverter", "strings", "outage", "wiring", "money", "handover",
    "commissioning", "logbook", "survey", "equipment", "notes", "search", "pinned", "book",
)  # fmt: skip


@lru_cache(maxsize=1)
def import_ahead() -> threading.Thread:
    """Begins to import in a thread of its own, once a process; closing the program waits for the module in hand."""
    thread = threading.Thread(target=_import_all, name="imports")
    thread.start()
    return thread


# Where a sky or a face is changed.
UNDER_THE_SKY = {"Site", "Roof"}


@lru_cache(maxsize=1)
def import_skies() -> threading.Thread:
    """Begins to import what makes skies and the light on faces, once a process; an edit then waits for none of it.

    A plan whose sky is known needs nothing of it: 80 MB are taken by those alone who change a sky or a face.
    """
    thread = threading.Thread(target=_import_skies, name="skies")
    thread.start()
    return thread


def _import_skies() -> None:
    from calm_relay.physics.lean import import_parts

    _unless_it_closes(import_parts)


def _unless_it_closes(work: Callable[[], object]) -> bool:
    """Does a piece of work; whether it was done, which it is not while the program closes.

    Then nothing more may register for its end, as a pool of processes does.
    """
    try:
        work()
    except RuntimeError:
        if threading.main_thread().is_alive():
            raise
        return False
    return True


def _import_all() -> None:
    for name in NAMES:
        if not threading.main_thread().is_alive():
            return
        if not _unless_it_closes(partial(import_module, f"calm_relay.desk.benches.{name}_bench")):
            return
        # An edit that comes meanwhile goes first.
        time.sleep(GIVES_WAY_S)


class AtRest(QObject):
    """Begins to import once a session's verdict has stood for a while."""

    def __init__(self, session: Session):
        super().__init__(session)
        self._timer = QTimer(self, singleShot=True, interval=REST_MS)
        self._timer.timeout.connect(import_ahead)
        session.plan_changed.connect(self._wait)

    def _wait(self, _):
        if not import_ahead.cache_info().currsize:
            self._timer.start()
