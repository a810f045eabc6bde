"""The job: one immutable statement of a site, its purposes and the choices made so far."""

from pathlib import PurePath
from typing import Annotated, Literal, Self
from zoneinfo import ZoneInfo, available_timezones

from pydantic import Field, field_validator, model_validator

from calm_relay.job.base import ClockTime, Fraction, Identifier, Model, NotNegative, Positive
from calm_relay.job.equipment import Catalogue, Phases
from calm_relay.job.tariff import Costs, RatioRule, Tariff

FORMAT = "calm-relay-job"
SCHEMA_VERSION = 1
Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]


class WeatherFile(Model):
    """A weather year read from an EPW or TMY3 file."""

    kind: Literal["file"] = "file"
    path: str = Field(min_length=1, description="Absolute, or beside the job file.")

    @field_validator("path")
    @classmethod
    def _known_ending(cls, path: str) -> str:
        if PurePath(path).suffix.lower() not in {".epw", ".csv", ".tm3"}:
            raise ValueError("wanted a path that ends in .epw (EPW) or .csv or .tm3 (TMY3)")
        return path


class ClimatePreset(Model):
    """A reproducible made year for a named climate; figures that rest on it are assumed."""

    kind: Literal["preset"] = "preset"
    climate: Identifier
    seed: int = Field(default=1, ge=0, le=2**31 - 1)


Weather = Annotated[WeatherFile | ClimatePreset, Field(discriminator="kind")]


class Site(Model):
    """Where the job stands."""

    place: str
    latitude: float = Field(ge=-66.0, le=66.0)
    longitude: float = Field(ge=-180.0, le=180.0)
    elevation_m: float = Field(default=0.0, ge=-400.0, le=5000.0)
    time_zone: str
    year: int = Field(default=2026, ge=2001, le=2099, description="Calendar that sets weekdays and clocks.")
    weather: Weather
    coldest_c: float | None = Field(
        default=None, ge=-60.0, le=30.0, description="Coldest daylight cell temperature; else from the year."
    )
    hottest_c: float | None = Field(
        default=None, ge=10.0, le=60.0, description="Hottest air temperature; else from the year."
    )

    @field_validator("time_zone")
    @classmethod
    def _zone_exists(cls, name: str) -> str:
        if name not in available_timezones():
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
    """The service from the street."""

    phases: Phases
    volts: Positive = Field(le=690, description="Phase to neutral; 240 for split phase 120/240.")
    main_fuse_a: Positive = Field(le=1000)

    @property
    def import_limit_kw(self) -> float:
        """What the main fuse carries at unity power factor over all phases [kW]."""
        return self.main_fuse_a * self.volts * (3 if self.phases == "three" else 1) / 1000


PurposeKind = Literal["lower_bills", "use_own_power", "ride_through_outage", "low_outlay", "gentle_works"]


class Purpose(Model):
    """Why the customer wants a battery, and how much that weighs."""

    kind: PurposeKind
    weight: NotNegative = Field(le=10)


class RoofFace(Model):
    """One plane of modules."""

    name: str
    module: Identifier
    count: int = Field(ge=1, le=500)
    strings: int = Field(default=1, ge=1, le=50)
    tilt: float = Field(ge=0.0, le=90.0)
    azimuth: float = Field(ge=0.0, lt=360.0, description="Clockwise from north.")
    age_years: NotNegative = Field(default=0, le=60)

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


class ExistingInverter(Model):
    """The inverter already on the wall."""

    converter: Identifier
    age_years: NotNegative = Field(default=0, le=60)


class ScheduledLoad(Model):
    """A machine that runs at set local clock times."""

    name: str
    kw: Positive = Field(le=200)
    days: tuple[Weekday, ...] = Field(min_length=1)
    start: ClockTime
    hours: Positive = Field(le=24)


class ShapedDemand(Model):
    """A yearly figure spread over a household's hours, with machines on top."""

    kind: Literal["shape"] = "shape"
    yearly_kwh: Positive = Field(le=1_000_000, description="Without the scheduled loads.")
    shape: Literal["household"] = "household"
    winter_factor: float = Field(default=1.25, ge=0.5, le=2.5, description="Midwinter over yearly mean.")
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    loads: tuple[ScheduledLoad, ...] = ()


class MeteredDemand(Model):
    """Gross demand from an interval CSV that covers a year."""

    kind: Literal["meter"] = "meter"
    path: str = Field(min_length=1, description="Absolute, or beside the job file.")
    loads: tuple[ScheduledLoad, ...] = ()


Demand = Annotated[ShapedDemand | MeteredDemand, Field(discriminator="kind")]


class GridCharge(Model):
    """The daily window in which the store may be filled from the street."""

    start: ClockTime
    end: ClockTime
    target: Fraction = Field(default=1.0, description="State of charge at which it stops.")
    limit_kw: Positive | None = Field(default=None, le=100)

    @model_validator(mode="after")
    def _has_length(self) -> Self:
        if self.start == self.end:
            raise ValueError("start and end are the same; wanted a window with a length")
        return self


class Store(Model):
    """The battery under discussion, and the boxes that would carry it (None: the planner chooses)."""

    pack: Identifier
    count: int = Field(default=1, ge=1, le=64)
    reserve: float = Field(default=0.1, ge=0.0, le=0.95, description="Kept back for an outage.")
    grid_charge: GridCharge | None = None
    battery_inverter: Identifier | None = None
    hybrid: Identifier | None = None


class ArrayLosses(Model):
    """Losses of the array that no datasheet states; fractions of what reaches them."""

    soiling: Fraction = 0.02
    shading: Fraction = 0.0
    mismatch: Fraction = 0.01
    wiring: Fraction = 0.01
    albedo: Fraction = 0.2


class Job(Model):
    """Everything the planner reads."""

    format: Literal["calm-relay-job"] = FORMAT
    schema_version: Literal[1] = SCHEMA_VERSION
    name: str = Field(min_length=1, max_length=120)
    customer: str = ""
    notes: str = ""
    site: Site
    supply: Supply
    purposes: tuple[Purpose, ...] = Field(min_length=1)
    faces: tuple[RoofFace, ...] = Field(min_length=1, max_length=12)
    losses: ArrayLosses = ArrayLosses()
    inverter: ExistingInverter
    demand: Demand
    tariff: Tariff
    store: Store
    costs: Costs = Costs()
    rules: tuple[RatioRule, ...] = ()
    own_equipment: Catalogue = Catalogue()

    @model_validator(mode="after")
    def _purposes_weigh_something(self) -> Self:
        kinds = [purpose.kind for purpose in self.purposes]
        if len(set(kinds)) != len(kinds):
            raise ValueError("purposes: each kind may stand once")
        if not any(purpose.weight > 0 for purpose in self.purposes):
            raise ValueError("purposes: at least one weight must be above 0")
        return self

    def weight(self, kind: PurposeKind) -> float:
        """Weight of a purpose, 0 when the job does not name it."""
        return next((purpose.weight for purpose in self.purposes if purpose.kind == kind), 0.0)
