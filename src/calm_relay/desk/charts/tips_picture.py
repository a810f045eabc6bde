"""What would change the answer: each figure's range with today's mark and the point at which another overtakes."""

from math import log

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from calm_relay.desk.widgets.label import tip as plain_tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font

NAME, ROW, HEAD = 196.0, 29.0, 20.0


class TipsPicture(QWidget):
    """Rows of `planning.studies.tipping.Tips`, those that change the answer first."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._rows = []
        self._letters = {}
        self._word = ""
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What would change the answer")

    def show_tips(self, tips, letters: dict[str, str], word: str = "") -> None:
        """Shows tips; `letters` name the options by key, `word` stands where there is nothing to show."""
        rows: dict = {}
        for tip in tips.tips if tips else ():
            rows.setdefault(tip.knob.key, []).append(tip)
        self._rows, self._letters, self._word = list(rows.values()), letters, word
        self.setAccessibleDescription(" ".join(tip.sentence for row in self._rows for tip in row))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(560, round(HEAD + ROW * max(len(self._rows), 3)))

    def minimumSizeHint(self) -> QSize:
        """The least width at which a range can be read."""
        return QSize(400, self.sizeHint().height())

    def mouseMoveEvent(self, event):
        """Tells a row's sentence while it is pointed at."""
        row = int((event.position().y() - HEAD) // ROW)
        if 0 <= row < len(self._rows):
            text = "\n".join(tip.sentence for tip in self._rows[row])
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(text), self)

    @painted
    def paintEvent(self, painter):
        """Paints the rows."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look = colours()
        painter.setFont(font(8))
        painter.setPen(QColor(look.quiet))
        head = self._word or "ring: today; a letter stands where that option begins to serve best"
        painter.drawText(QRectF(0, 0, self.width(), HEAD), Qt.AlignmentFlag.AlignLeft, head)
        for number, row in enumerate(self._rows):
            self._row(painter, row, HEAD + number * ROW)

    def _row(self, painter, row, top):
        look, knob = colours(), row[0].knob
        left, right = NAME + 52, self.width() - 58.0
        middle = top + ROW * 0.42

        def at(value):
            if knob.low > 0:
                share = log(value / knob.low) / log(knob.high / knob.low)
            else:
                share = (value - knob.low) / (knob.high - knob.low)
            return left + (right - left) * min(max(share, 0.0), 1.0)

        changes = row[0].at is not None
        painter.setPen(QColor(look.ink if changes else look.quiet))
        painter.setFont(font(8.4, strong=changes))
        name = QFontMetricsF(painter.font()).elidedText(knob.name, Qt.TextElideMode.ElideRight, NAME)
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, top, NAME, ROW * 0.84), flags, name)
        painter.setFont(font(7.4))
        painter.setPen(QColor(look.quiet))
        painter.drawText(QRectF(left - 56, middle - 8, 50, 16), Qt.AlignmentFlag.AlignRight, knob.number(knob.low))
        painter.drawText(QRectF(right + 6, middle - 8, 52, 16), Qt.AlignmentFlag.AlignLeft, knob.number(knob.high))
        painter.setPen(QPen(QColor(look.rule), 3))
        painter.drawLine(QPointF(left, middle), QPointF(right, middle))
        for tip in row:
            if tip.at is None:
                continue
            end = right if tip.rising else left
            painter.setPen(QPen(QColor(look.check), 3))
            painter.drawLine(QPointF(at(tip.at), middle), QPointF(end, middle))
            painter.setBrush(QColor(look.check))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(at(tip.at), middle), 7.8, 7.8)
            painter.setPen(QColor(look.paper))
            painter.setFont(font(8, strong=True))
            converter = QRectF(at(tip.at) - 9, middle - 9, 18, 18)
            painter.drawText(converter, Qt.AlignmentFlag.AlignCenter, self._letters.get(tip.to, ""))
            painter.setPen(QColor(look.ink))
            painter.setFont(font(7.6))
            place = min(max(at(tip.at) - 45, left - 40), right - 50)
            painter.drawText(QRectF(place, middle + 7, 90, 12), Qt.AlignmentFlag.AlignCenter, knob.number(tip.at))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(look.alternating), 2.4))
        painter.drawEllipse(QPointF(at(knob.today), middle), 5.5, 5.5)
