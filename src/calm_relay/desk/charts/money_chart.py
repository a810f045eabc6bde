"""Money over the years: bars of what comes in and goes out, and the running sums of the options over each other."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt

from calm_relay.desk.charts.chart import Chart, brush
from calm_relay.desk.widgets.theme import colours
from calm_relay.planning.common.amounts import amount_text
from calm_relay.planning.operation.finance import LABELS

SHADES = {
    "outlay": "ink", "incentives": "ok", "loan": "quiet", "rent": "quiet", "energy": "light", "standing": "muted",
    "export": "alternating", "fuel": "light", "outages": "quiet", "upkeep": "check", "battery": "direct",
    "inverter": "stop", "residual": "ok",
}  # fmt: skip
OTHERS = (Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


class YearsChart(Chart):
    """Bars a year by kind of the option in view; one that is not `keyed` leaves their names to a line beside it."""

    def __init__(self, parent=None, name: str = "Each year by kind", *, keyed: bool = True):
        super().__init__(name, "years after the sale", "", parent)
        self._name, self._keyed = name, keyed

    def show_flow(self, flow, currency: str) -> None:
        """Draws `planning.studies.cash_flow.CashFlow`; years after the sale alone, today's sum stands in words."""
        self.show_kinds({LABELS[key]: (row, SHADES[key]) for key, row in flow.rows.items()}, flow.net, currency)

    def show_kinds(self, kinds, net, currency: str) -> None:
        """Draws sums of each year, today first.

        Parameters
        ----------
        kinds : mapping of str to (ndarray, str)
            By their words the sums of each kind, and the colour of the theme they have.
        net : ndarray, shape (years + 1,)
            All together.
        currency : str
            Of the sums.
        """
        self._labels = (
            f"{self._name}, and net; today {amount_text(net[0], currency)}",
            "years after the sale",
            f"{currency} a year",
        )
        self.start()
        if not any(np.any(row[1:]) for row, _ in kinds.values()):
            self.waits("After the sale nothing is paid or saved in any year.")
            return
        look, years = colours(), len(net) - 1
        x = np.arange(1, years + 1, dtype=float)
        up, down = np.zeros(years), np.zeros(years)
        shown = [
            (words, row[1:], getattr(look, shade)) for words, (row, shade) in kinds.items() if np.any(row[1:])
        ]
        for _, series, shade in shown:
            above, below = np.maximum(series, 0.0), np.minimum(series, 0.0)
            for part, base in ((above, up), (below, down)):
                if part.any():
                    self.addItem(
                        pg.BarGraphItem(x=x, y0=base, height=part, width=0.72, brush=brush(shade, 210), pen=None)
                    )
            up, down = up + above, down + below
        self.line(x, net[1:], look.ink, 1.6, symbol="o")
        top, low = max(float(up.max(initial=0.0)), 1.0), min(float(down.min(initial=0.0)), 0.0)
        for number, (words, _, shade) in enumerate(shown if self._keyed else ()):
            across = 0.6 + years * 0.33 * (number % 3)
            self.key(across, top, words, shade, number // 3)
        self.setXRange(0.5, years + 0.5, padding=0.01)
        # Bars below nothing are seen to end.
        self.keys_above(low - (0.05 * (top - low) if low < 0.0 else 0.0), top)


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
        top = max(0.0, *(float(flow.running.max()) for flow in flows))
        low = min(float(flow.running.min()) for flow in flows)
        for number, flow in enumerate(flows):
            first = number == 0
            shade = look.ink if first else (look.direct, look.alternating, look.light)[number - 1]
            style = Qt.PenStyle.SolidLine if first else OTHERS[number - 1]
            self.line(years, flow.running, shade, 2.6 if first else 1.6, style)
            self.key(
                flows[0].years * (0.01 + 0.28 * (number % 2)),
                top,
                f"{letters[number]} {flow.option.title}",
                shade,
                number // 2,
            )
        self.level(0.0, "", look.rule)
        self.setXRange(0.0, flows[0].years, padding=0.01)
        self.keys_above(low, max(top, low + 1.0))
