"""Cyclic garbage is collected in the interface thread alone.

Widgets of a closed window hang together in cycles. Collected wherever the interpreter happens to be, they would be
taken apart in a thread that plans or reads a file, and Qt's locks and the interpreter's would wait for each other.
"""

import gc

from PySide6.QtCore import QObject, QTimer

PERIOD_MS = 1000
# Beats after which what was loaded so far is set aside no more, and between two whole collections.
SETTLED, WHOLE = 6, 3


class InterfaceCollector(QObject):
    """Takes over from the interpreter's own collector: young objects each second, all of them now and then.

    What the start brought along is set aside, so that a collection does not hold the window up.
    """

    def __init__(self, parent: QObject):
        super().__init__(parent)
        gc.disable()
        self._beats = 0
        self._timer = QTimer(self, interval=PERIOD_MS)
        self._timer.timeout.connect(self.collect_due)
        self._timer.start()

    def collect_due(self) -> None:
        """Collects what is due at this beat."""
        self._beats += 1
        if self._beats % WHOLE == 0:
            gc.collect()
        else:
            gc.collect(1)
        if self._beats <= SETTLED:
            gc.freeze()


def collect_in_interface(application: QObject) -> None:
    """Gives an application its collector, once."""
    if application.findChild(InterfaceCollector) is None:
        InterfaceCollector(application)
