"""Shown when work lasts longer than half a second: what is done, how far it is, and a way to call it off."""

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QPushButton

from calm_relay.desk.widgets.label import Label

LATE_MS = 500


class ProgressRow(QFrame):
    """Hidden until work is late; emits `called_off`."""

    called_off = Signal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("card")
        self._late = QTimer(self, singleShot=True, interval=LATE_MS)
        self._late.timeout.connect(self.show)
        self._what = Label()
        self._bar = QProgressBar()
        self._bar.setRange(0, 100)
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(8)
        self._bar.setAccessibleName("How far the work is")
        self.cancel = QPushButton("Cancel")
        self.cancel.setObjectName("small")
        self.cancel.clicked.connect(lambda _=False: self.called_off.emit())
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 3, 10, 3)
        row.addWidget(self._what)
        row.addWidget(self._bar, 1)
        row.addWidget(self.cancel)
        self.hide()

    def begin(self) -> None:
        """Work has begun."""
        if not self._late.isActive() and not self.isVisible():
            self._late.start()

    def show_text(self, done: float, what: str) -> None:
        """How far it is; also of work that goes on after other work has ended."""
        self.begin()
        self._what.setText(f"{what} …")
        self._bar.setValue(round(done * 100))

    def end(self) -> None:
        """Work is done."""
        self._late.stop()
        self.hide()
