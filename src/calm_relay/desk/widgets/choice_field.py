"""A list to choose one value from; what the program shows makes no edit."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox


class ChoiceField(QComboBox):
    """Values with their words; emits `taken` with the value when a person chooses another than is shown."""

    taken = Signal(object)

    def __init__(self, name: str, entries=(), *, width: int = 10, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(width)
        self._shown = None
        self.offer(entries)
        self.activated.connect(self._on_activated)

    def offer(self, entries) -> None:
        """Takes other values: pairs of value and words."""
        self.clear()
        for value, words in entries:
            self.addItem(words, value)
        self.show_value(self._shown)

    def show_value(self, value) -> None:
        """Shows a value without a signal; one that is not offered shows as nothing."""
        self._shown = value
        self.setCurrentIndex(self.findData(value))

    def _on_activated(self, _):
        value = self.currentData()
        if value != self._shown:
            self._shown = value
            self.taken.emit(value)
