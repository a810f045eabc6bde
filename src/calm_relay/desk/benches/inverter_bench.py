"""The bench Converter: clipping, other AC sizes, hours at each load, limits, and what is there today."""

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.existing_panel import WallPanel
from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.charts.clipped_chart import ClippedChart
from calm_relay.desk.charts.limit_bars import LimitBars
from calm_relay.desk.charts.power_bars import PowerBars
from calm_relay.desk.widgets.tabs import Tabs, tabbed
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.exchange.shipped import catalogue

PLANNER = "the planner's choice"


LEFT = (("day", "The clipped day"), ("year", "Clipped by month and hour"))
RIGHT = (("energy", "Energy by AC size"), ("cost", "Cost by AC size"))
SIDE = (("limits", "Limits"), ("evening", "Evening"), ("today", "There today"))


def _studied(plan, option, progress):
    """Sweep and clipping in one study."""
    from calm_relay.planning.studies.clipping import clipped_year
    from calm_relay.planning.studies.inverter_sweep import sweep_converter

    return sweep_converter(plan, option, progress), clipped_year(plan, option, progress)


def _padded(*parts):
    """Widgets on top of the room that is left."""
    whole = QWidget()
    column = QVBoxLayout(whole)
    column.setContentsMargins(0, 4, 0, 0)
    for part in parts:
        column.addWidget(part)
    column.addStretch(1)
    return whole


class ConverterBench(Bench):
    """Shows `planning.sweep_converter`; dragging the mark takes the hybrid nearest in size."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = self._job = None
        self.sweep = Chart("Lost at other AC sizes, a year; the mark is today's choice", "AC kW", "kWh")
        self.sweep.dropped.connect(self._on_dropped)
        self.day = Chart("The day that clips most", "hour, standard time", "kW")
        self.hours = Chart("Hours at each load, and the efficiency there", "% of AC rating", "hours")
        self.bars = PowerBars()
        self.clipped = ClippedChart()
        self.cost = Chart("Cost at other AC sizes; the mark is today's choice", "AC kW", "a year")
        self.cost.dropped.connect(self._on_dropped)
        self.limits = LimitBars()
        self.wall = WallPanel()
        self.wall.edited.connect(self.edited)
        self.left_tabs, self.right_tabs, self.side_tabs = Tabs(LEFT), Tabs(RIGHT), Tabs(SIDE)
        self.clip_told, self.trackers = QLabel(), QLabel()
        self.hybrid, self.battery_inverter = QComboBox(), QComboBox()
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setFont(font(8.6))
        self._lay_out()
        for field, box in (("hybrid", self.hybrid), ("battery_inverter", self.battery_inverter)):
            box.activated.connect(lambda _, field=field, box=box: self._take(field, box.currentData()))

    def _lay_out(self):
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 6, 12, 2)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(4)
        grid.addLayout(tabbed(self.left_tabs, self.day, self.clipped), 0, 0)
        grid.addLayout(tabbed(self.right_tabs, self.sweep, self.cost), 0, 1)
        grid.addWidget(self.hours, 1, 0)
        side = QVBoxLayout()
        side.setSpacing(5)
        for label in (self.clip_told, self.trackers):
            label.setWordWrap(True)
            label.setFont(font(8.6))
        choose = QHBoxLayout()
        choose.setSpacing(6)
        for text, box, name in (
            ("&Hybrid", self.hybrid, "Hybrid inverter of the swap"),
            ("&Battery inverter", self.battery_inverter, "Battery inverter of the add-on"),
        ):
            label = QLabel(text)
            label.setBuddy(box)
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(10)
            choose.addWidget(label)
            choose.addWidget(box, 1)
        side.addLayout(choose)
        side.addWidget(self.told)
        side.addWidget(self.clip_told)
        evening, ratio, today = _padded(self.bars), _padded(self.limits, self.trackers), _padded(self.wall)
        side.addLayout(tabbed(self.side_tabs, ratio, evening, today))
        side.addStretch(1)
        grid.addLayout(side, 1, 1)
        for stretch in (grid.setColumnStretch, grid.setRowStretch):
            stretch(0, 1)
            stretch(1, 1)

    def show_job(self, job) -> None:
        """Shows which boxes the job states."""
        self._job = job
        self.wall.show_job(job)
        kit = catalogue().joined(job.own_equipment).converters
        for box, stated, takes_pv in (
            (self.hybrid, job.store.hybrid, True),
            (self.battery_inverter, job.store.battery_inverter, False),
        ):
            box.clear()
            box.addItem(PLANNER, None)
            for item in kit:
                if item.battery and (item.pv is not None) == takes_pv:
                    box.addItem(f"{item.name}, {item.ac_kw:g} kW", item.key)
            box.setCurrentIndex(max(box.findData(stated), 0))

    def show_view(self, view) -> None:
        """Draws the day and the hours, and asks for the sweep, when plan or option is new."""
        if not self.is_new(view):
            return
        self._view = view
        self._draw_day()
        self._draw_hours()
        self._draw_bars()
        self._draw_limits()
        self.clipped.start()
        self.clip_told.clear()
        self.study_wanted.emit("converter", _studied)

    def show_study(self, key: str, found) -> None:
        """Draws the sweep."""
        if key != "converter":
            return
        found, clipped = found
        self._tell_clipped(clipped)
        self.sweep.start()
        self.cost.start()
        if found is None:
            self.told.setText(self._without_sweep())
            return
        self._draw_cost(found)
        look = colours()
        extra = found.import_kwh - found.import_kwh.min()
        self.sweep.line(found.ac_kw, found.clipped_kwh, look.stop)
        self.sweep.line(found.ac_kw, extra, look.ink)
        self.sweep.line(found.ac_kw, found.idle_kwh, look.direct)
        less = found.given_kwh.max() - found.given_kwh
        self.sweep.line(found.ac_kw, less, look.alternating, 1.4, Qt.PenStyle.DashLine)
        near = int(np.argmin(np.abs(found.ac_kw - found.ac_kw[0] * 1.25)))
        self.sweep.words(found.ac_kw[near], less[near], "given less", look.alternating, anchor=(0, 1))
        at = int(np.abs(found.ac_kw - found.chosen_kw).argmin())
        for values, word, colour, spot in (
            (found.idle_kwh, "idle and standby", look.direct, 0.72),
            (extra, "bought more", look.ink, 0.85),
        ):
            i = int(spot * (found.ac_kw.size - 1))
            self.sweep.words(found.ac_kw[i], values[i], word, colour, anchor=(1, 1))
        top = max(
            float(np.percentile(found.clipped_kwh, 75)), float(extra.max()), float(found.idle_kwh.max()), 50.0
        )
        steep = int(np.abs(found.clipped_kwh - top).argmin())
        self.sweep.words(found.ac_kw[steep], top, "clipped", look.stop, anchor=(0, 0.5))
        self.sweep.setYRange(0, top * 1.3, padding=0)
        self.sweep.setXRange(float(found.ac_kw[0]), float(found.ac_kw[-1]), padding=0)
        movable = self._view.option.design.key == "hybrid-swap"
        self.sweep.marker(
            found.chosen_kw, f"{found.chosen_kw:g} kW", look.alternating, movable=movable, position=0.9
        )
        self.told.setText(
            f"At {found.chosen_kw:g} kW: "
            f"<span style='color:{look.stop}'>clipped {found.clipped_kwh[at]:,.0f} kWh</span>, "
            f"<span style='color:{look.direct}'>idle and standby {found.idle_kwh[at]:,.0f} kWh</span>, "
            f"bought {extra[at]:,.0f} kWh more than at the best size ({self._view.plan.site.source})."
        )

    def _without_sweep(self):
        box = self._view.option.design.pv_box
        if box is not None and box.micro:
            return "Microinverters have no common AC limit: each module meets its own."
        return "No other size is tried: no array hangs on this option's boxes."

    def _draw_cost(self, found):
        look, job = colours(), self._view.plan.job
        currency, years = job.tariff.currency, job.costs.horizon_years
        self.cost.line(found.ac_kw, found.bill, look.ink)
        self.cost.words(found.ac_kw[-1], found.bill[-1], "bill", look.ink, anchor=(1, 0))
        top = float(found.bill.max())
        if found.box_price is not None:
            whole = found.bill + found.box_price / years
            self.cost.line(found.ac_kw, whole, look.direct)
            words = f"bill and the box over {years} years"
            self.cost.words(found.ac_kw[-1], whole[-1], words, look.direct, anchor=(1, 1))
            top = float(whole.max())
        low = float(found.bill.min())
        self.cost.setYRange(low - 0.4 * (top - low), top + 0.25 * (top - low), padding=0)
        self.cost.setXRange(float(found.ac_kw[0]), float(found.ac_kw[-1]), padding=0)
        movable = self._view.option.design.key == "hybrid-swap"
        self.cost.marker(
            found.chosen_kw, f"{found.chosen_kw:g} kW", look.alternating, movable=movable, position=0.3
        )
        title = f"{currency} a year at other AC sizes"
        self.cost.head(title)

    def _tell_clipped(self, clipped):
        self.clipped.show_clipped(clipped, self._view.plan)
        if clipped is None:
            self.clip_told.clear()
            return
        self.clip_told.setToolTip(
            f"From: simulated year with and without the store, {self._view.plan.site.source}"
        )
        self.clip_told.setText(
            keep_units(
                f"Clipped without a store: {clipped.bare_kwh:,.0f} kWh on {clipped.days} days; the store catches "
                f"<b>{clipped.caught_kwh:,.0f} kWh</b>. {clipped.why}"
            )
        )

    def _draw_limits(self):
        from calm_relay.planning.architecture.ratio_limits import ratio_limits

        option = self._view.option
        box = option.design.pv_box
        if box is None or not box.has_array:
            self.limits.show_limits(None, ())
            self.trackers.clear()
            return
        limits = ratio_limits(box, option.ground.job, option.ground.survey)
        self.limits.show_limits(box.array_kw / box.converter.ac_kw, limits)
        if box.micro:
            self.trackers.setText("Every module has its own tracker.")
            return
        needed = len({(face.plan.tilt, face.plan.azimuth) for face in box.faces})
        there = len(box.converter.pv.trackers)
        word = "orientation" if needed == 1 else "orientations"
        self.trackers.setToolTip("From: the job's survey; inverter datasheet")
        self.trackers.setText(f"Trackers: {needed} {word} on the roof, {there} trackers in {box.converter.name}.")

    def _draw_day(self):
        from calm_relay.planning.studies.inverter_sweep import clipped_day

        found, look = clipped_day(self._view.plan, self._view.option), colours()
        self.day.start()
        if found is None:
            return
        lost = float(found.clipped.sum() * (found.hours[1] - found.hours[0]))
        date = found.date.astype(object)
        title = (
            f"{date:%-d %B}: {lost:.1f} kWh clipped"
            if lost > 0
            else f"{date:%-d %B}, the best day: nothing clipped"
        )
        self.day.head(title)
        edges = np.append(found.hours, 24.0)
        kept = np.maximum(found.offered - found.clipped - found.stored, 0.0)
        self.day.steps(edges, kept, look.light)
        self.day.steps(edges, kept + found.stored, look.direct, base=kept, alpha=200)
        self.day.steps(edges, kept + found.stored + found.clipped, look.stop, base=kept + found.stored)
        self.day.level(found.limit_kw, f"{found.limit_kw:g} kW AC limit", look.ink)
        self.day.setXRange(4, 21, padding=0)
        self.day.setYRange(0, max(float(found.offered.max()), found.limit_kw) * 1.15, padding=0)

    def _draw_hours(self):
        from calm_relay.planning.studies.inverter_sweep import load_hours

        found, look = load_hours(self._view.option), colours()
        self.hours.start()
        if found is None:
            return
        edges = found.edges * 100
        self.hours.steps(edges, found.hours, look.muted)
        top = float(found.hours.max()) * 1.25
        middles = (edges[1:] + edges[:-1]) / 2
        # The curve runs from 90 to 100 % over the height of the chart.
        self.hours.line(middles, np.clip((found.efficiency - 0.9) / 0.1, 0, 1) * top, look.alternating)
        self.hours.right_axis([(top * share, f"{90 + 10 * share:.0f} %") for share in (0.0, 0.5, 1.0)])
        mean = f", {found.mean_efficiency:.1%} over the year" if found.mean_efficiency else ""
        title = f"Hours at each load; line: efficiency{mean}"
        self.hours.head(title)
        self.hours.setYRange(0, top, padding=0)
        self.hours.setXRange(0, 100, padding=0)

    def _draw_bars(self):
        option, demand = self._view.option, self._view.plan.demand
        rows = [("Worst evening half hour", demand.evening_peak_kw, "asks", demand.source)]
        for box in option.design.boxes:
            rows.append((box.converter.name, box.converter.ac_kw, "gives", "datasheet, AC rating"))
        if option.outcome is not None and option.outcome.limit is not None:
            limit = option.outcome.limit
            rows.append(
                (
                    f"The store, by its {limit.limited_by}",
                    limit.power_kw,
                    "gives",
                    "least of the datasheets' limits",
                )
            )
        self.bars.show_rows(rows)

    def _on_dropped(self, kw):
        kit = catalogue().joined(self._job.own_equipment).converters
        hybrids = [item for item in kit if item.pv and item.battery and item.phases == self._job.supply.phases]
        nearest = min(hybrids, key=lambda item: abs(item.ac_kw - kw), default=None)
        if nearest is not None:
            self._take("hybrid", nearest.key)

    def _take(self, field, key):
        before = getattr(self._job.store, field)
        if key == before:
            self._seen = None
            self.show_view(self._view)
            return
        kit = {item.key: item.name for item in catalogue().joined(self._job.own_equipment).converters}
        what = "Hybrid" if field == "hybrid" else "Battery inverter"
        label = f"{what}: {kit.get(key, PLANNER)}"
        self.edited.emit(self._job.with_(store=self._job.store.with_(**{field: key})), label)
