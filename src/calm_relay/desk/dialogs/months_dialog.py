"""Twelve typed months of light and air, from which a year is made."""

from pydantic import ValidationError
from PySide6.QtWidgets import (
    QGridLayout,
    QLineEdit,
    QVBoxLayout,
)

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.job.field_range import range_of
from calm_relay.job.model import MonthlyWeather
from calm_relay.planning.common.refused import refused_words

# Of the whole year: what is asked, its unit, the field it fills, its decimals.
YEARLY = (
    ("Swing from night to day, K", "", "daily_range_c", 1),
    ("Mean wind", "m/s", "wind_mean", 1),
    ("Elevation the air was taken at; empty: the site's", "m", "elevation_m", 0),
)
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


class MonthsDialog(AnswerDialog):
    """Edits `MonthlyWeather`; `weather` holds it after it was accepted."""

    def __init__(self, weather: MonthlyWeather, parent=None):
        super().__init__("Twelve months", parent)
        self.weather = weather
        self.light, self.air = [], []
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, text in enumerate(("Month", "Light on the horizontal, kWh/m² a day", "Mean air, °C")):
            grid.addWidget(Label(text), 0, column)
        for number, month in enumerate(MONTHS):
            light = QuantityField(f"Light in {month}", "", range_of(MonthlyWeather, "ghi_kwh_per_day"))
            air = QuantityField(f"Air in {month}", "", range_of(MonthlyWeather, "temp_c"), 1)
            light.show_value(weather.ghi_kwh_per_day[number])
            air.show_value(weather.temp_c[number])
            for column, part in enumerate((Label(month), light, air)):
                grid.addWidget(part, number + 1, column)
            for field in (light, air):
                field.refused.connect(self.show_text)
            self.light.append(light)
            self.air.append(air)
        self.yearly: dict[str, QuantityField] = {}
        for row, (text, unit, name, decimals) in enumerate(YEARLY, 13):
            field = QuantityField(text, unit, range_of(MonthlyWeather, name), decimals)
            field.show_value(getattr(weather, name))
            field.refused.connect(self.show_text)
            label = Label(text)
            label.setBuddy(field)
            grid.addWidget(label, row, 0, 1, 2)
            grid.addWidget(field, row, 2)
            self.yearly[name] = field
        self.origin = QLineEdit(weather.origin)
        self.origin.setAccessibleName("Where the figures come from")
        self.origin.setPlaceholderText("a table, an atlas, a neighbour's meter")
        label = Label("&From")
        label.setBuddy(self.origin)
        grid.addWidget(label, 16, 0)
        grid.addWidget(self.origin, 16, 1, 1, 2)
        buttons = self.answer_buttons(self.take)
        column = QVBoxLayout(self)
        column.addLayout(grid)
        column.addWidget(self.problem)
        column.addWidget(buttons)

    def take(self) -> None:
        """Closes with the months when they are valid."""
        try:
            self.weather = self.weather.with_(
                ghi_kwh_per_day=tuple(field.value for field in self.light),
                temp_c=tuple(field.value for field in self.air),
                origin=self.origin.text().strip(),
                **{name: field.value for name, field in self.yearly.items()},
            )
        except ValidationError as error:
            self.show_text(f"{refused_words(error, MonthlyWeather)}.")
        else:
            self.accept()
