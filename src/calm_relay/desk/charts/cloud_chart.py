"""The cloud of a search: every plant a point, cost across and benefit up, the efficient edge as a line."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal

from calm_relay.desk.charts.chart import Chart, brush, pen
from calm_relay.desk.widgets.label import rich
from calm_relay.desk.widgets.theme import colours
from calm_relay.planning.architecture.ways import architectures

# Shape and colour by what carries the battery; never colour alone.
MARKS = (
    ("o", "●", "alternating"),
    ("s", "■", "direct"),
    ("t", "▼", "ok"),
    ("d", "◆", "light"),
    ("t1", "▲", "check"),
    ("p", "⬟", "muted"),
)


class CloudChart(Chart):
    """Emits `picked` with a plant when its point is clicked."""

    picked = Signal(object)

    def __init__(self):
        super().__init__("Cost against benefit", "outlay", "benefit")
        self._plants = ()
        self._worth = None
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def show_plants(self, plants, edge, words: str, worth, currency: str, chosen) -> None:
        """Draws plants; `edge` is the efficient edge by rising cost, `chosen` the plant picked."""
        look = colours()
        self._plants, self._worth = plants, worth
        if not plants:
            self.waits("No plant has all of this.")
            return
        self.start()
        item = self.getPlotItem()
        item.setLabel("bottom", rich("outlay, {}", currency), color=look.quiet)
        item.setLabel("left", rich("{}", words), color=look.quiet)
        costs = np.array([plant.brief.money.outlay for plant in plants])
        worths = np.array([worth(plant) for plant in plants])
        low, high = float(worths.min()), float(worths.max())
        span = max(high - low, 1e-6)
        row = 0
        tried = [way for way in architectures() if way.search_words]
        for place, way in enumerate(tried):
            symbol, sign, colour = MARKS[place % len(MARKS)]
            mine = [number for number, plant in enumerate(plants) if plant.key == way.key]
            if not mine:
                continue
            shade = getattr(look, colour)
            points = pg.ScatterPlotItem(
                costs[mine], worths[mine], symbol=symbol, size=6.5, pen=None, brush=brush(shade, 120)
            )
            points.setData(x=costs[mine], y=worths[mine], data=mine)
            points.sigClicked.connect(self._on_clicked)
            self.addItem(points)
            words_item = pg.TextItem(anchor=(1, 0))
            words_item.setHtml(rich("<span style='color:{}'>{}</span> {}", shade, sign, way.search_words))
            words_item.setColor(look.ink)
            self.addItem(words_item)
            words_item.setPos(float(costs.max()), low + span * (0.36 - 0.085 * row))
            row += 1
        self.line(
            [plant.brief.money.outlay for plant in edge],
            [worth(plant) for plant in edge],
            look.ink,
            2.0,
            symbol="o",
        )
        if chosen is not None:
            self.plot(
                [chosen.brief.money.outlay],
                [worth(chosen)],
                pen=None,
                symbol="o",
                symbolSize=15,
                symbolPen=pen(look.stop, 2.4),
                symbolBrush=None,
            )
        self.head(f"{len(plants):,} plants; the line: none costs less and brings more")
        self.setXRange(float(costs.min()) * 0.95, float(costs.max()) * 1.02, padding=0)
        self.setYRange(low - 0.06 * span, high + 0.1 * span, padding=0)

    def _on_clicked(self, _, points):
        if len(points):
            self.picked.emit(self._plants[points[0].data()])
