"""Every study of random jobs while others are planned beside them: no exception, and none takes for ever."""

import random
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Thread
from typing import Any

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.own_equipment import library
from calm_relay.job.model import Job
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.plan import Plan, plan
from calm_relay.planning.studies import (
    battery_ageing,
    battery_map,
    battery_sweep,
    clipping,
    footprint,
    foresight,
    futures,
    growth,
    inverter_sweep,
    later_loads,
    load_order,
    off_grid,
    outage,
    outage_mends,
    pinned,
    search,
    survey,
    survival,
    tipping,
    whole_change,
)
from stress.driver import where
from stress.random_jobs import random_job
from stress.tally import Tally, limit_s

SLOW_S = 60.0
PLANTS = 60
# Threads take turns so often meanwhile: what two of them must not do at once shows in minutes [s].
TURN_S = 1e-5
# So many seeds on, jobs are other ones.
ELSEWHERE = 1_000_000


def _studies(made: Plan, option: Any, first: int, folder: Path) -> Iterator[tuple[str, Callable[[], Any]]]:
    """What a window may study of an option, by name; the grid fails at the step `first`."""
    of_an_option = {
        "battery ageing": battery_ageing.battery_ageing_of,
        "battery map": battery_map.battery_map,
        "battery sweep": battery_sweep.sweep_battery,
        "clipping": clipping.clipped_year,
        "smaller on the wall": footprint.footprint_swaps,
        "foresight": foresight.foresight_gap_of,
        "futures": futures.futures_of,
        "growth": growth.growth_of,
        "inverter sweep": inverter_sweep.sweep_inverter,
        "clipped day": inverter_sweep.clipped_day,
        "order of loads": load_order.load_orders,
        "off-grid year": off_grid.off_grid_year_of,
        "off-grid sizes": off_grid.size_off_grid,
        "survival": survival.survival_of,
        "money": whole_change.money_years_of,
    }
    for name, study in of_an_option.items():
        yield name, lambda study=study: study(made, option)  # type: ignore[misc]
    yield "outage", lambda: outage_mends.outage_mends_of(made, option, outage.rehearse(made, option, first))
    yield "load hours", lambda: inverter_sweep.load_hours(option)
    yield "later loads", lambda: later_loads.later_loads_of(made, option, folder)
    yield "pinned", lambda: pinned.pinned_of(made, folder)
    yield "survey", lambda: survey.swings_of(made, folder)
    yield "tipping points", lambda: tipping.tips_of(made)
    yield "search", lambda: search.search(made, most=PLANTS)


def faults_of(job: Job, draw: random.Random, folder: Path, most_s: float) -> list[str]:
    """What goes wrong in the studies of one of a job's options."""
    try:
        made = plan(job, library())
    except (PlanError, InputError):
        return []
    found, option = [], draw.choice(made.options)
    for name, study in _studies(made, option, draw.randrange(made.site.calendar.steps), folder):
        begun, worked = time.monotonic(), time.process_time()
        try:
            study()
        except Exception as error:
            found.append(f"{option.key}, {name}: {type(error).__name__}: {error}\n{where(error)}")
        taken = min(time.monotonic() - begun, time.process_time() - worked)
        if taken > most_s:
            found.append(f"{name} takes {taken:.0f} s")
    return found


@contextmanager
def _planned_beside(first: int) -> Iterator[list[str]]:
    """Plans other jobs in a thread of its own, as a window does while a study runs; what broke is in the list."""
    over, broken, before = Event(), [], sys.getswitchinterval()

    def plans() -> None:
        seed = first + ELSEWHERE
        while not over.is_set():
            try:
                plan(random_job(seed), library())
            except (PlanError, InputError):
                pass
            except Exception as error:
                broken.append(f"plan of {seed} beside: {type(error).__name__}: {error}\n{where(error)}")
            seed += 1

    beside = Thread(target=plans)
    sys.setswitchinterval(TURN_S)
    beside.start()
    try:
        yield broken
    finally:
        over.set()
        beside.join()
        sys.setswitchinterval(before)


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Studies jobs until the time is over; a line of figures, and the number of faults."""
    end, draw = time.monotonic() + minutes * 60.0, random.Random(first)
    tally = Tally("job", lambda fault: fault.splitlines()[0].split(", ", 1)[-1][:70])
    with tempfile.TemporaryDirectory() as folder, _planned_beside(first) as broken:
        while time.monotonic() < end and (most is None or tally.count < most):
            seed = first + tally.count
            found = faults_of(random_job(seed), draw, Path(folder), limit_s(SLOW_S, most))
            found += [broken.pop(0) for _ in range(len(broken))]
            tally.add(seed, found)
    # What broke beside the last of them.
    for fault in broken:
        tally.faults += 1
        print(fault, flush=True)
    return f"studies: {tally.count:,} random jobs, {tally.faults} with faults in a study", tally.faults
