"""The chosen day as a ribbon: the array's power above the axis, who serves the home below it."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal

from calm_relay.desk.chart import Chart, pen
from calm_relay.desk.theme import colours, font

# What stands on the ribbon and in which colour and weight; the words are beside it, in the same order.
MADE = {
    "used at home": ("light", 255),
    "into the store": ("direct", 200),
    "sold": ("alternating", 150),
    "clipped": ("stop", 220),
    "turned down": ("muted", 200),
}
SERVED = {"from the store": ("direct", 200), "bought": ("ink", 190)}


class DayRibbon(Chart):
    """Draws a `planning.moment.Day`; emits `step_chosen` with a step of the year."""

    step_chosen = Signal(object)

    def __init__(self, parent=None):
        super().__init__("", "", "kW", parent)
        self._day = None
        self._cursor = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The chosen day; left and right move by a quarter of an hour")
        self.getPlotItem().setTitle(None)
        self.getPlotItem().setLabel("bottom", None)
        self.setXRange(0, 24, padding=0)
        self.getAxis("bottom").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 3)]])
        self.scene().sigMouseClicked.connect(self._on_click)

    def show_day(self, day, step: int) -> None:
        """Draws a day with a step of it marked."""
        if day is not self._day:
            self._draw(day)
        self._cursor.setValue(day.hours[step - day.first] + self._width() / 2)
        self.setAccessibleDescription(self._told(step))

    def _width(self):
        return float(self._day.hours[1] - self._day.hours[0])

    def _draw(self, day):
        self._day = day
        self.start()
        self.getPlotItem().setTitle(None)
        look = colours()
        edges = np.append(day.hours, day.hours[-1] + self._width())
        if (np.diff(edges) <= 0).any():
            # The hour that a clock turned back shows twice is drawn once more to the right.
            edges = np.arange(edges.size) * self._width()
        below = np.zeros(day.home.size)
        for name, series in day.made.items():
            colour, alpha = MADE[name]
            self.steps(edges, below + series, getattr(look, colour), base=below, alpha=alpha)
            below = below + series
        above = below
        below = np.zeros(day.home.size)
        for name, series in day.served.items():
            colour, alpha = SERVED[name]
            self.steps(edges, below - series, getattr(look, colour), base=below, alpha=alpha)
            below = below - series
        home = pg.PlotDataItem(edges, day.home, stepMode="center", pen=pen(look.ink, 1.6))
        self.addItem(home)
        top = max(float(above.max()), float(day.home.max()), 1.0) * 1.08
        bottom = min(float(below.min()) * 1.08, -0.2 * top)
        self.setYRange(bottom, top, padding=0)
        if day.level is not None:
            height = bottom + (top - bottom) * day.level
            self.line(edges[:-1] + self._width(), height, look.direct, 1.4, Qt.PenStyle.DotLine)
        self._cursor = pg.InfiniteLine(0.0, angle=90, pen=pen(look.alternating, 2), movable=True)
        self._cursor.setZValue(60)
        self._cursor.sigDragged.connect(lambda line: self._choose(line.value()))
        self.addItem(self._cursor)

    def dress(self) -> None:
        """Takes the application's colours; the ribbon has no title and small ticks."""
        super().dress()
        self.getPlotItem().setTitle(None)
        self.getPlotItem().getAxis("left").setWidth(46)
        for name in ("bottom", "left"):
            self.getPlotItem().getAxis(name).setTickFont(font(7))

    def _told(self, step):
        at = step - self._day.first
        parts = {"home": self._day.home, **self._day.made, **self._day.served}
        told = ", ".join(f"{name} {series[at]:.1f} kW" for name, series in parts.items() if series[at] >= 0.05)
        level = "" if self._day.level is None else f", store {self._day.level[at]:.0%} full"
        return told + level

    @property
    def told(self) -> str:
        """What flows at the chosen step, in words."""
        return self.accessibleDescription()

    def _choose(self, hour):
        if self._day is not None:
            at = int(
                np.clip(round((hour - self._day.hours[0]) / self._width() - 0.5), 0, self._day.hours.size - 1)
            )
            self.step_chosen.emit(self._day.first + at)

    def _on_click(self, event):
        if self._day is not None and event.button() == Qt.MouseButton.LeftButton:
            self._choose(self.getViewBox().mapSceneToView(event.scenePos()).x())

    def keyPressEvent(self, event):
        """Left and right move by a step, page keys by an hour."""
        step = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -4, Qt.Key.Key_PageDown: 4
        }.get(event.key())  # fmt: skip
        if step is None or self._cursor is None:
            super().keyPressEvent(event)
            return
        self._choose(float(self._cursor.value()) - self._width() / 2 + (step + 0.5) * self._width())
