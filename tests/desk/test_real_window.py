"""Once in a real window: the application under a virtual X server, started as its user starts it."""

import os
import shutil
import subprocess
import sys
import time

import pytest

PROGRAM = """
import sys
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QLabel, QMessageBox
from calm_relay.desk.app.application import application, make_window
from calm_relay.desk.app.shots import pause, settle
from calm_relay.desk.dialogs.form_dialog import FormDialog

running = application()
assert running.platformName() == "xcb", running.platformName()
window = make_window()
window.show()
assert QTest.qWaitForWindowExposed(window, 20_000)
settle(window)
before = window.benches["Choice"].verdict.text()
spin = window.bench.battery.count
spin.setFocus()
QTest.keyClick(spin, Qt.Key.Key_Up)
settle(window)
assert window.session.job.battery.count == 4
after = window.screen().grabWindow(window.winId()).toImage()
colours = {after.pixelColor(x, y).name() for x in range(0, after.width(), 7) for y in range(0, after.height(), 7)}
assert len(colours) > 20, len(colours)
window.session.undo()
settle(window)
assert window.benches["Choice"].verdict.text() == before
# A question and a form are put in words, without the pictures a desktop has for them.
asked = QMessageBox.StandardButton
question = QMessageBox(QMessageBox.Icon.Question, "Leave?", "Something was changed.", asked.Save | asked.Cancel, window)
form = FormDialog("Losses", window.session.job.losses, [("soiling", "Soiling", "percent")], window)
for dialog in (question, form):
    dialog.show()
    assert QTest.qWaitForWindowExposed(dialog, 20_000)
    buttons = dialog.findChild(QDialogButtonBox).buttons()
    assert [button.icon().isNull() for button in buttons] == [True, True], dialog.windowTitle()
assert [label.text() for label in question.findChildren(QLabel) if label.width() > 0] == ["Something was changed."]
question.close()
form.close()
window.close()
print("seen", after.width(), after.height())
"""


@pytest.fixture
def display(tmp_path):
    server = shutil.which("Xvfb")
    assert server, "Xvfb is missing; ./run test installs it: apt-get install xvfb"
    read, write = os.pipe()
    process = subprocess.Popen(
        [server, "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=(write,),
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as pipe:
        number = pipe.readline().strip()
    time.sleep(0.1)
    yield f":{number}"
    process.terminate()
    process.wait()


def test_the_window_works_on_a_real_display(display):
    environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        [sys.executable, "-c", PROGRAM], env=environment, capture_output=True, text=True, timeout=600
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("seen 1280 800")
