"""The bench Money: the years of the option in view as bars, running sums over each other, and how it is paid for."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.futures_panel import FuturesPanel
from calm_relay.desk.charts.money_chart import RunningChart, YearsChart
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.dialogs.switch_dialog import SwitchDialog
from calm_relay.desk.view import LETTERS
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label, RichLabel, joined, rich
from calm_relay.desk.widgets.tabs import Tabs, page, tabbed
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.own_tariffs import read_tariffs
from calm_relay.planning.common.amounts import about_years, amount_text, breaks_even, to_three_figures
from calm_relay.planning.common.wanted import wanted_words

PARTS = (("picture", "Picture"), ("table", "Year by year"), ("whole", "Whole change"), ("sure", "How sure"))
FINANCE_ROWS = (
    ("way", "Paid by", [(way, way) for way in ("cash", "loan", "lease")]),
    ("maintenance", "Maintenance a year", ("money", 0)),
    ("insurance", "Insurance a year", ("money", 0)),
    ("upkeep_rise", "Both rise a year", "percent"),
    ("energy_rise", "Energy price rises a year; empty: as prices rise", "percent"),
    ("standing_rise", "Standing charge rises a year; empty: as prices rise", "percent"),
    ("export_rise", "Export price rises a year; empty: as prices rise", "percent"),
    ("feed_in_years", "Export contract ends after; empty: never", ("years", 0)),
    ("feed_in_after", "Share of the export price paid then", "percent"),
    ("inverter_years", "Inverters replaced after; empty: not counted", ("years", 0)),
    ("battery_replaced", "Battery replaced", [(w, w) for w in ("never", "when worn", "after its warranty")]),
    ("battery_price_fall", "Battery prices fall a year", "percent"),
    ("outage_hours", "Hours without grid in a year", ("h", 1)),
    ("residual", "Battery's worth at the end, of its price", "percent"),
)
# What a house without a grid has none of: a tariff, an export contract, hours without grid.
OF_A_GRID = {"energy_rise", "standing_rise", "export_rise", "feed_in_years", "feed_in_after", "outage_hours"}
LOAN_ROWS = (
    ("share", "Share of the outlay", "percent"),
    ("rate", "Interest a year", "percent"),
    ("years", "Paid back over", ("years", 0)),
    ("fee", "Fee, once", ("money", 0)),
)
LEASE_ROWS = (
    ("per_month", "Rent a month", ("money", 2)),
    ("years", "For", ("years", 0)),
    ("rise", "Rises a year", "percent"),
)
NONE = "Choose an option that can be built: its years are counted against the house as it stands."
NO_FUEL = (
    "Where a heat pump or a car comes in place of gas, oil, pellets, petrol or diesel, say so on Home (In place of…): "
    "then all that changes is counted here together."
)
WHOLE_SHADES = {"fuel today": "light", "ends": "ok", "more power": "stop", "machines": "ink"}
# Up to this height the table of the whole change stands whole [px].
MOST_HIGH = 200
WAIT = "Counting the years…"


def finance_rows(supply):
    """Rows of the dialog on finance and upkeep for a service."""
    return tuple(row for row in FINANCE_ROWS if supply.on_grid or row[0] not in OF_A_GRID)


class MoneyBench(Bench):
    """Shows `planning.studies.cash_flow` of the option in view and of those that fit next best."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = self._asked = None
        self.flows, self.whole = (), None
        self.tabs = Tabs(PARTS)
        self.verdict, self.note, self.problem = Label(), Label(), Label()
        self.verdict.setFont(font(10.5, strong=True))
        self.note.setObjectName("quiet")
        self.note.setFont(font(8.4))
        self.problem.setObjectName("refused")
        self.problem.hide()
        for label in (self.verdict, self.note, self.problem):
            label.setWordWrap(True)
        self.years, self.running = YearsChart(), RunningChart()
        self.summary = FigureTable("What it comes to")
        self.table = FigureTable("Money of each year by kind")
        self.whole_years = YearsChart(name="Each year of the whole change", keyed=False)
        self.whole_key = RichLabel()
        self.whole_key.setFont(font(9))
        self.whole_summary = FigureTable("What the whole change comes to")
        self.whole_table = FigureTable("The whole change, each year")
        self.whole_said = Label()
        self.whole_said.setWordWrap(True)
        self.sure = FuturesPanel()
        self.sure.edited.connect(self.edited)
        self.sure.wanted.connect(self.try_futures)
        self._trying = False
        self.finance = QPushButton("Finance and upkeep…")
        self.loan = QPushButton("Loan…")
        self.lease = QPushButton("Lease…")
        self.switch = QPushButton("Tariff later…")
        self.switch.setToolTip("Another tariff from a year on")
        self.switch.clicked.connect(lambda _=False: self._ask_switch())
        self.write = QPushButton("Write as XLSX…")
        self.write.setToolTip("With live formulas: every figure can be followed")
        self.finance.clicked.connect(
            lambda _=False: self._ask("Finance and upkeep", finance_rows(self._job.supply), None)
        )
        self.loan.clicked.connect(lambda _=False: self._ask("Loan", LOAN_ROWS, "loan"))
        self.lease.clicked.connect(lambda _=False: self._ask("Lease", LEASE_ROWS, "lease"))
        self.write.clicked.connect(lambda _=False: self._ask_write())
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 14, 6)
        column.setSpacing(5)
        column.addWidget(self.verdict)
        column.addWidget(self.problem)
        beside = page((self.years, 5), (self.summary, 4), across=True)
        both = page((self.whole_years, 5), (self.whole_summary, 4), across=True)
        changed = page((self.whole_said, 0), (self.whole_key, 0), (both, 4), (self.whole_table, 5))
        body = tabbed(self.tabs, page((beside, 5), (self.running, 5)), self.table, changed, self.sure)
        head = QHBoxLayout()
        body.removeWidget(self.tabs)
        head.addWidget(self.tabs, 1)
        for button in (self.finance, self.loan, self.lease, self.switch, self.write):
            button.setObjectName("small")
            head.addWidget(button)
        column.insertLayout(0, head)
        column.addLayout(body, 1)
        column.addWidget(self.note)

    def show_job(self, job) -> None:
        """Keeps the job that edits start from; off grid no tariff comes later."""
        self._job = job
        self.switch.setVisible(job.supply.on_grid)
        self.sure.show_job(job)

    def show_view(self, view) -> None:
        """Asks for the years of the option in view."""
        if not self.is_new(view):
            return
        self._view = view
        wanted = wanted_words(view.plan.job)
        option = None if wanted else view.built
        for part in (self.tabs, self.years, self.running, self.summary, self.table):
            part.setEnabled(option is not None)
        # What is written is what is shown.
        self.write.setEnabled(False)
        self._show_whole(None)
        if option is None or self.is_other:
            self.flows, self.whole, self._asked = (), None, None
            self._draw_nothing()
        if option is None:
            self.verdict.setText(f"No years are counted yet. Still wanted: {wanted}." if wanted else NONE)
            return
        if self.is_other:
            self.wait_for(self.years, self.running)
        from calm_relay.planning.studies.whole_change import money_years_of

        self._asked = option
        self._trying = False
        self.sure.show_futures(None, "")
        self.verdict.setText(WAIT)
        self.study_wanted.emit("money", money_years_of)

    def _show_whole(self, whole):
        """Shows what changes beside the plan; how to say it where nothing does."""
        from calm_relay.planning.views.money_rows import whole_rows, whole_summary_of

        for part in (self.whole_key, self.whole_years, self.whole_summary, self.whole_table):
            part.setVisible(whole is not None)
        self.whole_said.setVisible(whole is None)
        self.whole_said.setText(NO_FUEL)
        if whole is None:
            return
        currency = whole.job.tariff.currency
        shades = (*(WHOLE_SHADES[key] for key in whole.rows), "direct")
        kinds = {words: (row, shade) for (words, row), shade in zip(whole.labelled.items(), shades, strict=True)}
        self.whole_years.show_kinds(kinds, whole.net, currency)
        look = colours()
        self.whole_key.setText(
            joined(
                " &nbsp; ",
                (
                    rich("<span style='color:{}'>■</span> {}", getattr(look, shade), words)
                    for words, (row, shade) in kinds.items()
                    if row[1:].any()
                ),
            )
        )
        self.whole_summary.show_rows(
            ("What", "Comes to"),
            [list(row) for row in whole_summary_of(whole)],
            "Against going on as today",
            left=1,
            shares={0: 1.0},
        )
        heads, rows = whole_rows(whole)
        self.whole_table.show_rows(heads, rows, f"{currency}; money in above nothing, money out below", left=1)
        table = self.whole_table
        rows_high = table.verticalHeader().length() + table.horizontalHeader().height() + 2
        table.setMinimumHeight(min(rows_high, MOST_HIGH))

    def _draw_nothing(self):
        for chart in (self.years, self.running):
            chart.begins(None)
        for table in (self.summary, self.table):
            table.setRowCount(0)
        self.note.clear()
        self.problem.hide()

    def show_study(self, key, result):
        """Draws the years, or how sure they are."""
        if key == "futures":
            self._trying = False
            if self._view is not None:
                self.sure.show_futures(result, self._view.plan.job.tariff.currency)
            return
        if key != "money" or not result:
            return
        self.flows, self.whole, self._asked = result.flows, result.whole, None
        from calm_relay.planning.views.money_rows import beware_of, summary_of, year_rows

        flow, currency = self.flows[0], self._view.plan.job.tariff.currency
        self.write.setEnabled(True)
        self.years.setVisible(True)
        self.running.setVisible(True)
        self.years.show_flow(flow, currency)
        keys = [option.key for option in self._view.plan.options]
        letters = [LETTERS[keys.index(each.option.key)] for each in self.flows]
        self.running.show_flows(self.flows, currency, letters)
        self.summary.show_rows(
            ("What", "Comes to"), [list(row) for row in summary_of(flow)], "Of the cash flow below", left=1
        )
        heads, rows = year_rows(flow)
        self.table.show_rows(heads, rows, f"{currency}; money in above nothing, money out below", left=1)
        free = flow.option.outcome.money.outlay <= 0.0
        paid = "" if flow.payback is None or free else f", paid back after about {about_years(flow.payback)}"
        even = breaks_even(flow.npv, flow.option.outcome.money.outlay)
        worth = "about breaks even" if even else f"worth {amount_text(to_three_figures(flow.npv), currency)} today"
        said = f"{flow.option.title}: {worth} over {flow.years} years{paid}"
        self.verdict.setText(said if self.whole is None else f"{said}. {self.whole.sentence}")
        beware = beware_of(flow) + (() if self.whole is None else self.whole.beware)
        self.problem.setText(" ".join(beware))
        self._show_whole(self.whole)
        self.problem.setVisible(bool(self.problem.text()))
        switch = self._job.finance.switch if self._job.supply.on_grid else None
        paid_by = f"Paid by {self._job.finance.way}.{_switch_words(switch)}"
        self.note.setText(
            "Each year is simulated with array and battery as old as they are then; savings are against the house as "
            f"it stands. {paid_by} Weather: {self._view.plan.weather_said}."
        )

    @property
    def settled(self) -> bool:
        """Whether what was asked for last is shown."""
        return self._asked is None and not self._trying

    def try_futures(self) -> None:
        """Has every option live through the same uncertain futures."""
        if self._view is None or self._view.built is None:
            return
        from calm_relay.planning.studies.futures import futures_of

        self._trying = True
        self.sure.show_waiting()
        self.study_wanted.emit("futures", futures_of)

    def forget(self) -> None:
        """The next view asks anew."""
        super().forget()
        self._asked = None
        if self._trying:
            self._trying = False
            self.sure.show_futures(None, "")

    def let_go(self) -> None:
        """Holds the option it asked about no longer."""
        super().let_go()
        self._asked, self.flows, self.whole = None, (), None

    def _ask(self, title, rows, part):
        finance = self._job.finance
        model = finance if part is None else getattr(finance, part)
        dialog = FormDialog(title, model, rows, self.window(), money=self._job.tariff.currency)
        if not dialog.exec():
            return
        changed = dialog.result_model if part is None else finance.with_(**{part: dialog.result_model})
        if changed != finance:
            self.edited.emit(self._job.with_(finance=changed), title)

    def _ask_switch(self):
        try:
            tariffs = read_tariffs()
        except InputError as error:
            tariffs = ()
            self.problem.setText(f"{error}.")
            self.problem.show()
        finance = self._job.finance
        dialog = SwitchDialog(finance.switch, tariffs, self._job.tariff.currency, self.window())
        if dialog.exec() and dialog.switch != finance.switch:
            self.edited.emit(self._job.with_(finance=finance.with_(switch=dialog.switch)), "Another tariff later")

    def _ask_write(self):
        if not self.flows:
            return
        chosen, _ = QFileDialog.getSaveFileName(self, "Write the cash flow", "cash-flow.xlsx", "XLSX (*.xlsx)")
        if chosen:
            self.write_book(Path(chosen if chosen.endswith(".xlsx") else f"{chosen}.xlsx"))

    def write_book(self, path: Path) -> None:
        """Writes the cash flow with live formulas; says why when it cannot be."""
        from calm_relay.planning.views.money_rows import workbook_of

        try:
            write_atomically(path, workbook_of(self.flows[0], self.whole))
        except OSError as error:
            self.problem.setText(f"{path}: {error.strerror or error}. Nothing of the job is lost.")
            self.problem.show()
        else:
            self.problem.hide()
            self.note.setText(f"Written: {path}")


def _switch_words(switch) -> str:
    """Which tariff comes later, and when."""
    if switch is None:
        return ""
    return f" From year {switch.after + 1} on the tariff is {switch.tariff.name or 'another'}."
