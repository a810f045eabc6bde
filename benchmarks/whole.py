"""The whole plan, the window from start to verdict, an edit, and memory."""

import json
import os
import subprocess
import sys
import tempfile
import time
from itertools import count
from pathlib import Path

from benchmarks.measure import Result, timed
from benchmarks.plans import plan
from calm_relay.exchange.shipped import demo_job

ROOT = Path(__file__).parents[1]

WINDOW = """
import json, statistics, time
from benchmarks.measure import most_memory_mb
from calm_relay.desk.app.application import application, make_window
from calm_relay.desk.app.shots import settle
from calm_relay.exchange.shipped import demo_job
from PySide6.QtCore import QCoreApplication, QEventLoop, QTimer

application()
window = make_window()
window.show()
QCoreApplication.processEvents()
window.grab()
shown = time.time()
assert window.bench.verdict.text()[:8] != "Planning" or {first}, "the last verdict was not kept"
loop = QEventLoop()
window.session.plan_changed.connect(lambda _: loop.quit())
if window.session.plan is None:
    loop.exec()
window.grab()
ready = time.time()
edits = []
rest = QEventLoop()
for count in (4, 3, 5, 3, 6, 3, 2, 3, 4, 3):
    # A person looks before the next edit: what is still to be painted of the one before is no part of it.
    QTimer.singleShot(150, rest.quit)
    rest.exec()
    start = time.perf_counter()
    window.bench.battery.count.setValue(count)
    loop.exec()
    window.grab()
    edits.append((time.perf_counter() - start) * 1000)
memory = most_memory_mb()
edit, worst = statistics.median(edits[1:]), max(edits[1:])

# A heartbeat in the interface thread: where it misses beats, the thread was blocked.
beats, last = [], [time.perf_counter()]


def beat():
    now = time.perf_counter()
    beats.append((now - last[0]) * 1000)
    last[0] = now


window.open_bench("Battery")
battery = window.bench.panel
heart = QTimer(interval=0)
heart.timeout.connect(beat)
pace = QEventLoop()
QTimer.singleShot(1500, pace.quit)
pace.exec()
last[0] = time.perf_counter()
heart.start()
for number in range(200):
    battery.count.setValue(1 + number % 8)
    QTimer.singleShot(60, pace.quit)
    pace.exec()
heart.stop()
blocked = max(beats)
window.session.replace(demo_job("pottery"))
settle(window)
window.close()
print(json.dumps({"shown": shown, "ready": ready, "edit": edit, "worst": worst, "memory": memory, "blocked": blocked}))
"""


def results() -> list[Result]:
    """Plan, start, edit, memory, and what `./run` adds."""
    job = demo_job()
    # Each edit is a new one: no year of a plan before it is kept but of what stands there today.
    jobs = (
        job.with_(battery=job.battery.with_(count=2 + number % 4, reserve=0.1 + number / 1000))
        for number in count()
    )
    result = [timed("plan of seven live options, battery changed", lambda: plan(next(jobs)), 45.0, 20)]
    # What is kept of the user lies apart; the first start leaves the verdict that the others show at once.
    with tempfile.TemporaryDirectory() as state:
        _window(state, first=True)
        starts = [_window(state) for _ in range(5)]
    starts.sort(key=lambda seen: seen["start"])
    middle = starts[len(starts) // 2]
    shown = sorted(seen["shown"] for seen in starts)
    spread = f"{starts[0]['start']:.2f} to {starts[-1]['start']:.2f} in {len(starts)} runs"
    result += [
        Result("window, from start of process to the last verdict", shown[len(shown) // 2], 1.5, "s"),
        Result("window, from start of process to the new verdict", middle["start"], None, "s", spread),
        Result("window, from edit to verdict drawn, median", middle["edit"], 60.0, "ms"),
        Result("window, from edit to verdict drawn, worst", middle["worst"], 100.0, "ms"),
        Result("interface thread, longest block in 200 edits", middle["blocked"], 50.0, "ms"),
        Result("window, most memory", max(seen["memory"] for seen in starts), 350.0, "MB"),
    ]
    return [*result, _run_adds()]


def _window(state, first=False):
    start = time.time()
    script = WINDOW.replace("{first}", str(first))
    environment = {**os.environ, "CALM_RELAY_STATE": state}
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True, env=environment
    )
    seen = json.loads(done.stdout)
    return {**seen, "start": seen["ready"] - start, "shown": seen["shown"] - start}


def _run_adds():
    def seconds(command):
        start = time.perf_counter()
        subprocess.run(command, capture_output=True, check=True)
        return time.perf_counter() - start

    through = [seconds([str(ROOT / "run"), "--version"]) for _ in range(7)]
    direct = [seconds([sys.executable, "-m", "calm_relay", "--version"]) for _ in range(7)]
    return Result("what ./run adds once set up", max(min(through) - min(direct), 0.0), 0.3, "s")
