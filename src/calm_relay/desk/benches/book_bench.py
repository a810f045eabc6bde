"""The bench Book: all jobs of a folder as a table and a map, what is due, and whom a change concerns."""

from datetime import date
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.book_run import BookRun
from calm_relay.desk.charts.job_map import JobMap, Spot
from calm_relay.desk.dialogs.change_dialog import ChangeDialog
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.long_table import LongTable
from calm_relay.desk.widgets.progress_row import ProgressRow
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import font
from calm_relay.exchange.book_files import write_table
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.own_equipment import read_prices
from calm_relay.exchange.own_tariffs import read_tariffs
from calm_relay.exchange.user_state import change_settings, read_settings
from calm_relay.planning.book.words import (
    CALL_HEADS,
    HEADS,
    TABLE_COLUMNS,
    WORDS,
    call_cells,
    shown,
    sort_key,
    summary,
    table_rows,
)

STATES = ("survey", "offered", "signed", "built")
FILTERS = (("all", "All"), *((state, state.capitalize()) for state in STATES), ("due", "Due"), ("call", "To call"))
# Columns of words and how wide they may be where there is no room for more [pixels].
WIDEST = {0: 130, 1: 70, 3: 126, 4: 74}
CALL_WIDEST = {0: 110, 1: 110, 2: 300}
LATER_MS = 1000
NONE = "Choose the folder in which your jobs lie; those in the folders below it are taken as well."


class BookBench(Bench):
    """Shows `planning.book` for a folder.

    Signals
    -------
    job_wanted : object
        Path of a job that is to be opened.
    """

    job_wanted = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self.book = None
        self._rows, self._shown, self._place, self._by = [], [], (), (None, True)
        self._scheduler = ""
        self.folder = read_settings().book_path
        self.run = BookRun(self)
        self.run.row_made.connect(self._on_row)
        # A table of a thousand jobs is not drawn a thousand times.
        self._later = QTimer(self, singleShot=True, interval=LATER_MS)
        self._later.timeout.connect(self._draw_rows)
        self.run.ended.connect(self._on_end)
        self.said, self.problem = Label(NONE), Label()
        self.said.setWordWrap(True)
        self.said.setFont(font(10, strong=True))
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.progress = ProgressRow()
        self.run.progressed.connect(self.progress.show_text)
        self.progress.called_off.connect(self.run.stop)
        self.tabs = Tabs(FILTERS)
        self.tabs.chosen.connect(lambda _: self._draw())
        self.choose, self.plan_all = QPushButton("Folder…"), QPushButton("Plan all")
        self.replan, self.write = QPushButton("Replan under a change…"), QPushButton("Write…")
        self.plan_all.setToolTip("Plans every job that changed since it was planned last")
        self.replan.setToolTip("Another tariff, price list, rule pack or library: whose answer changes?")
        self.write.setToolTip("The table as CSV or Parquet")
        for button, asked in (
            (self.choose, self._ask_folder),
            (self.plan_all, lambda: self.start(None)),
            (self.replan, self._ask_change),
            (self.write, self._ask_table),
        ):
            button.setObjectName("small")
            button.clicked.connect(lambda _=False, asked=asked: asked())
        self.table = LongTable("Jobs of the folder")
        self.table.opened.connect(self._open)
        self.table.chosen.connect(self._on_selected)
        self.table.horizontalHeader().setSectionsClickable(True)
        self.table.horizontalHeader().sectionClicked.connect(self._sort)
        self.calls = LongTable("Whom to call")
        self.calls.opened.connect(self._open_call)
        self.map = JobMap()
        self.map.place_chosen.connect(self._on_place)
        self.whole = QPushButton("World")
        self.whole.setObjectName("small")
        self.whole.setCheckable(True)
        self.whole.toggled.connect(self.map.show_whole)
        self._lay_out()
        self._draw()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 14, 6)
        column.setSpacing(5)
        head = QHBoxLayout()
        head.addWidget(self.tabs, 1)
        for button in (self.choose, self.plan_all, self.replan, self.write):
            head.addWidget(button)
        column.addLayout(head)
        for part in (self.said, self.problem, self.progress):
            column.addWidget(part)
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(self.table, 11)
        right = QVBoxLayout()
        right.addWidget(self.map, 1)
        foot = QHBoxLayout()
        land = Label(self.map.attribution)
        land.setObjectName("quiet")
        land.setFont(font(7.4))
        land.setWordWrap(True)
        foot.addWidget(land, 1)
        foot.addWidget(self.whole)
        right.addLayout(foot)
        row.addLayout(right, 4)
        column.addLayout(row, 1)
        self._call_head = Label()
        self._call_head.setFont(font(10, strong=True))
        column.addWidget(self._call_head)
        self.calls.setMinimumHeight(122)
        column.addWidget(self.calls, 1)

    def show_job(self, job) -> None:
        """Takes the job on the desk, whose tariff and prices a change may be."""
        self._job = job

    @property
    def settled(self) -> bool:
        """Whether no run is under way."""
        return not self.run.busy

    def end(self) -> None:
        """Calls a run off; what was made is kept."""
        self.run.stop()
        self.run.wait(2.0)

    def take_folder(self, folder) -> None:
        """Takes a folder of jobs and plans those that changed since."""
        self.folder = Path(folder)
        change_settings(lambda settings: settings.with_book(self.folder.resolve()))
        self.start(None)

    def start(self, change, scheduler: str = "") -> None:
        """Plans every job that changed since it was planned last, and all under a change where one is given."""
        if self.folder is None or self.run.busy:
            return
        self.problem.hide()
        self.book, self._rows, self._place = None, [], ()
        self.progress.begin()
        self.run.start(self.folder, change, scheduler)
        self._draw()

    def _ask_folder(self):
        chosen = QFileDialog.getExistingDirectory(self, "The folder of your jobs", str(self.folder or Path.home()))
        if chosen:
            self.take_folder(chosen)

    def _ask_change(self):
        try:
            tariffs = read_tariffs()
        except InputError as error:
            tariffs = ()
            self._refuse(f"{error}.")
        packs = self.library.rule_packs
        dialog = ChangeDialog(self._job, tariffs, read_prices(), packs, self._scheduler, self.window())
        if dialog.exec():
            self._scheduler = dialog.scheduler
            self.start(dialog.change, dialog.scheduler)

    def _ask_table(self):
        name, chosen = QFileDialog.getSaveFileName(
            self, "The book as a table", str(Path(self.folder) / "book.csv"), "CSV (*.csv);;Parquet (*.parquet)"
        )
        if not name:
            return
        path = Path(name)
        if not path.suffix:
            path = path.with_suffix(".parquet" if "Parquet" in chosen else ".csv")
        try:
            write_table(path, TABLE_COLUMNS, table_rows(self.book, date.today()))
        except InputError as error:
            self._refuse(f"{error}.")

    def _refuse(self, words):
        self.problem.setText(words)
        self.problem.show()

    def _on_row(self, row):
        self._rows.append(row)
        if not self._later.isActive():
            self._draw_rows()
            self._later.start()

    def _on_end(self, book, problem):
        self._later.stop()
        self.progress.end()
        if problem:
            self._refuse(f"{problem}.")
        if book is not None:
            self.book, self._rows = book, list(book.rows)
        self._draw()

    def _draw(self):
        run, has = self.run.busy, self.book is not None
        self.plan_all.setEnabled(self.folder is not None and not run)
        self.replan.setEnabled(self.folder is not None and not run and self._job is not None)
        self.write.setEnabled(has)
        self.choose.setEnabled(not run)
        today = date.today()
        if has:
            self.said.setText(f"{Path(self.folder).name}: {summary(self.book, today)}")
        elif self.folder is None:
            self.said.setText(NONE)
        else:
            where = Path(self.folder).name
            self.said.setText(
                f"{where}: being planned." if run else f"{where}: not planned yet; “Plan all” does it."
            )
        changes = has and not self.book.change.is_none
        self._call_head.setVisible(changes)
        self.calls.setVisible(changes and bool(self.book.calls))
        if changes:
            calls = self.book.calls
            whose = f"call {len(calls)}" if calls else "nobody's answer changes"
            self._call_head.setText(f"Under {self.book.change.words}: {whose}.")
            said = "the jobs planned under both"
            self.calls.show_rows(CALL_HEADS, calls, call_cells, said, left=3, widest=CALL_WIDEST)
        self._draw_rows()

    def _draw_rows(self):
        today = date.today()
        calls = {call.before.file for call in self.book.calls} if self.book is not None else set()
        wanted = self.tabs.key
        rows = [
            row
            for row in self._rows
            if wanted == "all"
            or row.state == wanted
            or (wanted == "due" and row.due(today)[0])
            or (wanted == "call" and row.file in calls)
        ]
        spots = [
            Spot(row.file, row.latitude, row.longitude, row.file in calls)
            for row in rows
            if row.latitude is not None and row.longitude is not None
        ]
        self.map.show_spots(spots)
        if self._place:
            rows = [row for row in rows if row.file in self._place]
        column, up = self._by
        if column is not None:
            rows.sort(key=lambda row: sort_key(row, column, today), reverse=not up)
        self._shown = rows
        words, told = (lambda row: shown(row, today)), "each job's own plan"
        self.table.show_rows(HEADS, rows, words, told, left=WORDS, widest=WIDEST)

    def _sort(self, column):
        self._by = (column, not self._by[1] if self._by[0] == column else True)
        self._draw_rows()

    def _on_place(self, files):
        self._place = frozenset(files)
        self.map.choose(files)
        self._draw_rows()

    def _on_selected(self, row):
        if 0 <= row < len(self._shown) and not self._place:
            self.map.choose([self._shown[row].file])

    def _open(self, row):
        if 0 <= row < len(self._shown):
            self.job_wanted.emit(Path(self.folder) / self._shown[row].file)

    def _open_call(self, row):
        self.job_wanted.emit(Path(self.folder) / self.book.calls[row].before.file)

    def focus_first(self) -> None:
        """Gives the focus to the table."""
        self.table.setFocus()
