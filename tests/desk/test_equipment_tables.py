"""A supplier's spreadsheet and price list, taken into the library through their dialogs."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from calm_relay.desk.dialogs.table_dialog import PricesDialog, TableDialog
from calm_relay.exchange.own_equipment import change, read_kind
from calm_relay.exchange.shipped import catalogue
from calm_relay.job.own_item import ITEMS
from tests.desk.driving import LEFT, choose, type_into
from tests.planning.test_table_import import HEADS, ROWS, write_csv, write_xlsx

pytestmark = pytest.mark.usefixtures("own_folder")


@pytest.fixture
def bench(window):
    window.open_bench("Equipment")
    choose(window.bench.kind, "modules")
    return window.bench


def opened(qtbot, window, kind):
    dialog = window.findChildren(kind)[-1]
    qtbot.waitUntil(lambda: dialog.table is not None or dialog.problem.isVisible())
    return dialog


@pytest.fixture
def file_named(monkeypatch):
    return lambda path: monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))


def test_a_suppliers_modules_come_into_the_library(window, bench, qtbot, settled, tmp_path, file_named):
    bad = ["L-9", "No current", 400, 37.0, "", 31.0, 12.9, 1722, 1134, 90]
    file_named(write_xlsx(tmp_path / "modules.xlsx", HEADS, *ROWS, bad))
    qtbot.mouseClick(bench.from_table, LEFT)
    dialog = opened(qtbot, window, TableDialog)
    assert dialog.below.text() == "2 of 3 rows fit. Left out: 1."
    assert dialog.refused.item(0, 0).text() == "4"
    assert dialog.refused.item(0, 1).text() == "is missing short-circuit current Isc"
    assert dialog.mapping.item(1, 4).text() == "400"
    dialog.take()
    settled(window)
    assert [(own.item.name, own.article) for own in read_kind("modules")] == [
        ("Larkmoor 400", "L-400"), ("Larkmoor 410", "L-410"),
    ]  # fmt: skip
    assert "2 items" in window.notice.text.text()


def test_the_mapping_is_corrected_remembered_and_read_again_in_place(
    window, bench, qtbot, settled, tmp_path, file_named
):
    heads = ["Thing", "Alpha", *HEADS[3:]]
    rows = [[f"Brindle {row[2]}", row[2] / 1000, *row[3:]] for row in ROWS]
    file_named(write_csv(tmp_path / "odd.csv", heads, *rows))
    qtbot.mouseClick(bench.from_table, LEFT)
    dialog = opened(qtbot, window, TableDialog)
    assert dialog.below.text().startswith("0 of 2 rows fit")
    dialog.take()
    assert "No row fits yet" in dialog.problem.text()
    for path, number in (("name", 0), ("power_w", 1)):
        choose(dialog.columns[path], number)
    choose(dialog.units["power_w"], "kW")
    type_into(qtbot, dialog.of_all["supplier"], "Brindle Supplies")
    assert dialog.below.text() == "2 of 2 rows fit."
    dialog.take()
    settled(window)
    before = read_kind("modules")
    assert [(own.item.power_w, own.supplier) for own in before] == [
        (400.0, "Brindle Supplies"),
        (410.0, "Brindle Supplies"),
    ]
    rows[0][-1] = 81.5
    file_named(write_csv(tmp_path / "odd.csv", heads, *rows))
    qtbot.mouseClick(bench.from_table, LEFT)
    dialog = opened(qtbot, window, TableDialog)
    assert dialog.below.text() == "2 of 2 rows fit."
    dialog.take()
    settled(window)
    after = read_kind("modules")
    assert [own.key for own in after] == [own.key for own in before]
    assert after[0].item.price == 81.5


def test_a_price_list_is_taken_row_by_row(window, bench, qtbot, settled, tmp_path, file_named):
    packs = catalogue().packs
    own = [ITEMS["packs"](item=pack.with_(key=f"own-{n}"), article=f"P{n}") for n, pack in enumerate(packs[:3])]
    change("packs", put=own)
    window.shelf.look_at_disk()
    settled(window)
    rows = [["P0", 1700.0], ["P1", packs[1].price], ["P2", 9999.0]]
    file_named(write_csv(tmp_path / "list.csv", ["Article", "Price"], *rows))
    qtbot.mouseClick(bench.prices, LEFT)
    dialog = opened(qtbot, window, PricesDialog)
    assert "3 are of your library, 2 with another price" in dialog.told.text()
    states = [dialog.rows.item(row, 0).checkState() for row in range(3)]
    assert states == [Qt.CheckState.Checked, Qt.CheckState.Unchecked, Qt.CheckState.Checked]
    assert dialog.rows.item(0, 4).text() == "−8.1%"
    dialog.rows.item(2, 0).setCheckState(Qt.CheckState.Unchecked)
    dialog.take()
    settled(window)
    prices = {item.key: (item.item.price, bool(item.priced)) for item in read_kind("packs")}
    assert prices == {"own-0": (1700.0, True), "own-1": (packs[1].price, False), "own-2": (packs[2].price, False)}


def test_a_list_without_a_price_and_a_broken_file_are_told(window, bench, qtbot, tmp_path, file_named):
    file_named(write_csv(tmp_path / "list.csv", ["Article", "Colour"], ["P0", "green"], ["P1", "red"]))
    qtbot.mouseClick(bench.prices, LEFT)
    dialog = opened(qtbot, window, PricesDialog)
    assert "Wanted: the column of the price" in dialog.problem.text()
    dialog.take()
    assert dialog.problem.text() == "No row is ticked."
    (tmp_path / "bad.xlsx").write_bytes(b"nothing")
    file_named(tmp_path / "bad.xlsx")
    qtbot.mouseClick(bench.from_table, LEFT)
    dialog = opened(qtbot, window, TableDialog)
    assert "bad.xlsx: is damaged or no spreadsheet" in dialog.problem.text()
