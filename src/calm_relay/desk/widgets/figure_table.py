"""A plain table of words and figures that scrolls where it must."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.theme import font

# Rows by which a column's width is found.
MEASURED = 200
# No column of long texts is narrower.
LEAST_WIDE = 90


class FigureTable(QTableWidget):
    """Shows rows under heads; figures stand to the right, the first two columns to the left."""

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(22)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setFont(font(8.6))
        self._shares: dict[int, float] = {}

    def show_rows(self, heads, rows, source: str, left: int = 2, shares: dict[int, float] | None = None) -> None:
        """Shows rows of texts; `source` is told on hover, the first `left` columns stand to the left.

        Columns of `shares` hold long texts: they part what room the others leave, and their texts wrap.
        """
        self._shares = shares or {}
        header = self.horizontalHeader()
        # Columns that follow their contents would be measured anew at every change of a head.
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setResizeContentsPrecision(MEASURED)
        self.clear()
        self.setColumnCount(len(heads))
        self.setRowCount(len(rows))
        self.setHorizontalHeaderLabels(heads)
        told = tip(source)
        for i, row in enumerate(rows):
            for j, text in enumerate(row):
                cell = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignLeft if j < left else Qt.AlignmentFlag.AlignRight
                cell.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                cell.setToolTip(told)
                self.setItem(i, j, cell)
        for j in range(len(heads)):
            side = Qt.AlignmentFlag.AlignLeft if j < left else Qt.AlignmentFlag.AlignRight
            self.horizontalHeaderItem(j).setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(left >= len(heads) and not self._shares)
        self._part_room()

    def resizeEvent(self, event):
        """Parts the room anew."""
        super().resizeEvent(event)
        self._part_room()

    def _part_room(self):
        if not self._shares:
            return
        header = self.horizontalHeader()
        for column in self._shares:
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
        others = sum(self.columnWidth(j) for j in range(self.columnCount()) if j not in self._shares)
        room, whole = self.viewport().width() - others, sum(self._shares.values())
        for column, share in self._shares.items():
            self.setColumnWidth(column, max(int(room * share / whole), LEAST_WIDE))
        self.resizeRowsToContents()
