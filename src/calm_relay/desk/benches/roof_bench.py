"""The bench Roof: faces under their sky and horizon, their months and shade, what fits on them, better modules."""

from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.face_panel import FacePanel
from calm_relay.desk.benches.roof_layout import RoofLayout
from calm_relay.desk.benches.roof_table import RoofTable
from calm_relay.desk.benches.sun_dial import SunDial
from calm_relay.desk.charts.chart import Chart, brush
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import font, shade_of
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.horizon_file import read_horizon
from calm_relay.job.field_words import words_of
from calm_relay.job.model import ArrayLosses
from calm_relay.job.survey import HorizonPoint
from calm_relay.planning.common.amounts import signed

NO_ARRAY = "No array: the battery stands alone. Add a face for one."
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
PARTS = (
    ("months", "Months"),
    ("shade", "Shade by month"),
    ("layout", "Modules laid in"),
    ("today", "There today"),
    ("swaps", "Better modules"),
)


class RoofBench(Bench):
    """Shows `planning.views.roof`; turning a wedge, drawing the horizon or typing a number edits the job."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = None
        self._swaps = None
        self.dial = SunDial()
        self.dial.turned.connect(lambda number, azimuth: self.table._change(number, "azimuth", azimuth))
        self.dial.chosen.connect(self.choose)
        self.dial.drawn.connect(self._on_horizon)
        self.draw = QPushButton("Draw horizon")
        self.draw.setCheckable(True)
        self.read = QPushButton("Read…")
        self.read.setToolTip("A horizon from a table of directions and heights")
        self.read.clicked.connect(lambda _=False: self.ask_horizon())
        self.flat = QPushButton("Flat")
        self.flat.setToolTip("A flat horizon")
        self.remove = QPushButton("Remove face")
        self.losses = QPushButton("Losses…")
        self.losses.setToolTip("Soiling, shade, mismatch, wiring, and light from the ground")
        self.losses.clicked.connect(lambda _=False: self._ask_losses())
        self.draw.toggled.connect(self.dial.draw_horizon)
        self.flat.clicked.connect(lambda: self._on_horizon(()))
        self.remove.clicked.connect(lambda: self.table.remove(self.dial.cursor))
        self.table = RoofTable()
        self.table.item_wanted.connect(self.item_wanted)
        self.table.edited.connect(self.edited)
        self.table.refused.connect(self._show_text)
        self.table.chosen.connect(self.choose)
        self.tabs = Tabs(PARTS)
        self.tabs.chosen.connect(self._show_part)
        self.months = Chart("DC energy of each face by month", "", "kWh")
        self.shade = Chart("Light that the horizon takes from each face by month", "", "% of the light")
        self.layout_ = RoofLayout()
        self.layout_.edited.connect(self.edited)
        self.today = FacePanel()
        self.today.item_wanted.connect(self.item_wanted)
        self.today.edited.connect(self.edited)
        self.swaps = FigureTable("The same footprint with other modules")
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.summary = Label()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(8.4))
        self.summary.setObjectName("quiet")
        self._lay_out()

    @property
    def fields(self):
        """Editors of the faces by number and field."""
        return self.table.fields

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 14, 4)
        row.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.dial, 1)
        buttons = QHBoxLayout()
        buttons.setSpacing(5)
        for button in (self.draw, self.read, self.flat, self.remove, self.losses):
            button.setObjectName("small")
            buttons.addWidget(button)
        buttons.addStretch(1)
        left.addLayout(buttons)
        row.addLayout(left, 1)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self.table)
        side.addWidget(self.problem)
        side.addWidget(self.tabs)
        self._parts = QStackedWidget()
        for part in (self.months, self.shade, self.layout_, self.today, self.swaps):
            self._parts.addWidget(part)
        self.nothing = Label("")
        self.nothing.setObjectName("quiet")
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._parts.addWidget(self.nothing)
        side.addWidget(self._parts, 1)
        side.addWidget(self.summary)
        row.addLayout(side, 2)

    def show_job(self, job) -> None:
        """Shows the faces' numbers and the horizon."""
        self._job = job
        self.table.show_job(job, self.library.equipment_for(job))
        self.dial.show_horizon(job.site.horizon)
        self.flat.setEnabled(bool(job.site.horizon))
        self.remove.setEnabled(bool(job.faces))
        asked = "array" in job.wanted
        self.nothing.setText("Nobody has said yet what lies here." if asked else NO_ARRAY)
        # What is edited next starts from this job, before its plan is there.
        self.layout_.hold(job)
        if job.faces:
            self.today.show_face(job, self.library.equipment_for(job), min(self.dial.cursor, len(job.faces) - 1))
        self.tabs.setVisible(bool(job.faces))
        if not job.faces:
            self._parts.setCurrentIndex(len(PARTS))
        self.problem.hide()

    def _ask_losses(self):
        rows = [(name, words_of(ArrayLosses, name).title, "percent") for name in ArrayLosses.model_fields]
        dialog = FormDialog("Losses of the array", self._job.losses, rows, self.window())
        if dialog.exec() and dialog.result_model != self._job.losses:
            self.edited.emit(self._job.with_(losses=dialog.result_model), "Losses of the array")

    def show_view(self, view) -> None:
        """Draws dial and months."""
        from calm_relay.planning.views.roof import sun_tracks

        new = self.is_new(view)
        self._view = view
        plan = view.plan
        sun = None
        if view.step is not None:
            sun = float(plan.site.sun.azimuth[view.step]), 90.0 - float(plan.site.sun.zenith[view.step])
        self.dial.show_site(sun_tracks(plan), plan.job.faces, sun)
        if new:
            self._swaps = None
            if plan.faces:
                self._draw_months()
                self._draw_shade()
                self._show_part(self.tabs.key)
            else:
                self.summary.clear()

    def show_study(self, key: str, result) -> None:
        """Lists what other modules would give."""
        if key != "footprint":
            return
        currency, self._swaps = self._view.plan.job.tariff.currency, result
        note = self._view.plan.assumed_note or self._view.plan.site.source
        numbers = {face.name: str(number) for number, face in enumerate(self._job.faces, 1)}
        rows = [
            (
                numbers.get(swap.face, swap.face),
                f"{swap.count} × {swap.module.name}",
                f"{swap.kwp:.2f} kWp ({signed(swap.more_kwp, 2)})",
                f"{swap.kwh:,.0f} kWh ({swap.more_kwh:+,.0f})",
                "not stated" if swap.price is None else f"{currency} {swap.price:,.0f}",
            )
            for swap in result
        ]
        heads = ("Face", "Modules", "Power, against now", "A year, against now", "Cost, laid")
        self.swaps.show_rows(heads, rows, f"From: module datasheets; {note}")

    def choose(self, number: int) -> None:
        """Turns to a face."""
        self.dial.choose(number)
        self._show_face(self.tabs.key)

    def _show_part(self, key):
        self._parts.setCurrentIndex([name for name, _ in PARTS].index(key))
        if self._view is None:
            return
        self._show_face(key)
        if key == "swaps" and self._swaps is None:
            from calm_relay.planning.studies.footprint import footprint_swaps

            self.study_wanted.emit("footprint", footprint_swaps)

    def _show_face(self, key):
        """Shows the face in hand where a part shows one."""
        number = self.dial.cursor
        if not self._job.faces:
            return
        if key == "today":
            self.today.show_face(
                self._job, self.library.equipment_for(self._job), min(number, len(self._job.faces) - 1)
            )
        elif key == "layout" and number < len(self._view.plan.faces) == len(self._job.faces):
            self.layout_.show_face(self._job, self._view.plan.faces[number], number)

    def _draw_months(self):
        from calm_relay.planning.views.roof import face_months

        plan = self._view.plan
        result = face_months(plan)
        self._bars(self.months, [months.kwh for months in result])
        for label, months in zip(self.table.sums, result, strict=False):
            label.setText(f"{months.kwh.sum():,.0f} kWh")
            label.setToolTip(
                tip(f"{months.specific_kwh:,.0f} kWh a kWp. From: simulated year, {plan.site.source}")
            )
        each = ", ".join(f"{months.specific_kwh:,.0f} on face {number}" for number, months in enumerate(result, 1))
        title = f"DC energy of each face by month; kWh a kWp and year: {each}"
        self.months.head(title)
        lost = {name: sum(months.losses[name] for months in result) for name in result[0].losses}
        whole = sum(months.face.made.ideal_kwh for months in result)
        parts = ", ".join(f"{name} {kwh / whole:.1%}" for name, kwh in lost.items())
        self.summary.setText(f"Of what the sky offers at rated efficiency is lost: {parts} ({plan.site.source}).")

    def _draw_shade(self):
        from calm_relay.planning.views.roof import face_shades

        result = face_shades(self._view.plan)
        self._bars(self.shade, [item.share * 100 for item in result])
        years = ", ".join(f"{item.face.plan.name} {item.year:.1%}" for item in result)
        title = f"Light that the horizon takes; of the year: {years}"
        self.shade.head(title)
        top = max(float(item.share.max()) * 100 for item in result)
        self.shade.setYRange(0, max(top * 1.15, 5.0), padding=0)

    @staticmethod
    def _bars(chart, series):
        chart.start()
        width = 0.8 / len(series)
        for number, values in enumerate(series):
            x = np.arange(12) - 0.4 + width * (number + 0.5)
            chart.addItem(
                pg.BarGraphItem(x=x, height=values, width=width, brush=brush(shade_of(number)), pen=None)
            )
        chart.getAxis("bottom").setTicks([list(enumerate(MONTHS))])
        chart.setXRange(-0.5, 11.5, padding=0)

    def ask_horizon(self) -> None:
        """Asks for a table of a horizon and takes it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "A horizon", "", "Tables (*.csv *.txt *.tsv *.hor);;All files (*)"
        )
        if name:
            self.read_horizon(name)

    def read_horizon(self, name) -> None:
        """Takes the horizon of a file; says how it was read."""
        try:
            found = read_horizon(name)
        except InputError as error:
            self._show_text(f"{error}.")
            return
        self.problem.hide()
        notes = f" ({'; '.join(found.notes)})" if found.notes else ""
        self._on_horizon(found.points, f"Horizon of {Path(name).name}{notes}")

    def _on_horizon(self, points, label=None):
        horizon = tuple(HorizonPoint(azimuth=azimuth, elevation=height) for azimuth, height in points)
        job = self._job.with_(site=self._job.site.with_(horizon=horizon))
        self.edited.emit(job, label or ("Horizon drawn" if horizon else "Horizon flat"))

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
