"""The bench Roof: faces under their sky, their months, and their tilt, azimuth and count."""

import numpy as np
import pyqtgraph as pg
from pydantic import ValidationError
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from calm_relay.desk.bench import Bench
from calm_relay.desk.chart import Chart, brush
from calm_relay.desk.quantity_field import QuantityField
from calm_relay.desk.sun_dial import SunDial
from calm_relay.desk.theme import colours, font
from calm_relay.exchange.errors import first_field_error

COLUMNS = (
    ("tilt", "Tilt", "°", 0, 90, 1),
    ("azimuth", "Azimuth", "°", 0, 359.9, 1),
    ("count", "Modules", "", 1, 500, 0),
)
SHADES = ("light", "direct", "alternating", "watch")


class RoofBench(Bench):
    """Shows `planning.roof`; turning a wedge or typing a number edits the face."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.dial = SunDial()
        self.dial.turned.connect(lambda number, azimuth: self._change(number, "azimuth", azimuth))
        self.months = Chart("DC energy of each face by month", "", "kWh")
        self.fields: dict[tuple[int, str], QuantityField] = {}
        self._table = QWidget()
        self._grid = QGridLayout(self._table)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        self.problem = QLabel()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setFont(font(8.4))
        self.told.setObjectName("quiet")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 14, 4)
        row.setSpacing(14)
        row.addWidget(self.dial, 2)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self._table)
        side.addWidget(self.problem)
        side.addWidget(self.months, 1)
        side.addWidget(self.told)
        row.addLayout(side, 3)

    def show_job(self, job) -> None:
        """Shows the faces' numbers."""
        if self._job is None or [f.name for f in job.faces] != [f.name for f in self._job.faces]:
            self._make_rows(job)
        self._job = job
        for (number, name), field in self.fields.items():
            field.show_value(float(getattr(job.faces[number], name)))
        self.problem.hide()

    def _make_rows(self, job):
        while self._grid.count():
            self._grid.takeAt(0).widget().deleteLater()
        self.fields.clear()
        for column, text in enumerate(("", "Face", *(label for _, label, *_ in COLUMNS), "A year")):
            head = QLabel(text)
            head.setObjectName("quiet")
            self._grid.addWidget(head, 0, column)
        self._sums = []
        for number, face in enumerate(job.faces):
            mark = QLabel(str(number + 1))
            mark.setFont(font(9.5, strong=True))
            mark.setStyleSheet(f"color: {getattr(colours(), SHADES[number % len(SHADES)])};")
            self._grid.addWidget(mark, number + 1, 0)
            self._grid.addWidget(QLabel(face.name), number + 1, 1)
            for column, (name, label, unit, low, high, decimals) in enumerate(COLUMNS):
                field = QuantityField(f"{label} of {face.name}", unit, low, high, decimals)
                field.setFixedWidth(70)
                field.accepted.connect(lambda value, number=number, name=name: self._change(number, name, value))
                field.refused.connect(self._tell)
                self._grid.addWidget(field, number + 1, column + 2)
                self.fields[number, name] = field
            total = QLabel()
            self._grid.addWidget(total, number + 1, 5)
            self._sums.append(total)
        self._grid.setColumnStretch(5, 1)

    def show_view(self, view) -> None:
        """Draws dial and months."""
        from calm_relay.planning.roof import face_months, sun_tracks

        plan, look = view.plan, colours()
        sun = None
        if view.step is not None:
            sun = float(plan.site.sun.azimuth[view.step]), 90.0 - float(plan.site.sun.zenith[view.step])
        self.dial.show_sky(sun_tracks(plan), plan.job.faces, sun)
        found = face_months(plan)
        self.months.start()
        width = 0.8 / len(found)
        for number, months in enumerate(found):
            x = np.arange(12) - 0.4 + width * (number + 0.5)
            colour = getattr(look, SHADES[number % len(SHADES)])
            self.months.addItem(
                pg.BarGraphItem(x=x, height=months.kwh, width=width, brush=brush(colour), pen=None)
            )
            if number < len(self._sums):
                note = f"{months.kwh.sum():,.0f} kWh, {months.specific_kwh:,.0f} a kWp"
                self._sums[number].setText(note)
                self._sums[number].setToolTip(f"From: simulated year, {plan.site.source}")
        names = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
        self.months.getAxis("bottom").setTicks([list(enumerate(names))])
        self.months.setXRange(-0.5, 11.5, padding=0)
        lost = {name: sum(months.losses[name] for months in found) for name in found[0].losses}
        whole = sum(months.face.made.ideal_kwh for months in found)
        parts = ", ".join(f"{name} {kwh / whole:.1%}" for name, kwh in lost.items())
        self.told.setText(f"Of what the sky offers at rated efficiency is lost: {parts} ({plan.site.source}).")

    def _change(self, number, name, value):
        face = self._job.faces[number]
        value = round(value) if name == "count" else value
        try:
            changed = face.with_(**{name: value})
            job = self._job.with_(faces=(*self._job.faces[:number], changed, *self._job.faces[number + 1 :]))
        except ValidationError as error:
            _, problem = first_field_error(error)
            self.show_job(self._job)
            self._tell(f"{face.name}: {problem}.")
        else:
            unit = "" if name == "count" else "°"
            self.edited.emit(job, f"{face.name}: {name} {getattr(face, name):g}{unit} to {value:g}{unit}")

    def _tell(self, problem):
        self.problem.setText(problem)
        self.problem.show()
