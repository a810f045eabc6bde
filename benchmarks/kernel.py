"""The time-step kernel, and the same source run as plain Python."""

import importlib.util

import numba
import numpy as np

from benchmarks.measure import Result, timed
from calm_relay.exchange.shipped import demo_job
from calm_relay.physics import dispatch
from calm_relay.physics.control import filled_in
from calm_relay.physics.plant import UNLIMITED, pack
from calm_relay.planning.plan import plan
from calm_relay.planning.site.demand import demand_year


def _plain_copy():
    """The kernel's module loaded once more with compilation off."""
    spec = importlib.util.spec_from_file_location("plain_dispatch", dispatch.__file__)
    module = importlib.util.module_from_spec(spec)
    numba.config.DISABLE_JIT = True
    try:
        spec.loader.exec_module(module)
    finally:
        numba.config.DISABLE_JIT = False
    return module


def results() -> list[Result]:
    """A year of the demo's AC-coupled add-on: two converters, 35,040 steps."""
    job = demo_job()
    made = plan(job)
    option = made.option("ac-addon")
    matrix = pack(option.outcome.year.plant)
    home = demand_year(job, None, made.site).kw
    array = sum(face.made.dc_kw for face in made.faces)
    calendar = made.site.calendar
    control = filled_in(calendar.in_window(180, 300), 0.8, 2.5)
    bus, level = np.empty((3, home.size)), np.empty((2, home.size))
    control_series = *control.series(), np.ones((2, 2, 1)), 0.0, UNLIMITED
    limits = job.supply.import_limit_kw, 5.0, 0.25, True, False
    pv = np.array([array, np.zeros_like(array)])
    arguments = (matrix, pv, home[None, :], *control_series, *limits, bus, level)
    compiled = timed("kernel, 35,040 steps, two converters", lambda: dispatch.run(*arguments), 5.0, 50)
    plain_run = _plain_copy().run
    plain = timed("the same algorithm in plain Python", lambda: plain_run(*arguments), None, 1)
    agree = np.abs(plain_run(*arguments)[0] - dispatch.run(*arguments)[0]).max()
    return [
        compiled,
        plain,
        Result("plain over compiled", plain.value / compiled.value, None, "×"),
        Result("largest difference of any flow between the two", agree, 1e-9, "kW"),
    ]
