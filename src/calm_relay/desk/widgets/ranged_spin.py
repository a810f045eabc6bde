"""A number field that refuses what is out of range in words, instead of quietly bending it."""

from PySide6.QtCore import QSignalBlocker, QSize, Signal
from PySide6.QtWidgets import QSpinBox, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.job.field_range import FieldRange

WIDEST = 9999


class RangedSpin(QSpinBox):
    """Whole numbers of a range; other numbers can be typed, and are answered with the range.

    Signals
    -------
    accepted : int
        A number in the range, other than the one before.
    refused : str
        What was typed, and what would be right; the field shows the old number again.
    """

    accepted = Signal(int)
    refused = Signal(str)

    def __init__(self, name: str, unit: str, span: FieldRange, parent: QWidget | None = None):
        super().__init__(parent)
        self._name, self._unit = name, unit
        self._good = round(span.low)
        self.setRange(-WIDEST, WIDEST)
        self.setSuffix(unit)
        self.setKeyboardTracking(False)
        self.setAccessibleName(name)
        self.limit_to(round(span.low), round(span.high))
        self.valueChanged.connect(self._on_value)

    def limit_to(self, low: int, high: int) -> None:
        """Sets the range."""
        self.low, self.high = low, high
        self.setToolTip(tip(f"{self._name}: {low} to {high}{self._unit}"))

    def show_value(self, value: int) -> None:
        """Shows a number without a signal; what is being typed over the same number stays."""
        if value != self._good or not (self.hasFocus() and self.lineEdit().isModified()):
            self._show(value)

    def _show(self, value):
        blocker = QSignalBlocker(self)
        self._good = value
        self.setValue(value)
        del blocker

    def minimumSizeHint(self) -> QSize:
        """Room for the widest number of the range, not for all that could be typed."""
        whole = super().minimumSizeHint()
        widest = max((f"{self.low}{self._unit}", f"{self.high}{self._unit}"), key=len)
        beside = whole.width() - self.fontMetrics().horizontalAdvance(f"{-WIDEST}{self._unit}")
        return QSize(beside + self.fontMetrics().horizontalAdvance(widest), whole.height())

    def stepEnabled(self):
        """Steps end where the range ends."""
        flags = QSpinBox.StepEnabledFlag.StepNone
        if self.value() > self.low:
            flags |= QSpinBox.StepEnabledFlag.StepDownEnabled
        if self.value() < self.high:
            flags |= QSpinBox.StepEnabledFlag.StepUpEnabled
        return flags

    def stepBy(self, steps: int) -> None:
        """Steps as far as the range goes."""
        self.setValue(min(max(self.value() + steps, min(self.low, self.value())), max(self.high, self.value())))

    def _on_value(self, value):
        if self.low <= value <= self.high:
            self._good = value
            self.accepted.emit(value)
        else:
            self._show(self._good)
            self.refused.emit(f"{self._name} is {value}; wanted {self.low} to {self.high}{self._unit}.")
