"""The board in rows: every circuit's breaker, leg, loads, and what becomes of it when the grid fails."""

from pydantic import ValidationError
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from calm_relay.desk.dialogs.circuit_row import FIRST, SERVICE_HEADS, CircuitRow, heads_on
from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.dialogs.generator_row import GeneratorRow
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.desk.widgets.theme import font
from calm_relay.job.backup_board import BackupBoard
from calm_relay.job.demand import LOAD_FIELDS
from calm_relay.job.field_range import range_of
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.common.vocabulary import vocabulary_of


class BackedUpLoadsDialog(AnswerDialog):
    """Edits `Job.backup_board` and the first generator that runs; `result_job` is the job with them.

    What the region's method wants for the dwelling's load is shown where the region has such a rule.
    """

    def __init__(self, job: Job, library: Library, parent=None):
        from calm_relay.planning.common.errors import PlanError
        from calm_relay.planning.equipment.rules import rules_of

        super().__init__(_title(job), parent)
        self._job = job
        self.result_job: Job | None = None
        demand = job.demand
        self._known = [load.name for field in LOAD_FIELDS for load in getattr(demand, field)]
        try:
            rules = rules_of(job, library)
            self._by_area = rules.of("area dwelling share") is not None
            self._service = self._by_area or rules.of("existing dwelling share") is not None
        except PlanError:
            # A region that is unknown is told where the job is planned.
            self._service = self._by_area = False
        self.rows: list[CircuitRow] = []
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(4)
        self._grid.setRowStretch(1000, 1)
        self._line = 0
        self.add = QPushButton("Add a circuit")
        self.add.setObjectName("small")
        self.generator = GeneratorRow(job)
        self.generator.refused.connect(self.show_text)
        self.dwelling = ChoiceField("Dwelling", (("existing", "stands today"), ("new", "is new")), width=11)
        self.floor = QuantityField("Floor area", "m²", range_of(BackupBoard, "floor_m2"), 0)
        self.small = RangedSpin(
            "Small-appliance and laundry circuits", "", range_of(BackupBoard, "small_circuits")
        )
        self.heating = RangedSpin(
            "Parts of the heating with a control of their own", "", range_of(BackupBoard, "heating_parts")
        )
        self._show_dwelling(job.backup_board)
        self._lay_out()
        for circuit in job.backup_board.circuits if job.backup_board else ():
            self._append(circuit.model_dump(), circuit.name)
        self.resize(1240 if self._service else 1080, 560)

    def _show_dwelling(self, backup_board):
        fields = BackupBoard.model_fields
        self.dwelling.show_value(fields["dwelling"].default if backup_board is None else backup_board.dwelling)
        self.floor.show_value(None if backup_board is None else backup_board.floor_m2)
        self.small.show_value(
            fields["small_circuits"].default if backup_board is None else backup_board.small_circuits
        )
        self.heating.show_value(
            fields["heating_parts"].default if backup_board is None else backup_board.heating_parts
        )
        for field in (self.floor, self.small, self.heating):
            field.setFixedWidth(76)
            field.refused.connect(self.show_text)

    def _lay_out(self):
        for column, text in enumerate((*heads_on(self._job.supply), *(SERVICE_HEADS if self._service else ()))):
            label = Label(text)
            label.setFont(font(8.4))
            label.setObjectName("quiet")
            self._grid.addWidget(label, 0, column)
        inside = QWidget()
        inside.setLayout(self._grid)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        column = QVBoxLayout(self)
        column.addWidget(scroll, 1)
        column.addWidget(self.add)
        if self._service:
            column.addLayout(self._dwelling_row())
        column.addWidget(self.generator)
        column.addWidget(self.problem)
        column.addWidget(self.answer_buttons(self.take))
        self.add.clicked.connect(lambda _=False: self._append(self._fresh()))

    def _dwelling_row(self):
        row = QHBoxLayout()
        parts = (
            ("For the dwelling's load: it", self.dwelling),
            ("floor area", self.floor),
            ("small-appliance and laundry circuits", self.small),
            ("parts of the heating", self.heating),
        )
        if self._by_area:
            parts = (("For the dwelling's load: living area", self.floor),)
        for words, field in parts:
            row.addWidget(Label(words))
            row.addWidget(field)
        row.addStretch(1)
        return row

    def _fresh(self):
        leg = None if self._job.supply.phases == "single" else "1"
        return {**FIRST, "name": f"Circuit {len(self.rows) + 1}", "leg": leg}

    def _append(self, circuit, before=None):
        row = CircuitRow(len(self.rows) + 1, circuit, self._known, self.show_text, self._service, self._job.supply)
        row.before = before
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
            called = {row.before: row.value["name"] for row in self.rows if row.before is not None}
            changed = self._job.with_backup_board(self._backup_board(), called)
            self.result_job = changed.with_generator(self.generator.value)
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Job)}.")
        else:
            self.accept()

    def _backup_board(self):
        if not self.rows:
            return None
        return BackupBoard(
            circuits=tuple(row.value for row in self.rows),
            dwelling=self.dwelling.currentData(),
            floor_m2=self.floor.value,
            small_circuits=self.small.value(),
            heating_parts=self.heating.value(),
        )


def _title(job: Job) -> str:
    return f"The {vocabulary_of(job.supply).circuits.lower()} and the generator"


def ask_backed_up_loads(bench, job: Job) -> None:
    """Asks for the board and the generator of a job; the bench emits the edit."""
    dialog = BackedUpLoadsDialog(job, bench.library, bench.window())
    if dialog.exec() and dialog.result_job != job:
        bench.edited.emit(dialog.result_job, _title(job))
