"""A field for a number with its unit; it takes other units and the local decimal mark."""

from math import isinf

from PySide6.QtCore import QLocale, Signal
from PySide6.QtWidgets import QLineEdit, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.job.field_range import FieldRange
from calm_relay.job.quantity import FACTORS, parse_quantity, quantity_text


class QuantityField(QLineEdit):
    """A number of a range in `unit`, one of `job.quantity.FACTORS`; it may be empty where the range is optional.

    Range and value are in `unit` always; where the region measures so they are shown and typed in feet.

    Signals
    -------
    accepted : object
        A float other than the one before, or None for an emptied optional field.
    said_again
        The number that stood there was typed.
    refused : str
        What was typed, and what would be right; the field shows the old number again.
    """

    accepted = Signal(object)
    said_again = Signal()
    refused = Signal(str)

    def __init__(self, name: str, unit: str, span: FieldRange, decimals: int = 2, parent: QWidget | None = None):
        if unit not in FACTORS:
            raise ValueError(f"{unit!r} is no unit of a field; wanted one of {', '.join(FACTORS)}")
        super().__init__(parent)
        self._name, self._unit, self._span, self._decimals = name, unit, span, decimals
        self._value = None
        self._shown, self._each = MEASURES.shown(unit)
        self.setAccessibleName(name)
        self._say_range()
        self.setPlaceholderText("none" if span.optional else "")
        self.editingFinished.connect(self._on_finished)
        if MEASURES.measures(unit):
            MEASURES.changed.connect(self._on_measures)

    @property
    def value(self) -> float | None:
        """The number shown, None in an empty field."""
        return self._value

    def _mark(self):
        mark = QLocale().decimalPoint()
        return mark if mark in {".", ","} else "."

    def text_of(self, value: float | None) -> str:
        """A number as this field shows it."""
        if value is None:
            return ""
        return quantity_text(value / self._each, self._shown, self._decimals, self._mark())

    def _say_range(self):
        self.setToolTip(tip(f"{self._name}: {self._wanted()}{', or empty' if self._span.optional else ''}"))

    def _on_measures(self):
        self._shown, self._each = MEASURES.shown(self._unit)
        self._say_range()
        if not self.isModified():
            self._show(self._value)

    def show_value(self, value: float | None) -> None:
        """Shows a number without a signal; what is being typed over the same number stays."""
        if value != self._value or not (self.hasFocus() and self.isModified()):
            self._show(value)

    def _show(self, value):
        self._value = value
        self.setText(self.text_of(value))

    def _on_finished(self):
        text = self.text().strip()
        if text == self.text_of(self._value):
            self._hear_again()
            return
        if not text and self._span.optional:
            value = None
        else:
            try:
                value = parse_quantity(text, self._shown, self._mark()) * self._each
            except ValueError as error:
                self._refuse(str(error))
                return
            if not self._span.holds(value):
                self._refuse(f"is {self.text_of(value)}; wanted {self._wanted()}")
                return
        if value == self._value:
            self._hear_again()
            self._show(value)
            return
        self._show(value)
        self.accepted.emit(value)

    def _hear_again(self):
        if self.isModified() and self._value is not None:
            self.setModified(False)
            self.said_again.emit()

    def _wanted(self) -> str:
        """The range in words."""
        span = self._span
        low, high = (None if isinf(end) else self.text_of(end) for end in (span.low, span.high))
        if low is None or high is None:
            ends = [f"{'above' if span.low_open else 'at least'} {low}"] if low else []
            ends += [f"{'below' if span.high_open else 'at most'} {high}"] if high else []
            return ends[0] if ends else "a number"
        if span.low_open:
            return f"above {low}, {'below' if span.high_open else 'up to'} {high}"
        return f"{low} to {'below ' * span.high_open}{high}"

    def _refuse(self, problem):
        self._show(self._value)
        # What a name says of an empty field does not belong to what was typed.
        self.refused.emit(f"{self._name.partition(';')[0]}: {problem}.")
