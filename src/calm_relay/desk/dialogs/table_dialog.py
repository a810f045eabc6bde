"""A supplier's spreadsheet taken into the library: columns to fields with their units, what fits, and what does not."""

import json
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.beside import Beside
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.theme import font
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.own_equipment import data_folder
from calm_relay.exchange.spreadsheet import SheetTable, read_spreadsheet
from calm_relay.job.field_words import words_of
from calm_relay.planning.common.amounts import signed
from calm_relay.planning.equipment.draft import INPUTS, USUAL, field_at
from calm_relay.planning.equipment.table_import import (
    ABOUT,
    USABLE,
    Column,
    Imported,
    NewPrice,
    fields_of,
    guess_columns,
    import_rows,
    new_prices,
    price_columns,
)

NOT_THERE = -1
# Spellings of units to choose from where a column's cells have none.
UNITS_OF = {
    "W": ("W", "kW"), "kW": ("kW", "W"), "mm": ("mm", "cm", "m", "in"), "kWh": ("kWh", "Wh"), "A": ("A", "mA"),
    "V": ("V", "mV"), "kg": ("kg", "lb"), "%/°C": ("%/°C", "mV/°C", "V/K", "mA/°C", "A/K"), "°C": ("°C", "°F"),
    "s": ("s", "ms"), "ms": ("ms", "s"),
}  # fmt: skip
SHOWN_REFUSED = 200
REMEMBERED = 40


def _unit_of(kind, path):
    if path in ABOUT or path == INPUTS:
        return ""
    if path == USABLE:
        path = "nominal_kwh"
    return words_of(*field_at(kind, path)).unit


class TableDialog(AnswerDialog):
    """Maps the columns of a table to the fields of a kind; `items` are what it comes to after it was accepted.

    How the columns of a file with the same heads were mapped is remembered.
    """

    # What it shows is read from a file, and is read again as quickly.
    holds_work = False

    def __init__(self, kind: str, taken=(), parent=None):
        super().__init__("Items from a spreadsheet", parent)
        self.kind = kind
        self.items = ()
        self._taken = frozenset(taken)
        self.table: SheetTable | None = None
        self.imported: Imported | None = None
        self.columns: dict[str, QComboBox] = {}
        self.units: dict[str, ChoiceField] = {}
        self.of_all: dict[str, QLineEdit] = {}
        self.told = Label("Reading…")
        self.told.setWordWrap(True)
        self.mapping = QTableWidget(0, 5)
        self.mapping.setAccessibleName("Which column is which field")
        self.refused = FigureTable("Rows that do not fit, and why")
        self._beside = Beside(self)
        self._beside.done.connect(self._on_read)
        self._lay_out()
        self.resize(1000, 680)

    def _lay_out(self):
        self.mapping.setHorizontalHeaderLabels(("Field", "Column", "Unit", "The same for all", "First row"))
        self.mapping.verticalHeader().hide()
        self.mapping.verticalHeader().setDefaultSectionSize(28)
        self.mapping.setShowGrid(False)
        self.mapping.setFont(font(8.8))
        self.mapping.setTabKeyNavigation(False)
        header = self.mapping.horizontalHeader()
        for column, width in ((0, 220), (1, 220), (2, 90), (3, 150)):
            self.mapping.setColumnWidth(column, width)
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        column = QVBoxLayout(self)
        column.addWidget(self.told)
        column.addWidget(self.mapping, 3)
        self.below = Label()
        self.below.setFont(font(9, strong=True))
        column.addWidget(self.below)
        column.addWidget(self.refused, 1)
        row = QHBoxLayout()
        row.addWidget(self.problem, 1)
        self.buttons = self.answer_buttons(self.take)
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(False)
        row.addWidget(self.buttons)
        column.addLayout(row)

    def read_file(self, path: Path) -> None:
        """Reads a spreadsheet beside the window."""
        self._beside.run(lambda: read_spreadsheet(path))

    def _on_read(self, result):
        if isinstance(result, Exception):
            self.told.setText("")
            self.show_text(f"{result}.")
            return
        self.table = result
        self.told.setText(f"{result.path.name}: {len(result.rows):,} rows, {len(result.heads)} columns.")
        guessed = guess_columns(self.kind, result) | self._remembered()
        self._fill(guessed)
        self._understand()

    def _fill(self, guessed):
        titles = fields_of(self.kind)
        wanted = [path for path in titles if path in USUAL[self.kind]]
        rest = [path for path in titles if path not in wanted]
        paths = [
            *wanted,
            *(path for path in rest if path in guessed),
            *(path for path in rest if path not in guessed),
        ]
        self.mapping.setRowCount(len(paths))
        for row, path in enumerate(paths):
            label = QTableWidgetItem(titles[path] + (" *" if path in wanted else ""))
            label.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.mapping.setItem(row, 0, label)
            combo = self.columns[path] = QComboBox()
            combo.setAccessibleName(f"Column of {titles[path]}")
            combo.addItem("", NOT_THERE)
            for number, head in enumerate(self.table.heads):
                if head:
                    combo.addItem(head, number)
            column = guessed.get(path)
            combo.setCurrentIndex(max(combo.findData(column.number if column else NOT_THERE), 0))
            combo.activated.connect(lambda _: self._understand())
            self.mapping.setCellWidget(row, 1, combo)
            self._put_unit(row, path, titles[path], column)
            line = self.of_all[path] = QLineEdit()
            line.setAccessibleName(f"{titles[path]} of every row")
            line.editingFinished.connect(self._understand)
            self.mapping.setCellWidget(row, 3, line)
            first = QTableWidgetItem("")
            first.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.mapping.setItem(row, 4, first)

    def _put_unit(self, row, path, title, column):
        own = _unit_of(self.kind, path)
        if own not in UNITS_OF:
            return
        units = list(UNITS_OF[own])
        if column and column.unit and column.unit not in units:
            units.append(column.unit)
        field = self.units[path] = ChoiceField(f"Unit of {title}", [(unit, unit) for unit in units], width=4)
        field.show_value(column.unit if column and column.unit else own)
        field.taken.connect(lambda _: self._understand())
        self.mapping.setCellWidget(row, 2, field)

    @property
    def mapped(self) -> dict[str, Column]:
        """The column of each field that has one."""
        result = {}
        for path, combo in self.columns.items():
            if combo.currentData() != NOT_THERE:
                unit = self.units[path].currentData() if path in self.units else ""
                result[path] = Column(combo.currentData(), unit or "")
        return result

    def _understand(self):
        same = {path: line.text().strip() for path, line in self.of_all.items() if line.text().strip()}
        try:
            self.imported = import_rows(self.kind, self.table, self.mapped, self._taken, same)
        except ValueError as error:
            self.show_text(f"{error}.")
            return
        self.problem.hide()
        first = self.table.rows[0]
        mapped = self.mapped
        for row, path in enumerate(self.columns):
            text = first[mapped[path].number] if path in mapped else same.get(path, "")
            self.mapping.item(row, 4).setText(text)
        count, refused = len(self.imported.items), self.imported.refused
        self.below.setText(
            f"{count:,} of {count + len(refused):,} rows fit."
            + (f" Left out: {len(refused):,}." if refused else "")
        )
        rows = [(str(one.row), one.reason) for one in refused[:SHOWN_REFUSED]]
        self.refused.setVisible(bool(rows))
        self.refused.show_rows(("Row", "Why it does not fit"), rows, "the spreadsheet's own rows", left=2)
        accept = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        accept.setText(f"&Take {count:,} in")
        accept.setEnabled(count > 0)

    def take(self) -> None:
        """Closes with the items that fit."""
        if self.imported is None or not self.imported.items:
            self.show_text("No row fits yet: give the fields with a star their columns.")
            return
        self.items = self.imported.items
        self._remember()
        self.accept()

    def _memory(self):
        return data_folder() / "columns.json"

    def _heads(self):
        return json.dumps([self.kind, *self.table.heads])

    def _remembered(self):
        with suppress(OSError, ValueError, TypeError, AttributeError, KeyError):
            found = json.loads(self._memory().read_text())[self._heads()]
            known = fields_of(self.kind)
            return {
                path: Column(int(number), str(unit))
                for path, (number, unit) in found.items()
                if path in known and 0 <= int(number) < len(self.table.heads)
            }
        return {}

    def _remember(self):
        memory = {}
        with suppress(OSError, ValueError):
            loaded = json.loads(self._memory().read_text())
            memory = loaded if isinstance(loaded, dict) else {}
        memory.pop(self._heads(), None)
        memory[self._heads()] = {path: [column.number, column.unit] for path, column in self.mapped.items()}
        with suppress(OSError):
            self._memory().parent.mkdir(parents=True, exist_ok=True)
            text = json.dumps(dict(list(memory.items())[-REMEMBERED:]))
            write_atomically(self._memory(), text.encode())


class PricesDialog(AnswerDialog):
    """A supplier's price list: old beside new, taken row by row; `taken` are the items with their new prices."""

    # What it shows is read from a file, and is read again as quickly.
    holds_work = False

    ready = Signal()
    HEADS = ("Take", "Item", "Today", "New", "Change", "Matched by")

    def __init__(self, own, parent=None):
        super().__init__("Prices from a supplier’s list", parent)
        self._own = own
        self.table: SheetTable | None = None
        self.prices: tuple[NewPrice, ...] = ()
        self.taken: tuple[NewPrice, ...] = ()
        self.told = Label("Reading…")
        self.told.setWordWrap(True)
        self.columns = {
            name: ChoiceField(words, width=14)
            for name, words in (("article", "Article number"), ("name", "Name"), ("price", "Price"))
        }
        self.rows = QTableWidget(0, len(self.HEADS))
        self.rows.setAccessibleName("Prices of today and of the list")
        self._beside = Beside(self)
        self._beside.done.connect(self._on_read)
        self._lay_out()
        self.resize(860, 560)

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.addWidget(self.told)
        row = QHBoxLayout()
        for name, text in (("article", "&Article number"), ("name", "&Name"), ("price", "&Price")):
            label = Label(text)
            label.setBuddy(self.columns[name])
            row.addWidget(label)
            row.addWidget(self.columns[name])
            self.columns[name].taken.connect(lambda _: self._match())
        row.addStretch(1)
        column.addLayout(row)
        self.rows.setHorizontalHeaderLabels(self.HEADS)
        self.rows.verticalHeader().hide()
        self.rows.verticalHeader().setDefaultSectionSize(24)
        self.rows.setShowGrid(False)
        self.rows.setFont(font(8.8))
        self.rows.setTabKeyNavigation(False)
        self.rows.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self.rows, 1)
        below = QHBoxLayout()
        below.addWidget(self.problem, 1)
        self.buttons = self.answer_buttons(self.take)
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setText("&Take the ticked")
        below.addWidget(self.buttons)
        column.addLayout(below)

    def read_file(self, path: Path) -> None:
        """Reads a price list beside the window."""
        self._beside.run(lambda: read_spreadsheet(path))

    def _on_read(self, result):
        if isinstance(result, Exception):
            self.told.setText("")
            self.show_text(f"{result}.")
            return
        self.table = result
        guessed = price_columns(result)
        heads = [(NOT_THERE, ""), *((number, head) for number, head in enumerate(result.heads) if head)]
        for name, field in self.columns.items():
            field.offer(heads)
            field.show_value(guessed.get(name, NOT_THERE))
        self._match()
        self.ready.emit()

    def _match(self):
        columns = {name: field.currentData() for name, field in self.columns.items()}
        columns = {name: number for name, number in columns.items() if number not in (None, NOT_THERE)}
        if "price" not in columns or len(columns) < 2:
            self.prices = ()
            self._fill()
            self.show_text("Wanted: the column of the price, and that of the article number or the name.")
            return
        self.problem.hide()
        self.prices, refused = new_prices(self.table, columns, self._own)
        changed = sum(abs(one.price - one.own.item.price) > 1e-9 for one in self.prices)
        self.told.setText(
            f"{self.table.path.name}: {len(self.table.rows):,} rows; {len(self.prices)} are of your library, "
            f"{changed} with another price." + (f" {len(refused)} rows have no price." if refused else "")
        )
        self._fill()

    def _fill(self):
        self.rows.setRowCount(len(self.prices))
        for row, one in enumerate(self.prices):
            before = one.own.item.price
            change = f"{signed((one.price / before - 1.0) * 100, 1)}%" if before else "new"
            tick = QTableWidgetItem()
            differs = abs(one.price - before) > 1e-9
            tick.setFlags(
                Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable
            )
            tick.setCheckState(Qt.CheckState.Checked if differs else Qt.CheckState.Unchecked)
            self.rows.setItem(row, 0, tick)
            texts = one.own.item.name, f"{before:,.2f}" if before else "none", f"{one.price:,.2f}", change, one.by
            for column, text in enumerate(texts, 1):
                cell = QTableWidgetItem(text)
                cell.setFlags(Qt.ItemFlag.ItemIsEnabled)
                if column in (2, 3, 4):
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.rows.setItem(row, column, cell)
        self.rows.resizeColumnToContents(0)
        self.rows.resizeColumnToContents(5)

    def take(self) -> None:
        """Closes with the rows that are ticked."""
        ticked = [self.rows.item(row, 0).checkState() == Qt.CheckState.Checked for row in range(len(self.prices))]
        self.taken = tuple(one for one, on in zip(self.prices, ticked, strict=True) if on)
        if not self.taken:
            self.show_text("No row is ticked.")
            return
        self.accept()
