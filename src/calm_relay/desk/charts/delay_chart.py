"""Delayed charging by the hour it ends: by how much the bill is lower, and what is turned away."""

import numpy as np

from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.widgets.label import rich
from calm_relay.desk.widgets.theme import colours

# How far before the first hour charging at once stands [h], and that hour where no delay is possible.
BEFORE_H, FIRST_H = 1.5, 8.0


class DelayChart(Chart):
    """Two curves over the hour, what the job has as a mark that can be moved to another."""

    def __init__(self):
        super().__init__(
            "What delayed charging brings; drag the mark to another hour", "charging waits until", "a year"
        )

    def show_delay(self, sweep, currency: str) -> None:
        """Draws `planning.studies.delayed_charging`; None clears the chart."""
        if not self.begins(sweep):
            return
        look, at = colours(), _places(sweep)
        self.getPlotItem().setLabel("left", rich("{} a year", currency), color=look.quiet)
        low = min(0.0, float(sweep.gained.min()), sweep.stated_gained)
        top = max(float(sweep.gained.max()), sweep.stated_gained, 1.0)
        # What is turned away runs from nothing at the bottom to its most at nine tenths of the height.
        most = max(float(sweep.turned_kwh.max()), sweep.stated_turned_kwh, 1.0)
        a_kwh = 0.9 * (top - low) / most
        for values, colour, width in (
            (low + a_kwh * sweep.turned_kwh, look.stop, 1.6),
            (sweep.gained, look.ink, 2.6),
        ):
            self.line(at[:1], values[:1], colour, width, symbol="o")
            self.line(at[1:], values[1:], colour, width, symbol="o")
        left, right = float(at[0]) - 0.7, float(at[-1]) + 0.7
        self.key(left, top, "bill lower than charged at once (left)", look.ink)
        self.key(left, top, "turned away by export limit and inverters (right)", look.stop, 1)
        self.right_axis([(low, "0"), (low + a_kwh * most, f"{most:,.0f} kWh")])
        if sweep.place is not None:
            now = f"{sweep.stated[0].end} now" if sweep.stated else "at once now"
            mark = self.marker(float(at[sweep.place]), now, look.alternating, movable=True, position=0.06)
            # The keys stand over it.
            mark.setZValue(44)
        else:
            said = f"{currency} {sweep.stated_gained:,.0f} by the job's own windows"
            self.level(sweep.stated_gained, said, look.alternating)
        ticks = [(float(at[0]), "at once"), *((float(hour), f"{hour:02.0f}:00") for hour in at[1:])]
        self.getAxis("bottom").setTicks([ticks])
        self.setXRange(left, right, padding=0)
        self.keys_above(low - 0.04 * (top - low), top + 0.05 * (top - low))


def nearest(sweep, hour: float) -> int:
    """The place of the delay that stands nearest to an hour of the chart."""
    return int(np.abs(_places(sweep) - hour).argmin())


def _places(sweep) -> np.ndarray:
    """Where each delay stands across [h]."""
    first = sweep.hours[1] if sweep.hours.size > 1 else FIRST_H
    return np.concatenate([[first - BEFORE_H], sweep.hours[1:]])
