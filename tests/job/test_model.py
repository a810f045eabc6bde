"""What a job may hold."""

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import catalogue
from calm_relay.job.base import minutes_of
from calm_relay.job.equipment import Catalogue, Tracker
from calm_relay.job.model import GridCharge, Job, Purpose, WeatherFile


def refused(model, **changes):
    with pytest.raises(ValidationError) as caught:
        model.with_(**changes)
    return str(caught.value)


def test_a_job_cannot_be_changed_in_place(demo):
    with pytest.raises(ValidationError, match="frozen"):
        demo.name = "Other"


def test_equal_jobs_are_one_key(demo):
    again = Job.model_validate_json(demo.model_dump_json())
    assert again == demo
    assert hash(again) == hash(demo)


@pytest.mark.parametrize(
    ("part", "changes", "wanted"),
    [
        ("site", {"latitude": 81.0}, "80"),
        ("site", {"time_zone": "Pacific/Nowhere"}, "such as Pacific/Auckland"),
        ("site", {"year": 2028}, "366 days"),
        ("supply", {"main_fuse_a": 0}, "greater than 0"),
        ("battery", {"count": 65}, "64"),
        ("battery", {"reserve": 0.99}, "0.95"),
        ("losses", {"soiling": 0.95}, "less than or equal to 0.9"),
        ("tariff", {"price": float("nan")}, "finite"),
        ("tariff", {"colour": "red"}, "Extra inputs"),
    ],
)
def test_out_of_range_is_refused_with_the_range(demo, part, changes, wanted):
    assert wanted in refused(getattr(demo, part), **changes)


def test_strings_in_parallel_are_of_equal_length(demo):
    assert demo.faces[0].with_(count=12, strings=3).in_series == 4
    assert "equal length" in refused(demo.faces[0], strings=3)


def test_a_charge_window_has_a_length():
    with pytest.raises(ValidationError, match="with a length"):
        GridCharge(start="03:00", end="03:00")


@pytest.mark.parametrize("clock", ["24:00", "7:30", "12:60", "noon"])
def test_clock_times_have_two_and_two_digits(clock):
    with pytest.raises(ValidationError):
        GridCharge(start=clock, end="05:00")


def test_minutes_after_midnight():
    assert minutes_of("17:45") == 1065


def test_a_weather_file_has_a_known_ending():
    with pytest.raises(ValidationError, match=r"\.epw"):
        WeatherFile(path="station.xlsx")


def test_purposes_stand_once_and_weigh_something(demo):
    twice = (Purpose(kind="lower_bills", weight=1), Purpose(kind="lower_bills", weight=2))
    assert "each kind may stand once" in refused(demo, purposes=twice)
    assert "above 0" in refused(demo, purposes=(Purpose(kind="lower_bills", weight=0),))
    assert demo.weight("ride_through_outage") == 5


def test_import_limit_counts_phases(demo):
    assert demo.supply.import_limit_kw == pytest.approx(63 * 230 / 1000)
    assert demo.supply.with_(phases="three").import_limit_kw == pytest.approx(3 * 63 * 230 / 1000)


def test_converters_are_called_by_what_they_carry():
    kinds = {item.kind for item in catalogue().inverters}
    assert kinds == {"string inverter", "hybrid inverter", "battery inverter", "all-in-one unit"}


def test_a_converter_needs_something_to_convert():
    assert "needs pv inputs" in refused(catalogue().inverters[0], pv=None, battery=None)


def test_efficiencies_and_voltages_stand_in_order():
    converter, pack, module = catalogue().inverters[0], catalogue().packs[0], catalogue().modules[0]
    assert "cannot exceed peak" in refused(converter, weighted_efficiency=0.995)
    assert "must not exceed full_v" in refused(pack, empty_v=90.0)
    assert "below open_circuit_v" in refused(module, max_power_v=60.0)
    assert "below short_circuit_a" in refused(module, max_power_a=30.0)
    with pytest.raises(ValidationError, match="mppt_low_v <="):
        Tracker(
            mppt_low_v=200,
            mppt_high_v=150,
            full_power_low_v=210,
            start_v=120,
            max_v=600,
            usable_a=12,
            short_circuit_a=15,
        )


def test_own_equipment_replaces_an_item_with_the_same_key():
    mine = catalogue().packs[0].with_(price=1.0)
    joined = catalogue().joined(Catalogue(packs=(mine,)))
    assert len(joined.packs) == len(catalogue().packs)
    assert next(item for item in joined.packs if item.key == mine.key).price == 1.0


def test_a_key_stands_once_in_a_catalogue():
    pack = catalogue().packs[0]
    with pytest.raises(ValidationError, match="stands twice"):
        Catalogue(packs=(pack, pack))
