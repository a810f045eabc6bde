"""The bench Strings: a voltage ladder for every input, strings dragged by hand, the work of re-stringing."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
)

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.ladder_view import LadderView
from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, RichLabel, joined, rich, tip
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.planning.architecture.string_plan import (
    job_with_plan,
    plan_of,
    with_length,
    with_module_moved,
    with_module_on_input,
    with_string_moved,
)
from calm_relay.planning.strings.stringing import PLANNED, SURVEYED

SCHOOLS = (
    ("series-fuse rating", "by reverse current"),
    ("three strings up", "from three strings up"),
)
ORIGIN = {
    SURVEYED: "as wired today, by the survey",
    PLANNED: "laid by hand",
}
PARTS = (("works", "The work"), ("curves", "Current over voltage"))


class StringsBench(Bench):
    """Shows `planning.views.string_ladder`; dragging a module or a string is an edit like any other."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = None
        self._converter = None
        self.ladders = LadderView()
        self.ladders.module_dropped.connect(self._on_module)
        self.ladders.module_to_input.connect(self._on_module_to_input)
        self.ladders.string_to_input.connect(self._on_string)
        self.ladders.length_wanted.connect(self._on_length)
        self.ladders.chosen.connect(lambda _: self._draw_curves())
        self.summary = Label()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(9, strong=True))
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.unit = ChoiceField("Inverter whose strings are shown", width=14)
        self.unit.taken.connect(self._on_unit)
        self._number = 0
        self.lay = QPushButton("Let the planner lay them")
        self.lay.setObjectName("small")
        self.lay.clicked.connect(self._on_lay)
        self.school = ChoiceField("School of string fuses", SCHOOLS, width=12)
        self.school.taken.connect(self._on_school)
        self.tabs = Tabs(PARTS)
        self.tabs.chosen.connect(self._show_part)
        self.works = RichLabel()
        self.works.setWordWrap(True)
        self.works.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.works.setFont(font(9))
        self.curves = Chart("Current over voltage of the input in hand", "V", "A")
        self._lay_out()

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 12, 4)
        row.setSpacing(10)
        row.addWidget(self.ladders, 5)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self.unit)
        side.addWidget(self.summary)
        side.addWidget(self.problem)
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.addWidget(self.lay, 0, 0, 1, 2)
        fuses = Label("&Fuses")
        fuses.setBuddy(self.school)
        grid.addWidget(fuses, 1, 0)
        grid.addWidget(self.school, 1, 1)
        grid.setColumnStretch(1, 1)
        side.addLayout(grid)
        side.addWidget(self.tabs)
        self._parts = QStackedWidget()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.works)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setAccessibleName("The work on the strings")
        self._parts.addWidget(scroll)
        self._parts.addWidget(self.curves)
        side.addWidget(self._parts, 1)
        row.addLayout(side, 2)

    def show_job(self, job) -> None:
        """Shows the school of fuses."""
        self._job = job
        self.school.show_value(job.fuse_school)
        self.problem.hide()

    def show_view(self, view) -> None:
        """Draws the ladders and the work."""
        if not self.is_new(view):
            return
        self._view = view
        self._show_unit()

    def _show_unit(self):
        """Shows the strings of the inverter in hand."""
        view = self._view
        option = view.option
        units = view.built.design.pv_converters if view.built else ()
        converters = [converter for converter in units if converter.micro is None]
        self._number = min(self._number, max(len(converters) - 1, 0))
        self.unit.offer([(str(n), f"{n + 1}. {item.inverter.name}") for n, item in enumerate(converters)])
        self.unit.show_value(str(self._number))
        self.unit.setVisible(len(converters) > 1)
        self._converter = converters[self._number] if converters else None
        faces = {face.name: number for number, face in enumerate(view.plan.job.faces)}
        plan = None
        if self._converter is not None and self._converter.stringing.runs:
            plan = plan_of(self._converter.stringing, self._converter.inverter.key, self._converter.alike)
        self._plan = plan
        self.ladders.show_ladders(self._ladders(), plan, faces)
        there = option.context.temperatures
        self.ladders.setToolTip(
            tip(
                f"From: module and inverter datasheets; coldest cell: {there.cold_source}; hottest: {there.hot_source}"
            )
        )
        origin = ORIGIN.get(self._converter.stringing.origin, "laid by the planner") if self._converter else ""
        by_hand = self._converter is not None and self._converter.stringing.origin == PLANNED
        self.lay.setEnabled(by_hand)
        self.summary.setText(
            f"{self._converter.inverter.name}: {origin}" if self._converter else self._without(view.built)
        )
        self._show_works(option.findings, view.built)
        self._show_part(self.tabs.key)

    def _ladders(self):
        """Ladders of the inverter in hand; of all where every module has its own."""
        from calm_relay.planning.views.string_ladder import ladders_of

        built = self._view.built
        several = built is not None and self._converter is not None
        return ladders_of(self._view.option, built.design.converters.index(self._converter) if several else None)

    def _on_unit(self, number):
        self._number = int(number)
        self._show_unit()

    @staticmethod
    def _without(option):
        if option is None:
            return "This option cannot be built; the margin says why."
        return (
            "Every module has its own microinverter."
            if option.design.pv_converter
            else "No module hangs here yet."
        )

    def _show_works(self, findings, option):
        from calm_relay.planning.architecture.restring import restringing_of

        lines = []
        result = restringing_of(option.context, option.design) if option else None
        if result is not None:
            lines += [rich("<b>From {0.strings_before} strings to {0.strings_after}</b>", result), *result.steps]
        for converter in option.design.pv_converters if option else ():
            for item in converter.stringing.left_out:
                lines.append(f"Left out: {item.modules} modules of {item.face.plan.name}: {item.reason}.")
            lines += [f"Cannot be wired: {fault}." for fault in converter.stringing.faults]
        lines += [item.sentence for item in findings if item.check == "branch circuits"]
        if not lines and self._converter is not None and self._converter.stringing.origin == SURVEYED:
            lines = ["The strings stay as they are."]
        if self._plan is not None:
            lines.append("Drag a module to another string of its face, or a string by its words to another input.")
        self.works.setText(
            joined("<br>", (type(line)(line.replace("  ", "\u00a0\u00a0")) for line in lines if line))
        )

    def _show_part(self, key):
        self._parts.setCurrentIndex([name for name, _ in PARTS].index(key))
        if key == "curves":
            self._draw_curves()

    def _draw_curves(self):
        from calm_relay.planning.views.string_ladder import iv_curves

        if self.tabs.key != "curves" or self._view is None:
            return
        option, look = self._view.option, colours()
        self.curves.start()
        ladders = self._ladders()
        if not ladders:
            return
        ladder = ladders[self.ladders.column]
        result = iv_curves(option, ladder.converter, ladder.number)
        shades = (look.direct, look.light, look.muted)
        for curve, shade in zip(result, shades, strict=False):
            self.curves.line(curve.volts, curve.amps, shade)
            self.curves.line(
                [curve.best_v], [curve.best_v and curve.best_kw * 1000 / curve.best_v], shade, symbol="o"
            )
            self.curves.words(
                curve.volts[-1] * 0.02, curve.amps[0], f"{curve.label}: {curve.best_kw:.2f} kW", shade
            )
        title = f"{ladder.head}, best points marked"
        self.curves.head(title)
        if result:
            self.curves.setXRange(0, max(c.volts[-1] for c in result) * 1.04, padding=0)
            self.curves.setYRange(0, max(c.amps[0] for c in result) * 1.15, padding=0)

    def _on_module(self, source, target):
        self._try(lambda: with_module_moved(self._plan, source, target), "Module to another string")

    def _on_module_to_input(self, source, number):
        self._try(lambda: with_module_on_input(self._plan, source, number), f"Module to input {number}")

    def _on_string(self, source, number):
        self._try(lambda: with_string_moved(self._plan, source, number), f"String to input {number}")

    def _on_length(self, source, modules):
        face = self._plan.strings[source].face
        self._try(lambda: with_length(self._plan, source, modules), f"{face}: string of {modules}")

    def _try(self, make, label):
        try:
            job = job_with_plan(self._job, self._view.option.design, make())
        except ValueError as error:
            self.problem.setText(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            self.problem.show()
        else:
            self.edited.emit(job, label)

    def _on_lay(self):
        job = self._job.with_string_plan(self._converter.inverter.key, None, self._converter.alike)
        self.edited.emit(job, "Strings laid by the planner")

    def _on_school(self, school):
        self.edited.emit(self._job.with_(fuse_school=school), f"Fuses {dict(SCHOOLS)[school]}")
