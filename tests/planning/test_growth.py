"""What was left room for, and more bought now or later."""

import numpy as np
import pytest

from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.tariff import Incentive
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


def test_what_incentives_give_for_a_pack_is_counted(demo):
    """A rebate by the kWh up to a cap, a credit a year later, and a payment each year: what one pack more brings."""
    kwh = plan(demo).option("ac-addon").design.leader.bank.pack.nominal_kwh
    given = {
        "at sale": ({"amount": 100.0}, 100.0 * kwh, 0.0),
        "next year": ({"amount": 50.0}, 0.0, 50.0 * kwh / (1 + demo.costs.discount_rate)),
        "each year": (
            {"amount": 10.0, "years": 2},
            0.0,
            10.0 * kwh * sum((1 + demo.costs.discount_rate) ** -n for n in (1, 2)),
        ),
    }

    def choice(job):
        made = plan(job)
        return next(item for item in growth_of(made, made.option("ac-addon")).choices if "Fern" in item.what)

    bare = demo.with_(costs=demo.costs.with_(rebate_per_kwh=0.0, incentives=()))
    plain = choice(bare)
    for when, (more, at_sale, after) in given.items():
        paid = Incentive(name="Given", per="kWh", paid=when, **more)
        found = choice(bare.with_(costs=bare.costs.with_(incentives=(paid,))))
        assert plain.cost_now - found.cost_now == pytest.approx(at_sale)
        assert plain.cost_later - found.cost_later == pytest.approx(at_sale)
        assert found.worth_now - plain.worth_now == pytest.approx(at_sale + after)
        later = (at_sale + after) / (1 + demo.costs.discount_rate) ** LATER_YEARS
        assert found.worth_later - plain.worth_later == pytest.approx(later)
    capped = Incentive(name="Given", per="kWh", amount=100.0, cap=1.0)
    assert choice(bare.with_(costs=bare.costs.with_(incentives=(capped,)))).cost_now == plain.cost_now


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


def test_what_is_paid_for_an_array_is_paid_for_modules_that_are_added(demo):
    laid = demo.with_(costs=demo.costs.with_(module_labour=300.0, rebate_per_kwh=0.0, incentives=()))

    def choice(*incentives):
        made = plan(laid.with_(costs=laid.costs.with_(incentives=incentives)))
        return next(item for item in growth_of(made, made.option("ac-addon")).choices if "mono" in item.what)

    plain = choice()
    face = plan(demo).option("ac-addon").design.converters[0].stringing.runs[0].face
    kw = 2 * face.module.power_w / 1000.0
    by_power = choice(Incentive(name="Given", pays_for="array", per="kW", amount=100.0))
    assert plain.cost_now - by_power.cost_now == pytest.approx(100.0 * kw)
    capped = choice(Incentive(name="Given", pays_for="array", per="kW", amount=100_000.0))
    assert plain.cost_now - capped.cost_now == pytest.approx(2 * 300.0)
    made = choice(
        Incentive(name="Given", pays_for="array", per="kWh made", amount=0.05, paid="each year", years=1)
    )
    kwh = (
        2
        * sum(
            run.face.kwh_a_module * run.modules
            for run in plan(demo).option("ac-addon").design.converters[0].stringing.runs
        )
        / 20
    )
    assert made.worth_now - plain.worth_now == pytest.approx(0.05 * kwh / (1.0 + demo.costs.discount_rate))


def test_more_modules_bring_what_is_under_them():
    """A roof of microinverters has room for modules with theirs, and optimisers are paid for."""
    job = demo_job("cottage")
    first, *others = job.faces
    made = plan(job.with_(faces=(first.with_(count=6), *others)))
    option = made.option("micro-ac")
    more = growth_of(made, option).choices[-1]
    whole = plan(job.with_(faces=(first.with_(count=10), *others))).option("micro-ac")
    unit = next(unit for unit in option.design.converters if unit.micro is not None)
    module = unit.stringing.runs[0].module
    assert more.what == f"4 × {module.name} with {unit.micro.name} more"
    each = module.price + unit.micro.price + job.costs.module_labour
    assert more.cost_now == pytest.approx(4 * each * (1.0 + job.costs.margin))
    assert more.saving == pytest.approx(option.outcome.money.bill - whole.outcome.money.bill, rel=0.02)


def test_more_modules_on_optimisers_pay_for_theirs():
    job = demo_job("two-homes")
    under = next(item for item in catalogue().optimisers if item.any_inverter)
    optimised = plan(job.with_(faces=tuple(face.with_(electronics=under.key) for face in job.faces)))
    plain = plan(job)
    now, before = (
        next(c for c in growth_of(made, made.option("ac-addon")).choices if "Brackwen" in c.what)
        for made in (optimised, plain)
    )
    count = int(now.what.split()[0])
    assert f"with {under.name}" in now.what and "with" not in before.what
    costs = job.costs
    assert now.cost_now == pytest.approx(count * (under.price + costs.module_labour) * (1.0 + costs.margin))
