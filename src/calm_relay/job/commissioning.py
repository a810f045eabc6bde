"""Commissioning as a job keeps it: the light it was done in, what was read and tested, with what and by whom."""

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from calm_relay.job.base import ClockTime, Identifier, Line, Model, Name, Prose

Clouds = Literal["clear", "thin cloud", "overcast"]
Result = Literal["not done", "passed", "failed"]
CtMomentKind = Literal["load only", "PV only", "charging"]


def _real_day(text: str) -> str:
    """A day that there is, as YYYY-MM-DD."""
    try:
        there = len(text) == 10 and 2000 <= date.fromisoformat(text).year <= 2099
    except ValueError:
        there = False
    if not there:
        raise ValueError("wanted a day as year-month-day, such as 2026-06-21")
    return text


CalendarDay = Annotated[str, AfterValidator(_real_day), Field(json_schema_extra={"format": "date"})]
# Power on one phase [kW].
PhaseKw = Annotated[float, Field(ge=-1000.0, le=1000.0)]
CT_MOMENTS: tuple[CtMomentKind, ...] = ("load only", "PV only", "charging")


class FaceLight(Model):
    """What was measured on a face: irradiance in its plane and the temperature of its cells; None: judged."""

    face: Name
    irradiance: float | None = Field(default=None, ge=0.0, le=1600.0, title="Irradiance in its plane")
    cell_c: float | None = Field(default=None, ge=-40.0, le=110.0, title="Module temperature")


class Conditions(Model):
    """When, and in what light; of what was not measured the clear sky of that time is taken."""

    on: CalendarDay | None = Field(default=None, title="Date", description="None: not said yet.")
    at: ClockTime = Field(default="12:00", title="Time")
    clouds: Clouds = Field(default="clear", title="Clouds")
    air_c: float | None = Field(default=None, ge=-50.0, le=55.0, title="Air")
    light: tuple[FaceLight, ...] = Field(default=(), max_length=12, description="Faces that were measured.")

    @model_validator(mode="after")
    def _faces_once(self) -> Self:
        names = [item.face for item in self.light]
        if len(set(names)) != len(names):
            raise ValueError("light: wanted each face once")
        return self

    def of_face(self, face: str) -> FaceLight:
        """What was measured on a face."""
        return next((item for item in self.light if item.face == face), FaceLight(face=face))

    def with_face(self, light: FaceLight) -> Self:
        """With what was measured on a face."""
        rest = tuple(item for item in self.light if item.face != light.face)
        empty = light.irradiance is None and light.cell_c is None
        return self.with_(light=rest if empty else (*rest, light))


class TypedReading(Model):
    """What an instrument or a display said; `key` names the reading as `planning.commissioning.expected` does."""

    key: Line = Field(min_length=3, max_length=160)
    value: float = Field(ge=-1e6, le=1e6)


class TestRecord(Model):
    """How a functional test went."""

    # Not a class of tests.
    __test__ = False
    key: Line = Field(min_length=3, max_length=160)
    result: Result = "not done"
    note: Line = ""


class Instrument(Model):
    """What it was measured with."""

    name: Name = Field(title="Instrument")
    serial: Line = Field(default="", title="Serial number")
    calibrated: Line = Field(default="", max_length=60, title="Calibrated until")


class SerialNumber(Model):
    """The serial number of a part, by its key in the topology."""

    part: Line = Field(min_length=3, max_length=160)
    serial: Line = Field(min_length=1, max_length=120)


class KeyedValue(Model):
    """A setting that was keyed in other than the sheet says; `name` names it as the sheet does."""

    name: Line = Field(min_length=3, max_length=300)
    value: Line = Field(min_length=1, max_length=120)


class FieldDevice(Model):
    """A device that is read over SunSpec Modbus, and what part of the plant it is; "": by what it says of itself."""

    address: Line = Field(min_length=1, max_length=200, title="Address")
    unit: int = Field(default=1, ge=1, le=247, title="Unit")
    part: Line = Field(default="", max_length=160, title="Is")


class CtMoment(Model):
    """One moment of the current transformers' test: what flowed on each phase, and what the unit's display said.

    All in kW by phase: `load` into the home, `pv` out of the inverters, `charge` into the battery, `shown` as read.
    """

    kind: CtMomentKind
    load: tuple[PhaseKw, ...] = Field(default=(), max_length=3)
    pv: tuple[PhaseKw, ...] = Field(default=(), max_length=3)
    charge: tuple[PhaseKw, ...] = Field(default=(), max_length=3)
    shown: tuple[PhaseKw, ...] = Field(default=(), max_length=3)


class Commissioning(Model):
    """Everything that is written down in front of the new system, for one of the options."""

    option: Identifier | None = Field(default=None, description="What was built; None: not said yet.")
    by: Line = Field(default="", max_length=120, title="Done by")
    conditions: Conditions = Conditions()
    readings: tuple[TypedReading, ...] = Field(default=(), max_length=2000)
    tests: tuple[TestRecord, ...] = Field(default=(), max_length=200)
    instruments: tuple[Instrument, ...] = Field(default=(), max_length=20)
    serials: tuple[SerialNumber, ...] = Field(default=(), max_length=500)
    keyed: tuple[Line, ...] = Field(default=(), max_length=500, description="Settings keyed in as the sheet says.")
    keyed_other: tuple[KeyedValue, ...] = Field(
        default=(), max_length=500, description="Settings keyed in other than the sheet says."
    )
    ct_moments: tuple[CtMoment, ...] = Field(default=(), max_length=3)
    devices: tuple[FieldDevice, ...] = Field(default=(), max_length=32)
    open_points: Prose = ""

    @model_validator(mode="after")
    def _each_once(self) -> Self:
        for label, keys in (
            ("readings", [item.key for item in self.readings]),
            ("tests", [item.key for item in self.tests]),
            ("serials", [item.part for item in self.serials]),
            ("keyed", list(self.keyed)),
            ("keyed_other", [item.name for item in self.keyed_other]),
            ("ct_moments", [str(item.kind) for item in self.ct_moments]),
        ):
            twice = (
                next((key for key in keys if keys.count(key) > 1), None) if len(set(keys)) < len(keys) else None
            )
            if twice is not None:
                raise ValueError(f"{label}: {twice!r} stands there twice; wanted each once")
        return self

    def value(self, key: str) -> float | None:
        """What was read, None where it was not."""
        return next((item.value for item in self.readings if item.key == key), None)

    def with_value(self, key: str, value: float | None) -> Self:
        """With a reading typed, or taken away; its place in the list stays."""
        return self.with_(
            readings=_put(self.readings, key, None if value is None else TypedReading(key=key, value=value))
        )

    def test(self, key: str) -> TestRecord:
        """How a test went."""
        return next((item for item in self.tests if item.key == key), TestRecord(key=key))

    def with_test(self, record: TestRecord) -> Self:
        """With how a test went."""
        empty = record.result == "not done" and not record.note
        return self.with_(tests=_put(self.tests, record.key, None if empty else record))

    def serial(self, part: str) -> str:
        """The serial number of a part, empty where none was written down."""
        return next((item.serial for item in self.serials if item.part == part), "")

    def with_serial(self, part: str, serial: str) -> Self:
        """With the serial number of a part."""
        rest = tuple(item for item in self.serials if item.part != part)
        return self.with_(serials=(*rest, SerialNumber(part=part, serial=serial)) if serial else rest)

    def ct_moment(self, kind: CtMomentKind) -> CtMoment:
        """A moment of the current transformers' test."""
        return next((item for item in self.ct_moments if item.kind == kind), CtMoment(kind=kind))

    def with_ct_moment(self, moment: CtMoment) -> Self:
        """With a moment of the current transformers' test."""
        rest = tuple(item for item in self.ct_moments if item.kind != moment.kind)
        empty = not (moment.load or moment.pv or moment.charge or moment.shown)
        return self.with_(ct_moments=rest if empty else (*rest, moment))

    def keyed_as(self, name: str) -> str:
        """What was keyed in for a setting instead of the sheet's value; empty where nothing was."""
        return next((item.value for item in self.keyed_other if item.name == name), "")

    def with_keyed_as(self, name: str, value: str) -> Self:
        """With what was keyed in for a setting instead of the sheet's value; empty: nothing."""
        rest = tuple(item for item in self.keyed_other if item.name != name)
        return self.with_(keyed_other=(*rest, KeyedValue(name=name, value=value)) if value else rest)

    def with_keyed(self, name: str, keyed: bool) -> Self:
        """With a setting keyed in, or not."""
        rest = tuple(item for item in self.keyed if item != name)
        return self.with_(keyed=(*rest, name) if keyed else rest)


def _put(items: tuple, key: str, item: Model | None) -> tuple:  # type: ignore[type-arg]
    """A list by key with one of its items changed in its place, added at the end, or taken away."""
    if all(other.key != key for other in items):
        return (*items, item) if item is not None else items
    changed = (item if other.key == key else other for other in items)
    return tuple(other for other in changed if other is not None)


__all__ = [
    "CT_MOMENTS",
    "Commissioning",
    "Conditions",
    "CtMoment",
    "CtMomentKind",
    "FaceLight",
    "FieldDevice",
    "Instrument",
    "KeyedValue",
    "SerialNumber",
    "TestRecord",
    "TypedReading",
]
