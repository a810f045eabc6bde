"""The bench Battery: benefit against energy and power, use, years, what limits, delay, control against foresight."""

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout

from calm_relay.desk.benches.battery_panel import BatteryPanel
from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.charts.battery_charts import (
    DepthChart,
    EnergyCurve,
    EnergyPowerMap,
    MonthsChart,
    PowerCurve,
    YearsChart,
)
from calm_relay.desk.charts.control_charts import ForesightChart, ForesightDay, LimitsChart, MeterChart
from calm_relay.desk.charts.delay_chart import DelayChart, nearest
from calm_relay.desk.widgets.label import RichLabel, joined, rich, tip
from calm_relay.desk.widgets.scrolled import scrolled
from calm_relay.desk.widgets.tabs import Tabs, late, page, tabbed
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.planning.common.amounts import amount_text

TABS = (
    ("energy", "By energy"),
    ("map", "Energy and power"),
    ("use", "Use"),
    ("years", "Years"),
    ("limits", "What limits"),
    ("delay", "Delay"),
    ("foresight", "Foresight"),
    ("meter", "One meter"),
)


def _ageing(plan, option, progress):
    from calm_relay.planning.studies.battery_ageing import battery_ageing_of

    return battery_ageing_of(plan, option, progress)


def _map(plan, option, progress):
    from calm_relay.planning.studies.battery_map import battery_map
    from calm_relay.planning.studies.battery_sweep import flags_of

    result = battery_map(plan, option, progress)
    return result, flags_of(plan, option) if result else ()


def _delay(plan, option, progress):
    from calm_relay.planning.studies.delayed_charging import delay_sweep

    return delay_sweep(plan, option, progress)


def _foresight(plan, option, progress):
    from calm_relay.planning.studies.foresight import foresight_gap_of

    try:
        return foresight_gap_of(plan, option, progress)
    except RuntimeError as error:
        return str(error)


def _meter(plan, option, progress):
    from calm_relay.planning.operation.meter_conflict import one_meter
    from calm_relay.planning.verdict.option import RefusedOption

    progress(0.0, "Watching two controllers")
    return (
        None if isinstance(option, RefusedOption) else one_meter(option.design, option.outcome, option.context.job)
    )


def _sweep(plan, option, progress):
    from calm_relay.planning.studies.battery_sweep import sweep_battery

    return sweep_battery(plan, option, progress)


NO_BATTERY = "This option has no battery."
STUDIES = {
    "energy": _sweep,
    "map": _map,
    "use": _ageing,
    "years": _ageing,
    "delay": _delay,
    "foresight": _foresight,
    "meter": _meter,
}
# Charts of the tabs that wait for a study.
CHARTS = {
    "energy": ("chart",),
    "map": ("map", "power"),
    "use": ("months", "depth"),
    "years": ("years",),
    "delay": ("delay_chart",),
    "foresight": ("foresight_chart", "foresight_day"),
    "meter": ("fault", "ordered"),
}


class BatteryBench(Bench):
    """Shows the battery of the option in view; each tab asks for its own study when it is first looked at."""

    # Twelve charts take a quarter of a second to make: each is made when its tab is first looked at.
    map, power = late(EnergyPowerMap), late(PowerCurve)
    months, depth = late(MonthsChart), late(DepthChart)
    years, limits = late(YearsChart), late(LimitsChart)
    delay_chart = late(DelayChart)
    foresight_chart, foresight_day = late(ForesightChart), late(ForesightDay)
    fault, ordered = late(MeterChart), late(MeterChart)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.chart = EnergyCurve()
        self.chart.dropped.connect(self._on_dropped)
        self.tabs = Tabs(TABS)
        self.panel = BatteryPanel()
        self.panel.item_wanted.connect(self.item_wanted)
        self.panel.edited.connect(self.edited)
        self.summary = RichLabel()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(8.2))
        self.summary.setAccessibleName("What the chart says, and how the battery spends its year")
        self.limited = RichLabel()
        self.limited.setWordWrap(True)
        self.limited.setFont(font(8.4))
        self.limited.setAccessibleName("What limits here")
        self._result = {}
        # Tabs that show the option in view as it is, or was before the edit in hand.
        self._drawn: set[str] = set()
        self._view = None
        pages = (
            self.chart,
            lambda: page((self.map, 5), (self.power, 3), across=True),
            lambda: page((self.months, 1), (self.depth, 1), across=True),
            lambda: self.years,
            lambda: self.limits,
            self._delay_page,
            lambda: page((self.foresight_chart, 1), (self.foresight_day, 1)),
            lambda: page((self.fault, 1), (self.ordered, 1)),
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 14, 2)
        row.setSpacing(16)
        row.addLayout(tabbed(self.tabs, *pages), 5)
        side = QVBoxLayout()
        side.setSpacing(8)
        # Fields keep their height; words give way.
        self.panel.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        side.addWidget(self.panel)
        side.addWidget(scrolled("What limits here, and what the chart says", self.limited, self.summary), 1)
        row.addLayout(side, 3)
        self.tabs.chosen.connect(lambda _: self._look())

    def _delay_page(self):
        self.delay_chart.dropped.connect(self._on_delayed)
        return self.delay_chart

    def focus_question(self) -> None:
        """Gives the focus to where the battery stands."""
        self.panel.place.setFocus()

    def show_job(self, job) -> None:
        """Shows the battery's inputs."""
        self.panel.show_job(job, self.library.equipment_for(job))

    def show_view(self, view) -> None:
        """Asks for what the open tab shows when plan or option is new."""
        if not self.is_new(view):
            return
        self._view, self._result = view, {}
        self._drawn &= set() if self.is_other else {self.tabs.key}
        self._show_limit()
        self._look()

    @property
    def settled(self) -> bool:
        """Whether what the open tab shows has come."""
        return STUDIES.get(self.tabs.key) is None or self._key() in self._result

    def forget(self) -> None:
        """Says that the open tab waits for nothing."""
        super().forget()
        if STUDIES.get(self.tabs.key) is not None and self._key() not in self._result:
            self._show_text("Called off: choose the tab again to try once more.")

    def show_study(self, key: str, result) -> None:
        """Takes a study's result and draws it where its tab is open."""
        if key.startswith("battery-"):
            self._result[key] = result
            self._draw()

    def _look(self):
        """Draws the open tab, or asks for its study."""
        if self._view is None:
            return
        function = STUDIES.get(self.tabs.key)
        if function is None or self._key() in self._result:
            self._draw()
        else:
            self.summary.setText("…")
            if self.tabs.key not in self._drawn:
                self.wait_for(*self._charts())
            self.study_wanted.emit(self._key(), function)

    def _key(self):
        """What use and years show comes from one study."""
        return f"battery-{'years' if self.tabs.key == 'use' else self.tabs.key}"

    def _draw(self):
        tab = self.tabs.key
        if tab in STUDIES and self._key() not in self._result:
            return
        self._drawn.add(tab)
        getattr(self, f"_draw_{tab}")(self._result.get(self._key()))

    def _charts(self):
        """Those of the open tab."""
        return [getattr(self, name) for name in CHARTS[self.tabs.key]]

    def _show_limit(self):
        from calm_relay.planning.views.power_range import power_range

        result = power_range(self._view.option)
        self.limited.setVisible(result is not None)
        if result is not None:
            self.limited.setText(keep_units(rich("<b>What limits here.</b> {}", result.summary())))
            self.limited.setToolTip("From: least of the datasheets' limits, current times voltage at each charge")

    def _draw_energy(self, sweep):
        self.chart.show_sweep(sweep)
        if sweep is None:
            self._show_text("This option has no battery that can be built; another option in view may have one.")
            return
        from calm_relay.planning.studies.battery_sweep import fullness_of

        full = fullness_of(self._view.option)
        note = self._view.plan.assumed_note
        lines = [
            f"Full on {full.full_days} days of the year, at the reserve on {full.empty_days}; "
            f"{full.cycles:.0f} full cycles{', ' * bool(note)}{note}."
        ]
        lines += [
            rich("<span style='font-weight:600'>{0.name}</span> {0.usable_kwh:.1f} kWh: {0.sentence}", flag)
            for flag in sweep.flags
        ]
        self._show_text(joined("<br>", lines), "\n".join(f"{flag.name}: {flag.source}" for flag in sweep.flags))

    def _draw_map(self, result):
        result, flags = result
        peak_kw = self._view.plan.demand.evening_peak_kw
        self.map.show_map(result, flags, peak_kw)
        self.power.show_map(result)
        if result is None:
            self._show_text("This option has no new battery.")
            return
        self._show_text(
            f"The battery here: {result.here_kwh:.1f} kWh, {result.here_kw:.1f} kW. "
            "An expansion moves it to the right alone, a second unit right and up."
        )

    def _draw_use(self, ageing):
        if not self._has(ageing, self.months, self.depth):
            return
        self.months.show_shares(ageing.full_share, ageing.empty_share)
        self.depth.show_cycles(ageing.cycles)
        self._show_text(self._winter())

    def _winter(self):
        """What winter's sun and the cheap window can fill."""
        from calm_relay.planning.studies.battery_sweep import flags_of

        flags = {flag.name: flag for flag in flags_of(self._view.plan, self._view.option)}
        season = self._view.plan.demand.worst_season
        usable = self._view.option.design.battery_converter.bank.usable_kwh
        lines = [f"The battery holds {usable:.1f} kWh."]
        for name in (f"{season} sun", "cheap window", "night"):
            if name in flags:
                flag = flags[name]
                lines.append(rich("<b>{}</b>: {}, enough for {:.1f} kWh", name, flag.sentence, flag.usable_kwh))
        return joined("<br>", lines)

    def _draw_years(self, ageing):
        self.years.show_ageing(ageing)
        if not self._has(ageing, self.years):
            return
        warranty = ageing.warranty
        ends = f"{warranty.ends_year:.1f} years, by {warranty.by}"
        kept = "more" if warranty.kept else "LESS"
        replaced = f" The packs are replaced after year {ageing.replaced_after}." if ageing.replaced_after else ""
        from calm_relay.planning.verdict.reasons import money_text

        job = self._view.plan.job
        years = job.costs.horizon_years
        payback = "not within them" if ageing.payback_years is None else f"after {ageing.payback_years:.1f} years"
        rate = "none" if ageing.irr is None else f"{ageing.irr:.1%}"
        self._show_text(
            rich(
                "Standing takes {:.0%} in {} years, cycles {:.0%}.<br><b>Warranty</b> ends after {}; {:.0%} are left "
                "then, {} than the {:.0%} promised.{}",
                ageing.by_calendar[-1],
                ageing.by_calendar.size,
                ageing.by_cycles[-1],
                ends,
                warranty.left_then,
                kept,
                warranty.promised,
                replaced,
            )
            + rich(
                "<br><b>Money over {} years</b>, with fade and ageing modules: worth {} today, rate of return {}, pays "
                "back {}. The saving falls from {:,.0f} to {:,.0f} a year in today's prices.",
                years,
                money_text(job, ageing.npv),
                rate,
                payback,
                ageing.saving[0],
                ageing.saving[-1],
            )
        )

    def _draw_limits(self, _):
        from calm_relay.planning.views.power_range import power_range

        result = power_range(self._view.option)
        self.limits.show_range(result)
        if self._has(result, self.limits):
            summary = "; ".join(f"{name} {kw:.1f} kW" for name, kw in result.limits.items())
            self._show_text(f"On giving, half full: {summary}.")

    def _draw_delay(self, sweep):
        self.delay_chart.show_delay(sweep, self._currency)
        if not self._has(sweep, self.delay_chart):
            off_grid = not self._view.plan.job.supply.on_grid
            self._show_text("Off grid nothing is turned away by a limit." if off_grid else NO_BATTERY)
            return
        best = sweep.best
        (window,) = sweep.windows[best] or (None,)
        if window is None:
            said = "No delay makes the bill lower than charging at once, or by next to nothing."
        else:
            saved = sweep.turned_kwh[0] - sweep.turned_kwh[best]
            said = (
                f"The bill is lowest with charging delayed {window.summary}: by "
                f"{amount_text(sweep.gained[best], self._currency)} a year, and {saved:,.0f} kWh less are turned away."
            )
        self._show_text(
            f"Until that hour the batteries take only what the export limit or the inverter would turn away, in the "
            f"sunny half of the year. {said} The longer they wait, the more dull days find them not filled. Other "
            "windows are set under Control."
        )

    def _draw_foresight(self, result):
        problem, result = (result, None) if isinstance(result, str) else ("", result)
        self.foresight_chart.show_foresight(result, self._currency)
        self.foresight_day.show_foresight(result, self._currency)
        if not self._has(result, self.foresight_chart):
            off_grid = not self._view.plan.job.supply.on_grid
            self._show_text(problem or ("Off grid there is no price to foresee." if off_grid else NO_BATTERY))
            return
        self._show_text(
            rich(
                "The bill is {}; the same units with perfect foresight, hour by hour, would make it {:,.0f} at best. "
                "No control can do better; <b>the gap to perfect foresight is {} a year</b>. Windows, targets and "
                "reserve move this figure; the reserve is kept in both.",
                amount_text(result.bill, self._currency),
                result.best_bill,
                amount_text(result.gap, self._currency),
            )
        )

    def _draw_meter(self, result):
        self.fault.show_meter(result, False)
        self.ordered.show_meter(result, True)
        if result is None:
            self._show_text("Only one battery reads the meter here: no two controllers are in conflict.")
            return
        self._show_text(
            f"{result.names[0]} and {result.names[1]} read the same meter. Above: nobody has said who goes first; "
            f"{result.fault.circling_kwh:.1f} kWh go round in {result.hours * 60:.0f} minutes, "
            f"{result.lost_kwh:.2f} kWh of it lost. Below: the second waits until "
            "the first is at its limit. The order is set under Control."
        )

    def _has(self, result, *charts):
        for chart in charts:
            chart.setVisible(result is not None)
        if result is None:
            self._show_text(NO_BATTERY)
        return result is not None

    @property
    def _currency(self):
        return self._view.plan.job.tariff.currency

    def _show_text(self, text, source=""):
        self.summary.setText(keep_units(text))
        self.summary.setToolTip(tip(source or f"From: simulated year, {self._view.plan.site.source}"))

    def _on_delayed(self, hour):
        from calm_relay.planning.operation.delayed_charging import with_delay

        sweep = self._result.get("battery-delay")
        if sweep is None:
            return
        windows = sweep.windows[nearest(sweep, hour)]
        if windows == sweep.stated:
            self._draw()
            return
        self.edited.emit(with_delay(self._view.plan.job, windows), "Delayed charging")

    def _on_dropped(self, usable_kwh):
        sweep = self._result.get("battery-energy")
        if sweep is None:
            return
        count = int(sweep.counts[np.abs(sweep.usable_kwh - usable_kwh).argmin()])
        if not self.panel.take_count(count):
            self._draw()
