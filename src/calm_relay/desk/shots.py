"""Remakes the pictures in docs/screenshots from the demo job."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PySide6.QtCore import QEventLoop, QTimer

from calm_relay.desk.application import application, make_window

# Name of the picture, bench, option, key of a moment.
VIEWS = (
    ("choice-as-is", "Choice", 0, None),
    ("choice-ac-addon", "Choice", 1, None),
    ("choice-hybrid-swap", "Choice", 2, None),
    ("losses", "Choice", 2, None),
    ("sky", "Sky", 1, None),
    ("roof", "Roof", 1, "best"),
    ("strings", "Strings", 2, None),
    ("converter", "Converter", 2, None),
    ("store", "Store", 1, "worst"),
    ("home", "Home", 1, "worst"),
    ("street", "Street", 2, "best"),
    ("notes", "Notes", 1, None),
)
DARK = (("store-dark", "Store", 2, "best"),)
LARGE = (("converter-150", "Converter", 1, None),)


def pause(milliseconds: int) -> None:
    """Lets events run for a while, the planner's thread among them."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def settle(window, seconds: float = 60.0) -> None:
    """Waits until the plan of the present job is drawn."""
    end = time.monotonic() + seconds
    while window.session.busy or window.session.plan is None:
        if time.monotonic() > end:
            raise TimeoutError("the plan did not come")
        pause(10)
    pause(30)


def take(folder: Path, views, look: str = "light") -> None:
    """Writes one picture of each view."""
    running = application()
    window = make_window()
    window.show()
    settle(window)
    if look != "light":
        desk = window.desk
        desk.take_look(look)
        window = desk.window
    folder.mkdir(parents=True, exist_ok=True)
    for name, bench, option, spot in views:
        window.show_step(None)
        window.show_option(option)
        window.open_bench(bench)
        if name == "losses":
            window.bench.choose_scales("losses")
        pause(400)
        if spot:
            window.moment.go_to(spot)
        pause(500)
        window.grab().save(str(folder / f"{name}.png"))
    window.close()
    running.quit()


def main(folder: Path) -> None:
    """Writes every picture; another look or size is another start of the application."""
    with tempfile.TemporaryDirectory() as state:
        environment = {**os.environ, "CALM_RELAY_STATE": state}
        for part, scale in (("light", "1"), ("dark", "1"), ("large", "1.5")):
            subprocess.run(
                [sys.executable, "-m", "calm_relay.desk.shots", str(folder), part],
                env={**environment, "QT_SCALE_FACTOR": scale},
                check=True,
            )


if __name__ == "__main__":
    target = Path(sys.argv[1])
    if len(sys.argv) == 2:
        main(target)
    else:
        views = {"light": VIEWS, "dark": DARK, "large": LARGE}[sys.argv[2]]
        take(target, views, "dark" if sys.argv[2] == "dark" else "light")
