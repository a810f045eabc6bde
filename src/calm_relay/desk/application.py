"""Starts the application: one window on one job."""

import sys
from pathlib import Path

from PySide6.QtWidgets import QApplication

from calm_relay import __version__
from calm_relay.desk.session import Session
from calm_relay.desk.theme import dress
from calm_relay.desk.window import Window
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.shipped import demo_job


def application() -> QApplication:
    """The Qt application, dressed; made once."""
    running = QApplication.instance()
    if running is not None:
        return running
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Calm Relay")
    made.setApplicationVersion(__version__)
    made.setDesktopFileName("calm-relay")
    dress(made)
    return made


def make_window(job_path: Path | None = None) -> Window:
    """A window on a job file, or on the demo job.

    Raises
    ------
    InputError
        When the file cannot be used.
    """
    path = Path(job_path).resolve() if job_path else None
    session = Session(read_job(path) if path else demo_job(), path)
    window = Window(session)
    session.start()
    return window


def run(job_path: Path | None = None) -> int:
    """Opens the window and runs until it is closed."""
    running = application()
    window = make_window(job_path)
    window.show()
    return running.exec()
