"""Who is on the backed-up board: circuits by priority, and their stack against what the inverter gives."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font, shade_of

NAMES, BREAKERS, FATES = 134.0, 40.0, 214.0
LEFT = NAMES + BREAKERS
ROW_LOW, ROW_HIGH = 14.0, 22.0
HEAD = 20.0


class BackupPicture(QWidget):
    """Draws `planning.views.backup_stack.Stack`: a bar a circuit, filled where it stays on, then a stack a leg."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._stack = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Who is on the backed-up board")

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(420, round(HEAD + ROW_HIGH * self._count))

    def minimumSizeHint(self) -> QSize:
        """The least at which its rows can be read."""
        return QSize(360, round(HEAD + ROW_LOW * self._count))

    @property
    def _count(self):
        return 4 if self._stack is None else len(self._stack.rows) + len(self._stack.legs)

    def show_stack(self, stack) -> None:
        """Draws a stack; None while it is not known."""
        self._stack = stack
        if stack is None:
            self.setAccessibleDescription("")
            self.setToolTip("")
            self.update()
            return
        summary = [f"{row.name}: {row.fate}, {row.kw:.1f} kW" for row in stack.rows]
        for leg, kw in stack.legs.items():
            limit = "" if stack.limit_kw is None else f" of {stack.limit_kw:.1f}"
            summary.append(f"{leg}: {sum(kw):.1f}{limit} kW")
        self.setAccessibleDescription("; ".join(summary))
        self.setToolTip(tip(f"From: the simulated year; {stack.owner or 'no battery'}, datasheet"))
        self.updateGeometry()
        self.update()

    @painted
    def paintEvent(self, painter):
        """Paints heads, circuits and stacks."""
        stack = self._stack
        if stack is None:
            return
        look = colours()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        sums = [sum(kw) for kw in stack.legs.values()]
        most = max([row.kw for row in stack.rows] + sums + [stack.limit_kw or 0.0, 0.1])
        across = self.width() - LEFT - FATES
        row_high = min((self.height() - HEAD) / self._count, ROW_HIGH)
        when = stack.at.astype(object)
        fed = stack.words.on_backup
        what = fed if any(row.on for row in stack.rows) else "The house"
        painter.setFont(font(9))
        painter.setPen(QColor(look.ink))
        head = QRectF(LEFT, 0, self.width() - LEFT, HEAD)
        summary = f"{what} at its worst half hour, {when:%-d %b, %H:%M}"
        painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, summary)
        scale = across / (most * 1.08)
        for number, row in enumerate(stack.rows):
            y = HEAD + number * row_high
            self._words(painter, row.name, y, row_high, look.ink if row.on else look.quiet)
            if row.breaker_a is not None:
                place = QRectF(NAMES - 6, y, BREAKERS - 2, row_high)
                right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(place, right, f"{row.breaker_a:g} A")
            bar = QRectF(LEFT, y + 2.5, row.kw * scale, row_high - 5)
            if row.on:
                painter.fillRect(bar, QColor(shade_of(number)))
            else:
                painter.setPen(QPen(QColor(look.quiet), 1.0, Qt.PenStyle.DashLine))
                painter.drawRect(bar)
            painter.setPen(QColor(look.ink if row.on else look.quiet))
            painter.setFont(font(8, strong=row.on))
            place = QRectF(self.width() - FATES + 6, y, FATES - 6, row_high)
            summary = f"{row.kw:.1f} kW  {', '.join(part for part in (row.fate, row.leg) if part)}"
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, summary)
        self._paint_legs(painter, stack, row_high, scale)

    def _words(self, painter, text, y, high, colour, *, strong=False):
        painter.setFont(font(8, strong=strong))
        painter.setPen(QColor(colour))
        cut = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(NAMES - 8))
        place = QRectF(0, y, NAMES - 8, high)
        painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, cut)

    def _paint_legs(self, painter, stack, row_high, scale):
        look = colours()
        first = HEAD + len(stack.rows) * row_high
        painter.setPen(QPen(QColor(look.rule), 1.0))
        painter.drawLine(QPointF(0, first), QPointF(self.width(), first))
        for number, (leg, kw) in enumerate(stack.legs.items()):
            y, x = first + number * row_high, LEFT
            self._words(painter, leg, y, row_high, look.ink, strong=True)
            for at, part in enumerate(kw):
                painter.fillRect(QRectF(x, y + 2.5, part * scale, row_high - 5), QColor(shade_of(at)))
                x += part * scale
            total = sum(kw)
            over = stack.limit_kw is not None and total > stack.limit_kw
            limit = "nothing forms a grid" if stack.limit_kw is None else f"of {stack.limit_kw:.1f} kW"
            painter.setFont(font(8, strong=True))
            painter.setPen(QColor(look.stop if over else look.ink))
            summary = f"{total:.1f} {limit}{': trips' if over else ''}"
            place = QRectF(self.width() - FATES + 6, y, FATES - 6, row_high)
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, summary)
        if stack.limit_kw is not None:
            at = LEFT + stack.limit_kw * scale
            painter.setPen(QPen(QColor(look.stop), 1.8, Qt.PenStyle.DashLine))
            last = first + len(stack.legs) * row_high
            painter.drawLine(QPointF(at, first + 1), QPointF(at, last - 1))
