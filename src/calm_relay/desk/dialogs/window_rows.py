"""Daily windows as rows: from, until, its season, and what else such a window holds."""

from PySide6.QtCore import QTime
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTimeEdit, QVBoxLayout, QWidget

from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.months_field import MonthsField
from calm_relay.desk.widgets.quantity_field import QuantityField

CLOCK = "HH:mm"


class WindowRows(QWidget):
    """Edits a tuple of windows as dictionaries.

    `extras` are (field, label, unit, range, decimals, factor); a value is shown times its factor. Of `seasonal` ones
    the months are edited too.
    """

    def __init__(self, name: str, extras, first, show_text, most: int = 6, *, seasonal: bool = False, parent=None):
        super().__init__(parent)
        self._seasonal = seasonal
        self._name, self._extras, self._first, self._show_text, self._most = name, extras, first, show_text, most
        self.rows: list[tuple[QWidget, QTimeEdit, QTimeEdit, dict]] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(3)
        self.add = QPushButton("Add a window")
        self.add.setObjectName("small")
        self.add.setAccessibleName(f"{name}: add a window")
        self.add.clicked.connect(lambda _=False: self._append(self._first))
        self._column.addWidget(self.add)

    def show_value(self, windows) -> None:
        """Shows windows, given as dictionaries."""
        while self.rows:
            self._remove(self.rows[0][0])
        for window in windows:
            self._append(window)

    @property
    def value(self) -> tuple[dict, ...]:
        """The windows as typed.

        Raises
        ------
        ValueError
            When months are no months.
        """
        result = []
        for _, start, end, fields in self.rows:
            window = {"start": start.time().toString(CLOCK), "end": end.time().toString(CLOCK)}
            for name, _, _, _, _, factor in self._extras:
                value = fields[name].value
                window[name] = None if value is None else value / factor
            if self._seasonal:
                window["months"] = fields["months"].value
            result.append(window)
        return tuple(result)

    def _append(self, window):
        if len(self.rows) >= self._most:
            return
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(5)
        number = len(self.rows) + 1
        ends = []
        for key, word in (("start", "from"), ("end", "until")):
            edit = QTimeEdit()
            edit.setDisplayFormat(CLOCK)
            edit.setTime(QTime.fromString(window[key], CLOCK))
            edit.setAccessibleName(f"{self._name}, window {number}: {word}, local clock")
            line.addWidget(Label(word))
            line.addWidget(edit)
            ends.append(edit)
        fields = {}
        for name, label, unit, span, decimals, factor in self._extras:
            field = QuantityField(f"{self._name}, window {number}: {label}", unit, span, decimals)
            field.refused.connect(self._show_text)
            value = window.get(name)
            field.show_value(None if value is None else value * factor)
            line.addWidget(Label(label))
            line.addWidget(field)
            fields[name] = field
        if self._seasonal:
            what = f"{self._name}, window {number}"
            fields["months"] = MonthsField(f"{what}: months", what, window.get("months", ()))
            line.addWidget(Label("in"))
            line.addWidget(fields["months"])
        gone = QPushButton("Remove")
        gone.setObjectName("small")
        gone.setAccessibleName(f"{self._name}, window {number}: remove")
        gone.clicked.connect(lambda _=False, row=row: self._remove(row))
        line.addWidget(gone)
        line.addStretch(1)
        self._column.insertWidget(len(self.rows), row)
        self.rows.append((row, *ends, fields))
        self.add.setEnabled(len(self.rows) < self._most)

    def _remove(self, row):
        self.rows = [entry for entry in self.rows if entry[0] is not row]
        self._column.removeWidget(row)
        row.hide()
        row.deleteLater()
        self.add.setEnabled(True)
