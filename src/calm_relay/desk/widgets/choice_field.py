"""A list to choose one value from; what the program shows makes no edit."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox

from calm_relay.desk.widgets.label import said, tip

NEW = "new item"


class ChoiceField(QComboBox):
    """Values with their words; emits `taken` with the value when a person chooses another than is shown.

    One that offers to make a new item emits `new_wanted` for it, and shows what it showed.
    """

    taken = Signal(object)
    new_wanted = Signal()

    def __init__(self, name: str, entries=(), *, width: int = 10, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip(tip(name))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(width)
        self._shown = None
        self._popped = False
        self.offer(entries)
        self.activated.connect(self._on_activated)

    def offer(self, entries, *, new: bool = False) -> None:
        """Takes other values: pairs of value and words; `new` offers to make one at the end of the list."""
        self.clear()
        for value, words in entries:
            self.addItem(said(words), value)
        if new:
            self.addItem("New…", NEW)
        self.show_value(self._shown)

    def show_value(self, value) -> None:
        """Shows a value without a signal; one that is not offered shows as nothing."""
        self._shown = value
        self.setCurrentIndex(self.findData(value))

    def _on_activated(self, _):
        value = self.currentData()
        if value == NEW:
            self.show_value(self._shown)
            # Turning the wheel past the last value asks for nothing.
            if self._popped:
                self.new_wanted.emit()
            return
        if value != self._shown:
            self._shown = value
            self.taken.emit(value)

    def showPopup(self):
        """The list comes up: what is chosen in it is meant."""
        self._popped = True
        super().showPopup()

    def wheelEvent(self, event):
        """The wheel turns through the values of a closed list."""
        self._popped = False
        super().wheelEvent(event)

    def keyPressEvent(self, event):
        """So do the arrow keys; those that open the list say so in `showPopup`."""
        self._popped = False
        super().keyPressEvent(event)
