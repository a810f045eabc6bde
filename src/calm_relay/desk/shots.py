"""Remakes the pictures in docs/screenshots from the demo job."""

import sys
import time
from pathlib import Path

from PySide6.QtCore import QEventLoop, QTimer

from calm_relay.desk.application import application, make_window

VIEWS = {"choice-as-is": 0, "choice-ac-addon": 1, "choice-hybrid-swap": 2}


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


def main(folder: Path) -> None:
    """Writes one picture of each main view."""
    running = application()
    window = make_window()
    window.show()
    settle(window)
    folder.mkdir(parents=True, exist_ok=True)
    for name, number in VIEWS.items():
        window.show_option(number)
        pause(50)
        window.grab().save(str(folder / f"{name}.png"))
    window.close()
    running.quit()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
