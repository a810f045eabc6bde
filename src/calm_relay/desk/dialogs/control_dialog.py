"""How the battery is controlled: every window, threshold and order of a job in one dialog."""

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from calm_relay.desk.dialogs.by_price_field import ByPriceField
from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.dialogs.window_rows import WindowRows
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import RichLabel, rich
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.job.control import Control, ExportWindow, GridCharge
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job
from calm_relay.job.rooms import INDOOR_ROOMS
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.operation.controls import usual_charge, usual_delay, usual_service

UP_TO = ("target", "up to", "%", range_of(GridCharge, "target").times(100), 0, 100.0)
AT_MOST = ("limit_kw", "at most", "kW", range_of(GridCharge, "limit_kw"), 1, 1.0)
DOWN_TO = ("down_to", "down to", "%", range_of(ExportWindow, "down_to").times(100), 0, 100.0)
POWER = ("power_kw", "at", "kW", range_of(ExportWindow, "power_kw"), 1, 1.0)
FIRST_EXPORT = {"start": "17:00", "end": "20:00", "power_kw": 2.0, "down_to": 0.3}
FIRST_CLOCK = {"start": "10:00", "end": "15:00", "power_kw": 0.6}
CONTROL_SERIES = [
    ("unset", "nobody has said"),
    ("new", "the new one; the old battery waits"),
    ("old", "the old one; the new battery waits"),
]


class ControlDialog(AnswerDialog):
    """Edits charge windows, `Job.control` and the order of two batteries; `result_job` is the job with them."""

    def __init__(self, job: Job, parent=None):
        super().__init__("How the battery is controlled", parent)
        self._job = job
        self.result_job: Job | None = None
        control, battery = job.control, job.battery
        first_fill, first_give = (usual(job.tariff).model_dump() for usual in (usual_charge, usual_service))
        self.fill = self._rows("Charged from the grid", (UP_TO, AT_MOST), first_fill, battery.charge_windows)
        self.give = self._rows("Serves the home only", (), first_give, control.discharge_windows)
        first_delay = usual_delay(job.site.latitude).model_dump()
        self.delay = self._rows("Charging is delayed", (), first_delay, control.delay_windows, seasonal=True)
        self.export = self._rows(
            "Stored energy is exported", (POWER, DOWN_TO), FIRST_EXPORT, control.export_windows
        )
        self.clock_charge = self._rows("Clock charges", (POWER,), FIRST_CLOCK, control.clock.charge)
        self.clock_give = self._rows("Clock gives", (POWER,), FIRST_CLOCK, control.clock.give)
        self.by_price = ByPriceField(control.by_price, job.tariff.currency)
        self.by_price.refused.connect(self.show_text)
        self.allowed = QCheckBox("The contract allows energy from the battery to be exported")
        self.allowed.setChecked(job.tariff.stored_export)
        self.shave = self._quantity(
            "Serve only what the home draws above", "kW", "shave_above_kw", control.shave_above_kw
        )
        self.bias = self._quantity("Import left standing", "W", "import_bias_w", control.import_bias_w)
        self.order = ChoiceField("Which of two batteries goes first", CONTROL_SERIES, width=24)
        waits = "old" if battery.waits else "new" if any(old.waits for old in job.existing_batteries) else "unset"
        self.order.show_value(waits)
        self._order_before = waits
        self.order.setEnabled(bool(job.existing_batteries))
        self._lay_out()
        self.resize(840, 640)

    def _rows(self, name, extras, first, windows, *, seasonal=False):
        rows = WindowRows(name, extras, first, self.show_text, seasonal=seasonal)
        rows.show_value([window.model_dump() for window in windows])
        return rows

    def _quantity(self, label, unit, name, value):
        field = QuantityField(label, unit, range_of(Control, name), 1)
        field.refused.connect(self.show_text)
        field.show_value(value)
        field.setMaximumWidth(110)
        return field

    def _lay_out(self):
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(9)
        parts = (
            (
                "Charged from the grid",
                "Below its level the battery is charged, and not discharged.",
                self.fill,
            ),
            (
                "Charged by price",
                "As far as the dear hours are expected to want it beyond the array, and kept for them.",
                self.by_price,
            ),
            ("Serves the home", "Only in these windows; none: at any time.", self.give),
            (
                "Delayed charging",
                "Then it takes only what the export limit or the inverter turns away, and has room at midday.",
                self.delay,
            ),
            (
                "Peak shaving above",
                "The battery serves only what is above; empty: all of it.",
                self.shave,
            ),
            ("Exports what is stored", "In these windows it gives beyond what the home asks.", self.export),
            ("", "", self.allowed),
            (
                "Import left standing",
                "Some tens of watts, so that a zero export does not leak.",
                self.bias,
            ),
            ("Two batteries: first goes", "Two controllers without an order chase the same meter.", self.order),
            (
                "Time clock charges",
                "A small bank: a short bulk stage, then a long low one.",
                self.clock_charge,
            ),
            ("Time clock gives", "What the bank gives by the clock, whoever asks.", self.clock_give),
        )
        for row, (head, note, part) in enumerate(parts):
            words = RichLabel(rich("{}<br><span style='font-size:8pt'>{}</span>", head, note) if head else "")
            words.setWordWrap(True)
            words.setFont(font(9))
            words.setFixedWidth(230)
            grid.addWidget(words, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(part, row, 1, Qt.AlignmentFlag.AlignTop)
        grid.setColumnStretch(1, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        column = QVBoxLayout(self)
        column.addWidget(scroll, 1)
        column.addWidget(self.problem)
        column.addWidget(self.answer_buttons(self.take))

    def take(self) -> None:
        """Closes with the changed job when it is valid; says what is wrong when not."""
        job = self._job
        order = self.order.currentData()
        try:
            control = job.control.with_(
                discharge_windows=self.give.value,
                export_windows=self.export.value,
                delay_windows=self.delay.value,
                shave_above_kw=self.shave.value,
                import_bias_w=self.bias.value or 0.0,
                by_price=self.by_price.value,
                clock={"charge": self.clock_charge.value, "give": self.clock_give.value},
            )
            battery = job.battery.with_(charge_windows=self.fill.value, waits=order == "old")
            existing = job.existing_batteries
            if order != self._order_before:
                existing = tuple(old.with_(waits=order == "new") for old in existing)
            tariff = job.tariff.with_(stored_export=self.allowed.isChecked())
            self.result_job = job.with_(
                control=control, battery=battery, existing_batteries=existing, tariff=tariff
            )
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Job)}.")
        except ValueError as error:
            self.show_text(f"{error}.")
        else:
            self.accept()


WALL_CHOICES = [
    (None, "not stated"),
    ("masonry", "brick, block or concrete"),
    ("framed", "framed; no habitable room behind"),
    ("framed, lived behind", "framed; a habitable room behind"),
]
PLACE_ROWS = (
    ("where", "It stands", [(name, name) for name in ("heated room", "unheated room", "outdoors")]),
    ("room", "Indoors, in which room", [(None, "not stated"), *((name, name) for name in INDOOR_ROOMS)]),
    ("to_opening_m", "To the nearest door, window or way out; empty: not measured", ("m", 2)),
    ("wall", "The wall it hangs on", WALL_CHOICES),
    ("base_m", "Lower edge of the lowest pack", ("m", 2)),
    ("flood_m", "Highest water to be expected", ("m", 2)),
    ("hottest_c", "Hottest air there", ("°C", 0)),
    ("ventilated", "The place is ventilated", "tick"),
)
