"""The logbook: only ever added to, safe against kill, two writers and a full disk, and read whatever befell it."""

import json
import multiprocessing
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.logbook import append_entry, copy_logbook, logbook_path, read_logbook
from calm_relay.exchange.shipped import DEMOS, demo_job, demo_logbook
from calm_relay.job.logbook import KINDS, CapacityTest, MeterCounters, Readings, Visit


@pytest.fixture
def path(tmp_path):
    return tmp_path / "x.relay.logbook.jsonl"


def visit(text="seen"):
    return Visit(on="2026-05-01", by="A", text=text)


def test_entries_come_back_in_order(path):
    entries = [visit(), CapacityTest(on="2026-05-02", kwh=9.5), MeterCounters(on="2026-05-03", import_kwh=12.0)]
    numbers = [append_entry(path, entry) for entry in entries]
    book = read_logbook(path)
    assert numbers == [1, 2, 3]
    assert list(book.entries) == entries
    assert not book.problems


@given(st.text(max_size=200))
def test_any_text_comes_back(tmp_path_factory, text):
    path = tmp_path_factory.mktemp("book") / "x.jsonl"
    try:
        entry = visit(text)
    except ValueError:
        return
    append_entry(path, entry)
    assert read_logbook(path).entries == (entry,)


def test_a_logbook_that_is_not_there_is_empty(path):
    assert read_logbook(path).lines == ()


def test_readings_come_back_as_arrays(path):
    append_entry(
        path, Readings(start="2026-05-01T10:00:00+00:00", seconds=(0, 300), columns={"grid kw": (1.5, None)})
    )
    append_entry(path, visit())
    append_entry(path, Readings(start="2026-05-01T11:00:00+02:00", seconds=(0,), columns={"pv kw": (2.5,)}))
    book = read_logbook(path)
    assert len(book.lines) == 1
    assert np.diff(book.series.at).tolist() == [300.0, -3900.0]
    assert np.isnan(book.series.columns["pv kw"]).tolist() == [True, True, False]
    assert book.series.columns["grid kw"][0] == pytest.approx(1.5)


@pytest.mark.parametrize("cut", [1, 7, 30, 90])
def test_a_line_cut_by_a_kill_stays_and_the_next_is_whole(path, cut):
    append_entry(path, visit("first"))
    append_entry(path, visit("second"))
    whole = path.read_bytes()
    path.write_bytes(whole[:-cut])
    append_entry(path, visit("third"))
    content = path.read_bytes()
    assert content.startswith(whole[:-cut])
    book = read_logbook(path)
    assert [entry.text for entry in book.entries][-1] == "third"
    if cut > 1:
        assert [problem.line for problem in book.problems] == [2]
        assert "cut short" in book.problems[0].problem
    else:
        assert not book.problems


def test_a_line_changed_by_hand_is_named_and_kept(path):
    for text in ("first", "second", "third"):
        append_entry(path, visit(text))
    path.write_bytes(path.read_bytes().replace(b"second", b"secund"))
    before = path.read_bytes()
    book = read_logbook(path)
    assert [entry.text for entry in book.entries] == ["first", "third"]
    assert (book.problems[0].line, "changed after" in book.problems[0].problem) == (2, True)
    append_entry(path, visit("fourth"))
    assert path.read_bytes().startswith(before)


def test_a_line_taken_out_is_noticed(path):
    for text in ("first", "second", "third"):
        append_entry(path, visit(text))
    lines = path.read_bytes().splitlines(keepends=True)
    path.write_bytes(lines[0] + lines[2])
    book = read_logbook(path)
    assert [entry.text for entry in book.entries] == ["first", "third"]
    assert "taken out" in book.problems[0].problem


def test_a_newer_version_is_kept_and_not_shown(path):
    import zlib

    append_entry(path, visit())
    text = json.dumps({"format": "calm-relay-logbook", "version": 2, "number": 2, "entry": {}})[:-1].encode()
    path.write_bytes(path.read_bytes() + text + f',"sum":"{zlib.crc32(text):08x}"'.encode() + b"}\n")
    book = read_logbook(path)
    assert len(book.lines) == 1
    assert "newer version" in book.problems[0].problem
    assert append_entry(path, visit()) == 3


@given(st.lists(st.binary(max_size=120).filter(lambda raw: b"\n" not in raw and b"\r" not in raw), max_size=8))
def test_garbage_never_ends_the_reading(tmp_path_factory, garbage):
    path = tmp_path_factory.mktemp("book") / "x.jsonl"
    append_entry(path, visit("before"))
    with path.open("ab") as stream:
        stream.write(b"\n".join(garbage))
    append_entry(path, visit("after"))
    book = read_logbook(path)
    assert [entry.text for entry in book.entries] == ["before", "after"]
    assert len(book.problems) >= sum(1 for raw in garbage if raw)


def _write_many(path, name, count):
    for number in range(count):
        append_entry(Path(path), visit(f"{name} {number}"))


def test_two_windows_wait_for_each_other(path):
    context = multiprocessing.get_context("spawn")
    writers = [context.Process(target=_write_many, args=(str(path), name, 60)) for name in ("one", "two")]
    for writer in writers:
        writer.start()
    for writer in writers:
        writer.join()
    book = read_logbook(path)
    assert not book.problems
    assert len(book.lines) == 120
    assert [line.number for line in book.lines] == list(range(1, 121))
    for name in ("one", "two"):
        assert [e.text for e in book.entries if e.text.startswith(name)] == [f"{name} {n}" for n in range(60)]


KILLED = """
import sys
from pathlib import Path
from calm_relay.exchange.logbook import append_entry
from calm_relay.job.logbook import Visit
print("ready", flush=True)
n = 0
while True:
    append_entry(Path(sys.argv[1]), Visit(on="2026-05-01", text=f"{n} " + "x" * 2000))
    n += 1
"""


def test_a_kill_loses_no_line_that_was_written(path):
    writer = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE)
    assert writer.stdout.readline().strip() == b"ready"
    time.sleep(0.4)
    writer.send_signal(signal.SIGKILL)
    writer.wait()
    writer.stdout.close()
    book = read_logbook(path)
    assert len(book.lines) > 3
    assert [entry.text.split()[0] for entry in book.entries] == [str(n) for n in range(len(book.lines))]
    assert all(problem.line > len(book.lines) for problem in book.problems)
    append_entry(path, visit("after"))
    assert read_logbook(path).entries[-1].text == "after"


def test_a_full_disk_leaves_it_as_it_was(path, monkeypatch):
    append_entry(path, visit("first"))
    before = path.read_bytes()
    true = os.write
    monkeypatch.setattr(os, "write", lambda handle, data: true(handle, data[: len(data) // 2]))
    with pytest.raises(InputError, match="was not added to"):
        append_entry(path, visit("second"))
    assert path.read_bytes() == before


def test_a_folder_that_cannot_be_written_is_told(tmp_path):
    with pytest.raises(InputError, match="cannot be written"):
        append_entry(tmp_path / "no such folder" / "x.jsonl", visit())


def test_a_job_saved_elsewhere_takes_its_history_along(tmp_path, path):
    append_entry(path, visit("kept"))
    other = logbook_path(tmp_path / "y.relay.json")
    assert copy_logbook(path, other)
    assert read_logbook(other).entries[0].text == "kept"
    append_entry(other, visit("own"))
    assert not copy_logbook(path, other)
    assert len(read_logbook(other).lines) == 2


def test_the_logbook_that_ships_is_whole():
    job = demo_job("pottery")
    book = read_logbook(demo_logbook(job))
    assert not book.problems
    assert len({entry.kind for entry in book.entries}) >= 6
    assert demo_logbook(job.with_(name="Another")) is None
    assert all(demo_logbook(demo_job(name)) is None for name in DEMOS if name != "pottery")


def test_every_kind_has_a_model_and_words():
    assert all(words and kind == model.model_fields["kind"].default for kind, (model, words) in KINDS.items())
