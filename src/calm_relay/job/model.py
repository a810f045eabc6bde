"""The job: one immutable statement of a site, its purposes and the choices made so far."""

from collections import Counter
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Annotated, Any, Final, Literal, Self, get_args
from zoneinfo import ZoneInfo, available_timezones

from pydantic import Field, field_validator, model_validator

from calm_relay.job import renamed
from calm_relay.job.backup_board import LEGS, BackupBoard
from calm_relay.job.base import Fraction, Identifier, Line, Model, Name, NotNegative, Positive, Prose, WeatherPath
from calm_relay.job.circuit_kinds import CIRCUITS, CircuitKind, Phases
from calm_relay.job.commissioning import CalendarDay, Commissioning
from calm_relay.job.control import Clock, Control, ExportWindow, GridCharge, Window, refuse_meeting
from calm_relay.job.demand import LOAD_FIELDS, Demand, MeteredDemand, ScheduledLoad, ShapedDemand
from calm_relay.job.equipment import Catalogue
from calm_relay.job.existing_supply import ON_CHANGEOVER, ExistingChangeover, ExistingTransformers, Generator
from calm_relay.job.finance import Finance
from calm_relay.job.renamed import NewNames
from calm_relay.job.survey import (
    Attachment,
    BatteryPlace,
    ExistingBattery,
    ExistingInverter,
    Fate,
    FuseSchool,
    HorizonPoint,
    Rectangle,
    RuleChange,
    Snow,
    StringPlan,
)
from calm_relay.job.tariff import Costs, RatioRule, Tariff
from calm_relay.job.uncertainty import Uncertainty
from calm_relay.job.wiring import Wiring

__all__ = [
    "ClimatePreset",
    "Clock",
    "Control",
    "Demand",
    "ExistingInverter",
    "ExportWindow",
    "GridCharge",
    "Job",
    "MeteredDemand",
    "MonthlyWeather",
    "OffGrid",
    "PlannedBattery",
    "Purpose",
    "RatioRule",
    "RoofFace",
    "ScheduledLoad",
    "ShapedDemand",
    "Site",
    "Supply",
    "WeatherFile",
    "Window",
]

FORMAT: Final = "calm-relay-job"
SCHEMA_VERSION: Final = 4


JobState = Literal["survey", "offered", "signed", "built"]


class WeatherFile(Model):
    """A weather year read from an EPW or TMY3 file or a table of hours, which may hold several years."""

    kind: Literal["file"] = "file"
    path: WeatherPath = Field(description="Absolute, or beside the job file.")
    shift_h: float = Field(
        default=0.0, ge=-14.0, le=14.0, description="Hours by which its stamps are set later, where they are off."
    )
    year: int | None = Field(
        default=None, ge=1, le=50, description="Which of the file's years, from 1; None: the most usual of them."
    )


class ClimatePreset(Model):
    """A reproducible made year for a named climate; figures that rest on it are assumed."""

    kind: Literal["preset"] = "preset"
    climate: Identifier
    seed: int = Field(default=1, ge=0, le=2**31 - 1)


class MonthlyWeather(Model):
    """Twelve typed monthly figures, from which a reproducible year is made."""

    kind: Literal["monthly"] = "monthly"
    ghi_kwh_per_day: tuple[Annotated[float, Field(ge=0.0, le=12.0)], ...] = Field(
        min_length=12, max_length=12, description="Horizontal irradiation of a mean day [kWh/m2]."
    )
    temp_c: tuple[Annotated[float, Field(ge=-60.0, le=50.0)], ...] = Field(min_length=12, max_length=12)
    daily_range_c: float = Field(default=8.5, ge=0.0, le=30.0)
    wind_mean: float = Field(default=3.5, ge=0.0, le=30.0)
    elevation_m: float | None = Field(
        default=None, ge=-400.0, le=5000.0, description="Where the temperatures were taken; None: at the site."
    )
    origin: Line = Field(default="", max_length=120, description="Where the figures were taken from.")
    seed: int = Field(default=1, ge=0, le=2**31 - 1)


Weather = Annotated[WeatherFile | ClimatePreset | MonthlyWeather, Field(discriminator="kind")]


@lru_cache(maxsize=1)
def _zones() -> set[str]:
    """Every IANA name; looking them up walks the whole database on disk."""
    return available_timezones()


class Site(Model):
    """Where the job stands."""

    place: Line
    latitude: float = Field(ge=-80.0, le=80.0)
    longitude: float = Field(ge=-180.0, le=180.0)
    elevation_m: float = Field(default=0.0, ge=-400.0, le=5000.0)
    time_zone: Name
    year: int = Field(default=2026, ge=2001, le=2099, description="Calendar that sets weekdays and clocks.")
    weather: Weather
    coldest_c: float | None = Field(
        default=None, ge=-60.0, le=30.0, description="Coldest daylight cell temperature; else from the year."
    )
    hottest_c: float | None = Field(
        default=None, ge=10.0, le=60.0, description="Hottest air temperature; else from the year."
    )
    horizon: tuple[HorizonPoint, ...] = Field(default=(), max_length=120, description="By azimuth, rising.")
    snow: Snow | None = Field(default=None, description="None: nobody stated it, and no snow is counted.")

    @model_validator(mode="after")
    def _horizon_in_order(self) -> Self:
        azimuths = [point.azimuth for point in self.horizon]
        if sorted(set(azimuths)) != azimuths:
            raise ValueError("horizon: wanted rising azimuths, each once")
        return self

    @field_validator("time_zone")
    @classmethod
    def _zone_exists(cls, name: str) -> str:
        if name not in _zones():
            raise ValueError(f"no time zone is called {name!r}; wanted a name such as Pacific/Auckland")
        ZoneInfo(name)
        return name

    @field_validator("year")
    @classmethod
    def _365_days(cls, year: int) -> int:
        if year % 4 == 0:
            raise ValueError(f"{year} has 366 days; wanted a year of 365, such as {year + 2}")
        return year


class Supply(Model):
    """The service from the grid."""

    on_grid: bool = Field(default=True, description="False: the house is off grid.")
    phases: Phases
    volts: Positive = Field(
        le=690, description="Phase to neutral, between phases without one; 240 for split phase 120/240."
    )
    hertz: Literal[50, 60] | None = Field(default=None, description="None: as the region's grid code has it.")
    main_fuse_a: Positive = Field(le=1000)
    meter: Literal["sum of phases", "each phase"] = Field(
        default="sum of phases", description="Whether one phase's export pays for another's import."
    )
    home_shares: tuple[Fraction, Fraction, Fraction] = Field(
        default=(0.34, 0.33, 0.33),
        description="Share of the demand on each phase of three, without neutral L1–L2, L2–L3 and L3–L1.",
    )
    single_on: Literal[1, 2, 3] = Field(
        default=1,
        description="Phase, or pair of phases, that single-phase units hang on; one that is there may say another.",
    )

    inverter_limit_kw: Positive | None = Field(
        default=None, le=1000, description="Inverter power this connection may have; None: not stated."
    )
    busbar_a: Positive | None = Field(
        default=None, le=2000, description="Rating of the main board's busbar; None: not known."
    )
    short_circuit_ka: Positive | None = Field(
        default=None, le=200, description="Prospective short-circuit current at the main board; None: not known."
    )
    operator_counts: Literal["every inverter", "inverters with PV terminals"] = "every inverter"

    @model_validator(mode="after")
    def _phases_agree(self) -> Self:
        if abs(sum(self.home_shares) - 1.0) > 1e-6:
            raise ValueError(f"home_shares: add up to {sum(self.home_shares):.2f}; wanted 1")
        if self.meter == "each phase" and self.phases != "three":
            raise ValueError(f'meter: "each phase" on {self.phases} phase; wanted a supply of three')
        return self

    @property
    def circuit(self) -> CircuitKind:
        """What follows from its phases."""
        return CIRCUITS[self.phases]

    @property
    def import_limit_kw(self) -> float:
        """What the main fuse carries at unity power factor over all phases [kW]."""
        return self.main_fuse_a * self.volts * self.circuit.factor / 1000


# Without an answer to each of these there is no verdict.
Wanted = Literal["place", "demand", "array"]
# What stands in until somebody says what a house uses in a year.
USUAL_KWH = 3500.0
PurposeKind = Literal["lower_bills", "self_sufficiency", "ride_through_outage", "low_outlay", "gentle_works"]


class Purpose(Model):
    """Why the customer wants a battery, and how much that weighs."""

    kind: PurposeKind
    weight: NotNegative = Field(le=10)


class MustHaves(Model):
    """Hard lines: an option that misses one is not offered."""

    outlay_at_most: NotNegative | None = Field(
        default=None, description="Outlay that must not be passed; None: no line."
    )
    outages_at_least: Fraction | None = Field(
        default=None,
        description="Share of outages of the hours wanted that must be ridden through; None: no line.",
    )


Mounting = Literal["close to the roof", "open rack", "integrated"]
Covering = Literal[
    "not stated", "tiles", "slates", "shingles", "corrugated sheet", "standing seam", "flat roof", "ground"
]


class RoofFace(Model):
    """One plane of modules."""

    name: Name
    module: Identifier
    count: int = Field(ge=1, le=500)
    strings: int = Field(default=1, ge=1, le=50)
    tilt: float = Field(ge=0.0, le=90.0)
    azimuth: float = Field(ge=0.0, lt=360.0, description="Clockwise from north.")
    age_years: NotNegative = Field(default=0, le=60)
    mounting: Mounting = Field(
        default="close to the roof", description="How freely air passes behind the modules."
    )
    covering: Covering = Field(default="not stated", description="What the modules are fixed to.")
    wired_to: Name | None = Field(
        default=None,
        description="Existing inverter of its strings; None: the first, or where there is room for what comes.",
    )
    fate: Fate | Literal["new"] = Field(
        default="reuse", description="keep: as wired; reuse: may be re-strung; remove: goes; new: comes."
    )
    electronics: Identifier | None = Field(default=None, description="What lies under each module.")
    phase: Literal[0, 1, 2, 3] | None = Field(
        default=None,
        description="Phase of three that its single-phase microinverters hang on today; 0: on all three in turn; "
        "None: on all where one breaker carries too few of them, else on that of new ones.",
    )
    rectangle: Rectangle | None = None

    @property
    def is_there(self) -> bool:
        """Whether the modules are on the roof today."""
        return self.fate != "new"

    @property
    def will_be_there(self) -> bool:
        """Whether the modules are on the roof after the works."""
        return self.fate != "remove"

    def is_one_plane_with(self, other: "RoofFace") -> bool:
        """Whether both are to come and alike but for their number, so that a string may run over both."""
        alike = ("module", "tilt", "azimuth", "mounting", "wired_to", "electronics", "fate")
        return self.fate == "new" and all(getattr(self, name) == getattr(other, name) for name in alike)

    @model_validator(mode="after")
    def _strings_are_equal(self) -> Self:
        if self.count % self.strings:
            raise ValueError(
                f"{self.count} modules do not divide into {self.strings} equal strings; "
                "strings in parallel must be of equal length"
            )
        return self

    @property
    def in_series(self) -> int:
        """Modules in each string."""
        return self.count // self.strings


class PlannedBattery(Model):
    """The battery under discussion, and the units that would carry it (None: the planner chooses).

    `count` packs stand in each of `stacks` stacks on each of `units` units side by side; `expansions` hang on them and
    add energy only.
    """

    pack: Identifier
    count: int = Field(default=1, ge=1, le=64)
    stacks: int = Field(default=1, ge=1, le=16, description="In parallel, each of so many packs.")
    expansions: int = Field(
        default=0, ge=0, le=64, description="Packs that add energy and no power, on each unit."
    )
    units: int = Field(default=1, ge=1, le=8, description="Units side by side, each with its packs.")
    reserve: float = Field(default=0.1, ge=0.0, le=0.95, description="Kept back for an outage.")
    charge_windows: tuple[GridCharge, ...] = Field(
        default=(), max_length=6, description="When it may be charged from the grid."
    )
    waits: bool = Field(default=False, description="It serves only what the existing battery leaves.")
    battery_inverter: Identifier | None = None
    hybrid: Identifier | None = None
    string_inverter: Identifier | None = None
    microinverter: Identifier | None = None

    @model_validator(mode="after")
    def _windows_do_not_meet(self) -> Self:
        refuse_meeting(self.charge_windows, "charge_windows")
        return self

    @property
    def first_window(self) -> GridCharge | None:
        """The first charge window, None without one."""
        return self.charge_windows[0] if self.charge_windows else None

    def with_first_window(self, window: GridCharge | None) -> Self:
        """With the first charge window changed, or taken away."""
        return self.with_(charge_windows=(*((window,) if window else ()), *self.charge_windows[1:]))


class Pin(Model):
    """An option kept under a name, with the battery and the units it had, to stand beside others."""

    name: Line = Field(min_length=1, max_length=60, title="Name")
    option: Identifier = Field(description="Key of its architecture.")
    battery: PlannedBattery


class OffGrid(Model):
    """What an off-grid house is to manage."""

    unmet_max: Fraction = Field(default=0.01, description="Share of the demand that may go unserved in a year.")


class ArrayLosses(Model):
    """Losses of the array that no datasheet states; fractions of what reaches them."""

    soiling: float = Field(default=0.02, ge=0.0, le=0.9, title="Soiling")
    shading: float = Field(default=0.0, ge=0.0, le=0.9, title="Shade that no horizon has")
    mismatch: float = Field(default=0.01, ge=0.0, le=0.9, title="Mismatch of modules")
    wiring: float = Field(default=0.01, ge=0.0, le=0.9, title="Wiring")
    albedo: Fraction = Field(default=0.2, title="Light from the ground")


def _place(names: Sequence[str], name: str) -> int | None:
    return names.index(name) if name in names else None


def _of_their_kind(units: Sequence[ExistingInverter]) -> list[tuple[str, int]]:
    """Each unit's kind, and its number among those of it."""
    kinds = [unit.inverter for unit in units]
    return [(kind, kinds[: at + 1].count(kind)) for at, kind in enumerate(kinds)]


class Job(Model):
    """Everything the planner reads."""

    format: Literal["calm-relay-job"] = FORMAT
    schema_version: Literal[4] = SCHEMA_VERSION
    name: Line = Field(min_length=1, max_length=120)
    customer: Line = ""
    notes: Prose = ""
    site: Site
    supply: Supply
    purposes: tuple[Purpose, ...] = Field(min_length=1, max_length=10)
    faces: tuple[RoofFace, ...] = Field(
        default=(), max_length=12, description="Roof faces; none for a battery without an array."
    )
    losses: ArrayLosses = ArrayLosses()
    existing_inverters: tuple[ExistingInverter, ...] = Field(
        default=(), max_length=8, description="On the wall today; none: a new system."
    )
    existing_batteries: tuple[ExistingBattery, ...] = Field(default=(), max_length=6)
    demand: Demand
    tariff: Tariff
    battery: PlannedBattery
    battery_place: BatteryPlace = Field(default=BatteryPlace(), description="Where the new battery stands.")
    outage_hours: float = Field(
        default=12.0, gt=0.0, le=168.0, description="Hours that an outage should be ridden through."
    )
    must_haves: MustHaves = MustHaves()
    control: Control = Control()
    costs: Costs = Costs()
    finance: Finance = Field(
        default=Finance(), description="How it is paid for, and what it costs over the years."
    )
    uncertainty: Uncertainty = Field(default=Uncertainty(), description="How far figures may be off.")
    rules: tuple[RatioRule, ...] = Field(default=(), max_length=50)
    backup_board: BackupBoard | None = Field(
        default=None, description="None: the whole house hangs behind the relay."
    )
    generators: tuple[Generator, ...] = Field(
        default=(), max_length=4, description="Those that run start by the battery's state of charge."
    )
    existing_changeovers: tuple[ExistingChangeover, ...] = Field(
        default=(), max_length=2, description="Between the meter and the main board, the one at the meter first."
    )
    existing_transformers: tuple[ExistingTransformers, ...] = Field(default=(), max_length=6)
    off_grid: OffGrid = Field(default=OffGrid(), description="Read for off-grid houses.")
    wiring: Wiring = Field(default=Wiring(), description="Routes of cables, their sizes and protection.")
    commissioning: Commissioning = Field(
        default=Commissioning(), description="What was read and tested in front of the new system."
    )
    region: Identifier = Field(default="generic", description="Whose pack of dated rules is applied.")
    rule_changes: tuple[RuleChange, ...] = Field(default=(), max_length=200)
    fuse_school: FuseSchool = "series-fuse rating"
    string_plans: tuple[StringPlan, ...] = Field(default=(), max_length=50)
    attachments: tuple[Attachment, ...] = Field(default=(), max_length=200)
    pinned: tuple[Pin, ...] = Field(default=(), max_length=5, description="Options kept to compare.")
    own_equipment: Catalogue = Catalogue()
    assumed: tuple[Name, ...] = Field(
        default=(),
        max_length=60,
        description="Paths of figures assumed until somebody confirms or changes them.",
    )
    state: JobState = Field(default="survey", title="State", description="How far the job has come.")
    follow_up: CalendarDay | None = Field(
        default=None, title="Follow up on", description="When the customer is to be spoken to; None: on no day."
    )
    wanted: tuple[Wanted, ...] = Field(
        default=(), max_length=3, description="What nobody has answered yet; until then there is no verdict."
    )

    @property
    def of_another_house(self) -> Self:
        """The job as another begins from it: without its customer, its state, and what was read where it was built."""
        own = self.commissioning
        kept = Commissioning(by=own.by, instruments=own.instruments)
        return self.with_(customer="", state="survey", follow_up=None, commissioning=kept)

    @property
    def as_template(self) -> Self:
        """The job as many houses begin from it.

        Also without notes, photos, pins, strings laid by hand, how cables run, what stands on the horizon, and what its
        bills or its meter counted: what the next house uses is asked for.
        """
        demand = self.demand
        if isinstance(demand, ShapedDemand):
            demand = demand.with_(bills=(), counts=None)
        else:
            loads = {name: getattr(demand, name) for name in LOAD_FIELDS}
            demand = ShapedDemand(yearly_kwh=USUAL_KWH, **loads)
        return self.of_another_house.with_(
            notes="",
            attachments=(),
            pinned=(),
            string_plans=(),
            site=self.site.with_(horizon=()),
            demand=demand,
            wiring=self.wiring.with_(routes=(), labels=(), places=(), strokes_km2=None, revision=""),
            wanted=tuple(key for key in get_args(Wanted) if key == "demand" or key in self.wanted),
        )

    @model_validator(mode="after")
    def _names_are_single(self) -> Self:
        for label, names in (
            ("faces", [face.name for face in self.faces]),
            ("existing_inverters", [item.name for item in self.existing_inverters]),
            ("existing_batteries", [item.name for item in self.existing_batteries]),
            ("generators", [item.name for item in self.generators]),
            ("existing_changeovers", [item.name for item in self.existing_changeovers]),
            ("existing_transformers", [item.name for item in self.existing_transformers]),
            ("string_plans", [f"{plan.inverter} {plan.unit}" for plan in self.string_plans]),
            ("rule_changes", [change.rule for change in self.rule_changes]),
            ("pinned", [pin.name for pin in self.pinned]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"{label}: {twice!r} stands twice; wanted each once")
        return self

    @model_validator(mode="after")
    def _survey_agrees(self) -> Self:
        there = [face.name for face in self.faces if face.is_there and face.electronics is None]
        if not self.existing_inverters and there:
            raise ValueError(
                f"existing_inverters: none is stated, but {there[0]!r} is on the roof today; wanted the inverter it is "
                "on, microinverters under its modules, or a face that is new"
            )
        names = [item.name for item in self.existing_inverters]
        carried: list[str] = []
        for number, battery in enumerate(self.existing_batteries):
            if battery.inverter is not None and battery.wired_to is not None:
                raise ValueError(
                    f"existing_batteries.{number}: is said to be on a unit of its own and on {battery.wired_to!r}; "
                    "wanted one of the two"
                )
            if battery.inverter is None:
                if not names:
                    raise ValueError(
                        f"existing_batteries.{number}.inverter: is missing; wanted the unit that carries the battery"
                    )
                carried.append(battery.wired_to or names[0])
        twice = next((name for name in carried if carried.count(name) > 1), None)
        if twice is not None:
            raise ValueError(
                f"existing_batteries: two are on {twice!r}; wanted one on each inverter, with the sum of its packs"
            )
        wired = [(f"faces.{number}", face.wired_to) for number, face in enumerate(self.faces)]
        wired += [
            (f"existing_batteries.{number}", item.wired_to) for number, item in enumerate(self.existing_batteries)
        ]
        for path, name in wired:
            if name is not None and name not in names:
                wanted = " or ".join(repr(item) for item in names) or "none, as no inverter is there"
                raise ValueError(f"{path}.wired_to: no existing inverter is called {name!r}; wanted {wanted}")
        if self.faces and not any(face.will_be_there for face in self.faces):
            raise ValueError('faces: every face goes; wanted one that is kept, re-used or "new"')
        return self

    @field_validator("assumed")
    @classmethod
    def _assumed_of_the_job(cls, paths: tuple[str, ...]) -> tuple[str, ...]:
        for path in paths:
            fields: Any = cls.model_fields
            for name in path.split("."):
                if name not in fields:
                    raise ValueError(f"{path!r} names no field of a job; wanted such as 'supply.main_fuse_a'")
                kind = fields[name].annotation
                kinds = (kind, *get_args(kind))
                fields = {key: held for each in kinds for key, held in getattr(each, "model_fields", {}).items()}
        return paths

    @model_validator(mode="after")
    def _supply_agrees(self) -> Self:
        if self.existing_changeovers and not self.supply.on_grid:
            raise ValueError(
                "existing_changeovers: an off-grid house has no grid to change over from; wanted none of them"
            )
        for number, generator in enumerate(self.generators):
            if generator.on == ON_CHANGEOVER and not self.existing_changeovers:
                raise ValueError(
                    f"generators.{number}.on: no changeover is there today; wanted another place, or the changeover"
                )
        return self

    @model_validator(mode="after")
    def _circuits_hang_on_a_leg(self) -> Self:
        if self.backup_board is None:
            return self
        wanted = LEGS.get(self.supply.phases)
        for number, circuit in enumerate(self.backup_board.circuits):
            if wanted is not None and circuit.leg not in wanted:
                legs = ", ".join(sorted(wanted))
                raise ValueError(
                    f"backup_board.circuits.{number}.leg: {circuit.name!r} hangs on {circuit.leg}; wanted one of {legs}"
                )
        return self

    @model_validator(mode="after")
    def _one_battery_goes_first(self) -> Self:
        if self.existing_batteries and self.battery.waits and all(item.waits for item in self.existing_batteries):
            raise ValueError(
                "existing_batteries.0.waits: every battery waits for another; wanted one that goes first"
            )
        return self

    @model_validator(mode="after")
    def _exported_and_charged_apart(self) -> Self:
        windows: tuple[Window, ...]
        for field, windows in (
            ("export_windows", self.control.export_windows),
            ("discharge_windows", self.control.discharge_windows),
            ("delay_windows", self.control.delay_windows),
        ):
            for window in windows:
                for filled in self.battery.charge_windows:
                    if window.meets(filled):
                        raise ValueError(
                            f"control.{field}: {window.summary} overlaps the charge window {filled.summary}; "
                            "wanted windows that do not meet"
                        )
        return self

    @model_validator(mode="after")
    def _purposes_weigh_something(self) -> Self:
        kinds = [purpose.kind for purpose in self.purposes]
        if len(set(kinds)) != len(kinds):
            raise ValueError("purposes: each kind may stand once")
        if not any(purpose.weight > 0 for purpose in self.purposes):
            raise ValueError("purposes: at least one weight must be above 0")
        return self

    @property
    def board(self) -> BackupBoard:
        """The circuits of a job that states them."""
        assert self.backup_board is not None, "its circuits are stated"
        return self.backup_board

    @property
    def load_phases(self) -> tuple[tuple[str, int], ...]:
        """Loads that hang on one phase or leg of a service with several, each with its number.

        The circuit that holds a load says it before the load does.
        """
        count = self.supply.circuit.live
        if count == 1:
            return ()
        circuits = self.backup_board.circuits if self.backup_board is not None else ()
        legs = {name: circuit.leg for circuit in circuits for name in circuit.loads}
        found = []
        for field in LOAD_FIELDS:
            for load in getattr(self.demand, field):
                leg = legs.get(load.name) or load.phase
                if leg.isdigit() and int(leg) <= count:
                    found.append((load.name, int(leg)))
        return tuple(found)

    @property
    def running_generators(self) -> tuple[Generator, ...]:
        """Those that start by the battery's state of charge, where an option takes them."""
        return tuple(item for item in self.generators if item.runs)

    @property
    def pays_for_power(self) -> bool:
        """Whether power is paid for today: to the grid, or as a generator's fuel."""
        return self.supply.on_grid or bool(self.running_generators)

    @property
    def generator(self) -> Generator | None:
        """The first of them; None where there is none."""
        return next(iter(self.running_generators), None)

    def with_generator(self, generator: Generator | None) -> Self:
        """With the first that runs in another form, added or taken away."""
        number = next((n for n, item in enumerate(self.generators) if item.runs), len(self.generators))
        rest = self.generators[:number], self.generators[number + 1 :]
        return self.with_(generators=(*rest[0], *((generator,) if generator else ()), *rest[1]))

    def with_named(self, field: str, name: str, **changes: Any) -> Self:
        """With fields changed of the thing of a name in a list of the job, such as one of `generators`."""
        items = getattr(self, field)
        return self.with_(**{field: tuple(item.with_(**changes) if item.name == name else item for item in items)})

    def with_load(self, field: str, number: int, load: Any) -> Self:
        """With a load beside the house in another form, or taken away where it is None.

        The circuit that holds it, and its place among those that take surplus, follow its name.
        """
        loads = list(getattr(self.demand, field))
        before, after = loads[number].name, load.name if load is not None else None
        loads[number : number + 1] = [load] if load is not None else []
        more: dict[str, Any] = {}

        def follows(names: Sequence[str]) -> tuple[str, ...]:
            called = (after if name == before else name for name in names)
            return tuple(name for name in called if name is not None)

        if after != before:
            more["control"] = self.control.with_(surplus_order=follows(self.control.surplus_order))
            if self.backup_board is not None:
                circuits = tuple(
                    circuit.with_(loads=follows(circuit.loads)) for circuit in self.backup_board.circuits
                )
                more["backup_board"] = self.backup_board.with_(circuits=circuits)
        return self.with_(demand=self.demand.with_(**{field: tuple(loads)}), **more)

    def string_plan(self, inverter: str, unit: int = 1) -> StringPlan | None:
        """The strings laid by hand for an inverter, of several alike one; None when the planner lays them."""
        return next((plan for plan in self.string_plans if (plan.inverter, plan.unit) == (inverter, unit)), None)

    def with_string_plan(self, inverter: str, plan: StringPlan | None, unit: int = 1) -> Self:
        """With the strings laid by hand for an inverter changed, or given back to the planner."""
        rest = tuple(item for item in self.string_plans if (item.inverter, item.unit) != (inverter, unit))
        return self.with_(string_plans=rest if plan is None else (*rest, plan))

    def with_existing_battery(self, number: int, **changes: Any) -> Self:
        """With fields of one existing battery changed."""
        batteries = list(self.existing_batteries)
        before = batteries[number].name
        batteries[number] = batteries[number].with_(**changes)
        after = batteries[number].name
        return self.with_(
            existing_batteries=tuple(batteries),
            existing_transformers=self._read_by(before, after),
            **(self._keyed_by(before, after) if after != before else {}),
        )

    def _read_by(self, before: str, after: str | None) -> tuple[ExistingTransformers, ...]:
        """Current transformers there today, where what reads them is called otherwise or is gone."""
        return tuple(
            item.with_(read_by=after) if item.read_by == before else item for item in self.existing_transformers
        )

    def with_existing_inverter(self, number: int, **changes: Any) -> Self:
        """With fields of one existing inverter changed; what is said to be on it follows its name."""
        inverters = list(self.existing_inverters)
        before = inverters[number].name
        inverters[number] = inverters[number].with_(**changes)
        after = inverters[number].name
        more: dict[str, Any] = {}
        if after != before:
            for name in ("faces", "existing_batteries"):
                more[name] = tuple(
                    item.with_(wired_to=after) if item.wired_to == before else item for item in getattr(self, name)
                )
            more["existing_transformers"] = self._read_by(before, after)
            more |= self._keyed_by(before, after)
        return self.with_existing_inverters(inverters, **more)

    def with_existing_inverters(self, units: Sequence[ExistingInverter], **more: Any) -> Self:
        """With other inverters there today; strings laid by hand stay with their units, new ones being counted after.

        So many as before are the same in their order, else those of the same name are.
        """
        old = self.existing_inverters
        names = [unit.name for unit in units]
        places = range(len(old)) if len(old) == len(units) else [_place(names, unit.name) for unit in old]
        before, after = _of_their_kind(old), _of_their_kind(units)
        moved = {before[at]: after[to] for at, to in enumerate(places) if to is not None}
        more_of = Counter(unit.inverter for unit in units)
        more_of.subtract(unit.inverter for unit in old)
        plans = []
        for plan in self.string_plans:
            kind, number = plan.inverter, plan.unit
            if (kind, number) not in before:
                plans.append(plan.with_(unit=number + more_of[kind]) if more_of[kind] else plan)
            elif (to := moved.get((kind, number), ("", 0)))[0] == kind:
                plans.append(plan.with_(unit=to[1]))
        return self.with_(existing_inverters=tuple(units), string_plans=tuple(plans), **more)

    def _keyed_by(self, before: str, after: str) -> dict[str, Any]:
        """What is stated of the wiring and at commissioning of a thing that is called otherwise."""
        named = (
            self.existing_inverters, self.existing_batteries, self.faces, self.generators, self.existing_changeovers,
            self.existing_transformers,
        )  # fmt: skip
        return self._keyed(NewNames({before: after}, tuple(item.name for items in named for item in items)))

    def _keyed(self, names: NewNames) -> dict[str, Any]:
        return {
            "wiring": renamed.wiring_of(self.wiring, names),
            "commissioning": renamed.commissioning_of(self.commissioning, names),
        }

    def with_supply_part(
        self, field: str, number: int, part: "Generator | ExistingChangeover | ExistingTransformers"
    ) -> Self:
        """With a generator, changeover or current transformer there today in another form; what is keyed follows it."""
        parts = list(getattr(self, field))
        before, parts[number] = parts[number].name, part
        more = self._keyed_by(before, part.name) if part.name != before else {}
        return self.with_(**{field: tuple(parts)}, **more)

    def with_backup_board(self, board: BackupBoard | None, called: Mapping[str, str]) -> Self:
        """With another board; `called` are new names by those before, which tests and settings of circuits follow."""
        after = {before: name for before, name in called.items() if before != name}
        if not after or self.backup_board is None:
            return self.with_(backup_board=board)
        names = renamed.of_circuits(after, (circuit.name for circuit in self.backup_board.circuits))
        return self.with_(backup_board=board, **self._keyed(names))

    def wired_to(self, part: "RoofFace | ExistingBattery") -> str | None:
        """Name of the existing inverter that a face or a battery is on; None where it is on none.

        One that says none is on the first, unless it is a face to come: that one is on none yet.
        """
        to_come = isinstance(part, RoofFace) and not part.is_there
        if part.wired_to is not None or to_come or not self.existing_inverters:
            return part.wired_to
        return self.existing_inverters[0].name

    def with_face(self, number: int, **changes: Any) -> Self:
        """With fields of one face changed; strings laid by hand, light and places follow its name."""
        before, face = self.faces[number].name, self.faces[number].with_(**changes)
        more = self._on_face_called(before, face.name) if face.name != before else {}
        return self.with_(faces=(*self.faces[:number], face, *self.faces[number + 1 :]), **more)

    def _on_face_called(self, before: str, after: str) -> dict[str, Any]:
        plans = tuple(
            plan.with_(
                strings=tuple(part.with_(face=after) if part.face == before else part for part in plan.strings)
            )
            for plan in self.string_plans
        )
        keyed = self._keyed_by(before, after)
        conditions = self.commissioning.conditions
        light = tuple(item.with_(face=after) if item.face == before else item for item in conditions.light)
        record = keyed["commissioning"].with_(conditions=conditions.with_(light=light))
        return {**keyed, "string_plans": plans, "commissioning": record}

    def with_faces_as_one(self, names: Sequence[str]) -> Self:
        """With faces of one plane stated as the first; what was measured of each, and strings laid by hand, go."""
        parts = [face for face in self.faces if face.name in names]
        whole = parts[0].with_(count=sum(face.count for face in parts), strings=1, rectangle=None)
        faces = tuple(whole if face is parts[0] else face for face in self.faces if face not in parts[1:])
        plans = tuple(
            plan for plan in self.string_plans if not any(string.face in names for string in plan.strings)
        )
        return self.with_(faces=faces, string_plans=plans)

    def weight(self, kind: PurposeKind) -> float:
        """Weight of a purpose, 0 when the job does not name it."""
        return next((purpose.weight for purpose in self.purposes if purpose.kind == kind), 0.0)
