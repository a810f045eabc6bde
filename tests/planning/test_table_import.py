"""Items and prices from a supplier's spreadsheet."""

import zipfile

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.shipped import catalogue
from calm_relay.exchange.spreadsheet import SheetTable, read_spreadsheet
from calm_relay.job.own_item import ITEMS
from calm_relay.planning.equipment.table_import import (
    Column,
    guess_columns,
    import_rows,
    new_prices,
    price_columns,
)

HEADS = [
    "Art. no.", "Name", "Pmax (W)", "Voc (V)", "Isc (A)", "Vmp (V)", "Imp (A)", "Length (mm)", "Width (mm)", "Price",
]  # fmt: skip
ROWS = [
    ["L-400", "Larkmoor 400", 400, 37.07, 13.79, 31.01, 12.90, 1722, 1134, 92.5],
    ["L-410", "Larkmoor 410", 410, 37.32, 13.95, 31.45, 13.04, 1722, 1134, 97.0],
]


def write_xlsx(path, *rows):
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    book.save(path)
    return path


def _kind_of(cell):
    number = isinstance(cell, int | float)
    return f'office:value-type="float" office:value="{cell}"' if number else 'office:value-type="string"'


def write_ods(path, *rows):
    cells = "".join(
        "<table:table-row>"
        + "".join(f"<table:table-cell {_kind_of(cell)}><text:p>{cell}</text:p></table:table-cell>" for cell in row)
        + "</table:table-row>"
        for row in rows
    )
    names = "xmlns:office='urn:oasis:names:tc:opendocument:xmlns:office:1.0' " \
        "xmlns:table='urn:oasis:names:tc:opendocument:xmlns:table:1.0' " \
        "xmlns:text='urn:oasis:names:tc:opendocument:xmlns:text:1.0'"  # fmt: skip
    content = (
        f"<?xml version='1.0'?><office:document-content {names}><office:body><office:spreadsheet>"
        f"<table:table table:name='Modules'>{cells}</table:table></office:spreadsheet></office:body>"
        "</office:document-content>"
    )
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
        archive.writestr(
            "META-INF/manifest.xml",
            "<?xml version='1.0'?><m:manifest xmlns:m='urn:oasis:names:tc:opendocument:xmlns:manifest:1.0'/>",
        )
    return path


def write_csv(path, *rows, mark=";", comma=True):
    def text(cell):
        return str(cell).replace(".", ",") if comma and isinstance(cell, float) else str(cell)

    path.write_text("\n".join(mark.join(text(cell) for cell in row) for row in rows))
    return path


@pytest.mark.parametrize("ending", ["xlsx", "ods", "csv"])
def test_the_same_table_of_every_kind_gives_the_same_modules(tmp_path, ending):
    write = {"xlsx": write_xlsx, "ods": write_ods, "csv": write_csv}[ending]
    table = read_spreadsheet(write(tmp_path / f"modules.{ending}", HEADS, *ROWS))
    imported = import_rows("modules", table, guess_columns("modules", table))
    assert imported.refused == ()
    assert [own.item.name for own in imported.items] == ["Larkmoor 400", "Larkmoor 410"]
    second = imported.items[1]
    assert (second.article, second.item.price, second.item.power_w, second.item.open_circuit_v) == (
        "L-410", 97.0, 410.0, 37.32,
    )  # fmt: skip
    assert second.sources[0].note == f"modules.{ending}"


def test_a_title_merged_heads_and_a_row_of_units_are_seen_through(tmp_path):
    table = read_spreadsheet(
        write_xlsx(
            tmp_path / "m.xlsx",
            ["Stock list of Brindle Supplies"],
            [],
            ["Type", "Electrical", None, None, None, None, "Dimensions", None],
            ["Name", "Pmax", "Voc", "Isc", "Vmp", "Imp", "Length", "Width"],
            ["", "kW", "V", "A", "V", "A", "in", "cm"],
            ["Larkmoor 400", 0.4, 37.07, 13.79, 31.01, 12.9, 67.8, 113.4],
        )
    )
    assert table.heads[6] == "Dimensions Length"
    assert table.units[1] == "kW"
    (own,) = import_rows("modules", table, guess_columns("modules", table)).items
    assert own.item.power_w == 400.0
    assert own.item.length_mm == pytest.approx(67.8 * 25.4)
    assert own.item.width_mm == 1134.0


def test_rows_that_do_not_fit_are_listed_with_their_number_and_reason(tmp_path):
    rows = [
        ROWS[0],
        ["L-1", "No power", "", 37.0, 13.8, 31.0, 12.9, 1722, 1134, 90.0],
        ["L-2", "Words", "many", 37.0, 13.8, 31.0, 12.9, 1722, 1134, 90.0],
        ["L-3", "Upside down", 400, 30.0, 13.8, 31.0, 12.9, 1722, 1134, 90.0],
        ["L-4", "Amperes", "400 A", 37.0, 13.8, 31.0, 12.9, 1722, 1134, 90.0],
        ["L-5", "Formula", "=C2", 37.0, 13.8, 31.0, 12.9, 1722, 1134, 90.0],
        ["L-6", "Furlongs", 400, 37.0, 13.8, 31.0, 12.9, "8 furlongs", 1134, 90.0],
    ]
    table = read_spreadsheet(write_csv(tmp_path / "m.csv", HEADS, *rows))
    imported = import_rows("modules", table, guess_columns("modules", table))
    assert len(imported.items) == 1
    said = {refused.row: refused.reason for refused in imported.refused}
    assert said[3] == "is missing rated power"
    assert "'Pmax (W)' holds 'many'; wanted a number" in said[4]
    assert "Voltage at maximum power Vmp must be below open-circuit voltage Voc" in said[5]
    assert "in a; wanted W" in said[6]
    assert "formula" in said[7]
    assert "furlongs" in said[8]


def test_two_units_in_one_column_are_each_their_own(tmp_path):
    rows = [[*ROWS[0][:7], "1722 mm", "113.4 cm", 90], [*ROWS[1][:7], "67.8 in", "44.6 in", 90]]
    table = read_spreadsheet(write_xlsx(tmp_path / "m.xlsx", HEADS, *rows))
    first, second = import_rows("modules", table, guess_columns("modules", table)).items
    assert (first.item.length_mm, first.item.width_mm) == (1722.0, 1134.0)
    assert second.item.length_mm == pytest.approx(1722.12)


def test_hybrids_with_what_holds_for_all_of_them(tmp_path):
    heads = [
        "Model", "Rated AC power (W)", "Max. efficiency (%)", "Number of MPP trackers", "MPPT from (V)", "MPPT to (V)",
        "Max. DC voltage (V)", "Max. input current (A)", "Battery from (V)", "Battery to (V)", "Charging power (kW)",
        "Discharging power (kW)", "Backup power (kW)",
    ]  # fmt: skip
    row = ["Tamber 5", 5000, 97.6, 2, 90, 520, 600, "16/13", 42, 60, 5, 5, 5]
    table = read_spreadsheet(write_xlsx(tmp_path / "h.xlsx", heads, row))
    paths = (
        "name", "ac_kw", "peak_efficiency", "pv.inputs", "pv.tracker.mppt_low_v", "pv.tracker.mppt_high_v",
        "pv.tracker.max_v", "pv.tracker.usable_a", "battery.low_v", "battery.high_v", "battery.charge_kw",
        "battery.discharge_kw", "backup.continuous_kw",
    )  # fmt: skip
    columns = {path: Column(number, "W" if path == "ac_kw" else "") for number, path in enumerate(paths)}
    bare = import_rows("inverters", table, columns)
    assert "is missing phases, battery: speaks to battery families" in bare.refused[0].reason
    (own,) = import_rows(
        "inverters", table, columns, of_all={"phases": "single", "battery.families": "fern-lv"}
    ).items
    assert own.item.ac_kw == 5.0
    assert own.item.peak_efficiency == pytest.approx(0.976)
    assert [tracker.usable_a for tracker in own.item.pv.trackers] == [16.0, 13.0]


def test_a_price_list_matches_by_article_and_else_by_name(tmp_path):
    packs = catalogue().packs
    own = {
        "packs": (
            ITEMS["packs"](item=packs[0], article="F-48"),
            ITEMS["packs"](item=packs[2]),
            ITEMS["packs"](item=packs[5]),
        )
    }
    table = read_spreadsheet(
        write_csv(
            tmp_path / "prices.csv",
            ["Order code", "Description", "Net price EUR"],
            ["f-48", "anything", "1.799,00"],
            ["X1", "48 V Fern 9.6", "3.210,50"],
            ["X2", "Garden hose", "12,00"],
            ["X3", packs[5].name, "on request"],
        )
    )
    columns = price_columns(table)
    assert columns == {"article": 0, "name": 1, "price": 2}
    found, refused = new_prices(table, columns, own)
    assert [(one.own.key, one.price, one.by.split(",")[0]) for one in found] == [
        (packs[0].key, 1799.0, "article number"),
        (packs[2].key, 3210.5, "name"),
    ]
    assert found[0].changed.item.price == 1799.0
    assert [(one.row, "wanted a number" in one.reason) for one in refused] == [(5, True)]


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("a.xlsx", b"PK\x03\x04 nothing", "damaged or no spreadsheet"),
        ("a.ods", b"", "damaged or no spreadsheet"),
        ("a.docx", b"x", "ends in .docx"),
        ("a.csv", b"\xff\xfe\x00", "not UTF-8"),
        ("a.csv", b"1;2;3\n4;5;6\n", "holds no table"),
        ("a.csv", b"Name;Price\n", "holds no table"),
    ],
)
def test_what_is_no_table_is_told(tmp_path, name, content, words):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(InputError, match=words):
        read_spreadsheet(tmp_path / name)


def test_a_missing_file_a_folder_and_a_bomb_are_told(tmp_path):
    with pytest.raises(InputError, match="no such file"):
        read_spreadsheet(tmp_path / "gone.xlsx")
    (tmp_path / "folder.csv").mkdir()
    with pytest.raises(InputError, match="is a folder"):
        read_spreadsheet(tmp_path / "folder.csv")
    with zipfile.ZipFile(tmp_path / "bomb.xlsx", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", b"0" * 50_000_000)
    with pytest.raises(InputError, match="unpacks to"):
        read_spreadsheet(tmp_path / "bomb.xlsx")


def test_a_sheet_of_too_many_rows_is_told(tmp_path):
    (tmp_path / "long.csv").write_text("Name;Price\n" + "a;1\n" * 100_001)
    with pytest.raises(InputError, match="more than 100,000 rows"):
        read_spreadsheet(tmp_path / "long.csv")


@settings(max_examples=60, deadline=None)
@given(st.lists(st.lists(st.text(max_size=12), min_size=3, max_size=3), min_size=1, max_size=6))
def test_any_cells_end_in_items_or_reasons(rows):
    from pathlib import Path

    table = SheetTable(
        Path("any.csv"),
        ("Name", "Pmax", "Voc"),
        ("", "", ""),
        tuple(map(tuple, rows)),
        tuple(range(2, len(rows) + 2)),
    )
    imported = import_rows("modules", table, guess_columns("modules", table))
    assert len(imported.items) + len(imported.refused) == len(rows)
    assert all(refused.reason for refused in imported.refused)


def test_an_archive_of_a_later_kind_is_told(tmp_path):
    path = tmp_path / "list.xlsx"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("xl/workbook.xml", "<workbook/>")
    raw = bytearray(path.read_bytes())
    # The version that is wanted to unpack it, in the archive's directory.
    raw[raw.index(b"PK\x01\x02") + 6] = 110
    path.write_bytes(raw)
    with pytest.raises(InputError, match="is damaged or no spreadsheet"):
        read_spreadsheet(path)


def imported(tmp_path, kind, *rows, of_all=None):
    table = read_spreadsheet(write_csv(tmp_path / "t.csv", *rows, comma=False))
    columns = guess_columns(kind, table)
    return columns, import_rows(kind, table, columns, of_all=of_all)


def test_one_column_of_ranges_and_sizes_is_two_fields(tmp_path):
    heads = ["Model", "Pmax (W)", "Vmp (V)", "Imp (A)", "Voc (V)", "Isc (A)", "Dimensions (mm)", "Price"]
    row = [430, 32.4, 13.28, 38.9, 13.98]
    columns, found = imported(
        tmp_path, "modules", heads, ["A", *row, "1722x1134x30", 78], ["B", *row, "1134 × 1722 × 30 mm", 81],
        ["C", *row, "172.2 * 113.4 cm", 81],
    )  # fmt: skip
    assert columns["length_mm"] == columns["width_mm"] and not found.refused
    assert {(own.item.length_mm, own.item.width_mm) for own in found.items} == {(1722.0, 1134.0)}


def test_an_inverter_list_as_wholesalers_have_it(tmp_path):
    heads = [
        "Article", "Model", "Rated AC power (kW)", "Phases", "Max. efficiency (%)", "PV Max Voltage (V)",
        "MPPT voltage range (V)", "Number of MPPT", "Max. input current per MPPT (A)", "Battery voltage range (V)",
        "Max. charge/discharge power (kW)", "Backup power (kW)",
    ]  # fmt: skip
    rows = [
        ["A1", "Quillmoor 5", 5, 1, 97.6, 600, "80-550", 2, 16, "40-60", "4.8/5", 5],
        ["A2", "Quillmoor 10T", 10, "3~", 98.3, 1000, "140 to 950", 2, "16/20", "150 – 600 V", "10 / 9.5", 10],
    ]
    columns, found = imported(tmp_path, "inverters", heads, *rows, of_all={"battery.families": "fern-lv"})
    assert columns["pv.tracker.max_v"].number == 5 and not found.refused
    one, two = (own.item for own in found.items)
    assert (one.phases, two.phases) == ("single", "three")
    assert (one.pv.trackers[0].mppt_low_v, one.pv.trackers[1].mppt_high_v) == (80.0, 550.0)
    assert (two.pv.trackers[0].mppt_low_v, two.pv.trackers[1].usable_a) == (140.0, 20.0)
    assert (one.battery.low_v, one.battery.high_v, two.battery.high_v) == (40.0, 60.0, 600.0)
    assert (one.battery.charge_kw, one.battery.discharge_kw, two.battery.discharge_kw) == (4.8, 5.0, 9.5)


def test_a_battery_s_usable_energy_tells_its_nominal_or_its_share(tmp_path):
    heads = ["Name", "Usable energy (kWh)", "Voltage range", "Max charge current (A)", "Max discharge current (A)"]
    row, same = ["44.8-57.6", 100, 100], {"family": "peat-lv", "chemistry": "LFP"}
    _, found = imported(
        tmp_path, "packs", [*heads, "Depth of discharge", "Cycles"], ["A", 4.8, *row, "90%", 6000], of_all=same
    )
    (own,) = found.items
    assert own.item.nominal_kwh == pytest.approx(5.3333, abs=1e-3) and own.item.usable_kwh == pytest.approx(4.8)
    assert (own.item.empty_v, own.item.full_v, own.item.cycle_life[0].cycles) == (44.8, 57.6, 6000.0)
    _, found = imported(tmp_path, "packs", [*heads, "Nominal energy (Wh)"], ["A", 4.8, *row, 5120], of_all=same)
    assert found.items[0].item.depth_of_discharge == pytest.approx(0.9375)
    _, found = imported(tmp_path, "packs", heads, ["A", 4.8, *row], of_all=same)
    assert (found.items[0].item.nominal_kwh, found.items[0].item.depth_of_discharge) == (4.8, 1.0)
