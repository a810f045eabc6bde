"""No control may beat perfect foresight: SciPy's HiGHS on the same series (Huangfu and Hall 2018)."""

from dataclasses import replace

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.physics.conversion import LossCurve
from calm_relay.physics.foresight import least_cost, least_loss
from calm_relay.physics.plant.control import filled_in
from calm_relay.physics.plant.parts import GridConnection
from calm_relay.physics.plant.year import run_plant
from calm_relay.planning.site.prices import price_series
from calm_relay.planning.studies.foresight import foresight_gap_of
from tests.plans import plan

from ..physics.plants import GRID_TIED, battery_only, hybrid, pv_only

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
    year = run_plant(
        plant, pv, home, 1.0, GridConnection(export_limit_kw=5.0), filled_in(night, 0.8) if window else None
    )
    bound = least_cost(plant, pv, home, 1.0, price, 0.08, export_limit_kw=5.0).cost
    assert cost_of(year, price, 0.08) > bound
    # The bound is a bound of this plant and no other: the control stays within sight of it.
    assert bound > 0.3 * cost_of(year, price, 0.08)


@pytest.mark.parametrize(
    "plant",
    [(pv_only(),), (pv_only(), battery_only()), (hybrid(),), (hybrid(), pv_only())],
    ids=["PV only", "AC-coupled", "DC-coupled", "hybrid beside PV"],
)
def test_where_the_answer_is_forced_the_control_finds_it(season, plant):
    """One price, nothing paid for export, losses in proportion: to battery what is left over is then the best."""
    face, home, price, _ = season
    in_proportion = LossCurve(0.0, 0.03, 0.0)
    plain = tuple(replace(part, loss=in_proportion, standby_kw=0.0) for part in plant)
    pv = np.array([face * 1.6 if part.pv else face * 0 for part in plain])
    year = run_plant(plain, pv, home, 1.0)
    flat = np.full(price.size, 0.3)
    bound = least_cost(plain, pv, home, 1.0, flat, 0.0).cost
    assert cost_of(year, flat, 0.0) == pytest.approx(bound, rel=1e-6)


def jobs():
    pottery, cottage, dairy = (demo_job(name) for name in ("pottery", "cottage", "dairy"))
    tariff = pottery.tariff
    dear = {"name": "Evening", "price": 0.3, "start": "17:00", "end": "20:00"}
    exporting = {"start": "17:00", "end": "20:00", "power_kw": 2.0, "down_to": 0.4}
    return {
        "pottery, AC-coupled": (pottery, "ac-addon"),
        "pottery, hybrid": (pottery, "hybrid-swap"),
        "pottery by the clock": (pottery, "clock-bank"),
        "cottage, microinverters": (cottage, "micro-ac"),
        "dairy, hybrid": (dairy, "hybrid-swap"),
        "dairy, two batteries": (dairy, "ac-addon"),
        "zero export with a bias": (
            pottery.with_(
                tariff=tariff.with_(export_limit_kw=0.0), control=pottery.control.with_(import_bias_w=30)
            ),
            "ac-addon",
        ),
        "stored energy exported": (
            pottery.with_(
                tariff=tariff.with_(stored_export=True, feed_in_windows=(dear,)),
                control=pottery.control.with_(export_windows=(exporting,)),
            ),
            "ac-addon",
        ),
    }


@pytest.mark.parametrize("name", jobs())
def test_over_a_whole_year_no_control_beats_foresight(name):
    job, key = jobs()[name]
    made = plan(job)
    option = made.option(key)
    summary = []
    result = foresight_gap_of(made, option, lambda done, what: summary.append(done))
    assert result.best_bill < result.bill == pytest.approx(option.outcome.money.bill)
    # Hour by hour the difference adds up to what is left.
    assert result.dearer.sum() == pytest.approx(result.gap, rel=1e-9, abs=1e-6)
    assert result.by_hour.sum() == pytest.approx(result.gap, rel=1e-9, abs=1e-6)
    assert (
        result.best_stored_kwh.max()
        <= sum(converter.bank.usable_kwh for converter in option.design.converters if converter.has_battery) + 1e-6
    )
    assert summary and summary == sorted(summary) and summary[-1] < 1.0


def test_the_straight_line_under_a_loss_curve_never_passes_it():
    curve = LossCurve(0.006, 0.012, 0.015)
    load = np.linspace(0.001, 1.0, 2000)
    loss = curve.k0 + curve.k1 * load + curve.k2 * load**2
    slope = least_loss(curve)
    assert (loss >= slope * load - 1e-12).all()
    assert (loss / load).min() == pytest.approx(slope, rel=1e-4)
