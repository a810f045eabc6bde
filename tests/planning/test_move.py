"""A job moved to another place: nothing that belonged to the old one stays unasked."""

import re

import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.assumed import less_what_was_said
from calm_relay.job.base import PRICE_MOST
from calm_relay.job.demand import Car, FuelToday, HeatPump
from calm_relay.job.equipment import KINDS
from calm_relay.job.existing_supply import ExistingChangeover, ExistingTransformers, Generator
from calm_relay.job.finance import Finance, Lease, Loan, TariffSwitch
from calm_relay.job.survey import ExistingBattery, HorizonPoint, RuleChange
from calm_relay.job.tariff import AMOUNTS, DemandCharge, Incentive, RateWindow, RatioRule, Tariff, Tier
from calm_relay.planning.site.money_turned import usual_generator
from calm_relay.planning.site.move import NewPlace, belongings, move
from tests.plans import plan

HOUSTON = NewPlace("Houston, Texas, United States", "Houston", "United States", 29.763, -95.363, "America/Chicago")
TRALEE = NewPlace("Tralee, Kerry, Ireland", "Tralee", "Ireland", 52.27, -9.7, "Europe/Dublin")


def with_everything(job):
    rule = RatioRule(name="Loan’s limit", ratio_max=1.2, authority="A bank", clause="4", dated="2026-01")
    change = RuleChange(rule="some-rule", limit=3.0)
    site = job.site.with_(
        coldest_c=-3.0,
        hottest_c=33.0,
        horizon=(HorizonPoint(azimuth=10, elevation=5), HorizonPoint(azimuth=90, elevation=9)),
    )
    supply = job.supply.with_(inverter_limit_kw=10.0)
    return job.with_(site=site, supply=supply, rules=(rule,), rule_changes=(change,))


def test_everything_of_the_old_place_is_asked_about(demo):
    asked = {one.key: one for one in belongings(with_everything(demo), HOUSTON, library())}
    assert set(asked) == {
        "elevation", "climate", "coldest_c", "hottest_c", "horizon", "service", "fuse", "limit", "currency", "tariff",
        "charge_windows", "region", "rules", "rule_changes", "frequency", "seasons",
    }  # fmt: skip
    assert asked["service"].new == "split phase, 240 V"
    assert asked["coldest_c"].old == "−3 °C"
    assert "Loan’s limit" in asked["rules"].old


@pytest.mark.parametrize("name", ["pottery", "cottage", "dairy", "hut"])
@pytest.mark.parametrize("place", [HOUSTON, TRALEE])
def test_every_demo_can_be_moved_and_planned(name, place):
    job = with_everything(demo_job(name)) if name == "pottery" else demo_job(name)
    asked = belongings(job, place, library())
    there = move(job, place, asked)
    assert there.site.place == place.label
    assert plan(there).live
    # What was asked about is settled: asked again, nothing is left.
    assert belongings(there, place, library()) == ()


def test_what_is_not_ticked_stays(demo):
    job = with_everything(demo)
    there = move(job, TRALEE, tuple(one for one in belongings(job, TRALEE, library()) if one.key == "currency"))
    assert there.tariff.currency == "€"
    assert there.tariff.windows == job.tariff.windows
    assert there.site.horizon == job.site.horizon
    assert there.rules == job.rules


def test_what_is_usual_there_is_marked_as_assumed_and_stays_so_through_the_edit(demo):
    there = move(demo, HOUSTON, belongings(demo, HOUSTON, library()))
    said = less_what_was_said(demo, there)
    assert {"supply.phases", "supply.main_fuse_a", "tariff.price"} <= set(said.assumed)
    confirmed = less_what_was_said(said, said.with_(supply=said.supply.with_(main_fuse_a=100.0)))
    assert "supply.main_fuse_a" not in confirmed.assumed
    assert "tariff.price" in confirmed.assumed


def test_circuits_hang_on_legs_that_are_there():
    job = demo_job("dairy")
    there = move(job, HOUSTON, belongings(job, HOUSTON, library()))
    assert {circuit.leg for circuit in there.board.circuits} <= {"1", "2", "across"}
    single = move(job, TRALEE, belongings(job, TRALEE, library()))
    assert single.supply.phases == "single"


def test_a_move_into_another_money_turns_every_amount():
    """A job with an amount in every field that can hold one: all are 150 times as much, and nothing else moves."""
    job = with_amounts(demo_job("pottery"))
    (prices,) = (one for one in belongings(job, NAIROBI, library()) if one.key == "prices")
    assert prices.why == (
        "price list, example prices, fuel, what is burnt today, works on what is there, most outlay, incentives, "
        "finance and upkeep, equipment of this job"
    )
    assert (prices.old, prices.new) == ("in NZ$", "in KSh, times 150")
    before, after = job.model_dump(), prices.change(job).model_dump()
    changed = {path: (old, new) for path, old, new in differences(before, after)}
    for path, (old, new) in changed.items():
        assert new == pytest.approx(150.0 * old, rel=6e-3), path
    # A figure that is named as money and did not move would be one that was forgotten.
    left = [path for path, value in leaves(before) if is_money(path) and value and path not in changed]
    assert left == ["costs.incentives.1.amount"]
    assert len(changed) > 40
    assert "costs.incentives.1.full_up_to" in changed


def test_off_grid_nothing_is_asked_that_only_a_grid_has():
    hut = demo_job("hut")
    asked = {one.key: one for one in belongings(hut, NAIROBI, library())}
    assert not {"fuse", "limit", "tariff", "charge_windows"} & set(asked)
    there = move(hut, NAIROBI, tuple(asked.values()))
    assert there.generator.price_per_litre == pytest.approx(150.0 * hut.generator.price_per_litre)
    made = plan(there)
    # The same fuel and equipment in another money is the same choice to make.
    assert made.choice.key != "as-is"
    (note,) = (item for item in made.options[0].findings if item.check == "assumed")
    assert "price of a kWh" not in note.sentence and "main fuse" not in note.sentence
    assert "phases" in note.sentence


def test_a_generator_that_is_begun_burns_fuel_in_the_jobs_money():
    job = demo_job("hut")
    there = job.with_(costs=job.costs.with_(shipped_prices=150.0))
    assert usual_generator(job).price_per_litre == Generator(kw=5.0).price_per_litre
    assert usual_generator(there).price_per_litre == pytest.approx(285.0)
    dearest = job.with_(costs=job.costs.with_(shipped_prices=1e6))
    assert usual_generator(dearest).price_per_litre == PRICE_MOST


NAIROBI = NewPlace("Nairobi, Kenya", "Nairobi", "Kenya", -1.286, 36.817, "Africa/Nairobi")
# What names an amount of money; a pace and a share of it are none.
MONEY = re.compile(
    r"price|cost|amount|outlay_at_most|per_month$|fee$|maintenance|insurance|labour|standing_per_day"
)
NONE_OF_IT = re.compile(r"_fall$|_rise$|shipped_prices")


def is_money(path):
    name = path.split(".")[-1]
    return bool(MONEY.search(name)) and not NONE_OF_IT.search(name) and not path.startswith("tariff.")


def with_amounts(job):
    """A job with an amount in every field that can hold one."""
    burnt = FuelToday(fuel="gas", price=0.1, ends_a_year=90.0, costs_more=4000.0)
    driven = FuelToday(fuel="petrol", price=2.4, ends_a_year=200.0, costs_more=3000.0)
    later = Tariff(
        price=0.3, feed_in=0.08, standing_per_day=1.0, minimum_per_month=10.0,
        windows=(RateWindow(name="Night", price=0.15, start="00:00", end="06:00"),),
        feed_in_windows=(RateWindow(name="Evening", price=0.2, start="17:00", end="20:00"),),
        tiers=(Tier(above_kwh=300.0, surcharge=0.05),), demand_charge=DemandCharge(price_per_kw=6.0),
    )  # fmt: skip
    catalogue = library().catalogue
    costs = dict.fromkeys(AMOUNTS, 10.0)
    return job.with_(
        generators=(Generator(kw=4.0, price_per_litre=1.9, works_cost=50.0),),
        existing_inverters=tuple(item.with_(works_cost=70.0) for item in job.existing_inverters),
        existing_changeovers=(ExistingChangeover(works_cost=80.0),),
        existing_transformers=(ExistingTransformers(works_cost=20.0),),
        existing_batteries=(ExistingBattery(pack=catalogue.packs[0].key, works_cost=60.0),),
        demand=job.demand.with_(
            heat_pumps=(HeatPump(name="Heat pump", heat_kwh_per_day=60.0, instead_of=burnt),),
            cars=(Car(name="Car", kwh_per_day=8.0, charger_kw=7.0, instead_of=driven),),
        ),
        must_haves=job.must_haves.with_(outlay_at_most=30_000.0),
        costs=job.costs.with_(
            **costs,
            rebate_max=500.0,
            incentives=(
                Incentive(name="A kWh", amount=100.0, cap=2000.0),
                Incentive(name="A share", per="%", amount=10.0, full_up_to=5000.0),
            ),
        ),
        finance=Finance(
            maintenance=60.0, insurance=40.0, loan=Loan(fee=150.0), lease=Lease(per_month=90.0),
            switch=TariffSwitch(after=5, tariff=later),
        ),
        own_equipment=catalogue.with_(
            **{kind: getattr(catalogue, kind)[:1] for kind in KINDS if kind != "packs"}, packs=catalogue.packs[:2]
        ),
    )  # fmt: skip


def leaves(value, path=""):
    """Every figure of a document with its path."""
    if isinstance(value, dict):
        for name, held in value.items():
            yield from leaves(held, f"{path}.{name}" if path else name)
    elif isinstance(value, list | tuple):
        for place, held in enumerate(value):
            yield from leaves(held, f"{path}.{place}")
    elif isinstance(value, int | float) and not isinstance(value, bool):
        yield path, value


def differences(before, after):
    now = dict(leaves(after))
    return [(path, old, now[path]) for path, old in leaves(before) if now[path] != old]
