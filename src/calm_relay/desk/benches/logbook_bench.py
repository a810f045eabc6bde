"""The bench Logbook: what happened over the years, the promise held against the facts, and how the system may grow."""

from collections.abc import Callable
from datetime import date
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.growth_panel import GrowthPanel
from calm_relay.desk.charts.promise_charts import FadeChart, PromiseChart
from calm_relay.desk.dialogs.facts_dialog import FactsDialog
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.scrolled import Column, scrolled
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.logbook import append_entry
from calm_relay.job.logbook import KINDS, MonthFacts, YearOfWeather

PARTS = (("promise", "Promise and fact"), ("months", "Months"), ("entries", "Entries"), ("growth", "Growth"))
# What stands where a logbook has nothing to show yet.
NO_MONTHS = (
    "Each month that is read will stand here beside what this option promised for its light and demand. It begins with "
    "“Months from a file…”: a meter's export, or what the inverter made."
)
NO_CAPACITY = "What the battery still holds, from its capacity tests, beside what is warranted."
UNSAVED = "Save the job first: its logbook stands beside its file."
SHIPPED = "This logbook ships with the demo. Save the job: it then has one of its own, begun with this one."
FORM = {
    "on": ("Day", "text"),
    "by": ("By", "text"),
    "part": ("Part", "text"),
    "serial": ("New serial number", "text"),
    "version": ("Version", "text"),
    "option": ("Option", "text"),
    "text": ("What was seen and done", "text"),
    "path": ("File", "text"),
    "caption": ("Caption", "text"),
    "year": ("Year", ("", 0)),
    "month": ("Month, 1 to 12", ("", 0)),
    "kwh": ("Given from full to empty", ("kWh", 2)),
    "production_kwh": ("Array production", ("kWh", 1)),
    "import_kwh": ("From the grid", ("kWh", 1)),
    "export_kwh": ("To the grid", ("kWh", 1)),
    "throughput_kwh": ("Out of the battery", ("kWh", 1)),
    "light_kwh_m2": ("Light on the level", ("kWh/m²", 1)),
    "passed": ("Readings right", ("", 0)),
    "doubtful": ("Readings doubtful", ("", 0)),
    "failed": ("Readings failed", ("", 0)),
}
BEGIN = {"part": "Battery", "version": "1.0", "path": "photo.jpg", "kwh": 1.0}


class _Study:
    """Reads a logbook and holds the promise against it, away from the window's thread."""

    def __init__(self, path: Path | None):
        self._path = path

    def __call__(self, plan, option, progress):
        """The logbook, the promise, and what the plan leaves of the battery each year."""
        from calm_relay.exchange.logbook import read_logbook
        from calm_relay.planning.commissioning.facts import merged, months_of_readings
        from calm_relay.planning.commissioning.promise import monthly_facts, promise_of
        from calm_relay.planning.commissioning.protocol import built_option
        from calm_relay.planning.studies.battery_ageing import battery_ageing_of
        from calm_relay.planning.verdict.option import Option

        progress(0.0, "Reading the logbook")
        book = read_logbook(self._path) if self._path is not None else None
        built = built_option(plan, plan.job.commissioning, option if isinstance(option, Option) else None)
        if book is None or built is None:
            return book, None, None
        read = months_of_readings(book.series, plan.job.site.time_zone)
        entries = (*merged(read, monthly_facts(book.entries)), *book.entries)
        promise = promise_of(plan, built, entries, progress, self._path.parent)
        ageing = battery_ageing_of(plan, built)
        return book, promise, None if ageing is None else ageing.left


class LogbookBench(Bench):
    """Shows a job's logbook; entries are added to it and never changed.

    `places` gives the file that is read and the one that is written, None where there is none.
    """

    places: Callable[[], tuple[Path | None, Path | None]] = staticmethod(lambda: (None, None))

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = self._asked = None
        self._waiting = set()
        self.book = self.promise = self._left = self._grown = None
        self.tabs = Tabs(PARTS)
        self.tabs.chosen.connect(self._on_tab)
        self.verdict, self.summary, self.problem = Label(), Label(), Label()
        self.verdict.setFont(font(10.5, strong=True))
        self.summary.setObjectName("quiet")
        self.summary.setFont(font(8.4))
        self.problem.setObjectName("refused")
        self.problem.hide()
        for label in (self.verdict, self.summary, self.problem):
            label.setWordWrap(True)
        self.add = QPushButton("Add an entry")
        self.add.setObjectName("small")
        menu = QMenu(self.add)
        self.actions_by_kind = {}
        for kind, (_, words) in KINDS.items():
            self.actions_by_kind[kind] = menu.addAction(f"{words}…")
            self.actions_by_kind[kind].triggered.connect(lambda _=False, kind=kind: self.ask_entry(kind))
        self.add.setMenu(menu)
        self.read = QPushButton("Months from a file…")
        self.read.setObjectName("small")
        self.read.setToolTip("A meter's export, an inverter's production, or the light of a weather file")
        self.read.clicked.connect(lambda _=False: self._ask_file())
        self.table = FigureTable("Entries of the logbook, the latest first")
        self.table.setWordWrap(True)
        self.months = FigureTable("Each month against its promise, the latest first")
        self.array, self.fade = PromiseChart(), FadeChart()
        self.years = Label()
        self.years.setWordWrap(True)
        self.years.setAccessibleName("Each year against its promise")
        self.battery = Label()
        self.battery.setWordWrap(True)
        self.growth = GrowthPanel()
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 14, 6)
        column.setSpacing(5)
        head = QHBoxLayout()
        head.addWidget(self.tabs, 1)
        head.addWidget(self.read)
        head.addWidget(self.add)
        column.addLayout(head)
        for label in (self.verdict, self.problem):
            column.addWidget(label)
        self._pages = QStackedWidget()
        page = QWidget()
        inside = QVBoxLayout(page)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        inside.addWidget(self.array, 5)
        below = QHBoxLayout()
        below.setSpacing(14)
        below.addWidget(self.fade, 4)
        below.addWidget(scrolled("What each year says", self.battery, self.years), 5)
        inside.addLayout(below, 5)
        self._pages.addWidget(page)
        self._pages.addWidget(self.months)
        self._pages.addWidget(self.table)
        grown = Column(self.growth)
        grown.setAccessibleName("Growth of the system as built")
        self._pages.addWidget(grown)
        column.addWidget(self._pages, 1)
        column.addWidget(self.summary)

    def _on_tab(self, key):
        self._pages.setCurrentIndex([name for name, _ in PARTS].index(key))
        if key == "growth":
            self._ask_growth()

    def show_job(self, job) -> None:
        """Keeps the job."""
        self._job = job

    def show_view(self, view) -> None:
        """Reads the logbook for the option that was built."""
        path = self.places()[0]
        if not self.is_new(view) and self._asked == path:
            return
        self._view, self._asked = view, path
        self.load()

    def load(self) -> None:
        """Reads the logbook anew."""
        self._grown = None
        self._waiting = {"logbook"}
        self.verdict.setText("Reading the logbook…")
        self.study_wanted.emit("logbook", _Study(self.places()[0]))
        if self.tabs.key == "growth":
            self._ask_growth()

    def _ask_growth(self):
        self.growth.show_growth(self._grown[0] if self._grown else None)
        if self._grown is None and self._view is not None:
            self._waiting.add("growth as built")
            session = getattr(self.window(), "session", None)
            self.study_wanted.emit("growth as built", partial(_grown, session.folder if session else Path.cwd()))

    def show_study(self, key, result):
        """Shows what was read, or what was left room for."""
        if key == "growth as built":
            self._grown = result
            self.growth.show_growth(result[0])
            self.growth.show_later(result[1])
        elif key == "logbook":
            self.book, self.promise, self._left = result
            self._draw()
        self._waiting.discard(key)

    @property
    def settled(self) -> bool:
        """Whether what was asked for last is shown."""
        return not self._waiting

    def forget(self) -> None:
        """What was asked for will not come."""
        super().forget()
        self._waiting = set()
        self._asked = None

    def _draw(self):
        from calm_relay.planning.commissioning.logbook_rows import (
            HEADS,
            MONTH_HEADS,
            entry_rows,
            month_rows,
            summary_of,
        )

        promise, look = self.promise, colours()
        self.array.show_promise(promise)
        battery = promise.battery if promise is not None else None
        self.fade.show_battery(battery, self._left if self._left is not None else [])
        rows = entry_rows(self.book.lines) if self.book is not None else []
        self.table.show_rows(HEADS, rows, "The logbook beside the job", left=len(HEADS))
        self.table.resizeRowsToContents()
        months = month_rows(promise) if promise is not None else []
        said = "Read; then what was to be expected in that light and demand. ▼ less, ▲ more than that explains"
        self.months.show_rows(MONTH_HEADS, months, said, left=1)
        if promise is None:
            none = "No logbook yet. " if self.book is None or not self.book.lines else ""
            self.verdict.setText(f"{none}It is held against the option that was built.")
            self.years.setText("")
            self.battery.setText("")
            self.array.waits(NO_MONTHS)
            self.fade.waits(NO_CAPACITY)
        else:
            self.verdict.setText(promise.sentence)
            self.years.setText("\n\n".join(f"{year.year}: {year.sentence}" for year in reversed(promise.years)))
            self.battery.setText(_battery_words(battery))
            colour = look.stop if battery is not None and battery.claim else look.ink
            self.battery.setStyleSheet(f"color: {colour}")
        written = self.places()[1]
        note = "" if written is not None else f" {SHIPPED if rows else UNSAVED}"
        self.summary.setText((summary_of(self.book) if self.book is not None else "") + note)

    def ask_entry(self, kind: str) -> None:
        """Asks for an entry of a kind and adds it."""
        if self.places()[1] is None:
            self._say(SHIPPED if self.places()[0] is not None else UNSAVED)
            return
        model = KINDS[kind][0]
        begun = model.model_validate(_begun(kind, model))
        rows = [(name, *FORM[name]) for name in model.model_fields if name in FORM]
        dialog = FormDialog(KINDS[kind][1], begun, rows, self.window())
        if dialog.exec():
            self.add_entries([dialog.result_model])

    def _ask_file(self):
        from calm_relay.planning.commissioning.facts import merged
        from calm_relay.planning.commissioning.promise import monthly_facts

        if self.places()[1] is None:
            self._say(SHIPPED if self.places()[0] is not None else UNSAVED)
            return
        dialog = FactsDialog(self._job.site.time_zone, date.today().year - 1, self.window())
        if not dialog.exec():
            return
        known = monthly_facts(self.book.entries) if self.book is not None else ()
        new = merged(dialog.months, known)
        if dialog.weather is not None and (self.book is None or dialog.weather not in self.book.entries):
            new = (*new, dialog.weather)
        if new:
            self.add_entries(new)
        else:
            self._say("The logbook knows these months as they are already.")

    def add_entries(self, entries) -> None:
        """Adds entries to the logbook's file, and reads it anew; what was added stays whatever comes after."""
        path = self.places()[1]
        try:
            for entry in entries:
                append_entry(path, entry)
        except InputError as error:
            self._say(f"{error}.")
        else:
            self.problem.hide()
        self.load()

    def _say(self, text):
        self.problem.setText(text)
        self.problem.show()


def _grown(folder, plan, option, progress):
    """What was left room for, and what loads do that come later, of the option that was built."""
    from calm_relay.planning.commissioning.protocol import built_option
    from calm_relay.planning.studies.growth import growth_of
    from calm_relay.planning.studies.later_loads import later_loads_of
    from calm_relay.planning.verdict.option import Option

    built = built_option(plan, plan.job.commissioning, option if isinstance(option, Option) else None)
    if built is None:
        return None, ()
    return growth_of(plan, built, progress), later_loads_of(plan, built, folder, progress)


def _begun(kind, model):
    """An entry of today, with what its model must have."""
    today = date.today()
    values = {"kind": kind}
    for name, field in model.model_fields.items():
        if name == "on":
            values[name] = today.isoformat()
        elif field.is_required() and name in BEGIN:
            values[name] = BEGIN[name]
    if model is MonthFacts:
        values |= {"year": today.year, "month": today.month}
    if model is YearOfWeather:
        values |= {"year": today.year - 1, "path": f"{today.year - 1}.epw"}
    return values


def _battery_words(battery) -> str:
    if battery is None:
        return ""
    used = f"{battery.years_used:.0%} of the warranty's years"
    if battery.throughput_used is not None:
        used += f" and {battery.throughput_used:.0%} of its throughput"
    return f"{battery.sentence} Used up: {used}."
