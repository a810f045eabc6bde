"""What a model refuses, as the screen says it."""

import re

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.job.demand import Car
from calm_relay.job.equipment import Module, Pack
from calm_relay.job.model import Job
from calm_relay.job.tariff import Tariff
from calm_relay.planning.common.refused import field_called, refused_words

NAMES_OF_CODE = re.compile(r"\b[a-z]+_[a-z]")


def said(model, labels=None, **changes):
    with pytest.raises(ValidationError) as error:
        model.with_(**changes)
    return refused_words(error.value, type(model), labels)


@pytest.fixture(scope="module")
def pack():
    return library().catalogue.packs[0]


def test_a_model_s_own_sentence_has_the_titles_of_its_fields(pack):
    titles = {name: Pack.model_fields[name].title for name in ("empty_v", "full_v")}
    words = said(pack, empty_v=90.0, full_v=80.0)
    assert words == f"{titles['empty_v']} must not exceed {titles['full_v'].lower()}"


def test_labels_of_the_screen_go_before_titles(pack):
    labels = {"empty_v": "Lowest", "full_v": "Highest"}
    assert said(pack, labels, empty_v=90.0, full_v=80.0) == "Lowest must not exceed highest"


def test_the_path_within_a_sentence_is_the_place():
    car = Car(kwh_per_day=10.0, charger_kw=7.4)
    words = said(car, {"battery_kwh": "Car's battery"}, car_gives_back=True)
    assert words.startswith("Car's battery: is missing; wanted")


def test_a_field_in_a_list_is_told_by_number():
    tariff = Tariff(price=0.3)
    window = {"name": "Night", "price": 0.1, "start": "23:00", "end": "07:00"}
    words = said(tariff, windows=(window, window | {"end": "23:00"}))
    assert words == "Windows 2, start: is 23:00, as its end; wanted another, or a tariff without this window"


def test_what_would_be_right_is_wanted_and_never_what_an_input_should_be():
    assert said(demo_job("pottery").supply, main_fuse_a=-3.0) == "Main fuse: is -3.0; wanted greater than 0"


@pytest.mark.parametrize(
    "changes",
    [
        {"existing_inverters": ()},
        {"backup_board": {"circuits": [{"name": "x", "kw": 1.0, "leg": "L7"}]}},
        {"supply": {"main_fuse_a": -1}},
        {"control": {"surplus_order": ["battery", "battery"]}},
    ],
)
def test_nothing_the_screen_says_of_a_job_names_a_field_of_the_code(changes):
    words = said(demo_job("dairy"), **changes)
    assert not NAMES_OF_CODE.search(words), words


def test_every_field_of_a_job_and_of_equipment_has_words():
    for model in (Job, Module, Pack):
        for name in model.model_fields:
            error = ValidationError.from_exception_data(
                "x", [{"type": "value_error", "loc": (name,), "ctx": {"error": ValueError(f"{name} is no good")}}]
            )
            assert not NAMES_OF_CODE.search(refused_words(error, model)), name


def test_what_stands_in_a_part_of_an_item_is_called_by_its_path():
    inverter = next(item for item in library().catalogue.inverters if item.pv is not None)
    tracker = inverter.pv.trackers[0].model_dump() | {"mppt_low_v": 900.0}
    pv = inverter.pv.model_dump() | {"trackers": [tracker]}
    labels = {"pv.trackers.mppt_low_v": "Tracks from", "pv.trackers.max_v": "Most it stands"}
    words = said(inverter, labels, pv=pv)
    rising = "tracks from, full power from, MPPT window to and most it stands to rise in this order"
    assert words.startswith(f"PV inputs, MPPT inputs 1: wanted {rising}")


@pytest.mark.parametrize(
    ("path", "called"),
    [
        ("region", "Region"),
        ("battery.pack", "Battery, pack"),
        ("faces.2.module", "Faces 3, module"),
        ("battery.charge_windows.0.target", "Battery, charge windows 1, target"),
        ("supply.main_fuse_a", "Supply, main fuse"),
        ("", ""),
    ],
)
def test_a_field_that_stands_in_the_way_of_a_plan_is_called_as_on_screen(path, called):
    assert field_called(path, Job) == called
