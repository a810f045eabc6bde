"""The cable in hand: how it stands, how it lies, what was chosen for it."""

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.limit_rows import LimitRows
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import choices_of
from calm_relay.job.wiring import Route
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.wiring.cable import size_words

USUAL = "as usual"
NUMBERS = (
    ("length_m", "Length", "m", 1),
    ("grouped", "Circuits side by side", "", 0),
    ("ambient_c", "Temperature", "°C", 0),
    ("protect_a", "Breaker or fuse", "A", 0),
)
CHOICES = (("laying", "Laid"), ("material", "Conductor"), ("insulation", "Insulation bears"))


class RoutePanel(QWidget):
    """Edits one of `Job.wiring.routes`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._sheet = None
        self.key = ""
        self.title, self.size, self.why = Label(), Label(), Label()
        self.title.setFont(font(9.5, strong=True))
        self.size.setFont(font(11, strong=True))
        self.why.setObjectName("quiet")
        self.bars = LimitRows("Limits of the cable in hand")
        self.lines = Label()
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.hide()
        for label in (self.title, self.size, self.why, self.lines, self.problem):
            label.setWordWrap(True)
        self.lines.setFont(font(8.6))
        self.fields: dict[str, QWidget] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(4)
        for part in (self.title, self.size, self.why, self.bars, self.lines):
            column.addWidget(part)
        column.addWidget(self._form())
        column.addWidget(self.problem)
        column.addStretch(1)

    def _form(self):
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        rows: list[tuple[str, QWidget]] = []
        for name, words, unit, decimals in NUMBERS:
            field = QuantityField(f"{words} of the cable; empty: as usual", unit, range_of(Route, name), decimals)
            field.setPlaceholderText(USUAL)
            field.accepted.connect(lambda value, name=name: self._on_number(name, value))
            field.refused.connect(self._show_text)
            self.fields[name] = field
            rows.append((words, field))
        for name, words in CHOICES:
            entries = ((None, USUAL), *((word, word) for word in choices_of(Route, name)))
            field = ChoiceField(f"{words}: the cable in hand", entries, width=12)
            field.taken.connect(lambda value, name=name: self._change(name, value))
            self.fields[name] = field
            rows.append((words, field))
        self.fields["size"] = ChoiceField("Size of the cable in hand", width=12)
        self.fields["size"].taken.connect(lambda value: self._change("size", value))
        self.fields["parallel"] = ChoiceField(
            "Conductors in parallel", tuple((n, str(n)) for n in (1, 2, 3, 4)), width=4
        )
        self.fields["parallel"].taken.connect(lambda value: self._change("parallel", value))
        order = dict(rows)
        placed = (
            ("Length", order["Length"]),
            ("Laid", order["Laid"]),
            ("Size", self.fields["size"]),
            ("In parallel", self.fields["parallel"]),
            ("Breaker or fuse", order["Breaker or fuse"]),
            ("Circuits side by side", order["Circuits side by side"]),
            ("Temperature", order["Temperature"]),
            ("Conductor", order["Conductor"]),
            ("Insulation bears", order["Insulation bears"]),
        )
        for number, (words, field) in enumerate(placed):
            label = Label(words)
            label.setBuddy(field)
            grid.addWidget(label, number, 0)
            grid.addWidget(field, number, 1)
        self.measured = QCheckBox("Measured on site")
        self.measured.clicked.connect(lambda on: self._change("measured", on))
        grid.addWidget(self.measured, len(placed), 1)
        grid.setColumnStretch(1, 1)
        return inside

    def show_cable(self, job, sheet, key: str) -> None:
        """Shows a cable of a wiring sheet with what the job states of it."""
        self._job, self._sheet, self.key = job, sheet, key
        shown = sheet.cable(key)
        self.title.setText(shown.title)
        self.size.setText(shown.size)
        self.why.setText(shown.why)
        self.bars.show_bars(shown.bars)
        self.lines.setText(keep_units("\n".join(shown.lines)))
        route = job.wiring.route(key)
        cable = sheet.plan.cable(key)
        self.fields["size"].offer(
            ((None, "smallest that fits"), *((size.name, size_words(size)) for size in sheet.plan.tables.sizes))
        )
        for name, field in self.fields.items():
            value = getattr(route, name)
            field.show_value(
                float(value) if isinstance(value, int) and isinstance(field, QuantityField) else value
            )
        usual = cable.laid
        self.fields["length_m"].setPlaceholderText(f"{MEASURES.words(usual.length_m)}, assumed")
        for name in ("grouped", "ambient_c"):
            self.fields[name].setPlaceholderText(f"{self.fields[name].text_of(getattr(usual, name))}, assumed")
        device = f"{cable.device.amps:g} A" if cable.device is not None else "none"
        self.fields["protect_a"].setPlaceholderText(f"{device}, chosen")
        self.measured.setChecked(route.measured)
        self.measured.setEnabled(route.length_m is not None)
        self.problem.hide()

    def _on_number(self, name, value):
        self._change(name, round(value) if name == "grouped" and value is not None else value)

    def _change(self, name, value):
        if self._job is None or not self.key:
            return
        route = self._job.wiring.route(self.key)
        changes = {name: value}
        if name == "length_m" and value is None:
            changes["measured"] = False
        try:
            job = self._job.with_(wiring=self._job.wiring.with_route(route.with_(**changes)))
        except ValidationError as error:
            self._show_text(f"{refused_words(error, Route)}.")
            self.show_cable(self._job, self._sheet, self.key)
        else:
            words = Route.model_fields[name].title or name
            self.edited.emit(job, f"{words} of {self.title.text()}")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
