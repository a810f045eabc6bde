"""The bench Search: every plant the catalogue makes as a cloud, what it must have, and the edge as a list."""

from typing import get_args

from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
    QVBoxLayout,
)

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.charts.cloud_chart import CloudChart
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, RichLabel, rich, tip
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.job.equipment import Pack
from calm_relay.job.field_range import FieldRange
from calm_relay.planning.common.amounts import amount_text, years_text
from calm_relay.planning.common.vocabulary import vocabulary_of

BENEFITS = (
    ("saving", "Saved a year"),
    ("npv", "Worth over the years"),
    ("score", "Fits the purposes"),
    ("self-sufficiency", "Self-sufficiency"),
    ("hours", "Hours on backup"),
)
# Off grid no bill falls: how well it serves comes first.
OFF_GRID_BENEFITS = tuple((key, dict(BENEFITS)[key]) for key in ("score", "self-sufficiency", "npv", "saving"))
CHEMISTRIES = (None, *get_args(Pack.model_fields["chemistry"].annotation))
# The heads and three rows.
LEAST_TABLE_PX = 94
HEADS = ("Outlay", "Benefit", "Battery", "Inverter", "Control")


def _on_backup(plant):
    """What a plant gives off grid."""
    brief = plant.brief
    if brief.unmet is not None:
        return f"Forms the grid with {brief.backup.power_kw:.1f} kW; {brief.unmet:.1%} goes unserved."
    return (
        f"In an outage {brief.backup.power_kw:.1f} kW for {brief.backup.hours:.1f} h. The operator counts "
        f"{plant.design.counted_kw(plant.job.supply):g} kW."
    )


def _search(plan, option, progress):
    from calm_relay.planning.studies.search import search

    return search(plan, progress)


class EdgeTable(QAbstractTableModel):
    """The efficient edge as rows, cheapest first."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.plants, self._worth, self._heads = (), None, HEADS

    def show_plants(self, plants, worth, words, currency) -> None:
        """Takes other plants; `worth` is the benefit, `words` its unit, `currency` that of the outlay."""
        self.beginResetModel()
        self.plants, self._worth = plants, worth
        self._heads = (f"{HEADS[0]}, {currency}", f"{words[:1].upper()}{words[1:]}", *HEADS[2:])
        self.endResetModel()

    def rowCount(self, parent=None):
        """One row a plant."""
        return len(self.plants)

    def columnCount(self, parent=None):
        """See `HEADS`."""
        return len(HEADS)

    def headerData(self, section, orientation, role=Qt.ItemDataRole.DisplayRole):
        """Names of the columns."""
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self._heads[section]
        return None

    def data(self, index: QModelIndex, role=Qt.ItemDataRole.DisplayRole):
        """A cell's text, numbers at the right."""
        plant = self.plants[index.row()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if index.column() < 2 else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        converter = plant.design.battery_converter
        cells = (
            f"{plant.brief.money.outlay:,.0f}",
            f"{self._worth(plant):,.1f}",
            converter.bank.summary,
            converter.inverter.name,
            f"{plant.profile}; {plant.roof}",
        )
        return cells[index.column()]


class SearchBench(Bench):
    """Asks for `planning.studies.search` on a button, shows what it found, and opens a plant as an option."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = self._result = self._result_for = self.chosen = None
        self._plants, self._labels, self._grid = [], {}, None
        self.start = QPushButton("Try every plant")
        self.start.setToolTip("Every roof, converter, pack, height, number of units and control that can be built")
        self.benefit = ChoiceField("Benefit shown upwards", BENEFITS, width=16)
        self.state = Label("Nothing tried yet.")
        self.state.setObjectName("quiet")
        self.state.setWordWrap(True)
        self.cloud = CloudChart()
        self.cloud.picked.connect(self.pick)
        self.outlay = self._quantity("Outlay up to", "", 0)
        self.backup_kw = self._quantity("Power on backup at least", "kW", 1)
        self.backup_hours = self._quantity("Hours on backup at least", "h", 1)
        self.counted = self._quantity("Operator counts at most", "kW", 1)
        self.unmet = self._quantity("Not served at most", "%", 2, 100.0)
        self.untouched = QCheckBox("Roof and units stay as they are")
        self.chemistry = ChoiceField(
            "Chemistry", [(name, name or "any chemistry") for name in CHEMISTRIES], width=14
        )
        self.chemistry.show_value(None)
        self.summary = RichLabel()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(8.6))
        self.summary.setAccessibleName("The plant picked")
        self.open = QPushButton("Open as an option")
        self.open.setEnabled(False)
        self.model = EdgeTable(self)
        self.table = QTableView()
        self._lay_out()
        self.start.clicked.connect(lambda _=False: self._on_start())
        self.open.clicked.connect(lambda _=False: self._on_open())
        self.benefit.taken.connect(lambda _: self._draw())
        self.chemistry.taken.connect(lambda _: self._draw())
        self.untouched.toggled.connect(lambda _: self._draw())

    def _quantity(self, name, unit, decimals, most=float("inf")):
        field = QuantityField(name, unit, FieldRange(0.0, most, optional=True), decimals)
        field.accepted.connect(lambda _: self._draw())
        field.refused.connect(self._show_text)
        field.setMaximumWidth(120)
        return field

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 4)
        column.setSpacing(6)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self.start)
        top.addWidget(Label("Upwards"))
        top.addWidget(self.benefit)
        top.addWidget(self.state, 1)
        top.addWidget(self.open)
        column.addLayout(top)
        middle = QHBoxLayout()
        middle.setSpacing(16)
        middle.addWidget(self.cloud, 5)
        side = QVBoxLayout()
        head = Label("Show only plants with")
        head.setFont(font(10.5, strong=True))
        side.addWidget(head)
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        rows = (
            ("&Outlay up to", self.outlay),
            ("&Power on backup at least", self.backup_kw),
            ("Hours on &backup at least", self.backup_hours),
            ("Operator &counts at most", self.counted),
            ("&Not served at most", self.unmet),
            ("Che&mistry", self.chemistry),
        )
        for row, (text, field) in enumerate(rows):
            label = self._labels[field] = Label(text)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        grid.addWidget(self.untouched, len(rows), 0, 1, 2)
        side.addLayout(grid)
        side.addSpacing(6)
        side.addWidget(self.summary)
        side.addStretch(1)
        middle.addLayout(side, 3)
        # As high as a plant's words ask for, so that nothing moves when one is picked.
        column.addLayout(middle, 4)
        self.table.setModel(self.model)
        self.table.setAccessibleName("The efficient edge: none costs less and brings more")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(21)
        self.table.setShowGrid(False)
        self.table.setFont(font(8.4))
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        self.table.setMinimumHeight(LEAST_TABLE_PX)
        self.table.selectionModel().currentRowChanged.connect(self._on_row)
        column.addWidget(self.table, 1)

    def show_view(self, view) -> None:
        """Takes the plan; what was found before stays, and says that it is of another job."""
        if not self.is_new(view):
            return
        self._view = view
        self._ask_for(view.plan.job)
        self._show_state()
        if self._result is None:
            self._draw()

    def _ask_for(self, job):
        """Shows what can be asked for with a grid, or without one; the job's target stands there at first."""
        from calm_relay.planning.studies.search import filter_of

        on_grid = job.supply.on_grid
        if on_grid == self._grid:
            return
        self._grid = on_grid
        offered = BENEFITS if on_grid else OFF_GRID_BENEFITS
        self.benefit.offer(offered)
        self.benefit.show_value(offered[0][0])
        for field, shown in ((self.backup_hours, on_grid), (self.counted, on_grid), (self.unmet, not on_grid)):
            field.setVisible(shown)
            self._labels[field].setVisible(shown)
            field.show_value(None)
        wanted = filter_of(job).unmet_max
        self.unmet.show_value(None if wanted is None else wanted * 100.0)
        self._labels[self.backup_kw].setText(f"&{vocabulary_of(job.supply).formed_power}")

    def show_study(self, key: str, result) -> None:
        """Shows what a search found."""
        if key != "search":
            return
        self.start.setEnabled(True)
        self._result, self._result_for, self.chosen = result, self._view.plan, None
        self._draw()

    def forget(self) -> None:
        """The search was called off."""
        super().forget()
        self.start.setEnabled(True)
        self._show_state()

    def pick(self, plant) -> None:
        """Puts a plant in view."""
        if plant is not self.chosen:
            self.chosen = plant
            self._draw_cloud()

    def must_haves(self):
        """What is asked for, as `planning.studies.search.PlantFilter`."""
        from calm_relay.planning.studies.search import PlantFilter

        return PlantFilter(
            self.outlay.value,
            self.backup_kw.value,
            self.backup_hours.value,
            self.counted.value,
            self.untouched.isChecked(),
            self.chemistry.currentData(),
            None if self.unmet.value is None else self.unmet.value / 100.0,
        )

    def _on_start(self):
        if self._view is None:
            return
        self.start.setEnabled(False)
        self.state.setText("Trying every plant …")
        self.study_wanted.emit("search", _search)

    def _draw(self):
        """Filters what was found, and draws it."""
        from calm_relay.planning.studies.search import efficient_edge

        if self._view is None:
            return
        wanted = self.must_haves()
        self._plants = [plant for plant in (self._result.plants if self._result else ()) if wanted.met_by(plant)]
        if self.chosen not in self._plants:
            self.chosen = None
        currency = self._view.plan.job.tariff.currency
        self.model.show_plants(efficient_edge(self._plants, self._key), *self._benefit, currency)
        self._draw_cloud()

    @property
    def _key(self):
        return self.benefit.currentData() or "saving"

    @property
    def _benefit(self):
        """How the benefit is reckoned, and its unit."""
        from calm_relay.planning.studies.search import BENEFITS as WORTH

        words, worth = WORTH[self._key]
        currency = self._view.plan.job.tariff.currency
        return worth, f"{currency} {words}" if self._key in {"saving", "npv"} else words

    def _draw_cloud(self):
        if self._result is None:
            self.cloud.waits("Every plant will be a point here: cost across, benefit up.")
        else:
            worth, words = self._benefit
            currency = self._view.plan.job.tariff.currency
            self.cloud.show_plants(self._plants, self.model.plants, words, worth, currency, self.chosen)
        if self.chosen in self.model.plants:
            row = self.model.plants.index(self.chosen)
            if self.table.currentIndex().row() != row:
                self.table.selectRow(row)
            self.table.scrollTo(self.model.index(row, 0), QAbstractItemView.ScrollHint.PositionAtCenter)
        self._show_state()
        self._show_plant()

    def _show_state(self):
        if self._result is None:
            self.state.setText("Nothing tried yet: a search takes some seconds and can be called off.")
            return
        most = "; ".join(f"{reason} ({count})" for reason, count in self._result.refused[:2])
        fell = f" Most fell out by: {most}." if most else ""
        old = "" if self._result_for is self._view.plan else " Found for the job as it was before: try again."
        self.state.setText(f"{len(self._result.plants):,} of {self._result.tried:,} can be built.{fell}{old}")

    def _show_plant(self):
        plant = self.chosen
        self.open.setEnabled(plant is not None)
        if plant is None:
            ready = self._result is not None
            self.summary.setText("Click a point, or a row of the edge below." if ready else "")
            return
        brief, currency = plant.brief, self._view.plan.job.tariff.currency
        payback = years_text(brief.money.payback_years)
        years = "never pays back" if payback == "never" else f"pays back in {payback}"
        self.summary.setText(
            keep_units(
                rich("<b>{0.title}</b><br>{0.roof}, {0.profile}.<br>", plant)
                + rich(
                    "Outlay {} {:,.0f}, saves {} a year, {}. Self-sufficiency {:.0%}. {} Fits the "
                    "purposes {:.0f} of 100.",
                    currency,
                    brief.money.outlay,
                    amount_text(brief.money.saving, currency),
                    years,
                    brief.self_sufficiency,
                    _on_backup(plant),
                    plant.score * 100,
                )
            )
        )
        note = self._view.plan.assumed_note or self._view.plan.site.source
        self.summary.setToolTip(tip(f"From: simulated year, {note}; catalogue prices"))

    def _show_text(self, problem):
        self.summary.setText(problem)

    def _on_row(self, current, _):
        if current.isValid():
            self.pick(self.model.plants[current.row()])

    def _on_open(self):
        plant = self.chosen
        if plant is not None:
            self.option_wanted.emit(plant.key)
            self.edited.emit(plant.job, f"From the search: {plant.title}")
