"""The bench Outage: the grid fails at a chosen moment: what stays on, what ends it, every start of the year."""

from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.outage_mends_row import OutageMendsRow
from calm_relay.desk.benches.outage_summary import (
    EVERY_HEADS,
    EVERY_START,
    SEASONS_HEADS,
    minute_of,
    more_of,
    option_rows,
    season_rows,
    survival_summary,
    verdict_of,
)
from calm_relay.desk.benches.school_card import HEADS, SchoolCard
from calm_relay.desk.charts.outage_charts import BatteryAndSun, NightChart, RideThroughChart, SurvivalCarpet
from calm_relay.desk.dialogs.backed_up_loads_dialog import ask_backed_up_loads
from calm_relay.desk.view import LETTERS
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.moment_field import MomentField
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.desk.widgets.tabs import Tabs, page, tabbed
from calm_relay.desk.widgets.theme import font
from calm_relay.job.field_range import FieldRange
from calm_relay.planning.common.vocabulary import vocabulary_of

TABS = (("night", "The night"), ("map", "Every start of the year"), ("every", "Every option"))
HOURS = 30
AS_IS = "as it is"
BACKUP_BOARDS = (
    (AS_IS, "the loads as wired"),
    *((school, words.lower()) for school, words in HEADS.items()),
)


class OutageBench(Bench):
    """Rehearses `planning.studies.outage` from a moment, proposes boards, and maps the year."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = self._run = self._mapped = self._every = None
        self._step = None
        self._schools = ()
        self._waiting = set()
        self.at = MomentField("The grid fails at, standard time")
        self.hours = RangedSpin("Hours that the outage lasts", " h", FieldRange(1, 168))
        self.hours.show_value(HOURS)
        self.starts = QCheckBox("Machines start")
        self.starts.setChecked(True)
        self.starts.setToolTip("Minute by minute, machines start as events; the same every time")
        self.covered = QCheckBox("No light on the array")
        self.covered.setToolTip("Snow covers it, or a storm takes the light, as long as the outage lasts")
        self.backup_boards = ChoiceField("Backed-up loads in this run", BACKUP_BOARDS, width=17)
        self.backup_boards.show_value(AS_IS)
        self.pull = QPushButton("Start the outage")
        self.worst = QPushButton("Worst start")
        self.midwinter = QPushButton("Longest night")
        self.backup_board = QPushButton("Backed-up loads and generator…")
        for button in (self.pull, self.worst, self.midwinter, self.backup_board):
            button.setObjectName("small")
        self.night, self.battery = NightChart(), BatteryAndSun()
        self.carpet, self.riding_through = SurvivalCarpet(), RideThroughChart()
        self.seasons = FigureTable("Chance to last by season")
        self.table = FigureTable("Every option in an outage")
        self.verdict, self.more, self.summary = Label(), Label(), Label()
        self.verdict.setFont(font(11, strong=True))
        self.verdict.setAccessibleName("What ended it")
        self.more.setAccessibleName("How the night went")
        self.summary.setAccessibleName("What the map says")
        for label in (self.verdict, self.more, self.summary):
            label.setWordWrap(True)
        for label in (self.more, self.summary):
            label.setFont(font(8.6))
        self.more.setObjectName("quiet")
        self.outage_mends = OutageMendsRow()
        self.schools = tuple(SchoolCard(school) for school in HEADS)
        self.none = Label("The job names no circuits: the whole house hangs behind the relay.")
        self.none.setWordWrap(True)
        self.tabs = Tabs(TABS)
        self._lay_out()
        self._connect()

    def _connect(self):
        self.at.settled.connect(self._rehearse)
        self.pull.clicked.connect(lambda _=False: self._rehearse())
        self.worst.clicked.connect(lambda _=False: self._go_worst())
        self.midwinter.clicked.connect(lambda _=False: self._go_longest_night())
        self.backup_board.clicked.connect(lambda _=False: ask_backed_up_loads(self, self._job))
        for box in (self.starts, self.covered):
            box.toggled.connect(lambda _: self._rehearse())
        self.backup_boards.taken.connect(lambda _: self._draw_night())
        self.hours.accepted.connect(lambda _: self._rehearse())
        self.hours.refused.connect(self.verdict.setText)
        self.outage_mends.chosen.connect(self._mend)
        self.tabs.chosen.connect(lambda _: self._look())
        for card in self.schools:
            card.used.connect(self._use)
        for chart in (self.night, self.battery):
            chart.pointed.connect(self.scrub)

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 14, 2)
        column.setSpacing(4)
        top = QHBoxLayout()
        top.setSpacing(7)
        self.when = Label()
        when = (self.when, self.at, Label("for"), self.hours)
        for part in (*when, self.pull, self.midwinter, self.worst, self.starts, Label("on"), self.backup_boards):
            top.addWidget(part)
        top.addStretch(1)
        column.addLayout(top)
        for part in (self.verdict, self.more, self.outage_mends):
            column.addWidget(part)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        pages = (
            page((self.night, 3), (self.battery, 2)),
            page((self.carpet, 3), (self.seasons, 2), (self.summary, 0)),
            page((self.riding_through, 3), (self.table, 2)),
        )
        middle.addLayout(tabbed(self.tabs, *pages), 5)
        side = QVBoxLayout()
        side.setSpacing(5)
        side.addWidget(self.covered)
        inside = QWidget()
        cards = QVBoxLayout(inside)
        cards.setContentsMargins(0, 0, 6, 0)
        cards.setSpacing(9)
        for part in (*self.schools, self.none):
            cards.addWidget(part)
        cards.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        scroll.setAccessibleName("Backup boards proposed for this outage")
        side.addWidget(scroll, 1)
        side.addWidget(self.backup_board)
        middle.addLayout(side, 2)
        column.addLayout(middle, 1)

    def showEvent(self, event):
        """The keys belong to the night, not to the date, when the bench is opened."""
        super().showEvent(event)
        self.night.setFocus()

    def show_job(self, job) -> None:
        """Takes the job whose board may be edited."""
        self._job = job

    def show_view(self, view) -> None:
        """Rehearses from the moment in view, or from the longest night."""
        moved = view.step is not None and view.step != self._step
        self._step = view.step
        if not self.is_new(view):
            if moved:
                self._go(view.step)
            return
        first = self._view is None or self._view.plan.job.site != view.plan.job.site
        self._view, self._schools, self._mapped, self._every = view, (), None, None
        self._waiting.clear()
        words = vocabulary_of(view.plan.job.supply)
        self.when.setText(words.begin_at)
        self.pull.setText(words.begin)
        self.backup_board.setText(f"{words.circuits} and generator…")
        self.at.limit_to(view.plan.site.calendar.year)
        self.worst.setEnabled(False)
        self.covered.setEnabled(bool(view.plan.faces))
        self._forget_moment()
        if self.is_other:
            self._forget_night("Rehearsing the night …")
            self._forget_map("Mapping the year …")
            self.wait_for(self.night, self.battery, self.carpet, self.riding_through)
            self.table.setRowCount(0)
        if moved:
            self._go(view.step)
        elif first:
            self._go_longest_night()
        else:
            self._rehearse()
        self._ask("outage-map", _survival)
        self._look()

    def _look(self):
        """Asks for what the open tab shows and nobody has asked for yet."""
        if self._view is None:
            return
        key, function, result = {
            "map": ("outage-map", _survival, self._mapped),
            "every": ("outage-every", _every, self._every),
        }.get(self.tabs.key, (None, None, None))
        if key is not None and result is None and key not in self._waiting:
            self._ask(key, function)

    def _go(self, step):
        self.at.show_step(step)
        self._rehearse()

    def _go_longest_night(self):
        self._go(self._view.plan.site.longest_night)

    def _go_worst(self):
        if self._mapped is not None:
            self._go(self._mapped.worst)

    def _rehearse(self):
        if self._view is None:
            return
        step, hours = self.at.step, float(self.hours.value())
        events, covered = self.starts.isChecked(), self.covered.isChecked()

        def night(plan, option, progress):
            from calm_relay.planning.studies.backup_board import schools_of
            from calm_relay.planning.studies.outage import rehearse

            progress(0.0, "Pulling the main switch")
            return (
                rehearse(plan, option, step, hours, events, covered=covered),
                schools_of(plan, option, step, hours, progress, events, covered),
            )

        self._ask("outage-night", night)

    def _ask(self, key, function):
        self._waiting.add(key)
        self.study_wanted.emit(key, function)

    @property
    def settled(self) -> bool:
        """Whether the night, its schools and the open map have come."""
        return not self._waiting and self._mapped is not None

    def forget(self) -> None:
        """What was called off leaves nothing of another night or option behind."""
        super().forget()
        if "outage-night" in self._waiting:
            self._forget_night("Called off: rehearse the night again.")
        if "outage-map" in self._waiting:
            self._forget_map("Called off: choose the tab again to map the year.")
        self._waiting.clear()

    def _forget_night(self, said):
        self._run, self._schools = None, ()
        self._show_boards()
        self._draw_night()
        self.verdict.setText(said)

    def _forget_map(self, said):
        self.carpet.show_map(None)
        self._show_map()
        self.summary.setText(said)

    def show_study(self, key: str, result) -> None:
        """Draws the night, the map, or every option's map."""
        self._waiting.discard(key)
        if key == "outage-night":
            self._run, self._schools = result
            self._show_boards()
            self._draw_night()
        elif key == "outage-map":
            self._mapped = result
            self.carpet.show_map(result)
            self._show_map()
        elif key == "outage-every":
            self._every = result
            self._show_every()

    @property
    def _shown_run(self):
        """The rehearsal that is drawn: the job's board, or a school's."""
        result = next((item for item in self._schools if item.school == self.backup_boards.currentData()), None)
        return self._run if result is None else result.rehearsal

    def _draw_night(self):
        from calm_relay.planning.studies.outage_mends import outage_mends_of

        run, view = self._shown_run, self._view
        clock = None if run is None else view.plan.site.calendar.wall[run.first]
        self.night.show_run(run, clock)
        self.battery.show_run(run, clock)
        self._show_night(run)
        as_is = self.backup_boards.currentData() == AS_IS
        self.outage_mends.show_outage_mends(outage_mends_of(view.plan, view.option, run) if as_is else ())
        self._forget_moment()

    def _forget_moment(self):
        if self.own_moment is not None:
            self.own_moment = None
            self.moment_moved.emit()

    def scrub(self, hour: float) -> None:
        """Puts a minute of the night on the line."""
        from calm_relay.planning.views.moment import moment_of_night

        run = self._shown_run
        if run is None or "outage-night" in self._waiting:
            return
        at = min(max(int(hour / run.step_h + 0.5), 0), run.steps - 1)
        for chart in (self.night, self.battery):
            chart.place_cursor(at * run.step_h)
        view = self._view
        self.own_moment = moment_of_night(view.plan, view.option, run, at)
        summary = minute_of(run, at, self.own_moment.clock)
        self.battery.head(summary)
        self.battery.setAccessibleDescription(summary)
        self.moment_moved.emit()

    def _show_night(self, run):
        plan = self._view.plan
        self.verdict.setText(verdict_of(self._view.built, run))
        self.more.setText(more_of(plan.job, run))
        note = plan.assumed_note or plan.site.source
        self.verdict.setToolTip(tip(f"From: the year's own level of the battery, datasheets, {note}"))

    def _show_boards(self):
        job = self._view.plan.job
        by_school = {item.school: item for item in self._schools}
        for card in self.schools:
            card.show_proposal(by_school.get(card.school), job)
        self.backup_boards.offer([entry for entry in BACKUP_BOARDS if entry[0] == AS_IS or entry[0] in by_school])
        if self.backup_boards.currentIndex() < 0:
            self.backup_boards.show_value(AS_IS)
        self.none.setVisible(job.backup_board is None)

    def _show_map(self):
        result = self._mapped
        self.worst.setEnabled(result is not None)
        self.seasons.setVisible(result is not None)
        self.summary.setText(survival_summary(result))
        if result is not None:
            self.seasons.show_rows(SEASONS_HEADS, season_rows(result), EVERY_START, 1)

    def _show_every(self):
        plan = self._view.plan
        letters = {option.key: LETTERS[number] for number, option in enumerate(plan.options)}
        titles = {option.key: option.title for option in plan.options}
        self.riding_through.show_every(self._every, self._view.option.key, letters)
        self.table.show_rows(EVERY_HEADS, option_rows(self._every, letters, titles), EVERY_START)

    def _use(self, proposal):
        self.backup_boards.show_value(AS_IS)
        self.edited.emit(proposal.apply(self._view.plan.job), f"Backed-up loads: {proposal.school}")

    def _mend(self, mend):
        self.edited.emit(mend.apply(self._view.plan.job), mend.label)


def _survival(plan, option, progress):
    from calm_relay.planning.studies.survival import survival_of

    return survival_of(plan, option, progress)


def _every(plan, option, progress):
    from calm_relay.planning.studies.survival import every_survival

    return every_survival(plan, progress)
