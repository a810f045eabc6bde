"""Controlled loads against hand arithmetic, and facts of the trade."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import Car, HotWater
from calm_relay.physics.plant.loads import ControlledLoad, by_the_clock
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart, GridConnection
from calm_relay.physics.plant.year import run_plant
from calm_relay.planning.site.controlled_loads import controlled_loads
from tests.plans import plan

STEP_H = 0.25


def of_water(demo_plan, **changes):
    demand = demo_plan.job.demand.with_(hot_water=(HotWater(**changes),))
    return controlled_loads(demand, None, None, demo_plan.site)[0].load


def test_a_tank_holds_and_uses_what_its_water_does(demo_plan):
    """Specific heat of water 4.186 kJ/(kg K) at 15 degC, 1 kg a litre (CRC Handbook; from memory).

    200 litres from 12 to 60 degC are 200 x 48 x 4.186 / 3600 = 11.16 kWh, and 120 litres a day 6.70 kWh.
    """
    load = of_water(demo_plan)
    assert load.cap_kwh == pytest.approx(200 * 48 * 4.186 / 3600, rel=1e-3)
    assert load.draw_kw.sum() * STEP_H / 365 == pytest.approx(120 * 48 * 4.186 / 3600, rel=2e-3)


def test_a_hot_tank_loses_its_standing_loss_in_a_day(demo_plan):
    """By hand: kept hot and unused for a day it takes what stands on its label, 1.5 kWh."""
    load = of_water(demo_plan, litres_per_day=0.0, keep_above=1.0, on_surplus=False)
    run = by_the_clock([load], STEP_H)
    day = run.kw[0][96:192].sum() * STEP_H
    assert day == pytest.approx(1.5, rel=0.01)
    # Left alone it cools by the same share each hour: common practice, no source.
    cold = by_the_clock([load.after(fill_to_kwh=np.zeros(35040))], STEP_H)
    hours = 24.0 * np.log(2.0) / (1.5 / load.cap_kwh)
    assert cold.stored[0][round(hours / STEP_H)] == pytest.approx(load.cap_kwh / 2, rel=0.01)


def test_diverter_and_battery_in_either_order_come_to_the_same_where_nothing_is_lost():
    """By hand: without losses, at one price, a kWh stored in either place saves a kWh of import later."""
    steps = 96 * 6
    hour = np.arange(steps) % 96 * STEP_H
    sun = np.clip(np.sin((hour - 6) / 12 * np.pi), 0.0, None)
    home = np.full(steps, 0.6)
    battery = BatteryPart(30.0, 9.0, 9.0, from_ac_kw=9.0, initial=0.0)
    plant = (ConverterPart(5.0, True), ConverterPart(9.0, battery=battery))
    evening = hour == 21.0
    tank = ControlledLoad(
        20.0, 3.0, np.where(evening, 8.0, 0.0), np.ones(steps), np.ones(steps, dtype=bool),
        np.where((hour >= 17) & (hour < 21), 8.0, 0.0), np.zeros(steps), initial=0.0,
    )  # fmt: skip
    totals = []
    for first in (False, True):
        year = run_plant(plant, np.array([sun * 1.6, 0.0 * sun]), home, STEP_H, loads=(tank.after(first=first),))
        assert year.bus_kwh("export") < 1e-9
        held = year.of("stored", 1)[-1] + year.loads.stored[0][-1]
        totals.append(year.bus_kwh("import") - held)
    assert totals[0] == pytest.approx(totals[1], abs=1e-9)


def test_six_amperes_is_the_least_a_car_is_charged_with():
    """IEC 61851-1: the pilot signal offers no current between 0 and 6 A; at 230 V that is 1.38 kW."""
    assert Car(kwh_per_day=8, charger_kw=7.4).least_kw == pytest.approx(6 * 230 / 1000, abs=0.03)


@settings(max_examples=500, deadline=None)
@given(
    st.floats(0.5, 60.0), st.floats(1.4, 22.0), st.integers(0, 23), st.integers(1, 22), st.floats(0.0, 12.0),
    st.floats(2.0, 12.0), st.booleans(),
)  # fmt: skip
def test_a_car_s_energy_lies_in_its_window_and_under_each_of_its_limits(
    kwh, charger, arrives, hours, array, fuse, first
):
    """2,000 random days: charger, room in the car, main fuse and window hold, whatever the sun does."""
    steps = 96 * 4
    hour = np.arange(steps) % 96 * STEP_H
    leaves = (arrives + hours) % 24
    there = (hour >= arrives) | (hour < leaves) if arrives > leaves else (hour >= arrives) & (hour < leaves)
    home = 0.5 + 1.0 * (hour > 17)
    sun = np.clip(np.sin((hour - 6) / 12 * np.pi), 0.0, None) * array
    car = ControlledLoad(
        kwh, charger, np.where(hour == arrives, kwh / STEP_H, 0.0), np.ones(steps), there, np.zeros(steps),
        np.where(there, (leaves - hour) % 24, 0.0), min_kw=1.4, first=first, managed=True, from_battery=False,
    )  # fmt: skip
    plant = (ConverterPart(max(array, 1.0), True), ConverterPart(3.0, battery=BatteryPart(5.0, 3.0, 3.0)))
    year = run_plant(
        plant, np.array([sun, 0.0 * sun]), home, STEP_H, grid=GridConnection(fuse, 99.0), loads=(car,)
    )
    taken = year.controlled_kw
    assert taken[~there].max(initial=0.0) == 0.0
    assert taken.max() <= charger + 1e-9 and year.loads.stored.max() <= kwh + 1e-9
    assert year.at_bus("import").max() <= max(fuse, home.max()) + 1e-9


def test_an_unneeded_kilowatt_hour_costs_what_the_tariff_says():
    """By hand: with no surplus, hot water adds what it takes times the price, at one price."""
    job = demo_job("pottery")
    flat = job.tariff.with_(windows=(), price=0.3)
    alone = job.with_(tariff=flat, faces=(), existing_inverters=(), string_plans=())
    wet = alone.with_(demand=job.demand.with_(hot_water=(HotWater(),)))
    dry_plan, wet_plan = plan(alone), plan(wet)
    taken = wet_plan.as_is.outcome.year.loads.kwh("taken")
    more = wet_plan.as_is.outcome.money.bill - dry_plan.as_is.outcome.money.bill
    assert taken > 2000.0 and more == pytest.approx(0.3 * taken, rel=1e-6)
