"""A file's energy or light taken into the logbook as months: which file, and what it counts."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QPushButton

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.exchange.errors import InputError
from calm_relay.job.field_range import FieldRange
from calm_relay.job.logbook import YearOfWeather
from calm_relay.job.survey import MeterReading

METER, LIGHT = "meter", "light"
COUNTS = (
    (METER, "the meter: from the grid, and to it where there is a second column"),
    ("production_kwh", "the array's production"),
    ("throughput_kwh", "what came out of the battery"),
    (LIGHT, "the light of a year, a weather file (EPW, TMY3 or a table)"),
)


class FactsDialog(AnswerDialog):
    """Reads a file into `months`, of `job.logbook.MonthFacts`; `weather` is the entry of a weather file."""

    def __init__(self, time_zone: str, year: int, parent=None):
        super().__init__("Months from a file", parent)
        self._zone = time_zone
        self.months, self.weather = (), None
        self.path = QLineEdit()
        self.path.setAccessibleName("File")
        self.path.setMinimumWidth(300)
        choose = QPushButton("Choose…")
        choose.clicked.connect(lambda _=False: self._choose())
        self.counts = ChoiceField("What it counts", COUNTS, width=34)
        self.counts.show_value(METER)
        self.year = RangedSpin("Year of the weather file", "", FieldRange(2000, 2099))
        self.year.show_value(year)
        self.counts.taken.connect(lambda _: self._show_year())
        row = QHBoxLayout()
        row.addWidget(self.path, 1)
        row.addWidget(choose)
        grid = QGridLayout()
        grid.addWidget(Label("File"), 0, 0)
        grid.addLayout(row, 0, 1)
        grid.addWidget(Label("It counts"), 1, 0)
        grid.addWidget(self.counts, 1, 1)
        self._year_label = Label("Year")
        grid.addWidget(self._year_label, 2, 0)
        grid.addWidget(self.year, 2, 1)
        self.put_together(
            grid, "Columns, units and clock are found out as for a demand file; only whole months are taken."
        )
        self._show_year()

    def _show_year(self):
        for part in (self._year_label, self.year):
            part.setVisible(self.counts.currentData() == LIGHT)

    def _choose(self):
        chosen, _ = QFileDialog.getOpenFileName(self, "A meter's or a weather file")
        if chosen:
            self.path.setText(chosen)

    def take(self) -> None:
        """Reads the file; says what is wrong with it, and stays open."""
        from calm_relay.exchange.meter_file import read_meter_file
        from calm_relay.exchange.weather_file import read_weather_years
        from calm_relay.planning.commissioning.facts import months_of_meter, months_of_weather

        path, counts = Path(self.path.text().strip()), self.counts.currentData()
        try:
            if counts == LIGHT:
                self.months = months_of_weather(read_weather_years(path), self.year.value())
                self.weather = YearOfWeather(year=self.year.value(), path=str(path.resolve()))
            else:
                data = read_meter_file(path, MeterReading(), self._zone)
                flows = ("import_kwh", "export_kwh") if counts == METER else (counts, None)
                self.months = months_of_meter(data, self._zone, flows)
        except InputError as error:
            self.show_text(f"{error}.")
            return
        if not self.months:
            self.show_text(f"{path.name}: holds no whole month.")
            return
        self.accept()
