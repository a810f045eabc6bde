"""Voltage and frequency of a service: what goes on it, and what a unit made for more volts gives."""

import pytest
from pydantic import ValidationError

from calm_relay.exchange.datasheet import sheet_of_text
from calm_relay.exchange.places import find_places
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.equipment import grid_range
from calm_relay.planning.architecture.refusals import phase_refusals
from calm_relay.planning.equipment.datasheet_reader import read_fields
from calm_relay.planning.equipment.equipment import equipment_of
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.new_job import new_job
from tests.plans import plan

UNITS = {item.key: item for item in library().catalogue.inverters}


def begun(town):
    place = find_places(town)[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    return new_job("A job", *where, 5000.0, library(), 14)


def on(job, volts, **changes):
    return job.with_(supply=job.supply.with_(volts=volts, **changes))


def told(option):
    return [finding for finding in option.findings if finding.check == "unit volts"]


def test_a_range_nobody_stated_is_a_tenth_about_a_unit_s_own():
    """IEC 60038: 230 V less and more 10 per cent, so that grids of 220 and of 240 V are within (from memory)."""
    assert grid_range(UNITS["umberlow-h5"]) == pytest.approx((207.0, 253.0))
    job = demo_job("pottery")
    for volts, fits in ((200.0, False), (220.0, True), (240.0, True), (260.0, False)):
        assert (not phase_refusals(UNITS["umberlow-h5"], on(job, volts))) == fits
    assert (
        "stays on a grid of 207 to 253 V, the supply has 200 V"
        in phase_refusals(UNITS["umberlow-h5"], on(job, 200.0))[0]
    )


def test_volts_between_phases_stated_for_those_to_neutral_are_told_from_a_wrong_unit():
    three = on(begun("hamburg"), 400.0)
    assert phase_refusals(UNITS["skerrin-h10t"], three)[0].endswith("it is stated from a phase to neutral")
    assert "neutral" not in phase_refusals(UNITS["skerrin-h10t"], on(three, 300.0))[0]


def test_below_its_own_volts_a_unit_s_current_binds():
    sheet = UNITS["mossgate-96s"]
    unit = sheet.on_volts(220.0)
    assert unit.ac_kw == pytest.approx(sheet.max_ac_a * 0.220)
    assert unit.backup.continuous_kw == pytest.approx(sheet.backup.continuous_kw * 220.0 / 240.0)
    assert grid_range(unit) == grid_range(sheet) == (183.0, 264.0)
    assert sheet.on_volts(240.0) is sheet and sheet.on_volts(230.0) is sheet
    micro = next(item for item in library().catalogue.microinverters if item.key == "pennant-384s")
    assert micro.on_volts(200.0).ac_w == pytest.approx(min(micro.ac_w, micro.ac_a * 200.0))
    three = UNITS["skerrin-h10t"].on_volts(210.0)
    assert three.ac_kw == pytest.approx(min(10.0, UNITS["skerrin-h10t"].max_ac_a * 0.210 * 3.0))


@pytest.mark.parametrize(("town", "volts"), [("tokyo", 200.0), ("sao paulo", 220.0)])
def test_what_is_planned_gives_what_it_can_there(town, volts):
    job = begun(town)
    assert job.supply.volts == volts
    made = plan(job)
    built = [option for option in made.live if option.design.new_converters]
    assert len(built) >= 3
    for option in built:
        for unit in option.design.converters:
            sheet = UNITS.get(unit.inverter.key)
            if sheet is not None:
                assert grid_range(sheet)[0] <= volts
        assert option.outcome.year.highest_export_kw <= sum(
            unit.inverter.ac_kw for unit in option.design.converters
        )
        notes = told(option)
        assert all(f"is made for 240 V; on {volts:g} V it gives" in note.sentence for note in notes)
        near = [note.severity is Severity.CHECK for note in notes]
        assert near == [note.measured * 0.94 < note.limit for note in notes]
    hybrid = made.option("hybrid-swap")
    (unit,) = hybrid.design.converters
    sheet = UNITS[unit.inverter.key]
    assert unit.inverter.ac_kw == pytest.approx(sheet.max_ac_a * volts / 1000.0) and told(hybrid)


def test_no_unit_of_another_voltage_is_taken_for_one_stated():
    job = begun("tokyo")
    stated = plan(job.with_(battery=job.battery.with_(hybrid="skerrin-h96s")))
    refused = stated.option("hybrid-swap")
    assert "stays on a grid of 211 to 264 V, the supply has 200 V" in refused.refusal.reasons[0]


def test_on_its_own_volts_nothing_changes_and_nothing_is_copied():
    job = demo_job("pottery")
    assert equipment_of(job, library()).catalogue is library().equipment_for(job)
    assert not any(told(option) for option in plan(job).live)


@pytest.mark.parametrize(
    ("stated", "why"),
    [
        ({"grid_low_v": 235.0}, "grid_low_v, grid_high_v: 235 to 253 V do not hold its own voltage, 230"),
        ({"full_power_to_m": 4500.0}, "full_power_to_m: 4500 is above highest_m, 4000"),
        ({"full_power_to_c": 65.0}, "full_power_to_c: 65 is above works_to_c, 60"),
    ],
)
def test_limits_that_contradict_each_other_are_refused(stated, why):
    with pytest.raises(ValidationError, match=why):
        UNITS["umberlow-h5"].with_(**stated)


def test_a_datasheet_s_range_of_grid_voltage_is_read():
    words = "AC voltage range   184 - 276 V\nBattery voltage range  42 - 58 V\nMPPT voltage range 90-520 V"
    found = read_fields(sheet_of_text(words), "inverters").found
    assert [found[name][0].value for name in ("grid_low_v", "grid_high_v")] == [184.0, 276.0]
    assert found["battery.low_v"][0].value == 42.0


def test_a_unit_for_another_frequency_is_refused_and_one_that_is_silent_asked_about():
    job = begun("kingston, jamaica")
    assert (job.supply.phases, job.supply.hertz) == ("split", 50)
    made = plan(job)
    assert not any(unit.inverter.grid_hz == "60" for option in made.live for unit in option.design.converters)
    asked = [item for option in made.live for item in option.findings if item.check == "unit hertz"]
    assert not asked
    refused = plan(job.with_(battery=job.battery.with_(hybrid="skerrin-h96s"))).option("hybrid-swap").refusal
    assert "is for grids of 60 Hz, the supply has 50" in " ".join(refused.reasons)
    silent = UNITS["skerrin-h48s"].with_(grid_hz=None)
    own = job.with_(own_equipment=job.own_equipment.with_(inverters=(silent,)))
    (note,) = [item for item in plan(own).option("hybrid-swap").findings if item.check == "unit hertz"]
    assert note.severity is Severity.CHECK and "most units for split phase are made for 60" in note.sentence
    assert not phase_refusals(UNITS["skerrin-h96s"], on(job, 240.0, hertz=60))


@pytest.mark.parametrize(
    ("words", "hertz"),
    [
        ("Grid frequency 50/60 Hz", "50 and 60"),
        ("Nominal frequency: 60 Hz (59.3 - 60.5)", "60"),
        ("Rated grid frequency 50 Hz, 60 Hz", "50 and 60"),
        ("AC frequency  50 Hz", "50"),
        ("Rated output power 5000 W", None),
    ],
)
def test_a_datasheet_s_frequency_is_read(words, hertz):
    found = read_fields(sheet_of_text(words), "inverters").found
    assert (found["grid_hz"][0].value if "grid_hz" in found else None) == hertz
