"""Money over the years: bars of what comes in and goes out, and the running sums of the options over each other."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt

from calm_relay.desk.charts.chart import Chart, brush
from calm_relay.desk.widgets.theme import colours
from calm_relay.planning.operation.finance import LABELS

SHADES = {
    "outlay": "ink", "incentives": "ok", "loan": "quiet", "rent": "quiet", "energy": "light", "standing": "muted",
    "export": "alternating", "fuel": "light", "upkeep": "check", "battery": "direct", "inverter": "stop",
    "residual": "ok",
}  # fmt: skip
OTHERS = (Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


class YearsChart(Chart):
    """Bars a year by kind of the option in view."""

    def __init__(self, parent=None):
        super().__init__("Each year by kind", "years after the sale", "", parent)

    def show_flow(self, flow, currency: str) -> None:
        """Draws `planning.studies.cash_flow.CashFlow`; years after the sale alone, today's sum stands in words."""
        self._labels = (
            f"Each year by kind, and net; today {currency} {flow.net[0]:,.0f}".replace("-", "\u2212"),
            "years after the sale",
            f"{currency} a year",
        )
        self.start()
        look = colours()
        x = np.arange(1, flow.years + 1, dtype=float)
        up, down = np.zeros(flow.years), np.zeros(flow.years)
        kinds = [(key, series[1:]) for key, series in flow.rows.items() if np.any(series[1:])]
        for key, series in kinds:
            shade = getattr(look, SHADES[key])
            above, below = np.maximum(series, 0.0), np.minimum(series, 0.0)
            for part, base in ((above, up), (below, down)):
                if part.any():
                    self.addItem(
                        pg.BarGraphItem(x=x, y0=base, height=part, width=0.72, brush=brush(shade, 210), pen=None)
                    )
            up, down = up + above, down + below
        self.line(x, flow.net[1:], look.ink, 1.6, symbol="o")
        top, low = max(float(up.max(initial=0.0)), 1.0), min(float(down.min(initial=0.0)), 0.0)
        span = top - low
        for number, (key, _) in enumerate(kinds):
            across = 0.6 + flow.years * 0.33 * (number % 3)
            self.key(across, top + span * (0.36 - 0.13 * (number // 3)), LABELS[key], getattr(look, SHADES[key]))
        self.setXRange(0.5, flow.years + 0.5, padding=0.01)
        self.setYRange(low, top + span * 0.4, padding=0.02)


class RunningChart(Chart):
    """Running sums: the option in view in full, others beside it broken."""

    def __init__(self, parent=None):
        super().__init__("Running sum of each option", "years after the sale", "", parent)

    def show_flows(self, flows, currency: str, letters) -> None:
        """Draws running sums; the first is the option in view.

        Parameters
        ----------
        flows : sequence of CashFlow
            The option in view first.
        currency : str
            Of the job.
        letters : sequence of str
            The options' letters, in their order.
        """
        self._labels = "Running sum of each option", "years after the sale", currency
        self.start()
        look = colours()
        years = np.arange(flows[0].years + 1, dtype=float)
        top = max(float(flow.running.max()) for flow in flows)
        low = min(float(flow.running.min()) for flow in flows)
        span = max(top - low, 1.0)
        for number, flow in enumerate(flows):
            first = number == 0
            shade = look.ink if first else (look.direct, look.alternating, look.light)[number - 1]
            style = Qt.PenStyle.SolidLine if first else OTHERS[number - 1]
            self.line(years, flow.running, shade, 2.6 if first else 1.6, style)
            self.key(
                flows[0].years * (0.01 + 0.49 * (number % 2)),
                top + span * (0.44 - 0.2 * (number // 2)),
                f"{letters[number]} {flow.option.title}",
                shade,
            )
        self.level(0.0, "", look.rule)
        self.setXRange(0.0, flows[0].years, padding=0.01)
        self.setYRange(low, top + span * 0.42, padding=0.02)
