"""Loads on a DC bus, and loads that give back: closed cases, limits, and balances that close."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.physics.conversion import LOSSLESS
from calm_relay.physics.plant.control import Control
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart, GridConnection
from calm_relay.physics.plant.year import run_plant
from tests.examples import examples

from .plants import CURVE

STEP_H = 0.25
STEPS = 192
HOUR = np.arange(STEPS) * STEP_H % 24.0
SUN = np.clip(np.sin((HOUR - 6) / 12 * np.pi), 0.0, None)
HOME = 0.4 + 1.2 * ((HOUR >= 18) & (HOUR < 22))
BATTERY = BatteryPart(
    6.0, 3.0, 3.0, charge_efficiency=0.97, discharge_efficiency=0.97, reserve=0.1, from_ac_kw=3.0
)
HYBRID = ConverterPart(5.0, True, 8.0, 0.99, CURVE, battery=BATTERY)
IDEAL = ConverterPart(5.0, True, 8.0, 1.0, LOSSLESS)


def car(arrives=8.0, leaves=18.0, kwh=8.0, cap=None, most=7.0, at_once=False, **changes):
    there = (arrives <= HOUR) & (leaves > HOUR) if arrives < leaves else (arrives <= HOUR) | (leaves > HOUR)
    cap = cap or kwh
    more = {"min_kw": 0.0, "converter": 1, "from_battery": False, **changes}
    return ControlledLoad(
        cap,
        most,
        np.where(arrives == HOUR, kwh / STEP_H, 0.0),
        np.ones(STEPS),
        there,
        np.where(there & at_once, cap, 0.0),
        np.where(there, (leaves - HOUR) % 24.0, 0.0),
        **more,
    )


def run(loads, plant=(HYBRID,), sun=SUN * 6.0, home=HOME, **more):
    pv = np.array([sun] + [np.zeros(STEPS)] * (len(plant) - 1))
    return run_plant(tuple(plant), pv, home, STEP_H, loads=tuple(loads), **more)


def closes(year):
    assert year.largest_residual_kwh < 1e-9
    assert np.abs(year.loads.residuals_kwh()).max(initial=0.0) < 1e-9
    assert abs(year.year_residual_kwh()) < 1e-8


def test_a_car_on_the_dc_bus_takes_the_array_s_power_without_the_inverter():
    """At noon 6 kW of array through an inverter of 2 kW: a car on the DC bus has the four that are clipped."""
    small = ConverterPart(2.0, True, 8.0, 1.0, LOSSLESS)
    on_dc, on_ac = (run([car(kwh=40.0, converter=bus)], plant=(small,)) for bus in (1, 0))
    clipped = on_dc.kwh("clipped"), on_ac.kwh("clipped")
    assert clipped[0] < clipped[1] - 10.0
    for year in (on_dc, on_ac):
        closes(year)


def test_by_night_it_is_rectified_within_the_inverter_s_limit():
    night = car(arrives=22.0, leaves=6.0, kwh=30.0, most=11.0, at_once=True)
    year = run([night], plant=(IDEAL,))
    assert year.loads.kw.max() == pytest.approx(5.0)
    assert year.loads.stored[0].max() == pytest.approx(30.0)
    assert year.at_bus("import").max() == pytest.approx(5.4, abs=0.01)
    closes(year)


def test_the_battery_serves_it_only_where_it_may():
    quiet = np.full(STEPS, 0.05)
    waits = run([car(arrives=22.0, leaves=6.0, kwh=4.0, at_once=True)], home=quiet)
    may = run([car(arrives=22.0, leaves=6.0, kwh=4.0, at_once=True, from_battery=True)], home=quiet)
    late = (HOUR >= 22.0) | (HOUR < 6.0)
    assert may.of("discharge")[late].sum() > waits.of("discharge")[late].sum() + 5.0
    assert may.bus_kwh("import") < waits.bus_kwh("import")
    closes(waits)
    closes(may)


def test_a_main_fuse_holds_it_back():
    night = car(arrives=22.0, leaves=6.0, kwh=30.0, most=11.0, at_once=True, managed=True)
    year = run([night], plant=(IDEAL,), grid=GridConnection(3.0, 10.0))
    assert year.at_bus("import").max() <= 3.0 + 1e-9
    assert year.loads.kw.max() > 2.0
    closes(year)


@pytest.mark.parametrize("converter", [0, 1])
def test_a_car_gives_back_in_the_evening_down_to_what_it_keeps(converter):
    there = {"arrives": 17.0, "leaves": 7.0, "kwh": 5.0, "cap": 40.0, "most": 5.0, "converter": converter}
    bare, gives = run([car(**there)], (IDEAL,)), run([car(**there, gives_kw=3.0, keep_kwh=30.0)], (IDEAL,))
    evening = (HOUR >= 18.0) & (HOUR < 22.0)
    assert gives.loads.kw[0, evening].min() < -1.0
    assert gives.at_bus("import")[evening].sum() < 0.3 * bare.at_bus("import")[evening].sum()
    assert gives.loads.stored[0].min() >= 30.0 - 1e-9
    assert gives.loads.kwh("given") > 5.0
    # It is full again when it leaves.
    assert gives.loads.stored[0, HOUR == 6.75] == pytest.approx(40.0)
    closes(gives)


def test_it_hangs_on_its_converter_in_whatever_order_they_serve():
    nothing = np.zeros(STEPS)
    there = np.ones(STEPS, dtype=bool)
    plant = (ConverterPart(3.0, battery=BATTERY), IDEAL)
    pv = np.array([nothing, SUN * 6.0])
    turned = Control(nothing, nothing, there, nothing, nothing, nothing, nothing, ~there, order=(1, 0))
    for control in (None, turned):
        year = run_plant(plant, pv, HOME, STEP_H, control=control, loads=(car(kwh=20.0, converter=2),))
        closes(year)
        assert year.loads.kwh("taken") > 20.0
        assert year.loads.on_dc_kw(1).sum() > 0.0 and year.loads.on_dc_kw(0).sum() == 0.0


def test_losses_of_giving_are_counted_in_its_store():
    there = {"arrives": 17.0, "leaves": 7.0, "kwh": 5.0, "cap": 40.0, "converter": 0}
    year = run([car(**there, gives_kw=3.0, keep_kwh=30.0, give_efficiency=0.9)], (IDEAL,))
    given = -np.minimum(year.loads.kw[0], 0.0).sum() * STEP_H
    assert year.loads.kwh("given") == pytest.approx(given / 0.9)
    closes(year)


@settings(max_examples=examples(120), deadline=None)
@given(data=st.data())
def test_every_balance_closes_with_cars_on_either_bus(data):
    draw = data.draw
    banks = st.sampled_from([None, BATTERY])
    plant = (
        ConverterPart(
            draw(st.sampled_from([2.0, 5.0])), draw(st.booleans()), 7.0, 0.985, CURVE, battery=draw(banks)
        ),
        ConverterPart(3.0, draw(st.booleans()), 3.5, 0.98, CURVE, battery=draw(banks)),
    )
    loads = [
        car(
            arrives=draw(st.sampled_from([8.0, 17.0, 22.0])),
            leaves=draw(st.sampled_from([7.0, 18.0])),
            kwh=draw(st.floats(1.0, 20.0)),
            cap=draw(st.sampled_from([20.0, 50.0])),
            most=draw(st.floats(2.0, 11.0)),
            at_once=draw(st.booleans()),
            converter=draw(st.sampled_from([0, 1, 2])),
            first=draw(st.booleans()),
            from_battery=draw(st.booleans()),
            managed=draw(st.booleans()),
            gives_kw=draw(st.sampled_from([0.0, 4.0])),
            keep_kwh=10.0,
            give_efficiency=0.95,
            min_kw=draw(st.sampled_from([0.0, 1.4])),
        ),
        car(converter=0, kwh=4.0),
    ]
    night = (HOUR >= 2.0) & (HOUR < 5.0)
    nothing = np.zeros(STEPS)
    control = Control(
        np.where(night, draw(st.sampled_from([0.0, 0.9])), 0.0),
        np.where(night, 2.0, 0.0),
        HOUR != 19.0,
        nothing,
        nothing,
        nothing,
        nothing,
        draw(st.sampled_from([9.0, 30.0])) == HOUR,
        0.0,
        5.0,
    )
    pv = np.array([SUN * draw(st.floats(0.0, 9.0)), SUN * draw(st.floats(0.0, 5.0))])
    grid = GridConnection(9.0, draw(st.floats(0.0, 5.0)))
    home = HOME * draw(st.floats(0.2, 4.0))
    year = run_plant(plant, pv, home, STEP_H, grid, control, loads=tuple(loads))
    closes(year)
    for number in range(2):
        bank = plant[number].battery
        into = max(plant[number].ac_limit_kw, bank.from_ac_kw if bank else 0.0)
        assert year.of("ac", number).max() <= plant[number].ac_limit_kw + 1e-9
        assert -year.of("ac", number).min() <= into + 1e-9
        for flow in ("clipped", "curtailed", "charge", "discharge", "inverter", "rectifier"):
            assert year.of(flow, number).min() > -1e-9, flow
