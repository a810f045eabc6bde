"""The generator as a row of fields."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.job.existing_supply import ON_BUS, ON_INPUT, Generator
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job
from calm_relay.planning.site.money_turned import usual_generator

PLACES = [(name, name) for name in (ON_INPUT, ON_BUS)]


class GeneratorRow(QWidget):
    """Edits the first generator that runs; emits `refused` with what is wrong with a number."""

    refused = Signal(str)

    def __init__(self, job: Job, parent=None):
        super().__init__(parent)
        generator, currency = job.generator, job.tariff.currency
        self._shown = generator or usual_generator(job)
        self.there = QCheckBox("There is a generator")
        self.there.setChecked(generator is not None)
        self.power = QuantityField("Generator", "kW", range_of(Generator, "kw"), 1)
        self.starts = QuantityField(
            "Generator starts below", "%", range_of(Generator, "start_below").times(100), 0
        )
        self.stops = QuantityField("Generator stops above", "%", range_of(Generator, "stop_above").times(100), 0)
        self.place = ChoiceField("Where the generator is connected", PLACES, width=28)
        self.burns = QuantityField("Fuel a kWh at full load", "l", range_of(Generator, "litres_per_kwh"))
        self.idles = QuantityField(
            "Fuel at no load, of that at full load", "%", range_of(Generator, "no_load_share").times(100), 0
        )
        self.price = QuantityField(f"Fuel a litre, {currency}", "", range_of(Generator, "price_per_litre"))
        self.tank = QuantityField("Tank", "l", range_of(Generator, "tank_litres"), 0)
        self.interlocked = QCheckBox("A contactor keeps AC-coupled arrays off while it runs")
        shown = self._shown
        self.interlocked.setChecked(shown.interlocked)
        values = (
            (self.power, shown.kw),
            (self.starts, shown.start_below * 100),
            (self.stops, shown.stop_above * 100),
            (self.burns, shown.litres_per_kwh),
            (self.idles, shown.no_load_share * 100),
            (self.price, shown.price_per_litre),
            (self.tank, shown.tank_litres),
        )
        for field, value in values:
            field.show_value(value)
            field.setFixedWidth(72)
            field.refused.connect(self.refused)
        self.place.show_value(shown.on)
        rows = (
            (self.there, self.power, Label("starts below"), self.starts, Label("stops above"), self.stops),
            (
                Label("Fuel a kWh at full load"),
                self.burns,
                Label("at no load, of that"),
                self.idles,
                Label(f"a litre, {currency}"),
                self.price,
            ),
        )
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        for line, row in enumerate(rows):
            for column, part in enumerate(row):
                grid.addWidget(part, line, column)
        grid.addWidget(Label("on"), 0, 6)
        grid.addWidget(self.place, 0, 7)
        grid.addWidget(Label("tank"), 1, 6)
        grid.addWidget(self.tank, 1, 7)
        grid.addWidget(self.interlocked, 2, 6, 1, 2)
        grid.setColumnStretch(8, 1)
        self.there.toggled.connect(self._allow)
        self._allow(generator is not None)

    def _allow(self, there):
        for field in (
            self.power,
            self.starts,
            self.stops,
            self.place,
            self.burns,
            self.idles,
            self.price,
            self.tank,
            self.interlocked,
        ):
            field.setEnabled(there)

    @property
    def value(self) -> Generator | None:
        """The generator as typed; ValidationError says what is wrong."""
        if not self.there.isChecked():
            return None
        return self._shown.with_(
            kw=self.power.value,
            start_below=(self.starts.value or 0.0) / 100.0,
            stop_above=(self.stops.value or 0.0) / 100.0,
            litres_per_kwh=self.burns.value,
            no_load_share=(self.idles.value or 0.0) / 100.0,
            price_per_litre=self.price.value,
            tank_litres=self.tank.value,
            on=self.place.currentData(),
            interlocked=self.interlocked.isChecked(),
        )
