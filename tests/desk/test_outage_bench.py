"""The bench Outage and the board's dialog as a person uses them."""

from types import SimpleNamespace

import numpy as np
import pytest
from PySide6.QtCore import QDateTime, Qt
from PySide6.QtWidgets import QLabel, QScrollArea

from calm_relay.desk.benches.outage_summary import _comes_back
from calm_relay.desk.dialogs.backed_up_loads_dialog import BackedUpLoadsDialog
from calm_relay.desk.dialogs.circuit_row import names_in
from calm_relay.exchange.shipped import DEMOS, demo_job, library
from calm_relay.job.commissioning import TestRecord
from calm_relay.physics.plant.island_figures import FLAT, LOCKED, SERVING, TRIPPED

from .driving import LEFT, choose, type_into


@pytest.fixture
def bench(window, settled, qtbot):
    window.show_option(1)
    window.open_bench("Outage")
    made = window.bench
    qtbot.waitUntil(lambda: made._mapped is not None and made.verdict.text() != "")
    return made


def test_a_night_is_rehearsed_and_shown(bench, qtbot):
    assert bench.at.step % 4 == 0
    assert "Without supply after" in bench.verdict.text() or "rides through" in bench.verdict.text()
    assert "back of an envelope" in bench.summary.text().replace("\u00a0", " ")
    seasons = {bench.seasons.item(row, 0).text() for row in range(bench.seasons.rowCount())}
    assert seasons == {"spring", "summer", "autumn", "winter"}
    for card in bench.schools:
        assert card.isVisible()
        assert "Rides through the 30 h" in card.text.text().replace("\u00a0", " ")
    assert not bench.night.isHidden() and not bench.battery.isHidden()
    assert not bench.carpet.isVisible()
    qtbot.mouseClick(bench.tabs.buttons["map"], LEFT)
    assert bench.carpet.isVisible()


def test_the_longest_head_of_a_card_stays_in_its_column(window, bench, qtbot):
    window.resize(1280, 720)
    bench.schools[0].head.setText("Critical-loads switchboard, NZ$ 11,180")
    scroll = next(area for area in bench.findChildren(QScrollArea) if area.isAncestorOf(bench.schools[0]))
    qtbot.waitUntil(lambda: scroll.widget().width() <= scroll.viewport().width())
    assert scroll.horizontalScrollBar().maximum() == 0
    assert bench.schools[0].head.width() >= bench.schools[0].head.fontMetrics().horizontalAdvance("switchboard,")


def test_the_firing_is_found_and_the_proposal_used(window, bench, qtbot, settled):
    plan = window.session.plan
    calendar = plan.site.calendar
    here = (calendar.month == 7) & (calendar.wall_weekday == 1) & (calendar.wall_minute == 13 * 60)
    step = int(np.flatnonzero(here)[0])
    bench._go(step)
    qtbot.waitUntil(
        lambda: ": the load passed 4.7 kW" in bench.verdict.text().replace("\u00a0", " "),
    )
    card = bench.schools[0]
    assert card.use.isEnabled()
    choose(bench.backup_boards, "critical-loads board")
    qtbot.waitUntil(lambda: "rides through" in bench.verdict.text())
    qtbot.mouseClick(card.use, LEFT)
    settled(window)
    kiln = next(c for c in window.session.job.backup_board.circuits if c.name == "Kiln")
    assert kiln.role == "grid only"
    assert window.commands.undo.text() == "Undo: Backed-up loads: critical-loads board"


def test_pointing_at_the_night_moves_the_line(window, bench, qtbot):
    qtbot.waitUntil(lambda: bench._shown_run is not None)
    bench.night.setFocus()
    qtbot.keyClick(bench.night, Qt.Key.Key_PageDown)
    late = bench.own_moment.clock
    qtbot.keyClick(bench.night, Qt.Key.Key_PageUp)
    assert bench.own_moment.clock == bench._view.plan.site.calendar.wall[bench._run.first]
    assert late > bench.own_moment.clock
    assert "kW fed" in bench.battery.accessibleDescription()
    assert window.line._moment is bench.own_moment
    assert bench.own_moment.bars["Grid"].caption == "down: nothing from here"
    window.open_bench("Home")
    assert window.line._moment is not bench.own_moment


def test_one_key_tries_the_night_again(window, bench, qtbot, settled):
    plan = window.session.plan
    calendar = plan.site.calendar
    here = (calendar.month == 7) & (calendar.wall_weekday == 1) & (calendar.wall_minute == 13 * 60)
    bench._go(int(np.flatnonzero(here)[0]))
    qtbot.waitUntil(lambda: "Without supply after 93" in bench.verdict.text().replace("\u00a0", " "))
    assert "later." in bench.more.text() or "stays off" in bench.more.text()
    labels = [button.text() for button in bench.outage_mends.buttons]
    assert "1  Without “Kiln”" in labels
    assert all(button.isVisible() for button in bench.outage_mends.buttons)
    date = bench.at.dateTime()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    bench.at.setFocus()
    qtbot.keyClick(bench.at, Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: window.commands.undo.text() == "Undo: Without “Kiln”")
    settled(window)
    assert bench.at.dateTime() == date
    window.session.undo()
    settled(window)
    # The night of the plan that is shown now, and not the one before the first key.
    qtbot.waitUntil(lambda: "outage-night" not in bench._waiting and bool(bench.outage_mends.buttons))
    assert "Without supply after 93" in bench.verdict.text().replace("\u00a0", " ")
    bench.night.setFocus()
    qtbot.keyClick(bench.night, Qt.Key.Key_1)
    qtbot.waitUntil(lambda: window.commands.undo.text() == "Undo: Without “Kiln”")
    settled(window)
    qtbot.waitUntil(lambda: "Without supply after 3.9" in bench.verdict.text().replace("\u00a0", " "))


def test_every_option_is_mapped_beside_the_envelope(window, bench, qtbot):
    qtbot.mouseClick(bench.tabs.buttons["every"], LEFT)
    qtbot.waitUntil(lambda: bench._every is not None)
    heads = [bench.table.horizontalHeaderItem(column).text() for column in range(bench.table.columnCount())]
    assert heads[-1] == "Envelope"
    shown = {bench.table.item(row, 0).text() for row in range(bench.table.rowCount())}
    assert "B" in shown and len(shown) == len(bench._every)
    # Another option that comes into view while the maps are drawn has them drawn again.
    window.show_option(2)
    window.show_option(1)
    qtbot.waitUntil(lambda: bench._every is not None and bench._mapped is not None)
    row = next(row for row in range(bench.table.rowCount()) if bench.table.item(row, 0).text() == "B")
    assert bench.table.item(row, 2).text() == f"{bench._mapped.hours.mean():.0f} h"


def test_the_worst_start_and_a_shorter_outage(bench, qtbot):
    qtbot.mouseClick(bench.worst, LEFT)
    assert bench.at.step == bench._mapped.worst
    before = bench.at.dateTime()
    type_into(qtbot, bench.hours, "1")
    assert bench.at.dateTime() == before
    assert isinstance(before, QDateTime)


def test_where_no_board_lives_the_cards_say_why(window, bench, qtbot, settled):
    window.session.replace(demo_job("dairy"))
    window.forget_view()
    settled(window)
    window.show_option(2)
    qtbot.waitUntil(lambda: "Vacuum pump, evening started" in bench.verdict.text().replace("\u00a0", " "))
    critical, whole = (card.text.text().replace("\u00a0", " ") for card in bench.schools)
    assert critical.startswith("No circuit rides through it.")
    assert "the battery was empty" in critical
    assert whole.startswith(
        "Does not ride through it, even with Lights, controls and fences alone. Without supply after"
    )
    assert not any(card.use.isEnabled() for card in bench.schools)


def test_a_date_typed_over_is_rehearsed(bench, qtbot):
    before = bench.at.step
    first = bench._run.first
    field = bench.at.lineEdit()
    spot = field.rect().center()
    spot.setX(6)
    qtbot.mouseClick(field, LEFT, pos=spot)
    qtbot.waitUntil(lambda: field.selectedText() == "15")
    qtbot.keyClicks(bench.at, "21")
    assert bench.at.step == before + 6 * 96
    qtbot.waitUntil(lambda: bench._run is not None and bench._run.first == first + 6 * 96)


def test_a_night_called_off_shows_no_other_night(window, bench, qtbot):
    shown = bench.verdict.text()
    bench._go(bench.at.step - 96 * 100)
    window.session.cancel()
    qtbot.waitUntil(lambda: "Called off" in bench.verdict.text())
    assert bench.night.isHidden() and not any(card.isVisible() for card in bench.schools)
    qtbot.mouseClick(bench.pull, LEFT)
    qtbot.waitUntil(lambda: "rides through" in bench.verdict.text() or "Without supply" in bench.verdict.text())
    assert bench.verdict.text() != shown
    assert not bench.night.isHidden()


def test_another_place_begins_with_its_own_longest_night(window, bench, qtbot, settled):
    assert bench.at.date().month() == 6
    window.session.replace(demo_job("cottage"))
    window.forget_view()
    settled(window)
    qtbot.waitUntil(lambda: bench.at.date().month() == 12)


def test_an_option_without_backup_is_outage_at_once(window, bench, qtbot):
    window.show_option(0)
    qtbot.waitUntil(lambda: "without supply at once" in bench.verdict.text())
    assert bench.night.isHidden()
    assert not bench.worst.isEnabled()


def test_the_board_is_edited_and_what_is_wrong_is_shown(window, settled, qtbot, monkeypatch):
    dialog = BackedUpLoadsDialog(window.session.job, window.session.library, window)
    qtbot.addWidget(dialog)
    dialog.show()
    assert [row.name.text() for row in dialog.rows][-1] == "Kiln"
    qtbot.mouseClick(dialog.add, LEFT)
    qtbot.waitUntil(lambda: dialog.rows[-1].share.isVisible())
    type_into(qtbot, dialog.rows[-1].share, "40")
    dialog.take()
    assert "add up to" in dialog.problem.text()
    dialog.rows[-1].gone.click()
    assert len(dialog.rows) == 7
    made = dialog.generator
    assert not made.power.isEnabled()
    made.there.setChecked(True)
    type_into(qtbot, made.starts, "90")
    dialog.take()
    assert dialog.problem.text() == "Start below: 90% is not below stop above, 80%."
    type_into(qtbot, made.starts, "20")
    type_into(qtbot, made.power, "4 kW")
    type_into(qtbot, made.tank, "60 l")
    choose(dialog.rows[-1].role, "grid only")
    dialog.take()
    job = dialog.result_job
    assert (job.generator.kw, job.generator.tank_litres) == (4.0, 60.0)
    assert job.backup_board.circuits[-1].role == "grid only"

    monkeypatch.setattr(BackedUpLoadsDialog, "exec", lambda self: setattr(self, "result_job", job) or 1)
    window.open_bench("Home")
    qtbot.mouseClick(window.bench.backup_board, LEFT)
    settled(window)
    assert window.session.job.generator.kw == 4.0
    notes = [note.finding for note in window.margin.notes if note.finding.check == "generator"]
    assert [note.sentence for note in notes if "60 l last" in note.sentence]


def test_split_phase_wants_a_leg_for_every_circuit():
    job = demo_job("cottage")
    with pytest.raises(ValueError, match="wanted one of 1, 2, across"):
        job.with_(backup_board=job.backup_board.with_(circuits=(job.backup_board.circuits[0].with_(leg=None),)))


@pytest.mark.parametrize("name", DEMOS)
def test_a_board_taken_unchanged_loses_nothing(dressed, qtbot, name):
    job = demo_job(name)
    dialog = BackedUpLoadsDialog(job, library())
    qtbot.addWidget(dialog)
    dialog.take()
    assert dialog.result_job == job
    shows_dwelling = dialog.rows[0].nameplate in dialog.rows[0].parts
    assert shows_dwelling == (job.supply.phases == "split")


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("Vacuum pump, Vacuum pump, evening", ("Vacuum pump", "Vacuum pump, evening")),
        ("Vacuum pump,evening , Car", ("Vacuum pump, evening", "Car")),
        ("Kettle, evening,", ("Kettle", "evening")),
        ("", ()),
    ],
)
def test_loads_with_commas_in_their_names_are_read_as_they_are(text, names):
    assert names_in(text, ["Car", "Vacuum pump", "Vacuum pump, evening"]) == names


def test_what_was_tested_of_a_circuit_follows_its_name(dressed, qtbot):
    job = demo_job("hut")
    name = job.backup_board.circuits[-1].name
    tested = job.commissioning.with_(tests=(TestRecord(key=f"shed {name}", result="passed"),))
    dialog = BackedUpLoadsDialog(job.with_(commissioning=tested), library())
    qtbot.addWidget(dialog)
    dialog.show()
    type_into(qtbot, dialog.rows[-1].name, "Sauna")
    dialog.rows[0].gone.click()
    dialog.take()
    (test,) = dialog.result_job.commissioning.tests
    assert (test.key, test.result) == ("shed Sauna", "passed")


def test_what_the_dwelling_counts_is_edited(dressed, qtbot):
    dialog = BackedUpLoadsDialog(demo_job("cottage"), library())
    qtbot.addWidget(dialog)
    dialog.show()
    type_into(qtbot, dialog.floor, "240")
    row = next(row for row in dialog.rows if row.name.text() == "Range")
    type_into(qtbot, row.nameplate, "12")
    choose(row.counts, "heating")
    dialog.take()
    backup_board = dialog.result_job.backup_board
    circuit = next(c for c in backup_board.circuits if c.name == "Range")
    assert (backup_board.floor_m2, circuit.nameplate_kva, circuit.counts_as) == (240.0, 12.0, "heating")


def test_where_a_dwelling_counts_by_its_area_nothing_else_is_asked(dressed, qtbot):
    dialog = BackedUpLoadsDialog(demo_job("cottage").with_(region="canada", rule_changes=()), library())
    qtbot.addWidget(dialog)
    dialog.show()
    assert dialog.floor.isVisible() and not dialog.small.isVisible() and not dialog.heating.isVisible()
    row = next(row for row in dialog.rows if row.name.text() == "Car")
    choose(row.counts, "counted whole")
    dialog.take()
    before, after = demo_job("cottage").backup_board, dialog.result_job.backup_board
    assert after.circuits[-2].counts_as == "counted whole"
    assert (after.small_circuits, after.heating_parts) == (before.small_circuits, before.heating_parts)


@pytest.mark.parametrize(
    "state, said",
    [
        ([SERVING, TRIPPED, TRIPPED, SERVING, SERVING], "Supplied again 2 minutes later."),
        (
            [SERVING, TRIPPED, SERVING, *[FLAT] * 150],
            "Supplied again 1 minute later; in all 2.5 hours without supply.",
        ),
        ([SERVING, *[FLAT] * 150, SERVING], "Supplied again 2.5 hours later."),
        ([SERVING, LOCKED, LOCKED], "It stays off to the end."),
    ],
)
def test_a_house_that_is_off_more_than_once_is_told_for_how_long_in_all(state, said):
    run = SimpleNamespace(served_h=1 / 60, step_h=1 / 60, state=np.array(state))
    assert _comes_back(run) == said


def test_without_light_the_array_gives_nothing_in_the_night_and_in_its_proposals(bench, qtbot):
    given = bench._run.run.kwh("pv_dc")
    assert given > 0.0 and "snow" not in bench.more.text()
    bench.covered.click()
    qtbot.waitUntil(lambda: bench._run.covered)
    assert bench._run.run.kwh("pv_dc") == 0.0
    assert "Nothing comes from the array." in bench.more.text().replace("\u00a0", " ")
    assert bench._schools and all(item.rehearsal.covered for item in bench._schools if item.rehearsal)
    bench.covered.click()
    qtbot.waitUntil(lambda: not bench._run.covered)
    assert bench._run.run.kwh("pv_dc") == pytest.approx(given)


@pytest.mark.parametrize(
    "name, word, places",
    [
        ("pottery", "Phase", ["–"]),
        ("cottage", "Leg", ["1", "2", "across"]),
        ("dairy", "Phase", ["1", "2", "3", "all"]),
        ("dairy without neutral", "Phase", ["L1–L2", "L2–L3", "L3–L1", "all"]),
    ],
)
def test_circuits_hang_on_what_the_service_has(qtbot, name, word, places):
    job = demo_job(name.partition(" ")[0])
    if "without" in name:
        job = job.with_(supply=job.supply.with_(phases="three-wire", meter="sum of phases"))
    dialog = BackedUpLoadsDialog(job, library())
    qtbot.addWidget(dialog)
    if not dialog.rows:
        dialog.add.click()
    heads = {label.text() for label in dialog.findChildren(QLabel)}
    assert word in heads and not heads & ({"Phase", "Leg"} - {word})
    leg = dialog.rows[0].leg
    assert [leg.itemText(n) for n in range(leg.count())] == places
