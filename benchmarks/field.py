"""Devices in the field and the logbook: what polling costs, how soon a reading is seen, how a long logbook opens."""

import asyncio
import json
import resource
import subprocess
import sys
import tempfile
import time
import zlib
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np

from benchmarks.measure import Result
from calm_relay.exchange.logbook import FORMAT, VERSION
from calm_relay.exchange.shipped import demo_job
from calm_relay.fieldbus.address import Address, address_of
from calm_relay.fieldbus.client import connect, find, read, wire_to
from calm_relay.fieldbus.poller import Poller

SERVED = """
import sys, time
from tests.fieldbus.test_client import UNIT
from calm_relay.fieldbus.server import SiteServer
server = SiteServer({unit: lambda: UNIT for unit in range(1, 11)})
print(server.start(), flush=True)
sys.stdin.read()
"""
ROWS = 1_051_200
COLUMNS = ("pv kw", "import kw", "export kw", "discharge kw", "soc", "hz")
OPENED = """
import sys, time
from pathlib import Path
from calm_relay.exchange.logbook import read_logbook
start = time.perf_counter()
book = read_logbook(Path(sys.argv[1]))
took = time.perf_counter() - start
most = next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM"))
print(took, most, book.series.at.size)
"""


def results() -> list[Result]:
    """Of ten devices on one logger, of fifty clients, of a window, and of ten years at five minutes."""
    site = subprocess.Popen(
        [sys.executable, "-c", SERVED], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    try:
        address = address_of(f"127.0.0.1:{int(site.stdout.readline())}")
        found = [_polling(address), _clients(address), _seen(address)]
    finally:
        site.communicate("")
    return [*found, *_logbook()]


def _polling(address: Address) -> Result:
    heard = []
    poller = Poller([address.at_unit(unit) for unit in range(1, 11)], heard.append)
    poller.start()
    time.sleep(2.0)
    before, began = resource.getrusage(resource.RUSAGE_SELF), time.perf_counter()
    time.sleep(10.0)
    after, took = resource.getrusage(resource.RUSAGE_SELF), time.perf_counter() - began
    poller.stop()
    assert sum(answer.reading is not None for answer in heard) >= 100
    used = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return Result("10 devices read each second, share of a core", 100.0 * used / took, 5.0, "%")


def _clients(address: Address) -> Result:
    """The slowest of fifty clients that each read a device once a second, five times over."""

    async def one(place: int) -> float:
        mine, slowest = address.at_unit(1 + place % 10), 0.0
        wire = wire_to(mine, 5.0)
        await connect(wire, mine)
        there = await find(wire, mine)
        for _ in range(5):
            began = time.perf_counter()
            await read(wire, there)
            slowest = max(slowest, time.perf_counter() - began)
            await asyncio.sleep(max(1.0 - (time.perf_counter() - began), 0.0))
        wire.close()
        return slowest

    async def every() -> float:
        return max(await asyncio.gather(*(one(place) for place in range(50))))

    return Result(
        "simulated site, 50 clients a second each, slowest reading", 1000.0 * asyncio.run(every()), 1000.0, "ms"
    )


def _seen(address: Address) -> Result:
    """From an answer's arrival to the end of its drawing, the slowest of some seconds."""
    from PySide6.QtCore import QEventLoop, QTimer

    from benchmarks.plans import plan
    from calm_relay.desk.app.application import application
    from calm_relay.desk.benches.live_panel import LivePanel
    from calm_relay.job.commissioning import FieldDevice

    application()
    job = demo_job("two-homes")
    devices = tuple(FieldDevice(address=f"{address.host}:{address.port}", unit=unit) for unit in range(1, 4))
    job = job.with_(commissioning=job.commissioning.with_(devices=devices))
    made = plan(job)
    arrived, slowest = [], [0.0]

    class Timed(LivePanel):
        def _take(self, answer):
            arrived.append(time.monotonic())
            super()._take(answer)

        def _draw(self):
            super()._draw()
            if arrived and not self._new:
                slowest[0] = max(slowest[0], time.monotonic() - arrived[0])
                arrived.clear()

    panel = Timed()
    panel.resize(940, 430)
    panel.show()
    panel.show_record(job, made, made.option(job.commissioning.option))
    panel.start()
    loop = QEventLoop()
    QTimer.singleShot(3000, loop.quit)
    loop.exec()
    # The first look compiles and imports.
    arrived.clear()
    slowest[0] = 0.0
    QTimer.singleShot(6000, loop.quit)
    loop.exec()
    panel.stop()
    return Result("a reading on screen after its arrival, slowest", 1000.0 * slowest[0], 300.0, "ms")


def _logbook() -> list[Result]:
    """Ten years at five minutes, as a file of a day's readings is taken in, and as they are recorded live."""
    day, hour = _opened(288), _opened(12)
    return [
        Result("logbook of 1,051,200 rows opened, a day a line", day[0], 2.0, "s"),
        Result("the same, an hour a line", hour[0], None, "s"),
        Result("memory of the process then", max(day[1], hour[1]), 200.0, "MB"),
    ]


def _opened(rows: int) -> tuple[float, float]:
    """Seconds and most memory [MB] of opening ten years in lines of so many rows."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.relay.logbook.jsonl"
        random, start, before = np.random.default_rng(1), datetime(2026, 1, 1, tzinfo=UTC), ""
        seconds = [300 * place for place in range(rows)]
        with path.open("wb") as stream:
            for number in range(ROWS // rows):
                values = np.round(random.random((len(COLUMNS), rows)) * 5.0, 3).tolist()
                held = {
                    "format": FORMAT, "version": VERSION, "number": number + 1, "at": "2036-01-01T00:00:00Z",
                    "before": before,
                    "entry": {
                        "kind": "readings", "seconds": seconds,
                        "start": (start + timedelta(minutes=5 * rows * number)).isoformat(),
                        "columns": dict(zip(COLUMNS, values, strict=True)),
                    },
                }  # fmt: skip
                text = json.dumps(held, separators=(",", ":")).encode()[:-1]
                before = f"{zlib.crc32(text):08x}"
                stream.write(text + f',"sum":"{before}"'.encode() + b"}\n")
        runs = [
            [float(word) for word in subprocess.check_output([sys.executable, "-c", OPENED, str(path)]).split()]
            for _ in range(3)
        ]
    assert all(run[2] == ROWS for run in runs)
    return min(run[0] for run in runs), max(run[1] for run in runs) / 1000.0
