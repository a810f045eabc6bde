"""Cyclic garbage is collected in the interface thread alone.

Widgets of a closed window hang together in cycles. Collected wherever the interpreter happens to be, they would be
taken apart in a thread that plans or reads a file, and Qt's locks and the interpreter's would wait for each other.
"""

import gc

from PySide6.QtCore import QObject, QTimer

PERIOD_MS = 1000


class InterfaceCollector(QObject):
    """Takes over from the interpreter's own collector, a generation at a time, by its own thresholds."""

    def __init__(self, parent: QObject):
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self, interval=PERIOD_MS)
        self._timer.timeout.connect(self.collect_due)
        self._timer.start()

    def collect_due(self) -> None:
        """Collects the generations whose thresholds are passed, the youngest first."""
        for generation, (count, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)):
            if count > most:
                gc.collect(generation)


def collect_in_interface(application: QObject) -> None:
    """Gives an application its collector, once."""
    if application.findChild(InterfaceCollector) is None:
        InterfaceCollector(application)
