"""Battery and coupling against a standard's example, hand arithmetic, and cases whose answers are forced."""

from dataclasses import replace

import numpy as np
import pytest
import rainflow

from calm_relay.physics.conversion import LOSSLESS
from calm_relay.physics.fade import count_cycles
from calm_relay.physics.money import internal_rate_of_return, present_value
from calm_relay.physics.plant.control import filled_in
from calm_relay.physics.plant.inputs import run_inputs
from calm_relay.physics.plant.island import Island, run_island
from calm_relay.physics.plant.island_figures import Limits
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart
from calm_relay.physics.plant.year import run_plant
from calm_relay.planning.operation.simulate import inputs_of

# ASTM E1049-85 (2017), figure 6 and its table: a history of peaks and valleys (from memory of the standard).
HISTORY = [-2, 1, -3, 5, -1, 3, -4, 4, -2]
COUNTED = {3: 0.5, 4: 1.5, 6: 0.5, 8: 1.0, 9: 0.5}


def test_rainflow_counts_the_standard_s_example():
    assert dict(rainflow.count_cycles(HISTORY)) == COUNTED
    # The same history as a state of charge, with points between the turns that are no turns.
    level = np.interp(np.linspace(0, 8, 801), np.arange(9), (np.array(HISTORY) + 4) / 9.0)
    result = count_cycles(level)
    mine = {}
    for depth, count in zip(result.depth * 9.0, result.count, strict=True):
        mine[round(depth)] = mine.get(round(depth), 0.0) + count
    assert mine == COUNTED


def lossless(**changes):
    figures = {"usable_kwh": 10.0, "charge_kw": 5.0, "discharge_kw": 5.0, "initial": 0.0, "from_ac_kw": 5.0}
    return BatteryPart(**{**figures, **changes})


def test_a_full_day_of_constant_sun_fills_the_battery_and_exports_the_rest():
    """3 kW for 24 h on a 1 kW home: 2 kW fill 10 kWh in 5 h; 19 h × 2 kW are exported."""
    plant = (ConverterPart(5.0, pv=True), ConverterPart(5.0, battery=lossless()))
    year = run_plant(plant, np.array([np.full(24, 3.0), np.zeros(24)]), np.ones(24), 1.0)
    assert year.bus_kwh("import") == 0.0
    assert year.bus_kwh("export") == pytest.approx(38.0)
    assert year.of("stored", 1)[:6] == pytest.approx([2.0, 4.0, 6.0, 8.0, 10.0, 10.0])


def test_an_empty_window_and_a_battery_without_power_change_nothing():
    sun, home = np.array([[0.0, 4.0, 4.0, 0.0]]), np.array([1.0, 1.0, 1.0, 2.0])
    bare = run_plant((ConverterPart(5.0, pv=True),), sun, home, 1.0)
    idle = ConverterPart(5.0, pv=True, battery=lossless(charge_kw=0.0, discharge_kw=0.0))
    held = run_plant((idle,), sun, home, 1.0)
    assert held.bus_kwh("import") == pytest.approx(bare.bus_kwh("import"))
    assert held.bus_kwh("export") == pytest.approx(bare.bus_kwh("export"))
    strong = (ConverterPart(5.0, pv=True, battery=lossless()),)
    shut = run_plant(strong, sun, home, 1.0, control=filled_in(np.zeros(4, dtype=bool)))
    assert np.array_equal(shut.bus, run_plant(strong, sun, home, 1.0).bus)


def test_the_round_trip_by_hand():
    """1 kWh into the DC bus: x 0.98 DC-DC x 0.97 charge; out again x 0.97 x 0.98."""
    part = lossless(charge_efficiency=0.97, discharge_efficiency=0.97, dc_dc_efficiency=0.98)
    year = run_plant(
        (ConverterPart(5.0, pv=True, battery=part),), np.array([[1.0, 0.0]]), np.array([0.0, 5.0]), 1.0
    )
    assert year.of("ac", 0)[1] == pytest.approx(0.98**2 * 0.97**2)


@pytest.mark.parametrize("key", ["ac-addon", "hybrid-swap", "two-units", "dc-bus", "clock-bank"])
def test_path_products_by_hand_from_the_year_s_flows(demo_plan, key):
    """Every stage is the year's energy out over energy in, taken from the flows here and multiplied."""
    option = demo_plan.option(key)
    year, paths = option.outcome.year, option.outcome.paths
    number = option.design.converters.index(option.design.battery_converter)
    arrays = [j for j, part in enumerate(year.plant) if part.pv]
    battery = year.plant[number].battery

    def out(j):
        return np.maximum(year.of("ac", j), 0.0).sum()

    def inverting(j):
        return out(j) / (out(j) + year.of("inverter", j).sum())

    array = number if number in arrays else arrays[0]
    direct = inverting(array) * year.plant[array].tracker_efficiency
    assert paths.direct == pytest.approx(direct, rel=1e-9)
    drawn = np.maximum(-year.of("ac", number), 0.0)
    into = (
        year.plant[number].tracker_efficiency
        if number in arrays
        else direct * (1.0 - year.of("rectifier", number).sum() / drawn.sum())
    )
    once = battery.charge_efficiency * battery.discharge_efficiency * battery.dc_dc_efficiency**2
    assert paths.through_battery == pytest.approx(into * once * inverting(number), rel=1e-9)


def without_losses(inputs, usable_kwh):
    """The same units with nothing lost, and batteries large and strong enough to take all."""

    def plain(part):
        battery = part.battery and replace(
            part.battery,
            usable_kwh=usable_kwh,
            charge_kw=1e6,
            discharge_kw=1e6,
            charge_a=1e9,
            discharge_a=1e9,
            charge_efficiency=1.0,
            discharge_efficiency=1.0,
            dc_dc_efficiency=1.0,
            taper_to=1.0,
            initial=0.0,
            reserve=0.0,
            from_ac_kw=1e6,
        )
        limit = part.ac_limit_kw if part.pv else 1e6
        return replace(
            part, loss=LOSSLESS, standby_kw=0.0, tracker_efficiency=1.0, ac_limit_kw=limit, battery=battery
        )

    return replace(inputs, plant=tuple(plain(part) for part in inputs.plant))


def yearly(demo_plan, key, array):
    option = demo_plan.option(key)
    inputs = inputs_of(option.design, demo_plan.job, demo_plan.site, demo_plan.demand).scaled(array=array)
    control = replace(inputs.control, charge_to=inputs.control.charge_to * 0.0)
    limited = without_losses(replace(inputs, control=control), 1e6)
    return run_inputs(replace(limited, grid=replace(limited.grid, export_limit_kw=1e9)))


def kept(year):
    """What the house is better off by: stored at the end, exported, less bought [kWh]."""
    return float(year.of("stored")[-1] + year.bus_kwh("export") - year.bus_kwh("import"))


def test_without_losses_and_clipping_dc_and_ac_coupling_are_the_same(demo_plan):
    addon, swap = (yearly(demo_plan, key, 0.6) for key in ("ac-addon", "hybrid-swap"))
    assert addon.kwh("clipped") == pytest.approx(0.0, abs=1e-9)
    assert kept(swap) == pytest.approx(kept(addon), rel=1e-9)


def test_without_losses_the_hybrid_is_ahead_by_just_what_it_catches(demo_plan):
    addon, swap = (yearly(demo_plan, key, 1.5) for key in ("ac-addon", "hybrid-swap"))
    caught = addon.kwh("clipped") - swap.kwh("clipped")
    assert caught > 100.0
    assert kept(swap) - kept(addon) == pytest.approx(caught, rel=1e-6)


def test_rate_of_return_and_present_value_against_numpy_financial():
    import numpy_financial

    flows = [-10335.0, *(500.0 * 1.02**year for year in range(25))]
    assert internal_rate_of_return(flows) == pytest.approx(numpy_financial.irr(flows), abs=1e-9)
    assert present_value(flows, 0.04) == pytest.approx(numpy_financial.npv(0.04, flows))
    assert internal_rate_of_return([-5.0, -1.0]) is None
    assert internal_rate_of_return([0.0, 4.0]) is None


def test_lead_acid_gives_less_the_faster_it_is_emptied():
    """Peukert's law by a textbook's arithmetic (from memory): 100 Ah in 20 hours and an exponent of 1.2.

    At 25 A it gives 100 (5/25)^0.2 = 72.5 Ah, for 2.9 hours; at 5 A it lasts its twenty.
    """
    bank = BatteryPart(1.2, 5.0, 5.0, peukert=1.2, rated_kw=0.06, initial=1.0)
    unit = (ConverterPart(5.0, loss=LOSSLESS, battery=bank),)

    def hours(kw):
        year = run_plant(unit, np.zeros((1, 2880)), np.full(2880, kw), 0.01)
        assert year.largest_residual_kwh < 1e-9
        return float(year.of("discharge", 0).sum() * 0.01 / kw)

    assert hours(0.3) == pytest.approx(20.0 * (5.0 / 25.0) ** 1.2, rel=2e-3)
    assert hours(0.3) == pytest.approx(2.9, abs=0.01)
    assert hours(0.06) == pytest.approx(20.0, rel=2e-3)
    assert hours(0.03) > 28.0


def test_lead_acid_empties_as_fast_in_an_outage():
    """The same bank off grid: the night ends when Peukert's law says."""
    bank = BatteryPart(1.2, 5.0, 5.0, peukert=1.2, rated_kw=0.06, initial=1.0)
    steps = 600
    island = Island(
        0, Limits(continuous_kw=5.0, surge_kw=5.0, surge_s=10.0), np.full((1, steps), 0.3),
        np.array([[1.0, 0.0, 0.0]]), np.zeros(1), np.zeros(1, bool), np.zeros(1, bool), np.full(steps, 0.3),
    )  # fmt: skip
    run = run_island((ConverterPart(5.0, loss=LOSSLESS, battery=bank),), np.zeros((1, steps)), 0.01, island)
    served = float((run.outage.state == 0).sum() * 0.01)
    assert served == pytest.approx(2.9, abs=0.02)
