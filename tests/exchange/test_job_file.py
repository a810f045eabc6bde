"""Job files: nothing is lost, and what is wrong is named."""

import json
import os
from pathlib import Path

import pytest

from calm_relay.exchange import job_file
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.files import previous_version
from calm_relay.exchange.job_file import moved_job, parse_job, read_job, write_job
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.model import MeteredDemand
from calm_relay.job.survey import Attachment


@pytest.fixture
def saved(demo, tmp_path):
    path = tmp_path / "studio.relay.json"
    write_job(demo, path)
    return path


def test_a_job_comes_back_as_it_was_saved(demo, saved):
    assert read_job(saved) == demo


def test_the_version_before_is_kept(demo, saved):
    write_job(demo.with_(name="Second"), saved)
    assert read_job(saved).name == "Second"
    assert read_job(previous_version(saved)) == demo
    assert sorted(path.name for path in saved.parent.iterdir()) == [saved.name, saved.name + ".previous"]


@pytest.mark.parametrize("broken", ["write", "fsync", "replace"])
def test_a_failed_save_leaves_the_disk_as_it_was(demo, saved, monkeypatch, broken):
    before = saved.read_bytes()

    def fail(*_):
        raise OSError(28, "No space left on device")

    if broken == "fsync":
        monkeypatch.setattr(os, "fsync", fail)
    elif broken == "replace":
        monkeypatch.setattr(job_file.Path, "replace", fail)
    else:
        monkeypatch.setattr(os, "fdopen", fail)
    with pytest.raises(OSError, match="No space"):
        write_job(demo.with_(name="Second"), saved)
    assert saved.read_bytes() == before
    assert [path.name for path in saved.parent.iterdir()] == [saved.name]


def test_saving_keeps_the_file_s_permissions(demo, saved):
    saved.chmod(0o640)
    write_job(demo.with_(name="Second"), saved)
    assert saved.stat().st_mode & 0o777 == 0o640


def changed(demo, **changes):
    return json.dumps({**json.loads(demo.model_dump_json()), **changes})


@pytest.mark.parametrize(
    ("make", "where", "wanted"),
    [
        (lambda demo: '{"format": "calm-relay-job",\n "name": ', "line 2, column 10", "damaged"),
        (lambda demo: "[1, 2]", "format", "not a job file"),
        (lambda demo: '{"format": "something"}', "format", '"calm-relay-job"'),
        (
            lambda demo: changed(demo, schema_version=5),
            "schema_version",
            "newer Calm Relay; this one reads up to 4",
        ),
        (lambda demo: changed(demo, schema_version=True), "schema_version", "4"),
        (lambda demo: changed(demo, name=""), "name", "at least 1 character"),
        (lambda demo: changed(demo, purposes=[]), "purposes", "at least 1 item"),
        (lambda demo: changed(demo, assumed=["supply.colour"]), "assumed", "names no field of a job"),
        (lambda demo: changed(demo, colour="red"), "colour", "not a field this version knows"),
        (lambda demo: changed(demo, supply={"phases": "single", "volts": 230}), "supply.main_fuse_a", "missing"),
        (
            lambda demo: changed(demo, supply={"phases": "two", "volts": 230, "main_fuse_a": 63}),
            "phases",
            "'single'",
        ),
        (lambda demo: changed(demo, demand={"kind": "shape", "yearly_kwh": -1}), "demand.yearly_kwh", "is -1; "),
    ],
)
def test_a_file_that_is_no_good_job_names_the_field(demo, tmp_path, make, where, wanted):
    path = tmp_path / "bad.relay.json"
    path.write_text(make(demo))
    with pytest.raises(InputError) as caught:
        read_job(path)
    assert where in caught.value.where
    assert wanted in caught.value.problem
    assert str(caught.value).startswith("bad.relay.json, ")


def test_all_wrong_fields_are_counted(demo):
    with pytest.raises(InputError, match="2 more fields are wrong too"):
        parse_job(changed(demo, name="", outage_hours=-1, purposes=[]), "x.relay.json")


def test_missing_and_unreadable_files_are_named(tmp_path):
    with pytest.raises(InputError, match="no such file"):
        read_job(tmp_path / "none.relay.json")
    with pytest.raises(InputError, match="is a folder"):
        read_job(tmp_path)
    noise = tmp_path / "noise.relay.json"
    noise.write_bytes(b"\xff\xfe\x00\x81")
    with pytest.raises(InputError, match="not UTF-8"):
        read_job(noise)


def test_relative_paths_follow_a_job_to_another_folder(demo, tmp_path):
    job = demo.with_(
        demand=MeteredDemand(path="meter/year.csv"),
        site=demo.site.with_(weather={"kind": "file", "path": "/abs/station.epw"}),
    )
    moved = moved_job(job, tmp_path / "a", tmp_path / "b" / "c")
    assert (tmp_path / "b" / "c" / moved.demand.path).resolve() == tmp_path / "a" / "meter" / "year.csv"
    assert moved.site.weather.path == "/abs/station.epw"
    assert moved_job(job, tmp_path, tmp_path) is job


OLD_JOBS = Path(__file__).parent / "version_3"


@pytest.mark.parametrize("name", ["dairy", "hut"])
def test_a_job_of_version_3_is_read_as_today_s(name):
    """Its words were others, what they say is the same. Notes, mounting, rooms, spare, snow and counts came since."""

    def as_then(job):
        place = job.battery_place.with_(where="heated room", room=None)
        faces = [face.with_(mounting="close to the roof") for face in job.faces]
        site = job.site.with_(snow=None)
        demand = job.demand.with_(counts=None)
        return job.with_(
            notes="", battery_place=place, faces=faces, generators=job.generators[:1], site=site, demand=demand
        )

    old, now = read_job(OLD_JOBS / f"{name}.relay.json"), demo_job(name)
    assert as_then(old) == as_then(now)


def test_every_word_of_version_3_is_known(tmp_path):
    document = json.loads((OLD_JOBS / "dairy.relay.json").read_text())
    document["board"]["circuits"][0]["role"] = "street only"
    document["control"] = {"sell_windows": [{"start": "17:00", "end": "19:00", "power_kw": 3.0}]}
    document["string_plans"] = [
        {"converter": "kelder-9", "strings": [{"face": document["faces"][0]["name"], "modules": 3, "input": 1}]}
    ]
    document["attachments"] = [{"path": "a.jpg", "station": "Street"}, {"path": "b.jpg", "station": "Roof"}]
    document["own_equipment"] = {"converters": []}
    job = parse_job(json.dumps(document), tmp_path / "old.relay.json")
    assert job.backup_board.circuits[0].role == "grid only"
    assert [window.power_kw for window in job.control.export_windows] == [3.0]
    assert job.string_plans[0].inverter == "kelder-9"
    assert [item.station for item in job.attachments] == ["Grid", "Roof"]
    assert job.existing_batteries[0].pack == document["battery"]["pack"]
    assert job.weight("self_sufficiency") > 0


def test_a_job_of_the_first_version_is_read_as_it_stands(tmp_path):
    document = json.loads((OLD_JOBS / "dairy.relay.json").read_text())
    document["schema_version"] = 1
    for name in ("region", "rule_changes", "fuse_school", "string_plans", "attachments", "battery"):
        document.pop(name, None)
    document["site"].pop("horizon", None)
    for face in document["faces"]:
        for name in ("fate", "electronics", "rectangle"):
            face.pop(name, None)
    document["inverter"].pop("fate", None)
    document["demand"] = {"kind": "shape", "yearly_kwh": 5200, "loads": document["demand"]["loads"]}
    windows = document["store"].pop("charge_windows")
    document["store"]["grid_charge"] = windows[0] if windows else None
    job = parse_job(json.dumps(document), tmp_path / "old.relay.json")
    assert job.schema_version == 4
    assert (job.region, job.fuse_school) == ("generic", "series-fuse rating")
    assert {face.fate for face in job.faces} == {"reuse"}
    assert job.existing_inverters[0].fate == "reuse"
    assert len(job.battery.charge_windows) == min(len(windows), 1)


def test_a_moved_job_still_leads_to_its_photos_and_meters(demo, tmp_path):
    demand = MeteredDemand(path="in.csv", counts="net", export_path="out.csv", production_path="/made.csv")
    photo = Attachment(path="photos/board.jpg")
    moved = moved_job(demo.with_(demand=demand, attachments=(photo,)), tmp_path, tmp_path / "deep")
    assert (moved.demand.path, moved.demand.export_path) == ("../in.csv", "../out.csv")
    assert moved.demand.production_path == "/made.csv"
    assert moved.attachments[0].path == "../photos/board.jpg"
