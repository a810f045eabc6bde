"""A unit in the heat and the cold of its site."""

import pytest

from calm_relay.exchange.datasheet import sheet_of_text
from calm_relay.exchange.places import find_places
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.equipment.datasheet_reader import read_fields
from calm_relay.planning.findings import Severity
from calm_relay.planning.site.new_job import new_job
from tests.plans import plan


def begun(town):
    place = find_places(town)[0]
    where = place.label, place.country, place.latitude, place.longitude, place.time_zone
    return new_job("A job", *where, 5000.0, library(), 14)


def told(made, key="hybrid-swap"):
    return [item for item in made.option(key).findings if item.check == "unit air"]


def test_hours_above_a_unit_s_full_power_are_counted():
    made = plan(begun("phoenix"))
    (unit,) = made.option("hybrid-swap").design.converters
    air = made.site.weather.temp_air
    hours = float((air > unit.inverter.full_power_to_c).sum()) * made.site.calendar.step_h
    days = int((air.reshape(365, -1).max(axis=1) > unit.inverter.full_power_to_c).sum())
    (note,) = told(made)
    assert note.severity is Severity.CHECK and hours > 1.0
    assert f"the air is above 45 °C on {days} day" in note.sentence and f"{hours:,.0f} h a year" in note.sentence


def test_a_unit_that_does_not_work_in_the_cold_of_a_site_is_told():
    made = plan(begun("edmonton"))
    (note,) = told(made)
    assert "it works from −25 °C on; outdoors it may be −" in note.sentence and note.measured < note.limit == -25.0


def test_a_hot_year_that_somebody_states_counts_and_a_mild_one_is_quiet():
    job = demo_job("pottery")
    assert not told(plan(job))
    unit = next(item for item in library().catalogue.inverters if item.key == "umberlow-h5")
    own = job.own_equipment.with_(inverters=(unit.with_(works_to_c=50.0),))
    hot = job.with_(site=job.site.with_(hottest_c=58.0), own_equipment=own)
    (note,) = told(plan(hot.with_(battery=job.battery.with_(hybrid="umberlow-h5"))))
    assert "above 45 °C in the hottest years, 58 °C at most" in note.sentence
    assert "it parts above 50 °C; it may be 58 °C" in note.sentence


@pytest.mark.parametrize(
    ("words", "read"),
    [
        ("Operating temperature range -25 to +60 °C (derating above 45 °C)", (-25.0, 60.0, 45.0)),
        ("Ambient temperature  -25 °C ... +60 °C (>45°C derating)", (-25.0, 60.0, 45.0)),
        ("Operating temperature -20~55℃, >40℃ derating", (-20.0, 55.0, 40.0)),
        ("Operating temperature -13 to 140 °F", (-25.0, 60.0, None)),
        ("Storage temperature -40 to 70 °C", (None, None, None)),
    ],
)
def test_a_datasheet_s_words_for_heat_and_cold_are_read(words, read):
    found = read_fields(sheet_of_text(words), "inverters").found
    names = ("works_from_c", "works_to_c", "full_power_to_c")
    assert tuple(found[name][0].value if name in found else None for name in names) == read


def test_a_range_to_plus_so_many_degrees_is_one():
    found = read_fields(sheet_of_text("Discharge temperature -20 to +60 °C"), "packs").found
    assert (found["discharge_min_c"][0].value, found["work_max_c"][0].value) == (-20.0, 60.0)
