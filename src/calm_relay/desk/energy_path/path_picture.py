"""Paints the line: stations, legs, headroom bars and finding marks."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from calm_relay.desk.widgets.theme import Colours, font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.planning.common.severity import Severity

SIDE = 84.0
LAST_COLUMN = 5.8
ROW_Y = (44.0, 142.0)
HEIGHT = 190.0
# Without a branch below.
HEIGHT_BEGUN = 112.0
# Of a plain one, with a branch below and without.
HEIGHT_PLAIN, HEIGHT_PLAIN_FLAT = 176.0, 96.0
NODE = 8.0
BAR = 104.0
INVERTERS = {"Inverter", "Battery inverter", "Kept inverter"}


class LinePicture:
    """Places a line on a rectangle and paints it; a `plain` one shows what hangs together, and no limits or marks."""

    def __init__(self, line, rect: QRectF, colours: Colours, moment=None, *, plain: bool = False):
        self._line = line
        self._plain = plain
        self._moment = moment
        self._rect = rect
        self._colours = colours

    def point(self, column: float, row: float) -> QPointF:
        """Where a column and row of the line lie."""
        across = self._rect.width() - 2 * SIDE
        return QPointF(
            self._rect.left() + SIDE + across * column / LAST_COLUMN, self._rect.top() + ROW_Y[round(row)]
        )

    def station_at(self, position: QPointF):
        """The station under a point, None where there is none."""
        for station in self._line.stations:
            if self._area(station).contains(position):
                return station
        return None

    def paint(self, painter: QPainter, lit: str | None = None, opened: str | None = None) -> None:
        """Paints everything; the station named `lit` is ringed, the one named `opened` underlined."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for leg in self._line.legs:
            self._leg(painter, leg)
        for station in self._line.stations:
            self._station(painter, station, station.name == lit, station.name == opened)

    def _area(self, station):
        at = self.point(station.column, station.row)
        if station.words == "below":
            return QRectF(at.x() - 64, at.y() - 34, 128, 90)
        if station.words == "left":
            return QRectF(at.x() - 150, at.y() - 26, 162, 68)
        return QRectF(at.x() - 12, at.y() - 26, 162, 68)

    def _leg(self, painter, leg):
        start, end = self.point(*leg.start), self.point(*leg.end)
        if leg.kind == "light":
            painter.setPen(QPen(QColor(self._colours.light), 2, Qt.PenStyle.DotLine))
            painter.drawLine(start, end)
            if self._moment:
                painter.setFont(font(7.5, strong=True))
                spot = QRectF((start.x() + end.x()) / 2 - 40, start.y() - 18, 80, 12)
                painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, self._flow_text(leg, start, end))
            return
        if leg.kind == "AC":
            painter.setPen(QPen(QColor(self._colours.alternating), 4))
            painter.drawLine(start, end)
        else:
            painter.setPen(QPen(QColor(self._colours.direct), 1.6))
            upright = start.x() == end.x()
            aside = QPointF(2.4, 0) if upright else QPointF(0, 2.4)
            painter.drawLine(start + aside, end + aside)
            painter.drawLine(start - aside, end - aside)
        self._leg_word(painter, leg, start, end)

    def _leg_word(self, painter, leg, start, end):
        colour = self._colours.alternating if leg.kind == "AC" else self._colours.direct
        painter.setPen(QColor(colour))
        painter.setFont(font(7.5, strong=True))
        text = self._flow_text(leg, start, end)
        if start.x() == end.x():
            # Beside the leg, low enough to clear the captions of the row above.
            lower = max(start.y(), end.y())
            painter.drawText(QRectF(end.x() + 6, lower - 38, 70, 12), Qt.AlignmentFlag.AlignLeft, text)
        else:
            # A third along, clear of where a battery joins.
            third = start + (end - start) / 3
            painter.drawText(QRectF(third.x() - 40, third.y() - 18, 80, 12), Qt.AlignmentFlag.AlignCenter, text)

    def _flow_text(self, leg, start, end):
        """Kind of current, with the live power and its direction while a moment is shown."""
        kw = self._moment.legs.get(leg.flow) if self._moment else None
        if kw is None:
            return leg.kind
        if leg.kind == "light":
            return f"{kw:.0f} W/m²"
        if abs(kw) < 0.005:
            return f"{leg.kind} 0 kW"
        turned = (end.x() < start.x()) if start.x() != end.x() else (end.y() < start.y())
        ahead, back = ("▸", "◂") if start.x() != end.x() else ("▾", "▴")
        return f"{leg.kind} {abs(kw):.1f} kW {ahead if (kw > 0) != turned else back}"

    def _station(self, painter, station, lit, opened):
        at = self.point(station.column, station.row)
        colours = self._colours
        painter.setPen(QPen(QColor(colours.ink), 2.2))
        inverts = station.name in INVERTERS
        painter.setBrush(QColor(colours.ink if inverts else colours.paper))
        painter.drawEllipse(at, NODE, NODE)
        if lit:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(colours.ink), 1.2, Qt.PenStyle.DashLine))
            painter.drawEllipse(at, NODE + 5, NODE + 5)
        below = station.words == "below"
        if below:
            rect = QRectF(at.x() - 76, at.y() - 34, 152, 18)
            align = Qt.AlignmentFlag.AlignHCenter
        elif station.words == "left":
            wide = max(200.0, min(320.0, at.x() - 24))
            rect = QRectF(at.x() - 16 - wide, at.y() - 22, wide, 18)
            align = Qt.AlignmentFlag.AlignRight
        else:
            rect = QRectF(at.x() + 16, at.y() - 22, 200, 18)
            align = Qt.AlignmentFlag.AlignLeft
        painter.setPen(QColor(colours.ink))
        painter.setFont(font(9.5, strong=True))
        painter.drawText(rect, align | Qt.AlignmentFlag.AlignVCenter, station.name)
        if opened:
            self._underline(painter, station, rect, align)
        top = at.y() + 13 if below else at.y() - 5
        painter.setFont(font(9))
        if self._plain:
            across = (self._rect.width() - 2 * SIDE) / LAST_COLUMN - 6 if below else rect.width()
            left = at.x() - across / 2 if below else rect.left()
            words = QRectF(left, top, across, 32)
            painter.drawText(words, align | Qt.TextFlag.TextWordWrap, _held_together(station.headline))
            return
        painter.setFont(font(9.5, strong=True))
        self._mark(painter, station, rect, align)
        painter.setPen(QColor(colours.ink))
        painter.setFont(font(9))
        _line(painter, QRectF(rect.left(), top, rect.width(), 15), align, station.headline)
        headroom = self._headroom(station)
        caption = headroom.caption if headroom else station.detail
        painter.setPen(QColor(colours.quiet))
        painter.setFont(font(7.8))
        wider = 8 if below else 0
        _line(painter, QRectF(rect.left() - wider, top + 16, rect.width() + 2 * wider, 13), align, caption)
        if headroom:
            left = {
                Qt.AlignmentFlag.AlignHCenter: at.x() - BAR / 2,
                Qt.AlignmentFlag.AlignRight: rect.right() - BAR,
                Qt.AlignmentFlag.AlignLeft: rect.left(),
            }[align]
            self._bar(painter, headroom, QRectF(left, top + 31, BAR, 5))

    def _underline(self, painter, station, rect, align):
        width = QFontMetricsF(painter.font()).horizontalAdvance(station.name)
        left = {
            Qt.AlignmentFlag.AlignHCenter: rect.center().x() - width / 2,
            Qt.AlignmentFlag.AlignRight: rect.right() - width,
            Qt.AlignmentFlag.AlignLeft: rect.left(),
        }[align]
        painter.fillRect(QRectF(left, rect.bottom() - 1, width, 2), QColor(self._colours.alternating))

    def _headroom(self, station):
        """What its bar shows: the year's limit, or the instant while a moment is shown."""
        if self._moment is None:
            return station.headroom
        return self._moment.bars.get(station.name)

    def _bar(self, painter, headroom, rect):
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._colours.field))
        painter.drawRect(rect)
        painter.setBrush(QColor(self._colours.of(headroom.severity)))
        filled = QRectF(rect)
        filled.setWidth(rect.width() * min(1.0, max(0.0, headroom.fraction)))
        painter.drawRect(filled)

    def _mark(self, painter, station, rect, align):
        if station.severity is None or station.severity is Severity.OK:
            return
        width = QFontMetricsF(painter.font()).horizontalAdvance(station.name)
        if align == Qt.AlignmentFlag.AlignHCenter:
            x = rect.center().x() + width / 2 + 11
        elif align == Qt.AlignmentFlag.AlignRight:
            x = rect.right() - width - 11
        else:
            x = rect.left() + width + 11
        paint_mark(painter, QPointF(x, rect.center().y()), station.severity, self._colours, station.findings)


def _held_together(text: str) -> str:
    """A headline that breaks between what it says, and not within it."""
    for loose, held in ((" × ", "\u00a0×\u00a0"), (" a year", " a\u00a0year"), (" face", "\u00a0face")):
        text = text.replace(loose, held)
    return keep_units(text)


def _line(painter, rect: QRectF, align, text: str) -> None:
    """A line of words, its end left out where there is no room for it."""
    shown = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, rect.width())
    painter.drawText(rect, align, shown)


def paint_mark(painter, at: QPointF, severity: Severity, colours: Colours, count: int | None = None):
    """A finding's mark: a square for what stops, a triangle for what wants watching, a dot for what holds."""
    painter.save()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colours.of(severity)))
    if severity is Severity.STOP:
        painter.drawRect(QRectF(at.x() - 6.5, at.y() - 6.5, 13, 13))
    elif severity is Severity.CHECK:
        corners = [QPointF(0, -8), QPointF(8.5, 6.5), QPointF(-8.5, 6.5)]
        painter.drawPolygon(QPolygonF([at + corner for corner in corners]))
    else:
        painter.drawEllipse(at, 4, 4)
    if count is not None and severity is not Severity.OK:
        painter.setPen(QColor(colours.card))
        painter.setFont(font(7, strong=True))
        drop = 1.5 if severity is Severity.CHECK else 0
        painter.drawText(QRectF(at.x() - 8, at.y() - 7 + drop, 16, 14), Qt.AlignmentFlag.AlignCenter, str(count))
    painter.restore()
