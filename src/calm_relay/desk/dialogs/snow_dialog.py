"""Fresh snow of a usual year, month by month."""

from pydantic import ValidationError
from PySide6.QtWidgets import QGridLayout, QPushButton

from calm_relay.desk.dialogs.form_dialog import MONTHS, AnswerDialog
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import words_of
from calm_relay.job.survey import Snow
from calm_relay.planning.common.refused import refused_words

NONE = Snow(fall_cm=(0.0,) * 12, days=(0.0,) * 12)
# Of the whole year: the field, its unit, its decimals, and how many of the unit make one of the field.
YEARLY = (("humidity", "%", 0, 100.0), ("lower_edge_m", "m", 1, 1.0))
NOTE = (
    "Means of a usual year, from a station near by. By them the part of each month's yield that lies under snow is "
    "counted, on every face by its tilt (Townsend and Powers 2011). Days are not told apart: in a long outage after a "
    "snowfall an array may give nothing until it is cleared, which Outage rehearses (No light on the array)."
)


class SnowDialog(AnswerDialog):
    """Edits a `Snow`; `snow` holds it after it was accepted, None where nobody stated it."""

    def __init__(self, snow: Snow | None, parent=None):
        super().__init__("Snow", parent)
        self.snow = snow
        shown = snow or NONE
        self.fall, self.days = [], []
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, text in enumerate(("Month", "Fresh snow", "Days of snowfall"), 0):
            grid.addWidget(Label(text), 0, column)
            grid.addWidget(Label(text), 0, column + 4)
        grid.setColumnMinimumWidth(3, 18)
        for number, month in enumerate(MONTHS):
            row, across = number % 6 + 1, 4 * (number // 6)
            fall = QuantityField(f"Fresh snow in {month}", "cm", range_of(Snow, "fall_cm"), 1)
            days = QuantityField(f"Days of snowfall in {month}", "", range_of(Snow, "days"), 0)
            fall.show_value(shown.fall_cm[number])
            days.show_value(shown.days[number])
            for column, part in enumerate((Label(month), fall, days)):
                grid.addWidget(part, row, across + column)
            for field in (fall, days):
                field.refused.connect(self.show_text)
            self.fall.append(fall)
            self.days.append(days)
        self.yearly: dict[str, QuantityField] = {}
        for row, (name, unit, decimals, times) in enumerate(YEARLY, 7):
            field = QuantityField(words_of(Snow, name).title, unit, range_of(Snow, name).times(times), decimals)
            field.show_value(getattr(shown, name) * times)
            field.refused.connect(self.show_text)
            label = Label(words_of(Snow, name).title)
            label.setBuddy(field)
            grid.addWidget(label, row, 0, 1, 6)
            grid.addWidget(field, row, 6)
            self.yearly[name] = field
        self.none = QPushButton("Not stated")
        self.none.setObjectName("small")
        self.none.setEnabled(snow is not None)
        self.none.clicked.connect(lambda _=False: self._leave_out())
        grid.addWidget(self.none, 9, 6)
        self.put_together(grid, NOTE)

    def take(self) -> None:
        """Closes with the snow when it is valid."""
        try:
            self.snow = Snow(
                fall_cm=tuple(field.value for field in self.fall),
                days=tuple(field.value for field in self.days),
                **{name: self.yearly[name].value / times for name, _, _, times in YEARLY},
            )
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Snow)}.")
        else:
            self.accept()

    def _leave_out(self):
        self.snow = None
        self.accept()
