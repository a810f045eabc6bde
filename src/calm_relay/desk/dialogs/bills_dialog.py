"""Bills typed in or read from a table: the days each covers, its energy, and what went out beside an array."""

from datetime import date, timedelta

from pydantic import ValidationError
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.exchange.bills_csv import read_bills
from calm_relay.exchange.errors import InputError
from calm_relay.job.field_words import lower_first
from calm_relay.job.quantity import parse_quantity
from calm_relay.job.survey import Bill
from calm_relay.planning.common.refused import refused_words

ROWS = 14
COUNTS = (("gross", "all that is used"), ("net", "what came from the grid"))
FIELDS = ("first", "last", "kwh", "sent_kwh", "made_kwh")
HEADS = {
    "gross": ("First day", "Last day", "kWh", "", ""),
    "net": ("First day", "Last day", "From the grid, kWh", "Sent out, kWh", "Array made, kWh"),
}
GROSS_WORDS = (
    "One line a bill, as 2025-01-31 and 412 kWh. Twelve months are best; fewer are extended. Loads that are there "
    "are in them, those to come are not."
)
NET_WORDS = (
    "One line a bill, as 2025-01-31 and 412 kWh. What went out is on the same bill; what the array made, by its "
    "inverter, makes the house surer. Both may be left empty."
)


class BillsDialog(AnswerDialog):
    """Edits bills; `bills` and `counts` hold them, and what they count, after it was accepted.

    Where a file leaves open which of two numbers is the month, `month_first` says it.
    """

    def __init__(self, bills, year: int, counts=None, parent=None, *, month_first: bool = False):
        super().__init__("Bills", parent)
        self.resize(700, 520)
        self.bills, self.counts = bills, counts
        self._month_first = month_first
        self.counted = ChoiceField("What the bills count", COUNTS, width=22)
        self.counted.show_value(counts)
        self.counted.taken.connect(self._on_counts)
        self.table = QTableWidget(ROWS, len(FIELDS))
        self.table.setAccessibleName("Bills: first day, last day, energy")
        self.table.horizontalHeader().setStretchLastSection(True)
        self.summary, self.notes = Label(), Label()
        self.notes.setObjectName("quiet")
        for words in (self.summary, self.notes):
            words.setWordWrap(True)
        read, months = QPushButton("Read a table…"), QPushButton("Lines for twelve months")
        for button in (read, months):
            button.setObjectName("small")
        read.clicked.connect(lambda _=False: self.ask_file())
        months.clicked.connect(lambda _=False: self.show_months(year - 1))
        label = Label("They &count")
        label.setBuddy(self.counted)
        row = QHBoxLayout()
        row.addWidget(read)
        row.addWidget(months)
        row.addStretch(1)
        row.addWidget(label)
        row.addWidget(self.counted)
        buttons = self.answer_buttons(self.take)
        column = QVBoxLayout(self)
        for part in (self.summary, row, self.table, self.notes, self.problem, buttons):
            column.addLayout(part) if part is row else column.addWidget(part)
        self.notes.hide()
        self.show_bills(bills)
        self._show_counts()

    def _on_counts(self, counts):
        self.counts = counts
        self._show_counts()

    def _show_counts(self):
        """The columns and the words of what the bills count."""
        net = self.counts == "net"
        self.table.setHorizontalHeaderLabels(HEADS["net" if net else "gross"])
        for column in range(3, len(FIELDS)):
            self.table.setColumnHidden(column, not net)
        for column in range(len(FIELDS)):
            self.table.setColumnWidth(column, 112 if net else 180)
        self.summary.setText(NET_WORDS if net else GROSS_WORDS)

    def show_bills(self, bills) -> None:
        """Fills the table."""
        self.table.setRowCount(max(ROWS, len(bills) + 2))
        self.table.clearContents()
        for row, bill in enumerate(bills):
            for column, name in enumerate(FIELDS):
                value = getattr(bill, name)
                text = "" if value is None else value if isinstance(value, str) else f"{value:g}"
                self.table.setItem(row, column, QTableWidgetItem(text))

    def show_months(self, year: int) -> None:
        """Writes the first and last days of a year's months."""
        for month in range(1, 13):
            first = date(year, month, 1)
            last = date(year + month // 12, month % 12 + 1, 1) - timedelta(days=1)
            for column, text in enumerate((first.isoformat(), last.isoformat())):
                self.table.setItem(month - 1, column, QTableWidgetItem(text))

    def ask_file(self) -> None:
        """Asks for a table and fills the lines from it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Bills", "", "Tables (*.csv *.txt *.tsv *.xlsx *.ods);;All files (*)"
        )
        if name:
            self.read_file(name)

    def read_file(self, name) -> None:
        """Fills the lines from a file; one that tells what went out counts what came from the grid."""
        try:
            found = read_bills(name, month_first=self._month_first)
        except InputError as error:
            self.show_text(str(error))
            return
        self.show_text("")
        self.show_bills(found.bills)
        notes = list(found.notes)
        if found.counts == "gross":
            self.counted.show_value("gross")
            self._on_counts("gross")
            notes.append("what the house uses stands in it beside what the array made")
        elif self.counts != "net" and any(bill.sent_kwh or bill.made_kwh for bill in found.bills):
            self.counted.show_value("net")
            self._on_counts("net")
            notes.append("what went out or was made stands in it: the rest is what came from the grid")
        self.notes.setText(f"As read: {'; '.join(notes)}." if notes else "")
        self.notes.setVisible(bool(notes))

    def take(self) -> None:
        """Closes with the bills when every line can be read; says which line cannot."""
        bills = []
        for row in range(self.table.rowCount()):
            cells = [self.table.item(row, column) for column in range(len(FIELDS))]
            texts = [cell.text().strip() if cell else "" for cell in cells]
            if not texts[2]:
                continue
            try:
                given = {
                    name: parse_quantity(text, "kWh")
                    for name, text in zip(FIELDS[2:], texts[2:], strict=True)
                    if text
                }
                bills.append(Bill(first=texts[0], last=texts[1], **given))
            except ValidationError as error:
                self.show_text(f"Line {row + 1}: {lower_first(refused_words(error, Bill))}.")
                return
            except ValueError as error:
                self.show_text(f"Line {row + 1}: {error}.")
                return
        self.bills = tuple(bills)
        self.accept()
