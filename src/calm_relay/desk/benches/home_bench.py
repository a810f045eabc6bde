"""The bench Home: the year as a carpet, its parts and seasons, and where it comes from."""

from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
)

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.controlled_panel import ControlledPanel
from calm_relay.desk.benches.load_rows import LoadRows
from calm_relay.desk.charts.backup_picture import BackupPicture
from calm_relay.desk.charts.home_charts import Carpet, Seasons, Stacked
from calm_relay.desk.dialogs.backed_up_loads_dialog import ask_backed_up_loads
from calm_relay.desk.dialogs.bills_dialog import COUNTS, BillsDialog
from calm_relay.desk.dialogs.meter_dialog import MeterDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.field_form import FieldForm, field_of
from calm_relay.desk.widgets.label import Label, RichLabel, rich, tip
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.tabs import Tabs, tabbed
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.job.demand import LOAD_FIELDS, MeteredDemand, ShapedDemand
from calm_relay.planning.common.joined import counted
from calm_relay.planning.common.vocabulary import vocabulary_of

SHAPES = (
    ("household", "household"),
    ("all-electric", "all-electric house"),
    ("small shop", "small shop"),
    ("farm", "farm"),
)
PARTS = (
    ("parts", "By what draws it"),
    ("seasons", "By season"),
    ("backup-board", "Backed-up loads"),
    ("controlled", "Controlled loads"),
)


def _studied(plan, option, progress):
    """The year's carpet, its mean days and the board's worst half hour, read beside the interface thread."""
    from calm_relay.planning.views.backup_stack import stack_of
    from calm_relay.planning.views.seasons import home_year, typical_days

    progress(0.2, "Reading the home's year")
    return home_year(plan), typical_days(plan), stack_of(plan, option)


def _orders(plan, option, progress):
    """The year with each order of battery and controlled loads."""
    from calm_relay.planning.studies.load_order import load_orders

    return load_orders(plan, option, progress)


class HomeBench(Bench):
    """Shows `planning.site.demand`; a meter's file, bills, a shape and loads on top are its inputs."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = None
        self.carpet, self.stacked, self.seasons = Carpet(), Stacked(), Seasons()
        self.picture = BackupPicture()
        self.controlled = ControlledPanel()
        self.controlled.edited.connect(self.edited)
        self.tabs = Tabs(PARTS)
        self.tabs.chosen.connect(self._on_tab)
        self.summary = RichLabel()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(9))
        self.shape = ChoiceField("Kind of house", SHAPES, width=14)
        self.shape.taken.connect(self._on_shape)
        self.counts = ChoiceField("What the year’s figure or the bills count", COUNTS, width=14)
        self.counts.setPlaceholderText("not said")
        self.counts.taken.connect(self._on_counts)
        self.inputs = FieldForm(
            (
                field_of("A year, kWh", "kWh", "demand", ShapedDemand, "yearly_kwh", 0),
                field_of("Midwinter over mean", "", "demand", ShapedDemand, "winter_factor"),
                field_of("Made days, no.", "", "demand", ShapedDemand, "seed", 0),
            ),
            across=2,
        )
        self.inputs.edited.connect(self.edited)
        self.meter = QPushButton("Read a meter's file…")
        self.again = QPushButton("How it was read…")
        self.bills = QPushButton("Bills…")
        self.backup_board = QPushButton("Backed-up loads…")
        self.backup_board.setToolTip("Circuits, what hangs on them, and what becomes of each when the grid fails")
        self.backup_board.clicked.connect(lambda _=False: ask_backed_up_loads(self, self._job))
        self.meter.clicked.connect(lambda _=False: self.ask_meter())
        self.again.clicked.connect(lambda _=False: self.open_meter(None))
        self.bills.clicked.connect(lambda _=False: self.open_bills())
        self.source = Label()
        self.source.setObjectName("quiet")
        self.source.setWordWrap(True)
        self.loads = LoadRows()
        self.loads.edited.connect(self.edited)
        self.folder = None
        self._lay_out()

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 14, 4)
        row.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.carpet, 5)
        left.addLayout(tabbed(self.tabs, self.stacked, self.seasons, self.picture, self.controlled), 4)
        row.addLayout(left, 5)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self.summary)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        kind = Label("&Kind of house")
        kind.setBuddy(self.shape)
        grid.addWidget(kind, 0, 0)
        grid.addWidget(self.shape, 0, 1)
        self.counts_label = Label("Figures c&ount")
        self.counts_label.setBuddy(self.counts)
        grid.addWidget(self.counts_label, 1, 0)
        grid.addWidget(self.counts, 1, 1)
        grid.setColumnStretch(1, 1)
        side.addLayout(grid)
        side.addWidget(self.inputs)
        buttons = QHBoxLayout()
        buttons.setSpacing(5)
        for button in (self.meter, self.again, self.bills, self.backup_board):
            button.setObjectName("small")
            buttons.addWidget(button)
        buttons.addStretch(1)
        side.addLayout(buttons)
        side.addWidget(self.source)
        side.addWidget(self.loads, 1)
        row.addLayout(side, 3)

    def focus_question(self) -> None:
        """Gives the focus to the year's use."""
        self.inputs.editors["A year, kWh"].setFocus()

    def show_job(self, job) -> None:
        """Shows the job's inputs."""
        self._job = job
        shaped = isinstance(job.demand, ShapedDemand)
        self.shape.show_value(job.demand.shape if shaped else None)
        self.shape.setEnabled(shaped)
        self.counts.show_value(job.demand.counts if shaped else None)
        for part in (self.counts, self.counts_label):
            part.setVisible(shaped and job.supply.on_grid)
        self.inputs.show_job(job)
        self.inputs.editors["A year, kWh"].setEnabled(shaped and not job.demand.bills)
        self.again.setEnabled(not shaped)
        billed = len(job.demand.bills) if shaped else 0
        self.bills.setText(f"{counted(billed, 'bill')}…" if billed else "Bills…")
        self.loads.show_job(job)
        self.controlled.show_job(job)

    def _on_tab(self, key):
        """The orders are run when somebody looks at them."""
        if key == "controlled" and self._view is not None and self._job.demand.controlled:
            self.study_wanted.emit("orders", _orders)

    def show_view(self, view) -> None:
        """Draws the year and tells its figures."""
        if not self.is_new(view):
            return
        from calm_relay.planning.views.figures import home_kwh

        self._view = view
        circuits = vocabulary_of(view.plan.job.supply).circuits
        self.backup_board.setText(f"{circuits}…")
        self.tabs.buttons["backup-board"].setText(circuits)
        if self.is_other:
            self.wait_for(self.carpet, self.stacked, self.seasons)
            self.picture.show_stack(None)
        plan = view.plan
        demand = plan.demand
        self.study_wanted.emit("home", _studied)
        self.controlled.show_orders(None, plan.job)
        self._on_tab(self.tabs.key)
        at = demand.evening_peak_at.astype(object)
        more = home_kwh(plan, view.option) - demand.yearly_kwh
        controlled = f", and {more:,.0f} kWh by controlled loads" if plan.job.demand.controlled else ""
        self.summary.setText(
            keep_units(
                rich(
                    "<b>{0.yearly_kwh:,.0f} kWh a year</b>, {1:.1f} kWh a day{3}. Worst evening half hour "
                    "<b>{0.evening_peak_kw:.1f} kW</b> ({2:%-d %b, %H:%M}). Worst season <b>{0.worst_season}</b>: mean "
                    "{0.worst_season_mean_kw:.2f} kW, from sunset to sunrise <b>{0.night_kwh:.1f} kWh</b> a night.",
                    demand,
                    demand.yearly_kwh / 365,
                    at,
                    controlled,
                )
            )
        )
        self.summary.setToolTip(tip(f"From: {demand.source}"))
        self.source.setText(f"From: {demand.source}.")

    def show_study(self, key: str, result) -> None:
        """Draws the year, its parts and its seasons."""
        if key == "orders":
            self.controlled.show_orders(result, self._view.plan.job)
            return
        if key != "home":
            return
        year, days, stack = result
        plan = self._view.plan
        self.carpet.show_year(plan, year)
        self.stacked.show_year(plan, year)
        self.seasons.show_days(plan, days)
        self.picture.show_stack(stack)

    def _on_shape(self, shape):
        job = self._job.with_(demand=self._job.demand.with_(shape=shape))
        self.edited.emit(job, f"Kind of house: {shape}")

    def ask_meter(self) -> None:
        """Asks for a meter's file and opens its preview."""
        name, _ = QFileDialog.getOpenFileName(
            self, "A meter's file", "", "Meter files (*.csv *.txt *.tsv *.xml *.xlsx *.ods *.zip);;All files (*)"
        )
        if name:
            self.open_meter(name)

    def open_meter(self, path) -> None:
        """Opens the preview of a meter's file; None for the one the job has."""
        demand = self._job.demand
        if path is None:
            given = demand
        else:
            loads = {name: getattr(demand, name) for name in LOAD_FIELDS}
            given = MeteredDemand(path=str(path), **loads)
        folder = self.window().session.folder if hasattr(self.window(), "session") else None
        dialog = MeterDialog(given, folder, self._job.site.time_zone, self, chosen=path is not None)
        dialog.accepted.connect(lambda: self._take(dialog.demand, "Meter's file read"))
        self.dialog = dialog
        dialog.open()

    def open_bills(self) -> None:
        """Opens the bills."""
        demand = self._job.demand
        shaped = isinstance(demand, ShapedDemand)
        dialog = BillsDialog(
            demand.bills if shaped else (),
            self._job.site.year,
            demand.counts if shaped else None,
            self,
            month_first=MEASURES.in_feet,
        )
        dialog.accepted.connect(lambda: self._take_bills(dialog.bills, dialog.counts))
        self.dialog = dialog
        dialog.open()

    def _take_bills(self, bills, counts):
        demand = self._job.demand
        if isinstance(demand, ShapedDemand):
            changed = demand.with_(bills=bills, counts=counts)
        else:
            loads = {name: getattr(demand, name) for name in LOAD_FIELDS}
            kwh = max(sum(bill.kwh for bill in bills), 1.0)
            changed = ShapedDemand(yearly_kwh=kwh, bills=bills, counts=counts, **loads)
        self._take(changed, counted(len(bills), "bill"))

    def _on_counts(self, counts):
        job = self._job.with_(demand=self._job.demand.with_(counts=counts))
        self.edited.emit(job, f"Counted: {dict(COUNTS)[counts]}")

    def _take(self, demand, label):
        self.edited.emit(self._job.with_(demand=demand), label)
