"""Every screen and paper of random jobs: no exception, whatever a job holds."""

import tempfile
import time
from datetime import date
from pathlib import Path

from calm_relay.exchange.firm import Firm
from calm_relay.job.model import Job
from stress.driver import Driver, where
from stress.random_jobs import random_job
from stress.tally import Tally

# Reads other jobs than the one in hand.
LEFT_OUT = ("Book",)


def _walk(driver: Driver, job: Job) -> list[str]:
    """Opens a job, every bench of it and its papers; what went wrong on the way."""
    from calm_relay.desk.benches.all_benches import BENCHES
    from calm_relay.desk.output.papers import write_papers

    before = len(driver.errors)
    driver.desk.session.edit(job, "Any job")
    driver.settle()
    for bench in BENCHES:
        if bench in LEFT_OUT:
            continue
        try:
            driver.window.open_bench(bench)
        except Exception as error:
            driver.errors.append(f"{bench}: {where(error)}\n{type(error).__name__}: {error}")
        driver.pump(0.15)
    driver.settle()
    view = driver.window.view
    if view is not None and view.plan.job == job:
        with tempfile.TemporaryDirectory() as folder:
            for option in view.plan.live[:2]:
                try:
                    list(write_papers(view.plan, option, Path(folder), Firm(), date(2026, 5, 4)))
                except Exception as error:
                    driver.errors.append(f"papers: {where(error)}\n{type(error).__name__}: {error}")
    return driver.errors[before:]


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Shows jobs until the time is over; a line of figures, and the number of faults."""
    driver, end = Driver(first), time.monotonic() + minutes * 60.0
    tally = Tally("job", lambda fault: fault.splitlines()[-1][:90])
    while time.monotonic() < end and (most is None or tally.count < most):
        seed = first + tally.count
        tally.add(seed, [fault[-900:] for fault in _walk(driver, random_job(seed))])
    return (
        f"screens: {tally.count:,} random jobs on every bench and paper, {tally.faults} with faults",
        tally.faults,
    )
