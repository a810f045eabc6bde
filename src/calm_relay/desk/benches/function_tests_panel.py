"""Functional tests in a safe order: what is done and seen, and how it went."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHeaderView, QLineEdit, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.let_go import let_go
from calm_relay.desk.widgets.theme import font
from calm_relay.job.commissioning import TestRecord

HEADS = ("Test", "Do", "Should be seen", "Within", "Result", "Note")
RESULTS = (("not done", "not done"), ("passed", "passed"), ("failed", "failed"))


class FunctionTestsPanel(QWidget):
    """Shows `planning.commissioning.functional_tests`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job, self._keys = None, ()
        self.results, self.notes = {}, {}
        self.table = QTableWidget()
        self.table.setAccessibleName("Functional tests")
        self.table.setColumnCount(len(HEADS))
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setWordWrap(True)
        self.table.setFont(font(8.6))
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.note = Label(
            "Say aloud that the power goes before each test. Stop at smoke, noise or a voltage out of range."
        )
        self.note.setObjectName("quiet")
        self.note.setFont(font(8.4))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table, 1)
        column.addWidget(self.note)

    def show_tests(self, job, tests) -> None:
        """Shows the tests of the option in view, and how they went."""
        self._job = job
        keys = tuple(test.key for test in tests)
        if keys != self._keys:
            self._build(tests)
            self._keys = keys
        for key in keys:
            record = job.commissioning.test(key)
            self.results[key].show_value(record.result)
            if not self.notes[key].hasFocus():
                self.notes[key].setText(record.note)

    def _build(self, tests):
        for row in range(self.table.rowCount()):
            for column in (4, 5):
                let_go(self.table.cellWidget(row, column))
        self.table.clearContents()
        self.table.setRowCount(len(tests))
        self.results, self.notes = {}, {}
        for row, test in enumerate(tests):
            care = f"\nCare: {test.care}." if test.care else ""
            for column, text in enumerate((test.name, test.do + care, test.see, test.within)):
                cell = QTableWidgetItem(text)
                cell.setFlags(Qt.ItemFlag.ItemIsEnabled)
                cell.setTextAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
                cell.setToolTip(tip(text))
                self.table.setItem(row, column, cell)
            result = ChoiceField(f"Result of: {test.name}", RESULTS, width=7)
            result.taken.connect(lambda _, key=test.key: self._on_edit(key))
            note = QLineEdit()
            note.setAccessibleName(f"Note to: {test.name}")
            note.setMaxLength(300)
            note.editingFinished.connect(lambda key=test.key: self._on_edit(key))
            for column, field in ((4, result), (5, note)):
                holder = QWidget()
                inside = QVBoxLayout(holder)
                inside.setContentsMargins(3, 3, 3, 3)
                inside.addWidget(field, 0, Qt.AlignmentFlag.AlignTop)
                self.table.setCellWidget(row, column, holder)
            self.results[test.key], self.notes[test.key] = result, note
        header = self.table.horizontalHeader()
        for column, wide in enumerate((130, 230, 190, 90, 104, 120)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
            header.resizeSection(column, wide)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.table.resizeRowsToContents()

    def resizeEvent(self, event):
        """Rows are as high as their words at this width."""
        super().resizeEvent(event)
        self.table.resizeRowsToContents()

    def _on_edit(self, key):
        record = self._job.commissioning
        made = TestRecord(key=key, result=self.results[key].currentData(), note=self.notes[key].text().strip())
        if made != record.test(key):
            self.edited.emit(self._job.with_(commissioning=record.with_test(made)), f"Test {key}: {made.result}")
