"""The bench Wiring driven as its user drives it: cables chosen on the diagram, routes typed, words dragged, files."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFileDialog

from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.exchange.own_equipment import read_own_figures
from calm_relay.exchange.shapes import Words
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.wiring import Route

from . import driving
from .driving import LEFT, choose, painted, type_into

AC = "changeover > unit 1"


@pytest.fixture
def bench(window, qtbot, settled):
    window.show_option(1)
    driving.press(qtbot, window, BENCHES["Wiring"].key)
    settled(window)
    window.resize(1280, 800)
    window.grab()
    return window.bench


def place_of(bench, key):
    """The middle of a part on the picture."""
    left, top, right, bottom = bench.drawing.canvas.drawing.parts[key]
    scale = bench.drawing.canvas.scale
    return QPoint(round((left + right) / 2 * scale), round((top + bottom) / 2 * scale))


def test_a_click_on_a_cable_shows_it_with_its_limits(bench, qtbot):
    assert painted(bench.drawing.canvas) > 0.02
    qtbot.mouseClick(bench.drawing.canvas, LEFT, pos=place_of(bench, "meter > changeover"))
    assert bench.route.key == "meter > changeover"
    assert bench.route.title.text() == "Meter to changeover"
    assert bench.route.size.text() == "3 × 16 mm²"
    assert "Current" in bench.route.bars.accessibleDescription()
    assert painted(bench.route.bars) > 0.1


def test_a_click_on_a_part_says_what_it_is_and_what_was_found(bench, qtbot):
    qtbot.mouseClick(bench.drawing.canvas, LEFT, pos=place_of(bench, "unit 1"))
    said = bench.part.text()
    assert "Mossgate 5" in said and "neutral and earth" in said
    qtbot.mouseClick(bench.drawing.canvas, LEFT, pos=place_of(bench, "CT 1"))
    assert "arrow towards the grid" in bench.part.text()


def test_the_arrows_go_from_part_to_part(bench, qtbot):
    bench.drawing.canvas.setFocus()
    qtbot.keyClick(bench.drawing.canvas, Qt.Key.Key_Right)
    first = bench.drawing.canvas.lit
    qtbot.keyClick(bench.drawing.canvas, Qt.Key.Key_Right)
    assert bench.drawing.canvas.lit != first
    qtbot.keyClick(bench.drawing.canvas, Qt.Key.Key_Left)
    assert bench.drawing.canvas.lit == first


def test_a_length_is_an_edit_that_sizes_the_cable_anew(bench, window, qtbot, settled):
    bench.choose(AC)
    before = bench.route.size.text()
    type_into(qtbot, bench.route.fields["length_m"], "60")
    settled(window)
    assert window.session.job.wiring.route(AC).length_m == 60.0
    assert bench.route.key == AC
    assert bench.route.size.text() != before
    assert "voltage" in bench.route.why.text()
    bench.route.measured.click()
    settled(window)
    assert window.session.job.wiring.route(AC).measured
    type_into(qtbot, bench.route.fields["length_m"], "")
    settled(window)
    assert window.session.job.wiring.routes == ()
    window.session.undo()
    settled(window)
    assert window.session.job.wiring.route(AC).length_m == 60.0


@pytest.mark.parametrize(
    "typed, wrong",
    [
        ("0", "is 0 m; wanted above 0 m, up to 500 m"),
        ("1000", "is 1000 m; wanted above 0 m, up to 500 m"),
        ("-4", "is -4 m; wanted above 0 m, up to 500 m"),
        ("long", "'long' is no number; wanted a number such as 9.6 m"),
    ],
)
def test_a_length_that_cannot_be_is_refused_at_the_field(bench, window, qtbot, typed, wrong):
    bench.choose(AC)
    type_into(qtbot, bench.route.fields["length_m"], typed)
    assert bench.route.problem.text() == f"Length of the cable: {wrong}."
    assert not bench.route.problem.isHidden()
    assert window.session.job.wiring.routes == ()


def test_every_choice_of_a_cable_is_kept(bench, window, qtbot, settled):
    bench.choose(AC)
    for name, value in (("laying", "on a tray"), ("material", "copper"), ("insulation", "90 °C"), ("parallel", 2)):
        choose(bench.route.fields[name], value)
        settled(window)
    type_into(qtbot, bench.route.fields["grouped"], "3")
    settled(window)
    type_into(qtbot, bench.route.fields["ambient_c"], "45")
    settled(window)
    type_into(qtbot, bench.route.fields["protect_a"], "32")
    settled(window)
    choose(bench.route.fields["size"], "6")
    settled(window)
    route = window.session.job.wiring.route(AC)
    assert (route.laying, route.material, route.insulation, route.parallel) == ("on a tray", "copper", "90 °C", 2)
    assert (route.grouped, route.ambient_c, route.protect_a, route.size) == (3, 45.0, 32.0, "6")
    assert bench.route.why.text() == "as typed"


def test_a_size_too_small_stops_is_marked_and_mended(bench, window, settled):
    bench.choose("unit 1 > bus of unit 1")
    choose(bench.route.fields["size"], "16")
    settled(window)
    assert bench.drawing.canvas.stopped == {"unit 1 > bus of unit 1"}
    texts = [shape.text for shape in bench.drawing.canvas.drawing.shapes if isinstance(shape, Words)]
    assert any(text.endswith("!") for text in texts)
    finding = next(item for item in window.view.option.findings if item.check == "cables")
    window._mend(finding.mends[0])
    settled(window)
    assert not bench.drawing.canvas.stopped


def test_words_that_are_dragged_stay_where_they_are_let_go(bench, window, qtbot, settled):
    canvas = bench.drawing.canvas
    words = next(
        shape for shape in canvas.drawing.shapes if isinstance(shape, Words) and shape.label == f"cable {AC}"
    )
    left, top, right, bottom = words.box
    start = QPoint(round((left + right) / 2 * canvas.scale), round((top + bottom) / 2 * canvas.scale))
    end = start + QPoint(30, 12)
    qtbot.mousePress(canvas, LEFT, pos=start)
    qtbot.mouseMove(canvas, end)
    qtbot.mouseRelease(canvas, LEFT, pos=end)
    if not window.session.job.wiring.labels:
        pytest.fail("the words did not move")
    settled(window)
    (label,) = window.session.job.wiring.labels
    assert label.key == f"cable {AC}"
    assert label.dx == pytest.approx(30 / canvas.scale, abs=0.6)
    moved = next(
        shape for shape in canvas.drawing.shapes if isinstance(shape, Words) and shape.label == f"cable {AC}"
    )
    assert moved.at[0] - words.at[0] == pytest.approx(label.dx, abs=0.1)


def test_the_picture_grows_and_fits(bench, qtbot):
    scale = bench.drawing.canvas.scale
    qtbot.mouseClick(bench.larger, LEFT)
    assert bench.drawing.canvas.scale > scale
    qtbot.mouseClick(bench.smaller, LEFT)
    qtbot.mouseClick(bench.whole, LEFT)
    canvas, room = bench.drawing.canvas, bench.drawing.viewport()
    assert canvas.width() <= room.width() + 2


def test_all_cables_stand_in_a_table_and_a_row_chooses_one(bench, qtbot):
    bench.tabs.choose("cables")
    assert bench.table.rowCount() == len(bench.sheet.keys)
    bench.table.cellClicked.emit(0, 0)
    assert bench.route.key == bench.sheet.keys[0]
    assert "without interest" in bench.note.text()
    assert not bench.larger.isVisible()


@pytest.mark.parametrize("ending", ["pdf", "svg", "dxf"])
def test_the_diagram_is_written(bench, window, qtbot, monkeypatch, tmp_path, ending):
    path = tmp_path / f"one.{ending}"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), "PDF (*.pdf)"))
    qtbot.mouseClick(bench.write, LEFT)
    assert path.stat().st_size > 5000
    assert str(path) in window.notice.text.text()


def test_a_name_without_an_ending_takes_the_chosen_kind_and_a_bad_folder_is_told(
    bench, window, qtbot, monkeypatch, tmp_path, asked
):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "two"), "DXF (*.dxf)"))
    qtbot.mouseClick(bench.write, LEFT)
    assert (tmp_path / "two.dxf").exists()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "x.svg"), ""))
    qtbot.mouseClick(bench.write, LEFT)
    assert "Nothing of the job is lost" in asked[-1]


def test_the_title_block_is_an_edit(bench, window, qtbot, settled, monkeypatch):
    from calm_relay.desk.dialogs.form_dialog import FormDialog

    def fill(dialog):
        dialog.fields["drawn_by"].setText("A. Person")
        dialog.fields["revision"].setText("B")
        dialog.take()
        return True

    monkeypatch.setattr(FormDialog, "exec", fill)
    qtbot.mouseClick(bench.block, LEFT)
    settled(window)
    assert window.session.job.wiring.drawn_by == "A. Person"
    assert window.session.job.wiring.revision == "B"


def test_a_refused_option_has_no_diagram_and_says_so(bench, window, settled):
    from calm_relay.planning.verdict.option import RefusedOption

    number = next(n for n, item in enumerate(window.session.plan.options) if isinstance(item, RefusedOption))
    window.show_option(number)
    assert "can be built" in bench.part.text()
    assert not bench.write.isVisible()


def test_a_change_of_battery_changes_the_diagram(bench, window, settled):
    def texts():
        return {shape.text for shape in bench.drawing.canvas.drawing.shapes if isinstance(shape, Words)}

    before = texts()
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(count=5)), "Five packs")
    settled(window)
    assert texts() != before
    assert any("5 ×" in text for text in texts())


def test_the_circuit_of_the_inverter_there_today_is_asked_and_kept(window, qtbot, settled, monkeypatch):
    from calm_relay.desk.dialogs.form_dialog import FormDialog

    window.open_bench("Inverter")
    wall = window.bench.wall.inverters

    def fill(dialog):
        choose(dialog.fields["size"], "2.5")
        dialog.fields["breaker_a"].show_value(20.0)
        dialog.take()
        return True

    monkeypatch.setattr(FormDialog, "exec", fill)
    wall._ask_circuit()
    settled(window)
    circuit = window.session.job.existing_inverters[0].circuit
    assert (circuit.size, circuit.breaker_a, circuit.reuse) == ("2.5", 20.0, True)


def test_an_off_grid_plan_has_its_diagram_too(window, qtbot, settled):
    window.session.replace(demo_job("hut"))
    window.forget_view()
    settled(window)
    window.open_bench("Wiring")
    settled(window)
    assert "grid" not in window.bench.drawing.canvas.drawing.parts
    assert "generator" in window.bench.drawing.canvas.drawing.parts


def test_routes_of_other_options_are_kept(bench, window, settled):
    job = window.session.job
    other = Route(key="elsewhere > unit 9", length_m=12.0)
    window.session.edit(job.with_(wiring=job.wiring.with_route(other)), "A route")
    settled(window)
    bench.choose(AC)
    choose(bench.route.fields["laying"], "buried")
    settled(window)
    assert window.session.job.wiring.route("elsewhere > unit 9") == other


def test_a_part_of_the_site_plan_is_dragged_to_where_it_is(bench, window, qtbot, settled):
    from calm_relay.planning.drawing.site_plan import PER_M

    bench.tabs.choose("site")
    canvas = bench.site.canvas
    assert painted(canvas) > 0.02
    left, top, right, bottom = canvas.drawing.parts["meter"]
    start = QPoint(round((left + right) / 2 * canvas.scale), round((top + bottom) / 2 * canvas.scale))
    qtbot.mousePress(canvas, LEFT, pos=start)
    qtbot.mouseMove(canvas, start + QPoint(40, -20))
    qtbot.mouseRelease(canvas, LEFT, pos=start + QPoint(40, -20))
    settled(window)
    (place,) = window.session.job.wiring.places
    assert place.key == "meter"
    assert bench.part.text().startswith("Meter")
    before = canvas.drawing.parts["meter"]
    window.session.undo()
    settled(window)
    after = canvas.drawing.parts["meter"]
    assert after != before
    assert (right - left) / PER_M == pytest.approx(0.9)


def ask_figures(bench, qtbot):
    qtbot.mouseClick(bench.figures, LEFT)
    return bench.dialog


@pytest.mark.usefixtures("own_folder")
def test_a_figure_of_the_firms_own_standard_is_typed_and_the_cable_follows(bench, window, qtbot, settled):
    before = bench.sheet.plan.cable(AC).size.mm2
    dialog = ask_figures(bench, qtbot)
    assert dialog.way[0] == "in conduit on a wall"
    assert "are not at hand" in bench.note.toolTip()
    type_into(qtbot, dialog.amps["4"], "20")
    dialog.take()
    assert dialog.problem.text().startswith("Standard and edition:")
    assert dialog.isVisible()
    qtbot.keyClicks(dialog.source, "National standard, 2021")
    choose(dialog.choices["laying"], "buried")
    type_into(qtbot, dialog.amps["6"], "99")
    choose(dialog.choices["laying"], "in conduit on a wall")
    assert dialog.amps["4"].value == 20.0 and dialog.amps["6"].value is None
    type_into(qtbot, dialog.grouping[2], "0.7")
    dialog.take()
    settled(window)
    own = window.session.job.wiring.own_figures
    assert [item.laying for item in own.capacities] == ["in conduit on a wall", "buried"]
    assert own.grouping[0].factor == 0.7
    assert bench.sheet.plan.cable(AC).size.mm2 == 6.0 > before
    assert "3 figures of National standard, 2021" in bench.note.text()
    assert window.commands.undo.text() == "Undo: Figures of wires"


@pytest.mark.usefixtures("own_folder")
def test_figures_are_kept_as_the_firms_and_taken_again(bench, window, qtbot, settled):
    dialog = ask_figures(bench, qtbot)
    assert not dialog.from_firm.isEnabled()
    qtbot.mouseClick(dialog.to_firm, LEFT)
    assert "type a figure first" in dialog.problem.text()
    qtbot.keyClicks(dialog.source, "National standard, 2021")
    type_into(qtbot, dialog.ambient[45.0], "0.91")
    qtbot.mouseClick(dialog.to_firm, LEFT)
    assert read_own_figures().ambient[0].points[0].factor == 0.91
    qtbot.mouseClick(dialog.none, LEFT)
    dialog.take()
    assert window.session.job.wiring.own_figures is None
    dialog = ask_figures(bench, qtbot)
    qtbot.mouseClick(dialog.from_firm, LEFT)
    dialog.take()
    settled(window)
    assert window.session.job.wiring.own_figures == read_own_figures()
