"""Paints options beside each other: one row a measure, one bar an option, all on the measure's own scale."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from calm_relay.desk.widgets.theme import Colours, font

LABEL = 166.0
VALUE = 112.0
# Height of a bar with its words: those of the next one must not run into them. On paper eyes come nearer.
PITCH, ON_PAPER = 11.0, 8.2
GAP = 5.5
TOP = 3.0


class ScaleRows:
    """Rows of `planning.views.scales.Scale`s; option number `shown` is drawn in ink, the others in grey.

    An option that was refused has no figures and no bar; `numbers` says which of the others have one, all of them
    when left out.
    """

    def __init__(self, scales, letters, shown: int, note: str, colours: Colours, numbers=None, *, pitch=PITCH):
        self.scales, self._letters, self._shown, self._note = tuple(scales), letters, shown, note
        self._colours, self._pitch = colours, pitch
        wanted = range(len(letters)) if numbers is None else numbers
        self._live = [i for i in wanted if any(scale.values[i] is not None for scale in self.scales)]

    @property
    def row_height(self) -> float:
        """Height of one measure."""
        return len(self._live) * self._pitch + GAP

    @property
    def height(self) -> float:
        """Height of all measures."""
        return len(self.scales) * self.row_height + TOP

    def row_at(self, y: float):
        """The measure at a height, None where there is none."""
        row = int((y - TOP) // self.row_height) if self.scales else -1
        return self.scales[row] if 0 <= row < len(self.scales) else None

    def summary(self) -> str:
        """The rows in words."""
        return "; ".join(
            f"{scale.label}: "
            + ", ".join(f"{letter} {text}" for letter, text in zip(self._letters, scale.texts, strict=True))
            + (f" ({self._note})" if self._note and scale.yearly else "")
            for scale in self.scales
        )

    def paint(self, painter: QPainter, width: float) -> None:
        """Paints the rows from the painter's origin."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for row, scale in enumerate(self.scales):
            self._row(painter, scale, TOP + row * self.row_height, width)

    def _row(self, painter, scale, top, width):
        look = self._colours
        height = len(self._live) * self._pitch
        painter.setPen(QColor(look.ink))
        painter.setFont(font(9, strong=scale.key == "score"))
        painter.drawText(
            QRectF(0, top, LABEL - 26, height / 2 + 3),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom,
            scale.label,
        )
        aim = {True: "less is better", False: "more is better", None: ""}[scale.lower_is_better]
        if scale.yearly and self._note:
            aim = f"{aim} · {self._note}" if aim else self._note
        painter.setPen(QColor(look.quiet))
        painter.setFont(font(7))
        painter.drawText(
            QRectF(0, top + height / 2 + 3, LABEL - 20, height / 2),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop,
            aim,
        )
        track = QRectF(LABEL, top, width - LABEL - VALUE, self._pitch - 3)
        for place, number in enumerate(self._live):
            self._bar(painter, scale, number, track.translated(0, place * self._pitch))
        painter.setPen(QPen(QColor(look.rule), 1))
        painter.drawLine(round(LABEL), round(top + height + 2), round(width) - 1, round(top + height + 2))

    def _bar(self, painter, scale, number, track):
        look, value, text = self._colours, scale.values[number], scale.texts[number]
        mine = number == self._shown
        painter.setPen(QColor(look.ink if mine else look.quiet))
        painter.setFont(font(0.69 * self._pitch, strong=mine))
        line = QRectF(LABEL - 16, track.top() - 2, 14, self._pitch + 1)
        painter.drawText(line, Qt.AlignmentFlag.AlignCenter, self._letters[number])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(look.field))
        painter.drawRect(track)
        if value is not None:
            span, zero = scale.top - scale.bottom, -scale.bottom / (scale.top - scale.bottom)
            end = 1.0 if value == float("inf") else min(1.0, max(0.0, (value - scale.bottom) / span))
            left, right = sorted((zero, end))
            painter.setBrush(QColor(look.ink if mine else look.muted))
            painter.drawRect(
                QRectF(
                    track.left() + track.width() * left,
                    track.top(),
                    track.width() * (right - left),
                    track.height(),
                )
            )
            if zero > 0.0:
                painter.setBrush(QColor(look.ink))
                painter.drawRect(
                    QRectF(track.left() + track.width() * zero, track.top() - 1, 1, track.height() + 2)
                )
        painter.setPen(QColor(look.ink if mine else look.quiet))
        room = QRectF(track.right() + 6, track.top() - 2, VALUE - 8, self._pitch + 1)
        shown = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
