"""A job moved to another place: nothing that belonged to the old one stays unasked."""

import pytest

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.assumed import less_what_was_said
from calm_relay.job.survey import HorizonPoint, RuleChange
from calm_relay.job.tariff import RatioRule
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
        "charge_windows", "region", "rules", "rule_changes", "frequency",
    }  # fmt: skip
    assert asked["service"].new == "split phase, 240 V"
    assert asked["coldest_c"].old == "-3 °C"
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
