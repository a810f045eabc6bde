"""Figures in rows, each saying where it comes from when pointed at."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QWidget

from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units


class FiguresGrid(QWidget):
    """Shows `planning.views.figures`; with `sources` the third column says where each comes from.

    One that is `narrow` has each label above its value, so that a value need not break.
    """

    def __init__(self, sources: bool = False, *, narrow: bool = False, parent=None):
        super().__init__(parent)
        self._sources, self._narrow = sources, narrow
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 4, 0, 4)
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(0 if narrow else 2 if sources else 1, 1)

    def show_figures(self, figures) -> None:
        """Shows rows of label, value and source."""
        while self._grid.count():
            gone = self._grid.takeAt(0).widget()
            gone.hide()
            gone.deleteLater()
        for row, figure in enumerate(figures):
            texts = (figure.label, keep_units(figure.value), figure.source)
            for column, text in enumerate(texts[: 3 if self._sources else 2]):
                cell = Label(text)
                cell.setToolTip(tip(f"From: {figure.source}"))
                cell.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                if column == 1:
                    cell.setFont(font(9.5, strong=True))
                    cell.setWordWrap(not self._sources)
                else:
                    cell.setObjectName("quiet")
                # What wraps would otherwise let itself be pressed below one line.
                cell.ensurePolished()
                cell.setMinimumHeight(cell.fontMetrics().height())
                at = (2 * row + column, 0) if self._narrow else (row, column)
                self._grid.addWidget(cell, *at)
