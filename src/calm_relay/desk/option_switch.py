"""The options as a column of buttons; the one pressed is in view."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.view import LETTERS


class OptionSwitch(QWidget):
    """Emits `chosen` with an option's number, and `compare` when all are to stand beside each other."""

    chosen = Signal(int)
    compare = Signal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setFixedWidth(222)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(14, 9, 4, 6)
        self._column.setSpacing(5)
        self.buttons: list[QPushButton] = []
        self.compare_button = QPushButton("Compare the options")
        self.compare_button.setObjectName("small")
        self.compare_button.setToolTip("The bench Choice (F9)")
        self.compare_button.clicked.connect(lambda _=False: self.compare.emit())
        self._column.addWidget(self.compare_button)

    def show_options(self, options, best: str | None, shown: int) -> None:
        """Shows the options; `best` is marked in words, `shown` is pressed."""
        while len(self.buttons) < len(options):
            number = len(self.buttons)
            button = QPushButton()
            button.setObjectName("option")
            button.setCheckable(True)
            button.setMinimumHeight(42)
            button.setToolTip(f"Ctrl+{number + 1}")
            # Not a group of buttons that exclude each other: it would leave the tab to one of them.
            button.clicked.connect(lambda _=False, number=number: self.chosen.emit(number))
            self._column.insertWidget(number, button)
            self.buttons.append(button)
        while len(self.buttons) > len(options):
            # A job with fewer options came.
            gone = self.buttons.pop()
            self._column.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        for number, (button, option) in enumerate(zip(self.buttons, options, strict=True)):
            note = ""
            if option.outcome is None:
                note = "cannot be built"
            elif option.stopped:
                note = "stopped"
            elif option.design.key == best:
                note = "serves best"
            text = f"{LETTERS[number]}   {option.design.title}"
            button.setText(f"{text}\n      {note}" if note else text)
            button.setAccessibleName(
                f"Option {LETTERS[number]}, {option.design.title}{', ' + note if note else ''}"
            )
            button.setChecked(number == shown)
