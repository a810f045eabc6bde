"""The light a system is commissioned in: day and time, sky, air, and what was measured on each face."""

from pydantic import ValidationError
from PySide6.QtWidgets import QGridLayout, QLineEdit

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.job.commissioning import Conditions, FaceLight
from calm_relay.job.field_range import range_of
from calm_relay.planning.common.refused import refused_words

CLOUDS = (("clear", "clear"), ("thin cloud", "thin cloud"), ("overcast", "overcast"))


class ConditionsDialog(AnswerDialog):
    """Edits `job.commissioning.Conditions`; `result_model` is what it comes to after it was accepted."""

    def __init__(self, conditions: Conditions, faces, parent=None):
        super().__init__("Conditions of the readings", parent)
        self._conditions, self._faces = conditions, tuple(faces)
        self.result_model = None
        self.day, self.time = QLineEdit(conditions.on or ""), QLineEdit(conditions.at)
        self.day.setPlaceholderText("2026-06-21; empty: today")
        self.clouds = ChoiceField("Clouds", CLOUDS)
        self.clouds.show_value(conditions.clouds)
        self.air = self._field("Air", "°C", range_of(Conditions, "air_c"), conditions.air_c)
        grid = QGridLayout()
        rows = (("Date", self.day), ("Time, local", self.time), ("Clouds", self.clouds), ("Air", self.air))
        for row, (words, field) in enumerate(rows):
            field.setAccessibleName(words)
            grid.addWidget(Label(words), row, 0)
            grid.addWidget(field, row, 1)
        self.light = {}
        for column, words in enumerate(("Measured on each face", "Irradiance in its plane", "Module temperature")):
            grid.addWidget(Label(words), len(rows), column)
        for row, face in enumerate(self._faces, len(rows) + 1):
            known = conditions.of_face(face)
            fields = (
                self._field(f"Irradiance on {face}", "W/m²", range_of(FaceLight, "irradiance"), known.irradiance),
                self._field(f"Modules of {face}", "°C", range_of(FaceLight, "cell_c"), known.cell_c),
            )
            grid.addWidget(Label(face), row, 0)
            for column, field in enumerate(fields, 1):
                grid.addWidget(field, row, column)
            self.light[face] = fields
        self.put_together(
            grid, "What is left empty is judged by the sky of that day, time and place: then tolerances are wide."
        )

    def _field(self, name, unit, span, value):
        field = QuantityField(name, unit, span, 1)
        field.show_value(value)
        field.refused.connect(self.show_text)
        return field

    def take(self) -> None:
        """Closes with the conditions when they are valid; says what is wrong when not."""
        light = tuple(
            {"face": face, "irradiance": fields[0].value, "cell_c": fields[1].value}
            for face, fields in self.light.items()
            if any(field.value is not None for field in fields)
        )
        try:
            self.result_model = Conditions.model_validate(
                {
                    "on": self.day.text().strip() or None,
                    "at": self.time.text().strip(),
                    "clouds": self.clouds.currentData(),
                    "air_c": self.air.value,
                    "light": light,
                }
            )
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Conditions, {'on': 'Date', 'at': 'Time'})}.")
        else:
            self.accept()
