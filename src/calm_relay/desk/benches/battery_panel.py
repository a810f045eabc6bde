"""The battery under discussion: pack, count, reserve, and the window in which it may be charged from the grid."""

from pydantic import ValidationError
from PySide6.QtCore import QSignalBlocker, QTime, Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QPushButton, QTimeEdit, QWidget

from calm_relay.desk.dialogs.control_dialog import PLACE_ROWS, ControlDialog
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.desk.widgets.theme import font
from calm_relay.job.control import GridCharge
from calm_relay.job.equipment import Catalogue
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job, PlannedBattery
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.operation.controls import usual_charge

CLOCK = "HH:mm"


class BatteryPanel(QWidget):
    """Edits `Job.battery`; emits `edited` with the new job and the edit's name.

    A `brief` one leaves units and expansions out.
    """

    edited = Signal(object, str)
    item_wanted = Signal(str, object)

    def __init__(self, parent=None, *, brief: bool = False):
        super().__init__(parent)
        self._brief = brief
        self._job: Job | None = None
        # What was unticked stands ready to be ticked again.
        self._put_out: tuple[GridCharge, ...] = ()
        self.pack = ChoiceField("Battery pack", width=18)
        self.count = RangedSpin("How many packs", " ×", range_of(PlannedBattery, "count"))
        self.reserve = RangedSpin(
            "Reserve kept for an outage", "%", range_of(PlannedBattery, "reserve").times(100)
        )
        self.charge = QCheckBox("Charge from the grid")
        self.start, self.end = QTimeEdit(), QTimeEdit()
        self.target = RangedSpin(
            "State of charge at which filling stops", "%", range_of(GridCharge, "target").times(100)
        )
        self.limit = QuantityField("Most power drawn to fill", "kW", range_of(GridCharge, "limit_kw"))
        self.units = RangedSpin("Battery units side by side", " ×", range_of(PlannedBattery, "units"), self)
        self.expansions = RangedSpin(
            "Packs that add energy only, on each unit", " ×", range_of(PlannedBattery, "expansions"), self
        )
        self.stacks = RangedSpin("Stacks in parallel on a unit", " ×", range_of(PlannedBattery, "stacks"), self)
        self.units.setVisible(not brief)
        self.stacks.setVisible(not brief)
        self.expansions.setVisible(not brief)
        self.control = QPushButton("Control…")
        self.place = QPushButton("Place…")
        self.problem = Label()
        self._lay_out()
        self.pack.taken.connect(self._on_pack)
        self.pack.new_wanted.connect(lambda: self.item_wanted.emit("packs", self._on_pack))
        self.count.accepted.connect(self._on_count)
        self.reserve.accepted.connect(self._on_reserve)
        self.charge.toggled.connect(self._on_charge)
        for editor in (self.start, self.end):
            editor.setDisplayFormat(CLOCK)
            editor.setKeyboardTracking(False)
            editor.timeChanged.connect(self._on_window)
        self.target.accepted.connect(self._on_window)
        self.limit.accepted.connect(self._on_window)
        self.stacks.accepted.connect(lambda n: self._change(f"Stacks {self._job.battery.stacks} to {n}", stacks=n))
        self.units.accepted.connect(lambda n: self._change(f"Units {self._job.battery.units} to {n}", units=n))
        self.expansions.accepted.connect(
            lambda n: self._change(f"Expansions {self._job.battery.expansions} to {n}", expansions=n)
        )
        self.control.clicked.connect(lambda _=False: self._ask_control())
        self.place.clicked.connect(lambda _=False: self._ask_place())
        for field in (self.count, self.reserve, self.target, self.limit, self.stacks, self.units, self.expansions):
            field.refused.connect(self._show_text)

    def _lay_out(self):
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        title = Label("Battery")
        title.setFont(font(10.5, strong=True))
        grid.addWidget(title, 0, 0, 1, 4)
        self._pair(grid, 1, 0, "&Pack", self.pack, span=3)
        self._pair(grid, 2, 0, "Co&unt", self.count)
        self._pair(grid, 2, 2, "&Reserve", self.reserve)
        grid.addWidget(self.charge, 3, 0, 1, 2)
        self._pair(grid, 3, 2, "up &to", self.target)
        self._pair(grid, 4, 0, "fro&m", self.start)
        self._pair(grid, 4, 2, "u&ntil", self.end)
        self._pair(grid, 5, 0, "at mo&st", self.limit)
        if not self._brief:
            self._pair(grid, 5, 2, "Stac&ks", self.stacks)
            self._pair(grid, 6, 0, "Unit&s", self.units)
            self._pair(grid, 6, 2, "E&xpansions", self.expansions)
        for column, button, summary in (
            (0, self.control, "Every window, exporting, peak shaving, two batteries, time clock"),
            (2, self.place, "Where the battery stands: cold, heat, water"),
        ):
            button.setObjectName("small")
            button.setToolTip(tip(summary))
            button.setAccessibleDescription(summary)
            grid.addWidget(button, 7, column, 1, 2)
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        grid.addWidget(self.problem, 8, 0, 1, 4)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.charge.setAccessibleName("Charge the battery from the grid in a daily window")
        self.start.setAccessibleName("Window opens, local clock")
        self.end.setAccessibleName("Window closes, local clock")

    @staticmethod
    def _pair(grid, row, column, text, editor, span=1):
        label = Label(text)
        label.setBuddy(editor)
        grid.addWidget(label, row, column)
        grid.addWidget(editor, row, column + 1, 1, span)

    def show_job(self, job: Job, equipment: Catalogue) -> None:
        """Shows a job's battery without emitting edits."""
        if self._job is not None and (job.customer, job.site) != (self._job.customer, self._job.site):
            self._put_out = ()
        self._equipment = equipment
        self._job = job
        battery = job.battery
        blockers = [QSignalBlocker(widget) for widget in self._editors()]
        entries = [
            (pack.key, f"{pack.name} · {pack.chemistry} · {pack.nominal_kwh:g} kWh")
            for pack in equipment.packs
            if pack.expansion_of is None or pack.key == battery.pack
        ]
        self.pack.offer(entries, new=True)
        self.pack.show_value(battery.pack)
        pack = self._pack_of(battery.pack)
        self.count.limit_to(*((pack.count_min, pack.count_max) if pack else (1, 64)))
        self.count.show_value(battery.count)
        self.reserve.show_value(round(battery.reserve * 100))
        self.stacks.limit_to(1, max(pack.stacks_max if pack else 16, battery.stacks))
        self.stacks.setEnabled(pack is None or pack.stacks_max > 1 or battery.stacks > 1)
        self.stacks.show_value(battery.stacks)
        self.units.show_value(battery.units)
        extra = self._expansion_of(battery.pack)
        self.expansions.limit_to(0, extra.count_max if extra else 0)
        self.expansions.setEnabled(extra is not None or battery.expansions > 0)
        self.expansions.show_value(battery.expansions)
        self.charge.setChecked(battery.first_window is not None)
        window = battery.first_window or next(iter(self._put_out), usual_charge(job.tariff))
        self.start.setTime(QTime.fromString(window.start, CLOCK))
        self.end.setTime(QTime.fromString(window.end, CLOCK))
        self.target.show_value(round(window.target * 100))
        self.limit.show_value(window.limit_kw)
        on_grid = job.supply.on_grid
        self.charge.setEnabled(on_grid)
        # Windows, exports and shaving are orders at a meter.
        self.control.setEnabled(on_grid)
        for editor in (self.start, self.end, self.target, self.limit):
            editor.setEnabled(on_grid and battery.first_window is not None)
        self.problem.hide()
        del blockers

    def _editors(self):
        spins = self.count, self.reserve, self.target, self.stacks, self.units, self.expansions
        return self.pack, self.charge, self.start, self.end, *spins

    def _expansion_of(self, key):
        packs = self._equipment.packs
        return next((item for item in packs if item.expansion_of == key), None)

    def _ask_control(self):
        dialog = ControlDialog(self._job, self.window())
        if dialog.exec() and dialog.result_job != self._job:
            self.edited.emit(dialog.result_job, "How the battery is controlled")

    def _ask_place(self):
        dialog = FormDialog("Where the battery stands", self._job.battery_place, PLACE_ROWS, self.window())
        if dialog.exec() and dialog.result_model != self._job.battery_place:
            self.edited.emit(self._job.with_(battery_place=dialog.result_model), "Where the battery stands")

    def _pack_of(self, key):
        return next((item for item in self._equipment.packs if item.key == key), None)

    def _change(self, label, **changes):
        try:
            job = self._job.with_(battery=self._job.battery.with_(**changes))
        except ValidationError as error:
            self._refuse(error)
        else:
            self.edited.emit(job, label)

    def _change_window(self, label, window):
        try:
            battery = self._job.battery.with_first_window(window)
            job = self._job.with_(battery=battery)
        except ValidationError as error:
            self._refuse(error)
        else:
            self.edited.emit(job, label)

    def _refuse(self, error):
        self.show_job(self._job, self._equipment)
        self._show_text(f"{refused_words(error, Job)}.")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()

    def _on_pack(self, key):
        pack = self._pack_of(key)
        count = min(max(self._job.battery.count, pack.count_min), pack.count_max)
        if pack.key != self._job.battery.pack:
            self._change(f"Battery to {count} × {pack.name}", pack=pack.key, count=count, stacks=1, expansions=0)

    def take_count(self, count: int) -> bool:
        """Changes the number of packs as if typed; says whether it differs."""
        changed = count != self._job.battery.count
        if changed:
            self._on_count(count)
        return changed

    def _on_count(self, count):
        pack = self._pack_of(self._job.battery.pack)
        before = self._job.battery.count
        if pack is None:
            label = f"Battery count {before} to {count}"
        else:
            each = pack.nominal_kwh * self._job.battery.stacks
            label = f"Battery {before * each:g} to {count * each:g} kWh"
        self._change(label, count=count)

    def _on_reserve(self, percent):
        self._change(f"Reserve {self._job.battery.reserve:.0%} to {percent}%", reserve=percent / 100)

    def _on_charge(self, on):
        if on:
            windows = self._put_out or (usual_charge(self._job.tariff),)
            self._change("Charge from the grid", charge_windows=windows)
        else:
            self._put_out = self._job.battery.charge_windows
            self._change("No charging from the grid", charge_windows=())

    def _on_window(self, _=None):
        try:
            window = self._job.battery.first_window.with_(
                start=self.start.time().toString(CLOCK),
                end=self.end.time().toString(CLOCK),
                target=self.target.value() / 100,
                limit_kw=self.limit.value,
            )
        except ValidationError as error:
            self._refuse(error)
        else:
            most = "" if window.limit_kw is None else f", at most {window.limit_kw:g} kW"
            label = f"Window {window.start} to {window.end}, up to {window.target:.0%}{most}"
            self._change_window(label, window)
