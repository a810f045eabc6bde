"""The bench Pinned: options kept under a name stand beside each other, each with its own battery and units."""

from functools import partial
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.charts.scale_picture import ScalePicture
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.let_go import let_all_go
from calm_relay.desk.widgets.theme import font
from calm_relay.job.model import Job
from calm_relay.planning.common.refused import refused_words

MOST = 5


class PinnedBench(Bench):
    """Shows `planning.studies.pinned`; pins are named, taken up as the present battery, and removed here."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = self.result = None
        self._stale = False
        self.pin = QPushButton("&Pin the option in view")
        self.pin.clicked.connect(lambda _=False: self.pin_view())
        self.summary = Label()
        self.summary.setWordWrap(True)
        self.summary.setFont(font(10, strong=True))
        self.names: list[QLineEdit] = []
        self.units: list[Label] = []
        self.takes: list[QPushButton] = []
        self.removes: list[QPushButton] = []
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(8)
        self._rows.setVerticalSpacing(3)
        self._rows.setColumnStretch(2, 1)
        self.scales = ScalePicture()
        self.scales.setAccessibleName("Pinned options on common scales")
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.addLayout(self._rows)
        column.addWidget(self.scales)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        scroll.setAccessibleName("Pinned options")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 10, 14, 8)
        whole.addWidget(self.summary)
        whole.addWidget(self.pin, 0, Qt.AlignmentFlag.AlignLeft)
        whole.addWidget(scroll, 1)
        whole.addWidget(self.problem)
        self.pin.setObjectName("small")

    @property
    def settled(self) -> bool:
        """Whether the pins of the present plan are shown."""
        return not self._stale

    def show_job(self, job) -> None:
        """Shows the pins' names."""
        before, self._job = self._job, job
        self.pin.setEnabled(len(job.pinned) < MOST)
        if before is None or before.pinned != job.pinned:
            self._make_rows(job)
        self.problem.hide()

    def _make_rows(self, job):
        let_all_go(self._rows)
        self.names, self.units, self.takes, self.removes = [], [], [], []
        for number, pin in enumerate(job.pinned):
            letter = Label(str(number + 1))
            letter.setFont(font(9, strong=True))
            name = QLineEdit(pin.name)
            name.setAccessibleName(f"Name of pin {number + 1}")
            name.setFixedWidth(256)
            name.setCursorPosition(0)
            name.editingFinished.connect(
                lambda number=number, name=name: self._rename(number, name.text().strip())
            )
            words = Label(self._words(pin))
            words.setObjectName("quiet")
            words.setWordWrap(True)
            take, gone = QPushButton("Take up"), QPushButton("Remove")
            take.setToolTip("Its battery and units become those of the job")
            for button, what in ((take, "Take up"), (gone, "Remove")):
                button.setObjectName("small")
                button.setAccessibleName(f"{what} {pin.name}")
            take.clicked.connect(lambda _=False, number=number: self._take(number))
            gone.clicked.connect(lambda _=False, number=number: self._remove(number))
            for column, widget in enumerate((letter, name, words, take, gone)):
                self._rows.addWidget(widget, number, column)
            self.names.append(name)
            self.units.append(words)
            self.takes.append(take)
            self.removes.append(gone)

    def _words(self, pin):
        equipment = self.library.equipment_for(self._job)
        names = {
            item.key: item.name for item in (*equipment.inverters, *equipment.packs, *equipment.microinverters)
        }
        battery = pin.battery
        units = (battery.hybrid, battery.battery_inverter, battery.string_inverter, battery.microinverter)
        stated = [names.get(key, key) for key in units if key]
        packs = f"{battery.units * battery.stacks * battery.count} × {names.get(battery.pack, battery.pack)}"
        return ", ".join([packs, *stated])

    def show_view(self, view) -> None:
        """Asks for the pins of a new plan."""
        first = self._seen is None
        if not self.is_new(view):
            return
        self._view = view
        self.pin.setText(f"&Pin “{view.option.title}” as it stands")
        self.pin.setEnabled(view.built is not None and len(self._job.pinned) < MOST)
        if not view.plan.job.pinned:
            self._stale = False
            self.scales.hide()
            self.summary.setText(
                "Nothing is pinned yet. Put an option in view and pin it; then change the battery and pin another."
            )
            return
        self._stale = True
        if first:
            self.scales.hide()
            self.summary.setText("Planning each pin …")
        session = getattr(self.window(), "session", None)
        self.study_wanted.emit("pinned", partial(_studied, session.folder if session else Path.cwd()))

    def show_study(self, key: str, result) -> None:
        """Draws the pins on common scales."""
        if key != "pinned":
            return
        from calm_relay.planning.studies.pinned import new_units
        from calm_relay.planning.views.scales import scales_of

        self.result, self._stale = result, False
        keys = [option.key for option in result.plan.options]
        shown = keys.index(result.plan.choice.key) if result.plan.choice.key in keys else 0
        self.scales.show()
        # A pin keeps its number where another before it cannot be built.
        pins = [pin.name for pin in result.plan.job.pinned]
        # Letters are those of the options.
        letters = ["A", *(str(pins.index(name) + 1) for name in result.names[1:])]
        for name, option in zip(result.names[1:], result.plan.options[1:], strict=True):
            self.units[pins.index(name)].setText(new_units(option))
        self.scales.show_scales(scales_of(result.plan), letters, shown, result.plan.assumed_note)
        refused = "".join(f" {name} cannot be built: {reasons}." for name, reasons in result.refused)
        self.summary.setText(f"{result.plan.choice.sentence}{refused}")

    def pin_view(self) -> None:
        """Pins the option in view with its present units."""
        from calm_relay.planning.studies.pinned import free_name, pin_of

        if self._view is None or self._view.built is None or len(self._job.pinned) >= MOST:
            return
        option = self._view.built
        packs = (
            f"{option.design.battery_converter.bank.nominal_kwh:g} kWh" if option.design.battery_converter else ""
        )
        pin = pin_of(option, free_name(self._job, f"{option.title}, {packs}".rstrip(", ")))
        self.edited.emit(self._job.with_(pinned=(*self._job.pinned, pin)), f"Pinned: {pin.name}")

    def _rename(self, number, name):
        pin = self._job.pinned[number]
        if name == pin.name:
            return
        pins = list(self._job.pinned)
        try:
            pins[number] = pin.with_(name=name)
            job = self._job.with_(pinned=tuple(pins))
        except ValidationError as error:
            self.names[number].setText(pin.name)
            self.problem.setText(f"{refused_words(error, Job)}.")
            self.problem.show()
        else:
            self.edited.emit(job, f"{pin.name} is called {name}")

    def _take(self, number):
        pin = self._job.pinned[number]
        self.option_wanted.emit(pin.option)
        self.edited.emit(self._job.with_(battery=pin.battery), f"Taken up: {pin.name}")

    def _remove(self, number):
        pin = self._job.pinned[number]
        rest = tuple(other for other in self._job.pinned if other is not pin)
        self.edited.emit(self._job.with_(pinned=rest), f"{pin.name} no longer pinned")


def _studied(folder, plan, option, progress):
    from calm_relay.planning.studies.pinned import pinned_of

    return pinned_of(plan, folder, progress)
