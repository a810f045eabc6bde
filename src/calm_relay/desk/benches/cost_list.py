"""What an option's outlay is made of, in a few lines."""

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.theme import font


class CostList(QWidget):
    """Tells the cost lines of an outcome and their sum."""

    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self._head, self._lines = Label(), Label()
        self._head.setFont(font(9.5, strong=True))
        self._lines.setFont(font(8.2))
        self._lines.setObjectName("quiet")
        self._lines.setWordWrap(True)
        self.prices = QPushButton("Prices and labour…")
        self.prices.setObjectName("small")
        self.prices.setToolTip("What work costs, what is paid towards it, and how years are counted")
        head = QHBoxLayout()
        head.addWidget(self._head)
        head.addStretch(1)
        head.addWidget(self.prices)
        column.addLayout(head)
        column.addWidget(self._lines)
        self._lines.setToolTip("From: catalogue prices, and the labour and fees of the job")
        self._lines.setAccessibleName("What the outlay is made of")

    def show_costs(self, letter: str, outcome, currency: str) -> None:
        """Shows the lines of an outcome; an option that is refused or buys nothing has none."""
        imported = outcome is not None and bool(outcome.money.lines)
        self._head.setText(f"Outlay of {letter}: {currency} {outcome.money.outlay:,.0f}" if imported else "")
        parts = [f"{line.label}: {line.amount:,.0f}" for line in outcome.money.lines] if imported else []
        # A part breaks whole onto the next line.
        self._lines.setText(" · ".join(part.replace(" ", "\u00a0").replace("-", "\u2011") for part in parts))
