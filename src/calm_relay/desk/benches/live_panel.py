"""Live: devices read over SunSpec Modbus beside what the plan expects now; deviations name themselves."""

import threading

from pydantic import ValidationError
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.desk.widgets.scrolled import scrolled
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.job.commissioning import CtMoment, FieldDevice
from calm_relay.job.field_range import FieldRange
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.common.severity import Severity

HEADS = ("Where", "What", "Reads", "Expected")
DEVICE_HEADS = ("Address", "Unit", "Is", "Says")
# The table is drawn so often at most, however many answers come.
DRAW_MS = 200
MARK = {Severity.STOP: "✗", Severity.CHECK: "?", Severity.OK: "✓", None: ""}
IDLE = (
    "Type the address of an inverter, a logger or the simulated site, and connect. Only that address is asked; nothing "
    "is ever written to a device."
)


class LivePanel(QWidget):
    """Connects to the devices of a job and shows what they say.

    Signals
    -------
    edited : object, str
        A changed job and the edit's name.
    moment_changed : object
        What flows now, `planning.views.moment.Moment`, None without a connection.
    means_ready : object
        A stretch of means for the logbook, `job.logbook.Readings`.
    """

    edited = Signal(object, str)
    moment_changed = Signal(object)
    means_ready = Signal(object)
    _heard = Signal(object)
    _scanned = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._plan = self._option = self._site = self._poller = self._recorder = None
        self._said = {}
        self._new = False
        self.address = QLineEdit()
        self.address.setAccessibleName("Address of a device")
        self.address.setPlaceholderText("192.168.1.20, host:port, or /dev/ttyUSB0:9600")
        self.unit = RangedSpin("Modbus unit", "", FieldRange(1, 247))
        self.unit.show_value(1)
        self.part = ChoiceField("What part of the plant the device is", (("", "as it says"),), width=9)
        self.part.show_value("")
        self.add = QPushButton("Add")
        self.add.setToolTip("Adds this device to those that are read")
        self.look = QPushButton("Look for units")
        self.look.setToolTip("Knocks at every unit of this address, 1 to 247: only when you ask for it")
        self.drop = QPushButton("Remove")
        self.connect_button = QPushButton("Connect")
        self.record = QPushButton("Record…")
        self.record.setToolTip("Writes what is read into a CSV file, a row a second, until you stop it")
        self.keep = QCheckBox("Means into the logbook")
        self.keep.setToolTip("Means over five minutes are added to the job's logbook, an hour a line")
        self._means = None
        for button in (self.add, self.look, self.drop, self.connect_button, self.record):
            button.setObjectName("small")
        self.devices = QTableWidget()
        self.devices.setAccessibleName("Devices that are read")
        self.devices.setColumnCount(len(DEVICE_HEADS))
        self.devices.setHorizontalHeaderLabels(DEVICE_HEADS)
        self.devices.verticalHeader().hide()
        self.devices.verticalHeader().setDefaultSectionSize(22)
        self.devices.setShowGrid(False)
        self.devices.setFont(font(8.4))
        self.devices.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.devices.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table = FigureTable("What the devices say, and what is expected")
        self.deviations = Label(IDLE)
        self.deviations.setWordWrap(True)
        self.deviations.setAccessibleName("What is wrong")
        self.deviations.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.state, self.problem = Label(), Label()
        self.state.setObjectName("quiet")
        self.state.setFont(font(8.4))
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._timer = QTimer(self)
        self._timer.setInterval(DRAW_MS)
        self._timer.timeout.connect(self._draw)
        self._heard.connect(self._take)
        self._scanned.connect(self._on_scanned)
        self.add.clicked.connect(lambda _=False: self._add())
        self.address.returnPressed.connect(self._add)
        self.look.clicked.connect(lambda _=False: self._scan())
        self.drop.clicked.connect(lambda _=False: self._drop())
        self.connect_button.clicked.connect(lambda _=False: self.toggle())
        self.record.clicked.connect(lambda _=False: self._ask_record())
        self.destroyed.connect(lambda _=None, holder=self.__dict__: _end(holder))
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self.address, 1)
        top.addWidget(Label("unit"))
        top.addWidget(self.unit)
        top.addWidget(Label("is"))
        top.addWidget(self.part)
        for button in (self.add, self.look, self.drop, self.record, self.connect_button):
            top.addWidget(button)
        column.addLayout(top)
        column.addWidget(self.problem)
        row = QHBoxLayout()
        row.setSpacing(14)
        row.addWidget(self.devices, 5)
        row.addWidget(scrolled("What is wrong", self.deviations, spacing=4), 6)
        column.addLayout(row, 3)
        column.addWidget(self.table, 5)
        below = QHBoxLayout()
        below.addWidget(self.state, 1)
        below.addWidget(self.keep)
        column.addLayout(below)

    @property
    def connected(self) -> bool:
        """Whether devices are asked."""
        return self._poller is not None

    @property
    def site(self):
        """What was read so far, `planning.commissioning.live.LiveSite`; None before the first connection."""
        return self._site

    def belongs_to(self, job) -> bool:
        """Whether a connection is that of a job: of the same devices at the same place."""
        before = self._job
        return before is not None and (before.commissioning.devices, before.site) == (
            job.commissioning.devices,
            job.site,
        )

    def show_record(self, job, plan, option) -> None:
        """Shows the devices of a job; a connection goes on while they stay the same."""
        if option is not None and (self._option is None or option.key != self._option.key):
            self._offer_parts(option)
        changed = self._job is None or job.commissioning.devices != self._job.commissioning.devices
        other = self._option is not None and option is not None and option.key != self._option.key
        self._job, self._plan, self._option = job, plan, option
        if changed or other:
            if self.connected:
                self.stop()
            self._said = {}
            self._fill_devices()
        has = bool(job.commissioning.devices)
        self.connect_button.setEnabled(option is not None and has)
        self.drop.setEnabled(has)

    def _offer_parts(self, option):
        """What a device may be: the meter, or a unit of the option."""
        from calm_relay.planning.architecture.connections import unit_keys
        from calm_relay.planning.commissioning.live import METER

        units = [
            (key, unit.inverter.name)
            for key, unit in zip(unit_keys(option.design), option.design.converters, strict=True)
        ]
        self.part.offer((("", "as it says"), (METER, "the meter"), *units))
        self.part.show_value("")

    def _fill_devices(self):
        devices = self._job.commissioning.devices if self._job is not None else ()
        self.devices.setRowCount(len(devices))
        for row, device in enumerate(devices):
            said = self._said.get(row, "")
            for column, text in enumerate((device.address, str(device.unit), device.part or "as it says", said)):
                cell = QTableWidgetItem(text)
                if column == 3 and said.startswith("✗"):
                    cell.setForeground(QColor(colours().stop))
                self.devices.setItem(row, column, cell)
        header = self.devices.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)

    def _put(self, devices, label):
        record = self._job.commissioning
        try:
            changed = record.with_(devices=devices)
        except ValidationError as error:
            self._show_text(f"{refused_words(error, type(record))}.")
            return
        self.problem.hide()
        self.edited.emit(self._job.with_(commissioning=changed), label)

    def _add(self):
        from calm_relay.fieldbus.address import address_of
        from calm_relay.fieldbus.errors import FieldError

        text, unit = self.address.text().strip(), self.unit.value()
        try:
            address_of(text, unit)
        except FieldError as error:
            self._show_text(f"{error}.")
            return
        known = self._job.commissioning.devices
        if any(device.address == text and device.unit == unit for device in known):
            self._show_text(f"{text}, unit {unit}, is in the list already.")
            return
        self._put(
            (*known, FieldDevice(address=text, unit=unit, part=self.part.currentData() or "")),
            f"Device {text}, unit {unit}",
        )

    def _drop(self):
        known = self._job.commissioning.devices
        row = self.devices.currentRow()
        row = row if 0 <= row < len(known) else len(known) - 1
        if known:
            self._put((*known[:row], *known[row + 1 :]), f"Device {known[row].address} removed")

    def _scan(self):
        """Knocks at every unit of the address typed, in a thread of its own."""
        from calm_relay.fieldbus.address import address_of
        from calm_relay.fieldbus.errors import FieldError
        from calm_relay.fieldbus.poller import scan

        text = self.address.text().strip()
        try:
            address = address_of(text)
        except FieldError as error:
            self._show_text(f"{error}.")
            return
        self.problem.hide()
        self.look.setEnabled(False)
        self.state.setText(f"Looking for units at {text}…")
        emit = self._scanned.emit

        def work():
            try:
                result = scan(address), text, ""
            except FieldError as error:
                result = (), text, str(error)
            # The window may be gone by then.
            try:
                emit(result)
            except RuntimeError:
                return

        threading.Thread(target=work, name="scan", daemon=True).start()

    def _on_scanned(self, result):
        found, text, problem = result
        self.look.setEnabled(True)
        self.state.setText("")
        if problem or not found:
            self._show_text(f"{problem or f'{text}: no unit there speaks SunSpec'}.")
            return
        known = self._job.commissioning.devices
        new = [
            FieldDevice(address=text, unit=item.address.unit)
            for item in found
            if not any(device.address == text and device.unit == item.address.unit for device in known)
        ]
        if new:
            self._put((*known, *new), f"{len(new)} devices at {text}")
        else:
            self.state.setText(f"{len(found)} units at {text}, all in the list already.")

    def toggle(self) -> None:
        """Connects, or ends the connection."""
        if self.connected:
            self.stop()
        else:
            self.start()

    def start(self) -> None:
        """Connects to the job's devices."""
        from calm_relay.fieldbus.address import address_of
        from calm_relay.fieldbus.errors import FieldError
        from calm_relay.fieldbus.poller import Poller
        from calm_relay.planning.commissioning.live import LiveSite

        if self._option is None or not self._job.commissioning.devices:
            return
        devices = self._job.commissioning.devices
        try:
            addresses = [address_of(device.address, device.unit) for device in devices]
        except FieldError as error:
            self._show_text(f"{error}.")
            return
        self.problem.hide()
        self._addresses = addresses
        self._site = LiveSite(self._plan, self._option, devices, addresses)
        self._poller = Poller(addresses, self._heard.emit)
        self._poller.start()
        self.connect_button.setText("Disconnect")
        self.deviations.setText("Waiting for the first answers…")
        self._timer.start()

    def stop(self) -> None:
        """Ends the connection; what was read last stays to be seen."""
        self._timer.stop()
        self.stop_recording()
        self._end_means()
        if self._poller is not None:
            poller, self._poller = self._poller, None
            threading.Thread(target=poller.stop, daemon=True).start()
        self.connect_button.setText("Connect")
        self.state.setText("Not connected.")
        self.moment_changed.emit(None)

    def _take(self, answer):
        """An answer came in: noted at once, drawn with the next turn of the clock."""
        if self._poller is None or self._site is None or answer.address not in self._addresses:
            return
        self._site.take(answer)
        row = self._addresses.index(answer.address)
        if answer.reading is not None:
            said = f"✓ {answer.reading.words}, {answer.took_s * 1000:.0f} ms"
        else:
            said = f"✗ {answer.problem}; again in {answer.next_s:.0f} s"
        self._said[row] = said
        self._new = True
        if self._recorder is not None:
            problem = self._recorder.take(answer, self._site.roles.get(answer.address, ""))
            if problem:
                self.stop_recording()
                self._show_text(f"{problem}. What was written before is kept.")

    def _draw(self):
        if not self._new or self._site is None:
            return
        self._new = False
        view, look = self._site.view(), colours()
        self._fill_devices()
        rows = [
            [row.part, f"{MARK[row.severity]} {row.what}".strip(), row.measured, row.expected] for row in view.rows
        ]
        at = self.table.verticalScrollBar().value()
        self.table.show_rows(HEADS, rows, "Read over SunSpec Modbus; expected by the plan in this light", left=4)
        for number, row in enumerate(view.rows):
            if row.severity in (Severity.STOP, Severity.CHECK):
                for column in range(len(HEADS)):
                    self.table.item(number, column).setForeground(QColor(look.of(row.severity)))
        self.table.verticalScrollBar().setValue(at)
        if view.deviations:
            said = "\n\n".join(f"{MARK[item.severity]} {item.sentence}" for item in view.deviations)
            colour = look.of(view.deviations[0].severity)
        elif view.rows:
            said, colour = "✓ Nothing deviates from what the plan expects now.", look.ok
        else:
            said, colour = "No device has answered yet.", look.quiet
        self.deviations.setText(said)
        self.deviations.setStyleSheet(f"color: {colour}")
        clock = view.at.astimezone(_zone(self._job)).strftime("%-d %B %Y, %H:%M:%S")
        writing = f" Recording: {self._recorder.rows:,} rows." if self._recorder is not None else ""
        self.state.setText(f"Devices' clock {clock}; {view.light}.{writing}")
        self._keep_means(view.state)
        self.moment_changed.emit(view.moment)

    def _keep_means(self, state):
        """Gathers means while they are asked for; what was begun is added when they no longer are."""
        from calm_relay.planning.commissioning.means import Means

        if self.keep.isChecked() and state is not None:
            self._means = self._means or Means()
            full = self._means.take(state)
            if full is not None:
                self.means_ready.emit(full)
        elif not self.keep.isChecked():
            self._end_means()

    def _end_means(self):
        means, self._means = self._means, None
        rest = means.rest() if means is not None else None
        if rest is not None:
            self.means_ready.emit(rest)

    def ct_moment(self, kind) -> CtMoment | None:
        """What flows now as a moment of the CT test; None without a connection that says it all."""
        if self._site is None:
            return None
        flows = self._site.phase_flows()
        if flows is None:
            return None
        return CtMoment(kind=kind, load=self._job.commissioning.ct_moment(kind).load, **flows)

    def _ask_record(self):
        if self._recorder is not None:
            self.stop_recording()
            return
        if not self.connected:
            self._show_text("Connect first: there is nothing to record.")
            return
        chosen, _ = QFileDialog.getSaveFileName(self, "Record readings into", "readings.csv", "CSV (*.csv)")
        if chosen:
            self.start_recording(chosen)

    def start_recording(self, path) -> None:
        """Writes readings into a CSV file from now on."""
        from calm_relay.exchange.readings_csv import ReadingsRecorder

        try:
            self._recorder = ReadingsRecorder(path)
        except OSError as error:
            self._show_text(f"{path}: {error.strerror or error}.")
            return
        self.record.setText("Stop recording")

    def stop_recording(self) -> None:
        """Ends the file; it is whole."""
        if self._recorder is not None:
            self._recorder.close()
            self._recorder = None
        self.record.setText("Record…")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()


def _end(holder):
    """Ends the connection of a panel that is gone."""
    poller = holder.get("_poller")
    if poller is not None:
        poller.stop(0.0)


def _zone(job):
    from zoneinfo import ZoneInfo

    return ZoneInfo(job.site.time_zone)
