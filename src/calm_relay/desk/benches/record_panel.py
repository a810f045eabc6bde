"""What is written down beside readings: settings keyed in, serial numbers, instruments, open points, and by whom."""

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.widgets.label import Label, said, tip
from calm_relay.desk.widgets.theme import font
from calm_relay.exchange.errors import first_field_error
from calm_relay.job.commissioning import Instrument
from calm_relay.job.quantity import parse_quantity
from calm_relay.planning.common.refused import refused_words

KEY = Qt.ItemDataRole.UserRole
# The column of what was keyed in otherwise.
OTHER = 3


def _table(name, heads):
    table = QTableWidget()
    table.setAccessibleName(name)
    table.setColumnCount(len(heads))
    table.setHorizontalHeaderLabels(heads)
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(23)
    table.setShowGrid(False)
    table.setFont(font(8.6))
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    table.horizontalHeader().setStretchLastSection(True)
    return table


class RecordPanel(QWidget):
    """Edits the rest of `job.commissioning.Commissioning`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job, self._filling, self._held = None, False, {}
        self.settings = _table("Settings keyed in", ("", "Setting", "On the sheet", "Keyed in otherwise"))
        self.settings.setWordWrap(True)
        self.settings.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Fixed)
        self.settings.horizontalHeader().resizeSection(1, 160)
        self.settings.horizontalHeader().setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.settings.horizontalHeader().setSectionResizeMode(OTHER, QHeaderView.ResizeMode.Fixed)
        self.settings.horizontalHeader().resizeSection(OTHER, 112)
        self.settings.horizontalHeader().sectionResized.connect(lambda *_: self.settings.resizeRowsToContents())
        self.serials = _table("Serial numbers", ("Part", "Serial number"))
        self.instruments = _table("Instruments", ("Instrument", "Serial number", "Calibrated until"))
        self.by = QLineEdit()
        self.by.setAccessibleName("Done by")
        self.by.setMaxLength(120)
        self.open_points = QPlainTextEdit()
        self.open_points.setAccessibleName("Open points, one a line")
        self.open_points.setTabChangesFocus(True)
        self.open_points.setPlaceholderText("One open point a line")
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.add, self.drop = QPushButton("Add an instrument"), QPushButton("Remove it")
        for button in (self.add, self.drop):
            button.setObjectName("small")
        self.add.clicked.connect(lambda _=False: self._add())
        self.drop.clicked.connect(lambda _=False: self._drop())
        self.settings.itemChanged.connect(self._on_setting)
        self.serials.itemChanged.connect(self._on_serial)
        self.instruments.itemChanged.connect(self._on_instrument)
        self.by.editingFinished.connect(lambda: self._put("Done by", by=self.by.text().strip()))
        self._lay_out()

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column, parts in (
            (left, ("Settings, ticked once keyed in", self.settings)),
            (right, ("Serial numbers", self.serials, "Instruments", self.instruments)),
        ):
            column.setSpacing(3)
            for part in parts:
                if isinstance(part, str):
                    label = Label(part)
                    label.setFont(font(9, strong=True))
                    column.addWidget(label)
                else:
                    column.addWidget(part, 1)
        buttons = QHBoxLayout()
        for button in (self.add, self.drop):
            buttons.addWidget(button)
        buttons.addStretch(1)
        right.addLayout(buttons)
        who = QHBoxLayout()
        who.addWidget(Label("Done by"))
        who.addWidget(self.by, 1)
        right.addLayout(who)
        self.open_points.setMaximumHeight(64)
        right.addWidget(self.open_points)
        right.addWidget(self.problem)
        row.addLayout(left, 6)
        row.addLayout(right, 4)

    def show_record(self, job, settings, parts) -> None:
        """Shows what a job's record holds.

        Parameters
        ----------
        job : Job
            What edits start from.
        settings : sequence of (key, Setting)
            In the order of work.
        parts : sequence of SerialPart
            Parts that have a serial number.
        """
        self._job, record = job, job.commissioning
        self._held = {key: item for key, item in settings if item.held is not None}
        self._filling = True
        self.settings.clearContents()
        self.settings.clearSpans()
        boxes = list(dict.fromkeys(item.box for _, item in settings))
        self.settings.setRowCount(len(settings) + len(boxes))
        row, before = -1, None
        for key, item in settings:
            row += 1
            if item.box != before:
                before = item.box
                head = QTableWidgetItem(before)
                head.setFont(font(9, strong=True))
                head.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.settings.setItem(row, 0, head)
                self.settings.setSpan(row, 0, 1, 4)
                row += 1
            tick = QTableWidgetItem()
            tick.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable)
            tick.setCheckState(Qt.CheckState.Checked if key in record.keyed else Qt.CheckState.Unchecked)
            tick.setData(KEY, key)
            self.settings.setItem(row, 0, tick)
            for column, text in enumerate((item.name, said(item.value)), 1):
                cell = QTableWidgetItem(text)
                cell.setFlags(Qt.ItemFlag.ItemIsEnabled)
                cell.setToolTip(tip(f"{item.why}. {item.trap}".strip()))
                self.settings.setItem(row, column, cell)
            other = QTableWidgetItem(record.keyed_as(key))
            other.setData(KEY, key)
            changes = "the job is changed to it, in one step to undo" if item.held else "the protocol says so"
            other.setToolTip(tip(f"What was keyed in instead: {changes}"))
            self.settings.setItem(row, OTHER, other)
        self.settings.setRowCount(row + 1)
        self.settings.resizeRowsToContents()
        self.serials.setRowCount(len(parts))
        for row, part in enumerate(parts):
            name = QTableWidgetItem(part.name)
            name.setFlags(Qt.ItemFlag.ItemIsEnabled)
            name.setData(KEY, part.key)
            self.serials.setItem(row, 0, name)
            self.serials.setItem(row, 1, QTableWidgetItem(record.serial(part.key)))
        self.instruments.setRowCount(len(record.instruments))
        for row, item in enumerate(record.instruments):
            for column, text in enumerate((item.name, item.serial, item.calibrated)):
                self.instruments.setItem(row, column, QTableWidgetItem(text))
        if not self.by.hasFocus():
            self.by.setText(record.by)
        if not self.open_points.hasFocus():
            self.open_points.setPlainText(record.open_points)
        self.drop.setEnabled(bool(record.instruments))
        self.problem.hide()
        self._filling = False

    def commit(self) -> None:
        """Takes the open points as they are typed."""
        if self._job is not None:
            self._put("Open points", open_points=self.open_points.toPlainText())

    def _put(self, label, **changes):
        if self._filling or self._job is None:
            return
        record = self._job.commissioning
        try:
            changed = record.with_(**changes)
        except ValidationError as error:
            self._refuse(f"{refused_words(error, type(record))}.")
            return
        if changed != record:
            self._job = self._job.with_(commissioning=changed)
            self.edited.emit(self._job, label)

    def _on_setting(self, cell):
        if self._filling or cell.column() not in (0, OTHER) or cell.data(KEY) is None:
            return
        if cell.column() == OTHER:
            self._on_keyed_as(cell.data(KEY), cell.text().strip())
            return
        key, ticked = cell.data(KEY), cell.checkState() == Qt.CheckState.Checked
        self._put("Setting keyed in", keyed=self._job.commissioning.with_keyed(key, ticked).keyed)

    def _on_keyed_as(self, key, text):
        """Changes the job to a number that it holds; anything else is written down."""
        item, record = self._held.get(key), self._job.commissioning
        try:
            if item is None or not text:
                self._put("Setting keyed in otherwise", keyed_other=record.with_keyed_as(key, text).keyed_other)
                return
            job = item.held.apply(self._job, parse_quantity(text, item.held.unit))
        except ValidationError as error:
            self._refuse(f"{item.name if item else 'Keyed in otherwise'}: {first_field_error(error)[1]}.")
            return
        except ValueError as error:
            self._refuse(f"{item.name}: {error}.")
            return
        if job == self._job:
            self._refuse(f"{item.name}: {item.value} is what the sheet says.")
            return
        self._job = job
        self.edited.emit(job, f"{item.name} as keyed in: {text}")

    def _refuse(self, words):
        self.problem.setText(words)
        self.problem.show()

    def _on_serial(self, cell):
        if self._filling or cell.column() != 1:
            return
        part, text = self.serials.item(cell.row(), 0).data(KEY), cell.text().strip()
        try:
            record = self._job.commissioning.with_serial(part, text)
        except ValidationError as error:
            self._refuse(f"Serial number: {first_field_error(error)[1]}.")
            return
        self._put("Serial number", serials=record.serials)

    def _on_instrument(self, cell):
        if self._filling:
            return
        kept = list(self._job.commissioning.instruments)
        name = ("name", "serial", "calibrated")[cell.column()]
        kept[cell.row()] = {**kept[cell.row()].model_dump(), name: cell.text().strip()}
        self._put("Instrument", instruments=tuple(kept))

    def _add(self):
        kept = self._job.commissioning.instruments
        self._put("Instrument added", instruments=(*kept, Instrument(name=f"Multimeter {len(kept) + 1}")))

    def _drop(self):
        row = self.instruments.currentRow()
        kept = self._job.commissioning.instruments
        row = row if 0 <= row < len(kept) else len(kept) - 1
        self._put("Instrument removed", instruments=(*kept[:row], *kept[row + 1 :]))
