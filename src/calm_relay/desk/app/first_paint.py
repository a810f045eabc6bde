"""Tells when a window stands on the screen for the first time."""

from PySide6.QtCore import QEvent, QObject, QTimer, Signal
from PySide6.QtWidgets import QWidget

# A window that is not shown keeps nobody waiting for longer.
AT_MOST_MS = 300


class FirstPaint(QObject):
    """Watches a window until it is painted once.

    Signals
    -------
    done
        It is painted, or nobody has shown it for a while; told once.
    """

    done = Signal()

    def __init__(self, window: QWidget):
        super().__init__(window)
        self._told = False
        window.installEventFilter(self)
        QTimer.singleShot(AT_MOST_MS, self, self._tell)

    def eventFilter(self, watched, event):
        """Waits for the end of the paint that begins."""
        if event.type() == QEvent.Type.Paint:
            watched.removeEventFilter(self)
            QTimer.singleShot(0, self, self._tell)
        return False

    def _tell(self):
        if not self._told:
            self._told = True
            self.done.emit()
