"""The chosen day as a ribbon: the array's power above the axis, who serves the home below it."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPainterPath

from calm_relay.desk.charts.chart import between, pen
from calm_relay.desk.charts.cursor_chart import CursorChart
from calm_relay.desk.widgets.theme import colours, font

# What stands on the ribbon and in which colour and weight; the words are beside it, in the same order.
MADE = {
    "used at home": ("light", 255),
    "into the battery": ("direct", 200),
    "exported": ("alternating", 150),
    "clipped": ("stop", 220),
    "curtailed": ("muted", 200),
}
SERVED = {"from the battery": ("direct", 200), "imported": ("ink", 190)}
SERVED_OFF_GRID = {
    "from the battery": ("direct", 200),
    "from the generator": ("ink", 190),
    "not served": ("stop", 120),
}


class DayRibbon(CursorChart):
    """Draws a `planning.views.moment.Day`; emits `step_chosen` with a step of the year."""

    step_chosen = Signal(object)

    def __init__(self, parent=None):
        super().__init__("", "", "kW", parent)
        self._day = None
        self.setAccessibleName("The chosen day; left and right move by a quarter of an hour")
        self.getPlotItem().setTitle(None)
        self.getPlotItem().setLabel("bottom", None)
        self.setXRange(0, 24, padding=0)
        self.getAxis("bottom").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 3)]])
        self.pointed.connect(self._choose)

    def show_day(self, day, step: int) -> None:
        """Draws a day with a step of it marked."""
        if day is not self._day:
            self._draw(day)
        self.key_step = self._width()
        self.place_cursor(day.hours[step - day.first] + self._width() / 2)
        self.setAccessibleDescription(self._summary(step))

    def _width(self):
        return float(self._day.hours[1] - self._day.hours[0])

    def _draw(self, day):
        self._day = day
        if self._cursor is None:
            self._make_items()
        edges = np.append(day.hours, day.hours[-1] + self._width())
        if (np.diff(edges) <= 0).any():
            # The hour that a clock turned back shows twice is drawn once more to the right.
            edges = np.arange(edges.size) * self._width()
        for name in self._bands.keys() - day.made.keys() - day.served.keys():
            self._bands[name].setPath(QPainterPath())
        above = self._stack(edges, day.made, 1.0)
        below = self._stack(edges, day.served, -1.0)
        self._home.setData(np.repeat(edges, 2)[1:-1], np.repeat(day.home, 2))
        self._rest.setVisible(day.controlled is not None)
        if day.controlled is not None:
            self._rest.setData(np.repeat(edges, 2)[1:-1], np.repeat(day.home - day.controlled, 2))
        top = max(float(above.max()), float(day.home.max()), 1.0) * 1.08
        bottom = min(float(below.min()) * 1.08, -0.2 * top)
        self.setYRange(bottom, top, padding=0)
        self._level.setVisible(day.level is not None)
        if day.level is not None:
            self._level.setData(edges[:-1] + self._width(), bottom + (top - bottom) * day.level)

    def _stack(self, edges, parts, sign):
        """Lays parts on each other, away from the axis; returns where the last one ends."""
        xs = np.repeat(edges, 2)[1:-1]
        lower = np.zeros(edges.size - 1)
        for name, series in parts.items():
            upper = lower + sign * series
            self._bands[name].setPath(between(xs, np.repeat(lower, 2), np.repeat(upper, 2)))
            lower = upper
        return lower

    def _make_items(self):
        """Makes every item once: new ones for each day would take longer than the day's plan."""
        look = colours()
        nothing = np.zeros(0)
        self._bands = {
            name: self.band(nothing, nothing, nothing, getattr(look, colour), alpha)
            for name, (colour, alpha) in {**MADE, **SERVED, **SERVED_OFF_GRID}.items()
        }
        self._home = pg.PlotCurveItem(pen=pen(look.ink, 1.6))
        self._rest = pg.PlotCurveItem(pen=pen(look.ink, 1.0, Qt.PenStyle.DashLine))
        self._level = pg.PlotCurveItem(pen=pen(look.direct, 1.4, Qt.PenStyle.DotLine))
        for item in (self._home, self._rest, self._level):
            self.addItem(item)
        self.add_cursor()

    def dress(self) -> None:
        """Takes the application's colours; the ribbon has no title and small ticks."""
        super().dress()
        self.getPlotItem().setTitle(None)
        self.getPlotItem().getAxis("left").setWidth(46)
        for name in ("bottom", "left"):
            self.getPlotItem().getAxis(name).setTickFont(font(7))

    def _summary(self, step):
        at = step - self._day.first
        controlled = {} if self._day.controlled is None else {"of it controlled": self._day.controlled}
        parts = {"home": self._day.home, **controlled, **self._day.made, **self._day.served}
        summary = ", ".join(f"{name} {series[at]:.1f} kW" for name, series in parts.items() if series[at] >= 0.05)
        level = "" if self._day.level is None else f", battery {self._day.level[at]:.0%} full"
        return summary + level

    @property
    def summary(self) -> str:
        """What flows at the chosen step, in words."""
        return self.accessibleDescription()

    def _choose(self, hour):
        if self._day is not None:
            at = int(
                np.clip(round((hour - self._day.hours[0]) / self._width() - 0.5), 0, self._day.hours.size - 1)
            )
            self.step_chosen.emit(self._day.first + at)
