"""Options beside each other: one row a measure, one bar an option, all on the measure's own scale."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from calm_relay.desk.theme import colours, font

LABEL = 166.0
VALUE = 112.0
BAR_H = 10.0
GAP = 5.5
TOP = 3.0


class ScalePicture(QWidget):
    """Draws `planning.scales.Scale`s; the option in view is drawn in ink, the others in grey."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._scales = ()
        self._letters = ()
        self._shown = 0
        self._note = ""
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The options on common scales")

    def show_scales(self, scales, letters, shown: int, note: str) -> None:
        """Draws scales; `letters` name the options, `shown` is the one in view, `note` marks yearly figures."""
        self._scales, self._letters, self._shown, self._note = scales, letters, shown, note
        told = [
            f"{scale.label}: "
            + ", ".join(f"{letter} {text}" for letter, text in zip(letters, scale.texts, strict=True))
            + (f" ({note})" if note and scale.yearly else "")
            for scale in scales
        ]
        self.setAccessibleDescription("; ".join(told))
        self.updateGeometry()
        self.update()

    def _row_height(self):
        return len(self._letters) * BAR_H + GAP

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(560, round(len(self._scales) * self._row_height() + TOP))

    def minimumSizeHint(self) -> QSize:
        """Least width at which values stand clear of labels."""
        return QSize(430, self.sizeHint().height())

    def mouseMoveEvent(self, event):
        """Tells what a measure means while it is pointed at."""
        row = int((event.position().y() - TOP) // self._row_height()) if self._scales else -1
        if 0 <= row < len(self._scales):
            scale = self._scales[row]
            note = f"\n{self._note}" if self._note and scale.yearly else ""
            QToolTip.showText(event.globalPosition().toPoint(), f"{scale.label}: {scale.note}{note}", self)

    def paintEvent(self, event):
        """Paints the rows."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for row, scale in enumerate(self._scales):
            self._row(painter, scale, TOP + row * self._row_height())

    def _row(self, painter, scale, top):
        height = len(self._letters) * BAR_H
        painter.setPen(QColor(colours().ink))
        painter.setFont(font(9, strong=scale.key == "score"))
        painter.drawText(
            QRectF(0, top, LABEL - 26, height / 2 + 3),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom,
            scale.label,
        )
        aim = {True: "less is better", False: "more is better", None: ""}[scale.lower_is_better]
        if scale.yearly and self._note:
            aim = f"{aim} · {self._note}"
        painter.setPen(QColor(colours().quiet))
        painter.setFont(font(7))
        painter.drawText(
            QRectF(0, top + height / 2 + 3, LABEL - 20, height / 2),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop,
            aim,
        )
        track = QRectF(LABEL, top, self.width() - LABEL - VALUE, BAR_H - 3)
        for number, (value, text) in enumerate(zip(scale.values, scale.texts, strict=True)):
            self._bar(painter, scale, number, value, text, track.translated(0, number * BAR_H))
        painter.setPen(QPen(QColor(colours().rule), 1))
        painter.drawLine(round(LABEL), round(top + height + 2), self.width() - 1, round(top + height + 2))

    def _bar(self, painter, scale, number, value, text, track):
        mine = number == self._shown
        painter.setPen(QColor(colours().ink if mine else colours().quiet))
        painter.setFont(font(7.6, strong=mine))
        line = QRectF(LABEL - 16, track.top() - 2, 14, BAR_H + 1)
        painter.drawText(line, Qt.AlignmentFlag.AlignCenter, self._letters[number])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(colours().field))
        painter.drawRect(track)
        if value is not None:
            share = 1.0 if value == float("inf") else min(1.0, max(0.0, value / scale.top))
            painter.setBrush(QColor(colours().ink if mine else colours().muted))
            painter.drawRect(QRectF(track.left(), track.top(), track.width() * share, track.height()))
        painter.setPen(QColor(colours().ink if mine else colours().quiet))
        room = QRectF(track.right() + 6, track.top() - 2, VALUE - 8, BAR_H + 1)
        shown = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
