"""Controlled loads of a job: series, order, findings with their mends, and what each order comes to."""

from dataclasses import replace

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.control import BATTERY, Control
from calm_relay.job.demand import Car, FlexibleLoad, HeatPump, HotWater, Window
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.operation.phases import import_by_phase
from calm_relay.planning.operation.simulate import loads_of
from calm_relay.planning.plan import plan as plan_on
from calm_relay.planning.site.usual_car import usual_car
from calm_relay.planning.studies.load_order import load_orders
from tests.plans import plan

CAR = Car(kwh_per_day=8, charger_kw=7.4, start="17:30", end="07:30", control="on surplus")
LOADS = {"hot_water": (HotWater(),), "cars": (CAR,), "flexible": (FlexibleLoad(),)}


def with_loads(job, order=(), **loads):
    return job.with_(demand=job.demand.with_(**(loads or LOADS)), control=job.control.with_(surplus_order=order))


def load_of(made, name):
    names = [item.name for item in loads_of(made.job, made.site)]
    return loads_of(made.job, made.site)[names.index(name)].load, names.index(name)


@pytest.fixture(scope="module")
def made():
    return plan(with_loads(demo_job("pottery")))


def test_controlled_loads_are_no_part_of_what_the_house_asks(made):
    plain = plan(demo_job("pottery"))
    assert made.demand.kw == pytest.approx(plain.demand.kw)
    names = [part.name for part in made.demand.parts]
    assert names[-3:] == ["Hot water", "Car", "Pool pump"] and "plus hot water" in made.demand.source
    year = made.option("ac-addon").outcome.year
    assert year.bus_kwh("home") == pytest.approx(made.demand.yearly_kwh + year.loads.kwh("taken"))
    assert year.largest_residual_kwh < 1e-9 and np.abs(year.loads.residuals_kwh()).max() < 1e-6
    # In an outage they are the first to go: nothing of them is behind the relay.
    phases = import_by_phase(made.option("ac-addon").design, made.job, made.demand, year)
    assert phases.max() >= year.at_bus("import").max() - 1e-9


def test_the_order_of_the_job_says_who_comes_before_the_battery():
    job = with_loads(demo_job("pottery"), ("Pool pump", BATTERY, "Car"))
    assert job.control.order_of(["Hot water", "Car", "Pool pump"]) == ("Pool pump", BATTERY, "Car", "Hot water")
    first = plan(job)
    named = [(item.name, item.load.first) for item in loads_of(first.job, first.site)]
    assert named == [("Pool pump", True), ("Car", False), ("Hot water", False)]
    assert Control().order_of(["A"]) == (BATTERY, "A")
    with pytest.raises(ValueError, match="surplus_order: 'A' stands twice"):
        Control(surplus_order=("A", "A"))


def test_what_each_order_comes_to_is_told_with_the_worth_of_a_kwh(made):
    result = load_orders(made, made.option("ac-addon"))
    none, battery, loads = result.orders
    assert (none.loads_kwh, none.loads_worth) == (0.0, None)
    assert battery.battery_kwh > loads.battery_kwh and loads.loads_kwh > battery.loads_kwh
    assert battery.is_todays and not loads.is_todays
    assert battery.loads_worth == pytest.approx((none.bill - battery.bill) / battery.loads_kwh)
    assert 0.05 < result.battery_worth < 0.5
    own = made.option("ac-addon").outcome
    assert battery.bill == pytest.approx(own.money.bill)
    assert [load.name for load in result.loads] == ["Hot water", "Car", "Pool pump"]
    assert load_orders(plan(demo_job("pottery")), made.option("ac-addon")) is None
    assert len(load_orders(made, made.as_is).orders) == 2


def test_off_grid_each_order_tells_what_the_loads_have_and_what_nobody_takes():
    hut = demo_job("hut")
    car = usual_car(hut.supply, name="Car")
    made = plan(hut.with_(demand=hut.demand.with_(cars=(car,))))
    option = made.option("hybrid-swap")
    none, battery, loads = load_orders(made, option).orders
    assert loads.taken_kwh > battery.taken_kwh >= none.taken_kwh > 0.0
    assert loads.curtailed_kwh < battery.curtailed_kwh
    year = option.outcome.year
    assert battery.unmet_kwh == pytest.approx(year.unmet_kwh)
    assert battery.curtailed_kwh == pytest.approx(year.kwh("curtailed") + year.kwh("clipped"))
    assert battery.taken_kwh == pytest.approx(year.loads.kwh("taken"))
    assert {order.loads_worth for order in (none, battery, loads)} == {None}
    assert load_orders(made, option).battery_worth is None


def test_a_car_in_cheap_hours_is_charged_when_a_kwh_costs_least():
    car = CAR.with_(control="in cheap hours")
    job = with_loads(demo_job("pottery"), cars=(car,))
    made = plan(job)
    from calm_relay.planning.site.prices import price_series

    price = price_series(job.tariff, made.site.calendar)
    taken = made.as_is.outcome.year.controlled_kw
    load, _ = load_of(made, "Car")
    assert not load.may.any() and taken[~(load.hours_left > 0)].max() == 0.0
    there = load.hours_left > 0
    assert price[taken > 0].mean() < price[there].mean()
    assert made.as_is.outcome.year.loads.kwh("short") < 10.0


def test_a_heat_pump_with_a_buffer_rests_in_its_set_back():
    pump = HeatPump(heat_kwh_per_day=40.0, buffer_kwh=12.0, set_back=(Window(start="17:00", end="20:00"),))
    free = plan(with_loads(demo_job("pottery"), heat_pumps=(pump.with_(set_back=()),)))
    rests = plan(with_loads(demo_job("pottery"), heat_pumps=(pump,)))
    evening = free.site.calendar.in_window(17 * 60, 20 * 60)

    def taken(made):
        return made.as_is.outcome.year.controlled_kw

    assert taken(rests)[evening].sum() < 0.2 * taken(free)[evening].sum()
    assert taken(rests).sum() == pytest.approx(taken(free).sum(), rel=0.03)
    assert rests.as_is.outcome.year.loads.kwh("short") == pytest.approx(0.0, abs=1e-6)
    plain = plan(with_loads(demo_job("pottery"), heat_pumps=(pump.with_(buffer_kwh=0.0, set_back=()),)))
    assert loads_of(plain.job, plain.site) == ()
    asked = next(part for part in plain.demand.parts if part.name == "Heat pump").kw.sum()
    assert taken(free).sum() == pytest.approx(asked, rel=0.05)


def found(made, check, key="as-is"):
    return [item for item in made.option(key).findings if item.check == check]


def test_a_car_that_cannot_be_full_is_found_and_mended():
    small = CAR.with_(kwh_per_day=60.0, charger_kw=2.3)
    made = plan(with_loads(demo_job("pottery"), cars=(small,)))
    (one,) = found(made, "controlled loads")
    assert "2.3 kW × 14 h is 32 of 60 kWh" in one.sentence and one.severity.name == "CHECK"
    again = plan(one.mends[0].apply(made.job))
    assert found(again, "controlled loads")[0].severity.name == "OK"
    # It is said once.
    assert not found(made, "charging window")


def test_a_car_charged_at_once_may_begin_earlier():
    late = Car(kwh_per_day=30.0, charger_kw=3.6, start="01:00", end="05:00")
    made = plan(with_loads(demo_job("pottery"), cars=(late,)))
    (one,) = found(made, "controlled loads")
    (mend,) = (mend for mend in one.mends if mend.label == "Charge Car from 20:30")
    assert found(plan(mend.apply(made.job)), "controlled loads")[0].severity.name == "OK"


def test_a_car_that_waits_by_night_for_surplus_is_told_to_come_by_day():
    by_night, by_day = CAR.with_(start="23:00", end="06:00"), CAR.with_(start="09:00", end="17:00")
    made = plan(with_loads(demo_job("pottery"), cars=(by_night,)))
    note = next(item for item in made.option("ac-addon").findings if item.check == "controlled loads")
    assert note.severity is Severity.CHECK
    assert "It is there from 23:00 to 06:00, when the array leaves next to nothing" in note.sentence
    # The pottery has a night rate.
    assert [mend.label for mend in note.mends] == ["Charge it in cheap hours", "Charge it at once"]
    for mend in note.mends:
        again = plan(mend.apply(made.job)).option("ac-addon")
        assert all(item.severity is Severity.OK for item in again.findings if item.check == "controlled loads")
    sunny = plan(with_loads(demo_job("pottery"), cars=(by_day,))).option("ac-addon")
    assert all(item.severity is Severity.OK for item in sunny.findings if item.check == "controlled loads")


def test_a_tank_that_runs_cold_is_found_and_mended():
    wet = HotWater(litres=60, litres_per_day=200, keep_above=0.0, on_surplus=False)
    made = plan(with_loads(demo_job("pottery"), hot_water=(wet,)))
    (one,) = found(made, "controlled loads")
    assert "kWh of heat a year are asked for and not there" in one.sentence
    short = made.as_is.outcome.year.loads.kwh("short")
    for mend in one.mends:
        assert plan(mend.apply(made.job)).as_is.outcome.year.loads.kwh("short") < 0.8 * short


def test_a_service_too_small_for_any_element_is_told_without_a_mend_that_is_none():
    job = with_loads(demo_job("pottery"), hot_water=(HotWater(element_kw=3.0),))
    job = job.with_(supply=job.supply.with_(main_fuse_a=0.1))
    (one,) = found(plan(job), "load on the service")
    assert "the service carries 0.0 kW" in one.sentence and one.mends == ()


def test_an_element_larger_than_the_service_stops_and_is_mended():
    made = plan(with_loads(demo_job("pottery"), hot_water=(HotWater(element_kw=30.0),)))
    (one,) = found(made, "load on the service")
    assert one.severity.name == "STOP" and "30 kW; the service carries 14.5 kW" in one.sentence
    assert not found(plan(one.mends[0].apply(made.job)), "load on the service")


def test_off_grid_a_tank_takes_what_the_arrays_would_throw_away():
    hut = demo_job("hut")
    dry, wet = plan(hut), plan(with_loads(hut, hot_water=(HotWater(),)))
    assert wet.demand.yearly_kwh == dry.demand.yearly_kwh
    for option in (option for option in wet.live if option.design.battery_converter is not None):
        year, before = option.outcome.island_year, dry.option(option.key).outcome.island_year
        taken = year.loads.kwh("surplus")
        assert taken > 100.0
        assert year.kwh("curtailed") < before.kwh("curtailed") - 0.9 * taken
        assert year.bus_kwh("import") == pytest.approx(before.bus_kwh("import"), rel=0.3, abs=20.0)
        (note,) = [item for item in option.findings if item.check == "controlled loads"]
        assert "off grid" in note.sentence or "what the array leaves" in note.sentence


def test_off_grid_what_goes_short_is_told_and_the_battery_may_serve_it():
    hut = demo_job("hut")
    made = plan(
        with_loads(hut, flexible=(FlexibleLoad(name="Pump", kw=0.6, kwh_per_day=6.0, start="20:00", end="06:00"),))
    )
    option = made.option("hybrid-swap")
    (note,) = [item for item in option.findings if item.check == "controlled loads"]
    assert "it has what arrays leave" in note.sentence
    after = plan(note.mends[0].apply(made.job)).option("hybrid-swap").outcome.island_year.loads
    assert after.kwh("short") < 0.5 * option.outcome.island_year.loads.kwh("short")


def test_off_grid_a_machine_stronger_than_what_forms_the_grid_stops():
    hut = demo_job("hut")
    made = plan(with_loads(hut, flexible=(FlexibleLoad(name="Saw", kw=30.0, kwh_per_day=60.0),)))
    note = next(item for item in made.option("hybrid-swap").findings if item.check == "load on the service")
    assert note.severity.name == "STOP" and "the inverter gives" in note.sentence


@pytest.mark.parametrize(
    ("kind", "changes", "wanted"),
    [
        (
            HotWater,
            {"hot_c": 40.0, "cold_c": 30.0, "top_up": ({"start": "01:00", "end": "01:00"},)},
            "wanted a window",
        ),
        (HotWater, {"hot_c": 35.0, "cold_c": 30.0, "litres": 5}, "greater than or equal to 10"),
        (FlexibleLoad, {"start": "08:00", "end": "08:00"}, "end: is the start"),
        (
            HotWater,
            {"top_up": ({"start": "01:00", "end": "03:00"}, {"start": "02:00", "end": "04:00"})},
            "top_up: 01:00 to 03:00 and 02:00 to 04:00 overlap",
        ),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(kind, changes, wanted):
    with pytest.raises(ValueError, match="validation error") as caught:
        kind(**changes)
    assert wanted in str(caught.value)


def on_port(job, **water):
    """The pottery with a tank on a smart load port, and units that have one."""
    tank = HotWater(name="Tank", element_kw=3.0, on_surplus=False, port_on=0.8, port_off=0.5, **water)
    return with_loads(job, hot_water=(tank,), cars=(), flexible=())


def with_ports(ports, amps):
    shipped = library()
    units = tuple(unit.with_(load_ports=ports, load_port_a=amps) for unit in shipped.catalogue.inverters)
    return replace(shipped, catalogue=shipped.catalogue.with_(inverters=units))


def test_a_smart_load_port_needs_a_unit_that_has_one():
    job = on_port(demo_job("pottery"))

    def found(ports, amps, key="ac-addon"):
        option = plan_on(job, with_ports(ports, amps)).option(key)
        return next(item for item in option.findings if item.check == "load port")

    none = found(0, None)
    assert none.severity is Severity.STOP and "have none" in none.sentence
    (mend,) = none.mends
    assert mend.apply(job).demand.hot_water[0].port_on is None
    asked = found(1, None)
    assert asked.severity is Severity.CHECK and "does not state" in asked.sentence
    fits, tight = found(1, 16.0), found(1, 10.0)
    amps = 3000.0 / job.supply.volts
    assert fits.severity is Severity.OK and f"{amps:.1f} A of the 16 A" in fits.sentence
    assert tight.severity is Severity.STOP


def test_what_hangs_on_a_port_lives_on_the_battery():
    """A tank on a port is heated from a full battery in the evening, where it would else wait for surplus."""
    made = plan_on(on_port(demo_job("pottery"), keep_above=0.0), with_ports(1, 16.0))
    year = made.option("ac-addon").outcome.year
    taken = year.loads.kw[0] > 0.0
    assert taken.any()
    assert float((year.of("discharge")[taken] > 0.0).mean()) > 0.0
    tank = HotWater(name="Tank", on_surplus=False, keep_above=0.0)
    plain = plan(with_loads(demo_job("pottery"), hot_water=(tank,), cars=(), flexible=()))
    assert not (plain.option("ac-addon").outcome.year.loads.kw[0] > 0.0).any()


def test_a_port_is_off_below_where_it_is_on():
    with pytest.raises(ValueError, match="port_off"):
        HotWater(port_on=0.5, port_off=0.6)


def test_a_car_charged_at_once_draws_on_the_battery_only_where_it_is_said_to():
    night = Car(kwh_per_day=8.0, charger_kw=7.4, start="23:00", end="06:00", within_fuse=False, planned=False)
    job = demo_job("pottery")
    job = job.with_(battery=job.battery.with_(charge_windows=()))
    without = plan(job)
    spared, served = (plan(with_loads(job, cars=(night.with_(from_battery=serves),))) for serves in (False, True))
    key, year_kwh = "ac-addon", 365 * 8.0

    def imported(made):
        return made.option(key).outcome.figures.import_kwh

    # By night there is no sun: what the battery does not give is bought.
    assert imported(spared) - imported(without) == pytest.approx(year_kwh, rel=0.01)
    assert imported(served) - imported(without) < year_kwh - 200.0
    # What the battery need not serve asks nothing of it in the evening or in an outage.
    assert spared.demand.yearly_kwh == pytest.approx(without.demand.yearly_kwh)
    assert served.demand.yearly_kwh == pytest.approx(without.demand.yearly_kwh + year_kwh, rel=0.01)
    assert spared.option(key).outcome.backup.lasting == pytest.approx(without.option(key).outcome.backup.lasting)
