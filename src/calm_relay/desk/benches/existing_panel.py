"""What hangs on the wall today: the inverter, the battery, how old they are, and what becomes of them."""

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.exchange.errors import first_field_error
from calm_relay.job.equipment import Catalogue
from calm_relay.job.field_range import range_of
from calm_relay.job.survey import ExistingBattery, ExistingInverter

FATES = (("keep", "must stay"), ("reuse", "may stay or go"), ("remove", "goes"))
NONE = "none"


class WallPanel(QWidget):
    """Edits `Job.inverter` and `Job.battery`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)
    item_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.inverter = ChoiceField("Inverter there today", width=16)
        self.inverter_age = QuantityField(
            "Age of the inverter", "years", range_of(ExistingInverter, "age_years"), 0
        )
        self.inverter_fate = ChoiceField("What becomes of the inverter", FATES, width=10)
        self.pack = ChoiceField("Battery there today", width=16)
        self.count = QuantityField("Packs there today", "", range_of(ExistingBattery, "count"), 0)
        self.battery_age = QuantityField("Age of the battery", "years", range_of(ExistingBattery, "age_years"), 0)
        self.health = QuantityField("Usable energy now over when new", "", range_of(ExistingBattery, "health"))
        self.reserve = QuantityField(
            "Reserve of the battery there today; empty: as the new one's", "%",
            range_of(ExistingBattery, "reserve").times(100.0), 0,
        )  # fmt: skip
        self.carrier = ChoiceField("Inverter of the battery", width=16)
        self.battery_fate = ChoiceField("What becomes of the battery", FATES, width=10)
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._lay_out()
        self._connect()

    def _lay_out(self):
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        rows = (
            (("Inverter", self.inverter), ("age", self.inverter_age)),
            (("it", self.inverter_fate), ("", None)),
            (("Battery", self.pack), ("packs", self.count)),
            (("on", self.carrier), ("age", self.battery_age)),
            (("it", self.battery_fate), ("health", self.health)),
            (("", None), ("reserve", self.reserve)),
        )
        for row, pairs in enumerate(rows):
            for column, (text, field) in enumerate(pairs):
                if field is not None:
                    label = Label(text)
                    label.setBuddy(field)
                    grid.addWidget(label, row, 2 * column)
                    grid.addWidget(field, row, 2 * column + 1)
        for field in (self.inverter_age, self.count, self.battery_age, self.health, self.reserve):
            field.setFixedWidth(74)
            field.refused.connect(self._show_text)
        grid.addWidget(self.problem, len(rows), 0, 1, 4)
        grid.setColumnStretch(1, 1)

    def _connect(self):
        self.inverter.taken.connect(self._on_inverter)
        self.inverter_age.accepted.connect(lambda value: self._of_inverter("age_years", value))
        self.inverter_fate.taken.connect(lambda value: self._of_inverter("fate", value))
        self.pack.taken.connect(self._on_pack)
        self.count.accepted.connect(lambda value: self._of_battery("count", round(value)))
        self.battery_age.accepted.connect(lambda value: self._of_battery("age_years", value))
        self.health.accepted.connect(lambda value: self._of_battery("health", value))
        self.reserve.accepted.connect(
            lambda value: self._of_battery("reserve", None if value is None else round(value / 100.0, 6))
        )
        self.carrier.taken.connect(lambda value: self._of_battery("inverter", None if value == NONE else value))
        self.battery_fate.taken.connect(lambda value: self._of_battery("fate", value))

        for field, kind, take in (
            (self.inverter, "inverters", self._on_inverter),
            (self.pack, "packs", self._on_pack),
            (self.carrier, "inverters", lambda key: self._of_battery("inverter", key)),
        ):
            field.new_wanted.connect(lambda kind=kind, take=take: self.item_wanted.emit(kind, take))

    def show_job(self, job, equipment: Catalogue) -> None:
        """Shows what the job says is there."""
        self._job = job
        self._equipment = equipment
        self.inverter.offer([(NONE, "none"), *((c.key, c.name) for c in equipment.inverters if c.pv)], new=True)
        self.inverter.show_value(job.existing_inverter.inverter if job.existing_inverter else NONE)
        self.inverter_age.show_value(job.existing_inverter.age_years if job.existing_inverter else None)
        self.inverter_fate.show_value(job.existing_inverter.fate if job.existing_inverter else None)
        for field in (self.inverter_age, self.inverter_fate):
            field.setEnabled(job.existing_inverter is not None)
        self.pack.offer([(NONE, "none"), *((pack.key, pack.name) for pack in equipment.packs)], new=True)
        carriers = [
            (NONE, "the inverter"),
            *((c.key, c.name) for c in equipment.inverters if c.battery and not c.pv),
        ]
        self.carrier.offer(carriers, new=True)
        battery = job.existing_battery
        self.pack.show_value(battery.pack if battery else NONE)
        self.carrier.show_value((battery.inverter or NONE) if battery else None)
        self.battery_fate.show_value(battery.fate if battery else None)
        for field, name in ((self.count, "count"), (self.battery_age, "age_years"), (self.health, "health")):
            field.show_value(getattr(battery, name) if battery else None)
        kept = battery.reserve if battery else None
        self.reserve.show_value(None if kept is None else kept * 100.0)
        for field in (self.count, self.battery_age, self.health, self.carrier, self.battery_fate, self.reserve):
            field.setEnabled(battery is not None)
        self.problem.hide()

    def _on_inverter(self, key):
        if key == NONE:
            self._try(lambda: self._job.with_(existing_inverter=None), "No inverter there today")
        elif self._job.existing_inverter is None:
            self._try(
                lambda: self._job.with_(existing_inverter=ExistingInverter(inverter=key)), "Inverter there today"
            )
        else:
            self._of_inverter("inverter", key)

    def _of_inverter(self, name, value):
        if self._job.existing_inverter is not None:
            self._try(
                lambda: self._job.with_(existing_inverter=self._job.existing_inverter.with_(**{name: value})),
                f"Inverter there today: {name.replace('_', ' ')}",
            )

    def _on_pack(self, key):
        if key == NONE:
            self._try(lambda: self._job.with_(existing_battery=None), "No battery there today")
        elif self._job.existing_battery is None:
            self._try(lambda: self._job.with_(existing_battery=ExistingBattery(pack=key)), "Battery there today")
        else:
            self._of_battery("pack", key)

    def _of_battery(self, name, value):
        if self._job.existing_battery is not None:
            self._try(
                lambda: self._job.with_(existing_battery=self._job.existing_battery.with_(**{name: value})),
                f"Battery there today: {name.replace('_', ' ')}",
            )

    def _try(self, make, label):
        try:
            job = make()
        except ValidationError as error:
            where, problem = first_field_error(error)
            self.show_job(self._job, self._equipment)
            self._show_text(f"{where} {problem}.".strip())
        else:
            self.edited.emit(job, label)

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
