"""Clipped energy of the year: months across, hours up, each month's sum and what the battery catches of it."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF

from calm_relay.desk.charts.chart import Chart, shades_between
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.theme import colours

MONTHS = ("J", "F", "M", "A", "M", "J", "J", "A", "S", "O", "N", "D")
FIRST_H, LAST_H = 5, 21


class ClippedChart(Chart):
    """The darker the hour of a month the more is clipped in it; sums of kWh stand above."""

    def __init__(self):
        super().__init__("Clipped energy by month and hour", "", "hour, standard")

    def show_clipped(self, result, plan) -> None:
        """Draws `planning.studies.clipping`."""
        look = colours()
        self.start()
        image = pg.ImageItem(result.bare, levels=(0.0, max(float(result.bare.max()), 1e-9)))
        image.setLookupTable(shades_between(look.paper, look.stop))
        image.setRect(QRectF(-0.5, 0, 12, 24))
        self.addItem(image)
        caught = np.maximum(result.bare.sum(axis=1) - result.kept.sum(axis=1), 0.0)
        for month, (kwh, kept) in enumerate(zip(result.bare.sum(axis=1), caught, strict=True)):
            if kwh >= 0.5:
                self.words(month, LAST_H, f"{kwh:,.0f}", look.stop, anchor=(0.5, 0))
            if kept >= 0.5:
                self.words(month, LAST_H - 2.2, f"{kept:,.0f}", look.direct, anchor=(0.5, 0))
        title = f"Clipped kWh by month and hour: {result.bare_kwh:,.0f}, caught {result.caught_kwh:,.0f} (below)"
        self.head(title)
        self.getAxis("bottom").setTicks([list(enumerate(MONTHS))])
        self.getAxis("left").setTicks([[(hour, f"{hour:02d}") for hour in range(6, 20, 3)]])
        self.setXRange(-0.5, 11.5, padding=0)
        self.setYRange(FIRST_H, LAST_H, padding=0)
        self.setToolTip(tip(f"From: simulated year, {plan.site.source}"))
