"""What else is there today: generators, changeovers and current transformers, each in a line with its form."""

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from calm_relay.desk.benches.in_hand import number_in_hand
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.job.existing_supply import ExistingChangeover, ExistingTransformers, Generator
from calm_relay.job.field_words import choices_of
from calm_relay.job.model import Job
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.site.money_turned import usual_generator

MORE, NONE = "one more", "none"
FATES = {
    "keep": "must stay",
    "move": "is moved",
    "reuse": "may stay or go",
    "remove": "goes",
}
CT_FATES = {**FATES, "reuse": "a new unit may read them"}
# The longest label's width, so that the fields stand below each other.
LABEL_PX = 132
GENERATOR_WORDS = {"runs": "by the battery's charge", "stands by": "by hand, it stands by"}


def _choices(words):
    return list(words.items())


def _named(model, name):
    return [(value, value) for value in choices_of(model, name)]


def generator_rows(job) -> tuple:
    """Rows of a form on a generator."""
    return (
        ("name", "Called", "text"),
        ("kw", "Power", ("kW", 1)),
        ("full_power_to_m", "Full power above the sea up to; empty: no turbocharger", ("m", 0)),
        ("fate", "It", _choices(FATES)),
        ("works_cost", f"Moving or taking it away, {job.tariff.currency}; empty: by the firm's prices", ("", 0)),
        ("on", "Connected to", _named(Generator, "on")),
        ("duty", "It starts", _choices(GENERATOR_WORDS)),
        ("start_below", "Starts below", "percent"),
        ("stop_above", "Stops above", "percent"),
        ("synchronises", "It is made to run in parallel with other generators", "tick"),
        ("interlocked", "A contactor keeps AC-coupled arrays off while it runs", "tick"),
        ("litres_per_kwh", "Fuel a kWh at full load", ("l", 2)),
        ("no_load_share", "Fuel at no load, of that at full load", "percent"),
        ("price_per_litre", f"Fuel a litre, {job.tariff.currency}", ("", 2)),
        ("tank_litres", "Tank", ("l", 0)),
    )


def changeover_rows(job) -> tuple:
    """Rows of a form on a changeover."""
    return (
        ("name", "Called", "text"),
        ("works", "It works", _named(ExistingChangeover, "works")),
        ("rated_a", "Rating; empty: not seen", ("A", 0)),
        ("poles", "Conductors it opens", [(None, "not seen"), *((n, str(n)) for n in (1, 2, 3, 4))]),
        ("fate", "It", _choices(FATES)),
        ("works_cost", f"Moving or taking it away, {job.tariff.currency}; empty: by the firm's prices", ("", 0)),
    )


def transformer_rows(job) -> tuple:
    """Rows of a form on current transformers."""
    readers = [(None, "a monitor or a meter")]
    readers += [(item.name, item.name) for item in (*job.existing_inverters, *job.existing_batteries)]
    return (
        ("name", "Called", "text"),
        ("read_by", "Read by", readers),
        ("on", "They stand on the cable of", _named(ExistingTransformers, "on")),
        ("count", "How many", ("", 0)),
        ("rated_a", "Made for; empty: not seen", ("A", 0)),
        ("reversed", "Their arrows point towards the house", "tick"),
        ("fate", "They", _choices(CT_FATES)),
        ("works_cost", f"Moving or taking them away, {job.tariff.currency}; empty: nothing", ("", 0)),
    )


def generator_words(item) -> str:
    """A generator in a line."""
    starts = f"from {item.start_below:.0%} to {item.stop_above:.0%} charge" if item.runs else "started by hand"
    return f"{item.kw:g} kW, {starts}; {FATES[item.fate]}"


def changeover_words(item) -> str:
    """A changeover in a line."""
    rated = "rating not seen" if item.rated_a is None else f"{item.rated_a:g} A"
    poles = "" if item.poles is None else f", {item.poles} poles"
    return f"{rated}{poles}, {item.works}; {FATES[item.fate]}"


def transformer_words(item) -> str:
    """Current transformers in a line."""
    return f"{item.count} on {item.on}, for {item.read_by or 'a monitor'}; {CT_FATES[item.fate]}"


class ServiceThings(QWidget):
    """One kind of thing there today: which, what it is in a line, and a form for all of it."""

    edited = Signal(object, str)

    def __init__(self, field, words, model, rows, line, most, parent=None):
        super().__init__(parent)
        self.field, self._words, self._model, self._rows, self._line, self._most = (
            field,
            words,
            model,
            rows,
            line,
            most,
        )
        self._job, self._number = None, 0
        self.which = ChoiceField(f"{words} there today", width=14)
        self.which.taken.connect(self._on_which)
        self.edit = QPushButton("Edit…")
        self.remove = QPushButton("Not there")
        for button in (self.edit, self.remove):
            button.setObjectName("small")
        self.edit.setToolTip(f"Everything that is known of it: {words.lower()}")
        self.remove.setToolTip("It is not there after all; one that the works take away “goes”")
        self.edit.clicked.connect(lambda _=False: self._ask(self.thing))
        self.remove.clicked.connect(lambda _=False: self._take_out())
        self.summary, self.problem = Label(), Label()
        self.summary.setWordWrap(True)
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(2)
        label = Label(words)
        label.setBuddy(self.which)
        label.setMinimumWidth(LABEL_PX)
        for column, part in enumerate((label, self.which, self.edit, self.remove)):
            grid.addWidget(part, 0, column)
        grid.addWidget(self.summary, 1, 0, 1, 4)
        grid.addWidget(self.problem, 2, 0, 1, 4)
        grid.setColumnStretch(1, 1)

    @property
    def things(self):
        """All of them on the job."""
        return getattr(self._job, self.field)

    @property
    def thing(self):
        """The one in hand; None while none is stated."""
        return self.things[self._number] if self._number < len(self.things) else None

    def show_job(self, job) -> None:
        """Shows the one in hand as the job states it."""
        before = None if self._job is None else len(self.things)
        self._job = job
        self._number = number_in_hand(self._number, before, len(self.things))
        self._show_thing()
        self.problem.hide()

    def _show_thing(self):
        entries: list[tuple] = [(number, item.name) for number, item in enumerate(self.things)] or [(NONE, "none")]
        if len(self.things) < self._most:
            entries.append((MORE, "One more…" if self.things else "There is one…"))
        self.which.offer(entries)
        self.which.show_value(self._number if self.thing else NONE)
        self.summary.setText(self._line(self.thing) if self.thing else "")
        self.summary.setVisible(self.thing is not None)
        for button in (self.edit, self.remove):
            button.setEnabled(self.thing is not None)

    def _on_which(self, number):
        if number == MORE:
            self._ask(None)
        elif number != NONE:
            self._number = number
        self._show_thing()

    def _fresh(self):
        names = {item.name for item in self.things}
        first = self._model.model_fields["name"].default
        tried = (first, *(f"{first} {n}" for n in range(2, self._most + 2)))
        name = next(name for name in tried if name not in names)
        return usual_generator(self._job, name) if self._model is Generator else self._model(name=name)

    def _ask(self, item):
        dialog = FormDialog(
            f"{self._words} there today", item or self._fresh(), self._rows(self._job), self.window()
        )
        if not dialog.exec():
            return
        made = dialog.result_model
        if item is None:
            self._try(lambda job: job.with_(**{self.field: (*self.things, made)}))
        else:
            self._try(lambda job: job.with_supply_part(self.field, self._number, made))

    def _take_out(self):
        things = list(self.things)
        del things[self._number]
        self._try(lambda job: job.with_(**{self.field: tuple(things)}))

    def _try(self, change):
        try:
            job = change(self._job)
        except ValidationError as error:
            self._show_thing()
            self.problem.setText(f"{refused_words(error, Job)}.")
            self.problem.show()
        else:
            if job != self._job:
                self.edited.emit(job, f"{self._words} there today")


class ServicePanel(QWidget):
    """Edits generators, changeovers and current transformers; emits `edited` as they do."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.generators = ServiceThings("generators", "Generator", Generator, generator_rows, generator_words, 4)
        self.changeovers = ServiceThings(
            "existing_changeovers", "Changeover", ExistingChangeover, changeover_rows, changeover_words, 2
        )
        self.transformers = ServiceThings(
            "existing_transformers",
            "Current transformers",
            ExistingTransformers,
            transformer_rows,
            transformer_words,
            6,
        )
        self.parts = (self.generators, self.changeovers, self.transformers)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(6)
        for row, part in enumerate(self.parts):
            grid.addWidget(part, row, 0)
            part.edited.connect(self.edited)

    def show_job(self, job) -> None:
        """Shows what the job says is there."""
        for part in self.parts:
            part.show_job(job)
