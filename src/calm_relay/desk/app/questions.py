"""A job that is begun: each station of the path asks its own question, in the order of work."""

from dataclasses import dataclass

from pydantic import ValidationError
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QMenu, QPushButton

from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.typed import PressGuard
from calm_relay.exchange.errors import first_field_error
from calm_relay.job.demand import ShapedDemand
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job, RoofFace, Wanted
from calm_relay.planning.common.wanted import wanted_words

UNNAMED = "New job"


@dataclass(frozen=True)
class Step:
    """One question: the bench that asks it, its words, how it is answered there, and which answer it brings.

    Where there is `more` to say on the bench, its answer does not go on by itself.
    """

    bench: str
    asks: str
    how: str
    answers: Wanted | None = None
    more: str = ""


STEPS = (
    Step("Site", "Where does it stand?", "Find the town below; what is usual there is assumed until you say "
         "otherwise. Until then a place on the equator stands in.", "place"),
    Step("Choice", "Why a battery?", "Weigh at the right what it is for."),
    Step("Inverter", "What hangs there today?", "Name the inverter under Inverters today. Microinverters are said with "
         "the modules; with none of them it is a new system."),
    Step("Home", "How much is used?", "Type the year’s kWh, read bills or a meter’s file. Until then what is "
         "usual at the place stands in.", "demand",
         "A heat pump, a car or hot water goes into the list below; then go on."),
    Step("Grid", "What service and tariff?", "What is usual at the place is assumed; change what is otherwise."),
    Step("Roof", "How many modules may lie there?", "A first face towards the equator; its size, tilt and further "
         "faces follow below.", "array"),
    Step("Battery", "Where may the battery stand?", "Cold and heat limit it: say in what room."),
)  # fmt: skip
OFF_GRID_HOW = (
    "There is none. A generator is stated on Inverter under Service today; Meter and connection brings a grid."
)
# An array that is there makes a bill less than what the home uses.
BESIDE_HOW = (
    "Type the year’s kWh, read bills or a meter’s file; say under Figures count whether all that is used is counted, "
    "or what came from the grid beside the array."
)


class Questions(QFrame):
    """A strip above the bench while a job is begun.

    Signals
    -------
    edited : object, str
        A changed job and the edit's name.
    bench_wanted : str
        The bench whose question is asked next.
    ended
        Every question was gone through, or the user left them.
    """

    edited = Signal(object, str)
    bench_wanted = Signal(str)
    ended = Signal()

    def __init__(self, library, parent=None):
        super().__init__(parent)
        self.library = library
        self._job: Job | None = None
        self._at = 0
        self.setObjectName("card")
        self.asks, self.how = Label(), Label()
        self.asks.setFont(font(11, strong=True))
        self.how.setObjectName("quiet")
        self.how.setWordWrap(True)
        self.name = QLineEdit()
        self.name.setPlaceholderText("customer or address")
        self.name.setAccessibleName("What the job is called")
        self.name.setFixedWidth(210)
        self.name.editingFinished.connect(self._on_name)
        span = range_of(RoofFace, "count")
        self.modules = RangedSpin("Modules to lie on a first face", " modules", span)
        self.modules.show_value(12)
        self.lay, self.none = QPushButton("&Lay them"), QPushButton("There is n&o array")
        guard = PressGuard(self.lay)
        guard.acts.connect(lambda: self._lay(self.modules.value()))
        self.modules.refused.connect(self.how.setText)
        self.modules.refused.connect(guard.refuse)
        self.modules.lineEdit().returnPressed.connect(self.lay.click)
        self.none.clicked.connect(lambda _=False: self._lay(0))
        self.there = QPushButton("They lie there &today")
        self.there.setToolTip("They hang on the inverter there today; else they come with the battery")
        there = PressGuard(self.there)
        there.acts.connect(lambda: self._lay_there(self.modules.value()))
        self.modules.refused.connect(there.refuse)
        self.on_micros = QPushButton("On &microinverters today")
        self.on_micros.setToolTip("They lie there today, each with an inverter of its own under it")
        self.micros = QMenu(self.on_micros)
        apart = PressGuard(self.on_micros)
        apart.acts.connect(self._offer_micros)
        self.modules.refused.connect(apart.refuse)
        self.as_assumed = QPushButton()
        self.as_assumed.setToolTip("What stands in is what the home uses")
        self.as_assumed.clicked.connect(lambda _=False: self._take_assumed_demand())
        self.confirm = QPushButton("It is &so")
        self.confirm.clicked.connect(lambda _=False: self._confirm())
        self.alone = QPushButton("There is no gri&d")
        self.alone.setToolTip("Array, battery and generator alone serve the house")
        self.alone.clicked.connect(lambda _=False: self._cut_off())
        self.back, self.next = QPushButton("‹ &Back"), QPushButton("&Next ›")
        self.back.clicked.connect(lambda _=False: self.go_to(self._at - 1))
        self.next.clicked.connect(lambda _=False: self.go_to(self._at + 1))
        self.leave = QPushButton("Hide")
        self.leave.setToolTip("What is still wanted stays in the margin; Job > Questions asks again")
        self.leave.clicked.connect(lambda _=False: self.ended.emit())
        self._own = {
            "Site": (self.name,),
            "Home": (self.as_assumed,),
            "Grid": (self.confirm, self.alone),
            "Roof": (self.modules, self.lay, self.there, self.on_micros, self.none),
        }
        self._lay_out()
        self.hide()

    def _lay_out(self):
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 5, 10, 5)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        grid.addWidget(self.asks, 0, 0)
        grid.addWidget(self.how, 1, 0)
        row = QHBoxLayout()
        row.setSpacing(6)
        answers = (
            self.lay,
            self.there,
            self.on_micros,
            self.none,
            self.as_assumed,
            self.confirm,
            self.alone,
        )
        for field in (self.name, self.modules, *answers):
            row.addWidget(field)
        row.addSpacing(8)
        for button in (self.back, self.next, self.leave):
            row.addWidget(button)
        for button in (*answers, self.back, self.next, self.leave):
            button.setObjectName("small")
        grid.addLayout(row, 0, 1, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        grid.setColumnStretch(0, 1)

    @property
    def step(self) -> Step:
        """The question that is asked."""
        return STEPS[self._at]

    def take_focus(self) -> bool:
        """Gives the focus to what answers the question, where that stands in the strip."""
        field = {"Grid": self.confirm, "Roof": self.modules}.get(self.step.bench)
        if field is None or not field.isVisibleTo(self):
            return False
        field.setFocus()
        return True

    def begin(self, job: Job) -> None:
        """Asks from the first question on, or from the first that is wanted where some are answered."""
        self._job = job
        self.show()
        self.go_to(next((number for number, step in enumerate(STEPS) if step.answers in job.wanted), 0))

    def go_to(self, number: int) -> None:
        """Asks a question, after the last one it ends."""
        if number >= len(STEPS):
            self.ended.emit()
            return
        self._at = max(number, 0)
        self._show()
        self.bench_wanted.emit(self.step.bench)

    def follow(self, bench: str) -> None:
        """A bench was opened otherwise: its question is asked."""
        at = next((number for number, step in enumerate(STEPS) if step.bench == bench), None)
        if at is not None and at != self._at:
            self._at = at
            if self._job is not None:
                self._show()

    def show_job(self, job: Job) -> None:
        """Takes the job as it stands; the question that an edit answered gives way to the next."""
        before, self._job = self._job, job
        if not self.isVisibleTo(self.parentWidget()):
            return
        answered = before is not None and self.step.answers in before.wanted
        if answered and self.step.answers not in job.wanted:
            # The edit is still being told round.
            QTimer.singleShot(0, lambda at=self._at: self._go_on(at))
        else:
            self._show()

    def _go_on(self, at):
        if STEPS[at].more:
            self._show()
        else:
            self.go_to(at + 1)

    def _show(self):
        job, step = self._job, self.step
        done = step.answers is not None and step.answers not in job.wanted
        self.asks.setText(f"{self._at + 1} of {len(STEPS)}   {step.asks}{'  ✓' if done else ''}")
        how = OFF_GRID_HOW if step.bench == "Grid" and not job.supply.on_grid else step.how
        if step.bench == "Home" and job.existing_inverters and job.supply.on_grid:
            how = BESIDE_HOW
        self.how.setText(f"{how if not done else f'Answered. {step.more}'} {self._still(job)}".strip())
        for bench, fields in self._own.items():
            for field in fields:
                field.setVisible(bench == step.bench)
        for field in (self.modules, self.lay, self.none):
            field.setVisible(step.bench == "Roof" and not done)
        on_roof, strung = step.bench == "Roof" and not done, self._inverter_there() is not None
        self.there.setVisible(on_roof and strung)
        self.on_micros.setVisible(on_roof and not strung and job.supply.on_grid)
        if isinstance(job.demand, ShapedDemand):
            self.as_assumed.setText(f"It is so: {job.demand.yearly_kwh:,.0f} k&Wh")
        self.as_assumed.setVisible(step.bench == "Home" and not done)
        self.alone.setVisible(step.bench == "Grid" and job.supply.on_grid)
        assumed = any(path.startswith(("supply.", "tariff.")) for path in job.assumed)
        # What stands in before the place is known is usual nowhere.
        self.confirm.setEnabled(assumed and "place" not in job.wanted)
        self.back.setEnabled(self._at > 0)
        self.next.setText("&Next ›" if self._at + 1 < len(STEPS) else "To the &choice ›")
        if not self.name.hasFocus():
            self.name.setText("" if job.name == UNNAMED else job.name)
        self.setAccessibleName(f"{self.asks.text()} {self.how.text()}")

    def _still(self, job):
        return f"Still wanted: {wanted_words(job)}." if job.wanted and self.step.answers not in job.wanted else ""

    def _on_name(self):
        name = self.name.text().strip()
        if name and self._job is not None and name != self._job.name:
            try:
                self.edited.emit(self._job.with_(name=name), "Name")
            except ValidationError as error:
                _, problem = first_field_error(error)
                self.how.setText(f"This name was not taken: {problem}.")

    def _lay(self, count):
        from calm_relay.planning.site.new_job import with_array

        label = f"{count} modules" if count else "No array"
        self.edited.emit(with_array(self._job, count, self.library), label)

    def _inverter_there(self):
        """The inverter that is there and takes modules, with what the survey says of it; None where there is none."""
        known = {item.key: item for item in self.library.equipment_for(self._job).inverters}
        there = [(unit, known.get(unit.inverter)) for unit in self._job.existing_inverters]
        return next(((unit, item) for unit, item in there if item is not None and item.pv is not None), None)

    def _lay_there(self, count):
        from calm_relay.planning.architecture.standing_array import hung_there
        from calm_relay.planning.site.new_job import with_array

        unit, inverter = self._inverter_there()
        laid = with_array(self._job, count, self.library)
        modules = {item.key: item for item in self.library.equipment_for(laid).modules}
        job = hung_there(laid, unit, inverter, modules)
        if job is None:
            self.how.setText(
                f"{count} modules hang on {inverter.name} in no equal strings: lay them, then say how."
            )
        else:
            self.edited.emit(job, f"{count} modules there today")

    def _offer_micros(self):
        """Asks which, of those that the service takes; there is one kind under all modules of a first face."""
        from calm_relay.planning.architecture.refusals import site_refusals

        self.micros.clear()
        for item in self.library.equipment_for(self._job).microinverters:
            if not site_refusals(item, self._job):
                action = self.micros.addAction(item.name.replace("&", "&&"))
                action.triggered.connect(lambda _=False, item=item: self._lay_on_micros(item))
        if self.micros.isEmpty():
            self.how.setText(
                f"No microinverter is known for {self._job.supply.phases} phase: name it in Equipment first."
            )
        else:
            self.micros.popup(self.on_micros.mapToGlobal(self.on_micros.rect().bottomLeft()))

    def _lay_on_micros(self, micro):
        from calm_relay.planning.architecture.standing_array import on_microinverters
        from calm_relay.planning.site.new_job import with_array

        count = self.modules.value()
        job = on_microinverters(with_array(self._job, count, self.library), micro)
        self.edited.emit(job, f"{count} modules on {micro.name} today")

    def _take_assumed_demand(self):
        left = tuple(key for key in self._job.wanted if key != "demand")
        self.edited.emit(self._job.with_(wanted=left), "What the home uses")
        self.go_to(self._at + 1)

    def _cut_off(self):
        job = self._job
        self.edited.emit(job.with_(supply=job.supply.with_(on_grid=False)), "No grid")
        self.go_to(self._at + 1)

    def _confirm(self):
        left = tuple(path for path in self._job.assumed if not path.startswith(("supply.", "tariff.")))
        self.edited.emit(self._job.with_(assumed=left), "Service and tariff confirmed")
        self.go_to(self._at + 1)
