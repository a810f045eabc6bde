"""The loads on top of the house: machines, heat, cars and water, listed, added, changed and taken away."""

from typing import get_args

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.job.demand import DRIVEN_ON, FlexibleLoad, Fuel, FuelToday, HeatPump, HotWater, ScheduledLoad
from calm_relay.planning.site.usual_car import usual_car

LETTERS = [(None, "none"), *((letter, letter) for letter in "ABCDEFGHJKLMNPRSTUV")]
EVERY_DAY = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
CHARGING = [(way, way) for way in ("at once", "on surplus", "in cheap hours")]
PHASES = [("all", "all, evenly"), ("1", "1"), ("2", "2"), ("3", "3")]
CHARGERS = [(place, place) for place in ("on AC", "on DC of the hybrid")]
PATTERNS = [(way, way) for way in ("morning and evening", "evening", "all day")]
# Each kind: field of the demand, its word, a first one for a service, and the rows of its dialog.
KINDS = {
    "loads": (
        "Machine",
        lambda supply: ScheduledLoad(name="Machine", kw=2.0, days=EVERY_DAY, start="08:00", hours=2.0),
        (
            ("name", "Name", "text"),
            ("kw", "Running power", ("kW", 2)),
            ("days", "Days", "days"),
            ("start", "From (local clock, HH:MM)", "text"),
            ("hours", "For", ("h", 2)),
            ("duty", "Share of that time under power", ("", 2)),
            ("months", "Months", "months"),
            ("starting_a", "Starting current", ("A", 1)),
            ("motor", "It starts a motor", "tick"),
            ("code_letter", "Code letter of the motor", LETTERS),
            ("phase", "Hangs on phase or leg", PHASES),
            ("planned", "Not there yet", "tick"),
        ),
    ),
    "heat_pumps": (
        "Heat pump",
        lambda supply: HeatPump(heat_kwh_per_day=48.0),
        (
            ("name", "Name", "text"),
            ("heat_kwh_per_day", "Heat on a mean day of the coldest month", ("kWh", 1)),
            ("water_kwh_per_day", "Heat for hot water a day", ("kWh", 1)),
            ("heats_below_c", "Heats below, °C", ("", 1)),
            ("cop", "Heat over electricity by outdoor °C", "cop"),
            ("buffer_kwh", "Heat its tank or floor holds; 0: not controlled", ("kWh", 1)),
            ("most_kw", "Most power; empty: by the coldest day", ("kW", 2)),
            ("set_back", "Rests, as long as that heat lasts", "windows"),
            ("on_surplus", "Fills its tank from the array's surplus", "tick"),
            ("starts_softly", "Driven at any speed: it starts softly", "tick"),
            ("starting_a", "Else its starting current; empty: six times its power", ("A", 1)),
            ("phase", "Hangs on phase or leg", PHASES),
            ("planned", "Not there yet", "tick"),
        ),
    ),
    "cars": (
        "Car",
        usual_car,
        (
            ("name", "Name", "text"),
            ("kwh_per_day", "Energy a day", ("kWh", 1)),
            ("charger_kw", "Charger", ("kW", 2)),
            ("days", "Days", "days"),
            ("start", "There from (local clock, HH:MM)", "text"),
            ("end", "Until", "text"),
            ("control", "Charged", CHARGING),
            ("least_kw", "Least it is charged with", ("kW", 2)),
            ("from_battery", "The battery serves it too", "tick"),
            ("within_fuse", "It holds back for the main fuse", "tick"),
            ("charger", "Its charger hangs", CHARGERS),
            ("battery_kwh", "Usable energy of the car, where it gives back", ("kWh", 1)),
            ("car_gives_back", "The car gives back, by its maker", "tick"),
            ("charger_gives_back", "The charger on AC gives back, by its maker", "tick"),
            ("gives_kw", "Gives at most; empty: as it is charged", ("kW", 2)),
            ("keeps", "Keeps of its battery", "percent"),
            ("phase", "Hangs on phase or leg", PHASES),
            ("planned", "Not there yet", "tick"),
        ),
    ),
    "hot_water": (
        "Hot water",
        lambda supply: HotWater(),
        (
            ("name", "Name", "text"),
            ("litres", "Tank", ("l", 0)),
            ("element_kw", "Element", ("kW", 2)),
            ("steps", "Steps of its power; 0: any power", ("", 0)),
            ("hot_c", "Hot", ("°C", 0)),
            ("cold_c", "Cold water", ("°C", 0)),
            ("litres_per_day", "Hot water used a day", ("l", 0)),
            ("pattern", "Used", PATTERNS),
            ("standing_loss_kwh", "Standing loss a day, when hot", ("kWh", 2)),
            ("on_surplus", "Heated by the array's surplus", "tick"),
            ("battery_above", "From this charge of the battery", "percent"),
            ("keep_above", "Heated at once below", "percent"),
            ("port_on", "On a smart load port from this charge; empty: on none", "percent"),
            ("port_off", "The port is off below", "percent"),
            ("top_up", "Heated through, whatever supplies it", "windows"),
            ("from_battery", "The battery serves it too", "tick"),
            ("phase", "Hangs on phase or leg", PHASES),
            ("planned", "Not there yet", "tick"),
        ),
    ),
    "flexible": (
        "Pool pump or the like",
        lambda supply: FlexibleLoad(),
        (
            ("name", "Name", "text"),
            ("kw", "Running power", ("kW", 2)),
            ("kwh_per_day", "Energy a day", ("kWh", 1)),
            ("start", "From (local clock, HH:MM)", "text"),
            ("end", "Until", "text"),
            ("months", "Months", "months"),
            ("on_surplus", "Waits for the array's surplus", "tick"),
            ("from_battery", "The battery serves it too", "tick"),
            ("phase", "Hangs on phase or leg", PHASES),
            ("planned", "Not there yet", "tick"),
        ),
    ),
}

# Kinds of load that come in place of a fuel.
BURNERS = ("heat_pumps", "cars")
NOTHING = "nothing"


# What a service has beside the whole of it.
PARTS_OF_SERVICE = {
    "single": ("", ()),
    "split": ("on leg", ("1", "2")),
    "three": ("on phase", ("1", "2", "3")),
    "three-wire": ("between phases", ("1", "2", "3")),
}


def rows_on(rows, load, supply):
    """Rows of a load's dialog on a service: what hangs on one phase is asked where there is more than one.

    Off grid what forms the grid stands in the main fuse's place, and no hour is cheap.
    """
    word, parts = PARTS_OF_SERVICE[supply.phases]
    if not supply.on_grid:
        kept = [way for way in CHARGING if way[0] in ("at once", "on surplus", getattr(load, "control", None))]
        other = {
            "control": ("control", "Charged", kept),
            "within_fuse": ("within_fuse", "It holds back for the inverter's limit", "tick"),
        }
        rows = tuple(other.get(row[0], row) for row in rows)
    if load.phase not in ("all", *parts):
        return rows
    named = {"all": "all, evenly", **dict(zip(parts, supply.circuit.short, strict=False))}
    asked = [("phase", f"Hangs {word}", list(named.items()))] if parts else []
    return tuple(made for row in rows for made in (asked if row[0] == "phase" else [row]))


def fuel_rows(fuels):
    """Rows of the dialog on a `job.demand.FuelToday`, with what can be burnt there."""
    units = "a litre" if fuels[0] in DRIVEN_ON else "a kWh of gas, a litre of oil, a kg of pellets"
    return (
        ("fuel", "Burnt today", [(fuel, fuel) for fuel in fuels]),
        ("price", f"Price of {units}", ("money", 3)),
        ("a_year", "Used a year, in the unit of the price; empty: worked out", ("", 0)),
        ("rise", "Price rises a year; empty: as prices rise", "percent"),
        ("ends_a_year", "Service, standing charge and the like that end with it, a year", ("money", 0)),
        ("costs_more", "Costs more than to go on as today, once, rebates taken off", ("money", 0)),
    )


class FuelDialog(FormDialog):
    """Asks what is burnt today; `fuel_today` after it was accepted, None where nothing is."""

    def __init__(self, title, today, fuels, parent=None, *, money=""):
        super().__init__(title, today or FuelToday(fuel=fuels[0]), fuel_rows((*fuels,)), parent, money=money)
        field = self.fields["fuel"]
        field.insertItem(0, NOTHING, NOTHING)
        field.setCurrentIndex(0 if today is None else field.findData(today.fuel))

    @property
    def fuel_today(self):
        """What is burnt today as it was answered."""
        return None if self.fields["fuel"].value == NOTHING else self.result_model

    def take(self) -> None:
        """Closes with what is burnt, or with nothing."""
        if self.fields["fuel"].value == NOTHING:
            self.accept()
            return
        super().take()


class LoadRows(QWidget):
    """Edits the loads of `Job.demand`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self._rows = ()
        self.table = FigureTable("Loads on top of the house")
        self.table.doubleClicked.connect(lambda _: self.change())
        self.add, self.alter, self.drop = QPushButton("Add"), QPushButton("Change…"), QPushButton("Remove")
        menu = QMenu(self.add)
        for key, (word, _, _) in KINDS.items():
            menu.addAction(f"{word}…").triggered.connect(lambda _=False, key=key: self.add_one(key))
        self.add.setMenu(menu)
        self.alter.clicked.connect(lambda _=False: self.change())
        self.drop.clicked.connect(lambda _=False: self.remove())
        buttons = QHBoxLayout()
        buttons.setSpacing(5)
        self.fuel = QPushButton("In place of…")
        self.fuel.setToolTip("What a heat pump or a car comes in place of: gas, oil, pellets, petrol, diesel")
        self.fuel.clicked.connect(lambda _=False: self.ask_fuel())
        self.table.itemSelectionChanged.connect(self._show_fuel)
        for button in (self.add, self.alter, self.fuel, self.drop):
            button.setObjectName("small")
            buttons.addWidget(button)
        buttons.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.table, 1)
        column.addLayout(buttons)

    def show_job(self, job) -> None:
        """Shows the job's loads."""
        self._job = job
        demand = job.demand
        self._rows = tuple((key, i) for key in KINDS for i in range(len(getattr(demand, key))))
        rows = [_summary(key, getattr(demand, key)[i]) for key, i in self._rows]
        chosen = self.table.currentRow()
        self.table.show_rows(("Load", "Draws", "When"), rows, "From: the job's survey", left=3)
        if rows:
            self.table.selectRow(min(max(chosen, 0), len(rows) - 1))
        for button in (self.alter, self.drop):
            button.setEnabled(bool(rows))
        self._show_fuel()

    def _in_hand(self):
        """Field, place and load of the row in hand; None without one."""
        if not self._rows:
            return None
        key, i = self._rows[min(max(self.table.currentRow(), 0), len(self._rows) - 1)]
        return key, i, getattr(self._job.demand, key)[i]

    def _show_fuel(self):
        held = self._in_hand()
        self.fuel.setEnabled(held is not None and held[0] in BURNERS)

    def ask_fuel(self) -> None:
        """Asks what the heat pump or the car in hand comes in place of."""
        held = self._in_hand()
        if held is None or held[0] not in BURNERS:
            return
        key, i, load = held
        fuels = [fuel for fuel in get_args(Fuel) if (fuel in DRIVEN_ON) == (key == "cars")]
        money = self._job.tariff.currency
        dialog = FuelDialog(f"{load.name}: in place of", load.instead_of, fuels, self, money=money)
        dialog.accepted.connect(lambda: self._put(key, i, load.with_(instead_of=dialog.fuel_today)))
        self._open(dialog)

    def add_one(self, key: str) -> None:
        """Asks for a new load of a kind."""
        word, first, rows = KINDS[key]
        names = {load.name for kind in KINDS for load in getattr(self._job.demand, kind)}
        fresh = first(self._job.supply)
        if self._job.demand.counts_loads:
            # What is there is in what was counted: what is added is more likely yet to come.
            fresh = fresh.with_(planned=True)
        usual = fresh.name
        name = next(n for n in (usual, *(f"{usual} {i}" for i in range(2, 99))) if n not in names)
        dialog = FormDialog(
            f"Add: {word.lower()}", fresh.with_(name=name), rows_on(rows, fresh, self._job.supply), self
        )
        dialog.accepted.connect(lambda: self._put(key, None, dialog.result_model))
        self._open(dialog)

    def change(self) -> None:
        """Asks for another shape of the load in hand."""
        if self._rows:
            key, i = self._rows[max(self.table.currentRow(), 0)]
            load = getattr(self._job.demand, key)[i]
            dialog = FormDialog(load.name, load, rows_on(KINDS[key][2], load, self._job.supply), self)
            dialog.accepted.connect(lambda: self._put(key, i, dialog.result_model))
            self._open(dialog)

    def remove(self) -> None:
        """Takes the load in hand away."""
        if self._rows:
            key, i = self._rows[max(self.table.currentRow(), 0)]
            name = getattr(self._job.demand, key)[i].name
            self.edited.emit(self._job.with_load(key, i, None), f"{name} removed")

    def _open(self, dialog):
        # Kept so that tests and screen readers find it.
        self.dialog = dialog
        dialog.open()

    def _put(self, key, i, load):
        demand = self._job.demand
        if i is None:
            job = self._job.with_(demand=demand.with_(**{key: (*getattr(demand, key), load)}))
        else:
            job = self._job.with_load(key, i, load)
        self.edited.emit(job, f"{load.name} {'added' if i is None else 'changed'}")


def _summary(key, load):
    later = ", to come" if load.planned else ""
    if key in BURNERS and load.instead_of is not None:
        later += f", in place of {load.instead_of.fuel}"
    if key == "loads":
        days = "every day" if len(load.days) == 7 else ", ".join(day.capitalize() for day in load.days)
        some = "" if len(load.months) == 12 else f", {len(load.months)} months"
        return f"{load.name}{later}", f"{load.kw:g} kW", f"{load.hours:g} h from {load.start}, {days}{some}"
    if key == "heat_pumps":
        when = "by air and tank" if load.is_controlled else "by the outdoor air"
        return f"{load.name}{later}", f"{load.heat_kwh_per_day:g} kWh heat", when
    if key == "hot_water":
        when = (
            "on surplus" if load.on_surplus else ", ".join(window.summary for window in load.top_up) or "when cold"
        )
        return f"{load.name}{later}", f"{load.element_kw:g} kW, {load.litres:g} litres", when
    if key == "flexible":
        when = "on surplus, " if load.on_surplus else ""
        return f"{load.name}{later}", f"{load.kwh_per_day:g} kWh a day", f"{when}{load.start} to {load.end}"
    return f"{load.name}{later}", f"{load.kwh_per_day:g} kWh a day", f"{load.control}, {load.start} to {load.end}"
