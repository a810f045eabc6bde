"""An installer's own job: a new one to its first verdict, a library of thousands, a datasheet, the survey."""

import os
import tempfile
import time
from itertools import count
from pathlib import Path
from unittest.mock import patch

from benchmarks.measure import Result, timed

# Each run stands a little farther east, so that its sky was never made before.
_EAST = count()


def results() -> list[Result]:
    """Everything that `docs` promise of own jobs; the user's own library is not touched."""
    with tempfile.TemporaryDirectory() as folder:
        own = {"CALM_RELAY_DATA": folder, "CALM_RELAY_STATE": folder}
        with patch.dict(os.environ, own):
            return [*_new_job(Path(folder)), *_library(), *_datasheet(Path(folder)), *_kept(Path(folder))]


def _new_job(folder: Path) -> list[Result]:
    from PySide6.QtCore import QEventLoop

    from calm_relay.desk.app.application import application, make_window
    from calm_relay.desk.app.shots import settle
    from calm_relay.exchange.shipped import library
    from calm_relay.planning.plan import plan
    from calm_relay.planning.site.new_job import new_job
    from calm_relay.planning.studies.survey import swings_of

    def begun():
        east = 9.5 + 0.013 * (next(_EAST) + time.time() % 50.0)
        return new_job("New", "Here", "Germany", 51.3, east, "Europe/Berlin", 4200.0, library(), 14)

    application()
    window = make_window()
    window.show()
    settle(window)
    loop = QEventLoop()

    def to_verdict():
        window.session.plan_changed.connect(loop.quit)
        window.session.replace(begun())
        window.forget_view()
        loop.exec()
        window.grab()
        window.session.plan_changed.disconnect(loop.quit)

    first = timed("new job, from its answers to the verdict, sky never made", to_verdict, 2000.0, 5)
    window.close()
    made = plan(begun(), library())
    return [first, timed("survey, both ends of everything assumed", lambda: swings_of(made, folder), 3000.0, 5)]


def _kept(folder: Path) -> list[Result]:
    """How long an edit can be lost by a kill."""
    from calm_relay.exchange.kept_work import Journal, journals_folder
    from calm_relay.exchange.shipped import demo_job

    journal, job, number = Journal(), demo_job(), count()
    journal.begin(job, None, folder, None)

    def to_disk():
        name = f"Edit {next(number)}"
        journal.record(job.with_(name=name))
        while not any(name.encode() in file.read_bytes() for file in journals_folder().glob("*")):
            time.sleep(0.001)

    try:
        return [timed("an edit, until a kill cannot lose it", to_disk, 250.0, 20)]
    finally:
        journal.close()


def _library() -> list[Result]:
    from calm_relay.desk.benches.equipment_bench import EquipmentBench
    from calm_relay.exchange.own_equipment import change, library, read_own_equipment
    from calm_relay.exchange.shipped import catalogue
    from calm_relay.job.own_item import ITEMS

    module = catalogue().modules[0]
    items = [
        ITEMS["modules"](item=module.with_(key=f"own-{n}", name=f"Brindle {n}"), article=f"B{n}")
        for n in range(5000)
    ]
    change("modules", put=items)
    bench = EquipmentBench()
    bench.resize(960, 480)
    bench.show()

    def opened():
        own, _ = read_own_equipment()
        bench.library = library(own)
        bench.kind.show_value("modules")
        bench.show_own(own)
        bench.grab()

    words = iter("own 7" * 40)

    def typed():
        bench.words.insert(next(words))
        bench.table.grab()
        if len(bench.words.text()) > 5:
            bench.words.clear()

    result = [timed("library of 5,000 items, read and shown", opened, 300.0, 5)]
    result.append(timed("library of 5,000 items, found as one letter is typed", typed, 50.0, 20))
    bench.close()
    return result


def _datasheet(folder: Path) -> list[Result]:
    from calm_relay.exchange.datasheet import page_picture, read_sheet
    from calm_relay.planning.equipment.datasheet_reader import read_fields
    from tests.datasheets import HYBRID, write_pdf

    # Eight pages, each as full as a dense datasheet.
    page = tuple(
        (left + 130 * (n % 4), top % 780 + 30, 6, text) for n in range(8) for left, top, _, text in HYBRID
    )
    path = write_pdf(folder / "sheet.pdf", *([page] * 8))

    def shown():
        page_picture.cache_clear()
        page_picture(path, 3, 900)

    return [
        timed(
            "datasheet of eight pages, its candidates",
            lambda: read_fields(read_sheet(path), "inverters"),
            2000.0,
            5,
        ),
        timed("datasheet, a page drawn", shown, 300.0, 5),
    ]
