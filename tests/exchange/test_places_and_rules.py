"""The gazetteer and the packs of rules that ship with the application."""

from zoneinfo import available_timezones

import pytest

from calm_relay.exchange.places import find_places, plain
from calm_relay.exchange.shipped import DEMOS, demo_job, rule_packs


def test_towns_are_found_with_and_without_accents_the_larger_first():
    tralee = find_places("tralee")[0]
    assert (tralee.country, tralee.time_zone) == ("Ireland", "Europe/Dublin")
    assert (tralee.latitude, tralee.longitude) == (pytest.approx(52.27, abs=0.05), pytest.approx(-9.70, abs=0.05))
    assert find_places("nelson, new")[0].label == "Nelson, New Zealand"
    assert find_places("sao paulo")[0].country == "Brazil"
    assert find_places("São Paulo")[0] == find_places("sao paulo")[0]
    result = find_places("spring")
    assert len(result) == 12
    assert result[0].name == "Spring"
    longer = [place.inhabitants for place in result[1:]]
    assert longer == sorted(longer, reverse=True)


# What towns are called where they stand, and elsewhere.
CALLED = {
    "Wien": "Vienna, Austria",
    "vienna": "Vienna, Austria",
    "København": "Copenhagen, Denmark",
    "Warszawa": "Warsaw, Poland",
    "MÜNCHEN": "Munich, Germany",
    "Muenchen": "Munich, Germany",
    "Cologne": "Köln, Germany",
    "Milano": "Milan, Italy",
    "Porto": "Porto, Portugal",
    "Ghent": "Gent, Belgium",
    "den haag, netherlands": "The Hague, The Netherlands",
    "Bangalore": "Bengaluru, India",
    "tromso": "Tromsø, Norway",
    "Lodz": "Łódź, Poland",
}


@pytest.mark.parametrize("typed", CALLED)
def test_towns_are_found_by_what_they_are_called_there_and_elsewhere(typed):
    assert find_places(typed)[0].label == CALLED[typed]


def test_short_beginnings_are_those_of_names_alone():
    """Of three letters some town is called something like it everywhere."""
    assert all("vie" in plain(place.label) for place in find_places("vie"))
    # A place of just that name comes first, unless one that others call so is far larger.
    assert find_places("hanover")[0].label == "Hannover, Germany"
    assert find_places("hanover, united states")[0].country == "United States"


def test_what_is_no_town_finds_nothing():
    assert find_places("") == find_places("  ") == find_places(",") == find_places("xqzzyk") == ()


def test_every_zone_is_one_that_a_job_can_hold():
    zones = {place.time_zone for letter in "aeiou" for place in find_places(letter, most=400)}
    assert zones <= available_timezones()


def test_every_rule_has_authority_clause_and_date():
    packs = rule_packs()
    assert next(iter(packs)) == "generic"
    assert {"australia", "new-zealand", "united-kingdom", "ireland", "germany", "united-states", "canada"} < set(
        packs
    )
    assert "south-africa" in packs
    for pack in packs.values():
        assert any(rule.kind == "array volts" for rule in pack.rules)
        for rule in pack.rules:
            assert rule.authority and rule.clause and rule.dated
            assert rule.summary.endswith("check locally")


@pytest.mark.parametrize("name", DEMOS)
def test_every_demo_is_a_job(name):
    assert "invented" in demo_job(name).customer + demo_job(name).notes


def test_an_unknown_demo_names_those_there_are():
    with pytest.raises(ValueError, match="wanted one of pottery, cottage, dairy"):
        demo_job("castle")
