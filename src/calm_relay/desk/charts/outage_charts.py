"""Charts of the bench Outage: the night's load under its limits, battery and array, every start of the year."""

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt

from calm_relay.desk.charts.chart import Chart, pen, shades_between
from calm_relay.desk.charts.cursor_chart import CursorChart
from calm_relay.desk.charts.home_charts import MONTH_STARTS, MONTHS
from calm_relay.desk.widgets.theme import colours, shade_of

RIGHT_WIDTH = 38
# Points a chart draws at most: minutes are drawn together beyond that.
POINTS = 1200
# How far the axis goes beyond what is drawn, for two rows of keys above the words of the highest limit on a low screen.
HEADROOM = 1.75
# Of the axis that the words of a limit take on a low screen.
WORDS = 0.15
NIGHT = "The night: what is fed, against what the inverter can give; move the mark and the line follows"
# Circuits that have a shade of their own.
SHADES = 4


# What the array's scale may reach [kW].
ARRAY_TOPS = (1, 2, 4, 6, 8, 10, 15, 20, 30, 40, 60, 80, 100, 200, 500, 1000, 10_000, 1_000_000)
# Hours between the ticks of a night, the first that leaves at most so many.
TICK_HOURS, TICKS = (1, 2, 3, 6, 12, 24, 48), 9


def _clock_ticks(chart, run, clock):
    """Ticks say how long the outage has lasted and what the clock shows."""
    hours = run.steps * run.step_h
    every = next((n for n in TICK_HOURS if hours / n <= TICKS), TICK_HOURS[-1])
    ticks = []
    for hour in range(every, int(hours) + 1, every):
        at = (clock + np.timedelta64(hour, "h")).astype(object)
        ticks.append((hour, f"{hour} h, {at:%H:%M}"))
    # Both charts of a night are as wide as each other.
    chart.getPlotItem().showAxis("right")
    chart.getAxis("right").setWidth(RIGHT_WIDTH)
    chart.getAxis("bottom").setTicks([ticks])


def _every(run):
    return max(1, run.steps // POINTS)


def _shown(names, fed):
    """The circuits that use most with a shade each, and the others together: no two look alike."""
    order = np.argsort(-fed.sum(axis=1)).tolist()
    shown = [(names[n], fed[n], shade_of(place)) for place, n in enumerate(order[:SHADES])]
    rest = order[SHADES:]
    if rest:
        shown.append((f"{len(rest)} other{'s' * (len(rest) > 1)}", fed[rest].sum(axis=0), colours().muted))
    return shown


class NightChart(CursorChart):
    """What is fed, stacked by circuits, starts as spikes, against the inverter's limits."""

    def __init__(self):
        super().__init__(NIGHT, "", "kW")

    def show_run(self, run, clock=None) -> None:
        """Draws `planning.studies.outage.Rehearsal` from the clock time at which it begins; None clears the chart."""
        if not self.begins(run):
            return
        look = colours()
        by = _every(run)
        size = run.steps // by * by
        hours = run.hours[:size:by]
        edges = np.append(hours, hours[-1] + run.step_h * by)
        fed = (run.load_kw * run.on.T)[:, :size].reshape(len(run.names), -1, by).mean(axis=2)
        base = np.zeros(hours.size)
        heaviest = max(float(run.load_kw.sum(axis=0).max()), run.surge_kw, float(run.start_kw.max()))
        top = min(heaviest * 1.05, 2.6 * run.surge_kw)
        for number, (_, kw, shade) in enumerate(shown := _shown(run.names, fed)):
            self.steps(edges, base + kw, shade, base=base, alpha=215)
            base = base + kw
            row, column = divmod(number, 3)
            place = float(edges[-1]) * (0.01 + 0.33 * column)
            self.key(place, top * (HEADROOM - 0.02), shown[number][0], shade, row)
        for t in np.flatnonzero(run.start_kw > 0.5).tolist():
            if run.served_kw[t] > 0 or run.causes[t] > 0:
                spike = run.load_kw[:, t].sum() + run.start_kw[t]
                self.addItem(pg.PlotCurveItem([run.hours[t]] * 2, [0.0, spike], pen=pen(look.ink, 1.0)))
        row, column = divmod(len(shown), 3)
        place = float(edges[-1]) * (0.01 + 0.33 * column)
        self.key(place, top * (HEADROOM - 0.02), "dotted: asked, fed or not", look.quiet, row)
        asked = run.load_kw.sum(axis=0)[:size].reshape(-1, by).max(axis=1)
        self.line(hours, asked, look.quiet, 1.0, Qt.PenStyle.DotLine)
        # Away from the words of the mark.
        early = run.served_h is not None and run.served_h < float(edges[-1]) / 2.0
        # Below its line where that of the other limit would go through them.
        near = run.limit_kw < run.surge_kw < run.limit_kw + WORDS * top * HEADROOM
        self.level(run.limit_kw, f"{run.limit_kw:.1f} kW continuous", look.stop, right=early, below=near)
        if run.surge_kw < top and run.surge_kw > run.limit_kw * 1.05:
            self.level(run.surge_kw, f"{run.surge_kw:.1f} kW for a moment", look.check, right=True)
        if run.served_h is not None:
            # Between the words of the two limits.
            self.marker(
                run.served_h,
                "without supply",
                look.stop,
                position=(run.limit_kw + run.surge_kw) / 2 / (top * HEADROOM),
            )
        self.setXRange(0, float(edges[-1]), padding=0)
        self.setYRange(0, top * HEADROOM, padding=0)
        self.right_axis([])
        _clock_ticks(self, run, clock)
        self.add_cursor()


class BatteryAndSun(CursorChart):
    """The battery's charge, the array offered and used, and the frequency that turns it down."""

    def __init__(self):
        super().__init__("Battery and array", "", "% full")

    def show_run(self, run, clock=None) -> None:
        """Draws the same rehearsal; None clears the chart."""
        if not self.begins(run):
            return
        look = colours()
        by = _every(run)
        hours = run.hours[::by]
        used = run.pv_used_kw[::by]
        offered, made = run.run.outage.ac_offered[::by], run.generator_kw[::by]
        most = max(float(series.max()) for series in (used, offered, made))
        top_kw = next(kw for kw in ARRAY_TOPS if kw >= max(most, 1.0))
        scale = 100.0 / top_kw
        edges = np.append(hours, hours[-1] + run.step_h * by)
        self.steps(edges, used * scale, look.light, alpha=170)
        self.line(hours, offered * scale, look.light, 1.2, Qt.PenStyle.DashLine)
        self.line(hours, run.stored_kwh[::by] / run.usable_kwh * 100.0, look.direct, 2.2)
        several = len(run.forming) > 1
        for level in run.levels if several else ():
            self.line(hours, level[::by] * 100.0, look.direct, 1.0)
        dashed = "; dashed: offered on the AC side" if offered.max() > 0 else ""
        keys = [
            ("batteries, % full; thin: each" if several else "battery, % full", look.direct),
            (f"array used, kW{dashed}", look.light),
        ]
        if made.max() > 0:
            self.line(hours, made * scale, look.ink, 1.6)
            keys.append(("generator, kW", look.ink))
        rest, high = float(run.frequency_hz.min()), float(run.frequency_hz.max())
        turned_down = high > rest + 0.01
        self.head("Battery, array and frequency" if turned_down else "Battery and array")
        if turned_down:
            self.line(hours, 102.0 + 22.0 * (run.frequency_hz[::by] - rest) / (high - rest), look.alternating, 1.4)
            keys.append((f"frequency, {rest:g} to {high:.1f} Hz", look.alternating))
        end = float(edges[-1])
        places = (0.01, 0.19, 0.66, 0.83) if dashed else (0.01, 0.19, 0.42, 0.66)
        places = (0.01, 0.30, 0.72, 0.86) if several and dashed else places
        places = (0.01, 0.30, 0.50, 0.72) if several and not dashed else places
        for (words, colour), place in zip(keys, places, strict=False):
            self.key(end * place, 100.0, words, colour)
        self.getAxis("left").setTicks([[(share, f"{share}") for share in (0, 50, 100)]])
        self.right_axis([(50.0, f"{top_kw / 2:g} kW"), (100.0, f"{top_kw:g} kW")])
        self.setXRange(0, end, padding=0)
        self.keys_above(0.0, 126.0 if turned_down else 104.0)
        _clock_ticks(self, run, clock)
        self.add_cursor()


class SurvivalCarpet(Chart):
    """Hours survived from every start hour of the year: days across, hours up, the paler the longer."""

    def __init__(self):
        super().__init__("Hours survived from every start of the year", "", "hour of the start, standard")

    def show_map(self, result) -> None:
        """Draws `planning.studies.survival.Survival`; None clears the chart."""
        if not self.begins(result):
            return
        look = colours()
        image = pg.ImageItem(result.hours, levels=(0.0, 72.0))
        image.setLookupTable(shades_between(look.stop, look.light, look.paper, look.ok))
        image.setRect(QRectF(0, 0, 365, 24))
        self.addItem(image)
        day, hour = divmod(int(result.hours.ravel().argmin()), 24)
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


class RideThroughChart(Chart):
    """Of all starts of the year the share with supply after so many hours, a curve an option."""

    def __init__(self):
        super().__init__(
            "Of every start of the year, the share that still has supply after so many hours",
            "hours into the outage",
            "% of starts",
        )

    def show_every(self, result, shown: str, letters) -> None:
        """Draws `planning.studies.survival.every_survival`; `letters` maps option keys, None clears it."""
        if not self.begins(result or None):
            return
        look = colours()
        most = max(item.most_h for item in result.values())
        after = np.linspace(0.0, most, 337)
        rest = [key for key in result if key != shown]
        for number, key in enumerate(rest):
            self._curve(after, result[key], shade_of(number), letters[key], 1.4, 0.06 + 0.11 * number)
        if shown in result:
            self._curve(after, result[shown], look.stop, letters[shown], 3.0, 0.02)
            envelope = result[shown].envelope_h
            summary = f"envelope of {letters[shown]}: {envelope:.1f} h"
            self.marker(envelope, summary, look.quiet, dashed=True, position=0.9)
        self.getAxis("bottom").setTicks([[(hour, str(hour)) for hour in (0, 8, 24, 48, 72, 96, 120, 144, 168)]])
        self.setXRange(0, most, padding=0.01)
        self.setYRange(0, 104, padding=0)

    def _curve(self, after, result, colour, letter, width, along):
        riding_through = result.riding_through(after) * 100.0
        self.line(after, riding_through, colour, width)
        at = int(along * after.size)
        self.words(after[at], riding_through[at], letter, colour, anchor=(0, 1))
