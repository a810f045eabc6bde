"""A job begun from a place: what is usual there is set, marked as assumed, and gone once somebody says otherwise."""

import pytest
from pydantic import ValidationError

from calm_relay.exchange.places import find_places
from calm_relay.exchange.shipped import library
from calm_relay.job.assumed import less_what_was_said, value_at
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.site.new_job import ASSUMED, new_job
from calm_relay.planning.wiring.wiring import wiring_of
from tests.plans import plan


def begun(town, modules=12, yearly_kwh=4000.0):
    place = find_places(town)[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    return new_job("A job", *where, yearly_kwh, library(), modules)


# Services of homes and their money: common practice, no source.
USUAL = {
    "tralee": ("single", 230.0, "€", "ireland", "dublin-ie"),
    "hamburg": ("three", 230.0, "€", "germany", "hamburg-de"),
    "denver": ("split", 240.0, "$", "united-states", "denver-us"),
    "nelson, new zealand": ("single", 230.0, "NZ$", "new-zealand", "wellington-nz"),
    "cape town": ("single", 230.0, "R", "south-africa", "cape-town-za"),
    "kampala": ("single", 240.0, "USh", "generic", "kampala-ug"),
    "oslo": ("three", 230.0, "kr", "generic", "oslo-no"),
}


@pytest.mark.parametrize("town", USUAL)
@pytest.mark.parametrize("modules", [0, 12])
def test_a_place_sets_what_is_usual_there_and_a_plan_forms(town, modules):
    job = begun(town, modules)
    usual = job.supply.phases, job.supply.volts, job.tariff.currency, job.region, job.site.weather.climate
    assert usual == USUAL[town]
    assert job.assumed == ASSUMED
    assert len(job.faces) == (1 if modules else 0)
    for face in job.faces:
        assert face.azimuth == (180.0 if job.site.latitude > 0 else 0.0)
    made = plan(job)
    assert len(made.live) >= 3
    note = next(item for item in made.option("as-is").findings if item.check == "assumed")
    assert made.rules.words("main fuse") in note.sentence and note.severity is Severity.CHECK
    assert all("." not in name for name in note.sentence.split(": ")[1].rstrip(".").split(", "))
    assert note.mends[0].apply(job).assumed == ()


# Frequency and sizes of wire in homes: common practice, no source.
@pytest.mark.parametrize(
    ("town", "hertz", "gauges", "stated"),
    [
        ("hamburg", 50, False, None),
        ("denver", 60, True, None),
        ("toronto", 60, True, None),
        ("manila", 60, True, "nec"),
        ("bogota", 60, True, "nec"),
        ("kampala", 50, False, None),
    ],
)
def test_a_place_sets_frequency_and_sizes_of_wire(town, hertz, gauges, stated):
    job = begun(town)
    assert job.supply.hertz == hertz
    assert job.wiring.tables == stated and ("wiring.tables" in job.assumed) == (stated is not None)
    assert curve_of(job).nominal_hz == hertz
    tables = library().wires_for(job)
    assert tables.in_gauges == gauges
    made = plan(job)
    option = next(option for option in made.live if option.role != "today")
    cables = wiring_of(option.design, option.context).cables
    assert all(("AWG" in cable.words or "kcmil" in cable.words) == gauges for cable in cables if cable.size)


def test_a_frequency_stated_goes_before_the_regions(demo):
    assert curve_of(demo).nominal_hz == 50.0
    assert curve_of(demo.with_(supply=demo.supply.with_(hertz=60))).nominal_hz == 60.0
    american = demo.with_(region="united-states")
    assert curve_of(american).nominal_hz == 60.0
    assert curve_of(american.with_(supply=demo.supply.with_(hertz=50))).nominal_hz == 50.0


def test_what_is_said_is_no_longer_assumed():
    job = begun("tralee")
    assert value_at(job, "supply.main_fuse_a") == 63.0
    fused = less_what_was_said(job, job.with_(supply=job.supply.with_(main_fuse_a=80.0)))
    assert set(job.assumed) - set(fused.assumed) == {"supply.main_fuse_a"}
    said = less_what_was_said(fused, fused.with_(supply=fused.supply.with_(volts=240.0)))
    assert set(job.assumed) - set(said.assumed) == {"supply.main_fuse_a", "supply.volts"}
    assert less_what_was_said(job, job.with_(notes="seen")).assumed == job.assumed


def test_every_country_has_a_service_its_rules_and_its_climate():
    known = library()
    assert len(known.countries) >= 80
    for country in known.countries.values():
        assert country.region in known.rule_packs, country.name
        assert (country.volts == 240.0) >= (
            country.phases == "split" and country.hertz == 60 and country.code != "BR"
        )
        assert 0.0 < country.price < 60.0 and country.feed_in <= country.price * 2.0, country.name
    # A country that is not in the list is said, and nothing of it is guessed in silence.
    job = begun("honiara")
    assert {"region", "tariff.currency"} <= set(job.assumed)


def test_a_mark_names_a_field_of_a_job():
    job = begun("tralee")
    with pytest.raises(ValidationError, match="names no field of a job"):
        job.with_(assumed=("supply.colour",))
