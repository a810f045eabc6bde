"""What the store is told: every window, threshold and order of a job in one dialog."""

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.dialogs.window_rows import WindowRows
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.exchange.errors import first_field_error
from calm_relay.job.model import Job

UP_TO = ("target", "up to", "%", 0, 100, 0, False, 100.0)
AT_MOST = ("limit_kw", "at most", "kW", 0.1, 100, 1, True, 1.0)
DOWN_TO = ("down_to", "down to", "%", 0, 100, 0, False, 100.0)
POWER = ("power_kw", "at", "kW", 0.1, 100, 1, False, 1.0)
FIRST_FILL = {"start": "01:00", "end": "05:00", "target": 1.0, "limit_kw": None}
FIRST_GIVE = {"start": "17:00", "end": "21:00"}
FIRST_SELL = {"start": "17:00", "end": "20:00", "power_kw": 2.0, "down_to": 0.3}
FIRST_CLOCK = {"start": "10:00", "end": "15:00", "power_kw": 0.6}
ORDERS = [
    ("unset", "nobody has said"),
    ("new", "the new one; the old battery waits"),
    ("old", "the old one; the new store waits"),
]


class ControlDialog(AnswerDialog):
    """Edits charge windows, `Job.control` and the order of two stores; `result_job` is the job with them."""

    def __init__(self, job: Job, parent=None):
        super().__init__("What the store is told", parent)
        self._job = job
        self.result_job: Job | None = None
        control, store = job.control, job.store
        self.fill = self._rows("Filled from the street", (UP_TO, AT_MOST), FIRST_FILL, store.charge_windows)
        self.give = self._rows("Serves the home only", (), FIRST_GIVE, control.discharge_windows)
        self.sell = self._rows("Stored energy is sold", (POWER, DOWN_TO), FIRST_SELL, control.sell_windows)
        self.clock_charge = self._rows("Clock charges", (POWER,), FIRST_CLOCK, control.clock.charge)
        self.clock_give = self._rows("Clock gives", (POWER,), FIRST_CLOCK, control.clock.give)
        self.allowed = QCheckBox("The contract allows energy from the store to be sold")
        self.allowed.setChecked(job.tariff.stored_export)
        self.shave = self._quantity(
            "Serve only what the home draws above", "kW", 0.1, 500, control.shave_above_kw, True
        )
        self.bias = self._quantity("Import left standing", "W", 0, 500, control.import_bias_w, False)
        self.order = ChoiceField("Which of two stores goes first", ORDERS, width=24)
        waits = "old" if store.waits else "new" if job.battery and job.battery.waits else "unset"
        self.order.show_value(waits)
        self.order.setEnabled(job.battery is not None)
        self._lay_out()
        self.resize(840, 640)

    def _rows(self, name, extras, first, windows):
        rows = WindowRows(name, extras, first, self.tell)
        rows.show_value([window.model_dump() for window in windows])
        return rows

    def _quantity(self, name, unit, low, high, value, optional):
        field = QuantityField(name, unit, low, high, 1, optional=optional)
        field.refused.connect(self.tell)
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
                "Filled from the street",
                "Below its level the store is filled, and not emptied.",
                self.fill,
            ),
            ("Serves the home", "Only in these windows; none: at any time.", self.give),
            (
                "Peak shaving above",
                "The store serves only what is above; empty: all of it.",
                self.shave,
            ),
            ("Sells what it holds", "In these windows it gives beyond what the home asks.", self.sell),
            ("", "", self.allowed),
            (
                "Import left standing",
                "Some tens of watts, so that a zero export does not leak.",
                self.bias,
            ),
            ("Two stores: first goes", "Two controllers without an order chase the same meter.", self.order),
            (
                "Time clock charges",
                "A small bank: a short bulk stage, then a long low one.",
                self.clock_charge,
            ),
            ("Time clock gives", "What the bank gives by the clock, whoever asks.", self.clock_give),
        )
        for row, (head, note, part) in enumerate(parts):
            words = QLabel(f"{head}<br><span style='font-size:8pt'>{note}</span>" if head else "")
            words.setTextFormat(Qt.TextFormat.RichText)
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
                sell_windows=self.sell.value,
                shave_above_kw=self.shave.value,
                import_bias_w=self.bias.value or 0.0,
                clock={"charge": self.clock_charge.value, "give": self.clock_give.value},
            )
            store = job.store.with_(charge_windows=self.fill.value, waits=order == "old")
            battery = job.battery and job.battery.with_(waits=order == "new")
            tariff = job.tariff.with_(stored_export=self.allowed.isChecked())
            self.result_job = job.with_(control=control, store=store, battery=battery, tariff=tariff)
        except ValidationError as error:
            where, problem = first_field_error(error)
            self.tell(f"{where}: {problem}." if where else f"{problem}.")
        else:
            self.accept()


PLACE_ROWS = (
    ("where", "It stands", [(name, name) for name in ("heated room", "unheated room", "outdoors")]),
    ("base_m", "Lower edge of the lowest pack", ("m", 0.0, 10.0, 2, False)),
    ("flood_m", "Highest water to be expected", ("m", 0.0, 10.0, 2, False)),
    ("hottest_c", "Hottest air there", ("°C", 0.0, 70.0, 0, True)),
    ("ventilated", "The place is ventilated", "tick"),
)
