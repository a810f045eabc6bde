"""Pictures of the offer: a day hour by hour, the bill before and after, the years of money."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from calm_relay.desk.widgets.theme import LIGHT, font
from calm_relay.planning.common.amounts import amount_text

MONTHS = "JFMAMJJASOND"
WIDE = 640.0
# What each picture is high, in the same units as it is wide.
DAY_HIGH, BILLS_HIGH, YEARS_HIGH = 300.0, 196.0, 190.0


def _axis(painter: QPainter, box: QRectF, top: float, unit: str, ticks: list[tuple[float, str]]) -> None:
    painter.setPen(QPen(QColor(LIGHT.rule), 1))
    painter.setFont(font(8.6))
    step = _nice(top / 3.0)
    value = 0.0
    while value <= top + 1e-9:
        y = box.bottom() - box.height() * value / top
        painter.setPen(QPen(QColor(LIGHT.rule), 0.8))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        painter.setPen(QColor(LIGHT.quiet))
        words = f"{value:,.0f} {unit}" if step >= 1 else f"{value:.1f} {unit}"
        painter.drawText(
            QRectF(box.left() - 66, y - 7, 60, 14),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            words,
        )
        value += step
    for share, words in ticks:
        x = box.left() + box.width() * share
        # Those at the ends keep within the axis.
        left, towards = (x - 24, Qt.AlignmentFlag.AlignHCenter)
        if share <= 0.0:
            left, towards = (x, Qt.AlignmentFlag.AlignLeft)
        elif share >= 1.0:
            left, towards = (x - 48, Qt.AlignmentFlag.AlignRight)
        painter.drawText(QRectF(left, box.bottom() + 2, 48, 13), towards, words)


def _nice(step: float) -> float:
    """A step that reads well: 1, 2 or 5 times ten, a hundred and so on."""
    if step <= 0:
        return 1.0
    power = 10.0 ** np.floor(np.log10(step))
    return float(next(factor * power for factor in (1, 2, 5, 10) if factor * power >= step - 1e-12))


def _area(painter: QPainter, box: QRectF, top: float, low: np.ndarray, high: np.ndarray, shade: str) -> None:
    at = np.linspace(box.left(), box.right(), low.size)
    points = [
        QPointF(float(x), float(box.bottom() - box.height() * y / top)) for x, y in zip(at, high, strict=True)
    ]
    back = [QPointF(float(x), float(box.bottom() - box.height() * y / top)) for x, y in zip(at, low, strict=True)]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(shade))
    painter.drawPolygon(QPolygonF(points + back[::-1]))


def _keys(painter: QPainter, y: float, entries: list[tuple[str, str]]) -> float:
    """Names of colours in a row; says where it ends."""
    x = 86.0
    painter.setFont(font(9.0))
    for words, shade in entries:
        painter.fillRect(QRectF(x, y - 8, 9, 9), QColor(shade))
        painter.setPen(QColor(LIGHT.ink))
        painter.drawText(QPointF(x + 13, y), words)
        x += 24 + painter.fontMetrics().horizontalAdvance(words)
    return x


def paint_day(painter: QPainter, day, title: str, high: float = DAY_HIGH) -> None:
    """Who serves the home through a day, a `planning.handover.offer.ServedDay`: so many units `high`."""
    painter.setFont(font(10.0, strong=True))
    painter.setPen(QColor(LIGHT.ink))
    painter.drawText(QPointF(0, 12), title)
    box = QRectF(86, 22, WIDE - 92, high - 60)
    home, sun, battery, grid = day.home, day.array, day.battery, day.other
    top = max(float(home.max()), float((sun + battery + grid).max()), 0.5) * 1.08
    _axis(painter, box, top, "kW", [(hour / 24.0, f"{hour}:00") for hour in (0, 6, 12, 18, 24)])
    low = np.zeros(home.size)
    for series, shade in ((sun, LIGHT.light), (battery, LIGHT.direct), (grid, LIGHT.muted)):
        _area(painter, box, top, low, low + series, shade)
        low = low + series
    painter.setPen(QPen(QColor(LIGHT.ink), 1.4))
    at = np.linspace(box.left(), box.right(), home.size)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(
        QPolygonF(
            [
                QPointF(float(x), float(box.bottom() - box.height() * y / top))
                for x, y in zip(at, home, strict=True)
            ]
        )
    )
    entries = [
        ("straight from the array", LIGHT.light),
        ("from the battery", LIGHT.direct),
        (day.other_words, LIGHT.muted),
    ]
    under = high - 9
    end = _keys(painter, under, [entry for entry in entries if entry[0]])
    painter.drawText(QPointF(end, under), "line: what the home draws")


def _money_lines(painter: QPainter, box: QRectF, low: float, top: float, currency: str) -> None:
    """A line across at each of some round sums, with its words at the left."""
    step = _nice((top - low) / 5.0)
    for value in np.arange(np.ceil(low / step), np.floor(top / step) + 1.0) * step:
        y = box.bottom() - box.height() * (value - low) / (top - low)
        painter.setPen(QPen(QColor(LIGHT.rule), 0.8))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        painter.setPen(QColor(LIGHT.quiet))
        words = amount_text(float(value), currency)
        if step >= 1e6 and abs(value) > 0.5:
            words = f"{amount_text(float(value) / 1e6, currency)} million"
        painter.drawText(
            QRectF(box.left() - 86, y - 7, 80, 14),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            words,
        )


def paint_bills(
    painter: QPainter, before: np.ndarray, after: np.ndarray, currency: str, before_words: str
) -> None:
    """The bill of each month before and after, as pairs of bars: `BILLS_HIGH` units high."""
    box = QRectF(86, 8, WIDE - 92, 150)
    top = max(float(before.max()), float(after.max()), 1.0)
    low = min(float(after.min()), float(before.min()), 0.0)
    span = top - low
    painter.setFont(font(8.6))
    _money_lines(painter, box, low, top, currency)
    zero = box.bottom() + box.height() * low / span
    each = box.width() / 12.0
    for month in range(12):
        left = box.left() + month * each
        for series, shade, at in ((before, LIGHT.muted, 0.12), (after, LIGHT.alternating, 0.5)):
            height = box.height() * float(series[month]) / span
            painter.fillRect(
                QRectF(left + each * at, zero - max(height, 0.0), each * 0.34, abs(height)), QColor(shade)
            )
        painter.setPen(QColor(LIGHT.quiet))
        painter.drawText(QRectF(left, box.bottom() + 2, each, 13), Qt.AlignmentFlag.AlignHCenter, MONTHS[month])
    _keys(painter, 188, [(before_words, LIGHT.muted), ("with this offer", LIGHT.alternating)])


def paint_served(painter: QPainter, served) -> None:
    """What is asked in each month and who serves it, a `planning.handover.offer.ServedMonths`: `BILLS_HIGH` high."""
    box = QRectF(86, 8, WIDE - 92, 150)
    parts = [("array and battery", served.own, LIGHT.light), ("generator", served.generator, LIGHT.muted)]
    parts.append(("not served", served.unmet, LIGHT.stop))
    top = max(float(sum(series for _, series, _ in parts).max()), 1.0) * 1.05
    painter.setFont(font(8.6))
    _axis(painter, box, top, "kWh", [])
    each = box.width() / 12.0
    for month in range(12):
        left, floor = box.left() + month * each, box.bottom()
        for _, series, shade in parts:
            height = box.height() * float(series[month]) / top
            painter.fillRect(QRectF(left + each * 0.15, floor - height, each * 0.7, height), QColor(shade))
            floor -= height
        painter.setPen(QColor(LIGHT.quiet))
        painter.drawText(QRectF(left, box.bottom() + 2, each, 13), Qt.AlignmentFlag.AlignHCenter, MONTHS[month])
    _keys(painter, 188, [(words, shade) for words, series, shade in parts if series.sum() > 0.5])


def paint_years(painter: QPainter, running: np.ndarray, currency: str) -> None:
    """The running sum of the years: what was paid against what is saved: `YEARS_HIGH` units high."""
    box = QRectF(86, 8, WIDE - 92, 150)
    top, low = max(float(running.max()), 1.0), min(float(running.min()), 0.0)
    span = top - low
    zero = box.bottom() + box.height() * low / span
    painter.setFont(font(8.6))
    _money_lines(painter, box, low, top, currency)
    each = box.width() / running.size
    for year, value in enumerate(running):
        height = box.height() * float(value) / span
        shade = LIGHT.ok if value >= 0 else LIGHT.check
        painter.fillRect(
            QRectF(box.left() + year * each + each * 0.15, zero - max(height, 0.0), each * 0.7, abs(height)),
            QColor(shade),
        )
        if running.size <= 20 or year % 5 == 0:
            painter.setPen(QColor(LIGHT.quiet))
            painter.drawText(
                QRectF(box.left() + year * each, box.bottom() + 2, each, 13),
                Qt.AlignmentFlag.AlignHCenter,
                str(year),
            )
    painter.drawText(QPointF(box.right() - 60, box.bottom() + 26), "years")
