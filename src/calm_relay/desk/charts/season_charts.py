"""The picture of the bench Sky: the weather year by months."""

import numpy as np
import pyqtgraph as pg

from calm_relay.desk.charts.chart import Chart, brush
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.theme import colours
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.views.seasons import site_months

MONTHS = ("J", "F", "M", "A", "M", "J", "J", "A", "S", "O", "N", "D")


class SiteChart(Chart):
    """Bars of light by month; the band of air temperatures on the scale at the right."""

    def __init__(self):
        super().__init__("Light on the horizontal, and the air from coldest to hottest", "", "kWh/m² a day")

    def show_plan(self, plan) -> None:
        """Draws a plan's weather year."""
        result, look = site_months(plan), colours()
        self.start()
        x = np.arange(12)
        self.addItem(
            pg.BarGraphItem(x=x, height=result.ghi_kwh_per_day, width=0.7, brush=brush(look.light), pen=None)
        )
        top = float(result.ghi_kwh_per_day.max()) * 1.15
        low, high = float(result.lowest_c.min()), float(result.highest_c.max())
        low, high = 5 * np.floor(low / 5), 5 * np.ceil(high / 5)

        def height(celsius):
            return (celsius - low) / (high - low) * top

        for series, width in ((result.lowest_c, 1.0), (result.mean_c, 2.0), (result.highest_c, 1.0)):
            self.line(x, height(series), look.direct, width)
        self.right_axis([(height(c), degrees_text(c, 0)) for c in np.arange(low, high + 1, 10)])
        self.getAxis("bottom").setTicks([list(enumerate(MONTHS))])
        self.setXRange(-0.5, 11.5, padding=0)
        self.setYRange(0, top, padding=0)
        self.setToolTip(tip(f"From: {plan.site.source}"))
