"""Orders to the batteries: windows, thresholds, exporting, clocks, order, phases, cold."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from calm_relay.physics.plant.control import Control, filled_in, self_use
from calm_relay.physics.plant.converter import pack
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart, GridConnection
from calm_relay.physics.plant.year import run_plant, sum_plant
from calm_relay.physics.two_controllers import Chaser, chase
from tests.examples import examples

from .plants import GRID_TIED, battery, battery_only, hybrid, pv_only

STEPS = 24


def orders(steps, **changes):
    base = self_use(steps)
    series = {
        name: getattr(base, name)
        for name in (
            "charge_to",
            "charge_kw",
            "may_discharge",
            "leave_kw",
            "export_kw",
            "export_to",
            "clock_kw",
            "delayed",
        )
    }
    whole = {
        name: np.full(steps, value, dtype=series[name].dtype) for name, value in changes.items() if name in series
    }
    rest = {name: value for name, value in changes.items() if name not in series}
    return Control(**{**series, **whole}, **rest)


def still(usable_kwh=10.0, **changes):
    return battery_only(**{"usable_kwh": usable_kwh, "reserve": 0.0, "initial": 0.5, **changes})


@pytest.mark.parametrize("name", GRID_TIED)
@settings(max_examples=examples(40), deadline=None)
@given(data=st.data())
def test_every_balance_closes_under_every_order(name, data):
    plant = GRID_TIED[name]
    kw = st.one_of(st.just(0.0), st.floats(0.0, 9.0))
    share = st.floats(0.0, 1.0)
    phases = data.draw(st.sampled_from([1, 3]))
    series = [data.draw(arrays(float, STEPS, elements=item)) for item in (share, kw, kw, kw, share)]
    clock = data.draw(arrays(float, STEPS, elements=st.floats(-4.0, 4.0)))
    control = Control(
        series[0],
        series[1],
        data.draw(arrays(bool, STEPS)),
        series[2],
        series[3],
        series[4],
        clock,
        data.draw(arrays(bool, STEPS)),
        data.draw(st.sampled_from([0.0, 0.03])),
        data.draw(st.sampled_from([3.0, 1e9])),
        data.draw(st.sampled_from([None, tuple(reversed(range(len(plant))))])),
    )
    plant = tuple(
        ConverterPart(**{**vars(part), "phase": data.draw(st.integers(0, phases)), "by_clock": by_clock})
        for part, by_clock in ((part, data.draw(st.booleans()) and not part.pv) for part in plant)
    )
    pv = np.where([[part.pv] for part in plant], data.draw(arrays(float, (len(plant), STEPS), elements=kw)), 0.0)
    home = data.draw(arrays(float, (phases, STEPS), elements=kw))
    fit = data.draw(arrays(float, (2, len(plant), 1), elements=share))
    grid = GridConnection(12.0, data.draw(st.sampled_from([-0.03, 0.0, 2.0, 1e9])))
    year = run_plant(plant, pv, home, 1.0, grid, control, fit)
    assert np.abs(year.dc_residuals_kwh()).max() < 1e-9
    assert np.abs(year.battery_residuals_kwh()).max() < 1e-9
    assert np.abs(year.ac_residuals_kwh()).max() < 1e-9
    assert abs(year.year_residual_kwh()) < 1e-9 * STEPS
    for j, part in enumerate(plant):
        assert year.of("stored", j).min() > -1e-9
        if part.battery:
            assert year.of("stored", j).max() <= part.battery.usable_kwh + 1e-9
            assert year.of("charge", j).max() <= part.battery.charge_kw * fit[0, j, 0] + 1e-9
            assert year.of("discharge", j).max() <= part.battery.discharge_kw * fit[1, j, 0] + 1e-9
    brief = sum_plant(plant, pv, home, 1.0, grid, control, fit)
    assert np.allclose(brief.bus, year.bus, atol=1e-12)
    assert np.allclose(brief.stored, year.of("stored") if len(plant) == 1 else year.flows[:, 13], atol=1e-12)
    for flow in ("pv_dc", "charge", "discharge", "clipped", "standby"):
        assert brief.kwh(flow) == pytest.approx(year.kwh(flow), abs=1e-9)


def test_shaving_serves_only_what_is_above_the_threshold():
    home = np.array([1.0, 4.0, 2.0])
    year = run_plant((still(),), np.zeros((1, 3)), home, 1.0, control=orders(3, leave_kw=2.5))
    assert year.at_bus("import")[1] == pytest.approx(2.5)
    # While nothing is to be shaved the idle unit draws its standby.
    assert year.at_bus("import")[[0, 2]] == pytest.approx([1.02, 2.02])


def test_filling_under_a_shaving_threshold_stays_below_it():
    control = orders(4, charge_to=1.0, charge_kw=5.0, charge_import_limit_kw=3.0)
    year = run_plant((still(initial=0.1),), np.zeros((1, 4)), np.full(4, 1.0), 1.0, control=control)
    assert year.at_bus("import") == pytest.approx(np.full(4, 3.0))


def test_outside_its_discharge_windows_a_battery_gives_nothing():
    may = np.array([False, True, False])
    control = replace(self_use(3), may_discharge=may)
    year = run_plant((still(),), np.zeros((1, 3)), np.full(3, 1.0), 1.0, control=control)
    assert list(year.of("discharge", 0) > 0) == [False, True, False]


@pytest.mark.parametrize("plant", ["hybrid", "beside"])
def test_while_charging_is_delayed_a_battery_takes_only_what_the_export_limit_would_turn_away(plant):
    """Common practice, no source: a battery that is full at ten leaves noon to the limit."""
    if plant == "hybrid":
        parts, pv = (hybrid(usable_kwh=6.0, reserve=0.0, initial=0.0),), np.array([[3.0, 3.0, 5.0, 5.0]])
    else:
        parts = (pv_only(), still(usable_kwh=6.0, initial=0.0))
        pv = np.array([[3.0, 3.0, 5.0, 5.0], [0.0] * 4])
    home, grid = np.full(4, 0.5), GridConnection(export_limit_kw=2.6)
    at_once = run_plant(parts, pv, home, 1.0, grid)
    delayed = run_plant(parts, pv, home, 1.0, grid, replace(self_use(4), delayed=np.ones(4, dtype=bool)))
    number = len(parts) - 1
    # While the limit is not reached all of it goes out.
    assert delayed.of("stored", number)[1] == pytest.approx(0.0, abs=0.05)
    assert at_once.of("stored", number)[1] > 4.0
    # At noon the limit is kept and what is above it is stored; charged at once the battery is full by then.
    assert delayed.at_bus("export")[2:] == pytest.approx([2.6, 2.6], abs=0.05)
    assert delayed.kwh("curtailed") == pytest.approx(0.0, abs=1e-6)
    assert at_once.kwh("curtailed") > 0.5
    assert delayed.bus_kwh("export") > at_once.bus_kwh("export") + 1.5


def test_while_charging_is_delayed_without_a_limit_a_hybrid_stores_what_its_inverter_would_clip():
    part = hybrid(usable_kwh=6.0, reserve=0.0, initial=0.0)
    pv, home = np.array([[3.0, part.ac_limit_kw + 2.0]]), np.full(2, 0.5)
    control = replace(self_use(2), delayed=np.ones(2, dtype=bool))
    year = run_plant((part,), pv, home, 1.0, control=control)
    stored = year.of("stored", 0)
    assert stored[0] == pytest.approx(0.0, abs=1e-6) and 1.0 < stored[1] < 2.0
    assert year.kwh("clipped") == pytest.approx(0.0, abs=1e-6)


def test_filling_from_the_grid_and_a_zero_export_are_what_they_are_while_charging_is_delayed():
    delayed = np.ones(3, dtype=bool)
    parts, pv = (hybrid(usable_kwh=6.0, reserve=0.0, initial=0.2),), np.array([[2.0, 2.0, 0.0]])
    for control, grid in (
        (filled_in([True, True, True], 0.9), GridConnection()),
        (self_use(3), GridConnection(export_limit_kw=0.0)),
    ):
        plain = run_plant(parts, pv, np.full(3, 0.5), 1.0, grid, control)
        late = run_plant(parts, pv, np.full(3, 0.5), 1.0, grid, replace(control, delayed=delayed))
        assert late.flows == pytest.approx(plain.flows, abs=1e-9)


def test_selling_stops_at_its_level_and_keeps_the_export_limit():
    control = orders(8, export_kw=3.0, export_to=0.3)
    year = run_plant(
        (still(),), np.zeros((1, 8)), np.full(8, 0.5), 1.0, GridConnection(export_limit_kw=1.0), control
    )
    assert year.at_bus("export").max() == pytest.approx(1.0)
    first_below = int(np.flatnonzero(year.of("stored", 0) <= 3.0 + 1e-9)[0])
    assert year.at_bus("export")[first_below + 1 :].max() == pytest.approx(0.0)
    # The home is served on, down to the reserve.
    assert year.at_bus("import")[first_below + 1] == pytest.approx(0.0, abs=1e-9)


def test_a_bias_stays_on_the_meter_whether_the_battery_fills_or_gives_or_the_array_is_turned_down():
    control = orders(3, leave_kw=0.03, bias_kw=0.03)
    plant = (pv_only(), still(usable_kwh=2.0))
    pv = np.array([[3.0, 5.0, 0.0], [0.0, 0.0, 0.0]])
    year = run_plant(plant, pv, np.full(3, 1.0), 1.0, GridConnection(export_limit_kw=-0.03), control)
    assert year.at_bus("export") == pytest.approx(np.zeros(3))
    assert year.at_bus("import")[2] == pytest.approx(0.03, abs=1e-6)
    # With the battery full and idle its standby comes on top.
    assert 0.03 <= year.at_bus("import")[1] <= 0.05 + 1e-9


def test_a_clock_charges_and_gives_whatever_the_meter_shows():
    blind = ConverterPart(**{**vars(still()), "by_clock": True})
    clock = np.array([1.0, -1.5, 0.0])
    control = replace(self_use(3), clock_kw=clock)
    year = run_plant((blind,), np.zeros((1, 3)), np.array([0.5, 0.5, 3.0]), 1.0, control=control)
    assert year.at_bus("import")[0] == pytest.approx(1.5)
    assert year.at_bus("export")[1] == pytest.approx(1.0)
    assert year.at_bus("import")[2] == pytest.approx(3.02)


def test_the_order_says_which_battery_gives_first():
    plant = (still(), still())
    for order, empties in ((None, 0), ((1, 0), 1)):
        year = run_plant(plant, np.zeros((2, 1)), np.array([2.0]), 1.0, control=orders(1, order=order))
        assert year.kwh("discharge", empties) > 2.0
        assert year.kwh("discharge", 1 - empties) == 0.0
    with pytest.raises(ValueError, match="each of 2 converters once"):
        run_plant(plant, np.zeros((2, 1)), np.array([2.0]), 1.0, control=orders(1, order=(0, 0)))


def test_a_meter_of_each_phase_does_not_net_one_against_another():
    """2 kW made on phase 1 do not pay for 2 kW drawn on phase 2."""
    one = ConverterPart(**{**vars(pv_only()), "phase": 1})
    home = np.array([[0.0], [2.0], [0.0]])
    apart = run_plant((one,), np.array([[2.2]]), home, 1.0)
    whole = run_plant((one,), np.array([[2.2]]), home.sum(axis=0), 1.0)
    assert apart.at_bus("import")[0] == pytest.approx(2.0)
    assert apart.at_bus("export")[0] > 1.9
    assert whole.at_bus("import")[0] + whole.at_bus("export")[0] < 0.2
    # A battery on phase 2 sees its own phase alone.
    store = ConverterPart(**{**vars(still()), "phase": 2})
    year = run_plant((one, store), np.array([[2.2], [0.0]]), home, 1.0)
    assert year.at_bus("import")[0] == pytest.approx(0.0, abs=1e-9)
    assert year.kwh("charge", 1) == 0.0


def test_cold_takes_the_charge_and_leaves_the_rest():
    fit = np.ones((2, 1, 2))
    fit[0, 0, 0] = 0.0
    sun = np.full((1, 48), 3.0)
    year = run_plant((hybrid(initial=0.2),), sun, np.zeros(48), 1.0, thermal_derate=fit)
    assert year.of("charge", 0)[:24].sum() == 0.0
    assert year.of("charge", 0)[24:].sum() > 0.0


def test_current_follows_the_voltage_between_its_knees_and_tapers_near_full():
    part = BatteryPart(10.0, 99.0, 99.0, 100.0, 100.0, 40.0, 60.0, 50.0, 52.0, taper_from=0.9, taper_to=0.2)
    for level, volts in ((0.0, 40.0), (0.1, 50.0), (0.5, 51.0), (0.9, 52.0)):
        plant = (ConverterPart(99.0, battery=BatteryPart(**{**vars(part), "initial": level, "from_ac_kw": 99.0})),)
        year = run_plant(plant, np.zeros((1, 1)), np.zeros(1), 0.001, control=filled_in([True]))
        assert year.of("charge", 0)[0] == pytest.approx(volts / 10.0)
    nearly = ConverterPart(99.0, battery=BatteryPart(**{**vars(part), "initial": 0.95, "from_ac_kw": 99.0}))
    year = run_plant((nearly,), np.zeros((1, 1)), np.zeros(1), 0.001, control=filled_in([True]))
    assert year.of("charge", 0)[0] == pytest.approx(5.6 * (1 - 0.8 * 0.5))


@pytest.mark.parametrize(
    ("plant", "wanted"),
    [
        ((ConverterPart(1.0, battery=battery(empty_v=0.0, full_v=0.0)),), "above 0"),
        ((ConverterPart(1.0, battery=battery(taper_from=1.4)),), "taper"),
        ((ConverterPart(1.0, phase=4),), "phase 4"),
    ],
)
def test_impossible_parts_are_refused(plant, wanted):
    with pytest.raises(ValueError, match=wanted):
        pack(plant)


def test_impossible_orders_are_refused():
    with pytest.raises(ValueError, match="one length"):
        replace(self_use(2), charge_to=np.zeros(3))
    with pytest.raises(ValueError, match="0 to 1"):
        orders(2, charge_to=1.4)
    with pytest.raises(ValueError, match="thermal_derate has shape"):
        run_plant((still(),), np.zeros((1, 2)), np.zeros(2), 1.0, thermal_derate=np.full((2, 1, 1), 1.5))
    with pytest.raises(ValueError, match="the control has 3 steps"):
        run_plant((still(),), np.zeros((1, 2)), np.zeros(2), 1.0, control=self_use(3))


def test_two_controllers_without_an_order_send_energy_in_a_circle():
    home = np.full(3600, 1.5)
    strong = {"charge_kw": 4.0, "give_kw": 4.0}
    fault = chase(home, Chaser(**strong, period_s=1, aim_kw=0.03), Chaser(**strong, period_s=3))
    assert fault.circling_kwh > 1.0
    assert (fault.first[-600:] * fault.second[-600:] < 0).all()
    ordered = chase(home, Chaser(**strong, aim_kw=0.03), Chaser(**strong, period_s=3, waits=True))
    assert ordered.circling_kwh < 0.01
    assert np.abs(ordered.meter[60:]).max() < 0.1
    # One alone that is too weak is helped by the one that waits.
    weak = chase(home, Chaser(1.0, 1.0), Chaser(**strong, period_s=3, waits=True))
    assert weak.meter[-60:].mean() == pytest.approx(0.0, abs=0.1)
    with pytest.raises(ValueError, match="waits for the other"):
        chase(home, Chaser(**strong, waits=True), Chaser(**strong, waits=True))


def test_at_no_reserve_the_home_still_comes_before_the_battery():
    """An empty battery is a rounding error below nothing; outside windows that is no reason to charge it first."""
    rng = np.random.default_rng(3)
    home, sun = rng.uniform(0.5, 3.0, 2000), rng.uniform(0.0, 2.5, 2000)
    part = hybrid(usable_kwh=2.0, reserve=0.0, initial=0.0, charge_efficiency=0.973, discharge_efficiency=0.961)
    year = run_plant((part,), sun[None, :], home, 0.25)
    assert year.stored.min() < 0.0
    assert not ((year.of("charge", 0) > 1e-12) & (year.at_bus("import") > 1e-9)).any()
