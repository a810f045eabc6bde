"""Nothing runs, leaks or pretends: imports from a folder, the network, files outside a job's folder, huge pictures."""

import os
import shlex
import struct
import subprocess
import sys
import zlib

import pytest
from PySide6.QtWidgets import QMessageBox

from calm_relay.desk.benches.attachment_list import _thumbnail
from calm_relay.exchange.desktop_entry import program
from calm_relay.exchange.job_file import files_outside, read_job, write_job
from calm_relay.exchange.user_state import Settings
from calm_relay.job.survey import Attachment

TRAP = "import pathlib; pathlib.Path(__file__).with_suffix('.ran').write_text('x'); raise SystemExit('trapped')"


@pytest.mark.parametrize("words", [["--version"], ["assess", "demo", "--plan-only"]])
def test_the_command_imports_nothing_from_where_it_is_run(tmp_path, words):
    for name in ("numpy", "json", "calm_relay", "pydantic", "PySide6"):
        (tmp_path / f"{name}.py").write_text(TRAP)
    done = subprocess.run(
        [*shlex.split(program()), *words], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr[-400:]
    assert not list(tmp_path.glob("*.ran"))


NO_NETWORK = """
import sys
reached = []
def watch(event, details):
    # A library asks once, on importing, whether this machine has IPv6: it binds the loopback and lets it go.
    asks_ipv6 = event == "socket.bind" and details[1] == ("::1", 0)
    if event.startswith("socket.") and event not in {"socket.__new__", "socket.gethostname"} and not asks_ipv6:
        reached.append((event, details))
        raise PermissionError(event)
sys.addaudithook(watch)
from PySide6.QtCore import QEventLoop, QTimer
from calm_relay.desk.app.application import application, make_window
from calm_relay.desk.benches.all_benches import BENCHES
running = application()
window = make_window()
window.show()
def wait(milliseconds):
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()
while window.session.plan is None or window.session.busy:
    wait(20)
for name in BENCHES:
    window.open_bench(name)
    wait(120)
window.begin_job()
wait(50)
window.bench.place.sought.emit("tralee")
wait(300)
assert not reached, reached
assert "PySide6.QtNetwork" not in sys.modules, "the network library of the interface is loaded"
import os
print("quiet", flush=True)
os._exit(0)
"""


def test_the_whole_window_works_with_sockets_forbidden(tmp_path):
    environment = {
        **os.environ, "QT_QPA_PLATFORM": "offscreen", "CALM_RELAY_STATE": str(tmp_path / "state"),
        "CALM_RELAY_DATA": str(tmp_path / "own"),
    }  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-c", NO_NETWORK],
        env=environment,
        capture_output=True,
        text=True,
        timeout=600,
        check=False,
    )
    assert done.stdout.strip().endswith("quiet"), done.stderr[-800:]


def test_files_outside_a_jobs_folder_are_shown_before_they_are_read(window, settled, demo, tmp_path, monkeypatch):
    path = tmp_path / "job" / "a.relay.json"
    path.parent.mkdir()
    write_job(demo.with_(name="Outside", attachments=(Attachment(path="../../etc/passwd"),)), path)
    shown = []

    def answer(button):
        def question(parent, title, text, *_):
            shown.append(text)
            return button

        monkeypatch.setattr(QMessageBox, "question", question)

    answer(QMessageBox.StandardButton.Cancel)
    assert not window.files.open_file(path)
    assert "../../etc/passwd" in shown[0] and window.session.job.name != "Outside"
    answer(QMessageBox.StandardButton.Yes)
    assert window.files.open_file(path)
    settled(window)
    assert window.session.job.name == "Outside"
    # Once is enough, until the job names other files.
    shown.clear()
    assert window.files.open_file(path) and shown == []
    write_job(demo.with_(name="More", attachments=(Attachment(path="/etc/hosts"),)), path)
    assert window.files.open_file(path) and "/etc/hosts" in shown[0]


def test_what_a_job_names_beside_itself_is_not_asked_about(demo, tmp_path):
    job = demo.with_(attachments=(Attachment(path="photos/roof.jpg"), Attachment(path="./b.pdf")))
    assert files_outside(job, tmp_path) == ()
    (tmp_path / "away.jpg").symlink_to("/etc/hosts")
    (tmp_path / "loop.jpg").symlink_to(tmp_path / "loop.jpg")
    linked = demo.with_(attachments=(Attachment(path="away.jpg"), Attachment(path="loop.jpg")))
    assert files_outside(linked, tmp_path)[0] == "away.jpg"
    assert not Settings().trusts(tmp_path, ("x",)) and Settings().trusts(tmp_path, ())


def test_ones_own_save_is_not_asked_about(window, tmp_path, monkeypatch):
    job = window.session.job
    window.session.edit(job.with_(attachments=(Attachment(path="/etc/hosts"),)), "Photo")
    monkeypatch.setattr(
        "calm_relay.desk.app.job_files.QFileDialog.getSaveFileName", lambda *_: (str(tmp_path / "own"), "")
    )
    assert window.files.save_as()
    monkeypatch.setattr(QMessageBox, "question", lambda *_: pytest.fail("it was asked"))
    assert read_job(tmp_path / "own.relay.json").attachments[0].path == "/etc/hosts"
    assert window.files.open_file(tmp_path / "own.relay.json")


def test_a_picture_of_any_number_of_pixels_is_measured_before_it_is_decoded(dressed, tmp_path):
    """A PNG that states 100,000 x 100,000 pixels in a hundred bytes."""

    def chunk(kind, body):
        whole = kind + body
        return struct.pack(">I", len(body)) + whole + struct.pack(">I", zlib.crc32(whole))

    head = struct.pack(">IIBBBBB", 100_000, 100_000, 8, 2, 0, 0, 0)
    path = tmp_path / "huge.png"
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"x")) + chunk(b"IEND", b"")
    )
    assert not _thumbnail(path).isNull()
    os.mkfifo(tmp_path / "pipe.png")
    assert not _thumbnail(tmp_path / "pipe.png").isNull()
