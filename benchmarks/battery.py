"""The bound of perfect foresight, a battery's years, tipping points, the search of every plant."""

import subprocess
import sys

from benchmarks.measure import Result, timed
from benchmarks.plans import plan
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.studies.battery_ageing import battery_ageing_of
from calm_relay.planning.studies.battery_map import battery_map
from calm_relay.planning.studies.cash_flow import cash_flows_of
from calm_relay.planning.studies.foresight import foresight_gap_of
from calm_relay.planning.studies.futures import futures_of
from calm_relay.planning.studies.search import search
from calm_relay.planning.studies.tipping import tips_of

PLANTS = 2_000
# What is run before it in the same process is not the search's memory.
ALONE = """
from benchmarks.measure import most_memory_mb
from benchmarks.plans import plan
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.studies.search import search
search(plan(demo_job("pottery")), most=PLANTS)
print(most_memory_mb())
"""


def results() -> list[Result]:
    """The pottery's add-on, the dairy's two batteries (the widest program), and 2,000 plants of the pottery."""
    pottery, dairy = plan(demo_job("pottery")), plan(demo_job("dairy"))
    addon, two = pottery.option("ac-addon"), dairy.option("ac-addon")
    result = [
        timed("bound, hourly year, one battery", lambda: foresight_gap_of(pottery, addon), 4000.0, 5),
        timed("bound, hourly year, hybrid and old battery", lambda: foresight_gap_of(dairy, two), 4000.0, 5),
        timed("fifteen years of a fading battery", lambda: battery_ageing_of(pottery, addon), None, 5),
        timed("fifteen aged years of four options", lambda: cash_flows_of(pottery, addon), 1000.0, 5),
        timed("500 futures of four options", lambda: futures_of(pottery, addon), 8000.0, 2),
        timed("map of 72 energies and powers", lambda: battery_map(pottery, addon), None, 3),
        timed("tipping points of seven options", lambda: tips_of(pottery), 500.0, 3),
    ]
    tried = timed(f"search, {PLANTS:,} plants at 15 minutes", lambda: search(pottery, most=PLANTS), 3_000.0, 3)
    alone = subprocess.run(
        [sys.executable, "-c", ALONE.replace("PLANTS", str(PLANTS))], check=True, capture_output=True, text=True
    )
    memory = float(alone.stdout)
    return [*result, tried, Result("plan and search, most memory of a process", memory, 450.0, "MB")]
