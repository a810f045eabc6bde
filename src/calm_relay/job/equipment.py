"""Equipment as its datasheet states it: modules, converters and battery packs.

A string inverter, a hybrid, a battery inverter and an all-in-one unit are one model, `Converter`: it has PV
inputs or none, a battery port or none, and an AC side. What it is called follows from what it has.
"""

from collections import Counter
from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, Any, Literal, Protocol, Self, TypeVar

from pydantic import Field, model_validator

from calm_relay.job.base import ClockTime, Fraction, Identifier, Line, Model, Name, NotNegative, Positive
from calm_relay.job.circuit_kinds import CIRCUITS, CircuitKind, Phases

# A module gives more than its rated current where light is brighter than at test conditions, over noon and at clouds'
# edges: IEC 62548-1:2023, 7.2.4.2 (from memory) and NEC 690.8(A)(1).
ISC_FACTOR = 1.25


# Stated of several kinds alike.
GridLow = Annotated[
    Positive | None,
    Field(
        title="Grid voltage from",
        le=690,
        description="Lowest voltage at which it stays on the grid; None: not stated, then 10% below its own.",
        json_schema_extra={"unit": "V"},
    ),
]
GridHigh = Annotated[
    Positive | None,
    Field(
        title="Grid voltage up to",
        le=690,
        description="Highest voltage at which it stays on the grid; None: not stated, then 10% above its own.",
        json_schema_extra={"unit": "V"},
    ),
]
GridHertz = Annotated[
    Literal["50", "60", "50 and 60"] | None,
    Field(
        title="Grid frequency, Hz",
        description="Of the grids that it goes on; None: not stated.",
    ),
]
Height = Annotated[
    Positive | None,
    Field(
        title="May stand above the sea up to",
        le=9000,
        description="Elevation above the sea that its maker allows; None: not stated.",
        json_schema_extra={"unit": "m"},
    ),
]


class Module(Model):
    """A photovoltaic module at standard test conditions."""

    key: Identifier
    name: Name = Field(title="Name")
    power_w: Positive = Field(title="Rated power", le=1000)
    open_circuit_v: Positive = Field(title="Open-circuit voltage Voc", le=200)
    short_circuit_a: Positive = Field(title="Short-circuit current Isc", le=40)
    max_power_v: Positive = Field(title="Voltage at maximum power Vmp")
    max_power_a: Positive = Field(title="Current at maximum power Imp")
    voc_per_c: float = Field(
        title="Temperature coefficient of Voc", ge=-0.006, le=0.0, description="Relative Voc coefficient [1/degC]."
    )
    vmp_per_c: float = Field(
        title="Temperature coefficient of Vmp", ge=-0.008, le=0.0, description="Relative Vmp coefficient [1/degC]."
    )
    isc_per_c: float = Field(
        title="Temperature coefficient of Isc",
        ge=-0.001,
        le=0.002,
        description="Relative Isc coefficient [1/degC].",
    )
    power_per_c: float = Field(
        title="Temperature coefficient of power",
        ge=-0.008,
        le=0.0,
        description="Relative power coefficient [1/degC].",
    )
    cells_in_series: int = Field(title="Cells in series", ge=1, le=200)
    technology: Literal["mono", "multi", "thin film"] = Field(default="mono", title="Cells")
    system_voltage_v: Positive = Field(title="Highest system voltage", le=1500)
    series_fuse_a: Positive = Field(title="Largest series fuse")
    length_mm: Positive = Field(title="Length")
    width_mm: Positive = Field(title="Width")
    bifaciality: Fraction = Field(default=0.0, title="Bifaciality")
    heat_loss_constant: Positive = Field(
        title="Heat loss, still air (W/m²K)",
        default=25.0,
        description="Faiman constant heat loss factor [W/m2/degC].",
    )
    heat_loss_wind: NotNegative = Field(
        title="Heat loss by wind (W s/m³K)", default=6.84, description="Faiman wind factor [W s/m3/degC]."
    )
    ageing_per_year: Fraction = Field(default=0.005, title="Ageing in a year")
    price: NotNegative = Field(default=0.0, title="Price")

    @model_validator(mode="after")
    def _voltages_in_order(self) -> Self:
        if self.max_power_v >= self.open_circuit_v:
            raise ValueError("max_power_v must be below open_circuit_v")
        if self.max_power_a >= self.short_circuit_a:
            raise ValueError("max_power_a must be below short_circuit_a")
        return self


class Tracker(Model):
    """One independent maximum-power tracker input."""

    mppt_low_v: Positive = Field(title="MPPT window from")
    mppt_high_v: Positive = Field(title="MPPT window to")
    full_power_low_v: Positive = Field(title="Full power from")
    start_v: Positive = Field(title="Starts at")
    max_v: Positive = Field(title="Highest DC voltage", le=1500)
    usable_a: Positive = Field(title="Usable current")
    short_circuit_a: Positive = Field(title="Highest short-circuit current")
    strings: int = Field(title="Strings to an input", default=1, ge=1, le=8)

    @model_validator(mode="after")
    def _window_in_order(self) -> Self:
        if not self.mppt_low_v <= self.full_power_low_v <= self.mppt_high_v <= self.max_v:
            raise ValueError("wanted mppt_low_v, full_power_low_v, mppt_high_v and max_v to rise in this order")
        return self


class PvInput(Model):
    """The DC side that takes modules."""

    trackers: tuple[Tracker, ...] = Field(title="MPPT inputs", min_length=1, max_length=12)
    tracker_efficiency: Fraction = Field(default=0.995, gt=0.5, title="MPPT efficiency")
    usable_dc_kw: Positive = Field(
        title="Most usable DC power", description="Most the trackers can draw together [kW]."
    )
    ratio_max: Positive = Field(
        title="Array over AC rating, at most",
        description="Array over AC rating the maker allows without a battery.",
    )
    ratio_max_with_battery: Positive = Field(
        title="The same with a battery", description="The same with a battery on this converter."
    )
    ratio_warranty: Positive | None = Field(
        title="Array over AC rating by warranty",
        default=None,
        description="Array over AC rating the warranty covers.",
    )
    optimisers: tuple[Identifier, ...] = Field(
        max_length=200, title="Speaks to optimisers", default=(), description="Optimisers it is built to speak to."
    )


class BatteryPort(Model):
    """The DC side that takes a battery."""

    families: tuple[Identifier, ...] = Field(
        max_length=200, title="Speaks to battery families", min_length=1, description="Pack families it speaks to."
    )
    low_v: Positive = Field(title="Battery voltage from")
    high_v: Positive = Field(title="Battery voltage to")
    charge_kw: Positive = Field(title="Charging power")
    discharge_kw: Positive = Field(title="Discharging power")
    charge_a: Positive = Field(title="Charging current")
    discharge_a: Positive = Field(title="Discharging current")
    dc_dc_efficiency: Fraction = Field(title="Efficiency of the battery side", default=0.985, gt=0.5)
    charge_from_ac_kw: NotNegative = Field(
        title="Charging power from the AC side", description="Most it can rectify from the AC side [kW]."
    )


class Backup(Model):
    """What the converter can do when the grid is down, and what it passes through while it is not."""

    continuous_kw: Positive = Field(title="Continuous backup power")
    surge_kw: Positive = Field(title="Surge power")
    surge_s: Positive = Field(title="Surge lasts")
    locked_rotor_a: Positive | None = Field(default=None, title="Locked-rotor current it starts")
    pass_through_a: Positive = Field(title="Pass-through current")
    pass_through_continuous_fraction: Fraction = Field(default=1.0, title="Of it, continuously")
    pass_through_adds: bool = Field(
        title="Pass-through adds up side by side",
        default=False,
        description="Units side by side share what passes, so that their amps add up; else one's is all that passes.",
    )
    transfer_ms: NotNegative = Field(default=20.0, title="Transfer time")
    black_start: bool = Field(default=False, title="Black start")
    held_reserve: float = Field(
        ge=0.0,
        title="Reserve held for waking",
        default=0.0,
        le=0.5,
        description="Charge it holds back below its cut-off, from which it forms the grid again when the sun is up.",
    )
    retries_at: ClockTime | None = Field(
        title="Tries again at",
        default=None,
        description="Clock time at which it tries again after a flat battery, with its loads off.",
    )
    generator_input: bool = Field(default=False, title="Generator input")
    keeps_arrays_apart: bool = Field(
        title="Keeps arrays off while a generator runs",
        default=False,
        description="Keeps AC-coupled arrays off its bus while a generator runs.",
    )
    throttles_ac_pv: Literal["none", "relay", "frequency", "data link"] = Field(
        default="none", title="Turns AC-coupled arrays down by"
    )
    ac_pv_kw: Positive | None = Field(
        title="Most AC-coupled array power",
        default=None,
        description="Most AC power of arrays on its bus; None: not stated, then practice holds.",
    )
    branch_breaker_a: Positive | None = Field(
        title="Largest branch breaker backed up",
        default=None,
        le=400,
        description="Largest branch breaker one unit may back up; None: not stated.",
    )
    neutral_bond: Literal["made by the unit", "to be wired"] | None = Field(
        title="Neutral and earth in an island",
        default=None,
        description="Who joins neutral and earth when the grid is down; None: not stated.",
    )
    changeover_poles: int | None = Field(
        title="Poles of the changeover",
        default=None,
        ge=1,
        le=4,
        description="Conductors that the changeover opens, neutral counted; None: not stated.",
    )
    bypass: Literal["built in", "none"] | None = Field(
        title="Bypass",
        default=None,
        description="Whether the house can be fed past a unit that failed; None: not stated.",
    )

    def side_by_side(self, units: int, on_each_phase: int) -> Self:
        """What so many units can do as one: the power of all, the currents of those on a phase."""
        by = dict.fromkeys(("continuous_kw", "surge_kw", "ac_pv_kw"), units)
        by |= dict.fromkeys(("locked_rotor_a", "branch_breaker_a"), on_each_phase)
        if self.pass_through_adds:
            by["pass_through_a"] = on_each_phase
        return self.as_built(
            **{name: value * number for name, number in by.items() if (value := getattr(self, name)) is not None}
        )


class Inverter(Model):
    """An inverter of any kind, by what it carries."""

    key: Identifier
    name: Name = Field(title="Name")
    ac_kw: Positive = Field(title="Rated AC power", le=500)
    phases: Phases = Field(title="Phases")
    volts: Positive = Field(title="AC voltage", le=690, json_schema_extra={"unit": "V"})
    grid_low_v: GridLow = None
    grid_high_v: GridHigh = None
    grid_hz: GridHertz = None
    max_ac_a: Positive = Field(title="Highest AC current")
    peak_efficiency: Fraction = Field(title="Peak efficiency", gt=0.5, lt=1.0)
    weighted_efficiency: Fraction = Field(title="Weighted efficiency", gt=0.5, lt=1.0)
    weighting: Literal["european", "cec"] = Field(default="european", title="Weighted by")
    peak_at: Fraction = Field(
        title="Efficiency peaks at load", default=0.4, gt=0.05, description="Load at which efficiency peaks."
    )
    standby_w: NotNegative = Field(title="Standby consumption")
    pv: PvInput | None = Field(default=None, title="PV inputs")
    battery: BatteryPort | None = Field(default=None, title="Battery port")
    backup: Backup | None = Field(default=None, title="Backup")
    built_in_pack: Identifier | None = Field(default=None, title="Pack built in")
    plug_in: bool = Field(
        title="Goes on a plug", default=False, description="Goes on a plug, by the rules for plug-in systems."
    )
    charge_controllers: bool = Field(
        title="PV inputs are charge controllers",
        default=False,
        description="Its PV inputs are charge controllers on a DC bus.",
    )
    rcd: Literal["none", "type A", "type F", "type B"] | None = Field(
        title="Residual-current device it wants",
        default=None,
        description="Type that its AC side wants where one is fitted; None: not stated.",
    )
    dc_isolator: Literal["built in", "none"] | None = Field(
        title="DC isolator",
        default=None,
        description="Whether the PV inputs have one of their own; None: not stated.",
    )
    arc_fault: Literal["built in", "none"] | None = Field(
        title="Arc-fault detection",
        default=None,
        description="Whether it finds arcs in the cables of its PV inputs; None: not stated.",
    )
    anti_islanding: Name | None = Field(
        title="Anti-islanding tested by",
        default=None,
        description="The standard by which it was tested to part from a grid that fails; None: not stated.",
    )
    export_control: bool = Field(default=True, title="Export control")
    frequency_watt: bool = Field(default=True, title="Frequency-watt")
    load_ports: int = Field(
        title="Smart load ports",
        default=0,
        ge=0,
        le=8,
        description="Outputs that it switches by the battery's state of charge.",
    )
    load_port_a: Positive | None = Field(
        title="Current of each",
        default=None,
        le=200,
        description="What a smart load port bears; None: not stated.",
    )
    dc_charger_kw: Positive | None = Field(
        title="DC charger for a car",
        default=None,
        le=200,
        description="Power of a charger on its DC bus; None: it has none.",
        json_schema_extra={"unit": "kW"},
    )
    dc_charger_v: Positive | None = Field(
        title="Its full power from",
        default=None,
        ge=50,
        le=1000,
        description="Lowest voltage at which the DC charger gives its power; None: not stated.",
        json_schema_extra={"unit": "V"},
    )
    car_to_house: bool = Field(
        title="A car may give back", default=False, description="Through its DC charger, to the house."
    )
    ct_cable_m: Positive | None = Field(
        title="Cable of its current transformers",
        default=None,
        le=500,
        description="How far they may be from it, with what its maker allows; None: not stated.",
        json_schema_extra={"unit": "m"},
    )
    units_max: int = Field(
        title="Units side by side, at most",
        default=1,
        ge=1,
        le=64,
        description="How many may stand side by side and act as one.",
    )
    between_phases: Literal["may", "may not"] | None = Field(
        title="Between two phases, without neutral",
        default=None,
        description="Whether it may hang between two phases where there is no neutral; None: not stated.",
    )
    phase_set: bool = Field(
        title="Three of them form three phases",
        default=False,
        description="Three of them, one on each phase, form a grid of three phases.",
    )
    highest_m: Height = None
    full_power_to_m: NotNegative | None = Field(
        title="Full power above the sea up to",
        default=None,
        le=9000,
        description="Elevation above the sea from which on it gives less; None: not stated.",
        json_schema_extra={"unit": "m"},
    )
    full_power_to_c: float | None = Field(
        title="Full power in air up to",
        default=None,
        ge=-40,
        le=90,
        description="Air from which on it gives less; None: not stated.",
        json_schema_extra={"unit": "°C"},
    )
    works_from_c: float | None = Field(
        title="Works in air from",
        default=None,
        ge=-80,
        le=20,
        description="Coldest air in which it works; None: not stated.",
        json_schema_extra={"unit": "°C"},
    )
    works_to_c: float | None = Field(
        title="Works in air up to",
        default=None,
        ge=20,
        le=120,
        description="Hottest air in which it works; None: not stated.",
        json_schema_extra={"unit": "°C"},
    )
    ingress: Line = Field(default="IP65", title="Ingress protection")
    weight_kg: Positive = Field(default=20.0, title="Weight")
    warranty_years: NotNegative = Field(default=10, title="Warranty")
    price: NotNegative = Field(title="Price")
    install_hours: NotNegative = Field(default=4.0, title="Hours to install")

    @model_validator(mode="after")
    def _has_something_to_convert(self) -> Self:
        if self.pv is None and self.battery is None:
            raise ValueError("a converter needs pv inputs, a battery port or both")
        if self.weighted_efficiency > self.peak_efficiency:
            raise ValueError("weighted_efficiency cannot exceed peak_efficiency")
        _range_in_order(self)
        for full, most in (("full_power_to_m", "highest_m"), ("full_power_to_c", "works_to_c")):
            begins, ends = getattr(self, full), getattr(self, most)
            if begins is not None and ends is not None and begins > ends:
                raise ValueError(f"{full}: {begins:g} is above {most}, {ends:g}")
        return self

    def on_volts(self, volts: float) -> Self:
        """What it is on a grid of a voltage [V]: below its own its current binds; in an island its power falls, too."""
        share = volts / self.volts
        if share >= FULL_FROM:
            return self
        low_v, high_v = grid_range(self)
        backup = self.backup and self.backup.as_built(
            continuous_kw=self.backup.continuous_kw * share, surge_kw=self.backup.surge_kw * share
        )
        return self.as_built(
            volts=volts,
            grid_low_v=low_v,
            grid_high_v=high_v,
            ac_kw=min(self.ac_kw, self.max_ac_a * volts * self.circuit.factor / 1000.0),
            backup=backup,
        )

    @property
    def port(self) -> BatteryPort:
        """The battery port of one that has it."""
        assert self.battery is not None, "it has a battery port"
        return self.battery

    @property
    def pv_side(self) -> PvInput:
        """The PV inputs of one that has them."""
        assert self.pv is not None, "it has PV inputs"
        return self.pv

    @property
    def outage_output(self) -> Backup:
        """What one that forms a grid can do without it."""
        assert self.backup is not None, "it forms a grid"
        return self.backup

    @property
    def kind(self) -> str:
        """The trade's word for it."""
        if self.pv is None:
            return "all-in-one unit" if self.built_in_pack else "battery inverter"
        return "hybrid inverter" if self.battery else "string inverter"

    def times(self, units: int) -> Self:
        """So many of them side by side as one converter."""
        if units == 1:
            return self
        pv = self.pv and self.pv.as_built(
            # The like inputs of all stand beside each other, so that strings are spread over the units.
            trackers=tuple(tracker for tracker in self.pv.trackers for _ in range(units)),
            usable_dc_kw=self.pv.usable_dc_kw * units,
        )
        port = self.battery and self.battery.as_built(
            **{
                name: getattr(self.battery, name) * units
                for name in ("charge_kw", "discharge_kw", "charge_a", "discharge_a", "charge_from_ac_kw")
            }
        )
        backup = self.backup and self.backup.side_by_side(units, units)
        return self.as_built(
            name=f"{units} × {self.name}",
            ac_kw=self.ac_kw * units,
            max_ac_a=self.max_ac_a * units,
            standby_w=self.standby_w * units,
            pv=pv,
            battery=port,
            backup=backup,
            price=self.price * units,
            install_hours=self.install_hours * units,
        )

    @property
    def circuit(self) -> CircuitKind:
        """What follows from its phases."""
        return CIRCUITS[self.phases]

    def on_phases(self, units: int, phases: Phases) -> Self:
        """So many of them side by side on a service; on three phases as many on each, where its maker lets them."""
        whole = self.times(units)
        if phases != "three" or self.phases != "single" or not self.phase_set or units % 3:
            return whole
        each = units // 3
        backup = self.backup and self.backup.side_by_side(units, each)
        return whole.as_built(phases="three", max_ac_a=self.max_ac_a * each, backup=backup)


class Optimiser(Model):
    """A DC optimiser under one module; strings of them may mix orientations."""

    key: Identifier
    name: Name = Field(title="Name")
    power_w: Positive = Field(title="Largest module", description="Largest module power at its input.")
    max_v: Positive = Field(title="Highest module voltage", description="Highest module voltage it survives.")
    mppt_low_v: Positive = Field(title="MPPT window from")
    mppt_high_v: Positive = Field(title="MPPT window to")
    short_circuit_a: Positive = Field(title="Highest short-circuit current")
    efficiency: Fraction = Field(title="Efficiency", default=0.988, gt=0.5)
    string_min: int = Field(
        le=1000,
        title="Fewest in a string",
        ge=1,
        description="Fewest in a string: with fewer the inverter refuses to run.",
    )
    string_max: int = Field(title="Most in a string", ge=1, le=1000)
    string_power_w: Positive = Field(
        title="Most power in a string", description="Most module power in one string."
    )
    any_inverter: bool = Field(
        title="Works on any inverter", default=False, description="Works on inputs that do not speak to it."
    )
    price: NotNegative = Field(default=0.0, title="Price")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.string_min > self.string_max:
            raise ValueError("string_min must not exceed string_max")
        return self


class Microinverter(Model):
    """An inverter under one module; the roof is AC from there on."""

    key: Identifier
    name: Name = Field(title="Name")
    ac_w: Positive = Field(title="Rated AC power")
    ac_a: Positive = Field(title="AC current")
    volts: Positive = Field(title="AC voltage", le=690, json_schema_extra={"unit": "V"})
    phases: Phases = Field(title="Phases")
    grid_low_v: GridLow = None
    grid_high_v: GridHigh = None
    grid_hz: GridHertz = None
    mppt_low_v: Positive = Field(title="MPPT window from")
    mppt_high_v: Positive = Field(title="MPPT window to")
    start_v: Positive = Field(title="Starts at")
    max_v: Positive = Field(title="Highest DC voltage")
    short_circuit_a: Positive = Field(title="Highest short-circuit current")
    usable_a: Positive = Field(title="Usable current")
    ratio_max: Positive = Field(
        title="Module over AC rating, at most", description="Module power over AC rating the maker allows."
    )
    branch_breaker_a: Positive = Field(title="Breaker of a branch", description="Breaker of a branch circuit.")
    branch_units_max: int | None = Field(
        le=1000,
        title="Units on a branch, at most",
        default=None,
        ge=1,
        description="Units on a branch by the maker.",
    )
    peak_efficiency: Fraction = Field(title="Peak efficiency", gt=0.5, lt=1.0)
    weighted_efficiency: Fraction = Field(title="Weighted efficiency", gt=0.5, lt=1.0)
    weighting: Literal["european", "cec"] = Field(default="cec", title="Weighted by")
    between_phases: Literal["may", "may not"] | None = Field(
        title="Between two phases, without neutral",
        default=None,
        description="Whether it may hang between two phases where there is no neutral; None: not stated.",
    )
    highest_m: Height = None
    night_w: NotNegative = Field(default=0.05, title="Consumption at night")
    warranty_years: NotNegative = Field(default=15, title="Warranty")
    price: NotNegative = Field(default=0.0, title="Price")
    install_hours: NotNegative = Field(default=0.3, title="Hours to install")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        _range_in_order(self)
        return self

    def on_volts(self, volts: float) -> Self:
        """What it is on a grid of a voltage: below its own its current binds [V]."""
        if volts / self.volts >= FULL_FROM:
            return self
        low_v, high_v = grid_range(self)
        ac_w = min(self.ac_w, self.ac_a * volts * CIRCUITS[self.phases].factor)
        return self.as_built(volts=volts, grid_low_v=low_v, grid_high_v=high_v, ac_w=ac_w)

    def inverter(self, count: int) -> Inverter:
        """So many of them as one converter, clipped per module because all its modules are alike."""
        tracker = Tracker.model_construct(
            mppt_low_v=self.mppt_low_v,
            mppt_high_v=self.mppt_high_v,
            full_power_low_v=self.mppt_low_v,
            start_v=self.start_v,
            max_v=max(self.max_v, self.mppt_high_v),
            usable_a=self.usable_a * count,
            # It states the modules it takes by their rated current.
            short_circuit_a=self.short_circuit_a * count * ISC_FACTOR,
            strings=8,
        )
        return Inverter.model_construct(
            key=self.key,
            name=f"{count} × {self.name}",
            ac_kw=self.ac_w * count / 1000.0,
            phases=self.phases,
            volts=self.volts,
            max_ac_a=self.ac_a * count,
            peak_efficiency=self.peak_efficiency,
            weighted_efficiency=self.weighted_efficiency,
            weighting=self.weighting,
            standby_w=self.night_w * count,
            between_phases=self.between_phases,
            highest_m=self.highest_m,
            grid_low_v=self.grid_low_v,
            grid_high_v=self.grid_high_v,
            grid_hz=self.grid_hz,
            pv=PvInput.model_construct(
                trackers=(tracker,),
                usable_dc_kw=self.usable_a * self.mppt_high_v * count / 1000.0,
                ratio_max=self.ratio_max,
                ratio_max_with_battery=self.ratio_max,
            ),
            warranty_years=self.warranty_years,
            price=self.price * count,
            install_hours=self.install_hours * count,
        )


# Between 1.05 for the best sealed and 1.3 for flooded ones: common practice, no source.
LEAD_PEUKERT = 1.15


class CyclePoint(Model):
    """One point of a cycle-life curve: cycles survived at a depth of discharge."""

    depth: Fraction = Field(gt=0.0)
    cycles: Positive


class Pack(Model):
    """A battery pack or module that can be stacked."""

    key: Identifier
    name: Name = Field(title="Name")
    family: Identifier = Field(title="Battery family")
    chemistry: Literal["LFP", "NMC", "sodium-ion", "lead-acid gel", "lead-acid AGM", "lead-acid flooded"] = Field(
        title="Chemistry"
    )
    nominal_kwh: Positive = Field(title="Nominal energy", le=1000)
    depth_of_discharge: Fraction = Field(title="Usable share", gt=0.1)
    empty_v: Positive = Field(title="Voltage when empty")
    full_v: Positive = Field(title="Voltage when full")
    knee_low_v: Positive | None = Field(
        title="Voltage at 10%", default=None, description="At 10% charge; None: on the straight line."
    )
    knee_high_v: Positive | None = Field(
        title="Voltage at 90%", default=None, description="At 90% charge; None: on the straight line."
    )
    absorption_v: Positive | None = Field(
        title="Absorption voltage",
        default=None,
        description="What lead-acid is charged to, at 25 degC; None: usual for its chemistry.",
    )
    float_v: Positive | None = Field(
        title="Float voltage",
        default=None,
        description="What lead-acid is held at when full, at 25 degC; None: usual for its chemistry.",
    )
    charge_a: Positive = Field(title="Charging current")
    discharge_a: Positive = Field(title="Discharging current")
    taper_from: Fraction = Field(
        title="Charging falls from", default=1.0, description="Charge from which the charge current falls."
    )
    taper_to: Fraction = Field(
        title="Left of it when full", default=1.0, description="Share of it that is left when full."
    )
    charge_c: Positive = Field(
        title="Charging rate",
        json_schema_extra={"unit": "C"},
        description="Charge limit as a multiple of nominal capacity per hour.",
    )
    discharge_c: Positive = Field(title="Discharging rate", json_schema_extra={"unit": "C"})
    round_trip: Fraction = Field(
        title="Round-trip efficiency", gt=0.4, description="DC round trip at the terminals."
    )
    peukert: float | None = Field(
        title="Peukert exponent",
        default=None,
        ge=1.0,
        le=1.6,
        description="Peukert's exponent; None: 1.15 for lead-acid, 1 for others.",
    )
    rated_hours: Positive = Field(
        title="Energy stated at a discharge of",
        default=20.0,
        le=100,
        description="Hours of the discharge at which the nominal energy is stated.",
    )
    stacking: Literal["parallel", "series"] = Field(title="Stacked in")
    count_min: int = Field(title="Fewest in a stack", default=1, ge=1, le=1000)
    count_max: int = Field(title="Most in a stack", ge=1, le=64)
    stacks_max: int = Field(
        title="Stacks on one inverter", default=1, ge=1, le=16, description="In parallel, all of one height."
    )
    stack_price: NotNegative = Field(
        title="Price of each further stack",
        default=0.0,
        description="Base, control and cables of each stack after the first.",
    )
    cycle_life: tuple[CyclePoint, ...] = Field(title="Cycle life", min_length=1, max_length=30)
    cycles_to: Fraction = Field(
        title="Left after these cycles",
        default=0.8,
        gt=0.3,
        lt=1.0,
        description="What is left after these cycles.",
    )
    calendar_fade: Fraction = Field(
        title="Lost in ten years of standing",
        default=0.150,
        description="Lost in ten years of standing at 25 degC; grows with the root of time.",
    )
    expansion_of: Identifier | None = Field(
        title="Expands the pack",
        default=None,
        description="Hangs on a pack of this key: adds energy and no power.",
    )
    generation: str = Field(title="Generation", default="", max_length=20)
    mixes_with: tuple[Identifier, ...] = Field(
        max_length=200, title="May stand beside", default=(), description="Packs it may stand beside on one port."
    )
    warranty_years: NotNegative = Field(default=10, title="Warranty")
    warranty_fraction: Fraction = Field(default=0.7, title="Left at its end")
    warranty_mwh_per_kwh: NotNegative = Field(
        title="Throughput promised (MWh per kWh)", default=3.0, description="Throughput promised per kWh."
    )
    charge_min_c: float = Field(
        ge=-80.0,
        le=120.0,
        title="Charges from",
        default=0.0,
        description="Coldest cell temperature for charging [degC].",
    )
    charge_full_c: float = Field(
        ge=-80.0,
        le=120.0,
        title="Charges fully from",
        default=10.0,
        description="From here on it charges at full rate [degC].",
    )
    discharge_min_c: float = Field(
        ge=-80.0,
        le=120.0,
        title="Discharges from",
        default=-20.0,
        description="Coldest cell temperature for discharging [degC].",
    )
    work_max_c: float = Field(
        ge=-80.0, le=120.0, title="Works up to", default=50.0, description="Hottest working temperature [degC]."
    )
    highest_m: Height = None
    outdoors: bool = Field(default=False, title="May stand outdoors")
    weight_kg: Positive = Field(default=50.0, title="Weight")
    price: NotNegative = Field(title="Price")
    install_hours: NotNegative = Field(default=1.0, title="Hours to install")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.empty_v > self.full_v:
            raise ValueError("empty_v must not exceed full_v")
        if self.count_min > self.count_max:
            raise ValueError("count_min must not exceed count_max")
        volts = [v for v in (self.empty_v, self.knee_low_v, self.knee_high_v, self.full_v) if v is not None]
        if sorted(volts) != volts:
            raise ValueError("wanted empty_v, knee_low_v, knee_high_v and full_v to rise in this order")
        if self.charge_full_c < self.charge_min_c:
            raise ValueError("charge_full_c must not be below charge_min_c")
        if self.absorption_v is not None and self.float_v is not None and self.float_v > self.absorption_v:
            raise ValueError("float_v must not exceed absorption_v")
        return self

    @model_validator(mode="after")
    def _shallow_cycles_last_longer(self) -> Self:
        points = sorted(self.cycle_life, key=lambda point: point.depth)
        for shallow, deep in pairwise(points):
            if shallow.depth == deep.depth or shallow.cycles <= deep.cycles:
                raise ValueError(
                    f"cycle_life: {shallow.cycles:g} cycles at {shallow.depth:.0%} and {deep.cycles:g} at "
                    f"{deep.depth:.0%}; wanted more cycles at the smaller depth"
                )
        return self

    @property
    def peukert_exponent(self) -> float:
        """Peukert's exponent as stated, else as usual for the chemistry."""
        if self.peukert is not None:
            return self.peukert
        return LEAD_PEUKERT if self.is_lead else 1.0

    @property
    def is_lead(self) -> bool:
        """Whether it wants a full charge each day and suffers from deep cycles."""
        return self.chemistry.startswith("lead")

    @property
    def usable_kwh(self) -> float:
        """Usable energy of one pack [kWh]."""
        return self.nominal_kwh * self.depth_of_discharge


# Where a maker states no range: IEC 60038, 10% about the rated voltage (from memory).
GRID_TOLERANCE = 0.1
# Share of its own voltage from which on a unit is taken to give its rated power.
FULL_FROM = 0.95


def grid_range(item: Inverter | Microinverter) -> tuple[float, float]:
    """Lowest and highest grid voltage of a unit [V]."""
    low_v = item.volts * (1.0 - GRID_TOLERANCE) if item.grid_low_v is None else item.grid_low_v
    return low_v, item.volts * (1.0 + GRID_TOLERANCE) if item.grid_high_v is None else item.grid_high_v


def _range_in_order(item: Inverter | Microinverter) -> None:
    low_v, high_v = grid_range(item)
    if not low_v <= item.volts <= high_v:
        raise ValueError(
            f"grid_low_v, grid_high_v: {low_v:g} to {high_v:g} V do not hold its own voltage, {item.volts:g} V"
        )


def may_stand_at(item: Inverter | Microinverter | Pack, elevation_m: float) -> bool:
    """Whether a maker lets something stand so high above the sea [m]; one who states nothing does."""
    return item.highest_m is None or elevation_m <= item.highest_m


class Keyed(Protocol):
    """Equipment of any kind: known by its key."""

    @property
    def key(self) -> str:
        """By which jobs name it."""


class Priced(Keyed, Protocol):
    """Equipment that can be bought."""

    @property
    def price(self) -> float:
        """Of one; 0 where none is stated."""


def by_price(item: Priced) -> tuple[bool, float, str]:
    """Sorts the cheapest first; what has no price is not cheap but unknown, and comes last."""
    return item.price <= 0.0, item.price, item.key


Kind = TypeVar("Kind", bound=Keyed)


def _merged(base: tuple[Kind, ...], extra: tuple[Kind, ...]) -> tuple[Kind, ...]:
    """An item with a key that is there takes the other's place: what is joined twice keeps its order."""
    own = {item.key: item for item in extra}
    known = {item.key for item in base}
    return tuple(own.get(item.key, item) for item in base) + tuple(item for item in extra if item.key not in known)


KINDS = ("modules", "inverters", "packs", "optimisers", "microinverters")


# Own items of one kind that a library or a job may hold.
MOST_ITEMS = 20_000


class Catalogue(Model):
    """Equipment to choose from."""

    modules: tuple[Module, ...] = Field(default=(), max_length=MOST_ITEMS)
    inverters: tuple[Inverter, ...] = Field(default=(), max_length=MOST_ITEMS)
    packs: tuple[Pack, ...] = Field(default=(), max_length=MOST_ITEMS)
    optimisers: tuple[Optimiser, ...] = Field(default=(), max_length=MOST_ITEMS)
    microinverters: tuple[Microinverter, ...] = Field(default=(), max_length=MOST_ITEMS)

    @model_validator(mode="after")
    def _keys_are_single(self) -> Self:
        return self._with_single_keys()

    def _with_single_keys(self) -> Self:
        under_modules: tuple[Optimiser | Microinverter, ...] = (*self.optimisers, *self.microinverters)
        kinds: tuple[tuple[str, Sequence[Keyed]], ...] = (
            ("modules", self.modules),
            ("inverters", self.inverters),
            ("packs", self.packs),
            ("optimisers and microinverters", under_modules),
        )
        for label, items in kinds:
            twice = [key for key, times in Counter(item.key for item in items).items() if times > 1]
            if twice:
                raise ValueError(f"{label}: the key {min(twice)!r} stands twice")
        return self

    def less(self, withheld: frozenset[tuple[str, str]]) -> "Catalogue":
        """The catalogue without items named by (kind, key)."""
        left: dict[str, Any] = {
            kind: tuple(item for item in getattr(self, kind) if (kind, item.key) not in withheld) for kind in KINDS
        }
        return Catalogue.model_construct(None, **left)

    def joined(self, own: "Catalogue") -> "Catalogue":
        """The catalogue with the job's own equipment; an own item replaces one with the same key.

        Raises
        ------
        ValueError
            When an own optimiser has the key of a microinverter, or the other way round.
        """
        # Each item was checked when it was read; keys alone can clash.
        merged: dict[str, Any] = {kind: _merged(getattr(self, kind), getattr(own, kind)) for kind in KINDS}
        return Catalogue.model_construct(None, **merged)._with_single_keys()
