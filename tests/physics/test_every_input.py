"""No input is forgotten by half of the program: each field of a run's description changes every run that reads it."""

from dataclasses import fields, replace

import numpy as np
import pytest

from calm_relay.physics.conversion import LossCurve
from calm_relay.physics.plant.control import Control
from calm_relay.physics.plant.flows import CONVERTER_FLOWS
from calm_relay.physics.plant.generators import NO_GENERATORS, GeneratorLimits, generators_of
from calm_relay.physics.plant.inputs import (
    Inputs,
    YearCache,
    bus_inputs,
    lean_inputs,
    run_inputs,
    run_outage,
    run_survival,
    sum_inputs,
)
from calm_relay.physics.plant.island import Island
from calm_relay.physics.plant.island_figures import Limits
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart, GridConnection
from calm_relay.physics.plant.year import FLOWS, BufferPool, FlowsAtHand

DAYS, PER_DAY = 6, 24
STEPS = DAYS * PER_DAY
HOUR = np.arange(STEPS) % PER_DAY
SUN = np.clip(np.sin((HOUR - 6) / 12 * np.pi), 0.0, None)
LOAD = 0.8 + 0.9 * (HOUR >= 18) + 0.3 * np.sin(np.arange(STEPS))
# A cold day among warm ones: what is left of charging and discharging.
DERATE = np.array([[[1.0, 0.4, 1.0, 0.7, 0.3, 1.0]] * 2, [[1.0, 0.5, 0.8, 0.9, 0.6, 1.0]] * 2])

BATTERY = BatteryPart(
    8.0, 3.0, 3.5, charge_a=60.0, discharge_a=70.0, empty_v=46.0, full_v=54.0, low_v=48.0, high_v=52.0,
    taper_from=0.7, taper_to=0.3, charge_efficiency=0.97, discharge_efficiency=0.96, dc_dc_efficiency=0.98,
    reserve=0.15, initial=0.4, from_ac_kw=3.0,
)  # fmt: skip
PLANT = (
    ConverterPart(4.0, True, 4.5, 0.99, LossCurve(0.006, 0.01, 0.012), None, 0.03, BATTERY),
    ConverterPart(2.5, True, 3.0, 0.98, LossCurve(0.005, 0.012, 0.01), None, 0.01),
)


def base() -> Inputs:
    night = (HOUR >= 2) & (HOUR < 5)
    evening = (HOUR >= 20) & (HOUR < 21)
    control = Control(
        np.where(night, 0.8, 0.0),
        np.where(night, 2.0, 0.0),
        HOUR != 19,
        np.full(STEPS, 0.2),
        np.where(evening, 1.5, 0.0),
        np.where(evening, 0.4, 0.0),
        np.where(HOUR == 12, 1.0, np.where(HOUR == 22, -0.5, 0.0)),
        HOUR == 9,
        0.05,
        4.0,
    )
    load = np.array([LOAD * 0.6, LOAD * 0.4])
    limits = Limits(
        3.4, 4.5, 5.0, 2.0, 2.6, True, False, 0.0, 120.0, generators_of(GeneratorLimits(0.5, 0.25, 0.6))
    )
    starts = np.zeros((2, STEPS))
    starts[0, ::17] = 0.9
    island = Island(
        0,
        limits,
        load,
        np.array([[0.5, 0.5, 0.0], [0.0, 1.0, 0.0]]),
        np.array([0.0, 0.45]),
        np.array([False, True]),
        np.array([False, False]),
        LOAD,
        starts,
        starts * 1.3,
    )
    pv = np.array([SUN * 1.6, SUN * 2.3])
    return Inputs(PLANT, pv, LOAD * 0.6, 1.0, GridConnection(3.0, 1.2), control, DERATE, island)


DAY_HOURS = (HOUR >= 8) & (HOUR < 20)
# Two loads: one that waits for a level of charge, so that the order and the battery matter, and one by its hours.
LOADS = (
    ControlledLoad(
        6.0, 2.0, np.where(HOUR == 19, 3.0, 0.1), np.full(STEPS, 0.9), DAY_HOURS, np.full(STEPS, 1.5), np.zeros(STEPS),
        min_kw=0.1, loss_per_h=0.02, step_kw=0.3, soc_above=0.1, initial=0.3, from_battery=True,
    ),
    ControlledLoad(
        5.0, 2.2, np.where(HOUR == 17, 5.0, 0.0), np.ones(STEPS), HOUR >= 17, np.zeros(STEPS),
        np.where(HOUR >= 17, 24.0 - HOUR, 0.0),
    ),
)  # fmt: skip


def with_loads(inputs):
    return replace(inputs, loads=LOADS)


def of_load(**changes):
    return lambda inputs: replace(inputs, loads=(inputs.loads[0].after(**changes), *inputs.loads[1:]))


def bus_of(inputs):
    bus = bus_inputs(replace(inputs, island=None), BufferPool())
    return np.concatenate([bus.bus, bus.stored])


ON_GRID, OFF_GRID = {"year", "sums", "search"}, {"year off grid", "sums off grid", "outage", "survival"}
ALL = ON_GRID | OFF_GRID
RUNS = {
    "year": lambda inputs: run_inputs(replace(inputs, island=None)).flows,
    "sums": lambda inputs: sum_inputs(replace(inputs, island=None)).sums,
    "search": bus_of,
    "year off grid": lambda inputs: run_inputs(inputs).flows,
    "sums off grid": lambda inputs: np.append(sum_inputs(inputs).sums, sum_inputs(inputs).unmet_kwh),
    "outage": lambda inputs: run_outage(inputs, 3.0, clock=30).flows,
    "survival": lambda inputs: run_survival(
        inputs, np.full((len(inputs.island.forming), DAYS * 4), 3.0), np.arange(0, STEPS, 6), 60
    ),
}
YEARS = ON_GRID | {"year off grid", "sums off grid"}
BEGINS_FULL = ALL - {"outage", "survival"}


def of_part(number, **changes):
    def change(inputs):
        parts = list(inputs.plant)
        parts[number] = replace(parts[number], **changes)
        return replace(inputs, plant=tuple(parts))

    return change


def of_battery(**changes):
    return lambda inputs: of_part(0, battery=replace(inputs.plant[0].battery, **changes))(inputs)


def of_field(field, **changes):
    return lambda inputs: replace(inputs, **{field: replace(getattr(inputs, field), **changes)})


def of_limits(**changes):
    return lambda inputs: of_field("island", limits=inputs.island.limits._replace(**changes))(inputs)


def of_generators(*items):
    return of_limits(generators=generators_of(*items))


def times(field, factor):
    return lambda inputs: replace(inputs, **{field: getattr(inputs, field) * factor})


def of_control(name, factor):
    return lambda inputs: of_field("control", **{name: getattr(inputs.control, name) * factor})(inputs)


def of_island(name, factor):
    return lambda inputs: of_field("island", **{name: getattr(inputs.island, name) * factor})(inputs)


def derated(way):
    def change(inputs):
        derate = inputs.thermal_derate.copy()
        derate[way] *= 0.5
        return replace(inputs, thermal_derate=derate)

    return change


# What each field is changed to, and the runs that should read it.
CHANGES = {
    "ConverterPart.ac_limit_kw": (of_part(0, ac_limit_kw=1.6), ALL),
    "ConverterPart.pv": (of_part(0, pv=False), ALL),
    "ConverterPart.pv_limit_kw": (of_part(0, pv_limit_kw=0.2), ALL),
    "ConverterPart.tracker_efficiency": (of_part(0, tracker_efficiency=0.8), ALL),
    "ConverterPart.loss": (of_part(0, loss=LossCurve(0.03, 0.05, 0.05)), ALL),
    "ConverterPart.loss_rated_kw": (of_part(0, loss_rated_kw=12.0), ALL),
    "ConverterPart.standby_kw": (of_part(0, standby_kw=0.3), ALL),
    "ConverterPart.battery": (of_part(1, battery=BATTERY), ON_GRID),
    "ConverterPart.phase": (None, set()),
    "ConverterPart.by_clock": (of_part(0, by_clock=True), ON_GRID),
    "BatteryPart.usable_kwh": (of_battery(usable_kwh=5.0), ALL),
    "BatteryPart.charge_kw": (of_battery(charge_kw=0.4), ALL),
    "BatteryPart.discharge_kw": (of_battery(discharge_kw=0.5), ON_GRID),
    "BatteryPart.charge_a": (of_battery(charge_a=8.0), ALL),
    "BatteryPart.discharge_a": (of_battery(discharge_a=9.0), ON_GRID),
    "BatteryPart.empty_v": (of_battery(empty_v=5.0, charge_a=20.0, discharge_a=20.0), ALL),
    "BatteryPart.full_v": (of_battery(full_v=400.0, charge_a=20.0), ALL),
    "BatteryPart.low_v": (of_battery(low_v=10.0, charge_a=20.0), ALL),
    "BatteryPart.high_v": (of_battery(high_v=10.0, charge_a=20.0), ALL),
    "BatteryPart.taper_from": (of_battery(taper_from=0.1), ALL),
    "BatteryPart.taper_to": (of_battery(taper_to=0.01), ALL),
    "BatteryPart.charge_efficiency": (of_battery(charge_efficiency=0.7), ALL),
    "BatteryPart.discharge_efficiency": (of_battery(discharge_efficiency=0.7), ALL),
    "BatteryPart.dc_dc_efficiency": (of_battery(dc_dc_efficiency=0.7), ALL),
    "BatteryPart.peukert": (of_battery(peukert=1.5, rated_kw=0.2), ALL),
    "BatteryPart.rated_kw": (of_battery(rated_kw=0.05), ALL),
    "BatteryPart.reserve": (of_battery(reserve=0.6), ON_GRID),
    "BatteryPart.initial": (of_battery(initial=0.9), BEGINS_FULL),
    "BatteryPart.from_ac_kw": (of_battery(from_ac_kw=0.05), ALL),
    "GridConnection.import_limit_kw": (of_field("grid", import_limit_kw=1.3), ON_GRID),
    "GridConnection.export_limit_kw": (of_field("grid", export_limit_kw=0.1), ON_GRID),
    "Control.charge_to": (of_control("charge_to", 0.5), ON_GRID),
    "Control.charge_kw": (of_control("charge_kw", 0.2), ON_GRID),
    "Control.may_discharge": (of_field("control", may_discharge=np.zeros(STEPS, dtype=bool)), ON_GRID),
    "Control.leave_kw": (of_control("leave_kw", 4.0), ON_GRID),
    "Control.export_kw": (of_control("export_kw", 0.2), ON_GRID),
    "Control.export_to": (of_control("export_to", 2.4), ON_GRID),
    "Control.clock_kw": (None, set()),
    "Control.delayed": (of_field("control", delayed=np.ones(STEPS, dtype=bool)), ON_GRID),
    "Control.bias_kw": (of_field("control", bias_kw=0.4), ON_GRID),
    "Control.charge_import_limit_kw": (of_field("control", charge_import_limit_kw=1.3), ON_GRID),
    "Control.order": (None, set()),
    "Inputs.pv_kw": (times("pv_kw", 0.5), ALL),
    "Inputs.home_kw": (times("home_kw", 1.4), ON_GRID),
    "Inputs.step_h": (lambda inputs: replace(inputs, step_h=0.5), ALL),
    "Inputs.thermal_derate": (derated(0), ALL),
    "Inputs.loads": (with_loads, YEARS),
    "ControlledLoad.cap_kwh": (of_load(cap_kwh=2.0), YEARS),
    "ControlledLoad.max_kw": (of_load(max_kw=0.7), YEARS),
    "ControlledLoad.draw_kw": (of_load(draw_kw=np.full(STEPS, 0.4)), YEARS),
    "ControlledLoad.gain": (of_load(gain=np.full(STEPS, 2.0)), YEARS),
    "ControlledLoad.may": (of_load(may=np.zeros(STEPS, dtype=bool)), YEARS),
    "ControlledLoad.fill_to_kwh": (of_load(fill_to_kwh=np.full(STEPS, 4.0)), YEARS),
    "ControlledLoad.hours_left": (of_load(hours_left=np.where(DAY_HOURS, 20.0 - HOUR, 0.0)), YEARS),
    "ControlledLoad.min_kw": (of_load(min_kw=1.5), YEARS),
    "ControlledLoad.loss_per_h": (of_load(loss_per_h=0.2), YEARS),
    "ControlledLoad.step_kw": (of_load(step_kw=1.0), YEARS),
    "ControlledLoad.soc_above": (of_load(soc_above=0.8), YEARS),
    "ControlledLoad.on_above": (of_load(on_above=0.45), YEARS),
    "ControlledLoad.off_below": (of_load(on_above=0.5, off_below=0.05), YEARS),
    "ControlledLoad.first": (of_load(first=True), YEARS),
    "ControlledLoad.from_battery": (of_load(from_battery=False), YEARS),
    "ControlledLoad.managed": (
        lambda inputs: replace(inputs, loads=(inputs.loads[0], inputs.loads[1].after(managed=True))),
        ON_GRID,
    ),
    "ControlledLoad.phase": (None, set()),
    "ControlledLoad.converter": (None, set()),
    "ControlledLoad.gives_kw": (None, set()),
    "ControlledLoad.keep_kwh": (None, set()),
    "ControlledLoad.give_efficiency": (None, set()),
    "ControlledLoad.initial": (of_load(initial=0.9), YEARS),
    "Island.load_kw": (of_island("load_kw", 1.1), OFF_GRID),
    "Island.legs": (of_field("island", legs=np.array([[1.0, 0.0, 0.0], [1.0, 0.0, 0.0]])), OFF_GRID),
    "Island.shed_below": (of_field("island", shed_below=np.array([0.0, 1.0])), OFF_GRID),
    "Island.joins": (of_field("island", joins=np.array([False, False])), OFF_GRID),
    "Island.switched": (of_field("island", switched=np.array([False, True])), OFF_GRID),
    "Island.asked_kw": (of_island("asked_kw", 2.0), {"sums off grid"}),
    "Island.start_kw": (of_island("start_kw", 3.0), OFF_GRID),
    "Island.again_kw": (
        lambda inputs: of_field("island", again_kw=np.full((2, STEPS), 9.0))(
            of_limits(restarts_at_once=True)(inputs)
        ),
        OFF_GRID,
    ),
    "Island.even": (of_field("island", even=np.array([False, False])), OFF_GRID),
    "Island.beside": (of_field("island", beside=(1,)), OFF_GRID),
    "Limits.continuous_kw": (of_limits(continuous_kw=1.0), OFF_GRID),
    "Limits.surge_kw": (of_limits(surge_kw=3.0), OFF_GRID),
    "Limits.surge_s": (None, set()),
    "Limits.legs": (of_limits(legs=3.0), OFF_GRID),
    "Limits.leg_start_kw": (of_limits(leg_start_kw=0.1), OFF_GRID),
    "Limits.black_start": (
        lambda inputs: of_limits(black_start=False, generators=NO_GENERATORS)(inputs),
        OFF_GRID,
    ),
    "Limits.restarts_at_once": (
        lambda inputs: of_limits(restarts_at_once=True)(of_island("again_kw", 9.0)(inputs)),
        OFF_GRID,
    ),
    "Limits.pv_waits_min": (of_limits(pv_waits_min=1500.0), OFF_GRID),
    "Limits.locked_min": (None, set()),
    "GeneratorLimits.kw": (of_generators(GeneratorLimits(0.3, 0.25, 0.6)), OFF_GRID),
    "GeneratorLimits.start": (of_generators(GeneratorLimits(0.5, 0.05, 0.6)), OFF_GRID),
    "GeneratorLimits.stop": (of_generators(GeneratorLimits(0.5, 0.25, 0.9)), OFF_GRID),
    "Limits.generators": (
        of_generators(GeneratorLimits(0.5, 0.25, 0.6), GeneratorLimits(0.7, 0.3, 0.7)),
        OFF_GRID,
    ),
    "Limits.cut_off": (of_limits(cut_off=0.5), OFF_GRID),
}
# What a plant must have first, for a field to matter to it.
PREPARED = {
    "Island.even": lambda inputs: of_limits(continuous_kw=1.2)(inputs),
    **{name: with_loads for name in CHANGES if name.startswith("ControlledLoad.")},
    "ControlledLoad.soc_above": lambda inputs: of_load(first=True, soc_above=0.1)(with_loads(inputs)),
    "ControlledLoad.off_below": lambda inputs: of_load(on_above=0.5, off_below=0.4)(with_loads(inputs)),
    "ControlledLoad.managed": lambda inputs: of_field("grid", import_limit_kw=1.0)(with_loads(inputs)),
    "BatteryPart.rated_kw": of_battery(peukert=1.5, rated_kw=0.4),
    "Island.beside": of_part(1, pv=False, battery=BATTERY),
    "GeneratorLimits.stop": lambda inputs: of_generators(GeneratorLimits(1.8, 0.5, 0.55))(
        of_island("load_kw", 1.2)(inputs)
    ),
}
# Held by tests of their own, since they need another plant or another course of a night.
ELSEWHERE = {
    "ConverterPart.phase": "test_control: phases",
    "Control.clock_kw": "test_control: a clock",
    "Control.order": "test_control: an order",
    "ControlledLoad.phase": "test_controlled_loads: a phase",
    "ControlledLoad.converter": "test_dc_loads: a car on the DC bus",
    "ControlledLoad.gives_kw": "test_dc_loads: a car gives back",
    "ControlledLoad.keep_kwh": "test_dc_loads: a car gives back",
    "ControlledLoad.give_efficiency": "test_dc_loads: losses of giving",
    "Limits.locked_min": "test_outage: locked out",
    "Limits.surge_s": "test_outage: a long surge",
    "Limits.wakes": "test_islanded: a flat bus",
    "Limits.wakes_from_min": "test_islanded: a set time",
    "Limits.start_power_factor": "test_islanded: a start's real power",
    "Island.former": "test_island: a generator alone",
}
WHOLE = {"Inputs.plant", "Inputs.grid", "Inputs.control", "Inputs.island", "Island.limits"}


def test_no_field_of_a_run_is_left_out():
    known = {
        f"{kind.__name__}.{field.name}"
        for kind in (Inputs, ConverterPart, BatteryPart, GridConnection, Control, Island, ControlledLoad)
        for field in fields(kind)
    }
    known |= {f"{kind.__name__}.{name}" for kind in (Limits, GeneratorLimits) for name in kind._fields}
    assert known == set(CHANGES) | set(ELSEWHERE) | WHOLE
    assert {field for field, (change, _) in CHANGES.items() if change is None} <= set(ELSEWHERE)


@pytest.mark.parametrize("field", [field for field, (change, _) in CHANGES.items() if change])
def test_a_field_changes_every_run_that_should_read_it(field):
    change, readers = CHANGES[field]
    before = PREPARED.get(field, lambda inputs: inputs)(base())
    after = change(before)
    assert before.digest != after.digest
    moved = {name for name, run in RUNS.items() if not np.array_equal(run(before), run(after))}
    assert moved >= readers, f"not read by {sorted(readers - moved)}"


@pytest.mark.parametrize("way", [0, 1], ids=["charging", "discharging"])
def test_cold_and_heat_reach_every_run(way):
    before, after = base(), derated(way)(base())
    for name, run in RUNS.items():
        assert not np.array_equal(run(before), run(after)), name


def test_in_an_outage_too_cold_a_battery_gives_nothing_and_says_why():
    """A night at the edge of what the battery works at: no discharge at all, and the array alone cannot carry it."""
    frozen = replace(base(), thermal_derate=np.zeros((2, 2, 1)))
    night = run_outage(frozen, 6.0)
    assert (night.outage.cause == 7).any()
    assert night.of("discharge").max() == 0.0
    assert night.largest_residual_kwh < 1e-9


def test_the_same_inputs_are_run_once_and_others_anew():
    years = YearCache(10_000_000)
    first = years.year(base())
    assert years.year(base()) is first
    assert (years.hits, years.misses) == (1, 1)
    assert years.year(derated(0)(base())) is not first
    assert (years.hits, years.misses) == (1, 2)


def test_a_cache_of_years_keeps_within_its_bytes_and_the_latest_used():
    size = run_inputs(base()).nbytes
    years = YearCache(int(size * 2.5))
    one, two, three = (replace(base(), step_h=step_h) for step_h in (1.0, 0.5, 0.25))
    first = years.year(one)
    years.year(two)
    assert years.year(one) is first
    years.year(three)
    assert years.year(one) is first
    assert years.misses == 3
    years.year(two)
    assert years.misses == 4


@pytest.mark.parametrize("off_grid", [False, True])
def test_a_lean_year_holds_what_the_whole_one_does(off_grid):
    inputs = with_loads(base() if off_grid else replace(base(), island=None))
    lean, whole = lean_inputs(inputs), run_inputs(inputs)
    assert lean.nbytes < 0.5 * whole.nbytes
    for name in ("bus", "stored", "ac_side"):
        assert (getattr(lean, name) == getattr(whole, name)).all()
    assert lean.sums == pytest.approx(whole.sums, rel=1e-12, abs=1e-9)
    FLOWS.clear()
    assert (lean.flows == whole.flows).all()
    assert lean.flows is lean.flows, "run once more once"
    assert all((lean.of(name) == whole.of(name)).all() for name in CONVERTER_FLOWS)


def test_of_flows_looked_at_the_last_are_kept_within_a_budget():
    at_hand, made = FlowsAtHand(200), []

    def way(number):
        def make():
            made.append(number)
            return np.full(12, float(number))

        return make

    first, second, third = way(1), way(2), way(3)
    for one in (first, second, first, third, first, second):
        at_hand.of(one)
    assert made == [1, 2, 3, 2]
