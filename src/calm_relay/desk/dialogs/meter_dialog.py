"""The preview of a meter's file: how it was understood, what can be corrected, and what comes of it."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
)

from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.beside import Beside
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label, RichLabel, joined, rich
from calm_relay.desk.widgets.theme import colours
from calm_relay.exchange.errors import problem_of
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.planning.site.metered import as_its_file_says

FOUND = (None, "as found")
CHOICES = {
    "delimiter": ("Columns parted by", (FOUND, (",", "comma"), (";", "semicolon"), ("\t", "tab"), ("|", "bar"))),
    "decimal_mark": ("Decimal mark", (FOUND, (".", "point"), (",", "comma"))),
    "unit": ("Unit", (FOUND, ("kwh", "kWh"), ("wh", "Wh"), ("kw", "kW"), ("w", "W"))),
    "stamps": ("An interval’s time", (FOUND, ("start", "its start"), ("end", "its end"))),
    "clock": (
        "Clock",
        (FOUND, ("local", "the local clock"), ("standard", "standard time"), ("utc", "UTC")),
    ),
    "day_first": ("Dates", (FOUND, (True, "day before month"), (False, "month before day"))),
}
COUNTS = (
    ("gross", "all that the house draws"),
    ("net", "what comes in beside PV"),
)
# Which of the meter's files is in hand: how it was read, where it lies, and what a person calls it.
FILES = (
    ("reading", "path", "import"),
    ("export_reading", "export_path", "export"),
    ("production_reading", "production_path", "production"),
)
SHOWN = 7


class MeterDialog(AnswerDialog):
    """Shows how a file is read; `demand` holds the corrected demand after it was accepted."""

    # What it shows is read from a file, and is read again as quickly.
    holds_work = False

    def __init__(self, demand, folder, time_zone: str, parent=None, *, chosen: bool = False):
        super().__init__("A meter's file", parent)
        # Of a file chosen just now its own heads say what it counts, until somebody says otherwise.
        self._unsaid = chosen
        self.resize(880, 620)
        self.demand = demand
        self._folder, self._zone = Path(folder) if folder else Path.cwd(), time_zone
        self.data = None
        self.fields = {}
        self.summary = RichLabel()
        self.summary.setWordWrap(True)
        self.summary.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.rows = FigureTable("First intervals as they are understood")
        self.days = Chart("Energy of each day: in dark, out gold", "day of the file", "kWh")
        self.counts = ChoiceField("What the meter counts", COUNTS, width=24)
        self.counts.show_value(demand.counts)
        self.counts.taken.connect(self._on_counts)
        self._hand = "reading"
        self.file = ChoiceField("File in hand", width=10)
        self.file.taken.connect(self._on_file)
        self.export_file = QPushButton()
        self.production_file = QPushButton()
        for button, field in ((self.export_file, "export_path"), (self.production_file, "production_path")):
            button.setObjectName("small")
            button.clicked.connect(lambda _=False, field=field: self._ask_file(field))
        self.buttons = self.answer_buttons(self.accept)
        self._lay_out()
        self._reader = Beside(self)
        self._reader.done.connect(self._on_read)
        self._read()

    def _lay_out(self):
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        columns = (
            ("import_column", "Column of import", ()),
            ("export_column", "Column of export", ()),
            ("meter", "Meter", ()),
        )
        for number, (name, title, entries) in enumerate(
            (*((name, *choice) for name, choice in CHOICES.items()), *columns)
        ):
            field = ChoiceField(title, entries, width=17)
            field.show_value(getattr(self.demand.reading, name))
            field.taken.connect(lambda value, name=name: self._on_reading(name, value))
            label = Label(title)
            label.setBuddy(field)
            row, column = divmod(number, 3)
            grid.addWidget(label, row, 2 * column)
            grid.addWidget(field, row, 2 * column + 1)
            self.fields[name] = field
            if name == "import_column":
                self._import_label = label
        counts = QHBoxLayout()
        label = Label("The meter counts")
        label.setBuddy(self.counts)
        self._in_hand = Label("File in hand")
        self._in_hand.setBuddy(self.file)
        for part in (label, self.counts, self.export_file, self.production_file, self._in_hand, self.file):
            counts.addWidget(part)
        counts.addStretch(1)
        column = QVBoxLayout(self)
        column.addWidget(self.summary)
        column.addWidget(self.problem)
        column.addLayout(grid)
        column.addLayout(counts)
        column.addWidget(self.rows, 2)
        column.addWidget(self.days, 2)
        column.addWidget(self.buttons)

    def _read(self):
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(False)
        self.summary.setText("Reading…")
        net = self.demand.counts == "net"
        for button, field, words in (
            (self.export_file, "export_path", "Export: a file of its own"),
            (self.production_file, "production_path", "Measured production"),
        ):
            stated = getattr(self.demand, field)
            button.setText(f"{words}: {Path(stated).name}" if stated else f"{words}…")
            button.setVisible(net or bool(stated) or field == "production_path")
        main = "import" if net else "demand"
        stated = [
            (reading, main if reading == "reading" else words)
            for reading, path, words in FILES
            if getattr(self.demand, path) and (net or path != "export_path")
        ]
        if self._hand not in dict(stated):
            self._hand = "reading"
        title = f"Column of {dict(stated)[self._hand]}"
        self._import_label.setText(title)
        self.fields["import_column"].setAccessibleName(title)
        self.file.offer(stated)
        self.file.show_value(self._hand)
        for part in (self._in_hand, self.file):
            part.setVisible(len(stated) > 1)
        path = (self._folder / self._path).resolve()
        wanted = next(words for reading, _, words in FILES if reading == self._hand)
        wanted = ("net" if net else "use") if wanted == "import" else wanted
        reading, zone = getattr(self.demand, self._hand), self._zone
        self._reader.run(lambda: read_meter_file(path, reading, zone, wanted=wanted))

    @property
    def _path(self):
        return getattr(self.demand, next(path for reading, path, _ in FILES if reading == self._hand))

    def _on_file(self, reading):
        self._hand = reading
        self._read()

    def _on_read(self, result):
        failed = isinstance(result, Exception)
        if self._unsaid and not failed:
            self._unsaid = False
            said = as_its_file_says(self.demand, result.understood)
            if said != self.demand:
                self.demand = said
                self.counts.show_value(said.counts)
                self._read()
                return
        self.data = None if failed else result
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(not failed)
        self.problem.setVisible(failed)
        self.rows.setVisible(not failed)
        self.days.setVisible(not failed)
        if failed:
            self.summary.setText(f"{Path(self._path).name} cannot be used as it is read now.")
            self.problem.setText(f"{problem_of(result)}.")
            return
        self._show_text(result)
        self._show_rows(result)
        self._draw_days(result)

    def _show_text(self, data):
        seen = data.understood
        first, last = (data.starts[i].astype(object) for i in (0, -1))
        out = f", out {data.export_kwh.sum():,.0f} kWh" if data.export_kwh is not None else ""
        notes = joined("", [rich("<br>{}", note) for note in seen.notes])
        self.summary.setText(
            rich(
                "<b>{}</b>: {}, {:,} intervals of {} min, {:%Y-%m-%d} to {:%Y-%m-%d}, {:.0f} days; in {:,.0f} kWh{}.{}",
                Path(self._path).name,
                seen.kind,
                data.starts.size,
                seen.interval_minutes,
                first,
                last,
                data.days,
                data.import_kwh.sum(),
                out,
                notes,
            )
        )
        csv = seen.kind.startswith("interval CSV")
        for name, field in self.fields.items():
            field.setEnabled(csv)
            stated = getattr(getattr(self.demand, self._hand), name)
            if name in CHOICES:
                known = dict(CHOICES[name][1])
                result = known.get(getattr(seen, name), str(getattr(seen, name)))
                field.setItemText(0, FOUND[1] if getattr(seen, name) is None else f"{FOUND[1]}: {result}")
            elif name == "meter":
                field.offer([FOUND, *((meter, meter) for meter in seen.meters)])
                field.setEnabled(bool(seen.meters))
                field.show_value(stated)
            else:
                entries = [(i, text) for i, text in enumerate(seen.columns, 1)]
                none = [(0, "there is none")] if name == "export_column" else []
                result = getattr(seen, name)
                summary = seen.columns[result - 1] if 0 < result <= len(seen.columns) else "none"
                field.offer([(None, f"as found: {summary}"), *none, *entries])
                field.show_value(stated)

    def _show_rows(self, data):
        rows = []
        for i in range(min(SHOWN, data.starts.size)):
            out = f"{data.export_kwh[i]:.3f} kWh" if data.export_kwh is not None else "–"
            rows.append((f"{data.starts[i].astype(object):%Y-%m-%d %H:%M}", f"{data.import_kwh[i]:.3f} kWh", out))
        self.rows.show_rows(("Interval starts, UTC", "In", "Out"), rows, f"From: {self._path}", left=1)

    def _draw_days(self, data):
        look = colours()
        self.days.start()
        day = (data.starts - data.starts[0]).astype(int) // 86400
        self.days.line(np.arange(day[-1] + 1), np.bincount(day, weights=data.import_kwh), look.ink, 1.2)
        if data.export_kwh is not None:
            self.days.line(np.arange(day[-1] + 1), np.bincount(day, weights=data.export_kwh), look.light, 1.2)

    def _on_reading(self, name, value):
        self._unsaid = False
        reading = getattr(self.demand, self._hand).with_(**{name: value})
        self.demand = self.demand.with_(**{self._hand: reading})
        self._read()

    def _on_counts(self, counts):
        self._unsaid = False
        self.demand = self.demand.with_(counts=counts)
        self._read()

    def _ask_file(self, field):
        name, _ = QFileDialog.getOpenFileName(
            self, "A meter's file", "", "Meter files (*.csv *.txt *.tsv *.xml *.xlsx *.ods *.zip);;All (*)"
        )
        self.demand = self.demand.with_(**{field: name or None})
        self._read()
