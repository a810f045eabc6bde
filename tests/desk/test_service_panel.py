"""What is at the service today, surveyed by mouse and keys: generators, changeovers and current transformers."""

import pytest

from calm_relay.desk.benches.grid_inputs import service_rows
from calm_relay.desk.benches.service_panel import MORE
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.job.existing_supply import ON_CHANGEOVER
from calm_relay.planning.views.energy_path import line_of

from .driving import LEFT, choose, filled_form


@pytest.fixture
def panel(window, settled):
    window.open_bench("Inverter")
    settled(window)
    window.bench.side_tabs.choose("service")
    return window.bench.service


def test_a_changeover_with_its_generator_is_surveyed_and_drawn(window, panel, qtbot, settled, monkeypatch):
    fields = {"name": "Old switch", "rated_a": "80", "poles": 2, "fate": "keep"}
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, fields))
    choose(panel.changeovers.which, MORE)
    settled(window)
    assert [item.name for item in window.session.job.existing_changeovers] == ["Old switch"]
    assert panel.changeovers.summary.text() == "80 A, 2 poles, by hand; must stay"
    monkeypatch.setattr(
        FormDialog, "exec", filled_form(qtbot, {"kw": "6", "on": ON_CHANGEOVER, "tank_litres": "20"})
    )
    choose(panel.generators.which, MORE)
    settled(window)
    assert panel.generators.summary.text() == "6 kW, started by hand; must stay"
    notes = [note.finding for note in window.margin.notes if note.finding.check == "generator by hand"]
    assert notes and "stands in for the grid by Old switch" in notes[0].sentence
    window.open_bench("Wiring")
    settled(window)
    assert "changeover Old switch" in window.bench.drawing.canvas.drawing.parts


def test_a_generator_is_edited_and_taken_out_again(window, panel, qtbot, settled, monkeypatch):
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, {"name": "Diesel", "start_below": "30"}))
    choose(panel.generators.which, MORE)
    settled(window)
    assert window.session.job.generators[0].start_below == 0.3
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, {"fate": "remove", "works_cost": "140"}))
    qtbot.mouseClick(panel.generators.edit, LEFT)
    settled(window)
    (generator,) = window.session.job.generators
    assert (generator.name, generator.fate, generator.works_cost) == ("Diesel", "remove", 140.0)
    qtbot.mouseClick(panel.generators.remove, LEFT)
    settled(window)
    assert window.session.job.generators == ()
    assert not panel.generators.edit.isEnabled()
    assert panel.generators.which.currentText() == "none"


def test_current_transformers_name_their_reader_and_a_form_refuses_what_cannot_be(
    window, panel, qtbot, settled, monkeypatch
):
    unit = window.session.job.existing_inverters[0].name
    fields = {"read_by": unit, "on": "the main board", "count": "1", "reversed": True}
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, fields))
    choose(panel.transformers.which, MORE)
    settled(window)
    (item,) = window.session.job.existing_transformers
    assert (item.read_by, item.on, item.reversed) == (unit, "the main board", True)
    assert f"1 on the main switchboard, for {unit}" in panel.transformers.summary.text()
    said = []

    def refused(dialog):
        made = filled_form(qtbot, {"start_below": "90", "stop_above": "80"})(dialog)
        said.append(dialog.problem.text())
        return made

    monkeypatch.setattr(FormDialog, "exec", refused)
    choose(panel.generators.which, MORE)
    assert "Starts below: 90% is not below stops above, 80%" in said[0]
    assert window.session.job.generators == ()


def test_a_place_that_is_not_there_is_refused_beside_the_panel(window, panel, qtbot, monkeypatch):
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, {"on": ON_CHANGEOVER}))
    choose(panel.generators.which, MORE)
    assert "no changeover is there today" in panel.generators.problem.text()
    assert not panel.generators.problem.isHidden()
    assert window.session.job.generators == ()


def test_a_service_without_neutral_is_stated_and_its_places_are_pairs_of_phases(
    window, qtbot, settled, monkeypatch
):
    window.open_bench("Grid")
    settled(window)
    monkeypatch.setattr(FormDialog, "exec", filled_form(qtbot, {"phases": "three-wire", "volts": "230"}))
    window.bench._ask_service()
    settled(window)
    supply = window.session.job.supply
    assert (supply.phases, supply.volts) == ("three-wire", 230.0)
    rows = {row[0]: row for row in service_rows(supply)}
    assert rows["single_on"][2] == [(1, "L1–L2"), (2, "L2–L3"), (3, "L3–L1")]
    grid = next(
        station for station in line_of(window.view.plan, window.view.option).stations if station.name == "Grid"
    )
    assert grid.headroom.caption.endswith("A main fuse")
    # The unit that is there is of one phase, and hangs between two.
    window.open_bench("Inverter")
    settled(window)
    window.bench.side_tabs.choose("today")
    phase = window.bench.wall.inverters.phase
    assert [phase.itemText(n) for n in range(phase.count())] == ["as new ones", "L1–L2", "L2–L3", "L3–L1"]
