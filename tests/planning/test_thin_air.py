"""High above the sea engines give less, and what its maker does not let stand there is not planned."""

import numpy as np
import pytest

from calm_relay.exchange.datasheet import sheet_of_text
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.equipment.datasheet_reader import read_fields
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.engines import able_kw, tank_hours
from calm_relay.planning.site.first_battery import asks_for_another, first_bank
from tests.plans import plan

HUT, POTTERY = demo_job("hut"), demo_job("pottery")


def at(job, elevation_m, **changes):
    return job.with_(site=job.site.with_(elevation_m=elevation_m), **changes)


def told(option, check):
    return [finding for finding in option.findings if finding.check == check]


def test_what_a_generator_gives_falls_with_the_air_in_every_run():
    low, high = (plan(at(HUT, height)) for height in (0.0, 3000.0))
    diesel = HUT.generator
    for made, able in ((low, diesel.kw), (high, able_kw(diesel, high.job))):
        option = made.option("hybrid-swap")
        given = option.outcome.island_year.by_generator
        assert float(np.max(given)) <= able + 1e-9
        assert option.context.job.generator.kw == diesel.kw
    assert 0.6 < able_kw(diesel, high.job) / diesel.kw < 0.7
    assert not told(low.option("as-is"), "engine in thin air")
    finding = told(high.option("as-is"), "engine in thin air")[0]
    assert finding.severity is Severity.CHECK and "gives about 3.89 of its 6 kW and Petrol" in finding.sentence
    held = HUT.with_named("generators", diesel.name, full_power_to_m=3000.0)
    settled = plan(at(held, 3000.0)).option("as-is")
    (note,) = told(settled, "engine in thin air")
    assert (
        note.field == "generators.1.full_power_to_m"
        and "of its 3 kW, and every run counts with that" in note.sentence
    )
    alone = held.with_(generators=held.generators[:1]).with_named(
        "generators", diesel.name, full_power_to_m=1000.0
    )
    (quiet,) = told(plan(at(alone, 3000.0)).option("as-is"), "engine in thin air")
    assert quiet.severity is Severity.OK and "Full power is stated up to 1000 m." in quiet.sentence


def test_a_tank_lasts_longer_where_less_is_given():
    diesel = HUT.generator
    low, high = (tank_hours(diesel, at(HUT, height)) for height in (0.0, 2500.0))
    assert low == pytest.approx(diesel.tank_litres / (diesel.kw * diesel.litres_per_kwh))
    # Friction burns as much as ever.
    assert low < high < low * diesel.kw / able_kw(diesel, at(HUT, 2500.0))


def test_what_may_not_stand_so_high_is_refused_and_others_come_first():
    job = at(POTTERY, 3200.0)
    known = library()
    assert first_bank(known, "three", 3.1).pack.key == "amber-33"
    assert first_bank(known, "three", 3.1, 3200.0).pack.highest_m >= 3200.0
    assert asks_for_another(POTTERY, job)
    pack = next(item for item in known.catalogue.packs if item.highest_m == 3000.0 and item.expansion_of is None)
    refused = plan(job.with_(battery=job.battery.with_(pack=pack.key, count=pack.count_min)))
    reasons = [
        reason for option in refused.options if option not in refused.live for reason in option.refusal.reasons
    ]
    assert any("may stand up to 3,000 m above the sea; the site is at 3,200 m" in reason for reason in reasons)
    for option in plan(job).live:
        for unit in option.design.converters:
            assert not unit.is_new or (unit.inverter.highest_m or 9e9) >= 3200.0


def test_what_its_maker_says_nothing_of_is_asked_for():
    assert not told(plan(POTTERY).option("as-is"), "height")
    findings = [finding for option in plan(at(POTTERY, 2400.0)).live for finding in told(option, "height")]
    assert {finding.severity for finding in findings} == {Severity.CHECK, Severity.OK}
    assert all("2400 m above the sea" in finding.sentence for finding in findings)
    assert any("all that is planned may stand there" in finding.sentence for finding in findings)
    assert any("gives its full power up to 2000 m only" in finding.sentence for finding in findings)
    # What is there stands there: its maker is to be asked.
    there = told(plan(at(POTTERY, 4500.0)).option("as-is"), "height")[0]
    assert there.severity is Severity.CHECK and "may stand up to 4000 m" in there.sentence
    assumed = plan(at(POTTERY, 2400.0, assumed=("site.elevation_m",))).option("as-is")
    assert "How high the site lies is assumed: state it." in told(assumed, "height")[0].sentence


@pytest.mark.parametrize(
    ("words", "highest", "full"),
    [
        ("Max. operating altitude   4000 m (derating above 2000 m)", 4000.0, 2000.0),
        ("Altitude  4000 m (>3000 m derating)", 4000.0, 3000.0),
        ("Installation altitude (m)   2000", 2000.0, None),
        ("Operating altitude 3000 m / 9,843 ft", 3000.0, None),
        ("Operating altitude without derating 2000 m", None, 2000.0),
        ("Altitude 3000", None, None),
    ],
)
def test_a_datasheet_s_words_for_height_are_read(words, highest, full):
    found = read_fields(sheet_of_text(words), "inverters").found
    read = [found[name][0].value if name in found else None for name in ("highest_m", "full_power_to_m")]
    assert read == [highest, full]


def test_a_figure_told_in_two_units_is_one():
    for words in ("Weight 12 kg / 26.5 lb", "Weight 26.5 lb / 12 kg", "Weight 12 kg (26.5 lb)"):
        assert read_fields(sheet_of_text(words), "packs").found["weight_kg"][0].value == pytest.approx(
            12.0, abs=0.05
        )


def test_what_is_there_stands_as_high_as_it_stands():
    job = at(demo_job("two-homes"), 4500.0)
    today = plan(job).option("as-is")
    assert not [item for item in today.findings if item.check == "existing battery"]
    assert told(today, "height")[0].severity is Severity.CHECK
