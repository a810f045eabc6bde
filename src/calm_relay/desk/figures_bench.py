"""A station told in figures, each saying where it comes from when pointed at."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from calm_relay.desk.bench import Bench
from calm_relay.desk.theme import font
from calm_relay.desk.wording import keep_units


class FiguresBench(Bench):
    """Shows `planning.figures` of one station, below them its inputs and, where one tells more, a picture."""

    def __init__(self, station: str, inputs: QWidget | None = None, picture: QWidget | None = None, parent=None):
        super().__init__(parent)
        self.station = station
        self.inputs = inputs
        self.picture = picture
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 14, 6)
        column.setSpacing(8)
        title = QLabel(station)
        title.setFont(font(12, strong=True))
        self._shows = QLabel()
        self._shows.setObjectName("quiet")
        column.addWidget(title)
        column.addWidget(self._shows)
        inside = QWidget()
        self._grid = QGridLayout(inside)
        self._grid.setContentsMargins(0, 4, 0, 4)
        self._grid.setHorizontalSpacing(22)
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(2, 1)
        column.addWidget(inside)
        if inputs is not None:
            inputs.edited.connect(self.edited)
            column.addWidget(inputs)
        if picture is None:
            column.addStretch(1)
        else:
            column.addWidget(picture, 1)

    def show_job(self, job) -> None:
        """Shows the job's inputs of this station."""
        if self.inputs is not None:
            self.inputs.show_job(job)

    def show_view(self, view) -> None:
        """Shows the figures of the option in view."""
        from calm_relay.planning.figures import SHOWS, figures_of

        if not self.is_new(view):
            return
        self._shows.setText(SHOWS[self.station])
        if self.picture is not None:
            self.picture.show_plan(view.plan)
        while self._grid.count():
            self._grid.takeAt(0).widget().deleteLater()
        for row, figure in enumerate(figures_of(view.plan, view.option, self.station)):
            texts = (figure.label, keep_units(figure.value), figure.source)
            for column, text in enumerate(texts):
                cell = QLabel(text)
                cell.setToolTip(f"From: {figure.source}")
                cell.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                if column == 1:
                    cell.setFont(font(9.5, strong=True))
                if column != 1:
                    cell.setObjectName("quiet")
                self._grid.addWidget(cell, row, column)
