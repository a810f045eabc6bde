"""The bench Choice: the verdict, the options on common scales, what is asked for, and the reasons."""

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.benches.battery_panel import BatteryPanel
from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.cost_list import CostList
from calm_relay.desk.benches.purposes_panel import PurposesPanel
from calm_relay.desk.charts.paths_picture import PathsPicture
from calm_relay.desk.charts.scale_picture import ScalePicture
from calm_relay.desk.charts.tips_picture import TipsPicture
from calm_relay.desk.dialogs.costs_dialog import CostsDialog
from calm_relay.desk.widgets.figures_grid import FiguresGrid
from calm_relay.desk.widgets.label import Label, RichLabel, joined, rich, tip
from calm_relay.desk.widgets.let_go import let_all_go
from calm_relay.desk.widgets.page_stack import PageStack
from calm_relay.desk.widgets.scrolled import Column
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.desk.widgets.wording import keep_units

# Options that the steadiness names, and from which share on.
NAMED, WORTH_SAYING = 3, 0.01
FUTURES = "through the same uncertain futures: light, losses, demand, prices, fading, installed price"

SCALES = {
    "measures": "Measures",
    "purposes": "Purposes",
    "energies": "Energies",
    "losses": "Losses",
    "costs": "Costs",
    "paths": "Paths",
    "wall": "On the wall",
    "tips": "Tipping points",
}


def _tips(plan, option, progress):
    from calm_relay.planning.studies.tipping import tips_of

    return tips_of(plan, progress)


def _energies(plan, option, progress):
    from calm_relay.planning.views.scales import energy_scales_of

    progress(0.0, "Looking at what is clipped")
    return energy_scales_of(plan)


def _futures(plan, option, progress):
    from calm_relay.planning.studies.futures import futures_of

    return futures_of(plan, plan.option(plan.choice.key), progress)


def source_of(plan) -> str:
    """What weather and demand of a plan rest on."""
    weather = plan.site.source[:1].upper() + plan.site.source[1:]
    return f"{weather}. Home: {plan.demand.source}."


def _steadiness(plan) -> str:
    """In how many weightings round the user's own the first options fit best."""
    titles = {option.key: option.title for option in plan.live}
    first = sorted(plan.choice.holds.items(), key=lambda item: -item[1])[:NAMED]
    held = [f"{titles[key]} {share:.0%}" for key, share in first if share >= WORTH_SAYING]
    return f"In 1,000 weightings round yours fits best: {', '.join(held)}. " if held else ""


class ChoiceBench(Bench):
    """Shows a plan's choice, and edits battery, weights and prices.

    Signals
    -------
    costs_kept : object, object
        Costs that are to become the firm's list, and a function that is told whether they did.
    """

    costs_kept = Signal(object, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.verdict = Label("Planning the job …")
        self.verdict.setFont(font(12, strong=True))
        self.verdict.setWordWrap(True)
        self.verdict.setAccessibleName("Verdict")
        self.footnote = Label("")
        self.footnote.setObjectName("quiet")
        self.footnote.setWordWrap(True)
        self.footnote.setFont(font(8.5))
        self.futures = QPushButton("How sure?")
        self.futures.setObjectName("small")
        self.futures.setToolTip(f"Takes the option that fits best, and the next three, {FUTURES}")
        self.futures.clicked.connect(lambda _=False: self.try_futures())
        self.scales = ScalePicture()
        self.costs = CostList()
        self.costs.prices.clicked.connect(lambda _=False: self.open_costs())
        self.paths = PathsPicture()
        self.tips = TipsPicture()
        self.wall = RichLabel()
        self.wall.setWordWrap(True)
        self.wall.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.wall.setAccessibleName("Units on the wall, what fails with each, and the school the option follows")
        self.known = FiguresGrid()
        self._pages = PageStack()
        self._wall = QWidget()
        on_wall = QVBoxLayout(self._wall)
        on_wall.setContentsMargins(0, 0, 6, 0)
        for part in (self.wall, self.costs):
            on_wall.addWidget(part)
        on_wall.addStretch(1)
        begun = QWidget()
        column = QVBoxLayout(begun)
        column.setContentsMargins(0, 0, 6, 0)
        head = Label("Known already")
        head.setFont(font(10.5, strong=True))
        column.addWidget(head)
        column.addWidget(self.known)
        column.addStretch(1)
        self._begun = begun
        for page in (self.scales, self.paths, self.tips, self._wall, begun):
            self._pages.addWidget(page)
        self._result = {}
        self.battery = BatteryPanel(brief=True)
        self.battery.item_wanted.connect(self.item_wanted)
        self.purposes = PurposesPanel()
        self.battery.edited.connect(self.edited)
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
        under = QHBoxLayout()
        under.addWidget(self.footnote, 1)
        under.addWidget(self.futures, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(under)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 6, 0, 0)
        middle.setSpacing(24)
        left = QVBoxLayout()
        left.setSpacing(4)
        which = QGridLayout()
        which.setSpacing(4)
        for number, (key, text) in enumerate(SCALES.items()):
            button = QPushButton(text)
            button.setObjectName("small")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setChecked(key == self._scales)
            button.clicked.connect(lambda _=False, key=key: self.choose_scales(key))
            which.addWidget(button, *divmod(number, 4))
            self.which[key] = button
        left.addLayout(which)
        pages = QScrollArea()
        pages.setWidgetResizable(True)
        pages.setWidget(self._pages)
        pages.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        pages.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        left.addWidget(pages, 1)
        middle.addLayout(left, 5)
        held = QWidget()
        inputs = QVBoxLayout(held)
        inputs.setContentsMargins(0, 0, 6, 0)
        inputs.setSpacing(9)
        for panel in (self.battery, self.purposes):
            # Fields keep their height; where the window is low they scroll.
            panel.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
            inputs.addWidget(panel)
        inputs.addStretch(1)
        self._fields = Column(held)
        self._fields.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        middle.addWidget(self._fields, 3)
        column.addLayout(middle, 5)
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
        scroll.setMinimumHeight(118)
        column.addWidget(scroll, 2)
        self._below = rule, scroll

    def show_job(self, job) -> None:
        """Shows the job's inputs."""
        self._job = job
        self.battery.show_job(job, self.library.equipment_for(job))
        self.purposes.show_job(job)

    def open_costs(self) -> None:
        """Opens the price list of the job."""
        job = self._job
        dialog = self.dialog = CostsDialog(
            job.costs, job.tariff.currency, self.library.costs, self._keep_costs, self.window()
        )
        dialog.accepted.connect(lambda: self.edited.emit(job.with_(costs=dialog.costs), "Prices and labour"))
        dialog.open()

    def _keep_costs(self, costs):
        wanted = []
        self.costs_kept.emit(costs, wanted.append)
        return bool(wanted and wanted[0])

    def show_view(self, view) -> None:
        """Shows a plan with the option in view."""
        if not self.is_new(view):
            return
        if self._view is None or self._view.plan is not view.plan:
            self._result = {}
        self._view = view
        plan, option = view.plan, view.option
        self.verdict.setText(keep_units(plan.choice.sentence))
        self.verdict.setToolTip(tip(f"From: the weights below, and the simulated year, {plan.site.source}"))
        self._show_footnote()
        built = view.built
        for part in (*self.which.values(), *self._below):
            part.setVisible(not plan.job.wanted)
        if plan.job.wanted:
            self._show_begun(plan)
            return
        self.costs.show_costs(view.letter, built.outcome if built else None, plan.job.tariff.currency)
        self._show_scales()
        self._show_reasons(plan, option, view.letter)

    def _show_footnote(self):
        """What decides most, how steady the verdict is under other weights and in other futures, and its source."""
        plan = self._view.plan
        found = self._result.get("choice-futures")
        able = plan.choice.key is not None
        self.futures.setVisible(able and found is None)
        self.futures.setEnabled("choice-futures" not in self._result)
        # A verdict that is clear names it itself.
        decides = plan.choice.close and plan.choice.deciding
        deciding = f"What decides most: {plan.choice.deciding.lower()}. " if decides else ""
        sure = f"By money alone: {found.sentence} " if found is not None else ""
        said = f"{deciding}{_steadiness(plan)}{sure}{source_of(plan)}"
        self.footnote.setText("" if plan.job.wanted else said)

    def try_futures(self) -> None:
        """Has the option that fits best, and the next, live through the same uncertain futures."""
        if self._view is not None and self._view.plan.choice.key is not None:
            self._asked("choice-futures", _futures)
            self._show_footnote()

    def _show_begun(self, plan):
        """What is known of a job before there is a verdict, in place of scales and reasons."""
        from calm_relay.planning.views.begun import known_of

        self.known.show_figures(known_of(plan))
        self._pages.setCurrentWidget(self._begun)
        self._pages.updateGeometry()
        self._clear_reasons()

    def forget(self) -> None:
        """What was asked for and called off will be asked for again."""
        super().forget()
        self._result = {key: result for key, result in self._result.items() if result is not None}
        if self._view is not None:
            self._show_footnote()

    def show_kept(self, sentence: str, source: str) -> None:
        """Shows the verdict that the job had last time, until the new plan has come."""
        self.verdict.setText(keep_units(sentence))
        self.footnote.setText(f"As planned last time; it is being planned anew. {source}")

    def show_problem(self, problem: str) -> None:
        """Shows why there is no verdict."""
        self.verdict.setText(problem)

    def focus_first(self) -> None:
        """Gives the focus to the battery."""
        self.battery.pack.setFocus()

    def focus_question(self) -> None:
        """Gives the focus to what the battery is for."""
        next(iter(self.purposes.sliders.values())).setFocus()

    def show_question(self) -> None:
        """Brings what the battery is for into view."""
        # The questions above have just taken room; where things stand is known when they are laid out.
        QTimer.singleShot(0, self.purposes, lambda: self._fields.verticalScrollBar().setValue(self.purposes.y()))

    @property
    def settled(self) -> bool:
        """Whether the scales in view have come."""
        return None not in self._result.values()

    def choose_scales(self, key: str) -> None:
        """Puts measures, purposes, energies, losses, costs, paths, units or tipping points in view."""
        self._scales = key
        self.which[key].setChecked(True)
        if self._view is not None and not self._view.plan.job.wanted:
            self._show_scales()

    def show_study(self, key: str, result) -> None:
        """Takes what was asked for the present plan."""
        if key in {"choice-tips", "choice-energies"}:
            self._result[key] = result
            if not self._view.plan.job.wanted:
                self._show_scales()
        elif key == "choice-futures":
            self._result[key] = result
            self._show_footnote()

    def _show_scales(self):
        view, key = self._view, self._scales
        page = {"paths": self.paths, "tips": self.tips, "wall": self._wall}.get(key, self.scales)
        self._pages.setCurrentWidget(page)
        self._pages.updateGeometry()
        if key == "paths":
            built = view.built
            self.paths.show_paths(built.outcome.paths if built else None, view.letter, view.plan.site.source)
        elif key == "wall":
            self._show_wall()
        elif key == "tips":
            self._show_tips()
        else:
            self._show_rows(key)

    def _show_rows(self, key):
        from calm_relay.planning.views.scales import (
            compared,
            cost_scales_of,
            loss_scales_of,
            purpose_scales_of,
            scales_of,
        )

        plan = self._view.plan
        made = {
            "measures": scales_of,
            "losses": loss_scales_of,
            "costs": cost_scales_of,
            "purposes": purpose_scales_of,
        }
        scales = made[key](plan) if key in made else self._asked("choice-energies", _energies) or ()
        shown = self._view.shown
        self.scales.show_scales(scales, self._view.letters, shown, plan.assumed_note, compared(plan, shown, 4))

    def _asked(self, key, function):
        """A study's result; where there is none yet it is asked for."""
        if key not in self._result:
            self._result[key] = None
            self.study_wanted.emit(key, function)
        return self._result[key]

    def _show_tips(self):
        plan = self._view.plan
        tips = self._asked("choice-tips", _tips)
        keys = [option.key for option in plan.options]
        letters = dict(zip(keys, self._view.letters, strict=True))
        word = "" if tips is not None else "Turning each figure until another option fits best …"
        if tips is not None and not tips.tips:
            word = "There is nothing to overtake: fewer than two options can be built."
        self.tips.show_tips(tips, letters, word)

    def _show_wall(self):
        from calm_relay.planning.architecture.coupling import coupling_facts

        option = self._view.built
        if option is None:
            school = self._view.option.refusal.architecture.school
            self.wall.setText(rich("<b>School:</b> {}.<br>It cannot be built here.", school))
            return
        facts = coupling_facts(option.design, self._view.plan.job)
        rows = joined(
            "",
            [
                rich(
                    "<tr><td style='padding-right:14px'><b>{}</b>{}</td>"
                    "<td style='padding-bottom:5px'>if it fails: {}</td></tr>",
                    unit.name,
                    "" if unit.is_new else " (there today)",
                    unit.fails,
                )
                for unit in facts.units
            ],
        )
        limit = option.outcome.limit
        evening = f"{limit.power_kw:.1f} kW, limited by the {limit.limited_by}" if limit else "nothing"
        self.wall.setText(
            keep_units(
                rich(
                    "<p><b>School:</b> {}.</p><table>{}</table><p><b>Work on the roof:</b> {}.</p>"
                    "<p><b>The operator adds up:</b> {}.</p><p><b>In the evening the battery gives:</b> {}.</p>",
                    facts.school,
                    rows,
                    facts.roof_work,
                    facts.counted,
                    evening,
                )
            )
        )
        self.wall.setToolTip("From: datasheets, the job's survey, common practice")

    def _show_reasons(self, plan, option, letter):
        self._clear_reasons()
        title = f"{letter}  {option.title}"
        if self._view.built is None:
            self._head(f"{title}: cannot be built", 0, colours().stop)
            self._list(option.refusal.reasons, 0, "−")
            return
        reasons = plan.choice.reasons[option.key]
        self._head(f"{title}: for", 0, colours().ok)
        self._head("against", 1, colours().check)
        self._list([reason.sentence for reason in reasons if reason.speaks_for], 0, "+")
        self._list([reason.sentence for reason in reasons if not reason.speaks_for], 1, "−")

    def _clear_reasons(self):
        let_all_go(self._reasons)

    def _head(self, text, column, colour):
        label = Label(text)
        label.setFont(font(9.5, strong=True))
        label.setStyleSheet(f"color: {colour};")
        self._reasons.addWidget(label, 0, column)

    def _list(self, sentences, column, sign):
        rows = [
            rich(
                "<tr><td style='padding-right:7px'>{}</td><td style='padding-bottom:3px'>{}</td></tr>",
                sign,
                keep_units(sentence),
            )
            for sentence in sentences
        ]
        label = RichLabel(rich("<table>{}</table>", joined("", rows)) if rows else "Nothing that weighs.")
        label.setWordWrap(True)
        label.setAlignment(Qt.AlignmentFlag.AlignTop)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        label.setAccessibleName("against" if column else "for")
        label.setAccessibleDescription(" ".join(sentences))
        self._reasons.addWidget(label, 1, column, Qt.AlignmentFlag.AlignTop)
