"""What a survey adds to a site: usable rectangles, the horizon, string plans, attachments, rule changes."""

from calendar import month_name
from datetime import date
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import MOST, FilePath, Fraction, Identifier, Line, Model, Name, NotNegative, Positive
from calm_relay.job.quantity import measure_text
from calm_relay.job.rooms import IndoorRoom, Room, Wall
from calm_relay.job.wiring import ExistingCircuit

Fate = Literal["keep", "reuse", "remove"]
UnitFate = Literal["keep", "move", "reuse", "remove"]
FuseSchool = Literal["series-fuse rating", "three strings up"]


class Rectangle(Model):
    """The usable rectangle of a roof face, along the eaves and up the slope."""

    width_m: Positive = Field(le=200, description="Along the eaves.")
    height_m: Positive = Field(le=100, description="Up the slope.")
    margin_m: NotNegative = Field(default=0.3, le=5, description="Kept free on every side.")
    gap_mm: NotNegative = Field(default=20, le=500, description="Between modules, for clamps.")
    layout: Literal["best", "upright", "lying"] = Field(
        default="best", description="How modules lie: long side up the slope, along the eaves, or what holds more."
    )


class HorizonPoint(Model):
    """How high something stands against the sky in one direction."""

    azimuth: float = Field(ge=0.0, lt=360.0, description="Clockwise from north.")
    elevation: float = Field(ge=0.0, lt=90.0)


class Snow(Model):
    """Fresh snow of a usual year at a site, by which its modules lie covered."""

    fall_cm: tuple[Annotated[float, Field(ge=0.0, le=1000.0)], ...] = Field(
        min_length=12, max_length=12, title="Fresh snow", description="Of each month, January first."
    )
    days: tuple[Annotated[float, Field(ge=0.0, le=31.0)], ...] = Field(
        min_length=12,
        max_length=12,
        title="Days of snowfall",
        description="With more than 2.5 cm, an inch, of it.",
    )
    humidity: Fraction = Field(default=0.8, title="Humidity of the winter's air")
    lower_edge_m: NotNegative = Field(
        default=3.0,
        le=50,
        title="Lower edge of the array, above where the snow comes to lie",
        description="Snow that cannot slide away from it lies longer.",
    )

    @model_validator(mode="after")
    def _falls_on_days(self) -> Self:
        for month, (fall, days) in enumerate(zip(self.fall_cm, self.days, strict=True)):
            if fall > 2.5 and days == 0.0:
                raise ValueError(f"the snow of {month_name[month + 1]} needs a day on which it falls")
        return self

    @property
    def falls(self) -> bool:
        """Whether there is any."""
        return any(self.fall_cm)

    def summary(self, in_feet: bool) -> str:
        """It in a few words, in inches where lengths are told in feet."""
        if not self.falls:
            return "none falls"
        days = sum(self.days)
        fall = measure_text(sum(self.fall_cm), "cm", 0, in_feet)
        return f"{fall} a year, on {days:.0f} {'day' if round(days) == 1 else 'days'}"


class PlannedString(Model):
    """Modules of one face in series on one input."""

    face: Name = Field(description="Name of the face.")
    modules: int = Field(ge=1, le=500)
    input: int = Field(ge=1, le=96)
    chain: int | None = Field(
        default=None,
        ge=1,
        le=100,
        description="Of optimisers: parts of one number on an input are one string over faces; None: by itself.",
    )


class StringPlan(Model):
    """Strings laid by hand on the inputs of one inverter; without a plan the planner lays them."""

    inverter: Identifier
    unit: int = Field(default=1, ge=1, le=8, description="Which of several alike, counted from 1.")
    strings: tuple[PlannedString, ...] = Field(min_length=1, max_length=100)

    def parts_of(self, at: int) -> tuple[int, ...]:
        """Places of all parts of the string that the one at a place is part of, in their order."""
        one = self.strings[at]
        return tuple(
            number
            for number, other in enumerate(self.strings)
            if number == at or (one.chain is not None and (other.chain, other.input) == (one.chain, one.input))
        )


class Surveyed(Model):
    """What becomes of a thing that is there today."""

    fate: UnitFate
    works_cost: NotNegative | None = Field(
        default=None, le=MOST, description="Of moving or taking it away; None: by the firm's prices."
    )

    @property
    def stays(self) -> bool:
        """Whether it is there whatever comes."""
        return self.fate in ("keep", "move")

    @property
    def goes(self) -> bool:
        """Whether it is taken away whatever comes."""
        return self.fate == "remove"


class ExistingInverter(Surveyed):
    """An inverter already on the wall; the strings of which faces are on it, the faces say."""

    name: Name = Field(default="Inverter", description="By which faces and batteries say what they are on.")
    inverter: Identifier
    age_years: NotNegative = Field(default=0, le=60)
    fate: UnitFate = Field(
        default="reuse",
        description="keep: it stays; move: it stays, at another place; reuse: stays or goes; remove: it goes.",
    )
    circuit: ExistingCircuit = Field(default=ExistingCircuit(), description="Its AC cable and breaker.")
    phase: Literal[1, 2, 3] | None = Field(
        default=None, description="Phase of three that a single-phase unit hangs on; None: that of new ones."
    )


class ExistingBattery(Surveyed):
    """A battery already there, on a unit of its own or (`inverter` left out) on an existing inverter."""

    name: Name = "Battery"
    pack: Identifier
    count: int = Field(default=1, ge=1, le=64)
    inverter: Identifier | None = None
    wired_to: Name | None = Field(
        default=None, description="Existing inverter that carries it; None: a unit of its own, or the first."
    )
    age_years: NotNegative = Field(default=0, le=40)
    health: float = Field(default=1.0, ge=0.2, le=1.0, description="Usable energy now over usable when new.")
    measured_kwh: Positive | None = Field(
        default=None, le=10_000, description="Usable energy as a test measured it; None: by its health."
    )
    fate: UnitFate = Field(
        default="keep",
        description="keep: it stays; move: it stays, at another place; reuse: its packs may go elsewhere; remove: "
        "it goes.",
    )
    reserve: Fraction | None = Field(default=None, description="None: the same as the new battery's.")
    waits: bool = Field(default=False, description="It serves only what the new battery leaves.")
    phase: Literal[1, 2, 3] | None = Field(
        default=None, description="Phase of three that its own single-phase unit hangs on; None: that of new ones."
    )


class BatteryPlace(Model):
    """Where the new battery stands; heights are above the same floor."""

    where: Literal["heated room", "unheated room", "outdoors"] = "heated room"
    base_m: NotNegative = Field(default=0.3, le=10, description="Lower edge of the lowest pack.")
    flood_m: NotNegative = Field(default=0.0, le=10, description="Highest water that is to be expected.")
    hottest_c: float | None = Field(
        default=None, ge=0.0, le=70.0, description="Hottest air there; else from the year's air."
    )
    ventilated: bool = Field(default=True, description="Lead-acid gives off gas.")
    room: IndoorRoom | None = Field(
        default=None, description="Which room, where it stands indoors; None: not stated."
    )
    to_opening_m: NotNegative | None = Field(
        default=None, le=100, description="To the nearest door, window or way out; None: not measured."
    )
    wall: Wall | None = Field(
        default=None,
        description="What it hangs on, and whether a habitable room is behind that; None: not stated.",
    )

    @property
    def stands_in(self) -> Room | None:
        """The room, or outdoors; None where nobody stated it."""
        return "outdoors" if self.where == "outdoors" else self.room


class Attachment(Model):
    """A photo or a paper that belongs to the job; the file stays where it is."""

    path: FilePath = Field(description="Absolute, or beside the job file.")
    caption: Line = Field(default="", max_length=300)
    station: Literal["", "Site", "Roof", "Strings", "Inverter", "Battery", "Home", "Grid"] = ""


class RuleChange(Model):
    """A rule of the region's pack as this job holds it: another limit, or left out."""

    rule: Identifier
    limit: NotNegative | None = Field(default=None, le=100_000, description="None: the rule is left out.")
    why: Line = Field(default="", max_length=300)


class Bill(Model):
    """One bill: the days it covers, both counted, and the energy on it.

    What went out and what the array made are read where the bills count what came from the grid.
    """

    first: str = Field(pattern=r"^\d{4}-\d{2}-\d{2}$")
    last: str = Field(pattern=r"^\d{4}-\d{2}-\d{2}$")
    kwh: NotNegative = Field(le=1_000_000)
    sent_kwh: NotNegative | None = Field(default=None, le=1_000_000, description="What went out to the grid.")
    made_kwh: NotNegative | None = Field(
        default=None, le=1_000_000, description="What the array made in those days, as its inverter counted it."
    )

    @model_validator(mode="after")
    def _covers_days(self) -> Self:
        days = (date.fromisoformat(self.last) - date.fromisoformat(self.first)).days + 1
        if not 1 <= days <= 400:
            raise ValueError(f"covers {days} days; wanted first before last and at most 400 days")
        return self


class MeterReading(Model):
    """How a meter file is to be read; what is left out is found out from the file."""

    delimiter: Literal[",", ";", "\t", "|"] | None = None
    decimal_mark: Literal[".", ","] | None = None
    unit: Literal["kwh", "wh", "kw", "w"] | None = None
    stamps: Literal["start", "end"] | None = None
    clock: Literal["standard", "local", "utc"] | None = None
    day_first: bool | None = None
    import_column: int | None = Field(default=None, ge=1, le=400, description="Counted from 1.")
    export_column: int | None = Field(default=None, ge=0, le=400, description="0: there is none.")
    meter: Line | None = Field(default=None, description="Which meter, where the file holds several.")


__all__ = [
    "Attachment",
    "BatteryPlace",
    "Bill",
    "ExistingBattery",
    "ExistingInverter",
    "Fate",
    "FuseSchool",
    "HorizonPoint",
    "MeterReading",
    "PlannedString",
    "Rectangle",
    "RuleChange",
    "Snow",
    "StringPlan",
    "UnitFate",
]
