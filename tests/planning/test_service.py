"""Generators, changeovers and current transformers that are there today: what they do, what stays, what it costs."""

import numpy as np
import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job
from calm_relay.job.existing_supply import (
    ON_BUS,
    ON_CHANGEOVER,
    ExistingChangeover,
    ExistingTransformers,
    Generator,
)
from calm_relay.planning.architecture.connections import service_fates, topology_of
from calm_relay.planning.findings import Severity
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.operation.fuel import fuel_by_generator, fuel_cost, fuel_litres
from calm_relay.planning.studies.off_grid import off_grid_year_of
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan


def found(made, key, check):
    return [item for item in made.option(key).findings if item.check == check]


def each(job, **changes):
    return job.with_(generators=tuple(item.with_(**changes) for item in job.generators[:1]))


def lines(option):
    return [(line.label, line.amount) for line in option.outcome.money.lines]


@pytest.fixture(scope="module")
def hut():
    return demo_job("hut")


@pytest.fixture(scope="module")
def homes():
    return demo_job("two-homes")


@pytest.fixture(scope="module")
def two(hut):
    """The hut with a second generator that comes to help when the first does not hold the charge."""
    first = hut.generator.with_(name="Diesel", synchronises=True, kw=2.0)
    second = Generator(
        name="Petrol", kw=3.0, start_below=first.start_below, stop_above=0.6, synchronises=True, litres_per_kwh=0.6,
        price_per_litre=2.5, tank_litres=15,
    )  # fmt: skip
    return plan(hut.with_(generators=(first, second)))


def test_each_generator_burns_its_own_fuel(two):
    option = two.option("hybrid-swap")
    year = option.outcome.island_year
    kwh, hours = year.by_generator.sum(axis=1) * year.step_h, (year.by_generator > 0.0).sum(axis=1) * year.step_h
    assert len(kwh) == 2 and min(kwh) > 0.0
    assert sum(kwh) == pytest.approx(year.bus_kwh("import"), abs=1e-9)
    first = two.job.generators[0]
    own = (
        first.litres_per_kwh * (0.75 * kwh[0] + 0.25 * first.kw * hours[0]),
        0.6 * (0.75 * kwh[1] + 0.25 * 3.0 * hours[1]),
    )
    litres = sum(own)
    assert fuel_by_generator(year, two.job) == pytest.approx(own)
    assert fuel_litres(year, two.job) == pytest.approx(litres)
    assert off_grid_year_of(two, option).litres == pytest.approx(litres)
    price = two.job.generators[0].price_per_litre
    cost = own[0] * price + own[1] * 2.5
    assert fuel_cost(year, two.job) == pytest.approx(cost)
    assert option.outcome.money.bill == pytest.approx(cost)
    (note,) = found(two, "hybrid-swap", "fuel")
    assert "The tank of Petrol of 15 l is filled" in note.sentence


def test_two_generators_in_a_night_are_told_and_drawn(two):
    run = rehearse(two, two.option("hybrid-swap"), 0, 48.0)
    assert run.run.by_generator.shape[0] == 2
    assert run.run.by_generator.sum(axis=0) == pytest.approx(run.generator_kw)
    option = two.option("hybrid-swap")
    titles = [node.title for node in topology_of(option.design, option.context).nodes if node.kind == "generator"]
    assert titles == ["Diesel", "Petrol"]


def test_two_that_do_not_synchronise_stop_and_one_may_stand_by(two):
    lone = two.job.generators[1].with_(synchronises=False)
    made = plan(two.job.with_(generators=(two.job.generators[0], lone)))
    (note,) = found(made, "hybrid-swap", "generators together")
    assert note.severity is Severity.STOP and "Petrol is not made to run in parallel" in note.sentence
    job = note.mends[0].apply(made.job)
    assert [item.duty for item in job.generators] == ["runs", "stands by"]
    after = plan(job)
    assert not found(after, "hybrid-swap", "generators together")
    assert len(after.option("hybrid-swap").outcome.island_year.by_generator) == 1
    (spare,) = found(after, "hybrid-swap", "generator by hand")
    assert "stands by; no simulated outage counts on it. Its 15 l last 10 h at 2.31 kW" in spare.sentence


def test_a_generator_that_may_go_leaves_where_it_cannot_be_taken(demo):
    kept = Generator(kw=4.0, on=ON_BUS)
    stop = found(plan(demo.with_(generators=(kept,))), "ac-addon", "generator")[0]
    assert stop.severity is Severity.STOP
    loose = demo.with_(generators=(kept.with_(fate="reuse", works_cost=120.0),))
    made = plan(loose)
    (note,) = found(made, "ac-addon", "generator")
    assert note.severity is Severity.CHECK and "is taken away" in note.sentence
    option = made.option("ac-addon")
    assert [fate for _, fate in service_fates(option.design, loose)] == ["goes"]
    assert ("Taking away Generator", 120.0) in lines(option)
    assert not rehearse(made, option, 12_000, 6.0).generator_kw.any()
    assert any(part.article == "Generator" and part.fate == "taken away" for part in materials_of(option))


def test_a_generator_that_goes_serves_nobody_and_one_that_moves_costs(hut):
    gone = each(hut, fate="remove", works_cost=75.0)
    assert gone.generator is None and not gone.running_generators
    option = plan(gone).option("hybrid-swap")
    assert option.outcome.island_year.generator_hours == 0.0
    assert ("Taking away Generator", 75.0) in lines(option)
    moved = plan(each(hut, fate="move", works_cost=80.0)).option("hybrid-swap")
    assert ("Moving Generator", 80.0) in lines(moved)
    assert moved.outcome.island_year.generator_hours > 0.0


SWITCH = ExistingChangeover(name="Old switch", rated_a=63, poles=4)


def test_a_changeover_there_stands_between_meter_and_board(homes):
    job = homes.with_(
        existing_changeovers=(SWITCH,), generators=(Generator(kw=6.0, on=ON_CHANGEOVER, tank_litres=24),)
    )
    made = plan(job)
    option = made.option("ac-addon")
    topology = topology_of(option.design, option.context)
    assert topology.edge("meter > changeover Old switch").status == "there"
    assert topology.node("changeover Old switch").detail == "by hand, 63 A"
    assert any(edge.start == "changeover Old switch" and edge.kind == "generator" for edge in topology.edges)
    assert not job.running_generators and not rehearse(made, option, 20_000, 6.0).generator_kw.any()
    (by_hand,) = found(made, "ac-addon", "generator by hand")
    assert by_hand.severity is Severity.CHECK and "take it for the grid" in by_hand.sentence
    assert wiring_of(option.design, option.context).cable("meter > changeover Old switch").is_there


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({}, "for Petrol set feeds no changeover and no inverter: the house is off"),
        ({"on": ON_CHANGEOVER}, "Until Petrol set is started and switched over nothing stands in"),
        ({"fate": "remove"}, "Nothing here stands in when the grid fails: the house is off"),
    ],
)
def test_where_nothing_stands_in_a_generator_that_is_there_is_not_passed_over(demo, changes, words):
    switch = (ExistingChangeover(),) if "on" in changes else ()
    job = demo.with_(generators=(Generator(name="Petrol set", kw=4.0, **changes),), existing_changeovers=switch)
    (told,) = [note for note in plan(job).as_is.findings if note.check == "grid down"]
    assert words in told.sentence


def test_a_changeover_is_held_against_the_service(homes):
    weak = plan(homes.with_(existing_changeovers=(SWITCH.with_(rated_a=40.0, poles=3),)))
    (note,) = found(weak, "as-is", "changeover there")
    assert note.severity is Severity.STOP and (note.measured, note.limit) == (50.0, 40.0)
    assert "opens 3 of 4 conductors" in found(weak, "as-is", "poles of the changeover there")[0].sentence
    (gone,) = note.mends
    assert gone.apply(weak.job).existing_changeovers[0].fate == "remove"
    unseen = plan(homes.with_(existing_changeovers=(ExistingChangeover(),)))
    (asked,) = found(unseen, "as-is", "changeover there")
    assert "its rating and how many conductors it opens was not seen" in asked.sentence
    (both,) = found(plan(homes.with_(existing_changeovers=(SWITCH,))), "hybrid-beside", "two changeovers")
    assert "Old switch stands ahead of the changeover of" in both.sentence


def test_a_changeover_that_may_go_goes_where_a_new_unit_brings_one(homes):
    job = homes.with_(existing_changeovers=(SWITCH.with_(fate="reuse", works_cost=55.0),))
    made = plan(job)
    new = made.option("hybrid-beside")
    assert not any(node.title == "Old switch" for node in topology_of(new.design, new.context).nodes)
    assert ("Taking away Old switch", 55.0) in lines(new)
    today = made.option("as-is")
    assert any(node.title == "Old switch" for node in topology_of(today.design, today.context).nodes)


CTS = ExistingTransformers(count=3, rated_a=100)


def test_current_transformers_there_take_the_place_of_the_assumed_ones(homes):
    name = homes.existing_batteries[0].name
    seen = CTS.with_(read_by=name)
    option = plan(homes.with_(existing_transformers=(seen,))).option("as-is")
    (item,) = topology_of(option.design, option.context).transformers
    assert (item.surveyed, item.edge) == ("Current transformers", "meter > main board")
    bare = plan(homes.with_(existing_transformers=())).option("as-is")
    (usual,) = topology_of(bare.design, bare.context).transformers
    assert (usual.surveyed, usual.unit) == ("", item.unit)


@pytest.mark.parametrize(
    ("changes", "words", "mended"),
    [
        ({"reversed": True}, "their arrows point towards the house", {"reversed": False}),
        ({"rated_a": 40.0}, "they are made for 40 A, the cable carries 50 A", None),
        ({"count": 1}, "1 of 3 conductors are seen", None),
        ({"on": "an inverter's circuit"}, "and not the service", {"on": "the service"}),
    ],
)
def test_each_fault_of_current_transformers_is_named(homes, changes, words, mended):
    seen = CTS.with_(read_by=homes.existing_batteries[0].name, **changes)
    made = plan(homes.with_(existing_transformers=(seen,)))
    note = next(note for note in found(made, "hybrid-beside", "current transformers") if words in note.sentence)
    assert note.severity is Severity.CHECK
    if mended:
        (field, value), *_ = mended.items()
        assert getattr(note.mends[0].apply(made.job).existing_transformers[0], field) == value


def test_current_transformers_whose_reader_goes_are_taken_away_or_read_again(homes):
    old = homes.existing_batteries[0]
    job = homes.with_existing_battery(0, fate="remove").with_(
        existing_transformers=(CTS.with_(read_by=old.name, works_cost=30.0),)
    )
    made = plan(job)
    key = next(
        option.key
        for option in made.live
        if any(unit.is_new and unit.has_battery for unit in option.design.converters)
    )
    left = next(note for note in found(made, key, "current transformers") if "is not there then" in note.sentence)
    assert [mend.label for mend in left.mends] == ["Take them away", "A new unit may read them"]
    again = plan(left.mends[1].apply(job)).option(key)
    read = [item for item in topology_of(again.design, again.context).transformers if item.surveyed]
    assert [again.design.converters[item.unit].is_new for item in read] == [True]
    parts = {part.article: part for part in materials_of(again)}
    assert parts["Current transformers there"].fate == "used again"
    assert "Current transformers of the inverter's own kind" not in parts
    gone = plan(left.mends[0].apply(job)).option(key)
    assert ("Taking away Current transformers", 30.0) in lines(gone)


def test_a_monitor_s_transformers_are_drawn_without_a_unit(homes):
    option = plan(homes.with_(existing_transformers=(CTS.with_(name="Monitor"),))).option("ac-addon")
    (item,) = [item for item in topology_of(option.design, option.context).transformers if item.unit is None]
    assert item.key == "CT Monitor"
    assert any("read by a monitor" in note.sentence for note in option.findings)


def test_a_cable_of_current_transformers_that_is_too_short_is_found(demo):
    unit = next(
        item for item in plan(demo).option("ac-addon").context.equipment.catalogue.inverters
        if item.key == plan(demo).option("ac-addon").design.leader.inverter.key
    )  # fmt: skip
    short = demo.with_(
        own_equipment=demo.own_equipment.with_(inverters=(unit.with_(ct_cable_m=5.0),)),
        battery=demo.battery.with_(battery_inverter=unit.key),
    )
    (note,) = found(plan(short), "ac-addon", "cable of current transformers")
    assert note.severity is Severity.CHECK and note.measured > 5.0
    assert "made longer with screened twisted pairs" in note.sentence
    enough = short.with_(own_equipment=demo.own_equipment.with_(inverters=(unit.with_(ct_cable_m=80.0),)))
    (fine,) = found(plan(enough), "ac-addon", "cable of current transformers")
    assert fine.severity is Severity.OK and fine.measured == pytest.approx(note.measured)


def test_what_contradicts_itself_at_the_service_is_refused_at_the_field(demo, hut):
    with pytest.raises(ValidationError, match=r"generators\.0\.on: no changeover is there today"):
        demo.with_(generators=(Generator(kw=4.0, on=ON_CHANGEOVER),))
    with pytest.raises(ValidationError, match="an off-grid house has no grid to change over from"):
        hut.with_(existing_changeovers=(SWITCH,))
    with pytest.raises(ValidationError, match="generators: 'Generator' stands twice"):
        demo.with_(generators=(Generator(kw=4.0), Generator(kw=5.0)))
    with pytest.raises(ValidationError, match="start_below: 90% is not below stop_above, 80%"):
        Generator(kw=4.0, start_below=0.9)


def test_current_transformers_follow_the_name_of_what_reads_them(homes):
    name = homes.existing_batteries[0].name
    job = homes.with_(existing_transformers=(CTS.with_(read_by=name),))
    assert job.with_existing_battery(0, name="Old one").existing_transformers[0].read_by == "Old one"
    number = 1
    unit = CTS.with_(read_by=homes.existing_inverters[number].name)
    renamed = homes.with_(existing_transformers=(unit,)).with_existing_inverter(number, name="Shed unit")
    assert renamed.existing_transformers[0].read_by == "Shed unit"


def test_a_whole_year_with_two_generators_closes(two):
    for option in two.live:
        year = option.outcome.year
        assert np.abs(year.by_generator.sum(axis=0) - year.at_bus("import")).max() < 1e-9
        assert year.largest_residual_kwh < 1e-9
