"""Own equipment on the desk: found as it is typed, read from a datasheet, chosen in a picker, carried by the job."""

import json

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QInputDialog

from calm_relay.desk.dialogs.item_dialog import ItemDialog
from calm_relay.exchange import own_equipment
from calm_relay.exchange.own_equipment import change, read_kind
from calm_relay.exchange.shipped import catalogue
from calm_relay.job.own_item import ITEMS
from tests.datasheets import HYBRID, MODULE, PACK, write_pdf
from tests.desk.driving import LEFT, choose, choose_new, painted, type_into

pytestmark = pytest.mark.usefixtures("own_folder")


@pytest.fixture
def bench(window):
    window.open_bench("Equipment")
    return window.bench


def sheet_read(qtbot, dialog, path):
    dialog.read_file(path)
    qtbot.waitUntil(lambda: dialog.open_sheet.isEnabled() and not dialog.problem.isVisible())


def opened(window):
    """The form that was opened last."""
    return window.findChildren(ItemDialog)[-1]


def own_pack(number, **changes):
    pack = catalogue().packs[0].with_(key=f"own-{number}", name=f"Brindle {number}")
    return ITEMS["packs"](item=pack, **changes)


def test_equipment_is_found_as_it_is_typed(bench, qtbot):
    choose(bench.kind, "inverters")
    qtbot.keyClicks(bench.words, "skerrin lead")
    assert bench.model.rows == []
    bench.words.clear()
    qtbot.keyClicks(bench.words, "skerrin hybrid")
    assert [row[0].name for row in bench.model.rows] != []
    assert all("Skerrin" in row[0].name for row in bench.model.rows)
    assert bench.count.text() == f"{len(bench.model.rows)} items"
    assert painted(bench.chart) > 0.01


def test_two_items_stand_beside_each_other(bench):
    choose(bench.kind, "packs")
    first, second = (row[0] for row in bench.model.rows[:2])
    bench.select([first.key, second.key])
    heads = [bench.figures.horizontalHeaderItem(column).text() for column in range(3)]
    assert heads == ["", first.name, second.name]
    assert not bench.change.isEnabled()


def test_example_prices_stand_in_the_money_of_the_job(window, bench, settled):
    choose(bench.kind, "packs")
    here = {row[0].key: row[0].price for row in bench.model.rows}
    job = window.session.job
    there = job.with_(costs=job.costs.with_(shipped_prices=20.0), tariff=job.tariff.with_(currency="R"))
    window.session.edit(there, "Another money")
    settled(window)
    assert {row[0].key: row[0].price for row in bench.model.rows} == {
        key: 20.0 * price for key, price in here.items()
    }
    assert bench.model.headerData(3, Qt.Orientation.Horizontal) == "Price, R"
    first = bench.model.rows[0]
    assert first[1][3] == f"{20.0 * here[first[0].key]:,.2f}"


def test_a_module_typed_by_hand_is_kept_and_planned_with(window, bench, qtbot, settled, own_folder):
    choose(bench.kind, "modules")
    qtbot.mouseClick(bench.new, LEFT)
    dialog = opened(window)
    for path, text in (
        ("name", "Brindle 430"), ("power_w", "430"), ("open_circuit_v", "38,9"), ("short_circuit_a", "13.9"),
        ("max_power_v", "32.7"), ("max_power_a", "13.15"), ("length_mm", '67.8"'), ("width_mm", "1134 mm"),
        ("price", "97"),
    ):  # fmt: skip
        type_into(qtbot, dialog.form.fields[path], text)
    choose(dialog.typed_from, "measured")
    assert dialog.form.stated["open_circuit_v"] == 38.9
    assert dialog.form.stated["length_mm"] == pytest.approx(1722.12)
    assert painted(dialog.charts[0]) > 0.01
    dialog.take()
    settled(window)
    (kept,) = read_kind("modules")
    assert (kept.item.key, kept.item.name, kept.item.price) == ("brindle-430", "Brindle 430", 97.0)
    assert {(source.origin, source.note) for source in kept.sources} == {("measured", "typed")}
    assert bench.model.rows[0][0].key == "brindle-430"
    assert bench.chosen[0].key == "brindle-430"
    window.open_bench("Roof")
    module = window.bench.table.fields[0, "module"]
    assert module.findData("brindle-430") >= 0


def test_what_is_missing_or_doubtful_is_said_at_once(window, qtbot):
    dialog = window.shelf.new("modules")
    dialog.take()
    assert dialog.problem.text().startswith("Still wanted: name, rated power")
    for path, text in (("name", "Odd"), ("power_w", "430"), ("max_power_v", "20"), ("max_power_a", "13")):
        type_into(qtbot, dialog.form.fields[path], text)
    assert "Vmp × Imp is 260 W" in dialog.form._rows["power_w"].how.text()
    type_into(qtbot, dialog.form.fields["open_circuit_v"], "four")
    assert "is no number" in dialog.problem.text()
    dialog.reject()
    assert read_kind("modules") == ()


def test_figures_that_contradict_each_other_are_told_by_what_the_form_calls_them(window, qtbot):
    dialog = window.shelf.new("packs")
    upside_down = {"empty_v": "57", "full_v": "44.8", "charge_a": "100", "discharge_a": "100"}
    for path, text in ({"name": "Holm", "family": "holm", "nominal_kwh": "5.12"} | upside_down).items():
        type_into(qtbot, dialog.form.fields[path], text)
    choose(dialog.form.fields["chemistry"], "LFP")
    told = "Voltage when empty must not exceed voltage when full."
    assert dialog.hint.text() == told
    dialog.take()
    assert dialog.problem.text() == told
    dialog.reject()


def test_a_datasheet_fills_the_form_and_nothing_is_kept_unseen(window, qtbot, tmp_path):
    dialog = window.shelf.new("modules")
    sheet_read(qtbot, dialog, write_pdf(tmp_path / "larkmoor.pdf", MODULE))
    choose(dialog.sheet_view.column, 2)
    assert dialog.form.stated["power_w"] == 410.0
    assert dialog.form.stated["name"] == "LM-410"
    assert "larkmoor.pdf, page 1" in dialog.form.unconfirmed["power_w"]
    assert painted(dialog.sheet_view.page) > 0.001
    qtbot.mouseClick(dialog.turn, LEFT)
    assert painted(dialog.charts[0]) > 0.01
    qtbot.mouseClick(dialog.turn, LEFT)
    assert dialog.sheet_view.isVisibleTo(dialog)
    dialog.take()
    assert "not confirmed" in dialog.problem.text()
    assert read_kind("modules") == ()
    row = dialog.form._rows["power_w"]
    assert row.confirm.isVisibleTo(dialog)
    qtbot.mouseClick(row.confirm, LEFT)
    assert "power_w" not in dialog.form.unconfirmed
    qtbot.mouseClick(dialog.confirm_all, LEFT)
    dialog.take()
    (kept,) = read_kind("modules")
    assert kept.item.power_w == 410.0
    assert {source.origin for source in kept.sources} == {"datasheet"}
    assert kept.sources[0].note == "larkmoor.pdf"


def test_a_number_clicked_on_the_page_goes_into_the_field_in_focus(window, qtbot, tmp_path):
    dialog = window.shelf.new("modules")
    sheet_read(qtbot, dialog, write_pdf(tmp_path / "larkmoor.pdf", MODULE))
    dialog.activateWindow()
    dialog.form.focus = "series_fuse_a"
    page = dialog.sheet_view.page
    word = next(word for line in dialog._sheet.lines for word in line.words if word.text == "13.95")
    qtbot.mouseMove(page, page.box_of(word).center().toPoint())
    qtbot.mouseClick(page, LEFT, pos=page.box_of(word).center().toPoint())
    assert dialog.form.stated["series_fuse_a"] == 13.95
    assert "series_fuse_a" in dialog.form.unconfirmed


def test_a_number_clicked_in_a_sheet_with_commas_keeps_its_thousands(window, qtbot, tmp_path):
    dialog = window.shelf.new("modules")
    rows = (("Leerlaufspannung (Uoc)", "38,72 V"), ("Kurzschlussstrom (Isc)", "14,05 A"), ("Isolation", "1.500 V"))
    lines = [
        (left, 100 + 20 * n, 9, text)
        for n, row in enumerate(rows)
        for left, text in zip((40, 250), row, strict=True)
    ]
    sheet_read(qtbot, dialog, write_pdf(tmp_path / "lumo.pdf", lines))
    assert dialog.form.stated["open_circuit_v"] == 38.72
    dialog.form.focus = "system_voltage_v"
    page = dialog.sheet_view.page
    word = next(word for line in dialog._sheet.lines for word in line.words if word.text == "1.500")
    qtbot.mouseMove(page, page.box_of(word).center().toPoint())
    qtbot.mouseClick(page, LEFT, pos=page.box_of(word).center().toPoint())
    assert dialog.form.stated["system_voltage_v"] == 1500.0


def test_pasted_text_reads_as_a_sheet_does(window, qtbot, monkeypatch):
    dialog = window.shelf.new("packs")
    text = "Nominal energy   5,12 kWh\nOperating voltage range  44,8 - 57,6 V\nMax. charge current  100 A\nLiFePO4"
    monkeypatch.setattr(QInputDialog, "getMultiLineText", lambda *_: (text, True))
    qtbot.mouseClick(dialog.paste, LEFT)
    qtbot.waitUntil(lambda: dialog._reading is not None)
    assert dialog.form.stated["nominal_kwh"] == 5.12
    assert dialog.form.stated["chemistry"] == "LFP"
    assert dialog.form.fields["charge_c"].placeholderText().startswith("1")
    assert "100 A" not in dialog.problem.text()


def test_a_scan_and_a_broken_sheet_are_told(window, qtbot, tmp_path):
    dialog = window.shelf.new("packs")
    sheet_read(qtbot, dialog, write_pdf(tmp_path / "scan.pdf", ()))
    assert "must be typed" in dialog.sheet_view.told.text()
    (tmp_path / "bad.pdf").write_bytes(b"%PDF-1.4 nothing")
    dialog.read_file(tmp_path / "bad.pdf")
    qtbot.waitUntil(lambda: "bad.pdf" in dialog.problem.text())
    assert "damaged or no PDF" in dialog.problem.text()


def test_a_hybrid_from_its_sheet_stands_in_the_picker_and_in_the_job(window, qtbot, settled, tmp_path):
    window.open_bench("Inverter")
    inverter = window.bench
    asked = []
    inverter.item_wanted.connect(lambda kind, then: asked.append(kind))
    choose_new(qtbot, inverter.hybrid)
    assert asked == ["inverters"]
    dialog = opened(window)
    sheet_read(qtbot, dialog, write_pdf(tmp_path / "tamber.pdf", HYBRID))
    assert dialog.form.parts == {"pv", "battery", "backup"}
    qtbot.mouseClick(dialog.confirm_all, LEFT)
    type_into(qtbot, dialog.form.fields["battery.families"], "fern-lv, Salt LV")
    assert dialog.form.stated["battery.families"] == ("fern-lv", "salt-lv")
    assert dialog.form.fields["pv.tracker.usable_a"].text() == "16 / 13 A"
    type_into(qtbot, dialog.form.fields["price"], "2100")
    dialog.take()
    settled(window)
    job = window.session.job
    assert job.battery.hybrid == "tamber-hybrid-5"
    assert window.session.plan.option("hybrid-swap").design.converters[0].inverter.name == "Tamber Hybrid 5"
    assert window.commands.undo.text() == "Undo: Hybrid: Tamber Hybrid 5"
    path = tmp_path / "own.relay.json"
    window.session.save(path)
    carried = json.loads(path.read_text())["own_equipment"]
    assert "tamber-hybrid-5" in {item["key"] for item in carried["inverters"]}
    assert {face.module for face in job.faces} <= {item["key"] for item in carried["modules"]}


def test_string_inverter_and_microinverter_are_chosen_by_hand(window, settled):
    window.open_bench("Inverter")
    choose(window.bench.units["string_inverter"], "tarnlight-6")
    settled(window)
    choose(window.bench.units["microinverter"], catalogue().microinverters[0].key)
    settled(window)
    battery = window.session.job.battery
    assert (battery.string_inverter, battery.microinverter) == ("tarnlight-6", catalogue().microinverters[0].key)


def test_a_shipped_item_is_copied_and_an_own_one_changed(window, bench, qtbot, settled):
    choose(bench.kind, "packs")
    bench.select(["fern-48"])
    assert bench.change.text() == "C&opy and change…"
    qtbot.mouseClick(bench.change, LEFT)
    dialog = opened(window)
    assert dialog.form.fields["name"].text() == "Fern 4.8 (48 V), own"
    type_into(qtbot, dialog.form.fields["price"], "1700")
    choose(dialog.stock, "on order")
    qtbot.keyClicks(dialog.supplier, "Brindle Supplies")
    dialog.take()
    settled(window)
    (own,) = read_kind("packs")
    assert (own.item.price, own.stock, own.supplier) == (1700.0, "on order", "Brindle Supplies")
    assert own.item.with_(key="fern-48", name="Fern 4.8 (48 V)", price=1850.0) == catalogue().packs[0]
    bench.select([own.key])
    assert bench.change.text() == "C&hange…"
    qtbot.mouseClick(bench.change, LEFT)
    dialog = opened(window)
    type_into(qtbot, dialog.form.fields["price"], "1650")
    dialog.take()
    settled(window)
    assert read_kind("packs")[0].item.price == 1650.0


def test_an_item_of_the_open_job_is_taken_out_and_the_job_keeps_it(window, bench, settled, qtbot, monkeypatch):
    change("packs", put=[own_pack(1)])
    window.shelf.look_at_disk()
    settled(window)
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(pack="own-1", count=2)), "own")
    settled(window)
    choose(bench.kind, "packs")
    bench.select(["own-1"])
    qtbot.mouseClick(bench.drop, LEFT)
    settled(window)
    assert read_kind("packs") == ()
    assert window.session.plan.bank.pack.name == "Brindle 1"
    assert "own-1" in {pack.key for pack in window.session.job.own_equipment.packs}


def test_a_saved_job_says_where_the_library_differs(window, settled, tmp_path):
    change("packs", put=[own_pack(1)])
    window.shelf.look_at_disk()
    job = window.session.job
    window.session.edit(job.with_(battery=job.battery.with_(pack="own-1", count=2)), "own")
    window.session.save(tmp_path / "job.relay.json")
    dearer = own_pack(1).item.with_(price=2222.0)
    change("packs", put=[ITEMS["packs"](item=dearer, stock="discontinued")])
    window.shelf.look_at_disk()
    settled(window)
    found = {finding.check: finding for finding in window.session.plan.option("ac-addon").findings}
    assert "Price 1850 here, 2222 there" in found["own copy"].sentence
    assert "is discontinued" in found["stock"].sentence
    window._mend(found["own copy"].mends[0])
    settled(window)
    assert window.session.plan.bank.pack.price == 2222.0
    assert "own copy" not in {finding.check for finding in window.session.plan.option("ac-addon").findings}


def test_another_windows_items_are_seen(window, bench, settled):
    change("packs", put=[own_pack(7)])
    window.shelf.look_at_disk()
    settled(window)
    choose(bench.kind, "packs")
    assert bench.model.rows[0][0].key == "own-7"


def test_the_examples_are_left_out_on_wish(window, bench, qtbot, settled):
    bench.examples.click()
    settled(window)
    assert own_equipment.read_own_equipment()[0].without_examples
    refused = [option for option in window.session.plan.options if option not in window.session.plan.live]
    assert refused
    bench.examples.click()
    settled(window)
    assert not own_equipment.read_own_equipment()[0].without_examples


def test_a_library_goes_to_a_colleague_and_comes_back(window, bench, qtbot, settled, tmp_path, monkeypatch):
    change("packs", put=[own_pack(1), own_pack(2)])
    window.shelf.look_at_disk()
    path = tmp_path / "all.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    qtbot.mouseClick(bench.hand_on, LEFT)
    assert "2 items" in window.notice.text.text()
    change("packs", drop=["own-1", "own-2"])
    qtbot.mouseClick(bench.take_in, LEFT)
    settled(window)
    assert [own.key for own in read_kind("packs")] == ["own-1", "own-2"]
    assert "2 new items" in window.notice.text.text()


def test_a_library_that_cannot_be_written_is_told_and_stays(window, qtbot, asked, tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_DATA", str(tmp_path / "file"))
    assert not window.shelf.put("packs", own_pack(1))
    assert "Nothing in it is lost" in asked[-1]


def test_the_form_is_typed_by_keyboard_alone(window, qtbot):
    dialog = window.shelf.new("packs")
    dialog.activateWindow()
    dialog.form.fields["name"].setFocus()
    qtbot.waitUntil(dialog.form.fields["name"].hasFocus)
    qtbot.keyClicks(dialog.focusWidget(), "Fellmar 5")
    qtbot.keyClick(dialog.focusWidget(), Qt.Key.Key_Tab)
    assert dialog.form.stated["name"] == "Fellmar 5"
    assert dialog.focusWidget() is dialog.form.fields["family"]
    qtbot.keyClicks(dialog.focusWidget(), "Fellmar LV")
    qtbot.keyClick(dialog.focusWidget(), Qt.Key.Key_Tab)
    assert dialog.form.stated["family"] == "fellmar-lv"


def test_a_pack_from_its_sheet(window, qtbot, tmp_path):
    dialog = window.shelf.new("packs")
    sheet_read(qtbot, dialog, write_pdf(tmp_path / "fellmar.pdf", PACK))
    assert dialog.form.fields["cycle_life"].text() == "90%: 6000"
    type_into(qtbot, dialog.form.fields["cycle_life"], "80 %: 8000, 90 %: 6000")
    type_into(qtbot, dialog.form.fields["family"], "fellmar")
    dialog.form.confirm()
    dialog.take()
    (own,) = read_kind("packs")
    assert [(point.depth, point.cycles) for point in own.item.cycle_life] == [(0.8, 8000.0), (0.9, 6000.0)]
