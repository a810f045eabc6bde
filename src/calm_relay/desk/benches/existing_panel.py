"""What hangs on the wall today: inverters and batteries, how old they are, and what becomes of them."""

from pydantic import ValidationError
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPushButton, QWidget

from calm_relay.desk.benches.in_hand import number_in_hand
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.exchange.shipped import wire_tables
from calm_relay.job.equipment import Catalogue
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import choices_of
from calm_relay.job.model import Job
from calm_relay.job.survey import ExistingBattery, ExistingInverter
from calm_relay.job.wiring import ExistingCircuit
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.wiring.cable import size_words

FATES = (
    ("keep", "must stay"),
    ("move", "is moved"),
    ("reuse", "may stay or go"),
    ("remove", "goes"),
)
ORDER = ((False, "goes first"), (True, "waits"))
NONE = "none"
ON = "on "
MORE = "one more"


class _Things(QWidget):
    """The part of the panel that is alike for inverters and batteries: which one is in hand, and edits of it."""

    edited = Signal(object, str)
    item_wanted = Signal(str, object)
    field: str
    kind_model: type
    words: str

    def __init__(self, most: int, parent=None):
        super().__init__(parent)
        self._job, self._equipment, self._number, self._most = None, None, 0, most
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.which = ChoiceField(f"{self.words} in hand", width=9)
        self.which.taken.connect(self._on_which)
        self.name = QLineEdit()
        self.name.setAccessibleName(f"What the {self.words.lower()} is called")
        self.name.editingFinished.connect(lambda: self._change("name", self.name.text().strip()))
        self.kind = ChoiceField(f"{self.words} there today", width=14)
        self.kind.taken.connect(self._on_kind)
        self.age = self._quantity(f"Age of the {self.words.lower()}", "years", "age_years", 0)
        self.fate = ChoiceField(f"What becomes of the {self.words.lower()}", FATES, width=9)
        self.fate.taken.connect(lambda value: self._change("fate", value))
        self.cost = self._quantity(
            f"Cost of moving or taking the {self.words.lower()} away; empty: by the firm's prices",
            "",
            "works_cost",
            0,
        )
        self.cost.setPlaceholderText("as usual")

        self.phase = ChoiceField(f"Phase of the {self.words.lower()}", width=8)
        self.phase.setToolTip("Which of three phases a single-phase unit hangs on")
        self.phase.taken.connect(lambda value: self._change("phase", value))

    def _quantity(self, label, unit, name, decimals=2, percent=False):
        span = range_of(self.kind_model, name)
        field = QuantityField(label, unit, span.times(100.0) if percent else span, decimals)
        field.setFixedWidth(66)
        field.refused.connect(self._show_text)

        def take(value):
            if name == "count":
                value = round(value)
            self._change(name, value if value is None or not percent else round(value / 100.0, 6))

        field.accepted.connect(take)
        return field

    def _lay_out(self, rows):
        self._labels = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        for row, pairs in enumerate(rows):
            for column, (text, field) in enumerate(pairs):
                label = Label(text)
                label.setBuddy(field)
                self._labels[field] = label
                grid.addWidget(label, row, 2 * column)
                grid.addWidget(field, row, 2 * column + 1)
        grid.addWidget(self.problem, len(rows), 0, 1, 4)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(3, 2)

    @property
    def things(self):
        """All of them on the job."""
        return getattr(self._job, self.field)

    @property
    def thing(self):
        """The one in hand; None while none is stated."""
        return self.things[self._number] if self._number < len(self.things) else None

    def show_job(self, job, equipment: Catalogue) -> None:
        """Shows the one in hand as the job states it."""
        before = None if self._job is None else len(self.things)
        self._job, self._equipment = job, equipment
        self._number = number_in_hand(self._number, before, len(self.things))
        self._offer(equipment)
        self._show_thing()
        self.problem.hide()

    def _show_thing(self):
        entries = [(number, thing.name) for number, thing in enumerate(self.things)]
        if self.things and len(self.things) < self._most:
            entries.append((MORE, "One more…"))
        self.which.offer(entries or [(0, "none")])
        self.which.show_value(self._number if self.thing or not self.things else MORE)
        self.which.setEnabled(bool(self.things))
        thing = self.thing
        self.name.setText(thing.name if thing else "")
        self.name.setCursorPosition(0)
        self.age.show_value(thing.age_years if thing else None)
        self.fate.show_value(thing.fate if thing else None)
        self.cost.show_value(thing.works_cost if thing else None)
        self.phase.offer(((None, "as new ones"), *enumerate(self._job.supply.circuit.short, 1)))
        self.phase.show_value(thing.phase if thing else None)
        for field in (self.name, self.age, self.fate, self.cost):
            field.setEnabled(thing is not None)
        self.phase.setEnabled(thing is not None and self._is_one_of_three(thing.inverter))

    def _is_one_of_three(self, key):
        """Whether a unit could hang on another phase."""
        units = (item for item in self._equipment.inverters if item.key == key)
        return self._job.supply.circuit.has_three_phases and any(item.phases == "single" for item in units)

    def _on_which(self, number):
        self._number = len(self.things) if number == MORE else number
        self._show_thing()
        self.kind.setFocus()

    def _free_name(self):
        names = {thing.name for thing in self.things}
        first = self.kind_model.model_fields["name"].default
        tried = (first, *(f"{first} {n}" for n in range(2, self._most + 2)))
        return next(name for name in tried if name not in names)

    def _on_kind(self, key):
        things = list(self.things)
        if key == NONE and self.thing is None:
            return
        if key == NONE:
            gone = things.pop(self._number)
            self._try(lambda: self._without(gone, tuple(things)), f"No {self.words.lower()} there today")
        elif self.thing is None:
            self._try(
                lambda: self._with((*things, self._new(key, self._free_name()))),
                f"{self.words} there today",
            )
        else:
            self._change(self.kind_field, key)

    def _with(self, things):
        return self._job.with_(**{self.field: things})

    def _without(self, gone, rest):
        return self._with(rest)

    def _change(self, name, value):
        if self.thing is None or getattr(self.thing, name) == value:
            return
        self._try(lambda: self._changed({name: value}), f"{self.words} there today: {name.replace('_', ' ')}")

    def _try(self, make, label):
        try:
            job = make()
        except ValidationError as error:
            self._show_thing()
            self._show_text(f"{refused_words(error, Job)}.")
        else:
            self.edited.emit(job, label)

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()


class InverterThings(_Things):
    """Existing inverters."""

    field, kind_field, kind_model, words = "existing_inverters", "inverter", ExistingInverter, "Inverter"

    def __init__(self, parent=None):
        super().__init__(8, parent)
        self.circuit = QPushButton("Cable and breaker…")
        self.circuit.setObjectName("small")
        self.circuit.setToolTip("Its AC circuit as it was surveyed, and whether a new unit is to use it")
        self.circuit.clicked.connect(lambda _=False: self._ask_circuit())
        self._lay_out(
            (
                (("Inverter", self.which), ("called", self.name)),
                (("kind", self.kind), ("age", self.age)),
                (("it", self.fate), ("moving", self.cost)),
                (("circuit", self.circuit), ("phase", self.phase)),
            )
        )
        self.kind.new_wanted.connect(lambda: self.item_wanted.emit("inverters", self._on_kind))

    def _offer(self, equipment):
        self.kind.offer([(NONE, "none"), *((c.key, c.name) for c in equipment.inverters if c.pv)], new=True)

    def _show_thing(self):
        super()._show_thing()
        self.kind.show_value(self.thing.inverter if self.thing else NONE)
        self.circuit.setEnabled(self.thing is not None)

    def circuit_rows(self) -> tuple:
        """Rows of a form on an AC circuit; sizes as the regions name them."""
        sizes = {size.name: size_words(size) for tables in wire_tables().values() for size in tables.sizes}
        return (
            ("size", "Cable", [(None, "not seen"), *sizes.items()]),
            ("material", "Conductor", [(name, name) for name in choices_of(ExistingCircuit, "material")]),
            ("breaker_a", "Breaker", ("A", 0)),
            ("reuse", "A new unit in its place is to use it", "tick"),
        )

    def _ask_circuit(self):
        dialog = FormDialog(
            "Circuit of the inverter there today", self.thing.circuit, self.circuit_rows(), self.window()
        )
        if dialog.exec():
            self._change("circuit", dialog.result_model)

    def _new(self, key, name):
        return ExistingInverter(inverter=key, name=name)

    def _changed(self, changes):
        return self._job.with_existing_inverter(self._number, **changes)

    def _without(self, gone, rest):
        """What was on it is said to be on the first of the others."""
        moved = {
            name: tuple(
                item.with_(wired_to=None) if item.wired_to == gone.name else item
                for item in getattr(self._job, name)
            )
            for name in ("faces", "existing_batteries")
        }
        return self._job.with_existing_inverters(rest, **moved)

    def _with(self, things):
        return self._job.with_existing_inverters(things)


class BatteryThings(_Things):
    """Existing batteries."""

    field, kind_field, kind_model, words = "existing_batteries", "pack", ExistingBattery, "Battery"

    def __init__(self, parent=None):
        super().__init__(6, parent)
        self.count = self._quantity("Packs there today", "", "count", 0)
        self.health = self._quantity("Usable energy now over when new", "", "health")
        self.measured = self._quantity("Usable energy as measured; empty: by its health", "kWh", "measured_kwh", 1)
        self.reserve = self._quantity(
            "Reserve of the battery there today; empty: as the new one's", "%", "reserve", 0, percent=True
        )
        self.carrier = ChoiceField("Inverter of the battery", width=14)
        self.carrier.taken.connect(self._on_carrier)
        self.order = ChoiceField("Whether it waits for the other batteries", ORDER, width=6)
        self.order.taken.connect(lambda value: self._change("waits", value))
        self._lay_out(
            (
                (("Battery", self.which), ("called", self.name)),
                (("kind", self.kind), ("packs", self.count)),
                (("on", self.carrier), ("age", self.age)),
                (("it", self.fate), ("moving", self.cost)),
                (("health", self.health), ("measured", self.measured)),
                (("order", self.order), ("reserve", self.reserve)),
                (("phase", self.phase),),
            )
        )
        self.kind.new_wanted.connect(lambda: self.item_wanted.emit("packs", self._on_kind))
        self.carrier.new_wanted.connect(lambda: self.item_wanted.emit("inverters", self._on_carrier))

    def _offer(self, equipment):
        self.kind.offer([(NONE, "none"), *((pack.key, pack.name) for pack in equipment.packs)], new=True)
        there = [(ON + unit.name, f"on {unit.name}") for unit in self._job.existing_inverters]
        own = [(c.key, c.name) for c in equipment.inverters if c.battery and not c.pv]
        self.carrier.offer([*(there or [(ON, "the inverter")]), *own], new=True)

    def _show_thing(self):
        super()._show_thing()
        thing = self.thing
        self.kind.show_value(thing.pack if thing else NONE)
        on = None
        if thing is not None:
            on = thing.inverter or ON + (self._job.wired_to(thing) or "")
        self.carrier.show_value(on)
        self.order.show_value(thing.waits if thing else None)
        for field, name in ((self.count, "count"), (self.health, "health"), (self.measured, "measured_kwh")):
            field.show_value(getattr(thing, name) if thing else None)
        kept = thing.reserve if thing else None
        self.reserve.show_value(None if kept is None else kept * 100.0)
        fields = (self.count, self.health, self.measured, self.reserve, self.carrier, self.order)
        for field in fields:
            field.setEnabled(thing is not None)
        for part in (self.phase, self._labels[self.phase]):
            part.setVisible(self.phase.isEnabled())

    def _new(self, key, name):
        carried = {self._job.wired_to(item) for item in self.things if item.inverter is None}
        free = next((unit.name for unit in self._job.existing_inverters if unit.name not in carried), None)
        first = self._job.existing_inverters and free == self._job.existing_inverters[0].name
        return ExistingBattery(pack=key, name=name, wired_to=None if first else free)

    def _changed(self, changes):
        return self._job.with_existing_battery(self._number, **changes)

    def _on_carrier(self, value):
        if self.thing is None:
            return
        if value.startswith(ON):
            name = value.removeprefix(ON)
            first = not self._job.existing_inverters or name == self._job.existing_inverters[0].name
            changes = {"inverter": None, "wired_to": None if first else name}
        else:
            changes = {"inverter": value, "wired_to": None}
        self._try(lambda: self._changed(changes), "Battery there today: inverter")


class WallPanel(QObject):
    """Edits `Job.existing_inverters` and `Job.existing_batteries`, each on a page; emits `edited` as they do."""

    edited = Signal(object, str)
    item_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.inverters, self.batteries = InverterThings(), BatteryThings()
        for things in (self.inverters, self.batteries):
            things.edited.connect(self.edited)
            things.item_wanted.connect(self.item_wanted)

    def show_job(self, job, equipment: Catalogue) -> None:
        """Shows what the job says is there."""
        self.inverters.show_job(job, equipment)
        self.batteries.show_job(job, equipment)
