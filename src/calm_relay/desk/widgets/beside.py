"""Work beside the window: a function runs in a thread of its own and its result comes back as a signal."""

import threading

from PySide6.QtCore import QObject, Signal


class Beside(QObject):
    """Runs one function at a time; a later call makes the result of an earlier one unwanted.

    Signals
    -------
    done : object
        What the newest function returned, or the exception it ended with.
    """

    done = Signal(object)
    _back = Signal(int, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._number = 0
        self._back.connect(self._on_back)

    def run(self, function) -> None:
        """Starts a function without arguments."""
        self._number += 1
        number = self._number
        back = self._back

        def work():
            try:
                result = function()
            except Exception as error:
                result = error
            try:
                back.emit(number, result)
            except RuntimeError:
                # Who asked has closed meanwhile.
                return

        threading.Thread(target=work, daemon=True).start()

    def _on_back(self, number, result):
        if number == self._number:
            self.done.emit(result)
