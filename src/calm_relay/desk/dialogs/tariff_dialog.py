"""The tariff as a picture: ribbons of the day by season, windows dragged and typed, and the bill that comes of it."""

from pydantic import ValidationError
from PySide6.QtCore import QSignalBlocker, QTime, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTimeEdit,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.charts.bill_chart import BillChart
from calm_relay.desk.charts.tariff_ribbons import TariffRibbons
from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.dialogs.hourly_field import HourlyField
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.months_field import MonthsField
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.row_stack import RowStack
from calm_relay.desk.widgets.scrolled import Column
from calm_relay.desk.widgets.theme import font
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.own_tariffs import keep_tariff, read_tariffs
from calm_relay.job.base import PRICE_MOST
from calm_relay.job.field_range import FieldRange, range_of
from calm_relay.job.tariff import DemandCharge, RateWindow, Tariff, Tier
from calm_relay.planning.common.refused import refused_words

CLOCK = "HH:mm"
DAYS = [("all", "every day"), ("weekdays", "weekdays"), ("weekends", "weekends")]
CREDIT = [
    ("paid", "paid at its price"),
    ("kWh", "credited kWh for kWh"),
    ("money", "credited at the import price"),
]
CARRIED = [("month", "each month"), ("year", "each year")]
MOST = 12
PRICE = FieldRange(-PRICE_MOST, PRICE_MOST)


class RateRows(RowStack):
    """Windows of a price in rows. Emits `changed` when anything in them is another."""

    changed = Signal()
    refused = Signal(str)

    def __init__(self, name: str, parent=None):
        super().__init__(f"Add a window of {name}", MOST, parent)
        self._name = name

    def on_add(self) -> None:
        """Adds a usual window."""
        self.append(RateWindow(name="Peak", price=0.3, start="17:00", end="21:00"))
        self.changed.emit()

    def on_remove(self, row: QWidget) -> None:
        """Takes a window away."""
        super().on_remove(row)
        self.changed.emit()

    def append(self, value: RateWindow) -> None:
        """Adds a row with a window."""
        if self.full:
            return
        window, number = value, len(self.rows) + 1
        what = f"{self._name} window {number}"
        fields = {
            "name": QLineEdit(window.name),
            "price": QuantityField(f"Price of {what}", "", PRICE, 4),
            "start": QTimeEdit(),
            "end": QTimeEdit(),
            "days": ChoiceField(f"Days of {what}", DAYS, width=6),
            "months": MonthsField(f"Months of {what}", f"{self._name} window {number}", window.months),
        }
        fields["name"].setAccessibleName(f"Name of {what}")
        fields["price"].show_value(window.price)
        fields["price"].setFixedWidth(66)
        fields["days"].show_value(window.days)
        for key in ("start", "end"):
            fields[key].setDisplayFormat(CLOCK)
            fields[key].setAccessibleName(f"{what} {'from' if key == 'start' else 'until'}")
            fields[key].setTime(QTime.fromString(getattr(window, key), CLOCK))
            fields[key].setKeyboardTracking(False)
            fields[key].timeChanged.connect(lambda _: self.changed.emit())
        for key in ("name", "months"):
            fields[key].editingFinished.connect(self.changed)
        fields["price"].accepted.connect(lambda _: self.changed.emit())
        fields["price"].refused.connect(self.refused)
        fields["days"].taken.connect(lambda _: self.changed.emit())
        parts: list[tuple[QWidget, int]] = []
        for key, field in fields.items():
            if key == "end":
                parts.append((Label("–"), 0))
            parts.append((field, int(key in {"name", "months"})))
        self.put(fields, parts, what)

    def set_edge(self, number: int, end: str, minute: int) -> None:
        """Moves an end of a window, as if typed."""
        if number < len(self.rows):
            self.rows[number][1][end].setTime(QTime(minute // 60, minute % 60))

    @property
    def value(self) -> tuple[dict, ...]:
        """The windows as typed.

        Raises
        ------
        ValueError
            When months are no months.
        """
        result = []
        for number, (_, fields) in enumerate(self.rows, 1):
            result.append(
                {
                    "name": fields["name"].text().strip() or f"Window {number}",
                    "price": fields["price"].value,
                    "start": fields["start"].time().toString(CLOCK),
                    "end": fields["end"].time().toString(CLOCK),
                    "days": fields["days"].currentData(),
                    "months": fields["months"].value,
                }
            )
        return tuple(result)


class TariffDialog(AnswerDialog):
    """Edits `Job.tariff`; `tariff` is the changed one after it was accepted.

    `view` is what the bill is drawn of, None before there is a plan; `site` is where prices by the hour are laid.
    """

    def __init__(self, tariff: Tariff, view=None, parent=None, *, site=None):
        super().__init__("Tariff", parent)
        self.tariff, self._view = tariff, view
        # Whoever keeps the dialog to read its answer keeps no plan with it.
        self.finished.connect(lambda _: setattr(self, "_view", None))
        self.imports, self.exports = TariffRibbons("Import"), TariffRibbons("Export")
        self.import_rows, self.export_rows = RateRows("import"), RateRows("export")
        self.bill = BillChart()
        self.hint = Label()
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        self.hint.setFont(font(8.4))
        self.hourly = HourlyField(site)
        self._make_fields()
        self._lay_out()
        self._connect()
        self.show_tariff(tariff)
        self.resize(1180, 690)

    def _make_fields(self):
        def money(name, text):
            return QuantityField(text, "", range_of(Tariff, name), 4)

        self.name, self.currency = QLineEdit(), QLineEdit()
        self.name.setAccessibleName("Name of the tariff")
        self.currency.setAccessibleName("Currency")
        self.known = ChoiceField("One of your tariffs", width=12)
        self.keep = QPushButton("Keep among m&ine")
        self.keep.setObjectName("small")
        self.fields = {
            "price": money("price", "Price a kWh outside every window"),
            "feed_in": money("feed_in", "Paid for export a kWh"),
            "standing_per_day": money("standing_per_day", "Standing charge a day"),
            "minimum_per_month": money("minimum_per_month", "Least bill of a month"),
        }
        self.tax = QuantityField("Tax on what is charged", "%", range_of(Tariff, "tax").times(100.0))
        self.power = QuantityField(
            "Charge a kW of the month's highest power", "", range_of(DemandCharge, "price_per_kw")
        )
        self.minutes = ChoiceField("Power is the mean over", [(n, f"{n} min") for n in (15, 30, 60)], width=5)
        self.power_from, self.power_until = QTimeEdit(), QTimeEdit()
        self.power_days = ChoiceField("Days on which power is counted", DAYS, width=7)
        self.tiers = QLineEdit()
        self.tiers.setAccessibleName("Tiers: kWh of a month and what each above costs more")
        self.tiers.setPlaceholderText("none; such as 300: 0.10, 600: 0.15")
        self.tiers.setToolTip(
            tip(
                "kWh of a month and what each kWh above costs more, parted by commas. “600: 0.15 all”: a month above "
                "600 kWh pays it for every kWh."
            )
        )
        self.credit = ChoiceField("What export is", CREDIT, width=18)
        self.carried = ChoiceField("Credit is settled", CARRIED, width=8)
        self.rest = QuantityField(
            "Share of the credit left that is paid", "%", range_of(Tariff, "rest_paid").times(100.0)
        )
        self.stored = QCheckBox("The &battery may export")
        for edit, words in (
            (self.power_from, "Power is counted from"),
            (self.power_until, "Power is counted until"),
        ):
            edit.setDisplayFormat(CLOCK)
            edit.setAccessibleName(words)
            edit.setKeyboardTracking(False)

    def _lay_out(self):
        top = QHBoxLayout()
        for text, field, width in (
            ("&Name", self.name, 180), ("C&urrency", self.currency, 60), ("From m&ine", self.known, 170),
        ):  # fmt: skip
            label = Label(text)
            label.setBuddy(field)
            field.setFixedWidth(width)
            top.addWidget(label)
            top.addWidget(field)
        top.addWidget(self.keep)
        top.addStretch(1)
        inside = QWidget()
        left = QVBoxLayout(inside)
        left.setContentsMargins(0, 0, 8, 0)
        for part in (self.imports, self.import_rows, self.exports, self.export_rows, self.hint):
            left.addWidget(part)
        left.addStretch(1)
        right = QVBoxLayout()
        right.addWidget(self.bill, 1)
        right.addLayout(self._charges())
        middle = QHBoxLayout()
        middle.setSpacing(16)
        column = Column(inside)
        column.setAccessibleName("Prices through the day")
        middle.addWidget(column, 6)
        middle.addLayout(right, 5)
        below = QHBoxLayout()
        below.addWidget(self.problem, 1)
        below.addWidget(self.answer_buttons(self.take))
        whole = QVBoxLayout(self)
        whole.addLayout(top)
        whole.addLayout(middle, 1)
        whole.addLayout(below)

    def _charges(self):
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        power = QHBoxLayout()
        for part in (self.power, self.minutes, self.power_from, Label("–"), self.power_until, self.power_days):
            power.addWidget(part)
        power.addStretch(1)
        credit = QHBoxLayout()
        for row in (power, credit):
            row.setSpacing(6)
        for part in (self.credit, Label("settled"), self.carried, Label("rest paid"), self.rest):
            credit.addWidget(part)
        credit.addStretch(1)
        for field in (*self.fields.values(), self.tax, self.power, self.rest):
            field.setFixedWidth(72)
        rows = (
            (("&Price a kWh", self.fields["price"]), ("Paid for e&xport", self.fields["feed_in"])),
            (
                ("&Standing a day", self.fields["standing_per_day"]),
                ("&Least a month", self.fields["minimum_per_month"]),
            ),
            (("Ta&x", self.tax), ("", self.stored)),
        )
        for row, pairs in enumerate(rows):
            for column, (text, field) in enumerate(pairs):
                label = Label(text)
                label.setBuddy(field)
                grid.addWidget(label, row, 2 * column)
                grid.addWidget(field, row, 2 * column + 1)
        for row, (text, part, buddy) in enumerate(
            (
                ("&Tiers", self.tiers, self.tiers),
                ("A k&W of power", power, self.power),
                ("Expo&rt is", credit, self.credit),
                ("Spot price", self.hourly, self.hourly.read),
            ),
            len(rows),
        ):
            label = Label(text)
            label.setBuddy(buddy)
            grid.addWidget(label, row, 0)
            if isinstance(part, QHBoxLayout):
                grid.addLayout(part, row, 1, 1, 4)
            else:
                grid.addWidget(part, row, 1, 1, 4)
        grid.setColumnStretch(4, 1)
        return grid

    def _connect(self):
        for rows, ribbons in ((self.import_rows, self.imports), (self.export_rows, self.exports)):
            rows.changed.connect(self._on_changed)
            rows.refused.connect(self.show_text)
            ribbons.edge_moved.connect(rows.set_edge)
            ribbons.window_drawn.connect(lambda *drawn, rows=rows: self._on_drawn(rows, *drawn))
        for field in (*self.fields.values(), self.tax, self.power, self.rest):
            field.accepted.connect(lambda _: self._on_changed())
            field.refused.connect(self.show_text)
        for field in (self.minutes, self.power_days, self.credit, self.carried):
            field.taken.connect(lambda _: self._on_changed())
        for edit in (self.power_from, self.power_until):
            edit.timeChanged.connect(lambda _: self._on_changed())
        for line in (self.name, self.currency, self.tiers):
            line.editingFinished.connect(self._on_changed)
        self.stored.clicked.connect(lambda _: self._on_changed())
        self.hourly.changed.connect(self._on_changed)
        self.hourly.refused.connect(self.show_text)
        self.keep.clicked.connect(lambda _=False: self._on_keep())
        self.known.taken.connect(self._on_known)

    def show_tariff(self, tariff: Tariff) -> None:
        """Shows a tariff in place of what is typed."""
        times = [self.power_from, self.power_until]
        blockers = [QSignalBlocker(edit) for edit in times]
        self.name.setText(tariff.name)
        self.currency.setText(tariff.currency)
        for name, field in self.fields.items():
            field.show_value(getattr(tariff, name))
        self.tax.show_value(tariff.tax * 100.0)
        self.rest.show_value(tariff.rest_paid * 100.0)
        demand = tariff.demand_charge or DemandCharge(price_per_kw=0.0)
        self.power.show_value(demand.price_per_kw)
        self.minutes.show_value(demand.minutes)
        self.power_days.show_value(demand.days)
        for edit, text in zip(times, (demand.start, demand.end), strict=True):
            edit.setTime(QTime.fromString(text, CLOCK))
        self.tiers.setText(", ".join(map(_tier_text, tariff.tiers)))
        self.credit.show_value(tariff.credit)
        self.carried.show_value(tariff.carried)
        self.stored.setChecked(tariff.stored_export)
        self.hourly.currency = tariff.currency
        self.hourly.show_value(tariff.hourly)
        self.import_rows.show_value(tariff.windows)
        self.export_rows.show_value(tariff.feed_in_windows)
        del blockers
        self._offer_known()
        self._on_changed()

    def _offer_known(self):
        try:
            self._mine = {tariff.name: tariff for tariff in read_tariffs()}
        except InputError as error:
            self._mine = {}
            self.show_text(f"{error}.")
        self.known.offer([(None, ""), *((name, name) for name in self._mine)])
        self.known.setEnabled(bool(self._mine))

    def _on_known(self, name):
        if name in self._mine:
            # Limit and what a battery may do belong to the connection, not to the tariff.
            kept = {"export_limit_kw": self.tariff.export_limit_kw}
            self.show_tariff(self._mine[name].with_(**kept))

    def _on_keep(self):
        tariff = self._checked()
        if tariff is None:
            return
        try:
            keep_tariff(tariff)
        except (OSError, ValueError) as error:
            self.show_text(f"Not kept: {error}.")
            return
        self._offer_known()
        self.show_text(f"Kept: “{tariff.name}” is offered in every job.")

    def _on_drawn(self, rows, start, end, days, months):
        clock = "{:02d}:{:02d}".format
        window = RateWindow(
            name="Window", price=self.fields["price"].value or 0.0, start=clock(*divmod(start, 60)),
            end=clock(*divmod(end, 60)), days=days, months=months,
        )  # fmt: skip
        # The first window that matches holds: one drawn over others goes before them.
        rows.show_value((window, *(RateWindow.model_validate(row) for row in rows.value)))
        self._on_changed()
        if rows.rows:
            rows.rows[0][1]["price"].setFocus()

    def _typed(self) -> Tariff:
        demand = None
        if self.power.value:
            demand = {
                "price_per_kw": self.power.value,
                "minutes": self.minutes.currentData(),
                "start": self.power_from.time().toString(CLOCK),
                "end": self.power_until.time().toString(CLOCK),
                "days": self.power_days.currentData(),
            }
        return Tariff.model_validate(
            {
                **dict(self.tariff),
                **{name: field.value for name, field in self.fields.items()},
                "name": self.name.text().strip(),
                "currency": self.currency.text().strip(),
                "windows": self.import_rows.value,
                "feed_in_windows": self.export_rows.value,
                "tax": (self.tax.value or 0.0) / 100.0,
                "rest_paid": (self.rest.value or 0.0) / 100.0,
                "tiers": _tiers_of(self.tiers.text()),
                "demand_charge": demand,
                "credit": self.credit.currentData(),
                "carried": self.carried.currentData(),
                "stored_export": self.stored.isChecked(),
                "hourly": self.hourly.value,
            }
        )

    def _checked(self) -> Tariff | None:
        try:
            return self._typed()
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Tariff)}.")
        except ValueError as error:
            self.show_text(f"{error}.")
        return None

    def _on_changed(self):
        from calm_relay.planning.views.tariff_picture import bill_by_kind, hidden_windows, ribbons_of

        tariff = self._checked()
        if tariff is None:
            return
        self.problem.hide()
        self.imports.show_ribbons(ribbons_of(tariff.price, tariff.windows), tariff.windows, tariff.currency)
        self.exports.show_ribbons(
            ribbons_of(tariff.feed_in, tariff.feed_in_windows), tariff.feed_in_windows, tariff.currency
        )
        for field in (self.carried, self.rest):
            field.setEnabled(tariff.credit != "paid")
        for field in (self.minutes, self.power_from, self.power_until, self.power_days):
            field.setEnabled(tariff.demand_charge is not None)
        hidden = (*hidden_windows(tariff.windows), *hidden_windows(tariff.feed_in_windows))
        said = "Drag an edge, or draw over a ribbon for a new window."
        if tariff.hourly is not None:
            said += " All of it comes on top of the spot price of each hour."
        if hidden:
            names = ", ".join(f"“{name}”" for name in hidden)
            said += f" The first window that matches holds: {names} is hidden in part."
        self.hint.setText(said)
        view = self._view
        self.bill.setVisible(view is not None and view.built is not None)
        if view is not None and view.built is not None:
            kinds = bill_by_kind(view.plan, view.built, tariff)
            self.bill.show_bill(kinds, tariff.currency, view.option.title)

    def take(self) -> None:
        """Closes with the changed tariff when it is valid; says what is wrong when not."""
        tariff = self._checked()
        if tariff is not None:
            self.tariff = tariff
            self.accept()


def _tier_text(tier: Tier) -> str:
    return f"{tier.above_kwh:g}: {tier.surcharge:g}{' all' if tier.whole_month else ''}"


def _tiers_of(text: str) -> tuple[Tier, ...]:
    tiers = []
    for part in text.replace(";", ",").split(","):
        if not part.strip():
            continue
        above, _, surcharge = part.partition(":")
        try:
            each = float(surcharge.strip().removesuffix("all"))
            tiers.append(
                {
                    "above_kwh": float(above.strip().removesuffix("kWh")),
                    "surcharge": each,
                    "whole_month": surcharge.strip().endswith("all"),
                }
            )
        except ValueError:
            raise ValueError(f"Tiers hold “{part.strip()}”; wanted such as 300: 0.10 or 600: 0.15 all") from None
    return tuple(tiers)
