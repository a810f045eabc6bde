"""Controlled loads on an island: what arrays leave fills them before it is thrown away, and they never trip it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.physics.conversion import LOSSLESS
from calm_relay.physics.plant.generators import GeneratorLimits, generators_of
from calm_relay.physics.plant.island import run_island, sum_island
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart
from tests.examples import examples

from .plants import CURVE
from .test_island import ARRAY, STORE, island, worst_residual

STEP_H = 0.25
STEPS = 96
HOUR = np.arange(STEPS) * STEP_H
SUN = np.clip(np.sin((HOUR - 6) / 12 * np.pi), 0.0, None)
HOME = np.full(STEPS, 0.5)
HYBRID = ConverterPart(5.0, True, 8.0, 1.0, LOSSLESS, battery=BatteryPart(6.0, 5.0, 5.0, from_ac_kw=5.0))


def tank(**changes):
    nothing = np.zeros(STEPS)
    given = {
        "draw_kw": nothing, "gain": np.ones(STEPS), "may": np.ones(STEPS, dtype=bool), "fill_to_kwh": nothing,
        "hours_left": nothing, "initial": 0.0, "from_battery": False,
    }  # fmt: skip
    return ControlledLoad(20.0, 3.0, **{**given, **changes})


def run(load=HOME, loads=(), plant=(HYBRID,), sun=SUN * 6.0, stored=5.5, **limits):
    pv = np.array([sun] + [np.zeros(STEPS)] * (len(plant) - 1))
    asked = island(load, converters=len(plant), joins=[False] + [True] * (len(plant) - 1), **limits)
    return run_island(list(plant), pv, STEP_H, asked, stored_kwh=stored, loads=tuple(loads))


def test_what_was_thrown_away_fills_the_tank():
    bare, wet = run(), run(loads=[tank()])
    assert bare.kwh("curtailed") > 10.0
    taken = wet.loads.kwh("taken")
    assert taken == pytest.approx(wet.loads.kwh("surplus"))
    assert wet.kwh("curtailed") == pytest.approx(bare.kwh("curtailed") - taken, abs=1e-6)
    assert wet.stored == pytest.approx(bare.stored, abs=1e-6)
    assert wet.loads.stored[0, -1] == pytest.approx(taken)
    assert wet.at_bus("home") == pytest.approx(HOME + wet.controlled_kw)
    assert wet.unmet_kwh == pytest.approx(0.0, abs=1e-9)
    assert worst_residual(wet) < 1e-9


def test_one_that_comes_before_the_battery_takes_from_its_charging():
    after, before = run(loads=[tank()], stored=1.0), run(loads=[tank(first=True)], stored=1.0)
    noon = 40
    assert before.loads.stored[0, noon] > after.loads.stored[0, noon]
    assert before.of("stored", 0)[noon] < after.of("stored", 0)[noon]
    assert max(worst_residual(before), worst_residual(after)) < 1e-9


def test_arrays_on_the_bus_are_offered_as_well():
    plant = (STORE, ARRAY)
    pv = np.array([np.zeros(STEPS), SUN * 6.0])
    asked = island(HOME, converters=2, joins=[False, True])
    bare, wet = (
        run_island(list(plant), pv, STEP_H, asked, stored_kwh=9.0, loads=loads) for loads in ((), (tank(),))
    )
    assert bare.kwh("curtailed") > 5.0
    assert wet.kwh("curtailed") == pytest.approx(bare.kwh("curtailed") - wet.loads.kwh("taken"), abs=1e-6)
    assert worst_residual(wet) < 1e-9


def test_by_night_it_waits_unless_the_battery_may_serve_it():
    dark = np.zeros(STEPS)
    wanted = np.full(STEPS, 4.0)
    waits = run(loads=[tank(fill_to_kwh=wanted)], sun=dark)
    assert waits.loads.kwh("taken") == 0.0
    served = run(loads=[tank(fill_to_kwh=wanted, from_battery=True)], sun=dark, load=np.full(STEPS, 0.01))
    assert served.loads.kwh("taken") == pytest.approx(4.0)
    assert served.loads.kwh("surplus") == 0.0
    ported = run(loads=[tank(on_above=0.8, off_below=0.5)], sun=dark, load=np.full(STEPS, 0.01))
    # From 5.5 of 6 kWh down to below a half, in steps of 3 kW.
    assert ported.loads.kwh("taken") == pytest.approx(3.0)


def test_a_generator_that_runs_serves_what_must_be_and_no_surplus():
    dark = np.zeros(STEPS)
    must = tank(fill_to_kwh=np.full(STEPS, 4.0))
    both = generators_of(GeneratorLimits(4.0, 0.95, 0.99))
    wet = run(loads=[must], sun=dark, generators=both)
    assert wet.loads.kwh("taken") == pytest.approx(4.0)
    assert wet.generator_hours > 0.0 and wet.loads.kwh("surplus") == 0.0
    alone = island(HOME, former=None, converters=0, generators=generators_of(GeneratorLimits(2.0)))
    served = run_island([], np.zeros((0, STEPS)), STEP_H, alone, loads=(must,))
    assert served.loads.kw.max() == pytest.approx(1.5)
    assert served.at_bus("import") == pytest.approx(HOME + served.controlled_kw)


def test_it_never_trips_what_it_hangs_on():
    heavy = tank(fill_to_kwh=np.full(STEPS, 20.0), from_battery=True)
    load = np.full(STEPS, 3.5)
    bare, wet = run(load=load), run(load=load, loads=[heavy])
    assert bare.trips == wet.trips == 0
    assert (wet.at_bus("home") - SUN * 6.0).max() <= 5.0 + 1e-9


def test_a_load_on_a_leg_takes_what_the_leg_bears():
    legs = {"legs": 2.0, "continuous_kw": 5.0, "surge_kw": 5.0}
    must = tank(fill_to_kwh=np.full(STEPS, 20.0), from_battery=True, phase=1)
    wet = run(load=np.full(STEPS, 1.5), loads=[must], **legs)
    assert wet.loads.kw.max() <= 1.0 + 1e-9 and wet.loads.kwh("taken") > 0.0
    assert wet.trips == 0


def test_sums_alone_are_the_same():
    asked = island(HOME)
    pv = np.array([SUN * 6.0])
    whole = run_island([HYBRID], pv, STEP_H, asked, loads=(tank(),))
    thin = sum_island([HYBRID], pv, STEP_H, asked, loads=(tank(),))
    assert thin.loads.kw.tolist() == whole.loads.kw.tolist()
    assert thin.bus.tolist() == whole.bus.tolist()


@settings(max_examples=examples(80), deadline=None)
@given(data=st.data())
def test_every_balance_closes_and_the_battery_gives_no_more_for_what_waits(data):
    battery = BatteryPart(
        8.0, 4.0, 6.0, charge_efficiency=0.96, discharge_efficiency=0.97, dc_dc_efficiency=0.98, from_ac_kw=5.0
    )
    plant = [
        ConverterPart(5.0, data.draw(st.booleans()), 7.0, 0.985, CURVE, battery=battery),
        ConverterPart(4.0, True, 5.0, 0.98, CURVE),
    ]
    peak, other = data.draw(st.floats(0.0, 9.0)), data.draw(st.floats(0.0, 7.0))
    home = data.draw(st.floats(0.0, 3.0))
    switched = [False, data.draw(st.booleans())]
    asked = island(
        home + 0.5 * (HOUR > 17),
        converters=2,
        joins=[False, True],
        switched=switched,
        generators=generators_of(GeneratorLimits(data.draw(st.sampled_from([0.0, 3.0])), 0.2, 0.5)),
    )
    pv = np.array([SUN * peak, SUN * other])
    loads = (
        tank(
            first=data.draw(st.booleans()),
            step_kw=data.draw(st.sampled_from([0.0, 1.0])),
            draw_kw=np.where(HOUR == 20.0, 6.0, 0.0),
            loss_per_h=0.01,
            initial=0.3,
        ),
        tank(fill_to_kwh=np.full(STEPS, 2.0), from_battery=data.draw(st.booleans()), gain=np.full(STEPS, 3.0)),
    )
    stored = data.draw(st.floats(0.0, 8.0))
    bare = run_island(plant, pv, STEP_H, asked, stored_kwh=stored)
    year = run_island(plant, pv, STEP_H, asked, stored_kwh=stored, loads=loads)
    assert worst_residual(year) < 1e-9
    assert np.abs(year.loads.residuals_kwh()).max() < 1e-9
    assert year.trips <= bare.trips
    assert year.by_generator.sum(axis=0) == pytest.approx(year.at_bus("import"), abs=1e-9)
    if not any(load.from_battery or load.first for load in loads) and not year.at_bus("import").any():
        assert year.kwh("discharge") <= bare.kwh("discharge") + 1e-6


def test_on_the_former_s_dc_bus_a_car_has_what_the_inverter_cannot_pass():
    """At noon 6 kW of array behind an inverter of 2 kW, the battery full: a car on AC has 1.5 kW of it, on DC 3 kW."""
    small = ConverterPart(2.0, True, 8.0, 1.0, LOSSLESS, battery=BatteryPart(6.0, 5.0, 5.0, from_ac_kw=2.0))
    sun = np.where(SUN > 0.0, 6.0, 0.0)
    on_ac, on_dc = (run(loads=[tank(converter=bus)], plant=(small,), sun=sun, stored=6.0) for bus in (0, 1))
    noon = 48
    assert on_ac.loads.kw[0, noon] == pytest.approx(1.5)
    assert on_dc.loads.kw[0, noon] == pytest.approx(3.0)
    assert on_dc.of("ac", 0)[noon] == pytest.approx(0.5)
    assert on_dc.at_bus("home")[noon] == pytest.approx(3.5)
    assert max(worst_residual(on_ac), worst_residual(on_dc)) < 1e-9


def test_by_night_the_battery_serves_a_car_on_its_bus_beyond_the_inverter_and_down_to_its_cut_off():
    small = ConverterPart(2.0, True, 8.0, 1.0, LOSSLESS, battery=BatteryPart(6.0, 5.0, 5.0, from_ac_kw=2.0))
    dark, little = np.zeros(STEPS), np.full(STEPS, 0.01)
    must = tank(fill_to_kwh=np.full(STEPS, 20.0), from_battery=True, converter=1)
    year = run(load=little, loads=[must], plant=(small,), sun=dark, stored=6.0, cut_off=0.25)
    assert year.loads.kw[0, 0] == pytest.approx(3.0) and year.trips == 0
    assert year.of("stored", 0).min() == pytest.approx(1.5, abs=1e-6)
    waits = run(load=little, loads=[tank(converter=1, fill_to_kwh=must.fill_to_kwh)], plant=(small,), sun=dark)
    assert waits.loads.kwh("taken") == 0.0
    assert max(worst_residual(year), worst_residual(waits)) < 1e-9


def test_a_generator_fills_a_car_on_the_dc_bus_through_the_rectifier():
    dark = np.zeros(STEPS)
    must = tank(fill_to_kwh=np.full(STEPS, 4.0), converter=1)
    full = run(loads=[must], sun=dark, stored=6.0, generators=generators_of(GeneratorLimits(4.0, 1.0, 1.0)))
    assert full.loads.kwh("taken") == pytest.approx(4.0, abs=1e-6)
    assert full.at_bus("import").max() > 3.0
    assert worst_residual(full) < 1e-9


@pytest.mark.parametrize("bus", [0, 1])
def test_beside_a_generator_no_battery_serves_what_it_may_not(bus):
    """A generator of 2 kW beside a house of 0.5 kW leaves 1.5 kW of the 3 kW that a car would take."""
    must = tank(fill_to_kwh=np.full(STEPS, 20.0), converter=bus)
    always = generators_of(GeneratorLimits(2.0, 1.0, 1.0))
    year = run(loads=[must], sun=np.zeros(STEPS), stored=6.0, generators=always)
    assert year.loads.kw.max() == pytest.approx(1.5)
    assert year.kwh("discharge") == pytest.approx(0.0, abs=1e-6)
    assert worst_residual(year) < 1e-9


def test_what_hangs_on_another_unit_s_dc_bus_is_served_over_ac():
    follower = ConverterPart(4.0, True, 5.0, 1.0, LOSSLESS)
    year = run(loads=[tank(converter=2)], plant=(HYBRID, follower), stored=6.0)
    assert year.loads.kwh("taken") > 1.0
    assert worst_residual(year) < 1e-9


@settings(max_examples=examples(120), deadline=None)
@given(data=st.data())
def test_every_balance_closes_with_cars_on_the_former_s_bus_and_they_trip_nothing(data):
    draw = data.draw
    battery = BatteryPart(
        8.0, 4.0, 6.0, charge_efficiency=0.96, discharge_efficiency=0.97, dc_dc_efficiency=0.98, from_ac_kw=5.0
    )
    ac_kw = draw(st.sampled_from([2.5, 5.0]))
    plant = [
        ConverterPart(ac_kw, draw(st.booleans()), 7.0, 0.985, CURVE, battery=battery),
        ConverterPart(4.0, True, 5.0, 0.98, CURVE),
    ]
    asked = island(
        draw(st.floats(0.0, 2.0)) + 0.5 * (HOUR > 17),
        converters=2,
        joins=[False, True],
        switched=[False, draw(st.booleans())],
        generators=generators_of(GeneratorLimits(draw(st.sampled_from([0.0, 3.0])), 0.2, 0.5)),
        cut_off=draw(st.sampled_from([0.0, 0.15])),
        continuous_kw=ac_kw,
        surge_kw=ac_kw,
    )
    pv = np.array([SUN * draw(st.floats(0.0, 9.0)), SUN * draw(st.floats(0.0, 7.0))])
    loads = [
        tank(
            converter=1,
            first=draw(st.booleans()),
            from_battery=draw(st.booleans()),
            fill_to_kwh=np.where(draw(st.sampled_from([0.0, 12.0])) <= HOUR, draw(st.floats(0.0, 12.0)), 0.0),
            on_above=draw(st.sampled_from([0.0, 0.7])),
            off_below=0.5,
        ),
        tank(first=draw(st.booleans()), fill_to_kwh=np.full(STEPS, 2.0), from_battery=draw(st.booleans())),
    ]
    if draw(st.booleans()):
        loads.reverse()
    stored = draw(st.floats(0.0, 8.0))
    bare = run_island(plant, pv, STEP_H, asked, stored_kwh=stored)
    year = run_island(plant, pv, STEP_H, asked, stored_kwh=stored, loads=tuple(loads))
    assert worst_residual(year) < 1e-9
    assert np.abs(year.loads.residuals_kwh()).max() < 1e-9
    assert year.trips <= bare.trips
    for flow in ("clipped", "curtailed", "charge", "discharge", "inverter", "rectifier"):
        assert min(year.of(flow, number).min() for number in range(2)) > -1e-9, flow
    assert year.of("ac", 0).max() <= ac_kw + 1e-9
    if not any(load.from_battery or load.first or load.on_above for load in loads):
        assert year.kwh("discharge") <= bare.kwh("discharge") + 1e-6 or year.at_bus("import").any()
