"""The firm's price list as this job has it: work, what stands once, what is paid towards it, how years are counted."""

from pydantic import ValidationError
from PySide6.QtWidgets import (
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.row_stack import RowStack
from calm_relay.desk.widgets.theme import font
from calm_relay.job.field_range import range_of
from calm_relay.job.field_words import plain_type, words_of
from calm_relay.job.tariff import Costs, Incentive
from calm_relay.planning.common.refused import refused_words

GROUPS = (
    ("Work", ("labour_per_hour", "module_labour", "module_removal", "restring_per_string", "fuse", "shutdown_device",
              "shutdown_switch", "remove_unit", "backup_board", "backup_circuit", "whole_changeover", "shed_relay",
              "shipped_prices")),
    ("Once for a job", ("once_per_job", "permit", "engineering", "gateway", "scaffold", "cable_per_metre",
                        "cable_metres", "margin", "rebate_per_kwh", "rebate_max")),
    ("How years are counted", ("horizon_years", "discount_rate", "price_rise", "replace_year", "underused_cycles")),
)  # fmt: skip
UNITS = {"cable_per_metre": "/m", "cable_metres": "m"}
MOST = 12


class IncentiveRows(RowStack):
    """Incentives in rows: who pays how much, for what, up to where."""

    def __init__(self, show_text, parent=None):
        super().__init__("Add an &incentive", MOST, parent)
        self._show_text = show_text

    def append(self, value: Incentive | None) -> None:
        """Adds a row, empty or with an incentive."""
        if self.full:
            return
        incentive, number = value, len(self.rows) + 1
        fields = {
            "name": QLineEdit(),
            "pays_for": ChoiceField(
                f"Incentive {number} is for", [(w, f"the {w}") for w in ("battery", "array")], width=6
            ),
            "amount": QuantityField(f"Amount of incentive {number}", "", range_of(Incentive, "amount")),
            "per": ChoiceField(
                f"Incentive {number} is paid per", [(w, f"per {w}") for w in ("kWh", "kW")], width=9
            ),
            "full_up_to": QuantityField(
                f"Incentive {number} in full up to", "", range_of(Incentive, "full_up_to")
            ),
            "beyond": QuantityField(
                f"Share of incentive {number} beyond", "%", range_of(Incentive, "beyond").times(100)
            ),
            "cap": QuantityField(f"Most of incentive {number}", "", range_of(Incentive, "cap")),
            "paid": ChoiceField(
                f"Incentive {number} is paid", [(w, w) for w in ("at sale", "next year", "each year")], width=6
            ),
            "years": QuantityField(f"Years of incentive {number}", "", range_of(Incentive, "years"), 0),
            "falls": QuantityField(
                f"Incentive {number} falls a year", "%", range_of(Incentive, "falls").times(100)
            ),
            "authority": QLineEdit(),
            "dated": QLineEdit(),
        }
        fields["per"].offer(
            [("kWh", "per kWh"), ("kW", "per kW"), ("%", "per cent"), ("kWh made", "per kWh made")]
        )
        for name, words, width in (
            ("name", "Name", 88), ("authority", "Authority", 76), ("dated", "As of, 2026-11", 72),
        ):  # fmt: skip
            fields[name].setPlaceholderText(words.lower() if name != "dated" else "2026-11")
            fields[name].setAccessibleName(f"{words} of incentive {number}")
            fields[name].setMinimumWidth(width)
        for name, width in (
            ("amount", 66), ("cap", 66), ("full_up_to", 50), ("beyond", 50), ("years", 34), ("falls", 44),
        ):  # fmt: skip
            fields[name].setFixedWidth(width)
            fields[name].refused.connect(self._show_text)
        fields["cap"].setPlaceholderText("no cap")
        for name in ("name", "authority", "dated"):
            fields[name].setText(getattr(incentive, name) if incentive else "")
        fields["pays_for"].show_value(incentive.pays_for if incentive else "battery")
        fields["per"].show_value(incentive.per if incentive else "kWh")
        fields["amount"].show_value(incentive.amount if incentive else 0.0)
        fields["cap"].show_value(incentive.cap if incentive else None)
        fields["paid"].show_value(incentive.paid if incentive else "at sale")
        for name in ("years", "falls"):
            fields[name].setEnabled(fields["paid"].currentData() == "each year")
            fields["paid"].taken.connect(lambda paid, field=fields[name]: field.setEnabled(paid == "each year"))
        fields["full_up_to"].setPlaceholderText("all")
        fields["full_up_to"].show_value(incentive.full_up_to if incentive else None)
        fields["years"].show_value(incentive.years if incentive else 10)
        for name, usual in (("beyond", 0.5), ("falls", 0.0)):
            fields[name].show_value(100.0 * (getattr(incentive, name) if incentive else usual))
        words = {
            "pays_for": "for", "full_up_to": "up to", "beyond": "beyond", "cap": "at most", "years": "years",
            "falls": "falls", "authority": "by", "dated": "as of",
        }  # fmt: skip
        parts: list[tuple[QWidget, int]] = []
        for name in (
            "name", "pays_for", "amount", "per", "full_up_to", "beyond", "cap", "paid", "years", "falls", "authority",
            "dated",
        ):  # fmt: skip
            if name in words:
                parts.append((Label(words[name]), 0))
            parts.append((fields[name], int(name in {"name", "authority"})))
        self.put(fields, parts, f"incentive {number}")

    @property
    def value(self) -> tuple[dict, ...]:
        """The incentives as typed."""
        return tuple({name: _value_of(name, field) for name, field in fields.items()} for _, fields in self.rows)


def _value_of(name, field):
    """What a field of an incentive says: of a share people type per cent."""
    if isinstance(field, QuantityField):
        share = name in {"beyond", "falls"} and field.value is not None
        return field.value / 100.0 if share else int(field.value) if name == "years" else field.value
    return field.text().strip() if isinstance(field, QLineEdit) else field.currentData()


class CostsDialog(AnswerDialog):
    """Edits `Job.costs`; `costs` are the changed ones after it was accepted.

    `firm` is the firm's list or None; `keep` is called with costs to become it and says whether they did.
    """

    def __init__(self, costs: Costs, currency: str, firm: Costs | None, keep, parent=None):
        super().__init__("Prices and labour", parent)
        self.costs = costs
        self._firm, self._keep = firm, keep
        self.fields: dict[str, QuantityField] = {}
        self.incentives = IncentiveRows(self.show_text)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        for title, names in GROUPS:
            columns.addLayout(self._group(title, names, currency), 1)
        column = QVBoxLayout(self)
        column.addLayout(columns)
        head = Label(f"Incentives, {currency}")
        head.setFont(font(10, strong=True))
        column.addWidget(head)
        column.addWidget(self.incentives)
        column.addWidget(self.problem)
        below = QHBoxLayout()
        self.from_firm, self.to_firm = (
            QPushButton("As in the &firm’s list"),
            QPushButton("&Keep as the firm’s list"),
        )
        for button in (self.from_firm, self.to_firm):
            button.setObjectName("small")
            below.addWidget(button)
        below.addStretch(1)
        self.buttons = self.answer_buttons(self.take)
        below.addWidget(self.buttons)
        column.addLayout(below)
        self.from_firm.setEnabled(firm is not None)
        self.from_firm.clicked.connect(lambda _=False: self.show_costs(self._firm))
        self.to_firm.clicked.connect(lambda _=False: self._on_keep())
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setAutoDefault(False)
        self.show_costs(costs)

    def _group(self, title, names, currency):
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        head = Label(title if title.startswith("How") else f"{title}, {currency}")
        head.setFont(font(10, strong=True))
        grid.addWidget(head, 0, 0, 1, 2)
        for row, name in enumerate(names, 1):
            words, span = words_of(Costs, name), range_of(Costs, name)
            share = name in {"discount_rate", "price_rise", "margin"}
            whole = plain_type(Costs, name) is int
            field = QuantityField(
                words.title,
                "%" if share else UNITS.get(name, ""),
                span.times(100.0) if share else span,
                0 if whole else 2,
            )
            field.setFixedWidth(84)
            field.refused.connect(self.show_text)
            label = Label(words.title)
            label.setBuddy(field)
            description = Costs.model_fields[name].description
            if description:
                field.setToolTip(tip(f"{field.toolTip()}. {description}"))
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
            self.fields[name] = field
        grid.setRowStretch(len(names) + 1, 1)
        return grid

    def show_costs(self, costs: Costs) -> None:
        """Shows costs in place of what is typed; metres of cable and what example prices come to stay this job's."""
        costs = costs.for_job_of(self.costs)
        for name, field in self.fields.items():
            value = getattr(costs, name)
            field.show_value(None if value is None else value * self._scale(name))
        self.incentives.show_value(costs.incentives)

    @staticmethod
    def _scale(name):
        return 100.0 if name in {"discount_rate", "price_rise", "margin"} else 1.0

    def _typed(self) -> Costs:
        values = {}
        for name, field in self.fields.items():
            value = field.value
            if value is not None and plain_type(Costs, name) is int:
                value = round(value)
            scale = self._scale(name)
            values[name] = round(value / scale, 9) if value is not None and scale > 1.0 else value
        return Costs.model_validate({**dict(self.costs), **values, "incentives": self.incentives.value})

    def _checked(self) -> Costs | None:
        try:
            return self._typed()
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Costs)}.")
            return None

    def _on_keep(self):
        costs = self._checked()
        if costs is not None and self._keep(costs):
            self._firm = costs
            self.from_firm.setEnabled(True)
            self.show_text("Kept: new jobs begin with this list.")

    def take(self) -> None:
        """Closes with the changed costs when they are valid; says what is wrong when not."""
        costs = self._checked()
        if costs is not None:
            self.costs = costs
            self.accept()
