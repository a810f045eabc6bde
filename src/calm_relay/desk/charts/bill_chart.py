"""The year's bill, month by month, stacked by kind."""

import numpy as np

from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.charts.home_charts import MONTHS
from calm_relay.desk.widgets.theme import colours
from calm_relay.planning.common.amounts import amount_text

SHADES = {
    "energy": "light",
    "tiers": "ink",
    "power": "direct",
    "standing": "muted",
    "tax": "quiet",
    "up to the least bill": "stop",
    "export": "ok",
}


class BillChart(Chart):
    """Bars of twelve months; what export brings hangs below nothing."""

    def __init__(self, parent=None):
        super().__init__("The bill by month", "", "", parent)

    def show_bill(self, kinds, currency: str, whose: str) -> None:
        """Draws `planning.views.tariff_picture.bill_by_kind`."""
        look = colours()
        whole = sum(months.sum() for months in kinds.values())
        self._labels = f"{whose}: {amount_text(whole, currency)} a year", "", f"{currency} a month"
        self.start()
        edges = np.arange(13, dtype=float)
        up, down = np.zeros(12), np.zeros(12)
        for kind, months in kinds.items():
            shade = getattr(look, SHADES[kind])
            above, below = np.maximum(months, 0.0), np.minimum(months, 0.0)
            if above.any():
                self.steps(edges, up + above, shade, base=up, alpha=210)
                up = up + above
            if below.any():
                self.steps(edges, down + below, shade, base=down, alpha=210)
                down = down + below
        top, low = max(float(up.max()), 1.0), min(float(down.min()), 0.0)
        for number, kind in enumerate(kinds):
            self.key(
                4.2 * (number % 3) + 0.1,
                top,
                kind,
                getattr(look, SHADES[kind]),
                number // 3,
            )
        self.getAxis("bottom").setTicks([[(n + 0.5, name[:1]) for n, name in enumerate(MONTHS)]])
        self.setXRange(0, 12, padding=0.01)
        self.keys_above(low, top)
        self.setAccessibleDescription(
            "; ".join(f"{kind} {months.sum():,.0f} {currency} a year" for kind, months in kinds.items())
        )
