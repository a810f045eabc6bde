"""A new job from the window: by keyboard from nothing to a plan, and a copy of the present one."""

import pytest
from PySide6.QtCore import Qt, QTimer

from calm_relay.desk.dialogs.new_job_dialog import NewJobDialog

from .driving import type_into

RETURN = Qt.Key.Key_Return


@pytest.fixture
def dialog(window, qtbot):
    made = NewJobDialog(window.session.library, window)
    qtbot.addWidget(made)
    made.show()
    return made


def find(qtbot, dialog, town):
    qtbot.keyClicks(dialog.place.line, town)
    qtbot.waitUntil(lambda: dialog.place.result.isVisible(), timeout=10_000)
    qtbot.keyClick(dialog.place.line, RETURN)


def test_from_nothing_to_a_plan_by_keyboard(window, qtbot, settled):
    """Ctrl+N, a name, a town, a figure: twenty-odd keys, and a plan stands."""

    def answer():
        dialog = window.findChild(NewJobDialog)
        qtbot.keyClicks(dialog.name, "Quay Street 4")
        find(qtbot, dialog, "tralee")
        assert "Assumed: one phase of 230 V, 50 Hz, main fuse 63 A" in dialog.usual.text()
        assert "Dublin" in dialog.usual.text()
        type_into(qtbot, dialog.yearly, "4200 kWh")
        dialog.take()

    QTimer.singleShot(0, answer)
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    settled(window)
    job = window.session.job
    assert (job.name, job.site.place, job.supply.phases) == ("Quay Street 4", "Tralee, Ireland", "single")
    assert job.demand.yearly_kwh == 4200.0 and window.session.path is None
    assert window.session.plan.choice.key is not None
    assert any(note.finding.check == "assumed" for note in window.margin.notes)
    # What is edited is no longer assumed.
    window.session.edit(job.with_(tariff=job.tariff.with_(price=0.31)), "Price")
    settled(window)
    assert "tariff.price" not in window.session.job.assumed and "supply.phases" in window.session.job.assumed
    window.session.undo()
    assert "tariff.price" in window.session.job.assumed


def test_what_is_missing_is_said_and_nothing_is_lost(dialog, qtbot):
    qtbot.keyClicks(dialog.name, "Quay Street 4")
    dialog.take()
    assert dialog.job is None and dialog.isVisible()
    assert "The place is missing" in dialog.problem.text() and "wanted" in dialog.problem.text()
    find(qtbot, dialog, "hamburg")
    dialog.take()
    assert "The yearly use is missing" in dialog.problem.text()
    type_into(qtbot, dialog.yearly, "much")
    assert dialog.problem.text() and dialog.name.text() == "Quay Street 4"
    type_into(qtbot, dialog.yearly, "3000")
    dialog.modules.setValue(0)
    dialog.take()
    assert dialog.job.faces == () and dialog.job.supply.phases == "three"


def test_a_copy_stands_beside_the_file_it_came_from(window, qtbot, settled):
    before = window.session.job
    assert window.files.duplicate()
    settled(window)
    job = window.session.job
    assert job.name == f"{before.name}, copy" and job.customer == ""
    assert window.session.path is None
    assert job.with_(name=before.name, customer=before.customer) == before


def test_a_job_is_kept_as_a_template_and_others_begin_from_it(window, settled, tmp_path, monkeypatch, qtbot):
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "own"))
    window.session.edit(window.session.job.with_(name="Standard: retrofit/5 kW", customer="Nobody"), "name")
    assert window.files.keep_as_template()
    assert "Standard" in window.notice.text.text()
    window.session.save(tmp_path / "here.relay.json")
    window.commands.list_templates()
    actions = window.commands._templates.actions()
    assert actions[0].text() == "Standard retrofit 5 kW"
    actions[0].trigger()
    settled(window)
    job = window.session.job
    assert (job.name, job.customer, window.session.path) == ("Standard: retrofit/5 kW", "", None)
    assert {face.module for face in job.faces} <= {item.key for item in job.own_equipment.modules}


def test_a_template_that_cannot_be_used_is_told(window, asked, tmp_path):
    (tmp_path / "bad.relay.json").write_text("{")
    assert not window.files.from_template(tmp_path / "bad.relay.json")
    assert "damaged" in asked[-1]


def test_a_first_start_says_once_that_it_is_an_example(window, tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_STATE", str(tmp_path / "state"))
    begun = []
    window.files.tell_example(lambda: begun.append(True))
    assert "This is an example" in window.notice.text.text()
    window.notice.buttons[0].click()
    assert begun == [True]
    window.files.tell_example(lambda: begun.append(True))
    assert not window.notice.isVisible()
