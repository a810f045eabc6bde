"""Topology, wiring and diagram of an option, and all papers of a job."""

import os
import tempfile
import time
from datetime import date
from pathlib import Path

from benchmarks.measure import Result, timed
from benchmarks.plans import plan
from calm_relay.exchange.firm import Firm
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.drawing.single_line import single_line
from calm_relay.planning.wiring.cable import size_cable
from calm_relay.planning.wiring.wiring import wiring_of

TODAY = date(2026, 11, 26)


def results() -> list[Result]:
    """Of the house with two old units: the demo with the most parts."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from calm_relay.desk.app.application import application
    from calm_relay.desk.output.papers import write_papers

    application()
    job = demo_job("two-homes")
    made = plan(job)
    option = made.option(made.choice.key)

    def anew():
        size_cable.cache_clear()
        topology_of(option.design, option.context)
        return single_line(wiring_of(option.design, option.context), job.wiring)

    found = [timed("topology, wiring and diagram of an option, no cable kept", anew, 60.0, 30)]
    with tempfile.TemporaryDirectory() as folder:
        seconds = []
        for _ in range(3):
            start = time.perf_counter()
            files = list(write_papers(made, option, Path(folder), Firm(), TODAY))
            seconds.append(time.perf_counter() - start)
        largest = max(path.stat().st_size for path in files) / 1e6
    return [
        *found,
        Result(f"all papers of a job, {len(files)} files", min(seconds), 6.0, "s"),
        Result("largest of its files", largest, 2.0, "MB"),
    ]
