"""Errors that nobody foresaw: told in the window with a report to hand on, while the job stays as it was."""

import platform
import sys
import threading
import traceback

from PySide6 import __version__ as qt_version
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QGuiApplication

from calm_relay import __version__

# What was in hand, as a person calls it.
WORDS = {
    "plan": "planning this job",
    "survey": "turning what is assumed",
    "search": "searching plants",
    "moment": "looking for the days of the year",
}


def _words_of(what: str) -> str:
    """What was in hand, in words: of a study without words of its own, that it was worked out."""
    return WORDS.get(what, what if " " in what else "working this out")


def report_of(what: str, details: str) -> str:
    """The report: versions, what was in hand, and the error. Nothing of the job is in it but what the error says."""
    versions = (
        f"Calm Relay {__version__}, Python {platform.python_version()}, Qt {qt_version}, {platform.platform()}"
    )
    key = "" if " " in what else f" ({what})"
    return f"{versions}\nWhile {_words_of(what)}{key}:\n{details}\n"


def last_line(details: str) -> str:
    """The error itself, of a report's details."""
    return (details.splitlines() or ["an error without words"])[-1][:200]


def tell(notice, what: str, details: str) -> None:
    """Says in a window's notice what went wrong, and offers its report."""
    text = report_of(what, details)
    print(text, file=sys.stderr)
    notice.ask(
        f"Something went wrong while {_words_of(what)} ({last_line(details)}). The job is as it was, and the "
        "next edit tries again.",
        (("Copy the report", lambda: QGuiApplication.clipboard().setText(text)),),
    )


class Faults(QObject):
    """Hears of errors that reached nobody, in the interface's thread and in others.

    Signals
    -------
    found : str
        The error with where it came from.
    """

    found = Signal(str)

    def watch(self) -> None:
        """From now on such errors are told and no longer only printed."""
        sys.excepthook = self._on_error
        threading.excepthook = lambda caught: self._on_error(
            caught.exc_type, caught.exc_value, caught.exc_traceback
        )

    def _on_error(self, kind, error, trace):
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        self.found.emit("".join(traceback.format_exception(kind, error, trace)).strip())
