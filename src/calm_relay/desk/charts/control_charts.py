"""Charts of the bench Battery about power and control: what limits, two controllers on one meter, foresight."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt

from calm_relay.desk.charts.battery_charts import MONTHS
from calm_relay.desk.charts.chart import Chart, shades_between
from calm_relay.desk.widgets.theme import colours
from calm_relay.planning.common.amounts import amount_text


class LimitsChart(Chart):
    """Power the battery gives and takes over its state of charge, and the terminal voltage."""

    def __init__(self):
        super().__init__("What limits here, over the state of charge", "state of charge, %", "kW")

    def show_range(self, result) -> None:
        """Draws `planning.views.power_range`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        level = result.level * 100
        top = max(float(result.giving_kw.max()), float(result.charging_kw.max()), *result.limits.values()) * 1.08
        top = min(top, 2.2 * max(float(result.giving_kw.max()), float(result.charging_kw.max())))
        self.line(level, result.giving_kw, look.alternating, 2.6)
        self.words(30, result.giving_kw[12], "gives to the home", look.alternating, anchor=(0, 0))
        self.line(level, result.charging_kw, look.direct, 2.6)
        self.words(30, result.charging_kw[12], "takes at its terminals", look.direct, anchor=(0, 0))
        for names, kw in _alike(result.limits):
            if result.giving_kw.max() * 1.02 < kw < top:
                self.level(kw, f"{names} {kw:.1f} kW", look.quiet)
        low, high = float(result.volts.min()), float(result.volts.max())
        span = max(high - low, 1e-6)
        # The voltage runs over the upper half of the chart.
        self.line(level, top * (0.5 + 0.45 * (result.volts - low) / span), look.ink, 1.2, Qt.PenStyle.DotLine)
        self.right_axis([(top * 0.5, f"{low:.0f} V"), (top * 0.95, f"{high:.0f} V")])
        self.head("What limits here, over the state of charge; dotted: volts at the terminals")
        self.setXRange(0, 100, padding=0)
        self.setYRange(0, top, padding=0)


def _alike(limits, share=0.06):
    """Limits by rising power, those close together under one name."""
    groups: list[tuple[list[str], float]] = []
    for name, kw in sorted(limits.items(), key=lambda item: item[1]):
        if groups and kw <= groups[-1][1] * (1 + share):
            groups[-1][0].append(name)
        else:
            groups.append(([name], kw))
    return [(", ".join(names), kw) for names, kw in groups]


class MeterChart(Chart):
    """Two batteries and the meter, second by second."""

    def __init__(self):
        super().__init__("Two controllers on one meter", "minutes", "kW, giving up")

    def show_meter(self, result, ordered: bool) -> None:
        """Draws `planning.operation.meter_conflict`, without an order or with one; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        run = result.ordered if ordered else result.fault
        minutes = np.arange(run.meter.size)[::10] / 60.0
        top = max(float(np.abs(part).max()) for part in (run.first, run.second, run.meter))
        series = (
            (run.first, look.alternating, "new battery"),
            (run.second, look.direct, "old battery"),
            (run.meter, look.ink, "meter, import up"),
        )
        for number, (values, colour, name) in enumerate(series):
            style = Qt.PenStyle.DotLine if number == 2 else Qt.PenStyle.SolidLine
            self.line(minutes, values[::10], colour, 1.8, style)
            self.key(0.5 + 22.0 * number, top, name, colour)
        title = (
            "One goes first, the other waits: the meter stays near nothing"
            if ordered
            else f"Nobody goes first: {run.circling_kwh:.1f} kWh go round in {result.hours * 60:.0f} minutes"
        )
        self.head(title)
        self.setXRange(0, float(minutes[-1]), padding=0)
        self.keys_above(-1.05 * top, 1.05 * top)


class ForesightChart(Chart):
    """What the control pays more than perfect foresight, by month and hour."""

    def __init__(self):
        super().__init__("Gap to perfect foresight, by month and hour", "", "hour, standard")

    def show_foresight(self, result, currency: str) -> None:
        """Draws `planning.studies.foresight.ForesightGap`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        most = max(float(np.abs(result.by_hour).max()), 1e-9)
        image = pg.ImageItem(result.by_hour, levels=(-most, most))
        image.setLookupTable(shades_between(look.ok, look.paper, look.stop))
        image.setRect(QRectF(-0.5, 0, 12, 24))
        self.addItem(image)
        for month, sum_ in enumerate(result.by_hour.sum(axis=1)):
            self.words(month, 28.4, f"{sum_:,.0f}", look.ink, anchor=(0.5, 0))
        self.head(
            f"{amount_text(result.gap, currency)} a year, the gap to perfect foresight: red pays more, green less"
        )
        self.getAxis("bottom").setTicks([list(enumerate(MONTHS))])
        self.getAxis("left").setTicks([[(hour, f"{hour:02d}") for hour in range(0, 25, 6)]])
        self.setXRange(-0.5, 11.5, padding=0)
        self.setYRange(0, 28.5, padding=0)


class ForesightDay(Chart):
    """The day on which the control pays most more: what each buys, and what the battery holds."""

    def __init__(self):
        super().__init__("The day on which it costs most", "hour, standard", "kW, kWh")

    def show_foresight(self, result, currency: str) -> None:
        """Draws the widest day of `planning.studies.foresight.ForesightGap`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        day = result.widest_day()
        cut = slice(day * 24, day * 24 + 24)
        edges = np.arange(25)
        net, best = (result.imported - result.exported)[cut], (result.best_imported - result.best_exported)[cut]
        self.steps(edges, net, look.stop, alpha=150)
        for values, colour, style in (
            (best, look.ok, Qt.PenStyle.SolidLine),
            (result.stored_kwh[cut], look.stop, Qt.PenStyle.DashLine),
            (result.best_stored_kwh[cut], look.ok, Qt.PenStyle.DashLine),
        ):
            self.line(edges[:-1] + 0.5, values, colour, 1.8, style)
        top = (
            max(float(values.max()) for values in (net, best, result.stored_kwh[cut], result.best_stored_kwh[cut]))
            * 1.35
        )
        low = min(float(net.min()), float(best.min()), 0.0) * 1.1
        self.key(0.2, top, "control", look.stop)
        self.key(5.2, top, "foresight", look.ok)
        self.words(11.0, top, "solid: imported; dashed: held in the battery", look.quiet, anchor=(0, 0))
        when = np.datetime64("2025-01-01") + np.timedelta64(day, "D")
        dearer = float(result.dearer[cut].sum())
        self.head(f"{when.astype(object):%-d %B}: {currency} {dearer:.2f} more than at best")
        self.setXRange(0, 24, padding=0)
        self.setYRange(low, top, padding=0)
