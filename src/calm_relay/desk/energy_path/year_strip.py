"""The year as a thin strip, a day a column: what the array made upward, what the home took downward."""

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted, painting
from calm_relay.desk.widgets.theme import colours, font

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
STARTS = np.cumsum([0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30])
WORDS = 13.0
SIDE = 52.0


class YearStrip(QWidget):
    """Draws a `planning.views.moment.Strip`; emits `day_chosen` with a day number from 0."""

    day_chosen = Signal(int)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._strip = None
        self._kept = None
        self._day = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The year by days; left and right choose a day")

    def sizeHint(self) -> QSize:
        """Thin."""
        return QSize(600, 50)

    def show_strip(self, strip, day: int | None) -> None:
        """Draws a year with a day marked."""
        if strip is not self._strip:
            self._kept = None
        self._strip, self._day = strip, day
        self.setAccessibleDescription("" if day is None else self._summary(day))
        self.update()

    def _summary(self, day):
        strip = self._strip
        return (
            f"{self._date(day)}: array {strip.made_kwh[day]:.1f} kWh, home {strip.home_kwh[day]:.1f} kWh, "
            f"imported {strip.imported_kwh[day]:.1f} kWh"
        )

    @staticmethod
    def _date(day):
        month = int(np.searchsorted(STARTS, day, side="right")) - 1
        return f"{day - STARTS[month] + 1} {MONTHS[month]}"

    def _area(self):
        return QRectF(SIDE, 0, self.width() - SIDE - 8, self.height() - WORDS)

    def _day_at(self, x):
        area = self._area()
        return min(364, max(0, int((x - area.left()) / area.width() * 365)))

    @painted
    def paintEvent(self, painter):
        """Paints the columns, kept from the last time where they are the same, and the day's mark."""
        if self._strip is None:
            return
        ratio = self.devicePixelRatioF()
        if self._kept is None or self._kept.size() != self.size() * ratio:
            fresh = QPixmap(self.size() * ratio)
            fresh.setDevicePixelRatio(ratio)
            fresh.fill(QColor(colours().paper))
            with painting(fresh) as on_it:
                self._paint_year(on_it)
            self._kept = fresh
        look, area = colours(), self._area()
        painter.drawPixmap(0, 0, self._kept)
        if self._day is not None:
            x = area.left() + (self._day + 0.5) * area.width() / 365
            painter.setPen(QPen(QColor(look.alternating), 2))
            painter.drawLine(round(x), round(area.top()), round(x), round(area.bottom()))
        if self.hasFocus():
            painter.setPen(QPen(QColor(look.alternating), 1, Qt.PenStyle.DotLine))
            painter.drawRect(area.adjusted(0, 0, -1, -1))

    def _paint_year(self, painter):
        look, area, strip = colours(), self._area(), self._strip
        top = max(strip.made_kwh.max(), strip.home_kwh.max(), 1e-9)
        middle, half = area.center().y(), area.height() / 2
        width = area.width() / 365
        for day in range(365):
            x = area.left() + day * width
            made, home, imported = (
                series[day] / top * half for series in (strip.made_kwh, strip.home_kwh, strip.imported_kwh)
            )
            painter.fillRect(QRectF(x, middle - made, width, made), QColor(look.light))
            painter.fillRect(QRectF(x, middle, width, home), QColor(look.muted))
            painter.fillRect(QRectF(x, middle + home - imported, width, imported), QColor(look.ink))
        painter.setPen(QColor(look.quiet))
        painter.setFont(font(7))
        for text, y in (("array", area.top()), ("home", middle)):
            words = QRectF(0, y, SIDE - 6, half)
            painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        for start, name in zip(STARTS, MONTHS, strict=True):
            x = area.left() + start * width
            painter.setPen(QPen(QColor(look.rule), 1))
            painter.drawLine(round(x), round(area.top()), round(x), round(area.bottom()))
            painter.setPen(QColor(look.quiet))
            painter.drawText(QRectF(x + 2, area.bottom(), 40, WORDS), Qt.AlignmentFlag.AlignLeft, name)

    def mousePressEvent(self, event):
        """Chooses the day under the pointer."""
        if self._strip is not None:
            self.day_chosen.emit(self._day_at(event.position().x()))

    def mouseMoveEvent(self, event):
        """Scrubs while pressed; tells the day otherwise."""
        if self._strip is None:
            return
        day = self._day_at(event.position().x())
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.day_chosen.emit(day)
        else:
            QToolTip.showText(event.globalPosition().toPoint(), tip(self._summary(day)), self)

    def keyPressEvent(self, event):
        """Left and right choose a day, page keys a month."""
        step = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -30, Qt.Key.Key_PageDown: 30
        }.get(event.key())  # fmt: skip
        if step is None or self._strip is None:
            super().keyPressEvent(event)
            return
        self.day_chosen.emit(min(364, max(0, (self._day or 0) + step)))
