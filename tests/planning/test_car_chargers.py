"""Cars on a hybrid's DC charger and cars that give back: what bounds them, what it comes to, what is asked first."""

import numpy as np
import pytest
from pydantic import ValidationError

from calm_relay.exchange.shapes import Words
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import ON_HYBRID, Car
from calm_relay.planning.drawing.single_line import single_line
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.handover.work_order import steps_of
from calm_relay.planning.operation.simulate import loads_of
from calm_relay.planning.site.controlled_loads import GIVES_BACK
from calm_relay.planning.studies.cable_losses import cable_years
from calm_relay.planning.wiring.cable import size_words
from tests.plans import plan

NIGHT = Car(
    name="Car", kwh_per_day=12.0, charger_kw=11.0, start="22:00", end="06:00", control="in cheap hours",
    charger=ON_HYBRID,
)  # fmt: skip
HYBRID = "hybrid-swap"


@pytest.fixture(scope="module")
def pottery():
    return demo_job("pottery")


@pytest.fixture(scope="module")
def unit(pottery):
    return plan(pottery).option(HYBRID).design.leader.inverter


def with_car(job, car, unit=None, **changes):
    job = job.with_(demand=job.demand.with_(cars=(car,)))
    if unit is None:
        return job
    return job.with_(
        own_equipment=job.own_equipment.with_(inverters=(unit.with_(**changes),)),
        battery=job.battery.with_(hybrid=unit.key),
    )


def found(option, check):
    return [item for item in option.findings if item.check == check]


def test_a_dc_charger_is_bounded_by_the_inverter_at_night(pottery, unit):
    made = plan(with_car(pottery, NIGHT, unit, dc_charger_kw=9.0))
    option = made.option(HYBRID)
    (note,) = found(option, "car charger")
    assert f"{unit.ac_kw:.1f} kW without sun, bounded by the inverter" in note.sentence
    assert note.measured == pytest.approx(12.0 / unit.ac_kw) and note.limit == 8.0
    run = option.outcome.year.loads
    assert run.loads[0].converter == 1 + option.design.converters.index(option.design.leader)
    assert 0.0 < run.kw.max() <= unit.ac_kw + 1e-6
    assert run.kwh("short") == pytest.approx(0.0, abs=1.0)
    assert option.outcome.year.largest_residual_kwh < 1e-9


def test_with_sun_the_array_comes_to_it_without_the_inverter(pottery, unit):
    day = NIGHT.with_(start="09:00", end="17:00", control="on surplus", kwh_per_day=20.0, charger_kw=5.0)
    on_dc = plan(with_car(pottery, day, unit, dc_charger_kw=5.0)).option(HYBRID).outcome
    on_ac = plan(with_car(pottery, day.with_(charger="on AC"), unit)).option(HYBRID).outcome
    assert on_dc.year.kwh("clipped") <= on_ac.year.kwh("clipped") + 1e-6
    assert on_dc.year.kwh("inverter") < on_ac.year.kwh("inverter")
    assert on_dc.money.bill < on_ac.money.bill


def test_an_option_without_a_dc_charger_stops_and_is_mended(pottery):
    made = plan(with_car(pottery, NIGHT))
    (note,) = found(made.option("ac-addon"), "car charger")
    assert note.severity is Severity.STOP
    job = note.mends[0].apply(made.job)
    assert not found(plan(job).option("ac-addon"), "car charger")


GIVES = NIGHT.with_(
    start="16:00", end="07:00", charger="on AC", battery_kwh=50.0, car_gives_back=True, charger_gives_back=True,
    gives_kw=5.0, keeps=0.6,
)  # fmt: skip


def test_a_car_gives_back_where_both_state_it_and_imports_fall_in_the_evening(pottery):
    made = plan(with_car(pottery, GIVES))
    (note,) = found(made.as_is, "car gives back")
    assert note.severity is Severity.OK and "keeps 30 kWh" in note.sentence
    assert "In an outage none of it is counted" in note.sentence
    year = made.as_is.outcome.year
    assert year.loads.kwh("given") > 300.0
    assert year.loads.stored.min() >= 30.0 - 12.0 - 1e-6
    plain = plan(with_car(pottery, GIVES.with_(car_gives_back=False))).as_is.outcome.year
    evening = (made.site.calendar.wall_minute >= 17 * 60) & (made.site.calendar.wall_minute < 21 * 60)
    assert year.at_bus("import")[evening].sum() < 0.75 * plain.at_bus("import")[evening].sum()
    assert year.largest_residual_kwh < 1e-9


def test_where_the_charger_does_not_state_it_nothing_is_counted(pottery, unit):
    silent = plan(with_car(pottery, GIVES.with_(charger_gives_back=False)))
    (note,) = found(silent.as_is, "car gives back")
    assert note.severity is Severity.CHECK and "none is counted" in note.sentence
    assert silent.as_is.outcome.year.loads.kwh("given") == 0.0
    on_dc = GIVES.with_(charger=ON_HYBRID)
    for states, gives in ((False, False), (True, True)):
        made = plan(with_car(pottery, on_dc, unit, dc_charger_kw=6.0, car_to_house=states)).option(HYBRID)
        assert (made.outcome.year.loads.kwh("given") > 0.0) == gives
        assert made.outcome.year.largest_residual_kwh < 1e-9
    # What it could add in an outage, where its charger is the hybrid's: 20 of 50 kWh over the mean load.
    (note,) = found(made, "car gives back")
    more = 20.0 * GIVES_BACK / made.context.demand.worst_season_mean_kw
    assert f"a full car carries the mean winter load for {more:.0f} h more." in note.sentence
    assert "h more" not in found(silent.as_is, "car gives back")[0].sentence


def test_off_grid_no_car_gives_back_and_the_finding_says_so():
    job = with_car(demo_job("hut"), GIVES.with_(kwh_per_day=2.0, charger_kw=3.0, gives_kw=3.0))
    for option in plan(job).live:
        (note,) = found(option, "car gives back")
        assert "off grid none of it is counted" in note.sentence
        assert option.outcome.year.loads.kwh("given") == 0.0


def test_two_cars_share_no_charger_and_stand_in_the_plan_s_order(pottery, unit):
    two = (NIGHT, NIGHT.with_(name="Second car"))
    job = with_car(pottery, NIGHT, unit, dc_charger_kw=9.0)
    made = plan(job.with_(demand=job.demand.with_(cars=two)))
    loads = made.option(HYBRID).outcome.year.loads.loads
    assert len(loads_of(made.job, made.site)) == 2
    assert [load.converter > 0 for load in loads] == [True, False]


def test_what_a_car_cannot_be_is_refused_at_its_field():
    with pytest.raises(ValidationError, match="battery_kwh: is missing"):
        Car(kwh_per_day=10.0, charger_kw=7.0, car_gives_back=True)
    with pytest.raises(ValidationError, match="less than the 10 kWh of a day"):
        Car(kwh_per_day=10.0, charger_kw=7.0, battery_kwh=8.0)
    assert Car(kwh_per_day=10.0, charger_kw=7.0, charger=ON_HYBRID).is_controlled


# Hours to charge by hand: 12 kWh at 7.4, 5 and 3.6 kW; arithmetic.
@pytest.mark.parametrize(("dc_kw", "hours"), [(7.4, 12.0 / 5.0), (4.0, 3.0), (3.6, 12.0 / 3.6)])
def test_hours_to_charge_by_hand(pottery, unit, dc_kw, hours):
    made = plan(with_car(pottery, NIGHT, unit, dc_charger_kw=dc_kw, ac_kw=5.0)).option(HYBRID)
    assert found(made, "car charger")[0].measured == pytest.approx(hours)
    assert np.isfinite(made.outcome.money.bill)


def off_grid(unit, **changes):
    job = demo_job("hut")
    return job.with_(
        demand=job.demand.with_(cars=(NIGHT.with_(kwh_per_day=6.0, **changes),)),
        own_equipment=job.own_equipment.with_(inverters=(unit.with_(dc_charger_kw=7.0),)),
        battery=job.battery.with_(hybrid=unit.key),
    )


def test_off_grid_it_takes_of_its_array_and_battery_without_the_inverter():
    unit = plan(demo_job("hut")).option(HYBRID).design.leader.inverter
    day = {"start": "08:00", "end": "18:00", "control": "on surplus"}
    years = {}
    for charger in (ON_HYBRID, "on AC"):
        option = plan(off_grid(unit, charger=charger, from_battery=False, **day)).option(HYBRID)
        years[charger] = option.outcome.year
        assert option.outcome.year.largest_residual_kwh < 1e-9
    on_dc, on_ac = years[ON_HYBRID], years["on AC"]
    assert on_dc.loads.loads[0].converter > 0 and on_dc.loads.kwh("taken") > on_ac.loads.kwh("taken") > 0.0
    assert on_dc.kwh("inverter") < on_ac.kwh("inverter")
    (note,) = found(plan(off_grid(unit, from_battery=False, **day)).option(HYBRID), "car charger")
    assert note.severity is Severity.OK and "the battery does not serve it" in note.sentence
    (note,) = found(plan(off_grid(unit, from_battery=True)).option(HYBRID), "car charger")
    assert "kW without sun, bounded by the charger" in note.sentence


def test_off_grid_on_a_unit_that_does_not_form_the_grid_alone_it_is_counted_over_ac():
    beside = plan(demo_job("hut")).option("two-units").design.converters[0]
    assert not beside.has_battery
    option = plan(off_grid(beside.inverter).with_(battery=demo_job("hut").battery)).option("two-units")
    assert option.outcome.year.largest_residual_kwh < 1e-9
    (note,) = found(option, "car charger")
    assert "counted as charged over AC" in note.sentence


def test_a_dc_charger_is_on_the_list_and_in_the_order_of_work_of_a_new_unit(pottery, unit):
    made = plan(with_car(pottery, NIGHT, unit, dc_charger_kw=9.0))
    option = made.option(HYBRID)
    (part,) = [item for item in materials_of(option) if item.article.startswith("DC charger of ")]
    assert (part.fate, part.quantity, part.price) == ("to buy", 1.0, None)
    assert part.article.endswith(", 9 kW, with plug and its cable") and part.note == "for Car"
    (step,) = [item for item in steps_of(option) if "DC charger for Car" in item.text]
    assert "its fuse and isolator open" in step.text and step.isolate
    without = plan(with_car(pottery, NIGHT.with_(charger="on AC"), unit, dc_charger_kw=9.0)).option(HYBRID)
    assert not any("DC charger" in item.article for item in materials_of(without))
    assert not any("DC charger" in item.text for item in steps_of(without))
    assert not any(edge.kind == "car charger" for edge in without.wiring.topology.edges)


def test_the_cable_of_a_dc_charger_is_sized_protected_drawn_and_listed(pottery, unit):
    """9 kW at the 300 V of a flat battery of 400 V are 30 A; a fuse with a quarter to spare is of 37.5 A or more."""
    option = plan(with_car(pottery, NIGHT, unit, dc_charger_kw=9.0)).option(HYBRID)
    cable = option.wiring.cable("unit 1 > charger of unit 1")
    assert (cable.edge.amps, cable.limits.needed_a) == (pytest.approx(30.0), pytest.approx(37.5))
    assert (cable.device.amps, cable.device_kind) == (40.0, "fuse")
    assert cable.capacity_a >= 40.0 and not cable.missed and cable.edge.conductors == 2
    assert [bond.size for bond in option.wiring.bonds if bond.edge.start == cable.edge.end]
    (note,) = found(option, "car charger")
    assert "chosen for 30 A, its full power at 300 V (assumed)" in note.sentence
    drawn = single_line(option.wiring, pottery.wiring)
    assert {"charger of unit 1", cable.edge.key} <= set(drawn.parts)
    words = [shape.text for shape in drawn.shapes if isinstance(shape, Words)]
    assert "DC charger" in words and "9 kW for Car" in words and "40 A" in words
    articles = {item.article: item for item in materials_of(option)}
    assert articles["DC fuse 40 A with holder"].quantity == 2.0
    assert f"Cable for direct current 1 × {size_words(cable.size)}, copper, {cable.laid.insulation}" in articles
    (pulled,) = [item for item in steps_of(option) if item.text.startswith("Umberlow 5 hybrid to DC charger: ")]
    assert "8 m, 40 A fuse" in pulled.text


def test_a_stated_voltage_sets_the_current_of_the_charger_s_cable_and_its_year_the_heat(pottery, unit):
    low = plan(with_car(pottery, NIGHT, unit, dc_charger_kw=9.0, dc_charger_v=200.0)).option(HYBRID)
    high = plan(with_car(pottery, NIGHT, unit, dc_charger_kw=9.0, dc_charger_v=600.0)).option(HYBRID)
    key = "unit 1 > charger of unit 1"
    assert low.wiring.cable(key).edge.amps == pytest.approx(45.0)
    assert high.wiring.cable(key).edge.amps == pytest.approx(15.0)
    assert "15 A, its full power at 600 V;" in found(high, "car charger")[0].sentence
    (heat,) = [item for item in cable_years(high, high.wiring) if item.key == key]
    taken = high.outcome.year.loads.kw[0]
    amps = taken[taken > 0.0] * 1000.0 / 600.0
    # Both poles, at 20 degC at least: the run is warmer by what it loses.
    ohm = 2.0 * 8.0 / 58.0 / high.wiring.cable(key).size.mm2
    assert heat.lost_kwh == pytest.approx((amps**2).sum() * ohm / 1000.0 * high.outcome.year.step_h, rel=0.25)


def test_of_two_cars_on_one_dc_charger_the_second_is_told_whom_it_serves(pottery, unit):
    job = with_car(pottery, NIGHT, unit, dc_charger_kw=9.0)
    second = NIGHT.with_(name="Van", start="12:00", end="18:00")
    job = job.with_(demand=job.demand.with_(cars=(NIGHT, second)))
    (stop,) = [item for item in found(plan(job).option(HYBRID), "car charger") if item.severity is Severity.STOP]
    assert stop.sentence == "Van is to hang on a hybrid's DC charger; the one there serves Car."
    mended = stop.mends[0].apply(job)
    assert not [
        item for item in found(plan(mended).option(HYBRID), "car charger") if item.severity is Severity.STOP
    ]
