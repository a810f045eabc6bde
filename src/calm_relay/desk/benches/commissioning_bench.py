"""The bench Commissioning: readings against the plan, the CT test, functional tests, the record, and the live site."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.ct_panel import CtPanel
from calm_relay.desk.benches.function_tests_panel import FunctionTestsPanel
from calm_relay.desk.benches.live_panel import LivePanel
from calm_relay.desk.benches.readings_panel import ReadingsPanel
from calm_relay.desk.benches.record_panel import RecordPanel
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.scrolled import Column
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import font
from calm_relay.planning.common.amounts import degrees_text

PARTS = (
    ("readings", "Readings"),
    ("ct", "CT test"),
    ("tests", "Functional tests"),
    ("record", "Settings and serials"),
    ("live", "Live"),
)
NONE = "Choose an option that can be built: it is commissioned against its plan."


class CommissioningBench(Bench):
    """Shows `planning.commissioning` for the option that was built: the one in view, unless the job names another.

    Signals
    -------
    protocol_wanted
        The protocol is to be written.
    entry_made : object
        An entry for the job's logbook.
    """

    protocol_wanted = Signal()
    entry_made = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = None
        self.tabs = Tabs(PARTS)
        self.tabs.chosen.connect(self._on_tab)
        self.title, self.none = Label(), Label(NONE)
        self.title.setFont(font(9.2))
        self.title.setObjectName("quiet")
        self.none.setWordWrap(True)
        self.built = QPushButton("This option was built")
        self.built.setToolTip("Readings stay with it whatever option is looked at")
        self.built.clicked.connect(lambda _=False: self._mark_built())
        self.protocol = QPushButton("Write the protocol…")
        self.protocol.setToolTip("Readings, verdicts, tests, settings and open points, as PDF and JSON")
        self.protocol.clicked.connect(lambda _=False: self.protocol_wanted.emit())
        self.readings, self.ct, self.tests = ReadingsPanel(), CtPanel(), FunctionTestsPanel()
        self.record, self.live = RecordPanel(), LivePanel()
        for panel in (self.readings, self.ct, self.tests, self.record, self.live):
            panel.edited.connect(self.edited)
        self.ct.live_wanted.connect(self._take_live)
        self.live.moment_changed.connect(self._on_moment)
        self.live.means_ready.connect(self.entry_made)
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 14, 6)
        column.setSpacing(5)
        head = QHBoxLayout()
        head.addWidget(self.tabs, 1)
        for button in (self.built, self.protocol):
            button.setObjectName("small")
            head.addWidget(button)
        column.addLayout(head)
        column.addWidget(self.title)
        column.addWidget(self.none)
        self._pages = QStackedWidget()
        for panel in (self.readings, Column(self.ct), self.tests, self.record, self.live):
            self._pages.addWidget(panel)
        self._pages.widget(1).setAccessibleName("CT test, scrolling")
        column.addWidget(self._pages, 1)

    def _on_tab(self, key):
        self._pages.setCurrentIndex([name for name, _ in PARTS].index(key))
        self._draw()

    def show_job(self, job) -> None:
        """Takes the job that edits start from; its record is shown at once, before the plan has come again."""
        self._job = job
        if self.live.connected and not self.live.belongs_to(job):
            self.live.stop()
        if self._view is not None:
            self._draw()

    def end(self) -> None:
        """Ends a live connection."""
        if self.live.connected:
            self.live.stop()

    def show_view(self, view) -> None:
        """Shows a plan with the option that was built."""
        if not self.is_new(view):
            return
        self._view = view
        self._draw()

    @property
    def option(self):
        """The option that was built: what the job says, else the one in view; None when neither can be built."""
        from calm_relay.planning.commissioning.protocol import built_option

        if self._view is None or self._job is None:
            return None
        return built_option(self._view.plan, self._job.commissioning, self._view.built)

    def _draw(self):
        option, job = self.option, self._job
        has = option is not None
        for part in (self._pages, self.tabs, self.protocol, self.title):
            part.setVisible(has)
        self.none.setVisible(not has)
        if not has:
            self.built.hide()
            return
        plan, record = self._view.plan, job.commissioning
        said = record.option is not None
        self.title.setText(f"{option.title}: {'as built' if said else 'the option in view'}.")
        shown = self._view.built
        self.built.setVisible(shown is not None and record.option != shown.key)
        getattr(self, f"_draw_{self.tabs.key}")(plan, option, record)

    def _draw_readings(self, plan, option, record):
        from calm_relay.planning.commissioning.expected import lights_of
        from calm_relay.planning.commissioning.judge import judge, tally

        judged = judge(plan, option, record)
        counts = tally(judged)
        right = counts.get("pass", 0) + counts.get("written down", 0)
        taken = len(judged) - counts.get("to read", 0)
        unclear = counts.get("doubtful", 0) + counts.get("cannot be judged", 0)
        verdict = f"{taken} of {len(judged)} readings taken: {right} right"
        verdict += f", {unclear} doubtful" if unclear else ""
        verdict += f", {counts['fail']} failed" if counts.get("fail") else ""
        day = record.conditions.on or "today"
        lights = "; ".join(
            f"{face} {light.irradiance:,.0f} W/m², {degrees_text(light.cell_c, 0)}"
            for face, light in lights_of(plan, option, record).items()
        )
        source = "" if record.conditions.light else f", judged by the sky ({record.conditions.clouds})"
        self.readings.show_readings(
            self._job, judged, f"{day}, {record.conditions.at}: {lights}{source}.", verdict
        )

    def _draw_ct(self, plan, option, record):
        from calm_relay.planning.commissioning.ct_assistant import ct_finding

        self.ct.show_record(self._job, ct_finding(record, plan.job.supply.phases))

    def _draw_tests(self, plan, option, record):
        from calm_relay.planning.commissioning.functional_tests import functional_tests_of

        self.tests.show_tests(self._job, functional_tests_of(plan, option))

    def _draw_record(self, plan, option, record):
        from calm_relay.planning.commissioning.protocol import serial_parts, setting_key
        from calm_relay.planning.handover.settings_sheet import settings_of

        settings = [(setting_key(item), item) for item in settings_of(option)]
        self.record.show_record(self._job, settings, serial_parts(option, record))

    def _draw_live(self, plan, option, record):
        self.live.show_record(self._job, plan, option)

    def _mark_built(self):
        shown = self._view.built
        if shown is not None:
            record = self._job.commissioning.with_(option=shown.key)
            self.edited.emit(self._job.with_(commissioning=record), f"{shown.title} was built")

    def _take_live(self, kind):
        moment = self.live.ct_moment(kind)
        if moment is None:
            self.ct._show_text("Connect on the page Live first: meter and every unit must answer.")
        else:
            self.ct.take_moment(moment)

    def _on_moment(self, moment):
        self.own_moment = moment
        self.moment_moved.emit()

    def commit(self) -> None:
        """Takes what is being typed."""
        if self.tabs.key == "record" and self._job is not None:
            self.record.commit()

    def focus_first(self) -> None:
        """Gives the focus to the readings."""
        self.readings.table.setFocus()

    def let_go(self) -> None:
        """A newer plan came while it was not open; a live connection goes on with the plan it began with."""
        if not self.live.connected:
            super().let_go()
        else:
            self._seen = None
