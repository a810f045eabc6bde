"""A plain table of thousands of rows, of which those in view alone are worded."""

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.theme import font

# Rows by which a column's width is found.
MEASURED = 60
# Room between columns [pixels].
APART = 8
TOP = QModelIndex()


class RowsModel(QAbstractTableModel):
    """Rows whose cells are worded when they are first looked at."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._heads, self._rows, self._words = (), (), None
        self._worded = {}
        self._left, self._source, self._long = 0, "", frozenset()

    def take(self, heads, rows, words, left, source, long) -> None:
        """Takes other rows; see `LongTable.show_rows`."""
        self.beginResetModel()
        self._heads, self._rows, self._words = heads, rows, words
        self._worded = {}
        self._left, self._source, self._long = left, tip(source), frozenset(long)
        self.endResetModel()

    def text(self, row: int, column: int) -> str:
        """A cell's text."""
        if row not in self._worded:
            self._worded[row] = self._words(self._rows[row])
        return self._worded[row][column]

    def rowCount(self, parent=TOP):
        """How many rows there are."""
        return 0 if parent.isValid() else len(self._rows)

    def columnCount(self, parent=TOP):
        """One a head."""
        return 0 if parent.isValid() else len(self._heads)

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):
        """A cell's text and side, and what is told on hover."""
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._side(index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            whole = index.column() in self._long
            return tip(self.text(index.row(), index.column())) if whole else self._source
        return None

    def headerData(self, section, orientation, role=Qt.ItemDataRole.DisplayRole):
        """What a column is."""
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self._heads[section]
        return self._side(section) if role == Qt.ItemDataRole.TextAlignmentRole else None

    def _side(self, column):
        side = Qt.AlignmentFlag.AlignLeft if column < self._left else Qt.AlignmentFlag.AlignRight
        return side | Qt.AlignmentFlag.AlignVCenter


class LongTable(QTableView):
    """Shows rows under heads; figures stand to the right.

    Signals
    -------
    chosen : int
        The row in hand changed.
    opened : int
        A row was clicked twice, or Return was pressed on it.
    """

    chosen = Signal(int)
    opened = Signal(int)

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self.setAccessibleName(name)
        self.rows = RowsModel(self)
        self._natural, self._widest = [], {}
        self.setModel(self.rows)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(22)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.horizontalHeader().setResizeContentsPrecision(MEASURED)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        self.setFont(font(8.6))
        self.doubleClicked.connect(lambda index: self.opened.emit(index.row()))
        self.selectionModel().currentRowChanged.connect(lambda now, _: self.chosen.emit(now.row()))

    def show_rows(
        self,
        heads: Sequence[str],
        rows: Sequence[Any],
        words: Callable[[Any], Sequence[str]],
        source: str,
        left: int = 2,
        widest: dict[int, int] | None = None,
    ) -> None:
        """Shows rows.

        Parameters
        ----------
        heads : sequence of str
            What each column is.
        rows : sequence
            One a row, of any kind.
        words : callable
            A row's texts.
        source : str
            Told on hover.
        left : int
            So many columns are words and stand to the left.
        widest : dict of int to int
            How wide columns of long words may at least be [pixels]; their whole text is told on hover.
        """
        self._widest = widest or {}
        self.rows.take(heads, rows, words, left, source, self._widest)
        self.resizeColumnsToContents()
        self._natural = [self.columnWidth(column) + APART for column in range(len(heads))]
        self._share_out()

    def _share_out(self):
        """Gives every column its width; where there is not enough, long words alone give room."""
        widths = [
            min(wide, self._widest[column]) if column in self._widest else wide
            for column, wide in enumerate(self._natural)
        ]
        spare, wanted = self.viewport().width() - sum(widths), sum(self._natural) - sum(widths)
        for column, wide in enumerate(widths):
            more = self._natural[column] - wide
            if more > 0 and spare > 0:
                wide += min(more, spare * more // wanted)
            self.setColumnWidth(column, wide)

    def resizeEvent(self, event):
        """Shares the room out anew."""
        super().resizeEvent(event)
        self._share_out()

    def text(self, row: int, column: int) -> str:
        """A cell's text."""
        return self.rows.text(row, column)

    def choose(self, row: int) -> None:
        """Takes a row in hand."""
        self.selectRow(row)

    def keyPressEvent(self, event):
        """Return opens the row in hand."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.opened.emit(self.currentIndex().row())
            return
        super().keyPressEvent(event)
