"""Charging in the cheapest hours of each day: whether, how many hours, how far, and for what gain."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.months_field import MonthsField
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.job.control import PriceCharge
from calm_relay.job.field_range import range_of


class ByPriceField(QWidget):
    """Edits a `PriceCharge`, or none.

    Signals
    -------
    refused : str
        What was typed, and what would be right.
    """

    refused = Signal(str)

    def __init__(self, value: PriceCharge | None, currency: str, parent=None):
        super().__init__(parent)
        shown = value or PriceCharge()
        self.on = QCheckBox("In the cheapest hours of each day")
        self.on.setChecked(value is not None)
        self.hours = RangedSpin("Cheapest hours of a day", " h", range_of(PriceCharge, "hours"))
        self.hours.show_value(shown.hours)
        self.target = QuantityField("Charged up to", "%", range_of(PriceCharge, "target").times(100.0), 0)
        self.target.show_value(100.0 * shown.target)
        self.limit = QuantityField("At most", "kW", range_of(PriceCharge, "limit_kw"), 1)
        self.limit.show_value(shown.limit_kw)
        self.gain = QuantityField(f"Least gain a kWh, {currency}", "", range_of(PriceCharge, "least_gain"), 4)
        self.gain.show_value(shown.least_gain)
        self.months = MonthsField("Months of charging by price", "Charged by price", shown.months)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.addWidget(self.on, 0, 0, 1, 4)
        rows = (
            (("hours", self.hours), ("up to", self.target), ("at most", self.limit)),
            ((f"least gain a kWh, {currency}", self.gain), ("in", self.months)),
        )
        for row, pairs in enumerate(rows, 1):
            for column, (text, field) in enumerate(pairs):
                grid.addWidget(Label(text), row, 2 * column)
                grid.addWidget(field, row, 2 * column + 1)
        for field in (self.target, self.limit, self.gain):
            field.setFixedWidth(86)
            field.refused.connect(self.refused)
        self.hours.refused.connect(self.refused)
        self.on.toggled.connect(self._on_toggled)
        self._on_toggled(self.on.isChecked())
        grid.setColumnStretch(6, 1)

    def _on_toggled(self, on):
        for field in (self.hours, self.target, self.limit, self.gain, self.months):
            field.setEnabled(on)

    @property
    def value(self) -> dict | None:
        """What is shown, as the model takes it; None where it is not charged by price.

        Raises
        ------
        ValueError
            When months are no months.
        """
        if not self.on.isChecked():
            return None
        return {
            "hours": self.hours.value(),
            "target": (100.0 if self.target.value is None else self.target.value) / 100.0,
            "limit_kw": self.limit.value,
            "least_gain": self.gain.value or 0.0,
            "months": self.months.value,
        }
