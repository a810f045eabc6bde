"""A tariff as ribbons of twenty-four hours: the darker the dearer, edges dragged, windows drawn."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font

LEFT, RIGHT, ROW, HEAD, NEAR = 158, 8, 30, 18, 6
QUARTERS = 96


class TariffRibbons(QWidget):
    """Draws `planning.views.tariff_picture.Ribbon`s.

    Signals
    -------
    edge_moved : int, str, int
        A window's number, "start" or "end", and the minute it was dragged to.
    window_drawn : int, int, str, object
        First and last minute of a new window, its days and months.
    """

    edge_moved = Signal(int, str, int)
    window_drawn = Signal(int, int, str, object)

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self._ribbons, self._names, self._unit = (), (), ""
        self._drag = None
        self._title = name
        self.setAccessibleName(f"{name}: prices through the day; windows are typed in the rows below")
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_ribbons(self, ribbons, windows, currency: str) -> None:
        """Draws ribbons made of windows."""
        self._ribbons, self._windows, self._unit = tuple(ribbons), tuple(windows), currency
        words = [f"{ribbon.words}: {ribbon.prices.min():g} to {ribbon.prices.max():g}" for ribbon in self._ribbons]
        self.setAccessibleDescription("; ".join(words))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """As high as its ribbons."""
        return QSize(420, HEAD + ROW * max(len(self._ribbons), 1) + 16)

    def minimumSizeHint(self) -> QSize:
        """As high as its ribbons."""
        return QSize(320, self.sizeHint().height())

    def x_of(self, minute: float) -> float:
        """Where a minute of the day lies."""
        return LEFT + (self.width() - LEFT - RIGHT) * minute / 1440.0

    def row_of(self, number: int) -> QRectF:
        """Where a ribbon lies."""
        return QRectF(LEFT, HEAD + ROW * number, self.width() - LEFT - RIGHT, ROW - 6)

    def _minute(self, x: float) -> int:
        share = (x - LEFT) / max(self.width() - LEFT - RIGHT, 1)
        return min(max(round(share * QUARTERS), 0), QUARTERS) * 15

    @painted
    def paintEvent(self, painter):
        """Ribbons with their prices, hours under them."""
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(look.ink))
        painter.setFont(font(9, strong=True))
        painter.drawText(0, 12, f"{self._title}, {self._unit} a kWh")
        prices = [price for ribbon in self._ribbons for price in (ribbon.prices.min(), ribbon.prices.max())]
        low, high = (min(prices), max(prices)) if prices else (0.0, 1.0)
        for number, ribbon in enumerate(self._ribbons):
            self._paint_row(painter, number, ribbon, low, high)
        painter.setPen(QColor(look.quiet))
        painter.setFont(font(7.8))
        bottom = HEAD + ROW * len(self._ribbons) + 8
        for hour in range(0, 25, 3):
            at = self.x_of(hour * 60)
            painter.drawText(QRectF(at - 20, bottom - 8, 40, 14), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}")
        if self._drag is not None and self._drag[0] == "draw":
            _, row, start, end = self._drag
            shade = QColor(look.alternating)
            shade.setAlpha(90)
            box = self.row_of(row)
            painter.fillRect(
                QRectF(
                    self.x_of(min(start, end)), box.top(), abs(self.x_of(end) - self.x_of(start)), box.height()
                ),
                shade,
            )

    def _paint_row(self, painter, number, ribbon, low, high):
        look = colours()
        box = self.row_of(number)
        painter.setPen(QColor(look.quiet))
        painter.setFont(font(8.4))
        painter.drawText(
            QRectF(0, box.top(), LEFT - 8, box.height()),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            ribbon.words,
        )
        for first, last, price in _runs(ribbon):
            share = (price - low) / (high - low) if high > low else 0.5
            shade = _between(QColor(look.field), QColor(look.light), share)
            left, right = self.x_of(first * 15), self.x_of(last * 15)
            part = QRectF(left, box.top(), right - left, box.height())
            painter.fillRect(part, shade)
            painter.setPen(QPen(QColor(look.card), 1.5))
            painter.drawLine(part.topRight(), part.bottomRight())
            painter.setPen(QColor(look.ink))
            text = f"{price:.3f}".rstrip("0").rstrip(".")
            if painter.fontMetrics().horizontalAdvance(text) + 4 <= part.width():
                painter.drawText(part, Qt.AlignmentFlag.AlignCenter, text)

    def _edge_at(self, point):
        """The window and which of its ends lies under a point."""
        for number, ribbon in enumerate(self._ribbons):
            if not self.row_of(number).contains(point):
                continue
            for window in sorted({int(one) for one in ribbon.windows if one >= 0}):
                for end in ("start", "end"):
                    clock = getattr(self._windows[window], end)
                    minute = int(clock[:2]) * 60 + int(clock[3:])
                    places = (minute, 1440) if end == "end" and minute == 0 else (minute,)
                    if any(abs(self.x_of(place) - point.x()) <= NEAR for place in places):
                        return window, end
        return None

    def mousePressEvent(self, event):
        """Takes hold of an edge, or begins a window."""
        edge = self._edge_at(event.position())
        row = next((n for n in range(len(self._ribbons)) if self.row_of(n).contains(event.position())), None)
        if edge is not None:
            self._drag = ("edge", *edge)
        elif row is not None:
            minute = self._minute(event.position().x())
            self._drag = ("draw", row, minute, minute)

    def mouseMoveEvent(self, event):
        """Drags; shows where an edge can be taken."""
        if self._drag is None:
            edge = self._edge_at(event.position())
            self.setCursor(Qt.CursorShape.SplitHCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        minute = self._minute(event.position().x())
        if self._drag[0] == "edge":
            self.edge_moved.emit(self._drag[1], self._drag[2], minute % 1440)
        else:
            self._drag = (*self._drag[:3], minute)
            self.update()

    def mouseReleaseEvent(self, event):
        """Lets go; a stretch drawn becomes a window."""
        drag, self._drag = self._drag, None
        if drag is not None and drag[0] == "draw":
            _, row, start, end = drag
            start, end = min(start, end), max(start, end)
            if end - start >= 15:
                ribbon = self._ribbons[row]
                self.window_drawn.emit(start, end % 1440, ribbon.days, ribbon.months)
        self.update()


def _runs(ribbon):
    """Stretches of one window: first quarter, quarter after the last, price."""
    first = 0
    for quarter in range(1, QUARTERS + 1):
        if quarter == QUARTERS or ribbon.windows[quarter] != ribbon.windows[first]:
            yield first, quarter, float(ribbon.prices[first])
            first = quarter


def _between(low: QColor, high: QColor, share: float) -> QColor:
    parts = (
        round(a + (b - a) * share)
        for a, b in zip((low.red(), low.green(), low.blue()), (high.red(), high.green(), high.blue()), strict=True)
    )
    return QColor(*parts)
