"""The bench Grid: service, tariff and the region's rules; off grid, what the year off grid comes to."""

from pydantic import ValidationError
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.grid_inputs import grid_inputs, off_grid_inputs, service_rows
from calm_relay.desk.benches.off_grid_panel import OffGridPanel
from calm_relay.desk.benches.rules_panel import RulesPanel
from calm_relay.desk.dialogs.backed_up_loads_dialog import ask_backed_up_loads
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figures_grid import FiguresGrid
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.scrolled import Column
from calm_relay.job.model import Job
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.common.vocabulary import OFF_GRID


class GridBench(Bench):
    """Shows `planning.views.figures` of the grid and the rules, or `planning.studies.off_grid` off grid."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = None
        self.figures = FiguresGrid()
        self.inputs, self.off_grid_rows = grid_inputs(), off_grid_inputs()
        self.rules, self.off_grid = RulesPanel(), OffGridPanel()
        self.service = QPushButton("Meter and connection…")
        self.service.setToolTip(
            "Whether there is a grid connection, how its meter counts, what inverters may be let on"
        )
        self.tariff = QPushButton("Tariff…")
        self.tariff.setToolTip(
            "Prices by the hour and season, tiers, power, credit, and the bill that comes of them"
        )
        self.backup_board = QPushButton(f"{OFF_GRID.circuits} and generator…")
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        for part in (self.inputs, self.off_grid_rows, self.rules, self.off_grid):
            part.edited.connect(self.edited)
        self.off_grid.study_wanted.connect(self.study_wanted)
        self.service.clicked.connect(lambda _=False: self._ask_service())
        self.tariff.clicked.connect(lambda _=False: self.open_tariff())
        self.backup_board.clicked.connect(lambda _=False: ask_backed_up_loads(self, self._job))
        self._lay_out()

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 14, 6)
        row.setSpacing(22)
        inside = QWidget()
        left = QVBoxLayout(inside)
        left.setContentsMargins(0, 0, 6, 0)
        left.setSpacing(6)
        parts = self.inputs, self.tariff, self.off_grid_rows, self.service, self.backup_board, self.problem
        for part in (self.figures, *parts):
            left.addWidget(part)
        for button in (self.tariff, self.service, self.backup_board):
            button.setObjectName("small")
        left.addStretch(1)
        self._left = left
        column = Column(inside)
        column.setAccessibleName("Service, tariff and what the option comes to")
        row.addWidget(column, 4)
        self._pages = QStackedWidget()
        self._pages.addWidget(self.rules)
        self._pages.addWidget(self.off_grid)
        row.addWidget(self._pages, 5)

    def show_job(self, job) -> None:
        """Shows service, tariff and rules, or what an off-grid house is asked for."""
        self._job = job
        on_grid = job.supply.on_grid
        self.inputs.setVisible(on_grid)
        self.tariff.setVisible(on_grid)
        self.off_grid_rows.setVisible(not on_grid)
        self.backup_board.setVisible(not on_grid)
        (self.inputs if on_grid else self.off_grid_rows).show_job(job)
        self.rules.show_job(job, self.library)
        self.problem.hide()
        self._pages.setCurrentWidget(self.rules if on_grid else self.off_grid)

    def show_view(self, view) -> None:
        """Shows the figures of the option in view, and asks for its year alone."""
        from calm_relay.planning.views.figures import figures_of

        if not self.is_new(view):
            return
        self._view = view
        self.figures.show_figures(figures_of(view.plan, view.option, "Grid"))
        if not view.plan.job.supply.on_grid:
            self.off_grid.show_view(view)

    def show_study(self, key: str, result) -> None:
        """Shows the year off grid, or what other sizes would do."""
        self.off_grid.show_study(key, result)

    def let_go(self) -> None:
        """Holds the plan it shows no longer."""
        super().let_go()
        self.off_grid.let_go()

    def forget(self) -> None:
        """The next view asks anew."""
        super().forget()
        self.off_grid.forget()

    def open_tariff(self) -> None:
        """Opens the tariff with the bill of the option in view."""
        from calm_relay.desk.dialogs.tariff_dialog import TariffDialog

        job = self._job
        dialog = self.dialog = TariffDialog(job.tariff, self._view, self.window(), site=job.site)
        dialog.accepted.connect(lambda: self.edited.emit(job.with_(tariff=dialog.tariff), "Tariff"))
        dialog.open()

    def _ask_service(self):
        dialog = FormDialog(
            "Meter and connection", self._job.supply, service_rows(self._job.supply), self.window()
        )
        if not dialog.exec() or dialog.result_model == self._job.supply:
            return
        try:
            # Circuits hang on the legs of the service: both change together.
            board = self._job.backup_board
            board = board and board.on_legs_of(dialog.result_model.phases)
            job = self._job.with_(supply=dialog.result_model, backup_board=board)
        except ValidationError as error:
            self.problem.setText(f"{refused_words(error, Job)}.")
            self.problem.show()
        else:
            self.edited.emit(job, "Meter and connection")
