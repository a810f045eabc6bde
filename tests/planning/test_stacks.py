"""Stacks past one cabinet: the same height twice on one unit, in energy, current, money, wiring and papers."""

from dataclasses import replace

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.commissioning.expected import expected_of
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.handover.materials import materials_of
from calm_relay.planning.handover.work_order import steps_of
from calm_relay.planning.plan import plan as plan_on
from calm_relay.planning.studies.growth import growth_of
from calm_relay.planning.studies.search import batteries_of
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan

KEY = "hybrid-swap"


def stacked(stacks, count=5):
    job = demo_job("cottage")
    return job.with_(battery=job.battery.with_(pack="slate-26", count=count, stacks=stacks))


@pytest.fixture(scope="module")
def two():
    return plan(stacked(2))


def slate():
    return next(pack for pack in library().catalogue.packs if pack.key == "slate-26")


def test_two_stacks_hold_and_give_twice_as_much_at_the_same_voltage():
    pack = slate()
    one, two = Bank(pack, 5), Bank(pack, 5, stacks=2)
    assert two.nominal_kwh == 2 * one.nominal_kwh and two.usable_kwh == 2 * one.usable_kwh
    assert (two.empty_v, two.full_v) == (one.empty_v, one.full_v)
    assert two.price == 2 * one.price + pack.stack_price
    assert two.summary == "2 × (5 × Slate 2.6 high-voltage layer)"
    assert (two.packs, two.in_parallel, one.in_parallel) == (10, 2, 1)
    unit = next(
        item for item in library().catalogue.inverters if item.battery and "slate-hv" in item.port.families
    )
    limits = [bank.dc_limits(unit, "discharge")["battery's current"] for bank in (one, two)]
    assert limits[1] == pytest.approx(2 * limits[0])


def test_the_year_is_that_of_a_pack_of_twice_the_size(two):
    """Two stacks of one kind share alike: one layer of twice the energy and current stands for them."""
    pack = slate()
    double = pack.with_(
        nominal_kwh=2 * pack.nominal_kwh,
        charge_a=2 * pack.charge_a,
        discharge_a=2 * pack.discharge_a,
        price=2 * pack.price,
        stacks_max=1,
    )
    catalogue = library().catalogue
    packs = tuple(double if item.key == pack.key else item for item in catalogue.packs)
    other = replace(library(), catalogue=catalogue.with_(packs=packs))
    year = plan_on(stacked(1), other).option(KEY).outcome.year
    mine = two.option(KEY).outcome.year
    for name in ("import", "export"):
        assert np.allclose(mine.at_bus(name), year.at_bus(name), atol=1e-9)
    assert np.allclose(mine.stored, year.stored, atol=1e-9)


def test_more_stacks_than_the_maker_allows_are_refused_with_the_reason():
    refused = plan(stacked(3)).option(KEY)
    assert any(
        "stands in 2 stacks on an inverter at most, not in 3" in reason for reason in refused.refusal.reasons
    )
    single = demo_job("pottery")
    single = single.with_(battery=single.battery.with_(stacks=2))
    refused = plan(single).option("ac-addon")
    assert any("one stack on an inverter at most" in reason for reason in refused.refusal.reasons)


def test_each_stack_has_its_cable_from_a_busbar(two):
    option = two.option(KEY)
    topology = topology_of(option.design, option.context)
    (bus,) = [node for node in topology.nodes if node.kind == "battery bus"]
    assert "2 stacks" in bus.detail
    cables = wiring_of(option.design, option.context).cables
    (own,) = [cable for cable in cables if cable.edge.kind == "pack"]
    assert own.edge.runs == 2 and own.edge.volts == option.design.leader.bank.empty_v
    whole = next(cable for cable in cables if cable.edge.kind == "battery")
    assert own.edge.drop_a == pytest.approx(whole.edge.drop_a / 2)


def test_what_is_ordered_joined_and_measured_follows(two):
    option = two.option(KEY)
    parts = {part.article: part.quantity for part in materials_of(option) if part.fate == "to buy"}
    assert parts["Slate 2.6 high-voltage layer"] == 10
    assert parts["Base, control and cables of a further stack of Slate 2.6 high-voltage layer"] == 1
    said = " ".join(step.text for step in steps_of(option))
    assert "Bring all stacks to the same charge" in said and "all layers to the same charge" in said
    keys = [item.key for item in expected_of(two, option, two.job.commissioning)]
    assert sum("pack 2 volts" in key for key in keys) == 1
    rooms = {room.name: room.words for room in growth_of(two, option).rooms}
    assert rooms["Stacks of Slate 2.6 high-voltage layer"] == "2 of 2 side by side"


def test_the_search_goes_past_one_stack_only_where_it_is_full():
    made = plan(demo_job("cottage"))
    banks = [item for item in batteries_of(made) if item["pack"] == "slate-26"]
    assert [item["count"] for item in banks if item["stacks"] == 1] == list(range(2, 9))
    assert [item["count"] for item in banks if item["stacks"] == 2] == [5, 6, 7, 8]
    assert all(item["stacks"] == 1 for item in batteries_of(made) if item["pack"] != "slate-26")
