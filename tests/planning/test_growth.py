"""What was left room for, and more bought now or later."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.studies.growth import LATER_YEARS, growth_of
from calm_relay.planning.verdict.option import RefusedOption
from tests.plans import plan


def named(growth, start):
    return next(room for room in growth.rooms if room.name.startswith(start))


@pytest.mark.parametrize("name", ["pottery", "cottage", "dairy", "hut", "two-homes"])
def test_every_room_is_told_with_what_ends_it(name):
    made = plan(demo_job(name))
    for option in made.options:
        growth = growth_of(made, option)
        if isinstance(option, RefusedOption):
            assert growth is None
            continue
        for room in growth.rooms:
            assert room.used >= 0.0 and np.isfinite(room.used)
            assert room.words and room.ends
        batteries = sum(
            unit.has_battery and unit.inverter.built_in_pack is None for unit in option.design.converters
        )
        assert sum(room.name.startswith("Packs on") for room in growth.rooms) == batteries


def test_more_packs_leave_less_room(demo):
    def used(count):
        made = plan(demo.with_(battery=demo.battery.with_(count=count)))
        return named(growth_of(made, made.option("ac-addon")), "Packs on").used

    assert used(4) > used(3)


def test_a_pack_now_saves_the_visit_and_saves_sooner(demo):
    made = plan(demo)
    option = made.option("ac-addon")
    choice = next(item for item in growth_of(made, option).choices if "Fern" in item.what)
    costs, pack = demo.costs, option.design.leader.bank.pack
    assert choice.cost_now == pytest.approx(
        (pack.price + pack.install_hours * costs.labour_per_hour) * (1 + costs.margin)
    )
    assert choice.cost_later - choice.cost_now == pytest.approx(
        (costs.once_per_job + costs.permit) * (1 + costs.margin)
    )
    larger = plan(demo.with_(battery=demo.battery.with_(count=demo.battery.count + 1)))
    saved = option.outcome.money.bill - larger.option("ac-addon").outcome.money.bill
    assert choice.saving == pytest.approx(saved, abs=1e-6)
    years = np.arange(1, costs.horizon_years + 1)
    worth = -choice.cost_now + float(
        (choice.saving * (1 + costs.price_rise) ** (years - 1) / (1 + costs.discount_rate) ** years).sum()
    )
    assert choice.worth_now == pytest.approx(worth)
    late = years[LATER_YEARS:]
    worth = -choice.cost_later / (1 + costs.discount_rate) ** LATER_YEARS + float(
        (choice.saving * (1 + costs.price_rise) ** (late - 1) / (1 + costs.discount_rate) ** late).sum()
    )
    assert choice.worth_later == pytest.approx(worth)


def test_a_visit_that_costs_nothing_leaves_time_alone_to_decide(demo):
    free = demo.with_(costs=demo.costs.with_(once_per_job=0.0, permit=0.0))
    made = plan(free)
    choice = next(item for item in growth_of(made, made.option("ac-addon")).choices if "Fern" in item.what)
    assert choice.cost_now == choice.cost_later
    assert ("better now" in choice.sentence) is (
        choice.worth_now >= choice.worth_later >= 0.0 or choice.worth_now >= 0.0 > choice.worth_later
    )


def test_a_roof_and_a_unit_with_room_offer_modules_and_a_full_one_none(demo):
    made = plan(demo)
    growth = growth_of(made, made.option("ac-addon"))
    (item,) = [choice for choice in growth.choices if "mono" in choice.what]
    assert item.what.startswith("2 × ")
    assert item.saving > 0.0
    assert not item.priced
    assert "no price yet" in item.sentence
    tight = tuple(
        face.with_(rectangle=face.rectangle.with_(width_m=6.0)) if face.rectangle else face for face in demo.faces
    )
    full = plan(demo.with_(faces=tight))
    assert not [c for c in growth_of(full, full.option("ac-addon")).choices if "mono" in c.what]
