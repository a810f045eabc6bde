"""What a job may hold."""

import pickle

import pytest
from pydantic import ValidationError

from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.base import minutes_of
from calm_relay.job.commissioning import Conditions, FaceLight, FieldDevice, SerialNumber, TestRecord, TypedReading
from calm_relay.job.equipment import Catalogue, Tracker
from calm_relay.job.model import GridCharge, Job, Purpose, WeatherFile
from calm_relay.job.survey import PlannedString, StringPlan
from calm_relay.job.wiring import Route


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
    with pytest.raises(ValidationError, match="mppt_low_v, full_power_low_v"):
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


def test_what_refers_to_a_face_follows_its_name():
    job = demo_job("dairy")
    name = job.faces[0].name
    plan = StringPlan(
        inverter="tarnlight-10t",
        strings=(
            PlannedString(face=name, modules=18, input=1),
            PlannedString(face=job.faces[1].name, modules=18, input=2),
        ),
    )
    light = Conditions(light=(FaceLight(face=name, irradiance=800.0),))
    stated = job.with_(
        string_plans=(plan,),
        wiring=job.wiring.with_place(f"face {name}", 3.0, 4.0),
        commissioning=job.commissioning.with_(conditions=light),
    )
    called = stated.with_face(0, name="Milking parlour")
    assert [part.face for part in called.string_plans[0].strings] == ["Milking parlour", job.faces[1].name]
    assert called.commissioning.conditions.of_face("Milking parlour").irradiance == 800.0
    assert "face Milking parlour" in [place.key for place in called.wiring.places]
    assert called.with_face(0, name=name) == stated


def test_what_was_read_of_a_unit_follows_its_name():
    """A name that is part of a longer word is none."""
    job = demo_job("two-homes")
    key = job.existing_inverters[0].name
    record = job.commissioning.with_(
        readings=(
            TypedReading(key=f"string {key}/1/1 voc", value=400.0),
            TypedReading(key=f"string {key}s/1/1 voc", value=1.0),
        ),
        serials=(SerialNumber(part=key, serial="A1"),),
        devices=(FieldDevice(address="127.0.0.1", part=key),),
    )
    route = Route(key=f"{key} > main board", length_m=12.0, measured=True)
    stated = job.with_(commissioning=record, wiring=job.wiring.with_route(route))
    called = stated.with_existing_inverter(0, name="Cellar (old)")
    assert [item.key for item in called.commissioning.readings] == [
        "string Cellar (old)/1/1 voc",
        f"string {key}s/1/1 voc",
    ]
    assert called.commissioning.serials[0].part == called.commissioning.devices[0].part == "Cellar (old)"
    assert called.wiring.route("Cellar (old) > main board").length_m == 12.0
    assert called.with_existing_inverter(0, name=key) == stated


def test_a_load_that_is_called_otherwise_stays_on_its_circuit_and_in_its_order():
    job = demo_job("two-homes")
    (car,) = job.demand.cars
    called = job.with_load("cars", 0, car.with_(name="Van"))
    assert called.demand.cars[0].name == "Van"
    assert called.control.surplus_order == tuple("Van" if n == car.name else n for n in job.control.surplus_order)
    held = [c.loads for c in job.backup_board.circuits if car.name in c.loads]
    assert held and [c.loads for c in called.backup_board.circuits if "Van" in c.loads] == [
        tuple("Van" if n == car.name else n for n in loads) for loads in held
    ]
    gone = called.with_load("cars", 0, None)
    assert gone.demand.cars == () and "Van" not in gone.control.surplus_order
    assert not any("Van" in circuit.loads for circuit in gone.backup_board.circuits)


def test_a_name_within_another_name_stays():
    """Two units are called so until somebody names them: the second keeps what was stated of it."""
    job = demo_job("two-homes")
    job = job.with_existing_inverter(0, name="Inverter").with_existing_inverter(1, name="Inverter 2")
    record = job.commissioning.with_(
        readings=(
            TypedReading(key="Inverter ac kw", value=1.0),
            TypedReading(key="Inverter 2 ac kw", value=2.0),
            TypedReading(key="battery of Inverter 2 soc", value=50.0),
        )
    )
    called = job.with_(commissioning=record).with_existing_inverter(0, name="Cellar")
    keys = [item.key for item in called.commissioning.readings]
    assert keys == ["Cellar ac kw", "Inverter 2 ac kw", "battery of Inverter 2 soc"]


def test_what_is_stated_of_a_generator_follows_its_name():
    job = demo_job("hut")
    name = job.generators[1].name
    route = Route(key=f"main board > generator {name}", length_m=31.0, measured=True)
    stated = job.with_(
        wiring=job.wiring.with_route(route),
        commissioning=job.commissioning.with_keyed_as(f"Mossgate 5: {name} starts at", "25 %"),
    )
    called = stated.with_supply_part("generators", 1, job.generators[1].with_(name="Wood shed"))
    assert called.generators[1].name == "Wood shed"
    assert called.wiring.route("main board > generator Wood shed").length_m == 31.0
    assert called.commissioning.keyed_as("Mossgate 5: Wood shed starts at") == "25 %"
    assert called.with_supply_part("generators", 1, job.generators[1]) == stated


def test_tests_and_settings_follow_circuits_that_are_called_otherwise():
    """Two circuits change their names for each other's; what is only written alike stays."""
    job = demo_job("hut")
    board = job.backup_board
    one, two = (circuit.name for circuit in board.circuits[:2])
    record = job.commissioning.with_(
        tests=(TestRecord(key=f"shed {one}", result="passed"), TestRecord(key=f"shed {two}", result="failed")),
        readings=(TypedReading(key=f"{one} ac kw", value=1.0),),
    ).with_keyed_as(f"Mossgate 5: Relay that sheds “{one}”", "40 %")
    called = {one: two, two: one}
    after = board.with_(circuits=tuple(c.with_(name=called.get(c.name, c.name)) for c in board.circuits))
    swapped = job.with_(commissioning=record).with_backup_board(after, called).commissioning
    assert {test.key: test.result for test in swapped.tests} == {f"shed {two}": "passed", f"shed {one}": "failed"}
    assert swapped.keyed_as(f"Mossgate 5: Relay that sheds “{two}”") == "40 %"
    assert swapped.readings == record.readings


def test_strings_laid_by_hand_stay_with_their_units_whatever_else_is_surveyed():
    """New units of a kind are counted after those that are there."""
    job = demo_job("two-homes")
    one, two = (unit.with_(inverter="tarnlight-3") for unit in job.existing_inverters)

    def plans(job):
        return {plan.unit: plan.strings[0].modules for plan in job.string_plans}

    by_hand = job.with_(existing_inverters=(one, two))
    for unit in (1, 2, 3):
        strings = (PlannedString(face="Garage, west", modules=4 + unit, input=1),)
        by_hand = by_hand.with_string_plan(
            "tarnlight-3", StringPlan(inverter="tarnlight-3", unit=unit, strings=strings), unit
        )
    assert plans(by_hand) == {1: 5, 2: 6, 3: 7}
    more = by_hand.with_existing_inverters((one, two, two.with_(name="Third")))
    assert plans(more) == {1: 5, 2: 6, 4: 7}
    assert plans(more.with_existing_inverters((one, two))) == {1: 5, 2: 6, 3: 7}
    moved = tuple(face.with_(wired_to=None) for face in by_hand.faces)
    assert plans(by_hand.with_existing_inverters((two,), faces=moved, existing_batteries=())) == {1: 6, 2: 7}
    assert plans(by_hand.with_existing_inverter(0, inverter="tarnlight-5")) == {1: 6, 2: 7}
    assert plans(by_hand.with_existing_inverter(0, name="Cellar")) == {1: 5, 2: 6, 3: 7}


def test_going_through_a_job_while_another_thread_looks_plans_up_by_it():
    """A hash worked out meanwhile changes nothing of what is gone through, and no copy takes it along."""
    for job in (demo_job().with_(notes="one"), demo_job("dairy").with_(notes="two")):
        gone_through = set(vars(job))
        known = hash(job)
        assert set(vars(job)) == gone_through
        other = job.model_copy(update={"notes": f"{job.notes}, changed"})
        assert hash(other) != known and hash(other.model_copy(update={"notes": job.notes})) == known
        assert hash(pickle.loads(pickle.dumps(job))) == known
