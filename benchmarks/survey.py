"""Automatic stringing of a whole house, the sweep of converter sizes, and reading a meter's year."""

import os
import tempfile
from itertools import count
from pathlib import Path
from unittest.mock import patch

import numpy as np

from benchmarks.measure import Result, timed
from benchmarks.plans import plan
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.places import find_places
from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.equipment import Tracker
from calm_relay.job.survey import MeterReading
from calm_relay.physics.array_yield import FaceYield
from calm_relay.planning.site.array import DesignTemperatures, Face
from calm_relay.planning.strings.auto_string import lay_strings
from calm_relay.planning.strings.stringing import SiteLimit
from calm_relay.planning.studies.clipping import clipped_year
from calm_relay.planning.studies.inverter_sweep import sweep_inverter

TEMPERATURES = DesignTemperatures(-5.0, 65.0, "a benchmark", "a benchmark")


def _house(counts, volts):
    """Faces of so many modules, and an inverter with an input of two strings for each voltage."""
    module = next(item for item in catalogue().modules if item.key == "quillmere-440")
    first = demo_job().faces[0]
    faces = []
    for number, modules in enumerate(counts):
        worth = 300.0 + 20 * number
        made = FaceYield(np.array([worth * modules]), np.array([25.0]), worth * modules, {})
        name, azimuth = f"face {number}", 40.0 * number
        face = first.with_(name=name, module=module.key, count=modules, azimuth=azimuth, rectangle=None)
        faces.append(Face(face, module, made, 1.0))
    base = next(item for item in catalogue().inverters if item.key == "skerrin-h15t")
    trackers = tuple(
        Tracker(
            mppt_low_v=120,
            mppt_high_v=v * 0.9,
            full_power_low_v=200,
            start_v=140,
            max_v=v,
            usable_a=28,
            short_circuit_a=36,
            strings=2,
        )
        for v in volts
    )
    return tuple(faces), base.with_(pv=base.pv.with_(trackers=trackers))


def _lay_anew(counts, volts):
    faces, inverter = _house(counts, volts)
    cold = count(-100)

    def lay():
        # Another coldest morning and an empty cache each time, so that no layout is remembered.
        there = DesignTemperatures(next(cold) / 10, 65.0, "a benchmark", "a benchmark")
        with tempfile.TemporaryDirectory() as folder, patch.dict(os.environ, {"CALM_RELAY_CACHE": folder}):
            lay_strings(faces, inverter, there, SiteLimit(1e6, "no rule"), {})

    return lay


def results() -> list[Result]:
    """Stringing, sweep, clipping, meter, places."""
    unlike = (600, 600, 550, 800, 1000, 1000)
    alike = (600,) * 6
    six, odd = (13, 11, 10, 9, 9, 8), (17, 14, 12, 7, 6, 4)
    made = plan(demo_job("dairy"))
    option = made.option("hybrid-swap")
    result = [
        timed("strings, 60 modules on 6 faces, 6 unlike inputs", _lay_anew(six, unlike), 500.0, 10),
        timed("strings, 60 odd modules on 6 faces, 6 like inputs", _lay_anew(odd, alike), 500.0, 10),
        timed("sweep of 40 converter sizes at 15 minutes", lambda: sweep_inverter(made, option), 500.0, 10),
        timed("clipped year with and without its battery", lambda: clipped_year(made, option), None, 10),
    ]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "meter.csv"
        stamps = np.datetime64("2025-01-01T00:00") + np.arange(35040) * np.timedelta64(15, "m")
        path.write_text("time,kwh\n" + "\n".join(f"{t},0.1" for t in stamps))
        reading = MeterReading()
        label = "interval CSV of a year at 15 minutes"
        result.append(timed(label, lambda: read_meter_file(path, reading, "Europe/Dublin"), None, 5))
    result.append(timed("a place by its name, among 69,000", lambda: find_places("tralee"), None, 20))
    return result
