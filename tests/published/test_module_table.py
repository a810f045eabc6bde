"""The spreadsheet import against the public table of module figures that pvlib ships (California Energy Commission)."""

import itertools

import pytest

from calm_relay.exchange.spreadsheet import SheetTable, read_spreadsheet
from calm_relay.planning.equipment.draft import doubts, stated_of
from calm_relay.planning.equipment.table_import import Column, guess_columns, import_rows

FIELDS = {
    "power_w": "STC", "open_circuit_v": "V_oc_ref", "short_circuit_a": "I_sc_ref", "max_power_v": "V_mp_ref",
    "max_power_a": "I_mp_ref", "length_mm": "Length", "width_mm": "Width", "voc_per_c": "beta_oc",
    "isc_per_c": "alpha_sc", "cells_in_series": "N_s", "name": "Name",
}  # fmt: skip


@pytest.fixture(scope="module")
def table(pvlib_data):
    """Every twentieth row that states a length: a thousand and more of all makers."""
    files = [path for path in pvlib_data.glob("*modules*.csv") if "V_oc_ref" in path.read_text()[:400]]
    whole = read_spreadsheet(files[0])
    length = whole.heads.index("Length")
    rows = [pair for pair in zip(whole.rows, whole.numbers, strict=True) if _positive(pair[0][length])]
    rows = list(itertools.islice(rows, 0, None, max(len(rows) // 1200, 1)))
    return SheetTable(
        whole.path, whole.heads, whole.units, tuple(row for row, _ in rows), tuple(n for _, n in rows)
    )


def _positive(text):
    try:
        return float(text) > 0
    except ValueError:
        return False


def test_units_under_the_heads_are_taken(table):
    guessed = guess_columns("modules", table)
    units = {path: table.units[table.heads.index(head)] for path, head in FIELDS.items()}
    assert units["length_mm"] == "m"
    assert units["voc_per_c"] == "V/K"
    assert guessed["length_mm"].unit == "m"


def test_five_hundred_rows_and_more_are_read_without_a_wrong_unit(table):
    """Each figure is the table's own in our unit; fill factor and efficiency are what modules have."""
    columns = {
        path: Column(table.heads.index(head), table.units[table.heads.index(head)])
        for path, head in FIELDS.items()
    }
    imported = import_rows("modules", table, columns)
    assert len(imported.items) >= 500
    by_row = {row[0]: row for row in table.rows}
    cell = {path: table.heads.index(head) for path, head in FIELDS.items()}
    for own in imported.items:
        row, item = by_row[own.item.name], own.item
        figures = {path: float(row[number]) for path, number in cell.items() if path != "name"}
        assert item.power_w == pytest.approx(figures["power_w"])
        assert item.length_mm == pytest.approx(figures["length_mm"] * 1000)
        assert item.voc_per_c == pytest.approx(figures["voc_per_c"] / figures["open_circuit_v"], rel=1e-3)
        assert item.isc_per_c == pytest.approx(figures["isc_per_c"] / figures["short_circuit_a"], abs=1e-6)
        assert 0.4 < item.power_w / (item.open_circuit_v * item.short_circuit_a) < 0.9
        assert 0.03 < item.power_w / (item.length_mm * item.width_mm / 1000.0) < 0.27


def test_doubts_are_rare_among_measured_modules(table):
    """What is said to look wrong is seldom in a table of tested modules: under a tenth, thin film aside."""
    columns = {
        path: Column(table.heads.index(head), table.units[table.heads.index(head)])
        for path, head in FIELDS.items()
    }
    items = [own.item for own in import_rows("modules", table, columns).items]
    crystalline = [item for item in items if item.cells_in_series in {36, 54, 60, 72, 96, 120, 144}]
    doubted = [item for item in crystalline if doubts("modules", stated_of(item))]
    assert len(crystalline) > 400
    assert len(doubted) < 0.1 * len(crystalline)
