"""The islanded house: closed cases, balances, starts, shedding, throttled PV, black start, generator."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from calm_relay.physics import outage
from calm_relay.physics.conversion import LOSSLESS
from calm_relay.physics.plant import BatteryPart, ConverterPart, pack

from .plants import CURVE

CLEAR = {
    "continuous_kw": 5.0,
    "surge_kw": 10.0,
    "surge_s": 5.0,
    "legs": 1.0,
    "leg_start_kw": 1e9,
    "black_start": 1.0,
    "restarts_at_once": 0.0,
    "pv_waits_min": 0.0,
    "locked_min": 1e9,
    "generator_kw": 0.0,
    "generator_start": 0.0,
    "generator_stop": 0.0,
}


def former(usable_kwh=10.0, pv=False, loss=LOSSLESS, **changes):
    figures = {"charge_kw": 5.0, "discharge_kw": 9.0, "from_ac_kw": 5.0, **changes}
    battery = BatteryPart(usable_kwh, **figures)
    return pack([ConverterPart(5.0, pv, 8.0, 1.0, loss, battery=battery)])


def run(
    load,
    *,
    p=None,
    level=10.0,
    step_h=0.25,
    start=0.0,
    again=0.0,
    pv_dc=0.0,
    pv_ac=0.0,
    switched=0.0,
    shed=None,
    legs=None,
    parted=1.0,
    **limits,
):
    load = np.atleast_2d(np.asarray(load, dtype=float))
    circuits, steps = load.shape
    flows = np.zeros((steps, len(outage.FLOWS)))
    on = np.zeros((steps, circuits), dtype=bool)

    def series(value):
        return np.ascontiguousarray(np.broadcast_to(np.asarray(value, dtype=float), steps))

    def on_circuits(value):
        value = np.asarray(value, dtype=float)
        return np.ascontiguousarray(value if value.ndim == 2 else np.array([series(value)] * circuits))

    served_steps, cause = outage.rehearse(
        former() if p is None else p,
        np.array([{**CLEAR, **limits, "legs": parted}[name] for name in outage.LIMITS], dtype=float),
        load,
        np.array(legs if legs is not None else [[1.0, 0.0, 0.0]] * circuits, dtype=float),
        np.zeros(circuits) if shed is None else np.array(shed, dtype=float),
        on_circuits(start),
        on_circuits(again),
        series(pv_dc),
        series(pv_ac),
        series(switched),
        level,
        step_h,
        False,
        flows,
        on,
    )
    return served_steps, cause, flows, on


@settings(max_examples=150, deadline=None)
@given(data=st.data())
def test_every_step_closes(data):
    steps = 40
    kw = st.one_of(st.just(0.0), st.floats(0.0, 8.0))
    pv = data.draw(st.booleans())
    p = former(
        pv=pv, loss=CURVE, charge_efficiency=0.97, discharge_efficiency=0.96, dc_dc_efficiency=0.98, taper_to=0.5
    )
    _, _, flows, _ = run(
        data.draw(arrays(float, (3, steps), elements=st.floats(0.0, 2.5))),
        p=p,
        level=data.draw(st.floats(0.0, 10.0)),
        step_h=data.draw(st.sampled_from([1 / 60, 0.25])),
        start=data.draw(arrays(float, steps, elements=kw)),
        pv_dc=data.draw(arrays(float, steps, elements=kw)) if pv else 0.0,
        pv_ac=data.draw(arrays(float, steps, elements=kw)),
        switched=data.draw(arrays(float, steps, elements=kw)),
        shed=[0.0, 0.3, 0.6],
        pv_waits_min=data.draw(st.sampled_from([0.0, 5.0])),
        locked_min=data.draw(st.sampled_from([5.0, 1e9])),
        black_start=data.draw(st.sampled_from([0.0, 1.0])),
        generator_kw=data.draw(st.sampled_from([0.0, 4.0])),
        generator_start=0.2,
        generator_stop=0.8,
    )
    at = {name: flows[:, i] for i, name in enumerate(outage.FLOWS)}
    given_kw = at["pv_dc_used"] + at["pv_ac_used"] + at["generator"] + at["discharge"]
    taken_kw = at["served"] + at["charge"] + at["loss"]
    assert np.abs(given_kw - taken_kw).max() < 1e-9
    for name in ("served", "pv_dc_used", "pv_ac_used", "generator", "charge", "discharge", "loss"):
        assert at[name].min() > -1e-9
    assert at["stored"].min() >= 0.0
    assert at["stored"].max() <= 10.0
    assert (at["pv_ac_used"] <= at["pv_ac_offered"] + 1e-9).all()


def test_constant_load_and_no_sun_lasts_usable_energy_over_load():
    for load, hours in ((1.0, 10.0), (0.5, 20.0), (2.0, 5.0)):
        served_steps, cause, _, _ = run(np.full(200, load))
        assert served_steps * 0.25 == pytest.approx(hours)
        assert cause == outage.EMPTY


def test_a_load_a_little_above_the_limit_trips_and_a_little_below_does_not():
    """One ampere at 230 V either side of 5 kW."""
    above, cause, _, _ = run(np.full(60, 5.0 + 0.23), step_h=1 / 60)
    below, _, _, _ = run(np.full(60, 5.0 - 0.23), step_h=1 / 60)
    assert (above, cause) == (0, outage.OVERLOAD)
    assert below == 60


def test_a_motor_one_ampere_above_trips_and_one_below_does_not():
    start = np.zeros(30)
    start[10] = 9.0
    for extra, lives in ((0.23, False), (-0.23, True)):
        served_steps, cause, _, _ = run(np.full(30, 1.0), start=start + extra * (start > 0), step_h=1 / 60)
        assert (served_steps == 30) == lives
        assert lives or (served_steps, cause) == (10, outage.START)
    served_steps, cause, _, _ = run(np.full(30, 1.0), start=start, step_h=1 / 60, leg_start_kw=8.5)
    assert (served_steps, cause) == (10, outage.START)


def test_a_long_surge_is_allowed_for_its_time():
    load = np.full(30, 1.0)
    load[5:8] = 7.0
    assert run(load, step_h=1 / 60, surge_s=200.0)[0] == 30
    assert run(load, step_h=1 / 60, surge_s=100.0)[0] == 6


def test_one_leg_is_full_while_the_box_is_not():
    served_steps, cause, _, _ = run([[2.0] * 8, [1.0] * 8], legs=[[1.0, 0.0, 0.0], [1.0, 0.0, 0.0]], parted=2.0)
    assert (served_steps, cause) == (0, outage.LEG)
    balanced = run([[2.0] * 8, [1.0] * 8], legs=[[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]], parted=2.0)
    assert balanced[0] == 8


def test_a_start_on_one_leg_has_that_leg_s_share_of_the_surge():
    start = np.zeros((2, 20))
    start[1, 5] = 4.5
    # Two legs of 5 kW surge each: 1 kW runs on the second, half of it from the circuit across.
    load, legs = [[1.0] * 20, [0.5] * 20], [[0.5, 0.5, 0.0], [0.0, 1.0, 0.0]]
    assert run(load, legs=legs, start=start, step_h=1 / 60, parted=2.0)[:2] == (5, outage.START_LEG)
    assert run(load, legs=legs, start=start * 0.85, step_h=1 / 60, parted=2.0)[0] == 20
    assert run(load, legs=legs, start=start, step_h=1 / 60)[0] == 20


def test_a_circuit_that_is_shed_starts_nothing():
    start = np.zeros((2, 20))
    start[1, 5] = 12.0
    load = [[1.0] * 20, [0.5] * 20]
    assert run(load, start=start, step_h=1 / 60)[:2] == (5, outage.START)
    assert run(load, start=start, step_h=1 / 60, shed=[0.0, 1.0])[0] == 20


def test_after_a_trip_every_machine_that_runs_starts_at_once():
    load = np.full(30, 2.0)
    load[5] = 6.0
    again = np.zeros((1, 30))
    again[0] = 9.0
    tripped = run(load, again=again, step_h=1 / 60)[2]
    assert tripped[4, outage.STATE] == outage.SERVING
    assert set(tripped[7:9, outage.CAUSE]) == {outage.START, outage.NOTHING}
    assert tripped[-1, outage.STATE] == outage.LOCKED
    gap = run(np.full(30, 2.0), again=again, step_h=1 / 60, restarts_at_once=1.0)
    assert gap[:2] == (0, outage.START)


def test_a_box_that_is_locked_out_comes_back_when_somebody_resets_it():
    load = np.full(240, 1.0)
    load[10:30] = 6.0
    forever = run(load, step_h=1 / 60)[2]
    assert forever[-1, outage.STATE] == outage.LOCKED
    assert run(load, step_h=1 / 60, locked_min=60.0)[2][-1, outage.STATE] == outage.SERVING


def test_inverters_wait_for_a_bus_that_stands():
    _, _, flows, _ = run(np.full(20, 2.0), pv_ac=1.5, step_h=1 / 60, pv_waits_min=5.0)
    assert (flows[:5, outage.AC_USED] == 0.0).all()
    assert (flows[5:, outage.AC_USED] == 1.5).all()


def test_forming_the_grid_draws_its_own_even_when_nothing_is_asked():
    _, _, flows, _ = run(np.zeros(8), p=former(loss=CURVE))
    assert flows[:, outage.LOSS] == pytest.approx(CURVE.k0 * 5.0)
    assert flows[:, outage.DISCHARGE] == pytest.approx(CURVE.k0 * 5.0)


def test_a_circuit_shed_for_its_power_stays_off_at_any_charge():
    *_, on = run([[1.0] * 8, [4.5] * 8], shed=[0.0, 1.0])
    assert on[:, 0].all() and not on[:, 1].any()


def test_it_tries_again_and_is_locked_out_in_the_end():
    _, _, flows, _ = run(np.full(60, 6.0), step_h=1 / 60)
    states = flows[:, outage.STATE]
    assert list(np.unique(states)) == [outage.TRIPPED, outage.LOCKED]
    assert (states[-30:] == outage.LOCKED).all()
    once = np.full(60, 1.0)
    once[3] = 6.0
    _, _, flows, _ = run(once, step_h=1 / 60)
    assert flows[-1, outage.STATE] == outage.SERVING
    assert flows[-1, outage.SERVED] == 1.0


def test_circuits_are_shed_by_charge_and_come_back():
    sun = np.concatenate([np.zeros(40), np.full(40, 6.0)])
    _, _, flows, on = run([[0.5] * 80, [1.0] * 80], p=former(pv=True), pv_dc=sun, shed=[0.0, 0.5])
    off = np.flatnonzero(~on[:, 1])
    before = flows[off[0] - 1, outage.STORE]
    assert before == pytest.approx(5.0, abs=0.4)
    assert on[:, 0].all()
    back = np.flatnonzero(on[off[0] :, 1])[0] + off[0]
    assert flows[back - 1, outage.STORE] > 6.0


def test_pv_on_the_ac_bus_needs_a_box_that_turns_it_down():
    for kind, used in (("switched", 0.0), ("pv_ac", 2.0)):
        # A full battery: only what the house asks can be used, and what is only on or off is off.
        _, _, flows, _ = run(np.full(8, 2.0), **{kind: 4.0}, level=10.0)
        assert flows[2, outage.AC_USED] == pytest.approx(used)
    _, _, flows, _ = run(np.full(8, 4.0), switched=3.0, pv_ac=4.0, level=10.0)
    assert flows[2, outage.AC_USED] == pytest.approx(4.0)
    _, _, flows, _ = run(np.full(8, 1.0), pv_ac=4.0, level=2.0)
    assert flows[0, outage.AC_USED] == pytest.approx(4.0)
    assert flows[0, outage.CHARGE] == pytest.approx(3.0)


def test_charging_from_the_ac_side_stops_at_95_and_is_taken_again_below_90_per_cent():
    _, _, flows, _ = run(np.full(60, 0.5), pv_ac=3.0, level=9.0)
    stopped = int(np.flatnonzero(flows[:, outage.AC_USED] < 1.0)[0])
    assert flows[stopped - 1, outage.STORE] == pytest.approx(9.6, abs=0.35)
    assert (flows[stopped:, outage.AC_USED] == pytest.approx(0.5)) or flows[stopped, outage.AC_USED] == 0.5


def test_a_load_that_drops_leaves_the_array_s_power_nowhere_to_go():
    load = np.concatenate([np.full(10, 5.0), np.full(10, 0.2)])
    big = run(load, pv_ac=9.0, level=3.0, step_h=1 / 60)
    assert (big[0], big[1]) == (10, outage.OVER_FREQUENCY)
    small = run(load, pv_ac=4.9, level=3.0, step_h=1 / 60)
    assert small[0] == 20


def test_after_a_flat_store_only_pv_on_its_own_bus_starts_again():
    load, sun = np.full(96, 1.0), np.concatenate([np.zeros(48), np.full(48, 4.0)])
    own = run(load, p=former(pv=True), level=1.0, pv_dc=sun)
    assert own[2][40, outage.STATE] == outage.FLAT
    assert own[2][-1, outage.STATE] == outage.SERVING
    unable = run(load, p=former(pv=True), level=1.0, pv_dc=sun, black_start=0.0)
    assert unable[2][-1, outage.STATE] == outage.FLAT
    beside = run(load, level=1.0, pv_ac=sun)
    assert beside[2][-1, outage.STATE] == outage.FLAT


def test_a_generator_comes_by_charge_fills_and_keeps_the_array_off():
    _, _, flows, _ = run(
        np.full(120, 1.5),
        level=3.0,
        pv_ac=2.0,
        generator_kw=4.0,
        generator_start=0.2,
        generator_stop=0.8,
    )
    running = flows[:, outage.GEN] > 0
    dark = run(np.full(120, 1.5), level=3.0, generator_kw=4.0, generator_start=0.2, generator_stop=0.8)
    assert dark[0] == 120
    assert flows[running, outage.AC_USED].max(initial=0.0) == 0.0
    assert (dark[2][:, outage.GEN] > 0).any()
    assert dark[2][:, outage.STORE].max() == pytest.approx(8.0, abs=0.7)
