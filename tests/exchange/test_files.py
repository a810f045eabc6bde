"""Files are whole or not there, one writer at a time, and nothing of a kill stays."""

import os
import subprocess
import sys
import threading
import time

import pytest

from calm_relay.exchange.files import (
    file_mark,
    folder_locked,
    make_folder,
    previous_version,
    sweep,
    write_atomically,
)


def litter(folder):
    return sorted(path.name for path in folder.iterdir() if path.name.startswith("."))


def test_a_mark_changes_with_the_content_only(tmp_path):
    path = tmp_path / "a"
    assert file_mark(path) is None
    path.write_text("one")
    first = file_mark(path)
    path.write_text("one")
    assert file_mark(path) == first
    path.write_text("two")
    assert file_mark(path) != first


def test_the_version_before_is_kept_and_nothing_else_is_left(tmp_path):
    path = tmp_path / "a.json"
    for text in (b"one", b"two", b"three"):
        write_atomically(path, text, keep_previous=True)
    assert path.read_bytes() == b"three" and previous_version(path).read_bytes() == b"two"
    assert litter(tmp_path) == []


def test_the_longest_name_a_folder_takes_is_written(tmp_path):
    path = tmp_path / ("ü" * 120 + "." + "x" * 14)
    assert len(os.fsencode(path.name)) == 255
    write_atomically(path, b"whole")
    assert path.read_bytes() == b"whole" and litter(tmp_path) == []


def test_what_a_killed_write_left_is_swept_and_a_write_under_way_is_not(tmp_path):
    code = (
        "import sys, os, signal; from pathlib import Path; from calm_relay.exchange import files\n"
        "def stop(*_): os.kill(os.getpid(), signal.SIGKILL)\n"
        "files._copy = lambda path, target: (target.write_bytes(path.read_bytes()), stop())\n"
        "files.write_atomically(Path(sys.argv[1]), b'new', keep_previous=True)"
    )
    (tmp_path / "a").write_bytes(b"old")
    done = subprocess.run([sys.executable, "-c", code, str(tmp_path / "a")], env=os.environ, check=False)
    assert done.returncode == -9 and (tmp_path / "a").read_bytes() == b"old"
    assert len(litter(tmp_path)) == 2
    (tmp_path / ".hidden").write_text("somebody else's")
    from calm_relay.exchange.files import _held_part

    handle, under_way = _held_part(tmp_path / "b")
    assert sweep(tmp_path) == 2
    assert litter(tmp_path) == sorted([".hidden", under_way.name])
    os.close(handle)
    assert sweep(tmp_path) == 1
    assert sweep(tmp_path / "nowhere") == 0


def test_a_locked_folder_makes_the_next_save_wait_and_holds_no_file(tmp_path):
    seen = []

    def second():
        with folder_locked(tmp_path):
            seen.append("second")

    with folder_locked(tmp_path):
        other = threading.Thread(target=second)
        other.start()
        time.sleep(0.1)
        seen.append("first")
        assert list(tmp_path.iterdir()) == []
    other.join()
    assert seen == ["first", "second"]


def test_where_nothing_can_be_written_the_file_is_named_and_what_would_be_right(tmp_path):
    (tmp_path / "plan").mkdir()
    with pytest.raises(IsADirectoryError) as told:
        write_atomically(tmp_path / "plan", b"new")
    assert (told.value.filename, told.value.strerror) == (
        str(tmp_path / "plan"),
        "is a folder; wanted the name of a file",
    )
    missing = tmp_path / "nowhere" / "plan.csv"
    with pytest.raises(FileNotFoundError) as told:
        write_atomically(missing, b"new")
    assert told.value.filename == str(missing) and "there is no folder" in told.value.strerror
    (tmp_path / "file").write_text("kept")
    with pytest.raises(NotADirectoryError) as told:
        write_atomically(tmp_path / "file" / "plan.csv", b"new")
    assert told.value.filename == str(tmp_path / "file" / "plan.csv")
    with pytest.raises(NotADirectoryError, match="wanted a folder"):
        make_folder(tmp_path / "file")
    assert (tmp_path / "file").read_text() == "kept" and litter(tmp_path) == []


def test_a_full_disk_leaves_the_old_content(tmp_path, monkeypatch):
    path = tmp_path / "a"
    write_atomically(path, b"old")
    monkeypatch.setattr("os.fsync", lambda handle: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(OSError, match="No space"):
        write_atomically(path, b"new")
    assert path.read_bytes() == b"old" and litter(tmp_path) == []
