"""Powers beside each other on one scale: what is asked and what can be given."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font

ROW = 34.0


class PowerBars(QWidget):
    """Draws rows of a label, kW, and whether it is asked ("asks") or given ("gives")."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._rows = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("What is asked, and what can be given")

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(300, round(ROW * max(len(self._rows), 3) + 6))

    def show_rows(self, rows) -> None:
        """Draws rows of (label, kW, "asks" or "gives", source)."""
        self._rows = tuple(rows)
        self.setAccessibleDescription(
            "; ".join(f"{label} {kind} {kw:.1f} kW" for label, kw, kind, _ in self._rows)
        )
        self.setToolTip(tip("\n".join(f"{label}: {source}" for label, _, _, source in self._rows)))
        self.updateGeometry()
        self.update()

    @painted
    def paintEvent(self, painter):
        """Paints the rows."""
        look = colours()
        most = max([kw for _, kw, _, _ in self._rows], default=1.0)
        for number, (label, kw, kind, _) in enumerate(self._rows):
            top = number * ROW + 2
            painter.setPen(QColor(look.ink))
            painter.setFont(font(8.6))
            words = QRectF(0, top, self.width() - 4, 15)
            painter.drawText(words, Qt.AlignmentFlag.AlignLeft, label)
            painter.setFont(font(8.6, strong=True))
            painter.drawText(words, Qt.AlignmentFlag.AlignRight, f"{kind} {kw:.1f} kW")
            track = QRectF(0, top + 17, self.width() - 4, 8)
            painter.fillRect(track, QColor(look.field))
            track.setWidth(track.width() * kw / most if most > 0 else 0.0)
            painter.fillRect(track, QColor(look.muted if kind == "asks" else look.ink))
