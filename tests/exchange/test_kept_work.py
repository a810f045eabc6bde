"""Work not yet saved: kept edit by edit, offered when its application was ended, and never what was saved."""

import json
import os
import subprocess
import sys
import time
import zlib
from pathlib import Path

import pytest

from calm_relay.exchange.job_file import job_text, read_job, write_job
from calm_relay.exchange.kept_work import (
    ChangedOnDisk,
    Journal,
    forget,
    journals_folder,
    left_behind,
    save_job,
)


@pytest.fixture(autouse=True)
def own_folder(tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "state"))
    return tmp_path / "state"


@pytest.fixture
def journal():
    made = Journal()
    yield made
    made.close()


def left():
    work, told = left_behind()
    assert told == ()
    return work


def ended(code, *words):
    """A process that keeps work and is killed."""
    head = (
        "import os, signal, sys; from pathlib import Path; from calm_relay.exchange.shipped import demo_job; "
        "from calm_relay.exchange.kept_work import *; from calm_relay.exchange.files import file_mark; "
        "journal = Journal(); job = demo_job(); "
    )
    end = "; journal.flush(); os.kill(os.getpid(), signal.SIGKILL)"
    done = subprocess.run([sys.executable, "-c", head + code + end, *map(str, words)], env=os.environ, check=False)
    assert done.returncode == -9


def test_work_survives_a_kill_edit_by_edit(own_folder):
    ended(
        "journal.begin(job, None, Path.cwd(), None); "
        "[journal.record(job.with_(name=f'Half done {n}', notes='x' * n)) for n in range(40)]"
    )
    (work,) = left()
    assert (work.job.name, work.job.notes, work.path) == ("Half done 39", "x" * 39, None)
    # What an edit left as it was is not written again.
    (file,) = journals_folder().iterdir()
    assert file.stat().st_size < 3 * len(work.job.model_dump_json())
    forget(work)
    assert left() == () and list(journals_folder().iterdir()) == []


def test_each_edit_is_on_disk_without_another_and_without_asking(journal, demo, tmp_path):
    journal.begin(demo, None, tmp_path, None)
    for number in range(20):
        journal.record(demo.with_(name=f"Edit {number}"))
        end = time.monotonic() + 60.0
        while not any(f"Edit {number}".encode() in file.read_bytes() for file in journals_folder().glob("*")):
            assert time.monotonic() < end, "the edit never came to the disk"
            time.sleep(0.001)


def test_work_of_a_living_window_is_its_own(journal, demo, tmp_path):
    journal.begin(demo, None, tmp_path, None)
    journal.record(demo.with_(name="Mine"))
    journal.flush()
    assert left() == ()
    journal.close()
    # Ended without a word, as by a kill: the lock is gone, whatever number the process had.
    (work,) = left()
    assert work.job.name == "Mine"


def test_a_slow_disk_holds_no_lock_of_a_window_that_ended(journal, demo, tmp_path, monkeypatch):
    synced, sync = [], os.fsync

    def slow(handle):
        # What a sync that has not come back yet holds of the file.
        synced.append(os.dup(handle))
        sync(handle)

    monkeypatch.setattr(os, "fsync", slow)
    journal.begin(demo, None, tmp_path, None)
    journal.record(demo.with_(name="Mine"))
    while not synced:
        time.sleep(0.01)
    assert left() == ()
    journal.close()
    try:
        (work,) = left()
    finally:
        for handle in synced:
            os.close(handle)
    assert work.job.name == "Mine"


def test_a_cut_line_costs_only_itself(journal, demo, tmp_path):
    journal.begin(demo, None, tmp_path, None)
    for name in ("One", "Two"):
        journal.record(demo.with_(name=name))
    journal.close()
    (file,) = journals_folder().iterdir()
    whole = file.read_bytes()
    for cut in range(len(whole) - 1, whole.rindex(b"Two") - 60, -7):
        file.write_bytes(whole[:cut])
        (work,) = left()
        assert work.job.name == "One"


def test_what_was_saved_is_not_offered_and_what_came_after_is(demo, tmp_path):
    path = tmp_path / "a.relay.json"
    write_job(demo, path)
    begin = "p = Path(sys.argv[1]); journal.begin(job, p, p.parent, file_mark(p)); "
    # Killed between the file and the journal.
    ended(
        begin + "one = job.with_(name='One'); journal.record(one); save_job(one, p, journal, file_mark(p))", path
    )
    assert read_job(path).name == "One" and left() == () and list(journals_folder().iterdir()) == []
    ended(
        begin + "one = job.with_(name='Uno'); journal.record(one); save_job(one, p, journal, file_mark(p)); "
        "journal.record(job.with_(name='Due'))",
        path,
    )
    (work,) = left()
    assert (work.job.name, work.path, work.newer_file) == ("Due", path, False)
    forget(work)
    # Saved under another name.
    other = tmp_path / "b.relay.json"
    ended(
        begin + "one = job.with_(name='Tre'); journal.record(one); "
        "save_job(one, Path(sys.argv[2]), journal, None)",
        path,
        other,
    )
    assert left() == ()
    # Undone until the job was as its file has it.
    ended(
        begin + "here = job.with_(name='Uno'); journal.record(job.with_(name='Quattro')); journal.record(here)",
        path,
    )
    assert read_job(path).name == "Uno" and left() == ()


def test_older_work_over_a_file_that_was_saved_since_says_so(demo, tmp_path):
    path = tmp_path / "a.relay.json"
    write_job(demo, path)
    ended("p = Path(sys.argv[1]); journal.begin(job, p, p.parent, file_mark(p)); "
          "journal.record(job.with_(name='Old'))", path)  # fmt: skip
    write_job(demo.with_(name="New"), path)
    (work,) = left()
    assert work.job.name == "Old" and work.newer_file


def test_all_that_was_left_is_offered_oldest_first_also_of_earlier_releases(demo, own_folder, tmp_path):
    for name in ("First", "Second"):
        ended(f"journal.begin(job, None, Path.cwd(), None); journal.record(job.with_(name='{name}'))")
    document = json.loads(job_text(demo.with_(name="Former")))
    former = {
        "format": "calm-relay-unsaved", "process": 2**22 + 1, "kept_at": "2026-01-02T03:04:05+00:00", "path": None,
        "folder": str(tmp_path), "job": document,
    }  # fmt: skip
    (journals_folder() / "4194305.json").write_text(json.dumps(former))
    # A living process of another program has the number.
    with subprocess.Popen(["sleep", "30"]) as other:
        document["name"], former["process"] = "Hidden", other.pid
        (journals_folder() / f"{other.pid}.json").write_text(json.dumps(former))
        assert sorted(work.job.name for work in left()) == ["First", "Former", "Hidden", "Second"]
        other.kill()
    assert [work.job.name for work in left()][-2:] == ["First", "Second"]


def test_work_of_an_older_schema_is_brought_up(own_folder, tmp_path):
    old = json.loads((Path(__file__).parent / "version_3" / "dairy.relay.json").read_text())
    lines = [
        {"format": "calm-relay-journal", "version": 1, "at": "2026-01-02T03:04:05+00:00", "path": None,
         "folder": str(tmp_path), "mark": None, "job": old},
        {"at": "2026-01-02T03:04:06+00:00", "change": {"name": "From version 3", "store": old["store"]}},
    ]  # fmt: skip
    journals_folder().mkdir(parents=True)
    raw = [json.dumps(line).encode() for line in lines]
    text = b"".join(f"{zlib.crc32(line):08x} ".encode() + line + b"\n" for line in raw)
    (journals_folder() / "x.journal").write_bytes(text)
    (work,) = left()
    assert work.job.name == "From version 3" and work.job.battery.pack == old["store"]["pack"]


@pytest.mark.parametrize(
    "text", ["", "{}", "[]", "1", "null", "[" * 9000, "{" * 9000, "\x00\x01", '{"process": 1}']
)
@pytest.mark.parametrize("name", ["7.json", "a.journal"])
def test_kept_work_of_another_shape_is_set_aside_and_told(own_folder, text, name):
    journals_folder().mkdir(parents=True)
    raw = text.encode()
    line = raw if name.endswith(".json") else f"{zlib.crc32(raw):08x} ".encode() + raw + b"\n"
    (journals_folder() / name).write_bytes(line)
    work, told = left_behind()
    assert work == () and len(told) == 1 and name in told[0]
    assert (journals_folder() / f"{name}.damaged").exists()
    assert left_behind() == ((), ())


def test_names_that_are_no_utf8_work_throughout(journal, demo, tmp_path):
    folder = tmp_path / os.fsdecode(b"f\xfc")
    folder.mkdir()
    path = folder / os.fsdecode(b"caf\xe9.relay.json")
    journal.begin(demo, path, folder, None)
    one = demo.with_(name="One")
    journal.record(one)
    save_job(one, path, journal, None)
    assert read_job(path).name == "One"
    journal.record(demo.with_(name="Two"))
    journal.close()
    (work,) = left()
    assert (work.path, work.job.name) == (path, "Two")


def test_two_windows_never_lose_one_anothers_save_in_silence(demo, tmp_path):
    """Both read the file, both save: the second is asked."""
    path = tmp_path / "a.relay.json"
    write_job(demo, path)
    from calm_relay.exchange.files import file_mark

    first, second = Journal(), Journal()
    known = file_mark(path)
    save_job(demo.with_(name="First"), path, first, known, over=False)
    with pytest.raises(ChangedOnDisk):
        save_job(demo.with_(name="Second"), path, second, known, over=False)
    assert read_job(path).name == "First"
    # A file that was removed is written anew.
    path.unlink()
    save_job(demo.with_(name="Second"), path, second, known, over=False)
    assert read_job(path).name == "Second"
    first.close()
    second.close()


def test_a_full_disk_is_told_and_the_next_edit_keeps_all_of_it(demo, tmp_path, monkeypatch):
    heard = []
    journal = Journal(told=heard.append)
    journal.begin(demo, None, tmp_path, None)
    journal.record(demo.with_(name="One"))
    journal.flush()
    with monkeypatch.context() as full:
        error = OSError(28, "No space left on device")
        full.setattr("calm_relay.exchange.kept_work._line", lambda content: (_ for _ in ()).throw(error))
        journal.record(demo.with_(name="Two", notes="also this"))
        journal.flush()
    assert heard[0].strerror == "No space left on device"
    journal.record(demo.with_(name="Three", notes="also this"))
    journal.close()
    assert heard[1:] == [None]
    (work,) = left()
    assert (work.job.name, work.job.notes) == ("Three", "also this")


def test_a_folder_that_cannot_be_written_is_told(demo, tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "file"))
    heard = []
    journal = Journal(told=heard.append)
    journal.begin(demo, None, tmp_path, None)
    journal.record(demo.with_(name="One"))
    journal.close()
    assert isinstance(heard[0], OSError)
    assert left_behind() == ((), ())
