"""Remakes the pictures in docs/screenshots from the demo jobs."""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QEventLoop, QTimer

from calm_relay.desk.app.application import application, make_window
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.site.new_job import placed


@dataclass(frozen=True)
class Shot:
    """One picture: its name, demo, bench and option, a moment's key, and what is pressed before it is taken.

    What was pressed may take a minute until `ready`; `then` is pressed after it. Of a `dialog` it alone is taken.
    """

    name: str
    bench: str
    option: int
    spot: str | None = None
    demo: str = "pottery"
    press: Callable = lambda bench: None
    ready: Callable = lambda bench: bench.settled
    then: Callable = lambda bench: None
    dialog: Callable | None = None


# Looks at a picture's readiness, a quarter of a second apart.
PATIENCE = 240


def _tab(key):
    return lambda bench: bench.tabs.choose(key)


def _has_sizes(bench):
    return bench.off_grid.settled


def _pick(bench):
    """A plant in the middle of the edge."""
    if bench.model.plants:
        bench.pick(bench.model.plants[len(bench.model.plants) // 3])


SHEET = """Larkmoor half-cut
Electrical data at STC              LM-400    LM-405    LM-410
Maximum power (Pmax/W)              400       405       410
Open-circuit voltage (Voc/V)        37.07     37.23     37.32
Short-circuit current (Isc/A)       13.79     13.87     13.95
Voltage at maximum power (Vmp/V)    31.01     31.21     31.45
Current at maximum power (Imp/A)    12.90     12.98     13.04
Temperature coefficient of Pmax     -0.350 %/°C
Temperature coefficient of Voc      -0.275 %/°C
Temperature coefficient of Isc      +0.045 %/°C
Dimensions                          1722 x 1134 x 30 mm
Weight                              21.5 kg
Maximum system voltage              1500 V DC
Maximum series fuse rating          25 A
"""


def _new_module(bench):
    """A new module, its datasheet beside it."""
    bench.window().shelf.new("modules").read_text(SHEET)


def _half_answered(bench):
    """A new job of which place and demand are said."""
    window = bench.window()
    window.begin_job()
    session = window.session
    there = placed(session.job, "Tralee, Ireland", "Ireland", 52.27, -9.7, "Europe/Dublin", session.library)
    session.edit(there, "Place")
    session.edit(there.with_(demand=there.demand.with_(yearly_kwh=5200.0)), "Demand")
    window.open_bench("Choice")


def _item_dialog(window):
    from calm_relay.desk.dialogs.item_dialog import ItemDialog

    return window.findChildren(ItemDialog)[-1]


def _book(bench):
    """Forty invented jobs under a new tariff."""
    from datetime import date

    from calm_relay.planning.book.change import Change
    from calm_relay.planning.book.invented import new_tariff, write_invented

    bench.folder = Path(tempfile.mkdtemp()) / "jobs"
    write_invented(bench.folder, 40, date(2026, 11, 26))
    bench.start(Change(tariff=new_tariff()))


def _live(bench):
    """The planned plant played with a transformer turned round and a dead string, and connected to."""
    import time

    from calm_relay.fieldbus.server import SiteServer
    from calm_relay.planning.commissioning.played import PlayedSite, fault_of, step_at

    session = bench.window().session
    plan, began = session.plan, time.monotonic()
    faults = [fault_of("reversed-ct:1"), fault_of("dead-string:2")]
    first = step_at(plan, "06-21", "10:00")
    played = PlayedSite(plan, bench.option, first, 60.0, faults, lambda: time.monotonic() - began)
    port = SiteServer(played.devices).start()
    record = session.job.commissioning
    devices = tuple(device.with_(address=f"127.0.0.1:{port}") for device in record.devices)
    session.edit(session.job.with_(commissioning=record.with_(devices=devices)), "Devices")
    settle(bench.window())
    bench.tabs.choose("live")
    bench.live.start()


def _both_found(bench):
    said = bench.live.deviations.text()
    return "round" in said and "nothing" in said


VIEWS = (
    Shot("choice", "Choice", 1),
    Shot("strings-restrung", "Strings", 2, demo="dairy"),
    Shot("inverter-farm", "Inverter", 2, demo="dairy", press=lambda bench: bench.foresight_tabs.choose("year")),
    Shot("wiring", "Wiring", 1),
    Shot("handover", "Handover", 1),
    Shot(
        "search",
        "Search",
        1,
        press=lambda bench: bench.start.click(),
        ready=lambda bench: bench.model.plants,
        then=_pick,
    ),
    Shot("logbook", "Logbook", 1),
    Shot("money", "Money", 2),
    Shot("site", "Site", 1),
    Shot("roof", "Roof", 1, "best"),
    Shot(
        "home",
        "Home",
        2,
        "best",
        demo="two-homes",
        press=_tab("controlled"),
        ready=lambda bench: bench.settled and bench.controlled.is_drawn,
    ),
    Shot("book", "Book", 1, press=_book, ready=lambda bench: bench.settled and bench.book is not None),
    Shot("commissioning", "Commissioning", 2, demo="two-homes"),
    Shot("live", "Commissioning", 2, demo="two-homes", press=_live, ready=_both_found),
    Shot(
        "outage",
        "Outage",
        2,
        demo="cottage",
        press=lambda bench: bench.tabs.choose("night"),
        then=lambda bench: bench.scrub(8.0),
    ),
    Shot(
        "off-grid", "Grid", 3, demo="hut", press=lambda bench: bench.off_grid.tabs.choose("size"), ready=_has_sizes
    ),
    Shot("equipment", "Equipment", 2, press=_new_module, dialog=_item_dialog),
    Shot("new-job", "Choice", 2, press=_half_answered, ready=lambda bench: not bench.window().session.busy),
)
DARK = (Shot("battery-night", "Battery", 2, "best"),)


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
    demo = "pottery"
    for shot in views:
        if shot.demo != demo:
            demo = shot.demo
            window.session.replace(demo_job(demo))
            window.forget_view()
            settle(window)
        window.show_step(None)
        window.show_option(shot.option)
        window.open_bench(shot.bench)
        shot.press(window.bench)
        pause(800)
        for _ in range(PATIENCE):
            if shot.ready(window.bench):
                break
            pause(250)
        shot.then(window.bench)
        if shot.spot:
            window.moment.go_to(shot.spot)
        pause(700)
        # Other work may go on behind; its row would stand in the picture.
        for _ in range(PATIENCE):
            if not window.progress.isVisible():
                break
            pause(250)
        pause(200)
        shown = window if shot.dialog is None else shot.dialog(window)
        shown.grab().save(str(folder / f"{shot.name}.png"))
        if shown is not window:
            shown.reject()
    # Nothing is left to be asked about.
    window.session.replace(demo_job(demo))
    window.close()
    running.quit()


def main(folder: Path) -> None:
    """Writes every picture; another look or size is another start of the application."""
    with tempfile.TemporaryDirectory() as state:
        environment = {**os.environ, "CALM_RELAY_STATE": state, "CALM_RELAY_DATA": state}
        for part, scale in (("light", "1"), ("dark", "1")):
            subprocess.run(
                [sys.executable, "-P", "-m", "calm_relay.desk.app.shots", str(folder), part],
                env={**environment, "QT_SCALE_FACTOR": scale},
                check=True,
            )


if __name__ == "__main__":
    target = Path(sys.argv[1])
    if len(sys.argv) == 2:
        main(target)
    else:
        views = {"light": VIEWS, "dark": DARK}[sys.argv[2]]
        take(target, views, "dark" if sys.argv[2] == "dark" else "light")
