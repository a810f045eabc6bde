"""What a logbook holds: commissioning, visits, counters, months, faults, parts and tests; beside the job, not in it."""

from typing import Annotated, Any, Literal

from pydantic import Field

from calm_relay.job.base import FilePath, Line, Model, Name, NotNegative, Prose, WeatherPath
from calm_relay.job.commissioning import CalendarDay

Energy = Annotated[float, Field(ge=0.0, le=1e8)]
ColumnName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_ .-]*$", max_length=80)]
MOST_ROWS_A_LINE = 5000
# Of a stretch of readings: no line holds more than a few years.
Second = Annotated[float, Field(ge=0.0, le=1e9)]


class Handover(Model):
    """The system was commissioned: by whom, which option, and how its readings came out."""

    kind: Literal["commissioning"] = "commissioning"
    on: CalendarDay
    by: Line = ""
    option: Line = ""
    passed: int = Field(default=0, ge=0, le=10_000)
    doubtful: int = Field(default=0, ge=0, le=10_000)
    failed: int = Field(default=0, ge=0, le=10_000)
    text: Prose = ""


class Visit(Model):
    """Somebody was there."""

    kind: Literal["visit"] = "visit"
    on: CalendarDay
    by: Line = ""
    text: Prose = Field(default="", title="What was seen and done")


class MeterCounters(Model):
    """Counters as read on a day [kWh]; None: not read."""

    kind: Literal["meter"] = "meter"
    on: CalendarDay
    production_kwh: Energy | None = Field(default=None, title="Array production")
    import_kwh: Energy | None = Field(default=None, title="From the grid")
    export_kwh: Energy | None = Field(default=None, title="To the grid")
    throughput_kwh: Energy | None = Field(default=None, title="Out of the battery")


class MonthFacts(Model):
    """What a month came to [kWh], and the light that fell on the level [kWh/m2]; None: not known."""

    kind: Literal["month"] = "month"
    year: int = Field(ge=2000, le=2099, title="Year")
    month: int = Field(ge=1, le=12, title="Month")
    production_kwh: Energy | None = Field(default=None, title="Array production")
    import_kwh: Energy | None = Field(default=None, title="From the grid")
    export_kwh: Energy | None = Field(default=None, title="To the grid")
    throughput_kwh: Energy | None = Field(default=None, title="Out of the battery")
    light_kwh_m2: NotNegative | None = Field(default=None, le=400.0, title="Light on the level")


class YearOfWeather(Model):
    """A file with the weather there was in a year (EPW, TMY3, a table): the plan is run again by its hours."""

    kind: Literal["weather"] = "weather"
    year: int = Field(ge=2000, le=2099, title="Year")
    path: WeatherPath = Field(title="Weather file")


class Firmware(Model):
    """A part has new firmware."""

    kind: Literal["firmware"] = "firmware"
    on: CalendarDay
    part: Name
    version: Line = Field(min_length=1, title="Version")


class Fault(Model):
    """Something went wrong."""

    kind: Literal["fault"] = "fault"
    on: CalendarDay
    part: Line = ""
    text: Prose = Field(default="", title="What happened")


class PartChanged(Model):
    """A part was exchanged or added."""

    kind: Literal["part"] = "part"
    on: CalendarDay
    part: Name
    serial: Line = Field(default="", title="New serial number")
    text: Prose = Field(default="", title="Why")


class Photo(Model):
    """A picture; the file stays where it is."""

    kind: Literal["photo"] = "photo"
    on: CalendarDay
    path: FilePath
    caption: Line = ""


class CapacityTest(Model):
    """What a battery gave from full to its cut-off [kWh at its terminals]."""

    kind: Literal["capacity"] = "capacity"
    on: CalendarDay
    part: Line = Field(default="", title="Battery")
    kwh: float = Field(gt=0.0, le=100_000.0, title="Given from full to empty")
    text: Prose = Field(default="", title="How it was measured")


class Readings(Model):
    """A stretch of readings in columns: seconds since `start` (ISO 8601, UTC) and values by name; null: none."""

    kind: Literal["readings"] = "readings"
    start: Line = Field(min_length=16, max_length=40)
    seconds: tuple[Second, ...] = Field(max_length=MOST_ROWS_A_LINE)
    columns: dict[ColumnName, tuple[float | None, ...]] = Field(max_length=60)


Entry = Annotated[
    Handover
    | Visit
    | MeterCounters
    | MonthFacts
    | YearOfWeather
    | Firmware
    | Fault
    | PartChanged
    | Photo
    | CapacityTest
    | Readings,
    Field(discriminator="kind"),
]
KINDS: dict[str, tuple[type[Any], str]] = {
    "visit": (Visit, "Visit"),
    "meter": (MeterCounters, "Counters read"),
    "month": (MonthFacts, "A month's figures"),
    "weather": (YearOfWeather, "Weather file of a year"),
    "capacity": (CapacityTest, "Capacity test"),
    "fault": (Fault, "Fault"),
    "part": (PartChanged, "Part exchanged"),
    "firmware": (Firmware, "Firmware"),
    "photo": (Photo, "Photo"),
    "commissioning": (Handover, "Commissioned"),
}
