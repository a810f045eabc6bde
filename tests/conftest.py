"""Fixtures shared by all tests. Arrays are cached in a folder of this run, never in the user's own."""

import os
import shutil
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

os.environ["CALM_RELAY_TESTS"] = FOLDER = tempfile.mkdtemp(prefix="calm-relay-tests-")
os.environ["CALM_RELAY_CACHE"] = tempfile.mkdtemp(prefix="cache-", dir=FOLDER)
os.environ["CALM_RELAY_DATA"] = tempfile.mkdtemp(prefix="data-", dir=FOLDER)
os.environ["CALM_RELAY_STATE"] = tempfile.mkdtemp(prefix="state-", dir=FOLDER)
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.model import Job
from tests.plans import plan

# How long an example takes is a benchmark's matter, not a test's.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


def pytest_unconfigure():
    """What a run kept goes with it."""
    shutil.rmtree(FOLDER, ignore_errors=True)


@pytest.fixture(scope="session")
def demo() -> Job:
    return demo_job()


@pytest.fixture(scope="session")
def demo_plan(demo):
    return plan(demo)


@pytest.fixture
def with_battery(demo):
    """The demo job with fields of its battery changed."""
    return lambda **changes: demo.with_(battery=demo.battery.with_(**changes))


@pytest.fixture(scope="session")
def pvlib_data() -> Path:
    import pvlib

    return Path(pvlib.__file__).parent / "data"


@pytest.fixture(scope="session")
def greensboro(demo, pvlib_data) -> Job:
    """The demo's equipment at the station of the TMY3 file that pvlib ships, in its climate's sun."""
    weather = {"kind": "file", "path": str(pvlib_data / "723170TYA.CSV")}
    site = demo.site.with_(
        place="Greensboro", latitude=36.1, longitude=-79.95, elevation_m=273, time_zone="America/New_York"
    ).with_(weather=weather, coldest_c=None, hottest_c=None, horizon=())
    south = [face.with_(azimuth=azimuth) for face, azimuth in zip(demo.faces, (150.0, 240.0), strict=True)]
    return demo.with_(site=site, faces=tuple(south))
