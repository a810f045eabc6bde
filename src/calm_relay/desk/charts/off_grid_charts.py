"""Charts of an off-grid house: its year by months, and what other sizes would leave unserved."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt, Signal

from calm_relay.desk.charts.battery_charts import MONTHS
from calm_relay.desk.charts.chart import Chart, pen, shades_between
from calm_relay.desk.widgets.theme import colours

READINGS = (("unmet", "unserved, %"), ("hours", "generator, h a year"), ("cost", "outlay and fuel, thousands"))
MOVES = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (1, 0),
    Qt.Key.Key_Down: (-1, 0),
}


class OffGridMonths(Chart):
    """Each month's array used and thrown away, generator, and what went unserved, against what was asked."""

    def __init__(self):
        super().__init__("The year off grid, by months", "", "kWh")

    def show_year(self, result) -> None:
        """Draws `planning.studies.off_grid.OffGridYear`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        months = np.arange(12)
        used = np.maximum(result.made_by_month - result.curtailed_by_month, 0.0)
        self._bars(months - 0.4, 0.34, 0.0, used, look.light)
        self._bars(months - 0.4, 0.34, used, result.curtailed_by_month, look.rule, outline=look.quiet)
        self._bars(months - 0.04, 0.2, 0.0, result.generator_by_month, look.alternating)
        self._bars(months + 0.18, 0.2, 0.0, result.unmet_by_month, look.stop)
        for month, kwh in zip(months, result.asked_by_month, strict=True):
            self.line([month - 0.45, month + 0.43], [kwh, kwh], look.ink, 2.2)
        top = max(float(result.made_by_month.max()), float(result.asked_by_month.max()), 1.0)
        keys = (
            ("asked (line)", look.ink),
            ("array, used", look.light),
            ("array, thrown away", look.quiet),
            ("generator", look.alternating),
            ("asked, not served", look.stop),
        )
        for number, (words, colour) in enumerate(keys):
            row, column = divmod(number, 3)
            self.key(-0.4 + 4.1 * column, top, words, colour, row)
        self.getAxis("bottom").setTicks([list(enumerate(MONTHS))])
        self.setXRange(-0.6, 11.6, padding=0)
        self.keys_above(0.0, top)

    def _bars(self, left, width, base, height, colour, outline=None):
        edge = None if outline is None else pen(outline, 1.0, Qt.PenStyle.DotLine)
        self.addItem(pg.BarGraphItem(x0=left, width=width, y0=base, height=height, brush=colour, pen=edge))


class SizingMap(Chart):
    """Packs up, array across, a figure in each place; emits `picked` with the place clicked or stepped to.

    The thick line parts places within the target, in bold, from those beyond it; the ring is the option itself,
    the square the cheapest within the target; in brackets stands what the makers do not allow.
    """

    picked = Signal(int, int)

    def __init__(self):
        super().__init__("Packs and array", "array, kWp", "usable kWh")
        self._result = None
        self.place = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.scene().sigMouseClicked.connect(self._on_click)

    def show_sizing(self, result, reading: str, place=None, currency: str = "") -> None:
        """Draws `planning.studies.off_grid.Sizing` by one of `READINGS`; None clears the chart."""
        self._result, self.place = result, place
        if not self.begins(result):
            return
        look = colours()
        values = {"unmet": result.unmet * 100.0, "hours": result.generator_hours, "cost": result.cost}[reading]
        low, high = float(values.min()), float(values.max())
        rows, columns = values.shape
        image = pg.ImageItem(values.T, levels=(low, max(high, low + 1e-9)))
        image.setLookupTable(shades_between(look.paper, look.light, look.stop))
        image.setOpacity(0.55)
        image.setRect(QRectF(0, 0, columns, rows))
        self.addItem(image)
        within = result.unmet <= result.target + 1e-12
        for i in range(rows):
            for j in range(columns):
                summary = _summary(values[i, j], reading)
                summary = summary if result.allowed[i, j] else f"({summary})"
                self.words(j + 0.5, i + 0.5, summary, look.ink, (0.5, 0.5), strong=bool(within[i, j]))
        self._border(within, look.stop)
        self._mark(result.here, "o", look.alternating)
        self._mark(result.best, "s", look.ok)
        if place is not None:
            self._frame(place, look.ink)
        ticks = [(j + 0.5, f"{kw:.1f}") for j, kw in enumerate(result.array_kw)]
        self.getAxis("bottom").setTicks([ticks])
        self.getAxis("left").setTicks([[(i + 0.5, f"{kwh:.1f}") for i, kwh in enumerate(result.usable_kwh)]])
        money = f" of {currency}, at today's worth" if reading == "cost" else ""
        self.head(f"{dict(READINGS)[reading].capitalize()}{money}")
        self.setXRange(0, columns, padding=0.01)
        self.setYRange(0, rows, padding=0.01)

    def _border(self, within, colour):
        """The edges between places within the target and beyond."""
        rows, columns = within.shape
        for i in range(rows):
            for j in range(columns):
                if j + 1 < columns and within[i, j] != within[i, j + 1]:
                    self.line([j + 1, j + 1], [i, i + 1], colour, 3.0)
                if i + 1 < rows and within[i, j] != within[i + 1, j]:
                    self.line([j, j + 1], [i + 1, i + 1], colour, 3.0)

    def _mark(self, place, symbol, colour):
        if place is None:
            return
        x, y = place[1] + 0.5, place[0] + 0.5
        self.plot([x], [y], pen=None, symbol=symbol, symbolSize=34, symbolPen=pen(colour, 2.6), symbolBrush=None)

    def _frame(self, place, colour):
        i, j = place
        self.line([j, j + 1, j + 1, j, j], [i, i, i + 1, i + 1, i], colour, 2.0)

    def _on_click(self, event):
        if self._result is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = self.getViewBox().mapSceneToView(event.scenePos())
        self._pick(int(np.floor(at.y())), int(np.floor(at.x())))

    def _pick(self, i, j):
        rows, columns = self._result.unmet.shape
        if 0 <= i < rows and 0 <= j < columns:
            self.picked.emit(i, j)

    def keyPressEvent(self, event):
        """The arrows step from place to place."""
        move = MOVES.get(event.key())
        if move is None or self._result is None:
            super().keyPressEvent(event)
            return
        i, j = self.place or self._result.here or (0, 0)
        self._pick(i + move[0], j + move[1])


def _summary(value, reading):
    if reading == "unmet":
        return f"{value:.1f}" if value >= 0.05 or value == 0.0 else "<0.1"
    return f"{value / 1000:.1f}" if reading == "cost" else f"{value:,.0f}"
