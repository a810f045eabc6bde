"""Loads that a control starts and stops: energy that closes, what must be taken, what may, and in which order."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.physics.plant.loads import ControlledLoad, by_the_clock
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart, GridConnection
from calm_relay.physics.plant.year import run_plant, sum_plant

STEP_H = 0.25
PER_DAY = 96
DAYS = 4
STEPS = DAYS * PER_DAY
HOUR = np.arange(STEPS) % PER_DAY * STEP_H
SUN = np.clip(np.sin((HOUR - 6) / 12 * np.pi), 0.0, None)
HOME = 0.4 + 0.8 * ((HOUR >= 18) & (HOUR < 22))
NONE, ONES = np.zeros(STEPS), np.ones(STEPS)
ANY, NEVER = np.ones(STEPS, dtype=bool), np.zeros(STEPS, dtype=bool)
BATTERY = BatteryPart(
    6.0, 3.0, 3.0, charge_efficiency=0.97, discharge_efficiency=0.97, reserve=0.1, from_ac_kw=3.0
)
AC = (ConverterPart(5.0, True), ConverterPart(3.0, battery=BATTERY))
DC = (ConverterPart(5.0, True, battery=BATTERY), ConverterPart(3.0))


def tank(**changes):
    used = np.where((HOUR >= 19) & (HOUR < 20), 4.0, 0.0)
    given = {"may": ANY, "fill_to_kwh": np.full(STEPS, 1.0), "loss_per_h": 0.01, "initial": 0.5}
    return ControlledLoad(8.0, 3.0, used, ONES, **{**given, "hours_left": NONE, **changes})


def car(arrives=17, leaves=7, kwh=6.0, most=7.0, least=1.4, **changes):
    there = (arrives <= HOUR) | (leaves > HOUR) if arrives > leaves else (arrives <= HOUR) & (leaves > HOUR)
    left = np.where(there, (leaves - HOUR) % 24, 0.0)
    used = np.where(arrives == HOUR, kwh / STEP_H, 0.0)
    return ControlledLoad(kwh, most, used, ONES, there, NONE, left, min_kw=least, **changes)


def run(plant, loads, home=HOME, sun=SUN, **more):
    pv = np.array([sun * 6.0, np.zeros(STEPS)])
    return run_plant(plant, pv, home, STEP_H, loads=tuple(loads), **more)


@pytest.mark.parametrize("plant", [AC, DC, (ConverterPart(5.0, True), ConverterPart(1.0))])
@pytest.mark.parametrize("first", [False, True])
def test_every_balance_closes_with_loads_in_it(plant, first):
    year = run(plant, [tank(first=first), car(from_battery=False)])
    assert year.largest_residual_kwh < 1e-9 and abs(year.year_residual_kwh()) < 1e-9
    assert np.abs(year.loads.residuals_kwh()).max() < 1e-9
    assert year.at_bus("home") == pytest.approx(HOME + year.controlled_kw, abs=1e-12)
    sums = sum_plant(plant, np.array([SUN * 6.0, NONE]), HOME, STEP_H, loads=(tank(first=first), car()))
    assert sums.loads.kw.shape == (2, STEPS)


def test_without_loads_nothing_is_taken():
    year = run(AC, [])
    assert year.loads.loads == () and year.controlled_kw.sum() == 0.0
    assert (year.at_bus("home") == HOME).all()


def test_surplus_goes_to_the_battery_or_to_the_load_as_the_order_says():
    for plant in (AC, DC):
        after, before = run(plant, [tank()]), run(plant, [tank(first=True)])
        morning = (HOUR >= 8) & (HOUR < 9)
        assert before.controlled_kw[morning].sum() > after.controlled_kw[morning].sum()
        assert before.of("stored")[morning].mean() < after.of("stored")[morning].mean()
        # What is taken on surplus is never bought.
        for year in (after, before):
            sunny = (year.controlled_kw > 1e-9) & (year.loads.stored[0] > 1.1)
            assert year.at_bus("import")[sunny].max(initial=0.0) < 1e-9


def test_a_load_waits_for_the_battery_to_reach_its_level():
    year = run(AC, [tank(soc_above=0.9, fill_to_kwh=NONE, initial=0.2)])
    level = np.concatenate([[0.5], year.of("stored")[:-1] / BATTERY.usable_kwh])
    assert level[year.controlled_kw > 1e-9].min() > 0.88
    assert run(AC, [tank(fill_to_kwh=NONE, initial=0.2)]).controlled_kw[:40].sum() > year.controlled_kw[:40].sum()


def test_an_element_in_steps_takes_whole_steps_of_surplus():
    year = run((ConverterPart(5.0, True), ConverterPart(1.0)), [tank(step_kw=1.0, fill_to_kwh=NONE, initial=0.1)])
    room = 8.0 - np.concatenate([[0.8], year.loads.stored[0][:-1]])
    taken = year.controlled_kw[room > 1.0]
    assert np.abs(taken - np.round(taken)).max() < 1e-9 and set(np.round(taken)) >= {0.0, 1.0, 2.0, 3.0}


def test_a_car_is_full_when_it_leaves_and_takes_no_less_than_it_can():
    dark = run(AC, [car()], sun=NONE)
    leaves = np.flatnonzero(HOUR == 7 - STEP_H)[1:]
    assert dark.loads.stored[0][leaves] == pytest.approx(6.0)
    taken = dark.controlled_kw[dark.controlled_kw > 0]
    # The last quarter hour takes what is left to take.
    assert np.sort(taken)[DAYS:].min() >= 1.4 - 1e-9 and taken.max() <= 7.0 + 1e-9
    assert dark.loads.kwh("short") == pytest.approx(0.0, abs=1e-9)
    # By day it waits for sun, and begins as late as it may where there is none.
    by_day = run(AC, [car(arrives=8, leaves=16, most=2.0)], sun=SUN * 0.2)
    first = np.flatnonzero(by_day.controlled_kw[:PER_DAY] > 0)[0]
    assert HOUR[first] == pytest.approx(16 - 3, abs=0.3)


def test_what_must_be_taken_is_served_by_the_battery_only_where_that_is_wanted():
    loads = [
        tank(fill_to_kwh=np.full(STEPS, 8.0), may=NEVER, initial=0.0, from_battery=served)
        for served in (True, False)
    ]
    with_it, without = (run(AC, [load], sun=NONE) for load in loads)
    assert without.kwh("discharge") < with_it.kwh("discharge")
    # The home is still served.
    short = run(AC, [loads[1]], sun=NONE).at_bus("import")[0]
    assert short == pytest.approx(3.0, abs=1e-6)


def test_a_managed_load_leaves_the_main_fuse_whole():
    def highest(managed):
        wanted = car(managed=managed, from_battery=False, kwh=30.0)
        plant = (ConverterPart(5.0, True), ConverterPart(1.0))
        return run(plant, [wanted], grid=GridConnection(4.0, 9.0), sun=NONE).at_bus("import").max()

    assert highest(False) > 4.0 + 1e-6 and highest(True) <= 4.0 + 1e-9


def test_a_load_hangs_on_its_phase_where_the_meter_counts_each():
    home = np.array([HOME * 0.5, HOME * 0.3, HOME * 0.2])
    loads = [tank(phase=2, fill_to_kwh=np.full(STEPS, 8.0), initial=0.0)]
    even = [tank(fill_to_kwh=np.full(STEPS, 8.0), initial=0.0)]
    plant = (ConverterPart(5.0, True, phase=2), ConverterPart(1.0))
    on_two, spread = (run(plant, item, home=home) for item in (loads, even))
    assert on_two.loads.kwh("taken") == pytest.approx(spread.loads.kwh("taken"), rel=0.2)
    # What one phase makes serves what hangs on it, and pays for nothing on the others.
    assert on_two.bus_kwh("import") < spread.bus_kwh("import")
    assert on_two.largest_residual_kwh < 1e-9


def test_what_cannot_be_had_is_told():
    year = run(AC, [car(kwh=40.0, most=2.0, least=0.0)], sun=NONE)
    assert year.loads.kwh("short") == pytest.approx((DAYS - 1) * (40.0 - 14 * 2.0), rel=0.02)


@settings(max_examples=60, deadline=None)
@given(
    st.floats(0.5, 40.0),
    st.floats(0.5, 11.0),
    st.floats(0.0, 2.0),
    st.integers(0, 23),
    st.integers(1, 22),
    st.booleans(),
    st.floats(0.0, 9.0),
)
def test_a_car_stays_within_its_window_and_its_limits(kwh, most, least, arrives, hours, first, sun):
    wanted = car(arrives, (arrives + hours) % 24, kwh, most, min(least, most), first=first, managed=True)
    year = run(AC, [wanted], sun=SUN * sun / 6.0, grid=GridConnection(8.0, 9.0))
    taken = year.controlled_kw
    assert taken[~wanted.may].max(initial=0.0) == 0.0
    assert taken.max() <= most + 1e-9
    assert year.at_bus("import").max() <= 8.0 + 1e-9
    assert year.loads.stored.max() <= kwh + 1e-9 and year.loads.stored.min() >= -1e-9
    assert np.abs(year.loads.residuals_kwh()).max() < 1e-9 and year.largest_residual_kwh < 1e-9


def test_by_the_clock_takes_what_it_must_and_no_more():
    loads = [tank(may=ANY), car()]
    alone = by_the_clock(loads, STEP_H)
    beside = run((ConverterPart(5.0, True), ConverterPart(1.0)), loads, sun=NONE)
    assert alone.kw == pytest.approx(beside.loads.kw, abs=1e-9)
    assert alone.kwh("surplus") == 0.0


@pytest.mark.parametrize(
    ("changes", "wanted"),
    [
        ({"gain": np.zeros(STEPS)}, "gain must hold numbers above 0"),
        ({"draw_kw": -ONES}, "at or above 0"),
        ({"min_kw": 9.0}, "at most its most"),
        ({"may": ANY[:5]}, "wanted one length"),
    ],
)
def test_a_load_that_cannot_be_is_refused(changes, wanted):
    with pytest.raises(ValueError, match=wanted):
        tank().after(**changes)
    with pytest.raises(ValueError, match="steps; the run has"):
        run_plant(AC, np.zeros((2, 8)), np.zeros(8), STEP_H, loads=(tank(),))


def test_a_port_is_on_from_one_charge_until_it_falls_below_another():
    """Filled at full power while it is on, whatever supplies it; between the two charges as it was."""
    year = run(AC, [tank(on_above=0.9, off_below=0.4, may=np.zeros(HOUR.size, dtype=bool), fill_to_kwh=NONE)])
    charge = np.concatenate([[0.5], year.of("stored")[:-1] / BATTERY.usable_kwh])
    room = 8.0 - np.concatenate([[8.0], year.loads.stored[0][:-1]])
    on, wanted = False, []
    for level in charge:
        on = level >= 0.9 or (on and level >= 0.4)
        wanted.append(on)
    taken = year.controlled_kw > 1e-9
    assert taken.any() and not taken[~np.array(wanted)].any()
    assert taken[np.array(wanted) & (room > 0.2)].all()
    assert charge[taken].min() < 0.9
    assert year.largest_residual_kwh < 1e-9
