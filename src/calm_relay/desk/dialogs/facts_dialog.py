"""A file's energies or light taken into the logbook as months: which file, and what each of its columns counts."""

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import (
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.beside import Beside
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.exchange.errors import problem_of
from calm_relay.job.field_range import FieldRange
from calm_relay.job.logbook import YearOfWeather

PLANT, LIGHT = "plant", "light"
HOLDS = (
    (PLANT, "what a meter, an inverter or a portal counted"),
    (LIGHT, "the light of a year, a weather file (EPW, TMY3 or a table)"),
)
ASIDE = (None, "left aside")


class FactsDialog(AnswerDialog):
    """Reads a file into `months`, of `job.logbook.MonthFacts`; `weather` is the entry of a weather file."""

    # What it shows is read from a file, and is read again as quickly.
    holds_work = False

    def __init__(self, time_zone: str, year: int, parent=None):
        super().__init__("Months from a file", parent)
        self._zone = time_zone
        self._stated, self._read_path = {}, None
        self.months, self.weather = (), None
        self.columns = {}
        self.path = QLineEdit()
        self.path.setAccessibleName("File")
        self.path.setMinimumWidth(380)
        self.path.editingFinished.connect(self._on_path)
        choose = QPushButton("Choose…")
        choose.clicked.connect(lambda _=False: self._choose())
        self.holds = ChoiceField("What it holds", HOLDS, width=34)
        self.holds.show_value(PLANT)
        self.holds.taken.connect(lambda _: self.read())
        self.year = RangedSpin("Year of the weather file", "", FieldRange(2000, 2099))
        self.year.show_value(year)
        self.year.valueChanged.connect(lambda _: self.read())
        self.summary = Label(
            "Days, months or intervals, with a column for each flow; only whole months are taken."
        )
        self.summary.setWordWrap(True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setColumnStretch(0, 1)
        self._table = QScrollArea()
        self._table.setWidgetResizable(True)
        self._table.setMinimumHeight(236)
        self._lay_out(choose)
        self._reader = Beside(self)
        self._reader.done.connect(self._on_read)
        self.read()

    def _lay_out(self, choose):
        row = QHBoxLayout()
        row.addWidget(self.path, 1)
        row.addWidget(choose)
        grid = QGridLayout()
        self._year_label = Label("Year")
        for number, (text, part) in enumerate((("File", None), ("It holds", self.holds))):
            grid.addWidget(Label(text), number, 0)
            if part is None:
                grid.addLayout(row, number, 1)
            else:
                grid.addWidget(part, number, 1)
        grid.addWidget(self._year_label, 2, 0)
        grid.addWidget(self.year, 2, 1)
        inside = QWidget()
        around = QVBoxLayout(inside)
        around.setContentsMargins(4, 4, 4, 4)
        around.addLayout(self._grid)
        around.addStretch(1)
        self._table.setWidget(inside)
        self.buttons = self.answer_buttons(self.take)
        column = QVBoxLayout(self)
        column.addLayout(grid)
        column.addWidget(self.summary)
        column.addWidget(self._table, 1)
        column.addWidget(self.problem)
        column.addWidget(self.buttons)

    def _choose(self):
        chosen, _ = QFileDialog.getOpenFileName(self, "What was counted, or a weather file")
        if chosen:
            self.path.setText(chosen)
            self._on_path()

    def _on_path(self):
        if self.path.text().strip() != self._read_path:
            self._stated = {}
            self.read()

    def read(self) -> None:
        """Reads the file beside the window."""
        light = self.holds.currentData() == LIGHT
        for part in (self._year_label, self.year):
            part.setVisible(light)
        self._table.setVisible(bool(self.columns) and not light)
        self.months, self.weather = (), None
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(False)
        self._read_path = self.path.text().strip()
        if not self._read_path:
            return
        self.summary.setText("Reading…")
        self.problem.hide()
        path, zone = Path(self._read_path), self._zone
        if light:
            self._reader.run(partial(_lit, path, self.year.value()))
        else:
            self._reader.run(partial(_counted, path, zone, dict(self._stated), MEASURES.in_feet))

    def _on_read(self, result):
        if isinstance(result, Exception):
            self._show_columns(None)
            self.summary.setText(f"{Path(self._read_path).name} cannot be used as it is read now.")
            self.show_text(f"{problem_of(result)}.")
            return
        flows, self.months, self.weather = result
        self._show_columns(flows)
        name = Path(self._read_path).name
        kind = f"{name}: {flows.kind}; " if flows is not None else f"{name}: "
        if self.months:
            first, last = (f"{month.year}-{month.month:02d}" for month in (self.months[0], self.months[-1]))
            whole = "1 whole month" if len(self.months) == 1 else f"{len(self.months)} whole months"
            said = f"{kind}{whole}, {first}" + (f" to {last}." if last != first else ".")
        elif flows is not None and not any(flows.flows.values()):
            said = f"{kind}no head says what a column counts. Say it below."
        else:
            said = f"{kind}no whole month of what a logbook holds."
        notes = [
            f"{note[0].upper()}{note[1:].rstrip('.')}." for note in (flows.notes if flows is not None else ())
        ]
        self.summary.setText(" ".join((said, *notes)))
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(bool(self.months))

    def _show_columns(self, flows):
        while self._grid.count():
            part = self._grid.takeAt(0).widget()
            part.hide()
            part.deleteLater()
        self.columns = {}
        self._table.setVisible(flows is not None)
        if flows is None:
            return
        from calm_relay.planning.commissioning.facts import FIELDS
        from calm_relay.planning.commissioning.promise import WORDS

        choices = (*((flow, WORDS[name]) for flow, name in FIELDS.items()), ASIDE)
        for place, text in enumerate(("Column of the file", "It counts", "In whole months")):
            self._grid.addWidget(Label(text), 0, place)
        for row, (column, head) in enumerate(flows.columns, 1):
            flow = flows.flows[column] if flows.flows[column] in FIELDS else None
            field = ChoiceField(f"What {head} counts", choices, width=16)
            field.show_value(flow)
            field.taken.connect(partial(self._on_column, column))
            held = [getattr(month, FIELDS[flow]) for month in self.months] if flow is not None else []
            known = [value for value in held if value is not None]
            total = f"{sum(known):,.0f} kWh" if known else "none" if flow is not None else ""
            for place, part in enumerate((Label(head), field, Label(total))):
                self._grid.addWidget(part, row, place)
            self.columns[column] = field

    def _on_column(self, column, flow):
        self._stated[column] = flow
        self.read()

    def take(self) -> None:
        """Closes with the months that were read."""
        if self.months:
            self.accept()


def _counted(path, zone, stated, month_first):
    from calm_relay.exchange.plant_flows import read_plant_flows
    from calm_relay.planning.commissioning.facts import months_of_flows

    flows = read_plant_flows(path, zone, stated, month_first=month_first)
    return flows, months_of_flows(flows, zone), None


def _lit(path, year):
    from calm_relay.exchange.weather_file import read_weather_years
    from calm_relay.planning.commissioning.facts import months_of_weather

    months = months_of_weather(read_weather_years(path), year)
    return None, months, YearOfWeather(year=year, path=str(path.resolve()))
