"""A year on an island: balances of every converter, closed cases, a generator alone, arrays on the bus."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from calm_relay.physics.conversion import LOSSLESS
from calm_relay.physics.plant.converter import arrays_ac, pack
from calm_relay.physics.plant.generators import GeneratorLimits, generators_of
from calm_relay.physics.plant.island import Island, ready_outages, run_island, sum_island
from calm_relay.physics.plant.island_figures import OVERLOAD, Limits
from calm_relay.physics.plant.parts import BatteryPart, ConverterPart
from tests.examples import examples

from .plants import CURVE
from .test_islanded import CLEAR

STORE = ConverterPart(5.0, False, 0.0, 1.0, LOSSLESS, battery=BatteryPart(10.0, 5.0, 9.0, from_ac_kw=5.0))
ARRAY = ConverterPart(4.0, True, 6.0, 1.0, LOSSLESS)


def island(load, former=0, converters=1, joins=None, switched=None, shed=None, **limits):
    load = np.atleast_2d(np.asarray(load, dtype=float))
    figures = {**CLEAR, **limits}
    return Island(
        former,
        Limits(**figures),
        load,
        np.array([[1.0, 0.0, 0.0]] * load.shape[0]),
        np.zeros(load.shape[0]) if shed is None else np.array(shed, dtype=float),
        np.zeros(converters, dtype=bool) if joins is None else np.array(joins),
        np.zeros(converters, dtype=bool) if switched is None else np.array(switched),
        load.sum(axis=0),
    )


def worst_residual(run):
    steps = (run.dc_residuals_kwh(), run.battery_residuals_kwh(), run.ac_residuals_kwh())
    return max(*(float(np.abs(step).max(initial=0.0)) for step in steps), abs(run.year_residual_kwh()))


def test_constant_load_lasts_usable_energy_over_load_and_the_rest_is_unmet():
    asked = island(np.full(80, 1.0))
    run = run_island([STORE], np.zeros((1, 80)), 0.25, asked, stored_kwh=10.0)
    assert run.unserved_hours == pytest.approx(10.0)
    assert run.unmet_kwh == pytest.approx(10.0)
    assert run.trips == 0
    assert run.generator_hours == 0.0
    assert worst_residual(run) < 1e-9
    doubled = run_island([STORE], np.zeros((1, 80)), 0.25, asked.scaled(2.0), stored_kwh=10.0)
    assert doubled.unserved_hours == pytest.approx(15.0)


def test_a_generator_alone_serves_what_it_can_in_the_order_of_the_board():
    load = np.array([[2.0] * 8, [3.0] * 8, [1.5] * 8])
    run = run_island(
        [],
        np.zeros((0, 8)),
        0.25,
        island(load, former=None, converters=0, generators=generators_of(GeneratorLimits(4.0))),
    )
    assert run.at_bus("import") == pytest.approx(3.5)
    assert run.unmet == pytest.approx(3.0)
    assert run.outage.on[0].tolist() == [True, False, True]
    assert (run.generator_hours, run.generator_starts, run.unserved_hours) == (2.0, 1, 0.0)
    dark = run_island([], np.zeros((0, 8)), 0.25, island(load, former=None, converters=0))
    assert (dark.unmet_kwh, dark.unserved_hours) == (13.0, 2.0)


def test_a_generator_fills_the_battery_and_its_hours_are_counted():
    asked = island(np.full(200, 1.0), generators=generators_of(GeneratorLimits(4.0, 0.2, 0.8)))
    run = run_island([STORE], np.zeros((1, 200)), 0.25, asked, stored_kwh=10.0)
    assert run.unmet_kwh == pytest.approx(0.0, abs=1e-9)
    given = run.bus_kwh("import")
    assert given == pytest.approx(50.0 - 10.0 + run.of("stored", 0)[-1], abs=1e-9)
    assert run.generator_starts >= 2
    assert run.generator_hours == pytest.approx((run.at_bus("import") > 0).sum() * 0.25)
    assert worst_residual(run) < 1e-9


@pytest.mark.parametrize(("start", "dark_steps"), [(0.2, 0), (0.05, 1)])
def test_a_generator_starts_where_the_charge_passes_its_start_within_a_step(start, dark_steps):
    small = replace(STORE, battery=BatteryPart(1.0, 5.0, 9.0, from_ac_kw=5.0))
    asked = island(np.full(2, 3.0), generators=generators_of(GeneratorLimits(4.0, start, 0.8)), cut_off=0.1)
    run = run_island([small], np.zeros((1, 2)), 0.25, asked, stored_kwh=0.25)
    assert run.unmet_kwh == pytest.approx(dark_steps * 0.75)
    assert run.at_bus("import")[0] == pytest.approx(0.0 if dark_steps else 4.0)
    assert worst_residual(run) < 1e-9


def test_two_generators_share_what_is_asked_by_their_power_and_each_has_its_own_charge_to_start_at():
    both = generators_of(GeneratorLimits(4.0, 0.3, 0.8), GeneratorLimits(2.0, 0.1, 0.4))
    run = run_island(
        [STORE], np.zeros((1, 200)), 0.25, island(np.full(200, 1.0), generators=both), stored_kwh=10.0
    )
    assert run.by_generator.shape == (2, 200)
    assert run.by_generator.sum(axis=0) == pytest.approx(run.at_bus("import"), abs=1e-12)
    first, second = run.by_generator
    # The first alone keeps the charge above what the second starts at.
    assert first.max() > 0.0 and second.max() == 0.0
    asked = island(np.full(400, 4.6), generators=both)
    heavy = run_island([STORE], np.zeros((1, 400)), 0.25, asked, stored_kwh=10.0)
    together = heavy.by_generator.min(axis=0) > 0.0
    assert together.any()
    shares = heavy.by_generator[:, together]
    assert shares[0] == pytest.approx(2.0 * shares[1])
    assert worst_residual(heavy) < 1e-9


def test_two_alike_generators_equal_one_of_twice_the_power():
    """Common practice, no source: machines of one kind in parallel carry half each."""
    load = np.full(300, 3.0)
    two = generators_of(GeneratorLimits(2.5, 0.2, 0.7), GeneratorLimits(2.5, 0.2, 0.7))
    one = generators_of(GeneratorLimits(5.0, 0.2, 0.7))
    runs = [
        run_island([STORE], np.zeros((1, 300)), 0.25, island(load, generators=limits), stored_kwh=8.0)
        for limits in (two, one)
    ]
    assert runs[0].at_bus("import") == pytest.approx(runs[1].at_bus("import"), abs=1e-12)
    assert runs[0].stored == pytest.approx(runs[1].stored, abs=1e-12)
    assert runs[0].by_generator[0] == pytest.approx(runs[1].by_generator[0] / 2.0)
    with pytest.raises(ValueError, match="5 generators; wanted 4"):
        generators_of(*(GeneratorLimits(1.0),) * 5)


def test_arrays_on_the_bus_fill_the_battery_and_what_is_too_much_is_thrown_away():
    asked = island(np.full(48, 0.5), converters=2, joins=[False, True])
    sun = np.array([np.zeros(48), np.full(48, 3.0)])
    run = run_island([STORE, ARRAY], sun, 0.25, asked, stored_kwh=5.0)
    kept = run.of("stored", 0)[-1] - 5.0
    thrown = run.of("curtailed").sum() * 0.25
    assert pytest.approx(6.0 + kept + thrown) == 36.0
    assert thrown > 20.0
    assert run.unmet_kwh == 0.0
    apart = run_island([STORE, ARRAY], sun, 0.25, island(np.full(48, 0.5), converters=2), stored_kwh=5.0)
    assert apart.of("curtailed").sum() * 0.25 == pytest.approx(36.0)
    assert apart.of("ac", 1).max() == 0.0


def test_arrays_offer_what_their_inverter_gives():
    p = pack([ConverterPart(4.0, True, 6.0, 0.98, CURVE)])
    offered = arrays_ac(p, np.array([[0.0, 1.0, 4.0, 9.0]]))[0]
    assert offered[0] == 0.0
    assert offered[3] == 4.0
    for dc, ac in zip((1.0, 4.0), offered[1:3], strict=True):
        lost = CURVE.k0 * 4.0 + CURVE.k1 * ac + CURVE.k2 * ac**2 / 4.0
        assert dc * 0.98 == pytest.approx(ac + lost)


@settings(max_examples=examples(80), deadline=None)
@given(data=st.data())
def test_every_converter_of_an_island_closes(data):
    steps = 60
    kw = st.one_of(st.just(0.0), st.floats(0.0, 9.0))
    pv = data.draw(st.booleans())
    battery = BatteryPart(
        8.0,
        4.0,
        6.0,
        charge_efficiency=0.96,
        discharge_efficiency=0.97,
        dc_dc_efficiency=0.98,
        from_ac_kw=5.0,
    )
    plant = [
        ConverterPart(5.0, pv, 7.0, 0.985, CURVE, battery=battery),
        ConverterPart(4.0, True, 5.0, 0.98, CURVE),
        ConverterPart(3.0, True, 3.5, 0.99, CURVE),
    ]
    sun = data.draw(arrays(float, (3, steps), elements=kw))
    asked = island(
        data.draw(arrays(float, (2, steps), elements=st.floats(0.0, 4.0))),
        converters=3,
        joins=[False, True, data.draw(st.booleans())],
        switched=[False, data.draw(st.booleans()), False],
        shed=[0.0, 0.4],
        generators=generators_of(GeneratorLimits(data.draw(st.sampled_from([0.0, 3.0])), 0.2, 0.7)),
    )
    run = run_island(plant, sun if pv else sun * np.array([[0.0], [1.0], [1.0]]), 0.25, asked, stored_kwh=4.0)
    assert worst_residual(run) < 1e-9
    assert (run.unmet >= 0.0).all()
    whole = run_island(plant, sun if pv else sun * np.array([[0.0], [1.0], [1.0]]), 0.25, asked)
    thin = sum_island(plant, sun if pv else sun * np.array([[0.0], [1.0], [1.0]]), 0.25, asked)
    assert thin.unmet_kwh == whole.unmet_kwh
    assert thin.generator_hours == whole.generator_hours
    assert thin.sums == pytest.approx(whole.flows.sum(axis=2), rel=1e-12, abs=1e-9)


def store(usable_kwh, kw=5.0, initial=1.0):
    battery = BatteryPart(usable_kwh, kw, 9.0, from_ac_kw=5.0, initial=initial)
    return ConverterPart(kw, False, 0.0, 1.0, LOSSLESS, battery=battery)


def standing_together(load, **limits):
    whole = {"continuous_kw": 10.0, "surge_kw": 10.0, **limits}
    return replace(island(load, converters=2, **whole), beside=(1,))


def test_unlike_batteries_share_by_power_and_the_smaller_is_empty_first():
    run = run_island([store(8.0), store(2.0)], np.zeros((2, 40)), 0.25, standing_together(np.full(40, 4.0)))
    # Each gives 2 kW for an hour; then the larger has 4 kW alone for the 6 kWh that it still holds.
    assert run.stored[:, 3] == pytest.approx([6.0, 0.0])
    assert run.of("ac", 0)[[0, 3, 4]] == pytest.approx([2.0, 2.0, 4.0])
    assert run.of("ac", 1)[[0, 3, 4]] == pytest.approx([2.0, 2.0, 0.0])
    assert (run.outage.state == 0).sum() * 0.25 == pytest.approx(2.5)
    assert worst_residual(run) < 1e-9


def test_when_the_smaller_is_empty_the_limit_of_the_whole_falls():
    asked = standing_together(np.full(40, 7.0), surge_s=0.0)
    run = run_island([store(8.0), store(2.0)], np.zeros((2, 40)), 0.25, asked)
    out = int(np.flatnonzero(run.outage.state != 0)[0])
    # 3.5 kW each until the 2 kWh do not carry another quarter of an hour; 7 kW are beyond the 5 of the larger.
    assert out == 3
    assert run.outage.cause[out] == OVERLOAD
    assert run.stored[:, out - 1] == pytest.approx([8.0 - 0.75 * 3.5 - 0.625, 0.0])


def test_each_begins_where_its_battery_stood_and_fills_by_its_own_room():
    plant = [store(8.0), store(2.0), ARRAY]
    asked = replace(
        island(np.full(8, 0.0), converters=3, joins=[False, False, True], continuous_kw=10.0), beside=(1,)
    )
    sun = np.zeros((3, 8))
    sun[2] = 4.0
    run = run_island(plant, sun, 0.25, asked, stored_kwh=np.array([1.0, 1.5]))
    first = run.stored[:2, 0] - [1.0, 1.5]
    assert first == pytest.approx([0.5, 0.5])
    assert run.stored[1, 1] == 2.0 and run.stored[1].max() == 2.0
    assert run.stored[0, 1:3] - run.stored[0, :2] == pytest.approx([1.0, 1.0])
    assert worst_residual(run) < 1e-9


def test_those_that_are_alike_empty_as_one_of_twice_the_size():
    load = np.full(40, 4.0)
    pair = run_island([store(5.0), store(5.0)], np.zeros((2, 40)), 0.25, standing_together(load))
    one = run_island([store(10.0, 10.0)], np.zeros((1, 40)), 0.25, island(load, continuous_kw=10.0, surge_kw=10.0))
    assert pair.stored.sum(axis=0) == pytest.approx(one.stored[0], abs=1e-9)
    assert pair.stored[0] == pytest.approx(pair.stored[1], abs=1e-9)


@settings(max_examples=examples(60), deadline=None)
@given(data=st.data())
def test_levels_of_those_that_stand_together_stay_within_their_batteries_and_close(data):
    steps = 48
    size, share = st.floats(0.5, 12.0), st.floats(0.0, 1.0)
    parts = [store(data.draw(size), data.draw(st.floats(1.0, 6.0)), data.draw(share)) for _ in range(3)]
    load = data.draw(arrays(float, steps, elements=st.floats(0.0, 9.0)))
    sun = np.zeros((4, steps))
    sun[3] = data.draw(arrays(float, steps, elements=st.one_of(st.just(0.0), st.floats(0.0, 6.0))))
    whole = sum(part.ac_limit_kw for part in parts)
    asked = island(load, converters=4, joins=[False] * 3 + [True], continuous_kw=whole, surge_kw=whole)
    asked = replace(asked, beside=(1, 2))
    run = run_island([*parts, ARRAY], sun, 0.25, asked)
    assert worst_residual(run) < 1e-9
    for number, part in enumerate(parts):
        assert (run.stored[number] >= -1e-12).all()
        assert (run.stored[number] <= part.bank.usable_kwh + 1e-12).all()
    thin = sum_island([*parts, ARRAY], sun, 0.25, asked)
    assert thin.sums == pytest.approx(run.flows.sum(axis=2), rel=1e-12, abs=1e-9)
    starts = np.array([0])
    held = np.array([[part.bank.initial * part.bank.usable_kwh] for part in parts])
    served = ready_outages((*parts, ARRAY), sun, 0.25, asked, None, starts, steps).hours(held)
    out = np.flatnonzero(run.outage.state != 0)
    assert served[0] == pytest.approx((out[0] if out.size else steps) * 0.25)
