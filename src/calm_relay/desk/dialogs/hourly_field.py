"""An exchange's prices hour by hour: read from a file, told in figures, and what share of them export earns."""

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.hourly_prices import PER_KWH, read_hourly_prices
from calm_relay.job.field_range import range_of
from calm_relay.job.tariff import HourlyPrices
from calm_relay.planning.common.amounts import price_text
from calm_relay.planning.common.joined import counted

NONE = "None: the tariff has no spot price for each hour."


class HourlyField(QWidget):
    """Shows `HourlyPrices`; `site` is where the file's hours are laid, without it none can be read.

    Signals
    -------
    changed
        Other prices were read, or they went.
    refused : str
        What is wrong with a file, or with what was typed.
    """

    changed = Signal()
    refused = Signal(str)

    def __init__(self, site=None, parent=None):
        super().__init__(parent)
        self._site, self._path, self._hourly, self._notes = site, None, None, ()
        self.currency = ""
        self.read = QPushButton("Read a &file…")
        self.read.setToolTip("The spot price of each hour of a year, from a CSV or a workbook")
        self.drop = QPushButton("None")
        self.drop.setToolTip("The tariff has no price for each hour")
        for button in (self.read, self.drop):
            button.setObjectName("small")
        self.read.setEnabled(site is not None)
        self.unit = ChoiceField("The file's prices are", [(unit, unit) for unit in PER_KWH], width=7)
        self.unit.setEnabled(False)
        self.column = ChoiceField("The file's column of prices", width=7)
        self.column.hide()
        self.share = QuantityField(
            "Share of it that export earns", "%", range_of(HourlyPrices, "export_share").times(100.0)
        )
        self.share.setFixedWidth(72)
        self.said = Label(NONE)
        self.said.setObjectName("quiet")
        self.said.setWordWrap(True)
        self.said.setFont(font(8.4))
        row = QHBoxLayout()
        row.setSpacing(6)
        for part in (self.read, self.unit, self.column, Label("for export"), self.share, self.drop):
            row.addWidget(part)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(row)
        column.addWidget(self.said)
        self.read.clicked.connect(lambda _=False: self.ask_file())
        self.drop.clicked.connect(lambda _=False: self._drop())
        self.unit.taken.connect(lambda unit: self.read_file(self._path, unit, self.column.currentData()))
        self.column.taken.connect(lambda column: self.read_file(self._path, None, column))
        self.share.accepted.connect(self._on_share)
        self.share.refused.connect(self.refused)

    @property
    def value(self) -> HourlyPrices | None:
        """The prices shown."""
        return self._hourly

    def show_value(self, hourly: HourlyPrices | None) -> None:
        """Shows prices without a signal."""
        if hourly != self._hourly:
            self._path, self._notes = None, ()
        self._hourly = hourly
        self.share.show_value(100.0 * (hourly.export_share if hourly is not None else 1.0))
        for field in (self.share, self.drop):
            field.setEnabled(hourly is not None)
        self.unit.setEnabled(self._path is not None)
        if self._path is None:
            self.unit.show_value(None)
            self.column.hide()
        self.said.setText(self._words(hourly))

    def _words(self, hourly):
        if hourly is None:
            return NONE
        low, high = min(hourly.prices), max(hourly.prices)
        days = "" if hourly.days >= 365 else f"; {counted(hourly.days, 'day')} of 365 have prices of their own"
        words = (
            f"{hourly.origin}: {self.currency} {price_text(hourly.mean)} a kWh on average, {price_text(low)} to "
            f"{price_text(high)}; a day's dearest four hours {price_text(hourly.spread)} dearer than its "
            f"cheapest{days}. The prices above come on top."
        )
        return keep_units(" ".join((words, *self._notes)))

    def ask_file(self) -> None:
        """Asks for a file and reads it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Prices by the hour", "", "Tables (*.csv *.txt *.tsv *.xlsx *.ods *.zip);;All files (*)"
        )
        if name:
            self.read_file(name)

    def read_file(self, name, unit=None, column=None) -> None:
        """Takes the prices of a file; `unit` says what they are per, `column` which of several areas is meant."""
        from calm_relay.planning.site.hourly_prices import laid_on_year

        try:
            found = read_hourly_prices(Path(name), self._site.time_zone, unit, column)
            share = self._hourly.export_share if self._hourly is not None else 1.0
            hourly = laid_on_year(found, self._site, Path(name).name, share)
        except InputError as error:
            self.refused.emit(f"{error}.")
            return
        except ValueError as error:
            self.refused.emit(f"{Path(name).name}: {error}.")
            return
        self._path = name
        self._hourly, self._notes = hourly, found.notes
        self.unit.show_value(found.unit)
        self.column.offer([(head, head) for head in found.columns])
        self.column.show_value(found.column)
        self.column.setVisible(len(found.columns) > 1)
        self.show_value(hourly)
        self.changed.emit()

    def _on_share(self, share):
        if self._hourly is not None:
            # The file they are from is at hand still.
            self._hourly = self._hourly.with_(export_share=(share or 0.0) / 100.0)
            self.show_value(self._hourly)
            self.changed.emit()

    def _drop(self):
        self.show_value(None)
        self.changed.emit()
