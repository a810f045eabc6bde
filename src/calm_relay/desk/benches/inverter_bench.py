"""The bench Converter: clipping, other AC sizes, hours at each load, limits, and what is there today."""

from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.existing_panel import WallPanel
from calm_relay.desk.benches.service_panel import ServicePanel
from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.charts.clipped_chart import ClippedChart
from calm_relay.desk.charts.limit_bars import LimitBars
from calm_relay.desk.charts.power_bars import PowerBars
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, RichLabel, rich, tip
from calm_relay.desk.widgets.scrolled import scrolled
from calm_relay.desk.widgets.tabs import Tabs, tabbed
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.planning.common.vocabulary import vocabulary_of

PLANNER = "planner's choice"
NO_ARRAY = "No array hangs on this option's units."
# Fields of the planned battery that state a unit, their labels and names, and the kind of equipment they choose from.
UNITS = (
    ("hybrid", "&Hybrid", "Hybrid", "inverters"),
    ("battery_inverter", "&Battery inverter", "Battery inverter", "inverters"),
    ("string_inverter", "&String inverter", "String inverter", "inverters"),
    ("microinverter", "M&icroinverter", "Microinverter", "microinverters"),
)


LEFT = (("day", "The clipped day"), ("year", "Clipped by month and hour"))
RIGHT = (("energy", "Energy by AC size"), ("cost", "Cost by AC size"))
SIDE = (
    ("limits", "Limits"),
    ("evening", "Evening"),
    ("today", "Inverters today"),
    ("batteries", "Batteries today"),
    ("service", "Service today"),
)

# Of them, those that state what is there today.
THERE = ("today", "batteries", "service")
SIDE_ROOM, LEAST_CHART = 96, 128


def _studied(plan, option, progress):
    """Sweep and clipping in one study."""
    from calm_relay.planning.studies.clipping import clipped_year
    from calm_relay.planning.studies.inverter_sweep import sweep_inverter

    return sweep_inverter(plan, option, progress), clipped_year(plan, option, progress)


def _padded(*parts):
    """Widgets on top of the room that is left."""
    whole = QWidget()
    column = QVBoxLayout(whole)
    column.setContentsMargins(0, 4, 0, 0)
    for part in parts:
        column.addWidget(part)
    column.addStretch(1)
    return whole


class InverterBench(Bench):
    """Shows `planning.studies.inverter_sweep`; dragging the mark takes the hybrid nearest in size."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = self._job = None
        self.sweep = Chart("Lost at other AC sizes, a year; the mark is today's choice", "AC kW", "kWh")
        self.sweep.setMinimumHeight(LEAST_CHART)
        self.sweep.dropped.connect(self._on_dropped)
        self.day = Chart("The day that clips most", "hour, standard time", "kW")
        self.hours = Chart("Hours at each load, and the efficiency there", "% of AC rating", "hours")
        self.bars = PowerBars()
        self.clipped = ClippedChart()
        self.cost = Chart("Cost at other AC sizes; the mark is today's choice", "AC kW", "a year")
        self.cost.dropped.connect(self._on_dropped)
        self.limits = LimitBars()
        self.wall = WallPanel(self)
        self.wall.edited.connect(self.edited)
        self.wall.item_wanted.connect(self.item_wanted)
        self.service = ServicePanel()
        self.service.edited.connect(self.edited)
        self.foresight_tabs, self.right_tabs, self.side_tabs = Tabs(LEFT), Tabs(RIGHT), Tabs(SIDE)
        self.clipping_summary, self.trackers = RichLabel(), Label()
        self.units = {field: ChoiceField(words, width=8) for field, _, words, _ in UNITS}
        self.hybrid, self.battery_inverter = self.units["hybrid"], self.units["battery_inverter"]
        self.summary = RichLabel()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(8.6))
        self._lay_out()
        for field, _, _, kind in UNITS:
            take = partial(self._take, field)
            self.units[field].taken.connect(take)
            self.units[field].new_wanted.connect(lambda kind=kind, take=take: self.item_wanted.emit(kind, take))

    def _lay_out(self):
        # Each column parts its own height: beside many sentences no chart is squeezed.
        self._foresight, self._sizes = QWidget(), QWidget()
        left, sizes, side = QVBoxLayout(self._foresight), QVBoxLayout(self._sizes), QVBoxLayout()
        for column in (left, sizes):
            column.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(4)
        left.addLayout(tabbed(self.foresight_tabs, self.day, self.clipped), 1)
        left.addWidget(self.clipping_summary)
        left.addWidget(self.hours, 1)
        side.setSpacing(5)
        sizes.addLayout(tabbed(self.right_tabs, self.sweep, self.cost))
        side.addWidget(self._sizes, 1)
        for label in (self.clipping_summary, self.trackers):
            label.setWordWrap(True)
            label.setFont(font(8.6))
        self._come = QWidget()
        choose = QGridLayout(self._come)
        choose.setContentsMargins(0, 0, 0, 0)
        choose.setHorizontalSpacing(6)
        choose.setVerticalSpacing(4)
        for number, (field, text, _, _) in enumerate(UNITS):
            label = Label(text)
            label.setBuddy(self.units[field])
            row, column = divmod(number, 2)
            choose.addWidget(label, row, 2 * column)
            choose.addWidget(self.units[field], row, 2 * column + 1)
            choose.setColumnStretch(2 * column + 1, 1)
        side.addWidget(self._come)
        side.addWidget(self.summary)
        evening, ratio = _padded(self.bars), _padded(self.limits, self.trackers)
        today = [
            scrolled(name, page, spacing=4)
            for name, page in (
                ("Inverters there today", self.wall.inverters),
                ("Batteries there today", self.wall.batteries),
                ("Generators, changeovers and current transformers there today", self.service),
            )
        ]
        for page in today:
            # It scrolls in the room that the charts leave.
            page.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
            page.setMinimumHeight(SIDE_ROOM)
        side.addLayout(tabbed(self.side_tabs, ratio, evening, *today))
        self.side_tabs.chosen.connect(self._on_side)
        columns = QHBoxLayout(self)
        columns.setContentsMargins(10, 6, 12, 2)
        columns.setSpacing(12)
        columns.addWidget(self._foresight, 1)
        columns.addLayout(side, 1)

    def _on_side(self, key):
        """What is there today needs the room of the sentence."""
        self.summary.setVisible(key not in THERE)

    def focus_question(self) -> None:
        """Gives the focus to what is there today."""
        self.side_tabs.choose("today")
        self.wall.inverters.kind.setFocus()

    def show_job(self, job) -> None:
        """Shows which units the job states."""
        self._job = job
        # Of an array that nobody has stated yet there is nothing to draw: the room is for what is there.
        begun = "array" in job.wanted
        for part in (self._foresight, self._sizes, self._come):
            part.setVisible(not begun)
        if begun and self.side_tabs.key not in THERE:
            self.side_tabs.choose("today")
        self.wall.show_job(job, self.library.equipment_for(job))
        self.service.show_job(job)
        equipment = self.library.equipment_for(job)
        inverters = {
            "hybrid": [item for item in equipment.inverters if item.battery and item.pv],
            "battery_inverter": [item for item in equipment.inverters if item.battery and not item.pv],
            "string_inverter": [item for item in equipment.inverters if item.pv and not item.battery],
        }
        entries = {
            field: [(item.key, f"{item.name}, {item.ac_kw:g} kW") for item in items]
            for field, items in inverters.items()
        }
        entries["microinverter"] = [
            (item.key, f"{item.name}, {item.ac_w:g} W") for item in equipment.microinverters
        ]
        for field, offered in entries.items():
            stated = getattr(job.battery, field)
            # A job's file may state a unit of another kind: it is named, not left blank.
            other = [
                (item.key, f"{item.name}, of another kind")
                for item in equipment.inverters
                if item.key == stated and all(stated != key for key, _ in offered)
            ]
            self.units[field].offer([(None, PLANNER), *offered, *other], new=True)
            self.units[field].show_value(stated)

    def show_view(self, view) -> None:
        """Draws the day and the hours, and asks for the sweep, when plan or option is new."""
        if not self.is_new(view):
            return
        self._view = view
        self._draw_day()
        self._draw_hours()
        self._draw_bars()
        self._draw_limits()
        self.clipped.waits()
        self.clipping_summary.clear()
        if self.is_other:
            self.wait_for(self.sweep, self.cost)
            self.summary.clear()
        self.study_wanted.emit("inverter", _studied)

    def show_study(self, key: str, result) -> None:
        """Draws the sweep."""
        if key != "inverter":
            return
        result, clipped = result
        self._show_clipped(clipped)
        if result is None:
            self.sweep.waits(self._without_sweep())
            self.cost.waits(self._without_sweep())
            self.summary.clear()
            return
        self.sweep.start()
        self.cost.start()
        self._draw_cost(result)
        look = colours()
        extra = result.import_kwh - result.import_kwh.min()
        self.sweep.line(result.ac_kw, result.clipped_kwh, look.stop)
        self.sweep.line(result.ac_kw, extra, look.ink)
        self.sweep.line(result.ac_kw, result.idle_kwh, look.direct)
        less = result.given_kwh.max() - result.given_kwh
        self.sweep.line(result.ac_kw, less, look.alternating, 1.4, Qt.PenStyle.DashLine)
        at = int(np.abs(result.ac_kw - result.chosen_kw).argmin())
        words = vocabulary_of(self._view.plan.job.supply)
        for values, word, colour, spot in (
            (result.idle_kwh, "idle and standby", look.direct, 0.72),
            (extra, f"{words.imported} more", look.ink, 0.85),
        ):
            i = int(spot * (result.ac_kw.size - 1))
            self.sweep.words(result.ac_kw[i], values[i], word, colour, anchor=(1, 1))
        top = max(
            float(np.percentile(result.clipped_kwh, 75)), float(extra.max()), float(result.idle_kwh.max()), 50.0
        )
        self._name_clipped(result, top)
        self.sweep.setYRange(0, top * 1.3, padding=0)
        self.sweep.setXRange(float(result.ac_kw[0]), float(result.ac_kw[-1]), padding=0)
        movable = self._view.option.design.architecture.one_inverter
        self.sweep.marker(
            result.chosen_kw, f"{result.chosen_kw:g} kW", look.alternating, movable=movable, position=0.9
        )
        note = self._view.plan.assumed_note
        self.summary.setToolTip(tip(f"From: simulated years, {self._view.plan.site.source}"))
        self.summary.setText(
            rich(
                "At {:g} kW{}: <span style='color:{}'>clipped {:,.0f} kWh</span>, <span style='color:{}'>idle and "
                "standby {:,.0f} kWh</span>, <span style='color:{}'>given {:,.0f} kWh less</span> (dashed) and {} "
                "{:,.0f} kWh more than at the best size for each{}.",
                result.chosen_kw,
                f" in {result.units} units" if result.units > 1 else "",
                look.stop,
                result.clipped_kwh[at],
                look.direct,
                result.idle_kwh[at],
                look.alternating,
                less[at],
                words.imported,
                extra[at],
                f" ({note})" if note else "",
            )
        )

    def _name_clipped(self, result, top):
        """Beside the line of what is clipped, where it rises out of the picture and the mark of today is not."""
        if result.clipped_kwh.max() < 0.1 * top:
            return
        steep, span = int(np.abs(result.clipped_kwh - top).argmin()), np.ptp(result.ac_kw)
        x = result.ac_kw[steep]
        in_its_way = 0.0 <= result.chosen_kw - x < 0.15 * span and x - result.ac_kw[0] > 0.1 * span
        anchor = (1.05, 0.5) if in_its_way else (0, 0.5)
        self.sweep.words(x, min(top, result.clipped_kwh[steep]), "clipped", colours().stop, anchor=anchor)

    def _why_nothing(self):
        return "This option cannot be built." if self._view.built is None else NO_ARRAY

    def _without_sweep(self):
        built = self._view.built
        if built is None:
            return self._why_nothing()
        converter = built.design.pv_converter
        if converter is not None and converter.micro:
            return "Microinverters have no common AC limit: each module meets its own."
        return "No other size is tried: no array hangs on this option's units."

    def _draw_cost(self, result):
        look, job = colours(), self._view.plan.job
        currency, years = job.tariff.currency, job.costs.horizon_years
        self.cost.line(result.ac_kw, result.bill, look.ink)
        bill = vocabulary_of(job.supply).bill_word
        self.cost.words(result.ac_kw[-1], result.bill[-1], bill, look.ink, anchor=(1, 0))
        top = float(result.bill.max())
        if result.unit_price is not None:
            whole = result.bill + result.unit_price / years
            self.cost.line(result.ac_kw, whole, look.direct)
            words = f"{bill} and the inverter over {years} years"
            self.cost.words(result.ac_kw[-1], whole[-1], words, look.direct, anchor=(1, 1))
            top = float(whole.max())
        low = float(result.bill.min())
        self.cost.setYRange(low - 0.4 * (top - low), top + 0.25 * (top - low), padding=0)
        self.cost.setXRange(float(result.ac_kw[0]), float(result.ac_kw[-1]), padding=0)
        movable = self._view.option.design.architecture.one_inverter
        self.cost.marker(
            result.chosen_kw, f"{result.chosen_kw:g} kW", look.alternating, movable=movable, position=0.3
        )
        title = f"{currency} a year at other AC sizes"
        self.cost.head(title)

    def _show_clipped(self, clipped):
        if clipped is None:
            self.clipped.waits(self._why_nothing())
            self.clipping_summary.clear()
            return
        self.clipped.show_clipped(clipped, self._view.plan)
        self.clipping_summary.setToolTip(
            tip(f"From: simulated year with and without the battery, {self._view.plan.site.source}")
        )
        if clipped.bare_kwh < 0.5:
            self.clipping_summary.setText("Nothing is clipped in the year, with a battery or without.")
            return
        self.clipping_summary.setText(
            keep_units(
                rich(
                    "Clipped without a battery: {0.bare_kwh:,.0f} kWh on {0.days} days; the battery catches "
                    "<b>{0.caught_kwh:,.0f} kWh</b>. {0.why}",
                    clipped,
                )
            )
        )

    def _draw_limits(self):
        from calm_relay.planning.architecture.ratio_limits import ratio_limits

        option = self._view.built
        converter = option.design.pv_converter if option else None
        if converter is None or not converter.has_array:
            self.limits.show_limits(None, (), self._why_nothing())
            self.trackers.clear()
            return
        limits = ratio_limits(converter, option.context.job, option.context.survey)
        self.limits.show_limits(converter.array_kw / converter.inverter.ac_kw, limits)
        if converter.micro:
            self.trackers.setText("Every module has its own tracker.")
            return
        needed = len({(face.plan.tilt, face.plan.azimuth) for face in converter.faces})
        there = len(converter.inverter.pv.trackers)
        word = "orientation" if needed == 1 else "orientations"
        self.trackers.setToolTip("From: the job's survey; inverter datasheet")
        self.trackers.setText(
            f"Trackers: {needed} {word} on the roof, {there} trackers in {converter.inverter.name}."
        )

    def _draw_day(self):
        from calm_relay.planning.studies.inverter_sweep import clipped_day

        result, look = clipped_day(self._view.plan, self._view.option), colours()
        if result is None:
            self.day.waits(self._why_nothing())
            return
        self.day.start()
        lost = float(result.clipped.sum() * (result.hours[1] - result.hours[0]))
        date = result.date.astype(object)
        title = (
            f"{date:%-d %B}: {lost:.1f} kWh clipped"
            if lost > 0
            else f"{date:%-d %B}, the best day: nothing clipped"
        )
        self.day.head(title)
        edges = np.append(result.hours, 24.0)
        kept = np.maximum(result.offered - result.clipped - result.stored, 0.0)
        self.day.steps(edges, kept, look.light)
        self.day.steps(edges, kept + result.stored, look.direct, base=kept, alpha=200)
        self.day.steps(edges, kept + result.stored + result.clipped, look.stop, base=kept + result.stored)
        self.day.level(result.limit_kw, f"{result.limit_kw:g} kW AC limit", look.ink)
        self.day.setXRange(4, 21, padding=0)
        self.day.setYRange(0, max(float(result.offered.max()), result.limit_kw) * 1.25, padding=0)

    def _draw_hours(self):
        from calm_relay.planning.studies.inverter_sweep import load_hours

        result, look = load_hours(self._view.option), colours()
        if result is None:
            self.hours.waits(self._why_nothing())
            return
        self.hours.start()
        edges = result.edges * 100
        self.hours.steps(edges, result.hours, look.muted)
        top = float(result.hours.max()) * 1.25
        middles = (edges[1:] + edges[:-1]) / 2
        # The curve runs from 90 to 100 % over the height of the chart.
        self.hours.line(middles, np.clip((result.efficiency - 0.9) / 0.1, 0, 1) * top, look.alternating)
        self.hours.right_axis([(top * share, f"{90 + 10 * share:.0f}%") for share in (0.0, 0.5, 1.0)])
        mean = f", {result.mean_efficiency:.1%} over the year" if result.mean_efficiency else ""
        title = f"Hours at each load; line: efficiency{mean}"
        self.hours.head(title)
        self.hours.setYRange(0, top, padding=0)
        self.hours.setXRange(0, 100, padding=0)

    def _draw_bars(self):
        option, demand = self._view.built, self._view.plan.demand
        rows = [("Worst evening half hour", demand.evening_peak_kw, "asks", demand.source)]
        for converter in option.design.converters if option else ():
            rows.append((converter.inverter.name, converter.inverter.ac_kw, "gives", "datasheet, AC rating"))
        if option and option.outcome.limit is not None:
            limit = option.outcome.limit
            rows.append(
                (
                    f"{limit.giver[:1].upper()}{limit.giver[1:]}, by the {limit.limited_by}",
                    limit.power_kw,
                    "gives",
                    "least of the datasheets' limits",
                )
            )
        self.bars.show_rows(rows)

    def _on_dropped(self, kw):
        equipment = self.library.equipment_for(self._job).inverters
        hybrids = [
            item for item in equipment if item.pv and item.battery and item.phases == self._job.supply.phases
        ]
        nearest = min(hybrids, key=lambda item: abs(item.ac_kw - kw), default=None)
        if nearest is not None:
            self._take("hybrid", nearest.key)

    def _take(self, field, key):
        before = getattr(self._job.battery, field)
        if key == before:
            self._seen = None
            self.show_view(self._view)
            return
        equipment = self.library.equipment_for(self._job)
        names = {item.key: item.name for item in (*equipment.inverters, *equipment.microinverters)}
        what = next(words for name, _, words, _ in UNITS if name == field)
        label = f"{what}: {names.get(key, PLANNER)}"
        self.edited.emit(self._job.with_(battery=self._job.battery.with_(**{field: key})), label)
