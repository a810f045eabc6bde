"""The bench Outage: the street goes dark at a chosen moment: what lives, what ends it, every start of the year."""

from PySide6.QtCore import QDate, QDateTime, QTime
from PySide6.QtWidgets import (
    QCheckBox,
    QDateTimeEdit,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.bench import Bench
from calm_relay.desk.board_dialog import BoardDialog
from calm_relay.desk.outage_charts import NightChart, StoreAndSun, SurvivalCarpet
from calm_relay.desk.ranged_spin import RangedSpin
from calm_relay.desk.tabs import Tabs, tabbed
from calm_relay.desk.theme import font
from calm_relay.desk.wording import keep_units

TABS = (("night", "The night"), ("map", "Every start of the year"))
HOURS = 30


class OutageBench(Bench):
    """Rehearses `planning.rehearsal` from a moment, proposes circuits, and maps the year."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = None
        self._proposal = None
        self._mapped = None
        self.at = QDateTimeEdit()
        self.at.setDisplayFormat("d MMM  HH:mm")
        self.at.setAccessibleName("The street goes dark at, standard time")
        self.hours = RangedSpin("Hours that it stays dark", " h", 1, 168)
        self.hours.show_value(HOURS)
        self.starts = QCheckBox("Machines start")
        self.starts.setChecked(True)
        self.starts.setToolTip("Minute by minute, machines start as events; the same every time")
        self.proposed = QCheckBox("Proposed only")
        self.proposed.setEnabled(False)
        self.pull = QPushButton("Pull the switch")
        self.worst = QPushButton("Worst start")
        self.midwinter = QPushButton("Longest night")
        self.use = QPushButton("Use the proposed board")
        self.board = QPushButton("Board and generator…")
        self.board.setObjectName("small")
        self.board.clicked.connect(lambda _=False: self._ask_board())
        for button in (self.worst, self.midwinter):
            button.setObjectName("small")
        self.night, self.store, self.carpet = NightChart(), StoreAndSun(), SurvivalCarpet()
        self.verdict, self.told, self.circuits = QLabel(), QLabel(), QLabel()
        self.verdict.setFont(font(11, strong=True))
        self.verdict.setAccessibleName("What ended it")
        self.told.setAccessibleName("What the map says")
        self.circuits.setAccessibleName("Circuits proposed for the backed-up board")
        for label in (self.verdict, self.told, self.circuits):
            label.setWordWrap(True)
        for label in (self.told, self.circuits):
            label.setFont(font(8.6))
        self.tabs = Tabs(TABS)
        self._lay_out()
        self.pull.clicked.connect(lambda _=False: self._rehearse())
        self.worst.clicked.connect(lambda _=False: self._go_worst())
        self.midwinter.clicked.connect(lambda _=False: self._go_longest_night())
        self.starts.toggled.connect(lambda _: self._rehearse())
        self.proposed.toggled.connect(lambda _: self._rehearse())
        self.hours.accepted.connect(lambda _: self._rehearse())
        self.hours.refused.connect(self.verdict.setText)
        self.use.clicked.connect(lambda _=False: self._use())

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 14, 2)
        column.setSpacing(5)
        top = QHBoxLayout()
        top.setSpacing(8)
        when = (QLabel("Dark from"), self.at, QLabel("for"), self.hours)
        for part in (*when, self.pull, self.midwinter, self.worst):
            top.addWidget(part)
        top.addWidget(self.starts)
        top.addWidget(self.proposed)
        top.addStretch(1)
        column.addLayout(top)
        column.addWidget(self.verdict)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        whole = QWidget()
        both = QVBoxLayout(whole)
        both.setContentsMargins(0, 0, 0, 0)
        both.addWidget(self.night, 3)
        both.addWidget(self.store, 2)
        middle.addLayout(tabbed(self.tabs, whole, _page(self.carpet)), 5)
        side = QVBoxLayout()
        head = QLabel("The backed-up board")
        head.setFont(font(10.5, strong=True))
        for part in (head, self.circuits, self.use, self.board, self.told):
            side.addWidget(part)
        side.addStretch(1)
        middle.addLayout(side, 2)
        column.addLayout(middle, 1)

    def show_view(self, view) -> None:
        """Rehearses from the moment in view, or from the longest night."""
        if not self.is_new(view):
            return
        first = self._view is None
        self._view, self._proposal, self._mapped = view, None, None
        year = view.plan.site.calendar.year
        first_day, last_day = QDate(year, 1, 1), QDate(year, 12, 31)
        self.at.setDateTimeRange(QDateTime(first_day, QTime(0, 0)), QDateTime(last_day, QTime(23, 45)))
        self.proposed.setEnabled(False)
        self.use.setEnabled(False)
        if first:
            self._go_longest_night()
        else:
            self._rehearse()
        self.study_wanted.emit("outage-map", _survival)

    @property
    def step(self) -> int:
        """The step of the year at which the street goes dark."""
        stamp = self.at.dateTime()
        day = stamp.date().dayOfYear() - 1
        minutes = stamp.time().hour() * 60 + stamp.time().minute()
        return day * 96 + minutes // 15

    def _go(self, step):
        year = self._view.plan.site.calendar.year
        day, quarter = divmod(step, 96)
        date = QDate(year, 1, 1).addDays(day)
        self.at.setDateTime(QDateTime(date, QTime(quarter // 4, quarter % 4 * 15)))
        self._rehearse()

    def _go_longest_night(self):
        """17:00 on the day with the most dark steps."""
        dark = self._view.plan.site.dark.reshape(365, -1).sum(axis=1)
        self._go(int(dark.argmax()) * 96 + 17 * 4)

    def _go_worst(self):
        if self._mapped is not None:
            self._go(self._mapped.worst)

    def _rehearse(self):
        if self._view is None:
            return
        step, hours, events = self.step, float(self.hours.value()), self.starts.isChecked()
        proposed = self.proposed.isChecked()

        def night(plan, option, progress):
            from calm_relay.planning.proposal import propose
            from calm_relay.planning.rehearsal import rehearse

            progress(0.0, "Pulling the main switch")
            found = propose(plan, option, step, hours, progress)
            only = frozenset(found.kept) if found and proposed else None
            return rehearse(plan, option, step, hours, events, only=only), found

        self.study_wanted.emit("outage-night", night)

    def show_study(self, key: str, found) -> None:
        """Draws the night or the map."""
        if key == "outage-night":
            run, self._proposal = found
            self.night.show_run(run)
            self.store.show_run(run)
            self._tell_night(run)
            self._tell_board()
        elif key == "outage-map":
            self._mapped = found
            self.carpet.show_map(found)
            self._tell_map()

    def _tell_night(self, run):
        if run is None:
            self.verdict.setText(
                "Nothing here forms a grid, or no circuit is backed up: the house is dark at once."
            )
            return
        shed = [name for name, on in zip(run.names, run.on.T, strict=True) if not on.all() and run.lived_h is None]
        more = f" Shed for a while: {', '.join(shed)}." if shed else ""
        hz, rest = float(run.frequency_hz.max()), float(run.frequency_hz.min())
        turned = f" The array is turned down by frequency, up to {hz:.1f} Hz." if hz > rest + 0.01 else ""
        self.verdict.setText(keep_units(f"{run.ended_by}{more}{turned}"))
        note = self._view.plan.assumed_note or self._view.plan.site.source
        self.verdict.setToolTip(f"From: the year's own level of the store, datasheets, {note}")

    def _tell_board(self):
        found = self._proposal
        self.proposed.setEnabled(found is not None and found.holds)
        board = self._view.plan.job.board
        self.use.setEnabled(found is not None and found.holds and found.apply(self._view.plan.job).board != board)
        if found is None:
            self.circuits.setText("The job names no circuits: the whole house hangs behind the relay.")
            return
        kept = "".join(f"<br>+ {name}" for name in found.kept) or "<br>none"
        left = "".join(f"<br>− {name}: {why}" for name, why in found.left)
        self.circuits.setText(
            keep_units(
                f"<b>Lives through this outage</b>, added by priority:{kept}"
                + (f"<br><b>Left out</b>:{left}" if found.left else "")
            )
        )

    def _tell_map(self):
        found = self._mapped
        self.worst.setEnabled(found is not None)
        if found is None:
            self.told.clear()
            return
        rows = "".join(
            f"<tr><td>{season}&nbsp;</td>{''.join(_cell(share) for share in lasting.values())}</tr>"
            for season, lasting in found.lasting.items()
        )
        self.told.setText(
            f"<b>Chance to last</b>, without starts<table><tr><td></td><td>4 h</td><td>8 h</td><td>24 h</td>"
            f"<td>72 h</td></tr>{rows}</table>Mean {found.hours.mean():.0f} h, worst {found.hours.min():.1f} h; "
            "on the back of an envelope, usable energy over the worst season's mean load: "
            f"{found.envelope_h:.1f} h."
        )

    def _ask_board(self):
        if self._view is None:
            return
        job = self._view.plan.job
        dialog = BoardDialog(job, self.window())
        if dialog.exec() and dialog.result_job != job:
            self.edited.emit(dialog.result_job, "The board and the generator")

    def _use(self):
        if self._proposal is not None:
            self.edited.emit(self._proposal.apply(self._view.plan.job), "The proposed board")


def _cell(share):
    return f"<td align='right'>{share:.0%}&nbsp;</td>"


def _page(part):
    """A page of its own for a chart that hides itself."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(0, 0, 0, 0)
    column.addWidget(part)
    return page


def _survival(plan, option, progress):
    from calm_relay.planning.survival import survival_of

    return survival_of(plan, option, progress)
