"""The home's year as a carpet, the mean day of its worst season by parts, and mean days by season."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt

from calm_relay.desk.charts.chart import Chart, pen, shades_between
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.theme import LIGHT, colours, shade_of
from calm_relay.planning.common.joined import joined

MONTH_STARTS = (0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334)
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
# Of summer, autumn, winter and spring, or of four times three months.
SEASON_SHADES = ("light", "check", "ink", "ok")
EARLY_H, LATE_H = 5.0, 20.0


class Carpet(Chart):
    """Days across, clock hours up, the darker the more; sunrise and sunset as lines, the worst evening marked."""

    def __init__(self):
        super().__init__("The home's year: days across, clock hours up", "", "hour, local clock")

    def show_year(self, plan, result) -> None:
        """Draws `planning.views.seasons.home_year` of a plan."""
        look = colours()
        self.start()
        top = float(np.percentile(result.carpet, 99.7))
        image = pg.ImageItem(result.carpet, levels=(0.0, top))
        image.setLookupTable(shades_between(look.paper, look.light, look.ink))
        image.setRect(QRectF(0, 0, 365, 24))
        self.addItem(image)
        days = np.arange(365) + 0.5
        for series in (result.sunrise_h, result.sunset_h):
            self.addItem(pg.PlotCurveItem(days, series, pen=pen(look.alternating, 1.4), connect="finite"))
        middle = result.sunset_h[182]
        if np.isfinite(middle):
            # Where the days are long the words stand inside them: there is no room at the edges.
            rises = result.sunrise_h[182]
            self.words(
                183, middle, "sunset", look.alternating, anchor=(0.5, 0 if middle > LATE_H else 1), backed=True
            )
            self.words(
                183, rises, "sunrise", look.alternating, anchor=(0.5, 1 if rises < EARLY_H else 0), backed=True
            )
        peak = plan.demand.evening_peak_at.astype(object)
        day, hour = peak.timetuple().tm_yday - 0.5, peak.hour + peak.minute / 60 + 0.25
        self.plot(
            [day], [hour], pen=None, symbol="o", symbolSize=11, symbolPen=pen(look.stop, 2.2), symbolBrush=None
        )
        nothing, most = ("white", "black") if look is LIGHT else ("black", "white")
        title = f"The year: {nothing} nothing, gold half, {most} {top:.1f} kW and more; ring: worst evening"
        self.head(title)
        self.getAxis("bottom").setTicks(
            [[(start + 15, name) for start, name in zip(MONTH_STARTS, MONTHS, strict=True)]]
        )
        self.getAxis("left").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 6)]])
        self.setXRange(0, 365, padding=0)
        self.setYRange(0, 24, padding=0)
        self.setToolTip(tip(f"From: {plan.demand.source}"))


class Stacked(Chart):
    """The mean day of the worst season, what draws it stacked by parts."""

    def __init__(self):
        super().__init__("The mean day of the worst season, by what draws it", "hour, local clock", "kW")

    def show_year(self, plan, result) -> None:
        """Draws the parts of `planning.views.seasons.home_year`."""
        self.start()
        edges = np.arange(25)
        base = np.zeros(24)
        # What obeys a control draws by the plant's year and not by the clock: it has a picture of its own.
        parts = [(name, kw) for name, kw in result.stacked.items() if kw.max() > 0.0]
        obey = [name for name in result.stacked if name not in dict(parts)]
        top = max(float(sum(result.stacked.values()).max()), 0.1) * 1.05
        planned = {part.name for part in plan.demand.parts if part.planned}
        for number, (name, kw) in enumerate(parts):
            self.steps(edges, base + kw, shade_of(number), base=base, alpha=215)
            base = base + kw
            row, column = divmod(number, 3)
            text = f"{name}{', to come' if name in planned else ''}"
            self.key(0.2 + 8.0 * column, top, text, shade_of(number), row)
        title = f"A mean day in {plan.demand.worst_season}, by what draws it"
        self.head(f"{title}; beside it {joined(obey)}, controlled" if obey else title)
        self.getAxis("bottom").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 3)]])
        self.setXRange(0, 24, padding=0)
        self.keys_above(0.0, top)
        self.setToolTip(tip(f"From: {plan.demand.source}"))


class Seasons(Chart):
    """The mean day of every season by the local clock."""

    def __init__(self):
        super().__init__("The home's mean day by season", "hour, local clock", "kW")

    def show_days(self, plan, days) -> None:
        """Draws `planning.views.seasons.typical_days` of a plan."""
        look = colours()
        self.start()
        hours = np.arange(24) + 0.5
        top = max(float(day.max()) for day in days.values()) * 1.2
        for number, (name, day) in enumerate(days.items()):
            colour = getattr(look, SEASON_SHADES[number])
            style = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.SolidLine, Qt.PenStyle.DotLine)[
                number
            ]
            self.addItem(pg.PlotCurveItem(hours, day, pen=pen(colour, 2.0, style)))
            self.words(0.3 + 5.4 * number, top, name, colour, anchor=(0, 0))
        self.getAxis("bottom").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 3)]])
        self.setXRange(0, 24, padding=0)
        self.setYRange(0, top, padding=0)
        self.setToolTip(tip(f"From: {plan.demand.source}"))
