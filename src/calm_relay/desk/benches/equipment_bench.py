"""The bench Equipment: everything that can be planned with, found as it is typed; two items beside each other."""

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QColor, QFont
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
)

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.charts.item_charts import ItemChart
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.job.field_words import words_of
from calm_relay.job.quantity import with_unit
from calm_relay.planning.equipment.draft import INPUTS, field_at, parts_of, paths_of, stated_of

KIND_WORDS = (
    ("modules", "Modules"),
    ("inverters", "Inverters"),
    ("packs", "Batteries"),
    ("optimisers", "Optimisers"),
    ("microinverters", "Microinverters"),
)
SPREADSHEETS = "Spreadsheet (*.csv *.tsv *.txt *.xlsx *.ods)"
HEADS = ("Name", "Rating", "Stock", "Price", "Whose")
SIZE = {
    "modules": lambda item: f"{item.power_w:g} W",
    "inverters": lambda item: f"{item.ac_kw:g} kW {item.kind}",
    "packs": lambda item: f"{item.nominal_kwh:g} kWh {item.chemistry}",
    "optimisers": lambda item: f"{item.power_w:g} W",
    "microinverters": lambda item: f"{item.ac_w:g} W",
}


TOP = QModelIndex()


class EquipmentModel(QAbstractTableModel):
    """Items of a kind that hold every word sought."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._all = []
        self.rows = []
        self._sought = ""
        self.currency = ""

    def take(self, kind, items, own) -> None:
        """Takes the items of a kind, with the own ones among them by key."""
        self.beginResetModel()
        self._all = []
        for item in items:
            mine = own.get(item.key)
            stock = mine.stock if mine else "–"
            words = " ".join(
                (item.name, SIZE[kind](item), stock, mine.article if mine else "", mine.supplier if mine else "")
            )
            price = f"{item.price:,.2f}" if item.price else "none"
            texts = item.name, SIZE[kind](item), stock, price, "own" if mine else "example"
            self._all.append((item, texts, words.casefold()))
        self.rows = self._fitting()
        self.endResetModel()

    def seek(self, text: str) -> None:
        """Keeps the items that hold every word."""
        self.beginResetModel()
        self._sought = text
        self.rows = self._fitting()
        self.endResetModel()

    def _fitting(self):
        words = self._sought.casefold().split()
        return [row for row in self._all if all(word in row[2] for word in words)]

    def rowCount(self, parent=TOP):
        """How many there are."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent=TOP):
        """Name, rating, stock, price, whose."""
        return len(HEADS)

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):
        """A cell's text, side and shade."""
        if role == Qt.ItemDataRole.DisplayRole:
            return self.rows[index.row()][1][index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if index.column() == 3 else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and self.rows[index.row()][1][4] == "example":
            return QColor(colours().quiet)
        if role == Qt.ItemDataRole.FontRole and index.column() == 0:
            made = QFont(font(8.8))
            made.setWeight(QFont.Weight.DemiBold)
            return made
        return None

    def headerData(self, section, orientation, role=Qt.ItemDataRole.DisplayRole):
        """What a column is."""
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return f"{HEADS[section]}, {self.currency}" if section == 3 and self.currency else HEADS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if section == 3 else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None


def _money_of(job):
    return job.tariff.currency, job.costs.shipped_prices


class EquipmentBench(Bench):
    """Lists equipment by kind and shows one item, or two beside each other.

    Signals
    -------
    new_wanted : str
        A new item of a kind.
    change_wanted, drop_wanted : str, str
        An item by kind and key.
    examples_wanted : bool
        Whether the shipped examples are to be proposed.
    import_wanted, export_wanted : str
        A file's path.
    table_wanted : str, str
        Items of a kind from a spreadsheet's path.
    prices_wanted : str
        A price list's path.
    """

    new_wanted = Signal(str)
    change_wanted = Signal(str, str)
    drop_wanted = Signal(str, str)
    examples_wanted = Signal(bool)
    import_wanted = Signal(str)
    export_wanted = Signal(str)
    table_wanted = Signal(str, str)
    prices_wanted = Signal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._own, self._job = None, None
        self.kind = ChoiceField("Kind of equipment", KIND_WORDS, width=12)
        self.kind.show_value("packs")
        self.words = QLineEdit()
        self.words.setPlaceholderText("name, rating, supplier, article")
        self.words.setAccessibleName("Find equipment")
        self.words.setClearButtonEnabled(True)
        self.model = EquipmentModel(self)
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName("Equipment; two rows are shown beside each other")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(23)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setFont(font(8.8))
        self.count = Label()
        self.count.setObjectName("quiet")
        self.new, self.change = QPushButton("&New…"), QPushButton("C&hange…")
        self.drop = QPushButton("&Take out…")
        self.from_table, self.prices = QPushButton("From a &spreadsheet…"), QPushButton("&Prices from a list…")
        self.take_in, self.hand_on = QPushButton("From a &colleague…"), QPushButton("&For a colleague…")
        self.examples = QCheckBox("Propose the invented &examples too")
        self.chart = ItemChart()
        self.figures = FigureTable("What is known of the item")
        self._lay_out()
        self._connect()

    def _lay_out(self):
        top = QHBoxLayout()
        top.setSpacing(8)
        for text, field in (("&Kind", self.kind), ("Fi&nd", self.words)):
            label = Label(text)
            label.setBuddy(field)
            top.addWidget(label)
            top.addWidget(field, field is self.words)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setResizeContentsPrecision(40)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        for button in (self.new, self.change, self.drop, self.from_table, self.prices):
            button.setObjectName("small")
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.count)
        share = QHBoxLayout()
        share.setSpacing(6)
        for button in (self.take_in, self.hand_on):
            button.setObjectName("small")
            share.addWidget(button)
        share.addStretch(1)
        share.addWidget(self.examples)
        left = QVBoxLayout()
        left.addLayout(top)
        left.addWidget(self.table, 1)
        left.addLayout(buttons)
        left.addLayout(share)
        right = QVBoxLayout()
        right.addWidget(self.chart, 4)
        right.addWidget(self.figures, 5)
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 10, 14, 8)
        grid.setHorizontalSpacing(14)
        grid.addLayout(left, 0, 0)
        grid.addLayout(right, 0, 1)
        grid.setColumnStretch(0, 6)
        grid.setColumnStretch(1, 5)

    def _connect(self):
        self.kind.taken.connect(lambda _: self._fill())
        self.words.textChanged.connect(self._on_words)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._show_chosen())
        self.table.doubleClicked.connect(lambda _: self._on_change())
        self.new.clicked.connect(lambda _=False: self.new_wanted.emit(self.kind.currentData()))
        self.change.clicked.connect(lambda _=False: self._on_change())
        self.drop.clicked.connect(lambda _=False: self._on_drop())
        self.examples.clicked.connect(self.examples_wanted)
        self.take_in.clicked.connect(lambda _=False: self._on_take_in())
        self.hand_on.clicked.connect(lambda _=False: self._on_hand_on())
        self.from_table.clicked.connect(lambda _=False: self._on_table())
        self.prices.clicked.connect(lambda _=False: self._on_prices())

    def show_own(self, own) -> None:
        """Shows the own library together with what ships."""
        self._own = own
        self.examples.setChecked(not own.without_examples)
        self._fill()

    def show_job(self, job) -> None:
        """Shows example prices in the job's money; else the library does not change with the job."""
        before, self._job = self._job, job
        if before is None or _money_of(before) != _money_of(job):
            self._fill()

    def _fill(self):
        self.model.currency = self._job.tariff.currency if self._job else ""
        chosen = self.chosen
        kind = self.kind.currentData()
        own = {item.key: item for item in self._own.of(kind)} if self._own else {}
        held = self.library.catalogue if self._job is None else self.library.in_money_of(self._job)
        items = getattr(held, kind)
        # What is one's own stands first.
        self.model.take(kind, sorted(items, key=lambda item: (item.key not in own, item.name.casefold())), own)
        self._count()
        there = {row[0].key for row in self.model.rows}
        self.select(
            [item.key for item in chosen if item.key in there] or [row[0].key for row in self.model.rows[:1]]
        )

    def _count(self):
        self.count.setText(f"{len(self.model.rows)} {'item' if len(self.model.rows) == 1 else 'items'}")

    def _on_words(self, text):
        self.model.seek(text)
        self._count()
        self.select([row[0].key for row in self.model.rows[:1]])

    def select(self, keys) -> None:
        """Chooses items by their keys, where they are listed."""
        mode = self.table.selectionModel()
        # Shown once, when all are chosen.
        quiet = QSignalBlocker(mode)
        mode.clearSelection()
        for number, row in enumerate(self.model.rows):
            if row[0].key in keys:
                index = self.model.index(number, 0)
                mode.select(index, mode.SelectionFlag.Select | mode.SelectionFlag.Rows)
                self.table.scrollTo(index)
        del quiet
        self.table.viewport().update()
        self._show_chosen()

    @property
    def chosen(self):
        """The items chosen, two at the most."""
        rows = sorted({index.row() for index in self.table.selectionModel().selectedRows()})
        return [self.model.rows[row][0] for row in rows if row < len(self.model.rows)][:2]

    def _show_chosen(self):
        from calm_relay.planning.views.item_picture import pictures_of

        chosen, kind = self.chosen, self.kind.currentData()
        own = {item.key for item in self._own.of(kind)} if self._own else set()
        self.change.setEnabled(len(chosen) == 1)
        self.change.setText("C&hange…" if not chosen or chosen[0].key in own else "C&opy and change…")
        self.drop.setEnabled(len(chosen) == 1 and chosen[0].key in own)
        pictures = pictures_of(chosen[0]) if len(chosen) == 1 else ()
        self.chart.setVisible(bool(pictures))
        if pictures:
            self.chart.show_picture(pictures[0])
        self.figures.setVisible(bool(chosen))
        if chosen:
            heads = ("", *(item.name for item in chosen))
            self.figures.show_rows(heads, _figures(kind, chosen), "library of equipment", left=1)
            if len(chosen) == 2:
                self.figures.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)

    def _on_change(self):
        if len(self.chosen) == 1:
            self.change_wanted.emit(self.kind.currentData(), self.chosen[0].key)

    def _on_drop(self):
        if len(self.chosen) == 1:
            self.drop_wanted.emit(self.kind.currentData(), self.chosen[0].key)

    def _on_take_in(self):
        name, _ = QFileDialog.getOpenFileName(self, "A colleague’s equipment", "", "Equipment (*.json)")
        if name:
            self.import_wanted.emit(name)

    def _on_table(self):
        name, _ = QFileDialog.getOpenFileName(self, "A supplier’s spreadsheet", "", SPREADSHEETS)
        if name:
            self.table_wanted.emit(self.kind.currentData(), name)

    def _on_prices(self):
        name, _ = QFileDialog.getOpenFileName(self, "A supplier’s price list", "", SPREADSHEETS)
        if name:
            self.prices_wanted.emit(name)

    def _on_hand_on(self):
        name, _ = QFileDialog.getSaveFileName(
            self, "Equipment for a colleague", "equipment.json", "Equipment (*.json)"
        )
        if name:
            self.export_wanted.emit(name)

    def focus_first(self) -> None:
        """What is sought."""
        self.words.setFocus()


def _figures(kind, items):
    """A row for each field that any of the items states: its title, and its value in each."""
    stated = [stated_of(item) for item in items]
    parts = frozenset().union(*(parts_of(kind, one) for one in stated))
    rows = []
    for path in paths_of(kind, parts):
        if path == "name" or all(one.get(path) in (None, "") for one in stated):
            continue
        if path == INPUTS:
            rows.append(("MPPT inputs", *(str(one.get(path, "")) for one in stated)))
            continue
        words = words_of(*field_at(kind, path))
        rows.append((words.title, *(_text(one.get(path), words) for one in stated)))
    return rows


def _text(value, words):
    if value is None or value == "":
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return with_unit(f"{value * words.scale:g}", words.unit)
    if isinstance(value, tuple | list):
        if value and hasattr(value[0], "cycles"):
            return ", ".join(f"{point.depth:.0%}: {point.cycles:g}" for point in value)
        texts = [f"{one * words.scale:g}" if isinstance(one, int | float) else str(one) for one in value]
        return with_unit(" / ".join(texts), words.unit)
    return str(value)
