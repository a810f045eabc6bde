"""The personal library: kept, shared, never lost, and what a job carries of it."""

import json
import os
import subprocess
import sys

import pytest

from calm_relay.exchange import own_equipment
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.own_equipment import (
    change,
    export_equipment,
    import_equipment,
    leave_examples_out,
    library,
    read_bundle,
    read_kind,
    read_own_equipment,
    read_own_figures,
    read_prices,
    stamp,
    write_own_figures,
)
from calm_relay.exchange.shipped import catalogue, demo_job
from calm_relay.job.carried import named_equipment, with_copies
from calm_relay.job.own_figures import OwnFigures
from calm_relay.job.own_item import ITEMS


@pytest.fixture(autouse=True)
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "own"))
    return tmp_path / "own"


def own(kind, number=0, **changes):
    item = getattr(catalogue(), kind)[0]
    item = item.with_(key=f"own-{number}", name=f"Own {number}", **changes.pop("item", {}))
    return ITEMS[kind](item=item, **changes)


def test_without_a_file_the_library_is_what_ships():
    assert read_own_equipment()[0].of("modules") == ()
    assert library().catalogue == catalogue()


def test_items_are_put_replaced_and_taken_out(folder):
    change("modules", put=[own("modules", 1), own("modules", 2)])
    change("modules", put=[own("modules", 1, stock="on order", supplier="Brindle Supplies")])
    kept = read_kind("modules")
    assert [item.key for item in kept] == ["own-1", "own-2"]
    assert (kept[0].stock, kept[0].supplier) == ("on order", "Brindle Supplies")
    change("modules", drop=["own-2"])
    assert [item.key for item in read_kind("modules")] == ["own-1"]
    document = json.loads((folder / "modules.json").read_text())
    assert (document["format"], document["schema_version"], document["kind"]) == (
        "calm-relay-equipment",
        1,
        "modules",
    )


def test_only_what_is_in_stock_is_proposed(demo):
    change(
        "packs", put=[own("packs", 1), own("packs", 2, stock="discontinued"), own("packs", 3, stock="on order")]
    )
    drawn = library()
    keys = {pack.key for pack in drawn.offered_to(demo).packs}
    assert {"own-1", "own-2", "own-3"} & keys == {"own-1"}
    assert {"own-2", "own-3"} <= {pack.key for pack in drawn.equipment_for(demo).packs}
    # What the job itself names stays on offer to it.
    named = demo.with_(battery=demo.battery.with_(pack="own-2", count=1))
    assert "own-2" in {pack.key for pack in drawn.offered_to(named).packs}


def test_the_examples_can_be_left_out(demo):
    change("packs", put=[own("packs", 1)])
    leave_examples_out(True)
    offered = library().offered_to(demo)
    assert {pack.key for pack in offered.packs} == {"own-1", demo.battery.pack}
    assert library().on_shelf.packs[0].key == "own-1"
    leave_examples_out(False)
    assert len(library().offered_to(demo).packs) == len(catalogue().packs) + 1


def test_two_processes_never_lose_each_others_items(folder):
    code = (
        "import sys; from calm_relay.exchange.own_equipment import change; from calm_relay.exchange.shipped import "
        "catalogue; from calm_relay.job.own_item import ITEMS; m = catalogue().modules[0]\n"
        "for n in range(12): change('modules', put=[ITEMS['modules'](item=m.with_(key=f'{sys.argv[1]}-{n}'))])"
    )
    running = [
        subprocess.Popen([sys.executable, "-c", code, name], env={**os.environ, "CALM_RELAY_DATA": str(folder)})
        for name in ("left", "right")
    ]
    assert [process.wait(60) for process in running] == [0, 0]
    assert len(read_kind("modules")) == 24


def test_a_file_cut_in_half_is_set_aside_and_the_one_before_used(folder):
    change("modules", put=[own("modules", 1)])
    change("modules", put=[own("modules", 2)])
    path = folder / "modules.json"
    path.write_text(path.read_text()[:200])
    found, told = read_own_equipment()
    assert [item.key for item in found.of("modules")] == ["own-1"]
    assert "set aside as modules.damaged-" in told[0]
    assert len(list(folder.glob("modules.damaged-*.json"))) == 1
    assert read_own_equipment()[1] == ()


@pytest.mark.parametrize(("name", "text"), [("prices", "{"), ("prices", "[1]"), ("wires", '{"tables": "none"}')])
def test_a_damaged_price_list_or_figures_are_set_aside_and_told(folder, name, text):
    folder.mkdir(exist_ok=True)
    (folder / f"{name}.json").write_text(text)
    assert (read_prices(), read_own_figures()) == (None, None)
    (told,) = read_own_equipment()[1]
    assert f"set aside as {name}.damaged-" in told
    assert [path.read_text() for path in folder.glob(f"{name}.damaged-*.json")] == [text]
    assert read_own_equipment()[1] == ()


def test_figures_of_wires_are_kept_beside_the_equipment(folder):
    figures = OwnFigures(tables="bs", source="National standard, 2021", grouping=({"circuits": 2, "factor": 0.7},))
    write_own_figures(figures)
    assert read_own_figures() == figures
    assert library().own_figures == figures
    assert ("wires.json", (folder / "wires.json").stat().st_size) in [(n, size) for n, _, size in stamp()]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"format": ["calm-relay-own-equipment"]}, "format: this is no file of own equipment"),
        ({"format": own_equipment.FORMAT, "kind": ["packs"]}, r"kind: is \['packs'\]; wanted one of"),
        ({"format": own_equipment.FORMAT, "kind": {}}, "kind: is {}; wanted one of"),
    ],
)
def test_a_colleagues_file_of_another_shape_is_told(tmp_path, changes, words):
    path = tmp_path / "theirs.json"
    path.write_text(json.dumps({"schema_version": 1, "items": [], **changes}))
    with pytest.raises(InputError, match=words):
        read_bundle(path)


def test_a_newer_file_is_told_and_left_alone(folder):
    change("packs", put=[own("packs", 1)])
    path = folder / "packs.json"
    newer = path.read_text().replace('"schema_version": 1', '"schema_version": 9')
    path.write_text(newer)
    found, told = read_own_equipment()
    assert found.of("packs") == ()
    assert "schema_version: is 9, from a newer Calm Relay" in told[0]
    with pytest.raises(InputError, match="newer"):
        change("packs", put=[own("packs", 2)])
    assert path.read_text() == newer


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{}", "no file of own equipment"),
        ("[]", "no file of own equipment"),
        ("1", "no file of own equipment"),
        ("[" * 100_000, "damaged"),
        (
            '{"format": "calm-relay-equipment", "schema_version": 1, "kind": "modules", "items": [{"item": 1}]}',
            "items.0",
        ),
    ],
)
def test_a_foreign_file_is_told_and_never_an_exception(folder, text, words):
    folder.mkdir()
    (folder / "modules.json").write_text(text)
    found, told = read_own_equipment()
    assert found.of("modules") == ()
    assert words in told[0]


def test_the_same_key_twice_is_told_with_its_place(folder):
    change("modules", put=[own("modules", 1)])
    path = folder / "modules.json"
    document = json.loads(path.read_text())
    document["items"] *= 2
    path.write_text(json.dumps(document))
    assert "items.1.item.key: 'own-1' stands twice" in read_own_equipment()[1][0]


def test_a_folder_that_cannot_be_written_loses_nothing(tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "file"))
    with pytest.raises(OSError):
        change("modules", put=[own("modules", 1)])
    assert read_own_equipment()[0].of("modules") == ()


def test_a_full_disk_leaves_the_library_as_it_was(monkeypatch):
    change("modules", put=[own("modules", 1)])

    def full(path, content):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(own_equipment, "write_atomically", full)
    with pytest.raises(OSError, match="No space"):
        change("modules", put=[own("modules", 2)])
    monkeypatch.undo()


def test_a_colleague_takes_the_whole_library(tmp_path, monkeypatch):
    change("modules", put=[own("modules", 1)])
    change("packs", put=[own("packs", 2, article="F-48", priced="2026-11-01")])
    assert export_equipment(tmp_path / "all.json") == 2
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "colleague"))
    change("packs", put=[own("packs", 2)])
    assert import_equipment(tmp_path / "all.json") == (1, 1)
    assert read_kind("packs")[0].article == "F-48"
    assert import_equipment(tmp_path / "colleague" / "modules.json") == (0, 1)


def test_a_bundle_that_cannot_be_used_takes_nothing(tmp_path):
    for text in ("{", '{"format": "calm-relay-equipment-bundle", "schema_version": 1, "boats": []}', "7"):
        (tmp_path / "bad.json").write_text(text)
        with pytest.raises(InputError):
            read_bundle(tmp_path / "bad.json")
    (tmp_path / "bad.json").write_text('{"format": "calm-relay-equipment", "schema_version": 1, "kind": "boats"}')
    with pytest.raises(InputError, match="kind: is 'boats'"):
        read_bundle(tmp_path / "bad.json")


def test_the_stamp_tells_a_change():
    before = stamp()
    change("modules", put=[own("modules", 1)])
    assert stamp() != before


def test_a_job_carries_a_copy_of_every_item_it_names():
    for name in ("pottery", "cottage", "dairy", "hut"):
        job = demo_job(name)
        carried = with_copies(job, catalogue())
        for kind, key, field in named_equipment(job):
            there = {item.key for item in getattr(carried.own_equipment, kind)}
            assert key in there or field.endswith("electronics"), (name, field)
        assert with_copies(carried, catalogue()) is carried
