"""Changes to try the same night with, each behind one key; with Alt it also works while a number is typed."""

from PySide6.QtCore import Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from calm_relay.desk.widgets.label import Label, tip


class OutageMendsRow(QWidget):
    """Buttons for `planning.studies.outage_mends`, pressed with 1, 2, 3 and 4; emits `chosen` with the one taken."""

    chosen = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(6)
        self._label = Label("Try again:")
        self._row.addWidget(self._label)
        self._row.addStretch(1)
        self.buttons: list[QPushButton] = []
        self.hide()

    def show_outage_mends(self, outage_mends) -> None:
        """Shows a button each; hides where there is nothing to try."""
        for button in self.buttons:
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        for number, mend in enumerate(outage_mends, 1):
            button = QPushButton(f"{number}  {mend.label}".replace("&", "&&"))
            button.setObjectName("small")
            button.setShortcut(QKeySequence(str(number)))
            QShortcut(QKeySequence(f"Alt+{number}"), button).activated.connect(button.click)
            button.setToolTip(
                tip(
                    f"Key {number}, or Alt and {number} while typing: makes the change, which can be undone, and "
                    "pulls the switch again"
                )
            )
            button.clicked.connect(lambda _=False, mend=mend: self.chosen.emit(mend))
            self._row.insertWidget(number, button)
            # A layout shows what it takes a moment later; the key must work at once.
            button.show()
            self.buttons.append(button)
        self.setVisible(bool(outage_mends))
