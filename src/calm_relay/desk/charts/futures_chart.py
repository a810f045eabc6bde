"""How sure the money is: the band of each option over all futures."""

import numpy as np
import pyqtgraph as pg

from calm_relay.desk.charts.chart import Chart, brush
from calm_relay.desk.widgets.theme import colours

# Heights below which title and axis, and an option's bar with its words, do not fit [px].
HEAD, ROW = 56.0, 24.0


class FuturesChart(Chart):
    """A bar from P10 to P90 of each option's net present value and a mark at P50."""

    def __init__(self, parent=None):
        super().__init__("Net present value in eight of ten futures, the middle marked", "", "", parent)

    def show_futures(self, futures, currency: str) -> None:
        """Draws `planning.studies.futures.Futures`."""
        title = f"Worth today in eight of ten of {len(futures.draws):,} futures, the middle marked"
        self._labels = title, currency, ""
        self.start()
        look = colours()
        bands = [option.band(option.npv) for option in futures.options]
        low, high = min(band[0] for band in bands), max(band[2] for band in bands)
        span = max(high - low, 1.0)
        count = len(bands)
        self.setMinimumHeight(round(HEAD + ROW * count))
        for number, band in enumerate(bands):
            y = count - number - 0.5
            shade = look.alternating if number == 0 else look.muted
            self.addItem(
                pg.BarGraphItem(x0=band[0], x1=band[2], y=y, height=0.42, brush=brush(shade, 200), pen=None)
            )
            self.line([band[1], band[1]], [y - 0.32, y + 0.32], look.ink, 2.4)
        self.marker(0.0, "", look.rule)
        titles = [(count - place - 0.5, option.option.title) for place, option in enumerate(futures.options)]
        axis = self.getPlotItem().getAxis("left")
        axis.setTicks([titles])
        axis.setWidth(max(self.fontMetrics().horizontalAdvance(title) for _, title in titles) + 12)
        self.setXRange(min(low, 0.0) - 0.02 * span, max(high, 0.0) + 0.02 * span, padding=0.01)
        self.setYRange(0.0, float(count), padding=0.0)
        self.setAccessibleDescription(
            "; ".join(
                f"{option.option.title} {band[0]:,.0f} to {band[2]:,.0f} {currency}, middle {band[1]:,.0f}"
                for option, band in zip(futures.options, np.array(bands), strict=True)
            )
        )
