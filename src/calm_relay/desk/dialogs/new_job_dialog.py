"""What a new job needs before there is a plan: a place, what the home uses, and whether there is an array."""

from dataclasses import replace
from threading import Thread

from pydantic import ValidationError
from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.place_field import PlaceField
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.exchange.errors import first_field_error
from calm_relay.exchange.places import find_places
from calm_relay.job.demand import ShapedDemand
from calm_relay.job.field_range import range_of
from calm_relay.job.library import Library
from calm_relay.job.model import Job, RoofFace

WANTED = "wanted a place from the list, and what the home uses in a year"


class NewJobDialog(AnswerDialog):
    """Asks for the first answers in the order of work; `job` holds the job begun from them.

    What the place's country makes usual – phases, volts, main fuse, currency, tariff, rules, climate – is set by it and
    stays marked as assumed.
    """

    def __init__(self, library: Library, parent=None):
        super().__init__("A new job", parent)
        self._library = library
        self._place = None
        self.job: Job | None = None
        self.name = QLineEdit()
        self.name.setPlaceholderText("the customer, or the address")
        self.name.setAccessibleName("What the job is called")
        self.place = PlaceField()
        self.usual = QLabel("The place says what is usual there: service, currency, tariff, rules and climate.")
        self.usual.setObjectName("quiet")
        self.usual.setWordWrap(True)
        self.yearly = QuantityField("What the home uses in a year", "kWh", range_of(ShapedDemand, "yearly_kwh"), 0)
        span = replace(range_of(RoofFace, "count"), low=0)
        self.modules = RangedSpin("Modules to lie on a first face; 0 for a battery alone", "", span)
        self.modules.show_value(12)
        self._lay_out()
        self.place.sought.connect(lambda text: self.place.offer(text, find_places(text)))
        self.place.taken.connect(self.take_place)
        self.yearly.refused.connect(self.show_text)
        # The first search unpacks the list of towns.
        Thread(target=find_places, args=("a",), daemon=True).start()

    def _lay_out(self):
        grid = QGridLayout(self)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(8)
        rows = (
            ("&Job", self.name),
            ("&Place", self.place),
            ("", self.usual),
            ("&Used in a year", self.yearly),
            ("&Modules, 0 for a battery alone", self.modules),
        )
        for row, (text, field) in enumerate(rows):
            label = QLabel(text)
            label.setBuddy(self.place.line if field is self.place else field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        grid.addWidget(self.problem, len(rows), 0, 1, 2)
        grid.addWidget(self.answer_buttons(self.take), len(rows) + 1, 0, 1, 2)
        self.setMinimumWidth(520)
        self.name.setFocus()

    def take_place(self, place) -> None:
        """Takes a place from the list and says what is usual there."""
        from calm_relay.planning.site.new_job import usual_in

        self._place = place
        self.place.show_place(place.label)
        where = place.country, place.latitude, place.longitude, place.time_zone
        self.usual.setText(usual_in(*where, self._library))
        # A wrapped label asks for its height at its own width alone.
        self.usual.setMinimumHeight(self.usual.heightForWidth(self.usual.width()))
        self.adjustSize()

    def take(self) -> None:
        """Closes with a job when all is answered; says what is wanted when not."""
        from calm_relay.planning.site.new_job import new_job

        if self._place is None or self.yearly.value is None:
            self.show_text(f"{'The place' if self._place is None else 'The yearly use'} is missing: {WANTED}.")
            return
        place = self._place
        try:
            self.job = new_job(
                self.name.text().strip() or place.name, place.label, place.country, place.latitude, place.longitude,
                place.time_zone, self.yearly.value, self._library, self.modules.value(),
            )  # fmt: skip
        except ValidationError as error:
            where, problem = first_field_error(error)
            self.show_text(f"{where}: {problem}.")
        else:
            self.accept()
