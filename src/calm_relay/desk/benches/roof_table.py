"""The faces of a roof in rows: module, tilt, azimuth, count, what becomes of them, and their year."""

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit, QPushButton, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.let_go import let_all_go
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font, shade_of
from calm_relay.job.equipment import Catalogue
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import lower_first
from calm_relay.job.model import RoofFace
from calm_relay.planning.architecture.standing_array import said_to_be_there
from calm_relay.planning.common.refused import refused_words

NUMBERS = (
    ("tilt", "Tilt", "°", 1),
    ("azimuth", "Azimuth", "°", 1),
    ("count", "Modules", "", 0),
)
FATES = (("keep", "keep"), ("reuse", "re-use"), ("remove", "goes"), ("new", "new"))
MOST_FACES = 12


class RoofTable(QWidget):
    """Edits `Job.faces`; emits `edited` with the new job and the edit's name, `refused` with what is wrong.

    `chosen` tells which face a person turned to.
    """

    edited = Signal(object, str)
    refused = Signal(str)
    chosen = Signal(int)
    item_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.fields: dict[tuple[int, str], QWidget] = {}
        self.sums: list[QLabel] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(3)

    def show_job(self, job, equipment: Catalogue) -> None:
        """Shows the faces' numbers."""
        before, self._job = self._job, job
        if before is None or len(before.faces) != len(job.faces):
            self._make_rows(job)
        self._equipment = equipment
        for (number, name), field in self.fields.items():
            face = job.faces[number]
            if name == "module":
                field.offer([(item.key, item.name) for item in equipment.modules], new=True)
                field.show_value(face.module)
            elif name == "name":
                field.setText(face.name)
                field.setCursorPosition(0)
            elif name == "fate":
                field.show_value(face.fate)
            else:
                field.show_value(float(getattr(face, name)))

    def _make_rows(self, job):
        let_all_go(self._grid)
        self.fields.clear()
        self.sums = []
        heads = ("", "Face", "Module", *(label for _, label, *_ in NUMBERS), "Works", "A year")
        for column, text in enumerate(heads):
            head = Label(text)
            head.setObjectName("quiet")
            self._grid.addWidget(head, 0, column)
        for number, face in enumerate(job.faces):
            self._make_row(number, face.name)
        self.add = QPushButton("Add a face")
        self.add.setObjectName("small")
        self.add.clicked.connect(self._on_add)
        self.add.setEnabled(len(job.faces) < MOST_FACES)
        self._grid.addWidget(self.add, len(job.faces) + 1, 1)
        self._grid.setColumnStretch(1, 3)
        self._grid.setColumnStretch(2, 3)
        self._grid.setColumnStretch(7, 0)

    def _make_row(self, number, name):
        row = number + 1
        mark = Label(str(row))
        mark.setFont(font(9.5, strong=True))
        mark.setStyleSheet(f"color: {shade_of(number)};")
        self._grid.addWidget(mark, row, 0)
        label = QLineEdit()
        label.setAccessibleName(f"Name of face {row}")
        label.setMinimumWidth(144)
        label.editingFinished.connect(lambda: self._change(number, "name", label.text().strip()))
        self._put(number, "name", label, 1)
        module = ChoiceField(f"Module of face {row}", width=11)
        module.taken.connect(lambda value: self._change(number, "module", value))
        module.new_wanted.connect(
            lambda: self.item_wanted.emit("modules", lambda key: self._change(number, "module", key))
        )
        self._put(number, "module", module, 2)
        for column, (key, title, unit, decimals) in enumerate(NUMBERS, 3):
            field = QuantityField(f"{title} of {name}", unit, range_of(RoofFace, key), decimals)
            field.setFixedWidth(50)
            field.accepted.connect(lambda value, key=key: self._change(number, key, value))
            field.refused.connect(self.refused)
            self._put(number, key, field, column)
        fate = ChoiceField(f"What becomes of face {row}", FATES, width=5)
        fate.taken.connect(lambda value: self._change(number, "fate", value))
        self._put(number, "fate", fate, 6)
        total = Label()
        total.setFont(font(8.4))
        self._grid.addWidget(total, row, 7)
        self.sums.append(total)

    def _put(self, number, name, field, column):
        self._grid.addWidget(field, number + 1, column)
        self.fields[number, name] = field
        field.installEventFilter(self)

    def eventFilter(self, watched, event):
        """A face is chosen by going into one of its fields."""
        if event.type() == event.Type.FocusIn:
            for (number, _), field in self.fields.items():
                if field is watched:
                    self.chosen.emit(number)
        return super().eventFilter(watched, event)

    def _change(self, number, name, value):
        face = self._job.faces[number]
        value = round(value) if name == "count" else value
        if value == getattr(face, name):
            return
        changes = {name: value}
        if name == "count" and value % face.strings:
            # Another count of modules is strung anew.
            changes["strings"] = 1
        self._try(
            lambda: (
                said_to_be_there(self._job, number, value, self._equipment)
                if name == "fate"
                else self._job.with_face(number, **changes)
            ),
            f"{face.name}: {name} {_summary(name, getattr(face, name))} to {_summary(name, value)}",
            face.name,
        )

    def _try(self, make, label, name):
        try:
            job = make()
        except ValidationError as error:
            self.show_job(self._job, self._equipment)
            self.refused.emit(f"{name}: {lower_first(refused_words(error, RoofFace))}.")
        else:
            self.edited.emit(job, label)

    def _on_add(self):
        last = self._job.faces[-1] if self._job.faces else self._first_face()
        names = {face.name for face in self._job.faces}
        name = next(f"Face {n}" for n in range(len(names) + 1, len(names) + 20) if f"Face {n}" not in names)
        face = last.with_(name=name, strings=1, age_years=0, fate="new", electronics=None, wired_to=None)
        self.edited.emit(self._job.with_(faces=(*self._job.faces, face)), f"{name} added")
        if self._job.faces[-1].name == name:
            self.chosen.emit(len(self._job.faces) - 1)

    def _first_face(self):
        """A face on a job without an array: the usual module, ten of them, towards the equator."""
        module = min(self._equipment.modules, key=lambda item: (item.price, item.key))
        south = self._job.site.latitude >= 0
        return RoofFace(
            name="Face", module=module.key, tilt=30.0, azimuth=180.0 if south else 0.0, count=10, fate="new"
        )

    def remove(self, number: int) -> None:
        """Takes a face out of the job; with the last one goes the inverter that nothing hangs on any more."""
        face = self._job.faces[number]
        rest = tuple(item for item in self._job.faces if item is not face)
        plans = tuple(
            plan for plan in self._job.string_plans if all(string.face != face.name for string in plan.strings)
        )
        changes = {"faces": rest, "string_plans": plans}
        if not rest:
            carry = {self._job.wired_to(item) for item in self._job.existing_batteries if item.inverter is None}
            changes["existing_inverters"] = tuple(
                unit for unit in self._job.existing_inverters if unit.name in carry
            )
        self._try(lambda: self._job.with_(**changes), f"{face.name} removed", face.name)


def _summary(name, value):
    unit = "°" if name in {"tilt", "azimuth"} else ""
    return f"{value:g}{unit}" if isinstance(value, int | float) else str(value)
