"""Array over inverter against every limit in force, the one that binds first."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font

ROW = 23.0


class LimitBars(QWidget):
    """Draws today's ratio as a line through bars of limits; a limit below it stands out by colour and word."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._ratio, self._limits, self._why = None, (), ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Limits on array power over inverter power")

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(300, round(ROW * (max(len(self._limits), 2) + 1) + 8))

    def show_limits(self, ratio, limits, why: str = "") -> None:
        """Draws a ratio and `planning.architecture.ratio_limits`; None, and why, where there is none."""
        self._ratio, self._limits, self._why = ratio, tuple(limits), why
        summary = "; ".join(f"{limit.owner} {limit.ratio_max:.2f}" for limit in self._limits)
        self.setAccessibleDescription(f"today {ratio:.2f}; {summary}" if ratio is not None else why)
        self.setToolTip(tip("\n".join(f"{limit.owner}: {limit.authority}" for limit in self._limits)))
        self.updateGeometry()
        self.update()

    @painted
    def paintEvent(self, painter):
        """Paints the rows."""
        look = colours()
        painter.setFont(font(8.6))
        if self._ratio is None:
            painter.setPen(QColor(look.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignTop, self._why)
            return
        top = max([self._ratio, *(limit.ratio_max for limit in self._limits)]) * 1.12
        left, right = 170.0, self.width() - 96.0
        across = right - left
        at = left + across * self._ratio / top
        for number, limit in enumerate(self._limits):
            y = 22 + number * ROW
            passed = limit.ratio_max < self._ratio - 1e-6
            painter.setFont(font(8.6))
            painter.setPen(QColor(look.ink))
            words = QRectF(0, y - 3, left - 8, 17)
            text = painter.fontMetrics().elidedText(limit.owner, Qt.TextElideMode.ElideRight, int(words.width()))
            painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
            painter.fillRect(QRectF(left, y + 1, across, 9), QColor(look.field))
            bar = QRectF(left, y + 1, across * limit.ratio_max / top, 9)
            painter.fillRect(bar, QColor((look.stop if limit.stops else look.check) if passed else look.ok))
            word = "passed" if passed else ("binds" if number == 0 else "")
            painter.setFont(font(8.6, strong=number == 0 or passed))
            value = QRectF(right + 6, y - 3, 90, 17)
            painter.drawText(value, Qt.AlignmentFlag.AlignVCenter, f"{limit.ratio_max:.2f} {word}")
        painter.setPen(QPen(QColor(look.ink), 2.0))
        painter.drawLine(QPointF(at, 17), QPointF(at, 20 + len(self._limits) * ROW))
        painter.setFont(font(8.6, strong=True))
        head = QRectF(at - 120, 0, 240, 16)
        painter.drawText(head, Qt.AlignmentFlag.AlignCenter, f"array over inverter {self._ratio:.2f}")
