"""Promise and fact: the array month by month, and the battery over its years."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt

from calm_relay.desk.charts.chart import Chart, brush
from calm_relay.desk.widgets.theme import colours

LETTERS = "JFMAMJJASOND"


class PromiseChart(Chart):
    """Bars of what the array made each month, and the band that was to be expected in that light."""

    def __init__(self, parent=None):
        super().__init__(
            "Array, month by month: made, and to be expected in the light there was", "", "kWh a month", parent
        )

    def show_promise(self, promise) -> None:
        """Draws `planning.commissioning.promise.Promise`."""
        months = (
            [(year, month, flows["production_kwh"]) for year, month, flows in promise.months] if promise else []
        )
        if not self.begins(months or None):
            return
        look = colours()
        x = np.array([12.0 * (year - months[0][0]) + month - 1.0 for year, month, _ in months])
        facts = [held.fact for *_, held in months]
        made = np.array([-1.0 if fact is None else float(fact) for fact in facts])
        ordinary = np.array([held.planned for *_, held in months])
        expected = np.array([held.expected for *_, held in months])
        off = np.array([held.off for *_, held in months])
        short = np.array([held.is_short for *_, held in months])
        for mask, colour in ((~short & (made >= 0.0), look.light), (short, look.stop)):
            if mask.any():
                self.addItem(
                    pg.BarGraphItem(x=x[mask], height=made[mask], width=0.72, brush=brush(colour, 190), pen=None)
                )
        self.addItem(
            pg.ErrorBarItem(x=x, y=expected, top=off, bottom=off, beam=0.35, pen=pg.mkPen(look.ink, width=1.2))
        )
        self.plot(x, expected, pen=None, symbol="o", symbolSize=4, symbolBrush=look.ink, symbolPen=None)
        for at, value in zip(x, ordinary, strict=True):
            self.line([at - 0.42, at + 0.42], [value, value], look.alternating, 2.0)
        top = float(max(made.max(), ordinary.max(), (expected + off).max()))
        ticks = [(at, LETTERS[int(at) % 12]) for at in x]
        years = [
            (at, f"{LETTERS[int(at) % 12]}\n{months[i][0]}")
            for i, at in enumerate(x)
            if i == 0 or months[i][1] == 1
        ]
        self.getPlotItem().getAxis("bottom").setTicks([[*dict([*ticks, *years]).items()]])
        self.setXRange(x.min() - 0.7, x.max() + 0.7, padding=0)
        wide = x.max() - x.min() + 1.0
        self.key(x.min() - 0.6, top, "made", look.light)
        said = "to be expected in that light, and how far off is right"
        self.key(x.min() + 0.09 * wide, top, said, look.ink)
        self.key(x.min() + 0.55 * wide, top, "in an ordinary year", look.alternating)
        if short.any():
            self.key(x.min() + 0.76 * wide, top, "less than that explains", look.stop)
        self.keys_above(0.0, top)
        self.getPlotItem().getAxis("bottom").setHeight(36)


class FadeChart(Chart):
    """Capacity tests against what ageing leaves, and what the warranty promises."""

    def __init__(self, parent=None):
        super().__init__("Battery: tests against its planned ageing", "years after commissioning", "kWh", parent)

    def show_battery(self, held, left) -> None:
        """Draws tests, the planned curve and the warranty's floor.

        Parameters
        ----------
        held : BatteryHeld or None
            Of `planning.commissioning.promise`.
        left : ndarray
            Share left at the end of each year by the plan.
        """
        if not self.begins(held if held is not None and held.tests else None):
            return
        look = colours()
        known = np.concatenate([[1.0], left]) * held.new_kwh
        years = np.arange(known.size)
        most = min(max(held.tests[-1][0] * 2.0, 5.0), float(years[-1]))
        self.line(years, known, look.ink, 1.8)
        ages, kwh = np.array([test[0] for test in held.tests]), np.array([test[1] for test in held.tests])
        self.line(
            np.concatenate([[0.0], ages]), np.concatenate([[held.new_kwh], kwh]), look.direct, 1.4,
            Qt.PenStyle.DashLine, symbol="s",
        )  # fmt: skip
        self.level(held.promised_kwh, f"warranty promises {held.promised_kwh:.1f} kWh", look.stop)
        low = min(float(kwh.min()), held.promised_kwh) * 0.9
        self.key(0.3 * most, held.new_kwh, "planned ageing", look.ink)
        self.key(0.68 * most, held.new_kwh, "tests", look.direct)
        self.setXRange(0.0, most, padding=0.02)
        self.keys_above(low, max(held.new_kwh, float(kwh.max())))
