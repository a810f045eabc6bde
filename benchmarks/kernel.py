"""The time-step kernel on the grid and off it, and the same source run as plain Python in a process of its own."""

import itertools
import os
import pickle
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from benchmarks.measure import Result, timed
from benchmarks.plans import plan
from calm_relay.exchange.shipped import demo_job
from calm_relay.physics.plant.inputs import run_inputs, sum_inputs
from calm_relay.planning.operation.simulate import inputs_of

PLAIN = """
import pickle, sys, time
from calm_relay.physics.plant.inputs import run_inputs
inputs = pickle.load(open(sys.argv[1], "rb"))
start = time.perf_counter()
flows = run_inputs(inputs).flows
pickle.dump((time.perf_counter() - start, flows), open(sys.argv[2], "wb"))
"""


def _plainly(inputs):
    """Seconds and flows of a run with compilation off."""
    with tempfile.TemporaryDirectory() as folder:
        given, taken = Path(folder) / "inputs", Path(folder) / "flows"
        given.write_bytes(pickle.dumps(inputs))
        environment = {**os.environ, "NUMBA_DISABLE_JIT": "1"}
        subprocess.run([sys.executable, "-c", PLAIN, given, taken], env=environment, check=True)
        return pickle.loads(taken.read_bytes())


def results() -> list[Result]:
    """A year of the demo's AC-coupled add-on, and of the hut's hybrid: 35,040 steps each."""
    found = []
    for words, demo, key, most in (
        ("kernel, a year on the grid, two converters", "pottery", "ac-addon", 8.0),
        ("kernel, a year off grid", "hut", "hybrid-swap", 15.0),
    ):
        job = demo_job(demo)
        made = plan(job)
        inputs = inputs_of(made.option(key).design, job, made.site, made.demand)
        compiled = timed(f"{words}, every flow kept", lambda inputs=inputs: run_inputs(inputs), most, 50)
        sums = timed(f"{words}, sums alone", lambda inputs=inputs: sum_inputs(inputs), most, 50)
        seconds, flows = _plainly(inputs)
        agree = float(np.abs(flows - run_inputs(inputs).flows).max())
        found += [
            compiled,
            sums,
            Result("the same source in plain Python over compiled", seconds * 1000.0 / compiled.value, None, "×"),
            Result("largest difference of any flow between the two", agree, 1e-9, "kW"),
        ]
    return [*found, *_with_loads()]


def _with_loads() -> list[Result]:
    """Four converters, two controlled loads and a meter of three phases, and the plan of the demo that has them."""
    job = demo_job("two-homes")
    counted = job.with_(supply=job.supply.with_(meter="each phase"))
    made = plan(counted)
    inputs = inputs_of(made.option("ac-addon").design, counted, made.site, made.demand)
    words = f"kernel, {len(inputs.plant)} converters, {len(inputs.loads)} controlled loads, three phases"
    packs = itertools.cycle((4, 5))

    def planned() -> None:
        plan(job.with_(battery=job.battery.with_(count=next(packs))))

    return [
        timed(f"{words}, sums alone", lambda: sum_inputs(inputs), 12.0, 50),
        timed("plan of two homes, battery changed", planned, 120.0, 20),
    ]
