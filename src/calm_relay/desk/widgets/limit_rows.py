"""Bars of how much of a limit is used, with a word where it is passed."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.planning.common.severity import Severity

ROW, NAME = 22.0, 84.0
# A bar's whole length stands for so much of the limit: what is passed still shows by how much.
WHOLE = 1.25


class LimitRows(QWidget):
    """One row for each limit: its name, a bar against a mark at the limit, and the figures.

    Where they are shares of a whole, nothing is limited and the whole bar stands for 1.
    """

    def __init__(self, name: str, parent=None, *, limited=True):
        super().__init__(parent)
        self._bars, self._limited = (), limited
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        scale = self.fontMetrics().height() / 15.0
        return QSize(250, round(ROW * max(scale, 1.0) * len(self._bars)) + 2)

    def show_bars(self, bars) -> None:
        """Draws `planning.views.wiring_sheet.LimitBar`s."""
        self._bars = tuple(bars)
        self.setAccessibleDescription("; ".join(f"{bar.name} {bar.words}" for bar in self._bars))
        self.updateGeometry()
        self.update()

    @painted
    def paintEvent(self, painter):
        """Paints the rows."""
        look = colours()
        painter.setFont(font(8.6))
        metrics = painter.fontMetrics()
        row = max(ROW, metrics.height() + 5.0)
        words_wide = max((metrics.horizontalAdvance(f"{bar.words}, passed") for bar in self._bars), default=0) + 6
        name_wide = max((metrics.horizontalAdvance(bar.name) for bar in self._bars), default=0) + 8
        left, right = name_wide, self.width() - words_wide
        for number, bar in enumerate(self._bars):
            y = number * row
            painter.setPen(QColor(look.ink))
            painter.drawText(QRectF(0, y, name_wide, row), Qt.AlignmentFlag.AlignVCenter, bar.name)
            across = max(right - left, 10.0)
            painter.fillRect(QRectF(left, y + row / 2 - 4, across, 8), QColor(look.field))
            whole = WHOLE if self._limited else 1.0
            share = min(bar.used / whole, 1.0)
            painter.fillRect(QRectF(left, y + row / 2 - 4, across * share, 8), QColor(look.of(bar.severity)))
            if self._limited:
                painter.fillRect(QRectF(left + across / whole - 1, y + row / 2 - 6, 2, 12), QColor(look.ink))
            passed = ", passed" if bar.severity is not Severity.OK else ""
            painter.drawText(
                QRectF(right + 6, y, words_wide, row), Qt.AlignmentFlag.AlignVCenter, f"{bar.words}{passed}"
            )
