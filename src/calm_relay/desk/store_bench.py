"""The bench Store: benefit against size, with each school's rule of thumb as a flag on the same curve."""

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from calm_relay.desk.bench import Bench
from calm_relay.desk.chart import Chart
from calm_relay.desk.store_panel import StorePanel
from calm_relay.desk.theme import colours, font
from calm_relay.desk.wording import keep_units


class StoreBench(Bench):
    """Shows `planning.sweep_store`; dragging the marker changes the number of packs."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.chart = Chart(
            "What each size saves in a year; drag the mark to another number of packs",
            "usable kWh",
            "saved a year",
        )
        self.chart.dropped.connect(self._on_dropped)
        policy = self.chart.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.chart.setSizePolicy(policy)
        self.panel = StorePanel()
        self.panel.edited.connect(self.edited)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setFont(font(8.2))
        self.told.setAccessibleName("How the store spends its year, and what the rules of thumb choose")
        self._sweep = None
        self._view = None
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 14, 4)
        row.setSpacing(16)
        row.addWidget(self.chart, 5)
        side = QVBoxLayout()
        side.setSpacing(10)
        side.addWidget(self.panel)
        side.addWidget(self.told)
        side.addStretch(1)
        row.addLayout(side, 3)

    def show_job(self, job) -> None:
        """Shows the battery's inputs."""
        self.panel.show_job(job)

    def show_view(self, view) -> None:
        """Asks for the sweep when plan or option is new."""
        from calm_relay.planning.sweep_store import sweep_store

        if not self.is_new(view):
            return
        self._view = view
        self.study_wanted.emit("store", sweep_store)

    def show_study(self, key: str, found) -> None:
        """Draws the sweep."""
        if key == "store":
            self._sweep = found
            self._draw()

    def _draw(self):
        from calm_relay.planning.sweep_store import fullness_of

        sweep, option = self._sweep, self._view.option
        self.chart.start()
        # An empty pair of axes says less than nothing.
        self.chart.setVisible(sweep is not None)
        if sweep is None:
            self.told.setText("This option has no store that can be built; another option in view may have one.")
            return
        look, currency = colours(), self._view.plan.job.tariff.currency
        self.chart.getPlotItem().setLabel("left", f"{currency} saved a year", color=look.quiet)
        self.chart.line(sweep.usable_kwh, sweep.saving, look.ink, symbol="o")
        top = max(float(sweep.saving.max()), 1.0)
        right = float(max(sweep.usable_kwh.max(), *(flag.usable_kwh for flag in sweep.flags))) * 1.04
        self.chart.setYRange(0, top * 1.5, padding=0)
        self.chart.setXRange(0, right, padding=0)
        for number, flag in enumerate(sorted(sweep.flags, key=lambda flag: flag.usable_kwh)):
            late = flag.usable_kwh > right * 0.8
            anchors = ((1, 0.5), (1, 0.5)) if late else ((0, 0.5), (0, 0.5))
            position = 0.97 - number * max(0.055, 17.0 / max(self.chart.height() - 70, 120))
            self.chart.marker(
                flag.usable_kwh, flag.name, look.quiet, dashed=True, position=position, anchors=anchors
            )
        if sweep.chosen is not None:
            usable = float(sweep.usable_kwh[sweep.chosen])
            self.chart.marker(usable, f"{usable:.1f} kWh now", look.alternating, movable=True, position=0.06)
        full = fullness_of(option)
        note = self._view.plan.assumed_note
        lines = [
            f"Full on {full.full_days} days of the year, at the reserve on {full.empty_days}; "
            f"{full.cycles:.0f} full cycles{', ' * bool(note)}{note}."
        ]
        lines += [
            f"<span style='font-weight:600'>{flag.name}</span> {flag.usable_kwh:.1f} kWh: {flag.sentence}"
            for flag in sweep.flags
        ]
        self.told.setText("<br>".join(map(keep_units, lines)))
        self.told.setToolTip("\n".join(f"{flag.name}: {flag.source}" for flag in sweep.flags))

    def _on_dropped(self, usable_kwh):
        if self._sweep is None:
            return
        count = int(self._sweep.counts[np.abs(self._sweep.usable_kwh - usable_kwh).argmin()])
        if not self.panel.take_count(count):
            self._draw()
