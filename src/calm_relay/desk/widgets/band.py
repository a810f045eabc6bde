"""A reading against what is right, as a small picture: the band that is right, and a mark where the reading lies."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QStyledItemDelegate

from calm_relay.desk.widgets.theme import colours

# Half of the picture stands for so many times what is still right.
REACH = 3.0
BAND = Qt.ItemDataRole.UserRole + 1


def paint_band(painter: QPainter, box: QRectF, band) -> None:
    """Paints a band.

    Parameters
    ----------
    painter : QPainter
        Of the cell.
    box : QRectF
        Where to.
    band : tuple of (float or None, colour)
        Where the reading lies, 0 as expected and 1 at the edge of what is right, and the colour of its mark; None: no
        reading yet.
    """
    look = colours()
    middle, across = box.center().y(), box.width()
    painter.setPen(QPen(QColor(look.rule), 1.0))
    painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))
    painter.fillRect(
        QRectF(box.center().x() - across / (2 * REACH), middle - 5, across / REACH, 10), QColor(look.field)
    )
    painter.setPen(QPen(QColor(look.quiet), 1.0))
    painter.drawLine(QPointF(box.center().x(), middle - 5), QPointF(box.center().x(), middle + 5))
    place, colour = band
    if place is None:
        return
    off = max(-REACH, min(REACH, place))
    x = box.center().x() + off / REACH * across / 2
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))
    if abs(place) > REACH:
        # What lies outside the picture points there.
        out = 1.0 if place > 0 else -1.0
        tip = QPointF(x, middle)
        painter.drawPolygon(QPolygonF([tip, QPointF(x - out * 8, middle - 5), QPointF(x - out * 8, middle + 5)]))
    else:
        painter.drawEllipse(QPointF(x, middle), 4.5, 4.5)


class BandDelegate(QStyledItemDelegate):
    """Paints the band that a cell holds under `BAND`."""

    def paint(self, painter, option, index):
        """Paints it."""
        super().paint(painter, option, index)
        band = index.data(BAND)
        if band is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_band(painter, QRectF(option.rect).adjusted(8, 1, -8, -1), band)
        painter.restore()
