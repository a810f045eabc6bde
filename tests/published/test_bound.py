"""No control may beat perfect foresight: SciPy's HiGHS on the same series (Huangfu and Hall 2018)."""

from dataclasses import replace

import numpy as np
import pytest

from calm_relay.physics.control import filled_in
from calm_relay.physics.conversion import LossCurve
from calm_relay.physics.plant import Street
from calm_relay.physics.year import run_plant
from calm_relay.planning.simulate import price_series

from ..physics.plants import GRID_TIED, battery_only, hybrid, pv_only
from .bound import least_cost

HOURS = 8 * 7 * 24


def hourly(series):
    return np.asarray(series, dtype=float).reshape(-1, 4).mean(axis=1)


@pytest.fixture(scope="module")
def season(demo_plan):
    """Eight weeks of hours around the equinox from the demo: array of one face, home, price, charge window."""
    start = 240 * 24
    here = slice(start, start + HOURS)
    calendar = demo_plan.site.calendar
    return (
        hourly(demo_plan.faces[0].made.dc_kw)[here],
        hourly(demo_plan.demand.kw)[here],
        hourly(price_series(demo_plan.job.tariff, calendar))[here],
        hourly(calendar.in_window(180, 300))[here] > 0.5,
    )


def cost_of(year, price, feed_in):
    return float((year.at_bus("import") * price - year.at_bus("export") * feed_in).sum() * year.step_h)


@pytest.mark.parametrize("window", [False, True], ids=["self-use", "filled at night"])
@pytest.mark.parametrize("name", GRID_TIED)
def test_no_plant_beats_the_bound(season, name, window):
    face, home, price, night = season
    plant = GRID_TIED[name]
    pv = np.array([face * 1.6 if part.pv else face * 0 for part in plant])
    year = run_plant(plant, pv, home, 1.0, Street(export_limit_kw=5.0), filled_in(night, 0.8) if window else None)
    bound = least_cost(plant, pv, home, 1.0, price, 0.08, 5.0)
    assert cost_of(year, price, 0.08) > bound
    # The bound is a bound of this plant and no other: the control stays within sight of it.
    assert bound > 0.3 * cost_of(year, price, 0.08)


@pytest.mark.parametrize(
    "plant",
    [(pv_only(),), (pv_only(), battery_only()), (hybrid(),), (hybrid(), pv_only())],
    ids=["PV only", "AC-coupled", "DC-coupled", "hybrid beside PV"],
)
def test_where_the_answer_is_forced_the_control_finds_it(season, plant):
    """One price, nothing paid for export, losses in proportion: to store what is left over is then the best."""
    face, home, price, _ = season
    in_proportion = LossCurve(0.0, 0.03, 0.0)
    plain = tuple(replace(part, loss=in_proportion, standby_kw=0.0) for part in plant)
    pv = np.array([face * 1.6 if part.pv else face * 0 for part in plain])
    year = run_plant(plain, pv, home, 1.0)
    flat = np.full(price.size, 0.3)
    bound = least_cost(plain, pv, home, 1.0, flat, 0.0, 1e3)
    assert cost_of(year, flat, 0.0) == pytest.approx(bound, rel=1e-6)
