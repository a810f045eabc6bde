"""A line across the window that tells or asks without standing in the way."""

from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton

from calm_relay.desk.widgets.label import Label, unmarked


class Notice(QFrame):
    """One message with the answers to it; hidden when there is nothing to say."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("card")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 4, 10, 4)
        self.text = Label()
        self.text.setWordWrap(True)
        self._row.addWidget(self.text, 1)
        self.buttons: list[QPushButton] = []
        self.hide()

    def ask(self, text: str, answers, then=None) -> None:
        """Shows a text; `answers` are pairs of a label and what to do, `then` is done when it is dismissed."""
        self.clear()
        self.text.setText(text)
        self.setAccessibleName(text)
        for label, act in (*answers, ("Dismiss", then)):
            button = QPushButton(unmarked(label))
            button.setObjectName("small")
            button.clicked.connect(lambda _=False, act=act: self._answer(act))
            self._row.addWidget(button)
            self.buttons.append(button)
        self.show()

    def clear(self) -> None:
        """Takes the message away."""
        for button in self.buttons:
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []
        self.hide()

    def _answer(self, act):
        self.clear()
        if act is not None:
            act()
