"""The bench Store: benefit against energy and power, use, years, what limits, control against foresight."""

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from calm_relay.desk.benches.battery_panel import StorePanel
from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.charts.battery_charts import (
    DepthChart,
    EnergyCurve,
    EnergyPowerMap,
    MonthsChart,
    PowerCurve,
    YearsChart,
)
from calm_relay.desk.charts.control_charts import LeftChart, LeftDay, LimitsChart, MeterChart
from calm_relay.desk.widgets.tabs import Tabs, page, tabbed
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units

TABS = (
    ("energy", "By energy"),
    ("map", "Energy and power"),
    ("use", "Use"),
    ("years", "Years"),
    ("limits", "What limits"),
    ("left", "Foresight"),
    ("meter", "One meter"),
)


def _life(plan, option, progress):
    from calm_relay.planning.studies.battery_ageing import life_of

    return life_of(plan, option, progress)


def _map(plan, option, progress):
    from calm_relay.planning.studies.battery_map import store_map
    from calm_relay.planning.studies.battery_sweep import flags_of

    found = store_map(plan, option, progress)
    return found, flags_of(plan, option) if found else ()


def _left(plan, option, progress):
    from calm_relay.planning.studies.foresight import left_of

    try:
        return left_of(plan, option, progress)
    except RuntimeError as error:
        return str(error)


def _meter(plan, option, progress):
    from calm_relay.planning.operation.meter_conflict import one_meter

    progress(0.0, "Watching two controllers")
    return one_meter(option.design, option.outcome) if option.outcome else None


def _sweep(plan, option, progress):
    from calm_relay.planning.studies.battery_sweep import sweep_store

    return sweep_store(plan, option, progress)


NO_STORE = "This option has no store."
STUDIES = {"energy": _sweep, "map": _map, "use": _life, "years": _life, "left": _left, "meter": _meter}


class StoreBench(Bench):
    """Shows the store of the option in view; each tab asks for its own study when it is first looked at."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.chart = EnergyCurve()
        self.chart.dropped.connect(self._on_dropped)
        self.map, self.power = EnergyPowerMap(), PowerCurve()
        self.months, self.depth = MonthsChart(), DepthChart()
        self.years, self.limits = YearsChart(), LimitsChart()
        self.left_chart, self.left_day = LeftChart(), LeftDay()
        self.fault, self.ordered = MeterChart(), MeterChart()
        self.tabs = Tabs(TABS)
        self.panel = StorePanel()
        self.panel.edited.connect(self.edited)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setFont(font(8.2))
        self.told.setAccessibleName("What the chart says, and how the store spends its year")
        self.limited = QLabel()
        self.limited.setWordWrap(True)
        self.limited.setFont(font(8.4))
        self.limited.setAccessibleName("What limits here")
        self._found = {}
        self._view = None
        pages = (
            self.chart,
            page((self.map, 5), (self.power, 3), across=True),
            page((self.months, 1), (self.depth, 1), across=True),
            self.years,
            self.limits,
            page((self.left_chart, 1), (self.left_day, 1)),
            page((self.fault, 1), (self.ordered, 1)),
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 14, 2)
        row.setSpacing(16)
        row.addLayout(tabbed(self.tabs, *pages), 5)
        side = QVBoxLayout()
        side.setSpacing(8)
        side.addWidget(self.panel)
        side.addWidget(self.limited)
        side.addWidget(self.told)
        side.addStretch(1)
        row.addLayout(side, 3)
        self.tabs.chosen.connect(lambda _: self._look())

    def show_job(self, job) -> None:
        """Shows the battery's inputs."""
        self.panel.show_job(job)

    def show_view(self, view) -> None:
        """Asks for what the open tab shows when plan or option is new."""
        if not self.is_new(view):
            return
        self._view, self._found = view, {}
        self._tell_limit()
        self._look()

    def forget(self) -> None:
        """Says that the open tab waits for nothing."""
        super().forget()
        if STUDIES.get(self.tabs.key) is not None and self._key() not in self._found:
            self._tell("Called off: choose the tab again to try once more.")

    def show_study(self, key: str, found) -> None:
        """Takes a study's result and draws it where its tab is open."""
        if key.startswith("store-"):
            self._found[key] = found
            self._draw()

    def _look(self):
        """Draws the open tab, or asks for its study."""
        if self._view is None:
            return
        function = STUDIES.get(self.tabs.key)
        if function is None or self._key() in self._found:
            self._draw()
        else:
            self.told.setText("…")
            self.study_wanted.emit(self._key(), function)

    def _key(self):
        """What use and years show comes from one study."""
        return f"store-{'years' if self.tabs.key == 'use' else self.tabs.key}"

    def _draw(self):
        tab = self.tabs.key
        if tab in STUDIES and self._key() not in self._found:
            return
        getattr(self, f"_draw_{tab}")(self._found.get(self._key()))

    def _tell_limit(self):
        from calm_relay.planning.views.power_range import power_range

        found = power_range(self._view.option)
        self.limited.setVisible(found is not None)
        if found is not None:
            self.limited.setText(keep_units(f"<b>What limits here.</b> {found.told()}"))
            self.limited.setToolTip("From: least of the datasheets' limits, current times voltage at each charge")

    def _draw_energy(self, sweep):
        self.chart.show_sweep(sweep, self._currency)
        if sweep is None:
            self._tell("This option has no store that can be built; another option in view may have one.")
            return
        from calm_relay.planning.studies.battery_sweep import fullness_of

        full = fullness_of(self._view.option)
        note = self._view.plan.assumed_note
        lines = [
            f"Full on {full.full_days} days of the year, at the reserve on {full.empty_days}; "
            f"{full.cycles:.0f} full cycles{', ' * bool(note)}{note}."
        ]
        lines += [
            f"<span style='font-weight:600'>{flag.name}</span> {flag.usable_kwh:.1f} kWh: {flag.sentence}"
            for flag in sweep.flags
        ]
        self._tell("<br>".join(lines), "\n".join(f"{flag.name}: {flag.source}" for flag in sweep.flags))

    def _draw_map(self, found):
        found, flags = found
        peak_kw = self._view.plan.demand.evening_peak_kw
        self.map.show_map(found, flags, self._currency, peak_kw)
        self.power.show_map(found, self._currency)
        if found is None:
            self._tell("This option has no new store.")
            return
        self._tell(
            f"The store here: {found.here_kwh:.1f} kWh, {found.here_kw:.1f} kW. "
            "An expansion moves it to the right alone, a second unit right and up."
        )

    def _draw_use(self, life):
        if not self._has(life, self.months, self.depth):
            return
        self.months.show_shares(life.full_share, life.empty_share)
        self.depth.show_cycles(life.cycles)
        self._tell(self._winter())

    def _winter(self):
        """What winter's sun and the cheap window can fill."""
        from calm_relay.planning.studies.battery_sweep import flags_of

        flags = {flag.name: flag for flag in flags_of(self._view.plan, self._view.option)}
        season = self._view.plan.demand.worst_season
        usable = self._view.option.design.store_box.bank.usable_kwh
        lines = [f"The store holds {usable:.1f} kWh."]
        for name in (f"{season} sun", "cheap window", "night"):
            if name in flags:
                flag = flags[name]
                lines.append(f"<b>{name}</b>: {flag.sentence}, enough for {flag.usable_kwh:.1f} kWh")
        return "<br>".join(lines)

    def _draw_years(self, life):
        self.years.show_life(life)
        if not self._has(life, self.years):
            return
        warranty = life.warranty
        ends = f"{warranty.ends_year:.1f} years, by {warranty.by}"
        kept = "more" if warranty.kept else "LESS"
        replaced = f" The packs are bought anew after year {life.replaced_after}." if life.replaced_after else ""
        from calm_relay.planning.verdict.reasons import money_text

        job = self._view.plan.job
        years = job.costs.horizon_years
        payback = "not within them" if life.payback_years is None else f"after {life.payback_years:.1f} years"
        rate = "none" if life.irr is None else f"{life.irr:.1%}"
        self._tell(
            f"Standing takes {life.standing[-1]:.0%} in {life.standing.size} years, cycles "
            f"{life.cycling[-1]:.0%}.<br><b>Warranty</b> ends after {ends}; {warranty.left_then:.0%} are left "
            f"then, {kept} than the {warranty.promised:.0%} promised.{replaced}"
            f"<br><b>Money over {years} years</b>, with fade and ageing modules: worth "
            f"{money_text(job, life.npv)} today, rate of return {rate}, pays back {payback}. The saving "
            f"falls from {life.saving[0]:,.0f} to {life.saving[-1]:,.0f} a year in today's prices."
        )

    def _draw_limits(self, _):
        from calm_relay.planning.views.power_range import power_range

        found = power_range(self._view.option)
        self.limits.show_range(found)
        if self._has(found, self.limits):
            told = "; ".join(f"{name} {kw:.1f} kW" for name, kw in found.limits.items())
            self._tell(f"On giving, half full: {told}.")

    def _draw_left(self, found):
        problem, found = (found, None) if isinstance(found, str) else ("", found)
        self.left_chart.show_left(found, self._currency)
        self.left_day.show_left(found, self._currency)
        if not self._has(found, self.left_chart):
            alone = not self._view.plan.job.supply.street
            self._tell(problem or ("Without a street there is no price to foresee." if alone else NO_STORE))
            return
        self._tell(
            f"The bill is {self._currency} {found.bill:,.0f}; the same boxes with perfect foresight, hour by "
            f"hour, would make it {found.best_bill:,.0f} at best. No control can do better; "
            f"<b>{self._currency} {found.left:,.0f} a year are left on the table by control</b>. Windows, targets "
            "and reserve move this figure; the reserve is kept in both."
        )

    def _draw_meter(self, found):
        self.fault.show_meter(found, False)
        self.ordered.show_meter(found, True)
        if found is None:
            self._tell("Two stores on one meter: this option has not two that watch it.")
            return
        self._tell(
            f"{found.names[0]} and {found.names[1]} watch the same meter. Above: nobody has said who goes first; "
            f"{found.fault.circling_kwh:.1f} kWh go round in {found.hours * 60:.0f} minutes, "
            f"{found.lost_kwh:.2f} kWh of it lost. Below: the second waits until "
            "the first is at its limit. The order is set under Control."
        )

    def _has(self, found, *charts):
        for chart in charts:
            chart.setVisible(found is not None)
        if found is None:
            self._tell(NO_STORE)
        return found is not None

    @property
    def _currency(self):
        return self._view.plan.job.tariff.currency

    def _tell(self, text, source=""):
        self.told.setText(keep_units(text))
        self.told.setToolTip(source or f"From: simulated year, {self._view.plan.site.source}")

    def _on_dropped(self, usable_kwh):
        sweep = self._found.get("store-energy")
        if sweep is None:
            return
        count = int(sweep.counts[np.abs(sweep.usable_kwh - usable_kwh).argmin()])
        if not self.panel.take_count(count):
            self._draw()
