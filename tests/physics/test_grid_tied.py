"""The kernel: balances of every plant, and what real units do."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from calm_relay.physics.plant import converter, flows
from calm_relay.physics.plant.control import filled_in
from calm_relay.physics.plant.parts import ConverterPart, GridConnection
from calm_relay.physics.plant.year import bus_plant, run_plant
from tests.examples import examples

from .plants import CURVE, GRID_TIED, battery, battery_only, hybrid, pv_only

STEPS = 24
KW = st.one_of(st.just(0.0), st.floats(0.0, 12.0), st.floats(0.0, 1e-6))


def lossless(**changes):
    figures = {"charge_efficiency": 1.0, "discharge_efficiency": 1.0, "dc_dc_efficiency": 1.0, "reserve": 0.0}
    return battery(**{**figures, "initial": 0.0, **changes})


def one(plant, pv, home, **grid_and_control):
    """Runs a plant over steps of an hour; PV is offered to the first converter."""
    offered = np.zeros((len(plant), len(home)))
    offered[0] = pv
    return run_plant(plant, offered, np.array(home, dtype=float), 1.0, **grid_and_control)


@pytest.mark.parametrize("name", GRID_TIED)
@settings(max_examples=examples(60), deadline=None)
@given(data=st.data())
def test_both_balances_close_in_every_step(name, data):
    plant = GRID_TIED[name]
    pv = data.draw(arrays(float, (len(plant), STEPS), elements=KW))
    home = data.draw(arrays(float, STEPS, elements=KW))
    step_h = data.draw(st.sampled_from([0.25, 0.5, 1.0]))
    grid = GridConnection(data.draw(st.sampled_from([14.0, 6.0])), data.draw(st.sampled_from([0.0, 2.0, 1e9])))
    window = filled_in(
        data.draw(arrays(bool, STEPS)), data.draw(st.floats(0, 1)), data.draw(st.sampled_from([1.0, 1e9]))
    )
    year = run_plant(plant, np.where([[part.pv] for part in plant], pv, 0.0), home, step_h, grid, window)
    assert np.abs(year.dc_residuals_kwh()).max() < 1e-9
    assert np.abs(year.battery_residuals_kwh()).max() < 1e-9
    assert np.abs(year.ac_residuals_kwh()).max() < 1e-9
    assert abs(year.year_residual_kwh()) < 1e-9 * STEPS
    series = {flow: year.of(flow, j) for flow in flows.CONVERTER_FLOWS for j in range(len(plant)) if flow != "ac"}
    assert min(item.min() for item in series.values()) > -1e-9
    assert year.at_bus("export").max() <= grid.export_limit_kw + 1e-9
    assert (np.minimum(year.at_bus("import"), year.at_bus("export")) < 1e-9).all()
    for j, part in enumerate(plant):
        assert np.abs(year.of("ac", j)).max() <= max(part.ac_limit_kw, 5.0) + 1e-9
        if part.battery:
            assert year.of("stored", j).max() <= part.battery.usable_kwh + 1e-9
            assert year.of("charge", j).max() <= part.battery.charge_kw + 1e-9
            assert year.of("discharge", j).max() <= part.battery.discharge_kw + 1e-9
            assert not (np.minimum(year.of("charge", j), year.of("discharge", j)) > 1e-9).any()


@settings(max_examples=examples(60), deadline=None)
@given(pv=arrays(float, STEPS, elements=st.floats(0, 9)), home=arrays(float, STEPS, elements=st.floats(0, 4)))
def test_without_losses_a_hybrid_gains_just_the_clipping_it_catches(pv, home):
    store = lossless(usable_kwh=1e6, power_kw=1e3, from_ac_kw=1e3)
    apart = one((ConverterPart(5.0, True), ConverterPart(1e3, battery=store)), pv, home)
    joined = one((ConverterPart(5.0, True, battery=store),), pv, home)
    assert joined.kwh("clipped") == pytest.approx(0.0, abs=1e-9)

    def kept(year):
        return year.of("stored")[-1] + year.bus_kwh("export") - year.bus_kwh("import")

    assert kept(joined) - kept(apart) == pytest.approx(apart.kwh("clipped"), abs=1e-9)


def test_clipped_power_reaches_a_battery_on_the_dc_side_only():
    apart = one((pv_only(), battery_only(initial=0.1)), [7.5], [0.5])
    joined = one((hybrid(initial=0.1),), [7.5], [0.5])
    assert apart.kwh("clipped") == pytest.approx(
        7.5 * 0.995 - converter.inverter_dc(converter.pack([pv_only()]), 0, 5.0)
    )
    assert joined.kwh("clipped") == 0.0
    # Full, a battery catches nothing.
    full = one((hybrid(initial=1.0),), [7.5], [0.5])
    assert full.kwh("clipped") == pytest.approx(apart.kwh("clipped"))


def test_the_home_is_served_before_the_battery_and_the_battery_before_the_grid():
    year = one((hybrid(initial=0.5),), [4.0], [1.5])
    assert year.bus_kwh("import") == pytest.approx(0.0, abs=1e-9)
    assert year.kwh("charge") > 1.5
    assert year.bus_kwh("export") == pytest.approx(0.0, abs=1e-9)


def test_the_reserve_is_not_touched():
    year = one((battery_only(initial=0.5, reserve=0.4),), 0.0, [3.0] * 6)
    assert year.of("stored").min() == pytest.approx(4.0)
    assert year.at_bus("import")[-1] == pytest.approx(3.0 + 0.02)


def test_export_limit_curtails_the_last_converter_first():
    year = run_plant(
        (pv_only(), pv_only()), np.array([[4.0], [4.0]]), np.array([1.0]), 1.0, GridConnection(export_limit_kw=4.0)
    )
    assert year.at_bus("export")[0] == pytest.approx(4.0)
    assert year.kwh("curtailed", 0) == 0.0
    assert year.kwh("curtailed", 1) > 2.0


def test_the_window_fills_to_its_target_at_its_limit():
    window = filled_in(np.ones(8, dtype=bool), 0.8, 1.5)
    year = one((battery_only(initial=0.2),), 0.0, [0.5] * 8, control=window)
    assert year.of("stored")[-1] == pytest.approx(8.0)
    assert year.at_bus("import").max() == pytest.approx(0.5 + 1.5)
    assert year.kwh("discharge") == 0.0


def test_filling_leaves_the_main_fuse_its_room():
    window = filled_in(np.ones(2, dtype=bool), 1.0)
    year = one(
        (battery_only(initial=0.2),), 0.0, [4.0, 4.0], grid=GridConnection(import_limit_kw=6.0), control=window
    )
    assert year.at_bus("import") == pytest.approx([6.0, 6.0])


def test_a_full_battery_is_not_emptied_below_target_in_the_window():
    window = filled_in(np.ones(4, dtype=bool), 0.9)
    year = one((battery_only(initial=1.0),), 0.0, [3.0] * 4, control=window)
    assert year.of("stored").min() == pytest.approx(9.0)


def test_battery_current_limits_power_at_its_voltage():
    weak = battery_only(charge_a=50.0, discharge_a=50.0, empty_v=46.0, full_v=54.0, initial=0.5)
    year = one((weak,), 0.0, [9.0])
    assert year.kwh("discharge") == pytest.approx(50.0 * 50.0 / 1000)


def test_batteries_give_in_the_plant_s_order():
    year = one((battery_only(initial=0.9), battery_only(initial=0.9)), 0.0, [2.0])
    assert year.kwh("discharge", 0) > 2.0
    assert year.kwh("discharge", 1) == 0.0


def test_sleeping_units_draw_their_standby():
    year = one((pv_only(), battery_only(initial=0.1)), 0.0, [0.0] * 4)
    assert year.losses_kwh["standby"] == pytest.approx(4 * 0.025)
    assert year.bus_kwh("import") == pytest.approx(4 * 0.025)


def test_an_inverter_turns_back_what_it_takes():
    matrix = converter.pack([ConverterPart(5.0, loss=CURVE)])
    for ac in (0.01, 1.0, 5.0):
        assert converter.inverter_ac(matrix, 0, converter.inverter_dc(matrix, 0, ac)) == pytest.approx(ac)
    for ac in (0.1, 1.0, 4.9):
        assert converter.rectifier_ac(matrix, 0, converter.rectifier_dc(matrix, 0, ac)) == pytest.approx(ac)
    assert converter.inverter_ac(matrix, 0, 0.01) == 0.0


@pytest.mark.parametrize(
    ("plant", "wanted"),
    [
        ((ConverterPart(-1.0),), "negative"),
        ((ConverterPart(1.0, tracker_efficiency=1.2),), "at most 1"),
        ((ConverterPart(1.0, battery=battery(reserve=1.5)),), "0 to 1"),
    ],
)
def test_impossible_plants_are_refused(plant, wanted):
    with pytest.raises(ValueError, match=wanted):
        converter.pack(plant)


@pytest.mark.parametrize(
    ("pv", "home", "wanted"),
    [
        (np.zeros((1, 2)), np.zeros(3), "shape"),
        (np.zeros((1, 3)), np.array([1.0, -1.0, 0.0]), "home_kw"),
        (np.array([[1.0, np.nan, 0.0]]), np.zeros(3), "pv_kw"),
    ],
)
def test_impossible_series_are_refused(pv, home, wanted):
    with pytest.raises(ValueError, match=wanted):
        run_plant((pv_only(),), pv, home, 1.0)


def test_the_bus_alone_is_the_bus_of_the_whole_run():
    """What is kept of a run changes nothing of it."""
    plant = (hybrid(), battery_only())
    rng = np.random.default_rng(5)
    pv_kw, home_kw = rng.uniform(0.0, 6.0, (2, 96 * 3)), rng.uniform(0.0, 5.0, 96 * 3)
    pv_kw[1] = 0.0
    whole = run_plant(plant, pv_kw, home_kw, 0.25)
    bus = bus_plant(plant, pv_kw, home_kw, 0.25)
    assert np.array_equal(bus.bus, whole.bus)
    assert np.array_equal(bus.stored, whole.stored)
