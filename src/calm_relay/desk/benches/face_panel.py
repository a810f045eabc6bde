"""What lies on a roof face today, as it was surveyed: strings, age, and what is under each module."""

from typing import get_args

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.job.equipment import Catalogue
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import lower_first
from calm_relay.job.model import Covering, Mounting, RoofFace
from calm_relay.planning.common.refused import refused_words

NONE = ""
MOUNTINGS = get_args(Mounting)


class FacePanel(QWidget):
    """Edits one face's survey; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)
    item_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job, self._number = None, 0
        self.title = Label()
        self.title.setFont(font(9, strong=True))
        self.strings = QuantityField("Strings of equal length", "", range_of(RoofFace, "strings"), 0)
        self.age = QuantityField("Age of the modules", "years", range_of(RoofFace, "age_years"), 0)
        self.electronics = ChoiceField("What is under each module", width=24)
        self.phase = ChoiceField("Phase of the microinverters", width=18)
        self.unit = ChoiceField("Existing inverter its strings are on", width=18)
        self.mounting = ChoiceField("How the modules are mounted", [(name, name) for name in MOUNTINGS], width=18)
        coverings = [(name, name) for name in get_args(Covering)]
        self.covering = ChoiceField("What the modules are fixed to", coverings, width=18)
        self.summary = Label()
        self.summary.setObjectName("quiet")
        self.summary.setWordWrap(True)
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._labels = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        for row, (text, field) in enumerate(
            (
                ("Strings today", self.strings),
                ("Age", self.age),
                ("On", self.unit),
                ("Mounting", self.mounting),
                ("Fixed to", self.covering),
                ("Under each module", self.electronics),
                ("On phase", self.phase),
            )
        ):
            label = Label(text)
            label.setBuddy(field)
            self._labels[field] = label
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        grid.setColumnStretch(2, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.title)
        column.addLayout(grid)
        column.addWidget(self.summary)
        column.addWidget(self.problem)
        column.addStretch(1)
        self.strings.accepted.connect(lambda value: self._change("strings", round(value)))
        self.age.accepted.connect(lambda value: self._change("age_years", value))
        self.unit.taken.connect(lambda value: self._change("wired_to", value))
        self.mounting.taken.connect(lambda value: self._change("mounting", value))
        self.covering.taken.connect(lambda value: self._change("covering", value))
        self.electronics.taken.connect(lambda value: self._change("electronics", value or None))
        self.electronics.new_wanted.connect(self._ask_new)
        self.phase.taken.connect(lambda value: self._change("phase", value))
        for field in (self.strings, self.age):
            field.refused.connect(self._show_text)

    def show_face(self, job, equipment: Catalogue, number: int) -> None:
        """Shows a face of the job."""
        self._job, self._number = job, number
        face = job.faces[number]
        self._equipment = equipment
        entries = [(NONE, "nothing")]
        entries += [(item.key, item.name) for item in (*equipment.optimisers, *equipment.microinverters)]
        self.electronics.offer(entries, new=True)
        self.electronics.show_value(face.electronics or NONE)
        self._show_units()
        named = tuple(enumerate(job.supply.circuit.short, 1))
        self.phase.offer(((None, "as usual"), *named, (0, "all three in turn")))
        self.phase.show_value(face.phase)
        for part in (self.phase, self._labels[self.phase]):
            part.setVisible(self._could_be_on_another_phase(face))
        self.strings.show_value(float(face.strings))
        apart = face.electronics in {item.key for item in equipment.microinverters}
        self.strings.setEnabled(face.is_there and not apart)
        if apart:
            self.unit.offer([(face.wired_to, "an inverter under each")])
            self.unit.show_value(face.wired_to)
            self.unit.setEnabled(False)
        self.age.show_value(face.age_years)
        self.mounting.show_value(face.mounting)
        self.covering.show_value(face.covering)
        self.title.setText(face.name)
        wired = f"Wired today: {face.strings} × {face.in_series} modules in series."
        if apart:
            wired = "Each module has an inverter of its own."
        self.summary.setText(wired if face.is_there else "Not there yet: the planner strings it.")
        self.problem.hide()

    def _could_be_on_another_phase(self, face):
        single = {item.key for item in self._equipment.microinverters if item.phases == "single"}
        return face.is_there and face.electronics in single and self._job.supply.circuit.has_three_phases

    def _show_units(self):
        """What is there hangs on one of today's inverters; what is to come, where there is room or where one says."""
        face, units = self._job.faces[self._number], self._job.existing_inverters
        first = units[0].name if units else None
        if face.is_there:
            entries = [(None, f"{first}, the first" if units else "no inverter yet")]
            entries += [(unit.name, unit.name) for unit in units[1:]]
        else:
            entries = [(None, "where there is room"), *((unit.name, unit.name) for unit in units)]
        self.unit.offer(entries)
        self.unit.show_value(None if face.is_there and face.wired_to == first else face.wired_to)
        self.unit.setEnabled(len(entries) > 1)

    def _ask_new(self):
        """What lies under modules is of two kinds: the one that lies there, or that others have, is made anew."""
        optimisers = {item.key for item in self._equipment.optimisers}
        used = {face.electronics for face in self._job.faces}
        kind = "optimisers" if used & optimisers else "microinverters"
        self.item_wanted.emit(kind, lambda key: self._change("electronics", key))

    def _change(self, name, value):
        face = self._job.faces[self._number]
        try:
            job = self._job.with_face(self._number, **{name: value})
        except ValidationError as error:
            self.show_face(self._job, self._equipment, self._number)
            self._show_text(f"{face.name}: {lower_first(refused_words(error, RoofFace))}.")
        else:
            word = {
                "strings": "strings",
                "age_years": "age",
                "mounting": "mounting",
                "covering": "what it is fixed to",
                "wired_to": "existing inverter",
                "electronics": "under each module",
                "phase": "phase of its microinverters",
            }[name]
            self.edited.emit(job, f"{face.name}: {word}")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
