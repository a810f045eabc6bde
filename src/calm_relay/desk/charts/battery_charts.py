"""Charts of the bench Battery: benefit by energy, by energy and power, use by month, depth of cycles."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF

from calm_relay.desk.charts.chart import Chart, brush, pen, shades_between
from calm_relay.desk.widgets.label import rich
from calm_relay.desk.widgets.theme import colours, font

MONTHS = ("J", "F", "M", "A", "M", "J", "J", "A", "S", "O", "N", "D")


# Share of a chart's height that a line of words takes.
LINE_OF_WORDS = 0.07
NAME_MARGIN_PX = 10.0


class EnergyCurve(Chart):
    """What each number of packs brings in a year, each rule of thumb a named flag, the option's mark movable."""

    def __init__(self):
        super().__init__(
            "What each size brings in a year; drag the mark to another number of packs",
            "usable kWh",
            "brought a year",
        )

    def show_sweep(self, sweep) -> None:
        """Draws `planning.studies.battery_sweep`; None clears the chart."""
        if not self.begins(sweep):
            return
        look = colours()
        self.getPlotItem().setLabel("left", rich("{}", sweep.words), color=look.quiet)
        self.line(sweep.usable_kwh, sweep.worth, look.ink, symbol="o")
        right = float(max(sweep.usable_kwh.max(), *(flag.usable_kwh for flag in sweep.flags))) * 1.04
        self.setYRange(*_scale(sweep.worth, 0.5), padding=0)
        self.setXRange(0, right, padding=0)
        usable = None if sweep.chosen is None else float(sweep.usable_kwh[sweep.chosen])
        self.flags(sweep.flags, right, usable)
        if usable is not None:
            self.marker(usable, f"{usable:.1f} kWh now", look.alternating, movable=True, position=0.06)

    def flags(self, flags, right, usable=None) -> None:
        """Each school's rule of thumb as a named flag, its name clear of the mark of what is planned."""
        letters, a_px = QFontMetricsF(font(8)), right / max(self.getViewBox().width(), 1.0)
        rows: list[float] = []
        for flag in sorted(flags, key=lambda flag: flag.usable_kwh):
            wide = (letters.horizontalAdvance(flag.name) + NAME_MARGIN_PX) * a_px
            crossed = usable is not None and 0.0 < usable - flag.usable_kwh < wide
            late = flag.usable_kwh + wide > right or (crossed and flag.usable_kwh > wide)
            begins = flag.usable_kwh - wide * late
            # The highest row on which the name before ends in time.
            row = next((number for number, ends in enumerate(rows) if ends < begins), len(rows))
            rows[row : row + 1] = [begins + wide]
            self.marker(
                flag.usable_kwh,
                flag.name,
                colours().quiet,
                dashed=True,
                position=0.97 - row * max(0.055, 17.0 / max(self.height() - 70, 120)),
                anchors=((late, 0.5), (late, 0.5)),
            )


class EnergyPowerMap(Chart):
    """What a year brings over energy across and power up: the darker the more; lines of the same, flags, the option."""

    def __init__(self):
        super().__init__("Brought a year, lines of the same", "usable kWh", "kW of the battery")

    def show_map(self, result, flags, peak_kw: float) -> None:
        """Draws `planning.studies.battery_map`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        low, high = float(result.worth.min()), float(result.worth.max())
        fine = _finer(result.worth)
        image = pg.ImageItem(fine, levels=(low, max(high, low + 1e-9)))
        image.setLookupTable(shades_between(look.paper, look.light, look.ok))
        steps = result.usable_kwh[1] - result.usable_kwh[0], result.power_kw[1] - result.power_kw[0]
        corner = result.usable_kwh[0] - steps[0] / 2, result.power_kw[0] - steps[1] / 2
        size = steps[0] * result.usable_kwh.size, steps[1] * result.power_kw.size
        image.setRect(QRectF(*corner, *size))
        self.addItem(image)
        told = -np.inf
        for share in (0.25, 0.5, 0.75, 0.9):
            level = low + share * (high - low)
            curve = pg.IsocurveItem(fine, level, pen=pen(look.ink, 1.0))
            curve.setParentItem(image)
            bottom = result.worth[:, 0]
            if bottom.min() < level < bottom.max():
                at = float(np.interp(level, np.maximum.accumulate(bottom), result.usable_kwh))
                if at - told > 0.1 * size[0]:
                    self.words(at, corner[1], f"{level:,.0f}", look.ink, anchor=(0.5, 1))
                    told = at
        right, top = corner[0] + size[0], corner[1] + size[1]
        end = max(top, peak_kw * 1.05)
        free = _free_heights((peak_kw - corner[1]) / (end - corner[1]), len(flags))
        for height, flag in zip(free, sorted(flags, key=lambda flag: flag.usable_kwh), strict=True):
            if corner[0] < flag.usable_kwh < right:
                late = flag.usable_kwh > right * 0.75
                anchors = ((1, 0.5), (1, 0.5)) if late else ((0, 0.5), (0, 0.5))
                self.marker(
                    flag.usable_kwh,
                    flag.name,
                    look.quiet,
                    dashed=True,
                    position=height,
                    anchors=anchors,
                )
        self.level(peak_kw, f"worst evening {peak_kw:.1f} kW", look.stop, right=True)
        self.plot(
            [result.here_kwh],
            [result.here_kw],
            pen=None,
            symbol="o",
            symbolSize=13,
            symbolPen=pen(look.alternating, 3),
            symbolBrush=brush(look.paper, 220),
        )
        self.words(
            result.here_kwh, result.here_kw, "this battery", look.alternating, anchor=(1.15, 0), backed=True
        )
        self.head(f"{result.words}, lines of the same")
        self.setXRange(corner[0], right, padding=0)
        self.setYRange(corner[1], end, padding=0)


def _scale(worth, room: float) -> tuple[float, float]:
    """A scale from nothing to the most, with room above as a share of it."""
    return min(0.0, float(worth.min())), max(float(worth.max()), 1.0) * (1.0 + room)


def _free_heights(taken: float, count: int) -> list[float]:
    """Heights for words one under another, as shares of the chart, that leave out a line and the words on it."""
    heights, height = [], 0.96
    while len(heights) < count:
        if not taken - LINE_OF_WORDS / 2 < height < taken + 1.5 * LINE_OF_WORDS:
            heights.append(height)
        height -= LINE_OF_WORDS
    return heights


def _finer(field, times: int = 12):
    """A field on a finer grid, straight between its points."""
    for axis in (0, 1):
        coarse = np.arange(field.shape[axis])
        at = np.linspace(-0.5, field.shape[axis] - 0.5, field.shape[axis] * times)
        field = np.apply_along_axis(
            lambda values, at=at, coarse=coarse: np.interp(at, coarse, values), axis, field
        )
    return field


class PowerCurve(Chart):
    """What a year brings over power at the option's own energy."""

    def __init__(self):
        super().__init__("By power alone", "kW of the battery", "brought a year")

    def show_map(self, result) -> None:
        """Draws one cut of `planning.studies.battery_map`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        worth = result.by_power
        self.getPlotItem().setLabel("left", rich("{}", result.words), color=look.quiet)
        self.line(result.power_kw, worth, look.ink, symbol="o")
        self.marker(result.here_kw, f"{result.here_kw:.1f} kW here", look.alternating, position=0.1)
        self.setYRange(*_scale(worth, 0.2), padding=0)
        self.setXRange(0, float(result.power_kw[-1]), padding=0)


class MonthsChart(Chart):
    """Share of each month's days on which the battery was full once, and at its reserve once."""

    def __init__(self):
        super().__init__("Days it is full, and at its reserve", "", "% of days")

    def show_shares(self, full, empty) -> None:
        """Draws two bars a month, shape (12,) each, 0 to 1."""
        look = colours()
        self.start()
        for shares, left, colour in ((full, -0.38, look.ok), (empty, 0.02, look.stop)):
            bars = pg.BarGraphItem(
                x0=np.arange(12) + left, width=0.36, y0=0, height=np.asarray(shares) * 100, brush=colour, pen=None
            )
            self.addItem(bars)
        self.key(-0.4, 100.0, "full once", look.ok)
        self.key(4.2, 100.0, "at its reserve once", look.stop)
        self.getAxis("bottom").setTicks([list(enumerate(MONTHS))])
        self.getAxis("left").setTicks([[(share, str(share)) for share in (0, 25, 50, 75, 100)]])
        self.setXRange(-0.6, 11.6, padding=0)
        self.keys_above(0.0, 102.0)


class DepthChart(Chart):
    """Full cycles a year spent at each depth."""

    def __init__(self):
        super().__init__("Full cycles by depth", "depth, % of usable energy", "full cycles a year")

    def show_cycles(self, cycles) -> None:
        """Draws `physics.fade.Cycles`."""
        look = colours()
        self.start()
        spent = cycles.by_depth()
        self.steps(np.linspace(0, 100, spent.size + 1), spent, look.direct)
        self.head(f"{cycles.full_equivalent:.0f} full cycles a year, by depth")
        self.setXRange(0, 100, padding=0)
        self.setYRange(0, max(float(spent.max()), 1.0) * 1.15, padding=0)


class YearsChart(Chart):
    """What is left of the battery year by year, by calendar and cycles, against the warranty."""

    def __init__(self):
        super().__init__("What is left of the battery", "year", "% of usable energy when new")

    def show_ageing(self, ageing) -> None:
        """Draws `planning.studies.battery_ageing`; None clears the chart."""
        if not self.begins(ageing):
            return
        look = colours()
        years = np.arange(ageing.left.size + 1)
        edges = np.append(years[:-1], years[-1])
        by_calendar = np.concatenate([[0.0], ageing.by_calendar]) * 100
        left = np.concatenate([[1.0], ageing.left]) * 100
        lost = pg.PlotCurveItem(years, 100 - by_calendar, pen=pen(look.light, 1.4, Qt.PenStyle.DashLine))
        self.addItem(lost)
        self.words(years[-1], 100 - by_calendar[-1], "by the calendar alone", look.light, anchor=(1, 1))
        self.line(edges, left, look.ink, 2.2, symbol="o")
        warranty = ageing.warranty
        promised, ends = warranty.promised * 100, warranty.ends_year
        self.line([0, ends], [promised, promised], look.alternating, 2.0)
        self.words(0.1, promised, f"promised {promised:.0f}%", look.alternating, anchor=(0, 0))
        self.marker(ends, f"warranty ends by {warranty.by}", look.alternating, dashed=True, position=0.12)
        if abs(promised - 70) > 0.5:
            self.level(70.0, "70%", look.stop)
        if ageing.years_to_end is None:
            when = "nothing fades"
        else:
            beyond = " (drawn on)" if ageing.years_to_end > ageing.left.size else ""
            when = f"70% after {ageing.years_to_end:.0f} years{beyond}"
        self.head(f"What is left of the battery: {when}")
        self.setXRange(0, max(float(years[-1]), ends) * 1.02, padding=0)
        self.setYRange(min(50.0, float(left.min()) - 4), 103, padding=0)
