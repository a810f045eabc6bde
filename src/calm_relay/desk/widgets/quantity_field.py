"""A field for a number with its unit; it takes other units and the local decimal mark."""

from PySide6.QtCore import QLocale, Signal
from PySide6.QtWidgets import QLineEdit

from calm_relay.job.quantity import FACTORS, parse_quantity, quantity_text


class QuantityField(QLineEdit):
    """A number between `low` and `high` in `unit`, one of `job.quantity.FACTORS`; empty where `optional`.

    Signals
    -------
    accepted : object
        A float other than the one before, or None for an emptied optional field.
    refused : str
        What was typed, and what would be right; the field shows the old number again.
    """

    accepted = Signal(object)
    refused = Signal(str)

    def __init__(self, name, unit, low, high, decimals=2, *, optional=False, parent=None):
        if unit not in FACTORS:
            raise ValueError(f"{unit!r} is no unit of a field; wanted one of {', '.join(FACTORS)}")
        super().__init__(parent)
        self._name, self._unit, self._low, self._high = name, unit, low, high
        self._decimals, self._optional = decimals, optional
        self._value = None
        self.setAccessibleName(name)
        span = f"{self.text_of(low)} to {self.text_of(high)}"
        self.setToolTip(f"{name}: {span}{', or empty' if optional else ''}")
        self.setPlaceholderText("none" if optional else "")
        self.editingFinished.connect(self._on_finished)

    @property
    def value(self) -> float | None:
        """The number shown, None in an empty field."""
        return self._value

    def _mark(self):
        mark = QLocale().decimalPoint()
        return mark if mark in {".", ","} else "."

    def text_of(self, value: float | None) -> str:
        """A number as this field shows it."""
        return "" if value is None else quantity_text(value, self._unit, self._decimals, self._mark())

    def show_value(self, value: float | None) -> None:
        """Shows a number without a signal."""
        self._value = value
        self.setText(self.text_of(value))

    def _on_finished(self):
        text = self.text().strip()
        if text == self.text_of(self._value):
            return
        if not text and self._optional:
            value = None
        else:
            try:
                value = parse_quantity(text, self._unit, self._mark())
            except ValueError as error:
                self._refuse(str(error))
                return
            if not self._low <= value <= self._high:
                span = f"{self.text_of(self._low)} to {self.text_of(self._high)}"
                self._refuse(f"is {self.text_of(value)}; wanted {span}")
                return
        if value == self._value:
            self.show_value(value)
            return
        self.show_value(value)
        self.accepted.emit(value)

    def _refuse(self, problem):
        self.show_value(self._value)
        self.refused.emit(f"{self._name}: {problem}.")
