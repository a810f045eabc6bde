"""A window that is worked at random, with the time of every turn of its thread and what it holds."""

import os
import random
import tempfile
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any

PLAIN = ("Search", "Survey")


def where(error: BaseException) -> str:
    """The last lines of ours that an error came through."""
    frames = [frame for frame in traceback.extract_tb(error.__traceback__) if "calm_relay" in frame.filename]
    named = [(frame.filename.rsplit("/calm_relay/")[-1], frame.lineno, frame.line) for frame in frames[-4:]]
    return "\n".join(f"  {file}:{number} {line}" for file, number, line in named)


class Driver:
    """Works a window: edits, undoes, opens benches, dialogs and demos, changes the look; exceptions are counted."""

    def __init__(self, seed: int) -> None:
        folder = tempfile.mkdtemp(prefix="calm-relay-stress-")
        os.environ.update(
            QT_QPA_PLATFORM="offscreen", CALM_RELAY_STATE=f"{folder}/state", CALM_RELAY_DATA=f"{folder}/own"
        )
        from PySide6.QtWidgets import QMessageBox

        from calm_relay.desk.app.application import application, make_window
        from calm_relay.desk.app.fault import Faults

        QMessageBox.question = lambda *_: QMessageBox.StandardButton.Discard  # type: ignore[method-assign,assignment]
        QMessageBox.warning = lambda *_: QMessageBox.StandardButton.Ok  # type: ignore[method-assign,assignment]
        self.draw = random.Random(seed)
        self.running = application()
        first = make_window()
        first.show()
        self.desk = first.desk
        self.turns: list[float] = []
        self.long: list[tuple[str, float]] = []
        self.errors: list[str] = []
        self.faults = Faults()
        self.faults.found.connect(self.errors.append)
        self.faults.watch()
        self.desk.session.broke.connect(lambda what, details: self.errors.append(f"{what}: {details}"))
        self._now = "start"
        self._split: float | None = None
        # On a new machine the first plan compiles what it runs.
        self.settle(180.0)

    @property
    def window(self) -> Any:
        """The window on the desk; a change of look puts another there."""
        return self.desk.window

    @property
    def megabytes(self) -> float:
        """Memory of the process."""
        return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGESIZE") / 1e6

    def pump(self, seconds: float) -> None:
        """Lets the window's thread turn for a while."""
        from PySide6.QtCore import QCoreApplication, QEvent

        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self._timed(self._now, self.running.processEvents)
            QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            time.sleep(0.002)

    def settle(self, most_s: float = 20.0) -> None:
        """Waits for the plan in hand."""
        end = time.monotonic() + most_s
        self.pump(0.03)
        while self.desk.session.busy and time.monotonic() < end:
            self.pump(0.02)
        if self.desk.session.busy:
            self.errors.append("a plan did not come")

    def act(self) -> None:
        """Does one thing that a person might."""
        name = self.draw.choices(tuple(_WEIGHTS), tuple(_WEIGHTS.values()))[0]
        self._now = name
        self._split = None
        self._timed(name, lambda: getattr(self, f"_{name}")())
        if self.draw.random() < 0.3:
            self.settle()
        else:
            self.pump(0.03)

    def _timed(self, what: str, act: Callable[[], object]) -> None:
        begun = time.perf_counter()
        try:
            act()
        except Exception as error:
            self.errors.append(f"{what}: {where(error)}\n{type(error).__name__}: {error}")
        ended, split = time.perf_counter(), self._split
        # A dialog has turns of its own while it is open: until it is up and ready, and from its closing on.
        for taken in (ended - begun,) if split is None else (split - begun, ended - split):
            self.turns.append(taken)
            if taken > 0.1:
                self.long.append((what, taken))

    def _edit(self) -> None:
        from stress.drawn_models import leaves, value_at
        from stress.random_jobs import changed, other_value

        job: Any = self.desk.session.job
        if self.draw.random() < 0.5:
            self.desk.session.edit(
                job.with_(battery=job.battery.with_(count=self.draw.randint(1, 5))), "Number of packs"
            )
            return
        path, kind, name = self.draw.choice(list(leaves(job)))
        try:
            new = other_value(kind, name, value_at(job, path), self.draw)
            self.desk.session.edit(changed(job, path, new), "Any field")
        except ValueError:
            return

    def _bench(self) -> None:
        from calm_relay.desk.benches.all_benches import BENCHES

        self.window.open_bench(self.draw.choice([name for name in BENCHES if name not in PLAIN]))

    def _undo(self) -> None:
        self.desk.session.undo()

    def _redo(self) -> None:
        self.desk.session.redo()

    def _option(self) -> None:
        if self.window.view is not None:
            self.window.show_option(self.draw.randrange(len(self.desk.session.plan.options)))

    def _moment(self) -> None:
        self.window.show_step(self.draw.choice([None, self.draw.randrange(35040)]))

    def _scales(self) -> None:
        self.window.open_bench("Choice")
        self.window.bench.choose_scales(
            self.draw.choice(["measures", "purposes", "losses", "costs", "paths", "wall"])
        )

    def _demo(self) -> None:
        self.window.files.open_demo(self.draw.choice(["pottery", "cottage", "dairy", "hut", "two-homes"]))
        self.window.forget_view()

    def _new_job(self) -> None:
        self.window.begin_job()

    def _look(self) -> None:
        self.desk.take_look(self.draw.choice(["light", "dark"]))

    def _dialog(self) -> None:
        from PySide6.QtCore import QTimer

        QTimer.singleShot(20, self._close_dialogs)
        kind = self.draw.randrange(5)
        if kind == 0:
            self.window.open_bench("Choice")
            self.window.bench.open_costs()
        elif kind == 1:
            self.window.open_bench("Grid")
            self.window.bench.open_tariff()
        elif kind == 2:
            self.window.shelf.new(self.draw.choice(["modules", "inverters", "packs"]))
        elif kind == 3:
            self.window.open_bench("Battery")
            self.window.bench.panel.place.click()
        else:
            self.window.open_bench("Home")
            self.window.bench.backup_board.click()

    def _close_dialogs(self) -> None:
        from PySide6.QtWidgets import QApplication, QDialog

        self._split = time.perf_counter()
        for dialog in QApplication.topLevelWidgets():
            if isinstance(dialog, QDialog) and dialog.isVisible():
                dialog.reject()


_WEIGHTS = {
    "edit": 12, "bench": 8, "undo": 3, "redo": 2, "option": 3, "moment": 3, "scales": 2, "dialog": 3, "demo": 1,
    "new_job": 1, "look": 1,
}  # fmt: skip
