"""The bench Street: service, tariff and the region's rules; without a street, what the year alone comes to."""

from pydantic import ValidationError
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.grid_inputs import SERVICE_ROWS, alone_inputs, street_inputs
from calm_relay.desk.benches.off_grid_panel import AlonePanel
from calm_relay.desk.benches.rules_panel import RulesPanel
from calm_relay.desk.dialogs.backed_up_loads_dialog import ask_board
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figures_grid import FiguresGrid
from calm_relay.exchange.errors import first_field_error


class StreetBench(Bench):
    """Shows `planning.figures` of the street and the rules, or `planning.alone` where there is no street."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.figures = FiguresGrid()
        self.inputs, self.lone_inputs = street_inputs(), alone_inputs()
        self.rules, self.alone = RulesPanel(), AlonePanel()
        self.service = QPushButton("Meter and connection…")
        self.service.setToolTip("Whether there is a street, how its meter counts, what inverters may be let on")
        self.board = QPushButton("Board and generator…")
        self.problem = QLabel()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        for part in (self.inputs, self.lone_inputs, self.rules, self.alone):
            part.edited.connect(self.edited)
        self.alone.study_wanted.connect(self.study_wanted)
        self.service.clicked.connect(lambda _=False: self._ask_service())
        self.board.clicked.connect(lambda _=False: ask_board(self, self._job))
        self._lay_out()

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 14, 6)
        row.setSpacing(22)
        left = QVBoxLayout()
        left.setSpacing(6)
        for part in (self.figures, self.inputs, self.lone_inputs, self.service, self.board, self.problem):
            left.addWidget(part)
        for button in (self.service, self.board):
            button.setObjectName("small")
        left.addStretch(1)
        self._left = left
        row.addLayout(left, 4)
        self._pages = QStackedWidget()
        self._pages.addWidget(self.rules)
        self._pages.addWidget(self.alone)
        row.addWidget(self._pages, 5)

    def show_job(self, job) -> None:
        """Shows service, tariff and rules, or what a house without a street is asked for."""
        self._job = job
        street = job.supply.street
        self.inputs.setVisible(street)
        self.lone_inputs.setVisible(not street)
        self.board.setVisible(not street)
        (self.inputs if street else self.lone_inputs).show_job(job)
        self.rules.show_job(job)
        self.problem.hide()
        self._pages.setCurrentWidget(self.rules if street else self.alone)

    def show_view(self, view) -> None:
        """Shows the figures of the option in view, and asks for its year alone."""
        from calm_relay.planning.views.figures import figures_of

        if not self.is_new(view):
            return
        self.figures.show_figures(figures_of(view.plan, view.option, "Street"))
        if not view.plan.job.supply.street:
            self.alone.show_view(view)

    def show_study(self, key: str, found) -> None:
        """Shows the year alone, or what other sizes would do."""
        self.alone.show_study(key, found)

    def forget(self) -> None:
        """The next view asks anew."""
        super().forget()
        self.alone.forget()

    def _ask_service(self):
        dialog = FormDialog("Meter and connection", self._job.supply, SERVICE_ROWS, self.window())
        if not dialog.exec() or dialog.result_model == self._job.supply:
            return
        try:
            job = self._job.with_(supply=dialog.result_model)
        except ValidationError as error:
            self.problem.setText(": ".join(part for part in first_field_error(error) if part))
            self.problem.show()
        else:
            self.edited.emit(job, "Meter and connection")
