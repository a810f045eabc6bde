"""Bills typed in or read from a CSV: the days each covers, and its energy."""

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
from calm_relay.desk.widgets.label import Label
from calm_relay.exchange.bills_csv import read_bills
from calm_relay.exchange.errors import InputError
from calm_relay.job.field_words import lower_first
from calm_relay.job.quantity import parse_quantity
from calm_relay.job.survey import Bill
from calm_relay.planning.common.refused import refused_words

ROWS = 14


class BillsDialog(AnswerDialog):
    """Edits bills; `bills` holds them after it was accepted."""

    def __init__(self, bills, year: int, parent=None):
        super().__init__("Bills", parent)
        self.resize(460, 470)
        self.bills = bills
        self.table = QTableWidget(ROWS, 3)
        self.table.setAccessibleName("Bills: first day, last day, energy")
        self.table.setHorizontalHeaderLabels(("First day", "Last day", "kWh"))
        self.table.horizontalHeader().setStretchLastSection(True)
        summary = Label("One line a bill, as 2025-01-31 and 412 kWh. Twelve months are best; fewer are extended.")
        summary.setWordWrap(True)
        read, months = QPushButton("Read a CSV…"), QPushButton("Lines for twelve months")
        for button in (read, months):
            button.setObjectName("small")
        read.clicked.connect(lambda _=False: self.ask_file())
        months.clicked.connect(lambda _=False: self.show_months(year - 1))
        row = QHBoxLayout()
        row.addWidget(read)
        row.addWidget(months)
        row.addStretch(1)
        buttons = self.answer_buttons(self.take)
        column = QVBoxLayout(self)
        for part in (summary, row, self.table, self.problem, buttons):
            column.addLayout(part) if part is row else column.addWidget(part)
        self.show_bills(bills)

    def show_bills(self, bills) -> None:
        """Fills the table."""
        self.table.setRowCount(max(ROWS, len(bills) + 2))
        self.table.clearContents()
        for row, bill in enumerate(bills):
            for column, text in enumerate((bill.first, bill.last, f"{bill.kwh:g}")):
                self.table.setItem(row, column, QTableWidgetItem(text))

    def show_months(self, year: int) -> None:
        """Writes the first and last days of a year's months."""
        for month in range(1, 13):
            first = date(year, month, 1)
            last = date(year + month // 12, month % 12 + 1, 1) - timedelta(days=1)
            for column, text in enumerate((first.isoformat(), last.isoformat())):
                self.table.setItem(month - 1, column, QTableWidgetItem(text))

    def ask_file(self) -> None:
        """Asks for a CSV and fills the table from it."""
        name, _ = QFileDialog.getOpenFileName(self, "Bills", "", "CSV (*.csv *.txt)")
        if name:
            try:
                self.show_bills(read_bills(name))
            except InputError as error:
                self.show_text(str(error))

    def take(self) -> None:
        """Closes with the bills when every line can be read; says which line cannot."""
        bills = []
        for row in range(self.table.rowCount()):
            cells = [self.table.item(row, column) for column in range(3)]
            texts = [cell.text().strip() if cell else "" for cell in cells]
            if not texts[2]:
                continue
            try:
                bills.append(Bill(first=texts[0], last=texts[1], kwh=parse_quantity(texts[2], "kWh")))
            except ValidationError as error:
                self.show_text(f"Line {row + 1}: {lower_first(refused_words(error, Bill))}.")
                return
            except ValueError as error:
                self.show_text(f"Line {row + 1}: {error}.")
                return
        self.bills = tuple(bills)
        self.accept()
