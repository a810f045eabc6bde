"""Starts the application: one window on one job."""

import os
import sys
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from calm_relay import __version__
from calm_relay.data import shipped
from calm_relay.desk.app.ahead import AtRest
from calm_relay.desk.app.fault import Faults, tell
from calm_relay.desk.app.garbage import collect_in_interface
from calm_relay.desk.app.memory import one_heap
from calm_relay.desk.app.session import Session
from calm_relay.desk.app.window import Window
from calm_relay.desk.widgets.theme import dress
from calm_relay.exchange.job_file import files_outside, read_job
from calm_relay.exchange.own_equipment import library, read_own_equipment
from calm_relay.exchange.shipped import demo_job
from calm_relay.exchange.user_state import change_settings, read_settings


def application() -> QApplication:
    """The Qt application in the user's look and size; made once."""
    running = QApplication.instance()
    if running is not None:
        return running
    one_heap()
    settings = read_settings()
    if settings.scale != 100:
        os.environ.setdefault("QT_SCALE_FACTOR", f"{settings.scale / 100:g}")
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Calm Relay")
    made.setApplicationVersion(__version__)
    made.setDesktopFileName("calm-relay")
    made.setWindowIcon(QIcon(str(shipped("icons/calm-relay.svg"))))
    dress(made, settings.look)
    collect_in_interface(made)
    return made


class Desk(QObject):
    """One session and the window it is shown in; a change of look makes the window anew."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.window = self._make()

    def _make(self):
        window = Window(self.session)
        window.look_wanted.connect(self.take_look)
        # The desk lives as long as the window that stands on it.
        window.desk = self
        return window

    def take_look(self, look: str) -> None:
        """Dresses the application anew and puts a window in the new look in the old one's place."""
        dress(QApplication.instance(), look)
        old, self.window = self.window, self._make()
        self.window.setGeometry(old.geometry())
        self.window.show()
        self.window.take_over(old)
        old.hide()
        old.deleteLater()


def make_window(job_path: Path | None = None, demo: str = "pottery") -> Window:
    """A window on a job file, or on a demo job.

    Raises
    ------
    InputError
        When the file cannot be used.
    """
    path = Path(job_path).resolve() if job_path else None
    own, told = read_own_equipment()
    session = Session(read_job(path) if path else demo_job(demo), library(own), path)
    desk = Desk(session)
    session.setParent(desk)
    AtRest(session)
    session.start_behind(desk.window)
    if told:
        desk.window.notice.ask(" ".join(told), ())
    return desk.window


def run(job_path: Path | None = None, demo: str = "pottery") -> int:
    """Opens the window and runs until it is closed."""
    running = application()
    asks = job_path is not None and _reads_outside(Path(job_path))
    window = make_window(None if asks else job_path, demo)
    faults = Faults(running)
    faults.found.connect(lambda details: tell(window.desk.window.notice, "working with the window", details))
    faults.watch()
    window.show()
    if asks and window.files.open_file(job_path):
        window.forget_view()
    window.files.offer_left_behind()
    if job_path is None:
        window.files.tell_example(window.begin_job)
    elif not asks:
        change_settings(lambda settings: settings.with_recent(Path(job_path).resolve()))
    return running.exec()


def _reads_outside(path: Path) -> bool:
    """Whether a job reads files outside its folder that nobody allowed it to read yet."""
    path = path.resolve()
    return not read_settings().trusts(path, files_outside(read_job(path), path.parent))
