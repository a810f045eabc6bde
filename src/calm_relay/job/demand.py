"""What a house draws: a shape scaled to its bill or a meter's year, with machines, heat pumps and cars on top."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import ClockTime, FilePath, Fraction, Line, Model, NotNegative, Positive
from calm_relay.job.survey import Bill, MeterReading

Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
ALL_MONTHS = tuple(range(1, 13))
Month = Annotated[int, Field(ge=1, le=12)]
Shape = Literal["household", "all-electric", "small shop", "farm"]
CodeLetter = Literal["A", "B", "C", "D", "E", "F", "G", "H", "J", "K", "L", "M", "N", "P", "R", "S", "T", "U", "V"]


class ScheduledLoad(Model):
    """A machine that runs at set local clock times."""

    name: Line = Field(min_length=1, max_length=60)
    kw: Positive = Field(le=200)
    days: tuple[Weekday, ...] = Field(min_length=1, max_length=7)
    start: ClockTime
    hours: Positive = Field(le=24)
    duty: Fraction = Field(default=1.0, gt=0.0, description="Share of the running time that it draws power.")
    months: tuple[Month, ...] = Field(default=ALL_MONTHS, min_length=1, max_length=12)
    starting_a: Positive | None = Field(default=None, le=5000, description="Locked-rotor current, nameplate.")
    code_letter: CodeLetter | None = Field(default=None, description="Locked-rotor code letter of a motor.")
    motor: bool = Field(default=False, description="It starts a motor; without a figure six times its power.")
    planned: bool = Field(default=False, description="Not there yet, but it will come.")


class CopPoint(Model):
    """Heat delivered over electricity drawn, at an outdoor temperature."""

    outdoor_c: float = Field(ge=-40, le=45)
    cop: float = Field(ge=1.0, le=10.0)


# An air-source unit at 45 degC flow: common practice, no source.
COP_POINTS = (
    CopPoint(outdoor_c=-15, cop=1.9),
    CopPoint(outdoor_c=-7, cop=2.3),
    CopPoint(outdoor_c=2, cop=2.9),
    CopPoint(outdoor_c=7, cop=3.5),
    CopPoint(outdoor_c=15, cop=4.3),
)


class HeatPump(Model):
    """Heat for the house: so much on a mean day of the coldest month, less as the days grow warmer."""

    name: Line = Field(default="Heat pump", min_length=1, max_length=60)
    heat_kwh_per_day: Positive = Field(le=2000, description="Heat on a mean day of the coldest month.")
    water_kwh_per_day: NotNegative = Field(default=0.0, le=200, description="Heat for hot water, all year.")
    heats_below_c: float = Field(default=16.0, ge=0.0, le=25.0)
    cop: tuple[CopPoint, ...] = Field(default=COP_POINTS, min_length=1, max_length=20)
    planned: bool = True

    @model_validator(mode="after")
    def _warmer_each(self) -> Self:
        warmth = [point.outdoor_c for point in self.cop]
        if sorted(set(warmth)) != warmth:
            raise ValueError("cop: wanted points from cold to warm, each temperature once")
        return self


class Car(Model):
    """A car that is charged at home within a window."""

    name: Line = Field(default="Car", min_length=1, max_length=60)
    kwh_per_day: Positive = Field(le=200)
    charger_kw: Positive = Field(le=50)
    days: tuple[Weekday, ...] = Field(
        default=("mon", "tue", "wed", "thu", "fri", "sat", "sun"), min_length=1, max_length=7
    )
    start: ClockTime = "23:00"
    end: ClockTime = "07:00"
    planned: bool = True


class _WithLoads(Model):
    loads: tuple[ScheduledLoad, ...] = Field(default=(), max_length=200)
    heat_pumps: tuple[HeatPump, ...] = Field(default=(), max_length=20)
    cars: tuple[Car, ...] = Field(default=(), max_length=20)


class ShapedDemand(_WithLoads):
    """A yearly figure, or bills, spread over the hours of a kind of house, with machines on top."""

    kind: Literal["shape"] = "shape"
    yearly_kwh: Positive = Field(le=1_000_000, description="Without the loads listed beside it.")
    shape: Shape = "household"
    winter_factor: float = Field(default=1.25, ge=0.5, le=2.5, description="Midwinter over yearly mean.")
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    bills: tuple[Bill, ...] = Field(default=(), max_length=60, description="They replace the yearly figure.")


class MeteredDemand(_WithLoads):
    """Demand from a meter's intervals: interval CSV, Green Button XML or NEM12.

    `counts` says what the meter saw: all that the house draws (gross), or import and export beside PV (net);
    gross demand is then import less export plus production, measured or as the roof is modelled.
    """

    kind: Literal["meter"] = "meter"
    path: FilePath = Field(description="Absolute, or beside the job file.")
    reading: MeterReading = MeterReading()
    counts: Literal["gross", "net"] = "gross"
    export_path: FilePath | None = Field(default=None, description="A file of its own for export.")
    export_reading: MeterReading = MeterReading()
    production_path: FilePath | None = Field(default=None, description="Measured production; else it is modelled.")
    production_reading: MeterReading = MeterReading()


Demand = Annotated[ShapedDemand | MeteredDemand, Field(discriminator="kind")]
