"""What benches are made of is imported beside the window, before the first of them is opened."""

import threading
from functools import lru_cache
from importlib import import_module

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


def _import_all() -> None:
    for name in NAMES:
        if not threading.main_thread().is_alive():
            return
        import_module(f"calm_relay.desk.benches.{name}_bench")
