"""Processes killed while they edit, save, keep and write libraries: nothing damaged, nothing stale, no litter."""

import json
import os
import random
import shutil
import signal
import tempfile
import time
from pathlib import Path

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.files import file_mark, sweep
from calm_relay.exchange.job_file import read_job, write_job
from calm_relay.exchange.kept_work import Journal, forget, journals_folder, left_behind, save_job
from calm_relay.exchange.own_equipment import change, data_folder, read_kind
from calm_relay.exchange.own_tariffs import keep_tariff, read_tariffs
from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.exchange.user_state import Settings, read_settings, write_settings
from calm_relay.job.own_item import OwnItem

LONGEST_S = 0.12


def _work(folder: Path, seed: int) -> None:
    """Edits a job for ever, saving now and then and writing what else is kept; each edit has the next number."""
    draw = random.Random(seed)
    path = folder / "job.relay.json"
    job, mark = read_job(path), file_mark(path)
    journal = Journal()
    journal.begin(job, path, folder, mark)
    number = int(job.notes or 0)
    (module, *_), tariff = catalogue().modules, job.tariff
    while True:
        number += 1
        job = job.with_(notes=str(number), outage_hours=draw.uniform(1.0, 48.0))
        journal.record(job)
        (folder / "said").write_text(str(number))
        # A window's own work for an edit takes longer than this.
        time.sleep(0.003)
        if draw.random() < 0.25:
            mark = save_job(job, path, journal, mark)
            journal.begin(job, path, folder, mark)
            write_settings(read_settings().with_recent(path))
        if draw.random() < 0.1:
            change("modules", put=[OwnItem(item=module.with_(name=f"No. {number}"))])
        if draw.random() < 0.1:
            keep_tariff(tariff.with_(name=f"No. {number % 7}"))


def _killed(folder: Path, seed: int, after_s: float) -> None:
    (folder / "said").write_text("0")
    process = os.fork()
    if process == 0:
        try:
            _work(folder, seed)
        except BaseException as error:
            (folder / "broke").write_text(repr(error))
        finally:
            os._exit(3)
    time.sleep(after_s)
    os.kill(process, signal.SIGKILL)
    os.waitpid(process, 0)


def _litter(*folders: Path) -> list[str]:
    return [
        path.name
        for folder in folders
        if folder.exists()
        for path in folder.iterdir()
        if path.suffix in {".part", ".kept"}
    ]


def _faults(folder: Path) -> tuple[list[str], int]:
    """What is wrong after a kill, and how many edits were lost."""
    found, lost = [], 0
    path = folder / "job.relay.json"
    broke = folder / "broke"
    if broke.exists():
        found.append(f"the process broke: {broke.read_text()}")
        broke.unlink()
    try:
        saved = int(read_job(path).notes or 0)
        read_kind("modules")
        read_tariffs()
        settings = folder / "state" / "settings.json"
        if settings.exists():
            json.loads(settings.read_text())
    except (InputError, ValueError) as error:
        return [f"damaged: {error}"], 0
    work, told = left_behind()
    found += [f"damaged: {text}" for text in told]
    found += ["more than one work is offered"] if len(work) > 1 else []
    kept = saved
    for one in work:
        kept = int(one.job.notes or 0)
        if kept <= saved:
            found.append(f"stale: work of edit {kept} is offered, the file holds {saved}")
        if one.newer_file:
            found.append("stale: the file is said to be newer")
        forget(one)
    said = int((folder / "said").read_text() or 0) if (folder / "said").exists() else 0
    # The edit in the making may be lost, with those of the last quarter second that were still on their way.
    lost = max(said - max(kept, saved), 0)
    sweep(folder)
    sweep(folder / "state")
    sweep(data_folder())
    found += [f"litter: {name}" for name in _litter(folder, folder / "state", journals_folder(), data_folder())]
    if len(list(journals_folder().glob("*"))) if journals_folder().exists() else 0:
        found.append(f"litter: {sorted(entry.name for entry in journals_folder().iterdir())}")
    return found, lost


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Kills processes until the time is over; a line of figures, and the number of faults."""
    folder = Path(tempfile.mkdtemp(prefix="calm-relay-stress-"))
    before = {name: os.environ.get(name) for name in ("CALM_RELAY_STATE", "CALM_RELAY_DATA")}
    os.environ.update(CALM_RELAY_STATE=str(folder / "state"), CALM_RELAY_DATA=str(folder / "own"))
    write_settings(Settings())
    (folder / "own").mkdir()
    write_job(demo_job().with_(notes="0"), folder / "job.relay.json")
    end, kills, faults, most_lost = time.monotonic() + minutes * 60.0, 0, 0, 0
    draw = random.Random(first)
    try:
        while time.monotonic() < end and (most is None or kills < most):
            _killed(folder, first + kills, draw.uniform(0.0, LONGEST_S))
            found, lost = _faults(folder)
            for fault in found:
                print(f"kill {kills}: {fault}", flush=True)
            kills, faults, most_lost = kills + 1, faults + bool(found), max(most_lost, lost)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        for name, value in before.items():
            os.environ.pop(name, None)
            if value is not None:
                os.environ[name] = value
    return (
        f"kill: {kills:,} kills, {faults} with damage, stale offers or litter, at most {most_lost} edits lost",
        faults,
    )
