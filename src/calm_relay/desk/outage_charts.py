"""Charts of the bench Outage: the night's load under its limits, store and array, every start of the year."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt

from calm_relay.desk.chart import Chart, pen, shades_between
from calm_relay.desk.home_charts import MONTH_STARTS, MONTHS
from calm_relay.desk.theme import colours, shade_of

# Points a chart draws at most: minutes are drawn together beyond that.
POINTS = 1200
# Circuits that have a shade of their own.
SHADES = 4


def _every(run):
    return max(1, run.flows.shape[0] // POINTS)


def _shown(names, fed):
    """The circuits that use most with a shade each, and the others together: no two look alike."""
    order = np.argsort(-fed.sum(axis=1)).tolist()
    shown = [(names[n], fed[n], shade_of(place)) for place, n in enumerate(order[:SHADES])]
    rest = order[SHADES:]
    if rest:
        shown.append((f"{len(rest)} other{'s' * (len(rest) > 1)}", fed[rest].sum(axis=0), colours().muted))
    return shown


class NightChart(Chart):
    """What is fed, stacked by circuits, starts as spikes, against the box's limits."""

    def __init__(self):
        super().__init__("The night: what is fed, against what the box can give", "hours in the dark", "kW")

    def show_run(self, run) -> None:
        """Draws `planning.rehearsal.Rehearsal`; None clears the chart."""
        if not self.begins(run):
            return
        look = colours()
        by = _every(run)
        size = run.flows.shape[0] // by * by
        hours = run.hours[:size:by]
        edges = np.append(hours, hours[-1] + run.step_h * by)
        fed = (run.load * run.on.T)[:, :size].reshape(len(run.names), -1, by).mean(axis=2)
        base = np.zeros(hours.size)
        heaviest = max(float(run.load.sum(axis=0).max()), run.surge_kw, float(run.start_kw.max()))
        top = min(heaviest * 1.05, 2.6 * run.surge_kw)
        for number, (_, kw, shade) in enumerate(shown := _shown(run.names, fed)):
            self.steps(edges, base + kw, shade, base=base, alpha=215)
            base = base + kw
            row, column = divmod(number, 3)
            place = float(edges[-1]) * (0.01 + 0.33 * column)
            self.key(place, top * (1.26 - 0.1 * row), shown[number][0], shade)
        for t in np.flatnonzero(run.start_kw > 0.5).tolist():
            if run.flows[t, 0] > 0 or run.flows[t, 10] > 0:
                spike = run.load[:, t].sum() + run.start_kw[t]
                self.addItem(pg.PlotCurveItem([run.hours[t]] * 2, [0.0, spike], pen=pen(look.ink, 1.0)))
        asked = run.load.sum(axis=0)[:size].reshape(-1, by).max(axis=1)
        self.line(hours, asked, look.quiet, 1.0, Qt.PenStyle.DotLine)
        self.level(run.limit_kw, f"{run.limit_kw:.1f} kW continuous", look.stop)
        if run.surge_kw < top and run.surge_kw > run.limit_kw * 1.05:
            self.level(run.surge_kw, f"{run.surge_kw:.1f} kW for a moment", look.watch, right=True)
        if run.lived_h is not None:
            self.marker(run.lived_h, "dark", look.stop, position=0.62)
        self.setXRange(0, float(edges[-1]), padding=0)
        self.setYRange(0, top * 1.28, padding=0)


class StoreAndSun(Chart):
    """The store's charge, the array offered and used, and the frequency that turns it down."""

    def __init__(self):
        super().__init__("Store, array and frequency", "hours in the dark", "% full, kW × 10")

    def show_run(self, run) -> None:
        """Draws the same rehearsal; None clears the chart."""
        if not self.begins(run):
            return
        look = colours()
        by = _every(run)
        hours = run.hours[::by]
        used = (run.of("pv_ac_used") + run.of("pv_dc_used"))[::by] * 10.0
        edges = np.append(hours, hours[-1] + run.step_h * by)
        self.steps(edges, used, look.light, alpha=170)
        self.line(hours, run.of("pv_ac_offered")[::by] * 10.0, look.light, 1.2, Qt.PenStyle.DashLine)
        self.line(hours, run.of("store")[::by] / run.usable_kwh * 100.0, look.direct, 2.2)
        nominal = float(run.frequency_hz.min())
        high = float(run.frequency_hz.max())
        if high > nominal + 0.01:
            span = high - nominal
            self.line(hours, 100.0 + 25.0 * (run.frequency_hz[::by] - nominal) / span, look.stop, 1.2)
            self.right_axis([(100.0, f"{nominal:g} Hz"), (125.0, f"{high:.1f} Hz")])
        end = float(edges[-1])
        for number, (words, colour) in enumerate(
            (
                ("store, % full", look.direct),
                ("array used; dashed: offered on the AC side", look.light),
                ("Hz", look.stop),
            )
        ):
            self.key(end * (0.01, 0.2, 0.62)[number], 148.0, words, colour)
        self.setXRange(0, end, padding=0)
        self.setYRange(0, 150, padding=0)


class SurvivalCarpet(Chart):
    """Hours survived from every start hour of the year: days across, hours up, the paler the longer."""

    def __init__(self):
        super().__init__("Hours survived from every start of the year", "", "hour of the start, standard")

    def show_map(self, found) -> None:
        """Draws `planning.rehearsal.Survival`; None clears the chart."""
        if not self.begins(found):
            return
        look = colours()
        image = pg.ImageItem(found.hours, levels=(0.0, 72.0))
        image.setLookupTable(shades_between(look.stop, look.light, look.paper, look.hold))
        image.setRect(QRectF(0, 0, 365, 24))
        self.addItem(image)
        day, hour = divmod(int(found.hours.ravel().argmin()), 24)
        self.plot(
            [day + 0.5],
            [hour + 0.5],
            pen=None,
            symbol="o",
            symbolSize=11,
            symbolPen=pen(look.ink, 2),
            symbolBrush=None,
        )
        self.head(
            "Hours survived from every start: red none, gold a day, green three days and more; ring: the worst"
        )
        self.getAxis("bottom").setTicks(
            [[(start + 15, name) for start, name in zip(MONTH_STARTS, MONTHS, strict=True)]]
        )
        self.getAxis("left").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 6)]])
        self.setXRange(0, 365, padding=0)
        self.setYRange(0, 24, padding=0)
