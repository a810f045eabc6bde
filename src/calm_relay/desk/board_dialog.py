"""The board in rows: every circuit's breaker, leg, loads, and what becomes of it when the street goes dark."""

from pydantic import ValidationError
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.choice_field import ChoiceField
from calm_relay.desk.form_dialog import AnswerDialog
from calm_relay.desk.quantity_field import QuantityField
from calm_relay.desk.ranged_spin import RangedSpin
from calm_relay.desk.theme import font
from calm_relay.exchange.errors import first_field_error
from calm_relay.job.board import Board, Generator
from calm_relay.job.model import Job

ROLES = [(name, name) for name in ("backed up", "shed", "street only")]
LEGS = [(None, "–"), *((leg, leg) for leg in ("1", "2", "3", "across"))]
HEADS = (
    "Circuit",
    "Breaker",
    "Leg",
    "Of the house",
    "Loads",
    "When dark",
    "Shed below",
    "Priority",
    "Soft start",
    "",
)
FIRST = {
    "name": "Circuit",
    "breaker_a": 16,
    "house_share": 0.0,
    "role": "backed up",
    "shed_below": 0.0,
    "priority": 5,
}
PLACES = [(name, name) for name in ("the battery inverter's generator input", "the bus of AC-coupled PV")]


class _Row:
    """The fields of one circuit."""

    def __init__(self, number, circuit, known, tell):
        name = f"Circuit {number}"
        self.name = QLineEdit(circuit["name"])
        self.name.setAccessibleName(f"{name}: name")
        self.breaker = QuantityField(f"{name}: breaker", "A", 1, 400, 0)
        self.leg = ChoiceField(f"{name}: leg or phase", LEGS, width=5)
        self.share = QuantityField(f"{name}: share of the house's own demand", "%", 0, 100, 0)
        self.loads = QLineEdit(", ".join(circuit.get("loads", ())))
        self.loads.setAccessibleName(f"{name}: loads, parted by commas")
        self.loads.setToolTip(f"Loads of the demand: {', '.join(known) or 'none'}")
        self.role = ChoiceField(f"{name}: when the street is dark", ROLES, width=9)
        self.below = QuantityField(f"{name}: shed below", "%", 0, 100, 0)
        self.priority = RangedSpin(f"{name}: priority, 1 is kept longest", "", 1, 9)
        self.soft = QCheckBox()
        self.soft.setAccessibleName(f"{name}: motors start softly")
        self.gone = QPushButton("Remove")
        self.gone.setObjectName("small")
        self.gone.setAccessibleName(f"{name}: remove")
        self.breaker.show_value(circuit["breaker_a"])
        self.leg.show_value(circuit.get("leg"))
        self.share.show_value(circuit["house_share"] * 100)
        self.role.show_value(circuit["role"])
        self.below.show_value(circuit["shed_below"] * 100)
        self.priority.show_value(circuit["priority"])
        self.soft.setChecked(circuit.get("soft_start", False))
        for field in (self.breaker, self.share, self.below, self.priority):
            field.refused.connect(tell)
        for field, width in ((self.breaker, 62), (self.share, 62), (self.below, 62), (self.priority, 56)):
            field.setFixedWidth(width)
        self.name.setMinimumWidth(150)
        self.loads.setMinimumWidth(150)

    @property
    def parts(self):
        """Widgets in the order of `HEADS`."""
        first = self.name, self.breaker, self.leg, self.share, self.loads
        return (*first, self.role, self.below, self.priority, self.soft, self.gone)

    @property
    def value(self):
        """The circuit as typed."""
        return {
            "name": self.name.text().strip(),
            "breaker_a": self.breaker.value,
            "leg": self.leg.currentData(),
            "house_share": (self.share.value or 0.0) / 100.0,
            "loads": tuple(part.strip() for part in self.loads.text().split(",") if part.strip()),
            "role": self.role.currentData(),
            "shed_below": (self.below.value or 0.0) / 100.0,
            "priority": self.priority.value(),
            "soft_start": self.soft.isChecked(),
        }


class BoardDialog(AnswerDialog):
    """Edits `Job.board` and `Job.generator`; `result_job` is the job with them."""

    def __init__(self, job: Job, parent=None):
        super().__init__("The board and the generator", parent)
        self._job = job
        self.result_job: Job | None = None
        demand = job.demand
        self._known = [load.name for load in (*demand.loads, *demand.heat_pumps, *demand.cars)]
        self.rows: list[_Row] = []
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(4)
        self._grid.setRowStretch(1000, 1)
        self._line = 0
        self.add = QPushButton("Add a circuit")
        self.add.setObjectName("small")
        self.generator = QCheckBox("There is a generator")
        self.power = QuantityField("Generator", "kW", 0.1, 500, 1)
        self.starts = QuantityField("Generator starts below", "%", 0, 100, 0)
        self.stops = QuantityField("Generator stops above", "%", 0, 100, 0)
        self.place = ChoiceField("Where the generator is connected", PLACES, width=28)
        self._show_generator(job.generator)
        self._lay_out()
        for circuit in job.board.circuits if job.board else ():
            self._append(circuit.model_dump())
        self.resize(1080, 520)

    def _show_generator(self, generator):
        shown = generator or Generator(kw=5.0)
        self.generator.setChecked(generator is not None)
        self.power.show_value(shown.kw)
        self.starts.show_value(shown.start_below * 100)
        self.stops.show_value(shown.stop_above * 100)
        self.place.show_value(shown.on)
        for field in (self.power, self.starts, self.stops):
            field.setFixedWidth(72)
            field.refused.connect(self.tell)

    def _lay_out(self):
        for column, text in enumerate(HEADS):
            label = QLabel(text)
            label.setFont(font(8.4))
            label.setObjectName("quiet")
            self._grid.addWidget(label, 0, column)
        inside = QWidget()
        inside.setLayout(self._grid)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        below = QGridLayout()
        for column, part in enumerate(
            (
                self.generator,
                self.power,
                QLabel("starts below"),
                self.starts,
                QLabel("stops above"),
                self.stops,
                QLabel("on"),
                self.place,
            )
        ):
            below.addWidget(part, 0, column)
        below.setColumnStretch(8, 1)
        column = QVBoxLayout(self)
        column.addWidget(scroll, 1)
        column.addWidget(self.add)
        column.addLayout(below)
        column.addWidget(self.problem)
        column.addWidget(self.answer_buttons(self.take))
        self.add.clicked.connect(lambda _=False: self._append(self._fresh()))

    def _fresh(self):
        leg = None if self._job.supply.phases == "single" else "1"
        return {**FIRST, "name": f"Circuit {len(self.rows) + 1}", "leg": leg}

    def _append(self, circuit):
        row = _Row(len(self.rows) + 1, circuit, self._known, self.tell)
        self._line += 1
        line = self._line
        for column, part in enumerate(row.parts):
            self._grid.addWidget(part, line, column)
        row.gone.clicked.connect(lambda _=False, row=row: self._remove(row))
        self.rows.append(row)

    def _remove(self, row):
        self.rows.remove(row)
        for part in row.parts:
            self._grid.removeWidget(part)
            part.hide()
            part.deleteLater()

    def take(self) -> None:
        """Closes with the changed job when it is valid; says what is wrong when not."""
        try:
            board = Board(circuits=tuple(row.value for row in self.rows)) if self.rows else None
            generator = None
            if self.generator.isChecked():
                generator = Generator(
                    kw=self.power.value,
                    start_below=(self.starts.value or 0.0) / 100.0,
                    stop_above=(self.stops.value or 0.0) / 100.0,
                    on=self.place.currentData(),
                )
            self.result_job = self._job.with_(board=board, generator=generator)
        except ValidationError as error:
            where, problem = first_field_error(error)
            self.tell(f"{where}: {problem}." if where else f"{problem}.")
        else:
            self.accept()
