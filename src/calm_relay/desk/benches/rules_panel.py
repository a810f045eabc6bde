"""The region's dated rules, each limit a field: another number holds in this job only."""

from dataclasses import replace
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, spoken, tip
from calm_relay.desk.widgets.let_go import let_all_go
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.job.field_range import range_of
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.job.rules import UNITS, Rule
from calm_relay.job.survey import RuleChange
from calm_relay.job.tariff import RatioRule
from calm_relay.planning.common.refused import refused_words

# Rows of a `FormDialog` on a rule of the job's own.
OWN_ROWS = (
    ("name", "Name", "text"),
    ("ratio_max", "Array over inverter power, at most", ("", 3)),
    ("authority", "Authority", "text"),
    ("clause", "Clause", "text"),
    ("dated", "As of, 2026-11", "text"),
)


FIRST_RULE = RatioRule(name="Lender’s limit", ratio_max=1.33, authority="the lender", clause="-", dated="2026-01")


class RulesPanel(QWidget):
    """Shows `planning.equipment.rules` of a job; emits `edited` with the changed job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.region = ChoiceField("Region whose rules are applied", width=20)
        self.region.taken.connect(self._on_region)
        self.limits: dict[str, QuantityField] = {}
        self.own: dict[str, QuantityField] = {}
        self.why: dict[str, QLineEdit] = {}
        self._built: tuple[Any, ...] = ()
        self._sources: dict[str, tuple[Rule, Label]] = {}
        self._own_rows: list[tuple[QuantityField, Label]] = []
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._rows = QGridLayout()
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        title = Label("Rules of the region")
        title.setFont(font(10.5, strong=True))
        column.addWidget(title)
        choose = QHBoxLayout()
        label = Label("&Region")
        label.setBuddy(self.region)
        choose.addWidget(label)
        choose.addWidget(self.region, 1)
        column.addLayout(choose)
        self._note = Label()
        self._note.setObjectName("quiet")
        self._note.setWordWrap(True)
        column.addWidget(self._note)
        inside = QWidget()
        inside.setLayout(self._rows)
        self._rows.setContentsMargins(0, 0, 4, 0)
        self._rows.setVerticalSpacing(2)
        self._rows.setHorizontalSpacing(8)
        self._rows.setColumnStretch(0, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        scroll.setAccessibleName("Rules and their limits")
        column.addWidget(scroll, 1)
        self.add = QPushButton("A rule of this job…")
        self.add.setObjectName("small")
        self.add.setToolTip("Such as a lender's limit on array over inverter power, with its authority and date")
        self.add.clicked.connect(lambda _=False: self._ask_own(None))
        column.addWidget(self.add, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.problem)

    def show_job(self, job, library: Library) -> None:
        """Shows the rules that apply to a job."""
        from calm_relay.planning.common.cautions import who_decides
        from calm_relay.planning.common.errors import PlanError
        from calm_relay.planning.equipment.rules import rules_of

        self._job, self._packs = job, library.rule_packs
        self._note.setText(f"Dated presets to start from, never law: {who_decides(job.supply)} decide.")
        self.region.offer([(pack.key, pack.name) for pack in self._packs.values()])
        self.region.show_value(job.region)
        self.problem.hide()
        try:
            held = {item.rule.key: item for item in rules_of(job, library)}
        except PlanError as error:
            self._built = ()
            self._clear()
            self._show_text(str(error))
            return
        built = (self._packs[job.region], job.supply.phases, tuple(own.name for own in job.rules))
        # A field that is rebuilt would lose the focus, and what is typed in it.
        if built != self._built:
            self._built = built
            self._build(job)
        for key, (rule, source) in self._sources.items():
            self._fill(rule, source, held.get(key))
        for own, (field, source) in zip(job.rules, self._own_rows, strict=True):
            field.show_value(own.ratio_max)
            source.setText(f"{own.authority}, {own.clause}, {own.dated}; this job's own")

    def _clear(self):
        let_all_go(self._rows)
        for rows in (self.limits, self.own, self.why, self._sources, self._own_rows):
            rows.clear()

    def _build(self, job):
        self._clear()
        line = 0
        for rule in self._packs[job.region].rules:
            if rule.phases in {None, job.supply.phases}:
                self._add_rule(line, rule)
                line += 2
        for number, own in enumerate(job.rules):
            self._add_own(line, number, own.name)
            line += 2
        self._rows.setRowStretch(line, 1)
        spoken(self)

    def _fill(self, rule, source, item):
        """Shows one rule as it is in force; `item` is None where the job leaves it out."""
        source.setText(item.authority if item else f"{rule.summary}; left out")
        self.limits[rule.key].show_value(item.limit if item else None)
        change, why = self._change_of(rule), self.why[rule.key]
        why.setVisible(change is not None)
        if change is not None and not (why.hasFocus() and why.isModified()):
            why.setText(change.why)

    def _change_of(self, rule):
        return next((one for one in self._job.rule_changes if one.rule == rule.key), None)

    def _add_rule(self, line, rule):
        self._sources[rule.key] = rule, self._add_words(line, f"{rule.name} – {rule.applies_to}")
        unit = UNITS[rule.kind]
        field = QuantityField(f"Limit: {rule.name}", unit if unit == "m" else "", range_of(RuleChange, "limit"), 3)
        field.setFixedWidth(74)
        field.setToolTip(tip(f"{rule.name}: another number holds in this job only, empty leaves the rule out"))
        field.accepted.connect(lambda value: self._on_limit(rule, value))
        field.refused.connect(self._show_text)
        words = Label("" if unit == "m" else unit)
        words.setObjectName("quiet")
        self._rows.addWidget(field, line, 1)
        self._rows.addWidget(words, line, 2)
        self.limits[rule.key] = field
        why = self.why[rule.key] = QLineEdit()
        why.setAccessibleName(f"Why {rule.name} is another here")
        why.setPlaceholderText("why it is another here")
        why.editingFinished.connect(lambda: self._on_why(rule, why.text().strip()))
        self._rows.addWidget(why, line + 1, 1, 1, 2)

    def _add_own(self, line, number, name):
        source = self._add_words(line, name)
        span = replace(range_of(RatioRule, "ratio_max"), optional=True)
        field = QuantityField(f"Limit: {name}", "", span, 3)
        field.setFixedWidth(74)
        field.setToolTip(tip(f"{name}: belongs to this job and its region; empty takes it out"))
        field.accepted.connect(lambda value: self._on_own(number, value))
        field.refused.connect(self._show_text)
        unit = Label("kWp/kW")
        unit.setObjectName("quiet")
        self._rows.addWidget(field, line, 1)
        self._rows.addWidget(unit, line, 2)
        change = QPushButton("Change…")
        change.setObjectName("small")
        change.setAccessibleName(f"Change {name}")
        change.clicked.connect(lambda _=False: self._ask_own(number))
        self._rows.addWidget(change, line + 1, 1, 1, 2)
        self.own[name] = field
        self._own_rows.append((field, source))

    def _on_own(self, number, value):
        rules = self._job.rules
        own = rules[number]
        changed = () if value is None else (own.with_(ratio_max=value),)
        said = "taken out" if value is None else f"{value:g} kWp/kW"
        kept = (*rules[:number], *changed, *rules[number + 1 :])
        self.edited.emit(self._job.with_(rules=kept), f"{own.name}: {said}")

    def _ask_own(self, number):
        """A rule of this job alone, changed, or new where there is no number."""
        rules = self._job.rules
        own = rules[number] if number is not None else None
        title = own.name if own else "A rule of this job"
        dialog = FormDialog(title, own or FIRST_RULE, OWN_ROWS, self.window())
        if not dialog.exec() or dialog.result_model == own:
            return
        made = dialog.result_model
        kept = (*rules, made) if own is None else (*rules[:number], made, *rules[number + 1 :])
        self.edited.emit(self._job.with_(rules=kept), f"{made.name}: {made.ratio_max:g} kWp/kW")

    def _on_why(self, rule, text):
        change = self._change_of(rule)
        if change is None or text == change.why:
            return
        changes = tuple(one.with_(why=text) if one == change else one for one in self._job.rule_changes)
        self.edited.emit(self._job.with_(rule_changes=changes), "Why a rule is another here")

    def _add_words(self, line, name):
        """Lays a rule's name and, below it, the label of its source, which is returned."""
        title, source = Label(name), Label()
        title.setWordWrap(True)
        source.setWordWrap(True)
        source.setObjectName("quiet")
        source.setFont(font(8))
        self._rows.addWidget(title, line, 0)
        self._rows.addWidget(source, line + 1, 0)
        return source

    def _on_region(self, region):
        # What a loan or a rebate asks for in one place is nobody's rule in another.
        left = len(self._job.rules)
        job = self._job.with_(region=region, rule_changes=(), rules=())
        gone = f", without {left} of this job's own" if left else ""
        self.edited.emit(job, f"Rules: {self._packs[region].name}{gone}")

    def _on_limit(self, rule, value):
        rest = tuple(change for change in self._job.rule_changes if change.rule != rule.key)
        if value != rule.limit:
            before = self._change_of(rule)
            rest = (*rest, RuleChange(rule=rule.key, limit=value, why=before.why if before else ""))
        try:
            job = self._job.with_(rule_changes=rest)
        except ValidationError as error:
            self._show_text(f"{refused_words(error, Job)}.")
        else:
            summary = "left out" if value is None else f"{value:g}"
            self.edited.emit(job, f"{rule.name}: {summary}")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
