"""The bench Choice: the verdict, the options on common scales, what is asked for, and the reasons."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.bench import Bench
from calm_relay.desk.cost_list import CostList
from calm_relay.desk.purposes_panel import PurposesPanel
from calm_relay.desk.scale_picture import ScalePicture
from calm_relay.desk.store_panel import StorePanel
from calm_relay.desk.theme import colours, font
from calm_relay.desk.wording import keep_units

SCALES = {"measures": "Measures", "losses": "Loss by loss", "costs": "Cost by cost"}


class ChoiceBench(Bench):
    """Shows a plan's choice, and edits battery and weights."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.verdict = QLabel("Planning the job …")
        self.verdict.setFont(font(12, strong=True))
        self.verdict.setWordWrap(True)
        self.verdict.setAccessibleName("Verdict")
        self.footnote = QLabel("")
        self.footnote.setObjectName("quiet")
        self.footnote.setWordWrap(True)
        self.footnote.setFont(font(8.5))
        self.scales = ScalePicture()
        self.store = StorePanel()
        self.purposes = PurposesPanel()
        self.costs = CostList()
        self.store.edited.connect(self.edited)
        self.purposes.edited.connect(self.edited)
        self._reasons = QGridLayout()
        self._scales = "measures"
        self._view = None
        self.which: dict[str, QPushButton] = {}
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 14, 4)
        column.setSpacing(7)
        column.addWidget(self.verdict)
        column.addWidget(self.footnote)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 6, 0, 0)
        middle.setSpacing(24)
        left = QVBoxLayout()
        left.setSpacing(4)
        which = QHBoxLayout()
        which.setSpacing(5)
        for key, text in SCALES.items():
            button = QPushButton(text)
            button.setObjectName("small")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setChecked(key == self._scales)
            button.clicked.connect(lambda _=False, key=key: self.choose_scales(key))
            which.addWidget(button)
            self.which[key] = button
        which.addStretch(1)
        left.addLayout(which)
        left.addWidget(self.scales)
        left.addStretch(1)
        middle.addLayout(left, 5)
        inputs = QVBoxLayout()
        inputs.setSpacing(9)
        inputs.addWidget(self.store)
        inputs.addWidget(self.purposes)
        inputs.addWidget(self.costs)
        inputs.addStretch(1)
        middle.addLayout(inputs, 3)
        column.addLayout(middle)
        rule = QFrame()
        rule.setObjectName("rule")
        rule.setFixedHeight(1)
        column.addWidget(rule)
        inside = QWidget()
        inside.setLayout(self._reasons)
        self._reasons.setContentsMargins(0, 0, 6, 0)
        self._reasons.setHorizontalSpacing(22)
        self._reasons.setVerticalSpacing(4)
        self._reasons.setColumnStretch(0, 1)
        self._reasons.setColumnStretch(1, 1)
        self._reasons.setRowStretch(2, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setAccessibleName("Reasons for and against the option in view")
        column.addWidget(scroll, 1)

    def show_job(self, job) -> None:
        """Shows the job's inputs."""
        self.store.show_job(job)
        self.purposes.show_job(job)

    def show_view(self, view) -> None:
        """Shows a plan with the option in view."""
        if not self.is_new(view):
            return
        self._view = view
        plan, option = view.plan, view.option
        self.verdict.setText(plan.choice.sentence)
        self.verdict.setToolTip(f"From: the weights below, and the simulated year, {plan.site.source}")
        telling = f"What tells most: {plan.choice.telling.lower()}. " if plan.choice.telling else ""
        source = plan.site.source[:1].upper() + plan.site.source[1:]
        self.footnote.setText(f"{telling}{source}. Home: {plan.demand.source}.")
        self._show_scales()
        self.costs.show_costs(view.letter, option.outcome, plan.job.tariff.currency)
        self._show_reasons(plan, option, view.letter)

    def choose_scales(self, key: str) -> None:
        """Puts measures, losses or costs on the scales."""
        self._scales = key
        self.which[key].setChecked(True)
        if self._view is not None:
            self._show_scales()

    def _show_scales(self):
        from calm_relay.planning.scales import cost_scales_of, loss_scales_of, scales_of

        plan = self._view.plan
        made = {"measures": scales_of, "losses": loss_scales_of, "costs": cost_scales_of}[self._scales]
        self.scales.show_scales(made(plan), self._view.letters, self._view.shown, plan.assumed_note)

    def _show_reasons(self, plan, option, letter):
        while self._reasons.count():
            self._reasons.takeAt(0).widget().deleteLater()
        title = f"{letter}  {option.design.title}"
        if option.outcome is None:
            self._head(f"{title}: cannot be built", 0, colours().stop)
            self._list(option.design.refused, 0, "−")
            return
        reasons = plan.choice.reasons[option.design.key]
        self._head(f"{title}: for", 0, colours().hold)
        self._head("against", 1, colours().watch)
        self._list([reason.sentence for reason in reasons if reason.speaks_for], 0, "+")
        self._list([reason.sentence for reason in reasons if not reason.speaks_for], 1, "−")

    def _head(self, text, column, colour):
        label = QLabel(text)
        label.setFont(font(9.5, strong=True))
        label.setStyleSheet(f"color: {colour};")
        self._reasons.addWidget(label, 0, column)

    def _list(self, sentences, column, sign):
        text = "".join(
            f"<tr><td style='padding-right:7px'>{sign}</td><td style='padding-bottom:3px'>{sentence}</td></tr>"
            for sentence in map(keep_units, sentences)
        )
        label = QLabel(f"<table>{text}</table>" if text else "Nothing that weighs.")
        label.setWordWrap(True)
        label.setAlignment(Qt.AlignmentFlag.AlignTop)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        label.setAccessibleName("against" if column else "for")
        label.setAccessibleDescription(" ".join(sentences))
        self._reasons.addWidget(label, 1, column, Qt.AlignmentFlag.AlignTop)
