"""Readings in the order of work: what is expected, what was read, a picture of both, and what it would mean."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.dialogs.conditions_dialog import ConditionsDialog
from calm_relay.desk.widgets.band import BAND, BandDelegate
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.scrolled import scrolled
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.job.quantity import FACTORS, parse_quantity, quantity_text

HEADS = ("Where", "What", "Expected", "Read", "Off", "Verdict")
WHERE, WHAT, EXPECTED, READ, OFF, VERDICT = range(len(HEADS))
KEY = Qt.ItemDataRole.UserRole


class ReadingsPanel(QWidget):
    """Shows `planning.commissioning.judge.judge`; a reading typed is an edit of the job.

    Signals
    -------
    edited : object, str
        A changed job and the edit's name.
    """

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job, self._judged, self._rows = None, (), {}
        self._filling = False
        self.light, self.tally = Label(), Label()
        self.tally.setFont(font(10, strong=True))
        self.light.setObjectName("quiet")
        self.light.setFont(font(8.6))
        for label in (self.light, self.tally):
            label.setWordWrap(True)
        self.conditions = QPushButton("Conditions…")
        self.conditions.setObjectName("small")
        self.conditions.clicked.connect(lambda _=False: self._ask_conditions())
        self.table = QTableWidget()
        self.table.setWordWrap(False)
        self.table.setAccessibleName("Readings in the order of work")
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(23)
        self.table.setShowGrid(False)
        self.table.setFont(font(8.6))
        self.table.setTabKeyNavigation(False)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setColumnCount(len(HEADS))
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.setItemDelegateForColumn(OFF, BandDelegate(self.table))
        self.table.itemChanged.connect(self._on_changed)
        self.table.currentCellChanged.connect(lambda row, *_: self._show_row(row))
        self.head, self.wanted, self.how, self.meaning, self.source = (Label() for _ in range(5))
        self.head.setFont(font(10, strong=True))
        self.source.setObjectName("quiet")
        self.problem = Label()
        self.problem.setObjectName("refused")
        for label in (self.head, self.wanted, self.how, self.meaning, self.source, self.problem):
            label.setWordWrap(True)
        self.mend = QPushButton()
        self.mend.setObjectName("small")
        self.mend.clicked.connect(lambda _=False: self._as_built())
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        top = QHBoxLayout()
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.tally)
        words.addWidget(self.light)
        top.addLayout(words, 1)
        top.addWidget(self.conditions, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(top)
        column.addWidget(self.problem)
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(self.table, 7)
        side = scrolled(
            "The reading in hand",
            self.head,
            self.wanted,
            self.how,
            self.meaning,
            self.mend,
            self.source,
            spacing=6,
        )
        side.setMinimumWidth(190)
        row.addWidget(side, 2)
        column.addLayout(row, 1)

    def show_readings(self, job, judged, lights: str, verdict: str) -> None:
        """Shows readings with their verdicts.

        Parameters
        ----------
        job : Job
            What edits start from.
        judged : sequence of Judged
            In the order of work.
        lights, verdict : str
            The light they were taken in, and how they came out.
        """
        same = [item.expected.key for item in judged] == [item.expected.key for item in self._judged]
        self._job, self._judged = job, tuple(judged)
        self.light.setText(lights)
        self.tally.setText(verdict)
        self.problem.hide()
        self._filling = True
        if not same:
            self._build()
            # Which unit of a kind it is stands at the end, in brackets.
            mixed = any(item.expected.part.endswith(")") for item in judged)
            modes = Qt.TextElideMode
            self.table.setTextElideMode(modes.ElideMiddle if mixed else modes.ElideRight)
        header = self.table.horizontalHeader()
        # Columns that follow their contents would be measured anew at every cell.
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        for row, item in self._rows.items():
            self._fill(row, item)
        for column in set(range(len(HEADS))) - {WHERE, OFF, READ}:
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(WHERE, QHeaderView.ResizeMode.Stretch)
        if not same:
            header.resizeSection(OFF, 96)
            header.resizeSection(READ, 84)
            self.table.setCurrentCell(next(iter(self._rows), -1), READ)
        self._filling = False
        self._show_row(self.table.currentRow())

    def _build(self):
        """Rows with the stages of work as heads between them."""
        self.table.clearContents()
        self.table.clearSpans()
        stages = list(dict.fromkeys(item.expected.stage for item in self._judged))
        self.table.setRowCount(len(self._judged) + len(stages))
        row, self._rows, before = 0, {}, None
        for item in self._judged:
            if item.expected.stage != before:
                before = item.expected.stage
                head = QTableWidgetItem(before)
                head.setFont(font(9, strong=True))
                head.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.table.setItem(row, 0, head)
                self.table.setSpan(row, 0, 1, len(HEADS))
                row += 1
            for column in range(len(HEADS)):
                cell = QTableWidgetItem()
                flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                cell.setFlags(flags | Qt.ItemFlag.ItemIsEditable if column == READ else flags)
                right = column in (EXPECTED, READ)
                side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
                cell.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                cell.setData(KEY, item.expected.key)
                self.table.setItem(row, column, cell)
            self._rows[row] = item
            row += 1

    def _fill(self, row, before):
        item = next(judged for judged in self._judged if judged.expected.key == before.expected.key)
        self._rows[row] = item
        expected, look = item.expected, colours()
        texts = (expected.part, expected.what, expected.words, _text(item), "", _words(item.verdict))
        for column, text in enumerate(texts):
            cell = self.table.item(row, column)
            cell.setText(text)
            cell.setToolTip(tip(expected.source))
        colour = _colour(item.verdict, look)
        self.table.item(row, VERDICT).setForeground(QColor(colour))
        self.table.item(row, READ).setBackground(QColor(look.card))
        band = None
        if expected.value is not None and expected.off > 0:
            place = None if item.value is None else (item.value - expected.value) / expected.off
            band = (place, colour)
        self.table.item(row, OFF).setData(BAND, band)

    def _on_changed(self, cell):
        if self._filling or cell.column() != READ:
            return
        item = self._rows.get(cell.row())
        if item is None:
            return
        text, unit = cell.text().strip(), item.expected.unit
        value = None
        if text:
            try:
                value = parse_quantity(text, unit if unit in FACTORS else "")
            except ValueError as error:
                self._refuse(cell, item, f"{item.expected.part}, {item.expected.what.lower()}: {error}.")
                return
            if not -1e6 <= value <= 1e6:
                self._refuse(cell, item, f"{item.expected.what}: {text} cannot be; wanted less than a million.")
                return
        if value == item.value:
            self._put_back(cell, item)
            return
        record = self._job.commissioning.with_value(item.expected.key, value)
        said = "taken away" if value is None else f"{text}"
        self.edited.emit(
            self._job.with_(commissioning=record), f"{item.expected.part}, {item.expected.what.lower()}: {said}"
        )

    def _refuse(self, cell, item, problem):
        self._put_back(cell, item)
        self.problem.setText(problem)
        self.problem.show()

    def _put_back(self, cell, item):
        self._filling = True
        cell.setText(_text(item))
        self._filling = False

    def type_reading(self, key: str, text: str) -> None:
        """Types a reading into its cell, as a person does."""
        row = next(row for row, item in self._rows.items() if item.expected.key == key)
        self.table.setCurrentCell(row, READ)
        self.table.item(row, READ).setText(text)

    def choose(self, key: str) -> None:
        """Puts a reading in hand."""
        row = next((row for row, item in self._rows.items() if item.expected.key == key), None)
        if row is not None:
            self.table.setCurrentCell(row, READ)

    def _show_row(self, row):
        item = self._rows.get(row)
        for part in (self.head, self.wanted, self.how, self.meaning, self.source):
            part.setVisible(item is not None)
        self.mend.setVisible(item is not None and item.as_built is not None)
        if item is None:
            return
        expected = item.expected
        self.head.setText(f"{expected.part}: {expected.what.lower()}")
        self.wanted.setText(f"Expected: {expected.words}")
        self.how.setText(expected.how[:1].upper() + expected.how[1:] + "." if expected.how else "")
        self.how.setVisible(bool(expected.how))
        said = f"{_words(item.verdict).capitalize()}. {item.meaning}" if item.value is not None else ""
        self.meaning.setText(said)
        self.meaning.setStyleSheet(f"color: {_colour(item.verdict, colours())}")
        self.meaning.setVisible(bool(said))
        self.source.setText(f"From: {expected.source}.")
        if item.as_built is not None:
            self.mend.setText(item.as_built.label)

    def _as_built(self):
        item = self._rows.get(self.table.currentRow())
        if item is not None and item.as_built is not None:
            self.edited.emit(item.as_built.apply(self._job), item.as_built.label)

    def _ask_conditions(self):
        record = self._job.commissioning
        dialog = ConditionsDialog(record.conditions, [face.name for face in self._job.faces], self.window())
        if dialog.exec() and dialog.result_model != record.conditions:
            changed = record.with_(conditions=dialog.result_model)
            self.edited.emit(self._job.with_(commissioning=changed), "Conditions of the readings")


def _text(item) -> str:
    """A reading as its cell shows it."""
    return "" if item.value is None else quantity_text(item.value, "", 3)


def _words(verdict) -> str:
    return {"to read": "", "pass": "✓ pass", "doubtful": "? doubtful", "fail": "✗ fail"}.get(verdict, verdict)


def _colour(verdict, look) -> str:
    """Colour of a verdict; a sign and a word stand beside it."""
    return {
        "pass": look.ok,
        "written down": look.ink,
        "doubtful": look.check,
        "cannot be judged": look.check,
        "fail": look.stop,
    }.get(verdict, look.quiet)
