"""What hangs on the roof and runs today is not stopped by what costs it something; what could destroy it is told."""

import pytest

from calm_relay.exchange.shipped import catalogue, library
from calm_relay.job.equipment import Catalogue
from calm_relay.job.survey import ExistingInverter
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.site.new_job import new_job
from calm_relay.planning.verdict.option import RefusedOption
from tests.plans import plan

HOUSTON = ("Houston", "United States", 29.76, -95.36, "America/Chicago")
AUCKLAND = ("Auckland", "New Zealand", -36.85, 174.76, "Pacific/Auckland")
PERTH = ("Perth", "Australia", -31.95, 115.86, "Australia/Perth")


def found(made, key, check):
    return [finding for finding in made.option(key).findings if finding.check == check]


def with_array(town, modules, *inverters, **face):
    """A new job at a town whose array is there already."""
    job = new_job("There already", *town, 8000.0, library(), modules)
    there = tuple(ExistingInverter(inverter=key) for key in inverters)
    return job.with_(faces=(job.faces[0].with_(**{"fate": "reuse", **face}),), existing_inverters=there)


def test_microinverters_that_fall_out_when_it_is_hottest_take_a_battery_beside_them():
    shipped = next(unit for unit in catalogue().microinverters if unit.key == "pennant-384s")
    late = Catalogue(microinverters=(shipped.with_(key="late", mppt_low_v=27.0, start_v=22.0),))
    made = plan(with_array(HOUSTON, 24, fate="keep", electronics="late").with_(own_equipment=late))
    (note,) = found(made, "ac-addon", "hot voltage")
    assert note.severity is Severity.CHECK
    assert note.sentence.endswith("It is there and stays: it drops out in the hottest hours.")
    assert not found(made, "ac-addon", "microinverter")
    assert made.choice.key is not None and not made.option("ac-addon").stopped


def test_the_shipped_ones_track_the_shipped_modules_on_the_hottest_day():
    for town in (HOUSTON, PERTH):
        option = plan(new_job("New", *town, 8000.0, library(), 24)).option("micro-ac")
        assert not isinstance(option, RefusedOption) and not option.stopped
        assert {note.severity for note in option.findings if "hot" in note.check} <= {Severity.OK}


@pytest.mark.parametrize(("modules", "severity"), [(5, Severity.CHECK), (3, Severity.STOP)])
def test_a_short_string_that_runs_today_is_no_stop_and_one_that_cannot_run_is(modules, severity):
    """Five modules are tracked on an ordinary day and not when it is hottest; three never are: the survey is wrong."""
    job = with_array(PERTH, modules, "tarnlight-5", module="brackwen-250")
    (note,) = found(plan(job), "ac-addon", "hot voltage")
    assert note.severity is severity
    assert ("It is there and stays" in note.sentence) == (severity is Severity.CHECK)
    # Let the works lay it, and the same string is no plan.
    fresh = job.with_(faces=(job.faces[0].with_(fate="new"),), existing_inverters=())
    option = plan(fresh.with_(battery=job.battery.with_(string_inverter="tarnlight-5"))).option("ac-addon")
    assert isinstance(option, RefusedOption) or option.stopped


@pytest.mark.parametrize(
    ("modules", "cold_c", "severity"), [(30, None, Severity.CHECK), (48, -25.0, Severity.STOP)]
)
def test_a_string_above_the_rules_volts_alone_is_asked_about_and_one_above_the_inverter_s_is_a_stop(
    modules, cold_c, severity
):
    """15 modules reach 604 V where the rule ends at 600 V and inverter and module at 1000 V; 24 reach these too."""
    job = with_array(AUCKLAND, modules, "tarnlight-10t", module="brackwen-250", strings=2)
    job = job.with_(supply=job.supply.with_(phases="three"), site=job.site.with_(coldest_c=cold_c))
    made = plan(job)
    (note,) = found(made, "ac-addon", "cold voltage")
    assert note.severity is severity
    assert note.sentence.endswith("ask who inspects it whether it may stay.") == (severity is Severity.CHECK)
    assert "(AS/NZS 5033" in note.sentence
    # What is laid anew keeps the rule.
    assert "15 modules in series" not in " ".join(note.sentence for note in made.option("hybrid-swap").findings)


@pytest.mark.parametrize(
    ("inverter", "strings", "severity"),
    [("tarnlight-5", 2, Severity.CHECK), ("tarnlight-10t", 4, Severity.STOP)],
)
def test_a_current_within_an_inputs_rating_but_for_brighter_light(inverter, strings, severity):
    """One string's 13.9 A are within 16 A but for the factor of 1.25; two on one input give more than its 26 A."""
    job = with_array(PERTH, 8 * strings, inverter, strings=strings)
    if inverter == "tarnlight-10t":
        job = job.with_(supply=job.supply.with_(phases="three", volts=230.0))
    (note, *_) = found(plan(job), "as-is", "short-circuit current")
    assert note.severity is severity
    assert ("ask its maker" in note.sentence) == (severity is Severity.CHECK)
    assert "from 1 strings" not in note.sentence


def test_an_array_larger_than_its_maker_allows_stops_no_battery_beside_it():
    """20 modules on 5 kW are 1.66 where the maker ends at 1.33: what runs so destroys nothing by staying."""
    job = with_array(PERTH, 20, "tarnlight-5", strings=2)
    made = plan(job)
    for key in ("as-is", "ac-addon"):
        (note,) = found(made, key, "array ratio")
        assert note.severity is Severity.CHECK and note.measured > note.limit
        assert "It runs so today" in note.sentence
    assert not made.option("ac-addon").stopped
