"""What a house draws: a shape scaled to its bill or a meter's year, with machines, heat pumps and cars on top."""

from typing import Annotated, Any, Final, Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import (
    MOST,
    PRICE_MOST,
    ClockTime,
    FilePath,
    Fraction,
    Line,
    Model,
    NotNegative,
    Positive,
    Rise,
)
from calm_relay.job.control import Window, refuse_meeting
from calm_relay.job.survey import Bill, MeterReading

WATER_KWH_PER_L_K = 1.163e-3
# Loads beside the house, by the fields that hold them.
LOAD_FIELDS = ("loads", "heat_pumps", "cars", "hot_water", "flexible")
Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
ALL_MONTHS = tuple(range(1, 13))
Month = Annotated[int, Field(ge=1, le=12)]
Shape = Literal["household", "all-electric", "small shop", "farm"]
CodeLetter = Literal["A", "B", "C", "D", "E", "F", "G", "H", "J", "K", "L", "M", "N", "P", "R", "S", "T", "U", "V"]


OnPhase = Literal["all", "1", "2", "3"]


class OneLoad(Model):
    """What every load beside the house has."""

    phase: OnPhase = Field(
        default="all",
        title="Hangs on phase or leg",
        description="Of a service that has several; a circuit of the board that holds the load says it first.",
    )


class ScheduledLoad(OneLoad):
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


Fuel = Literal["gas", "heating oil", "liquid gas", "wood pellets", "petrol", "diesel"]
DRIVEN_ON = ("petrol", "diesel")


class FuelToday(Model):
    """What is burnt today where a heat pump or a car on electricity will come, and what that costs."""

    fuel: Fuel = Field(default="gas", title="Burnt today")
    price: NotNegative = Field(
        default=0.0,
        le=PRICE_MOST,
        title="Price",
        description="Of a kWh of gas, a litre, or a kilogram of pellets.",
    )
    a_year: NotNegative | None = Field(
        default=None,
        le=1_000_000,
        title="Used a year",
        description="In the unit of the price. None: worked out from the heat or the distance.",
    )
    rise: Rise | None = Field(
        default=None, title="Rises a year", description="None: as prices rise in the price list."
    )
    ends_a_year: NotNegative = Field(
        default=0.0,
        le=MOST,
        title="Ends with it, a year",
        description="Standing charge, service and the like that are paid today and not then.",
    )
    costs_more: NotNegative = Field(
        default=0.0,
        le=MOST,
        title="Costs more",
        description="Than to go on as today, once, rebates taken off.",
    )


class HeatPump(OneLoad):
    """Heat for the house: so much on a mean day of the coldest month, less as the days grow warmer."""

    name: Line = Field(default="Heat pump", min_length=1, max_length=60)
    heat_kwh_per_day: Positive = Field(le=2000, description="Heat on a mean day of the coldest month.")
    water_kwh_per_day: NotNegative = Field(default=0.0, le=200, description="Heat for hot water, all year.")
    heats_below_c: float = Field(default=16.0, ge=0.0, le=25.0)
    cop: tuple[CopPoint, ...] = Field(default=COP_POINTS, min_length=1, max_length=20)
    buffer_kwh: NotNegative = Field(
        default=0.0, le=2000, description="Heat that tank or floor holds for later; 0: none, it is not controlled."
    )
    most_kw: Positive | None = Field(
        default=None, le=200, description="Most power it draws; None: a fifth above what the coldest day asks."
    )
    set_back: tuple[Window, ...] = Field(
        default=(), max_length=4, description="When it rests, as long as its buffer lasts."
    )
    on_surplus: bool = Field(default=True, description="It fills its buffer from what the array leaves.")
    starts_softly: bool = Field(
        default=True, description="Its compressor is driven at any speed and starts softly."
    )
    starting_a: Positive | None = Field(
        default=None, le=5000, description="Locked-rotor current of a compressor that starts at once, nameplate."
    )
    planned: bool = True
    instead_of: FuelToday | None = Field(default=None, title="In place of")

    @property
    def is_controlled(self) -> bool:
        """Whether a control moves what it draws."""
        return self.buffer_kwh > 0.0

    @model_validator(mode="after")
    def _warmer_each(self) -> Self:
        refuse_meeting(self.set_back, "set_back")
        if self.instead_of is not None and self.instead_of.fuel in DRIVEN_ON:
            raise ValueError(f"instead_of: is {self.instead_of.fuel}; wanted what a house is heated with")
        warmth = [point.outdoor_c for point in self.cop]
        if sorted(set(warmth)) != warmth:
            raise ValueError("cop: wanted points from cold to warm, each temperature once")
        return self


CarCharger = Literal["on AC", "on DC of the hybrid"]
ON_HYBRID: Final = "on DC of the hybrid"


class Car(OneLoad):
    """A car that is charged at home within a window."""

    name: Line = Field(default="Car", min_length=1, max_length=60)
    kwh_per_day: Positive = Field(le=200)
    charger_kw: Positive = Field(le=50)
    days: tuple[Weekday, ...] = Field(
        default=("mon", "tue", "wed", "thu", "fri", "sat", "sun"), min_length=1, max_length=7
    )
    start: ClockTime = "23:00"
    end: ClockTime = "07:00"
    control: Literal["at once", "on surplus", "in cheap hours"] = Field(
        default="at once", description="How it is charged between the two; wanted full at the end."
    )
    least_kw: NotNegative = Field(
        default=1.4, le=50, description="Least it can be charged with: 6 A by IEC 61851-1."
    )
    from_battery: bool = Field(default=False, description="The battery serves it where it cannot wait.")
    within_fuse: bool = Field(default=True, description="It holds back so that the main fuse holds.")
    charger: CarCharger = Field(default="on AC", description="Where its charger hangs.")
    battery_kwh: Positive | None = Field(
        default=None, le=500, description="Usable energy of the car's battery; needed where it gives back."
    )
    car_gives_back: bool = Field(default=False, description="The car may feed the house, as its maker states.")
    charger_gives_back: bool = Field(
        default=False, description="So may the charger on AC; of one on a hybrid the hybrid's datasheet says it."
    )
    gives_kw: Positive | None = Field(default=None, le=50, description="None: as it is charged with.")
    keeps: Fraction = Field(default=0.5, description="Share of its battery that it does not give.")
    planned: bool = True
    instead_of: FuelToday | None = Field(default=None, title="In place of")

    @property
    def is_controlled(self) -> bool:
        """Whether anything bounds or moves what it draws; else it is one of the house's loads, backup included."""
        bounded = self.within_fuse or not self.from_battery
        return bounded or self.control != "at once" or self.charger == ON_HYBRID or self.may_give_back

    @property
    def may_give_back(self) -> bool:
        """Whether car and charger on AC state that they give back; of one on a hybrid the hybrid says it."""
        return self.car_gives_back and (self.charger_gives_back or self.charger == ON_HYBRID)

    @model_validator(mode="after")
    def _gives_what_it_has(self) -> Self:
        if self.car_gives_back and self.battery_kwh is None:
            raise ValueError("battery_kwh: is missing; wanted the car's usable energy, as it gives back")
        if self.battery_kwh is not None and self.battery_kwh < self.kwh_per_day:
            raise ValueError(
                f"battery_kwh: is {self.battery_kwh:g}, less than the {self.kwh_per_day:g} kWh of a day; wanted more"
            )
        return self

    @model_validator(mode="after")
    def _driven_on(self) -> Self:
        if self.instead_of is not None and self.instead_of.fuel not in DRIVEN_ON:
            raise ValueError(f"instead_of: is {self.instead_of.fuel}; wanted petrol or diesel")
        return self


class HotWater(OneLoad):
    """A tank of hot water with an element that a control switches."""

    name: Line = Field(default="Hot water", min_length=1, max_length=60)
    litres: Positive = Field(default=200.0, ge=10, le=20_000)
    element_kw: Positive = Field(default=3.0, le=100)
    steps: int = Field(default=0, ge=0, le=12, description="Steps of its power on surplus; 0: any power.")
    hot_c: float = Field(default=60.0, ge=35.0, le=95.0)
    cold_c: float = Field(default=12.0, ge=0.0, le=30.0, description="Cold water that comes in.")
    litres_per_day: NotNegative = Field(default=120.0, le=20_000, description="Hot water used on a day.")
    pattern: Literal["morning and evening", "evening", "all day"] = "morning and evening"
    standing_loss_kwh: NotNegative = Field(default=1.5, le=100, description="A day, when hot.")
    on_surplus: bool = Field(default=True, description="It is heated by what the array leaves.")
    battery_above: Fraction = Field(
        default=0.0, description="State of charge of the batteries from which it takes surplus."
    )
    keep_above: Fraction = Field(default=0.2, description="Share of its heat below which it is heated at once.")
    top_up: tuple[Window, ...] = Field(
        default=(), max_length=4, description="When it is heated through, whatever supplies it."
    )
    from_battery: bool = Field(default=False, description="The battery serves it where it is heated at once.")
    port_on: Fraction | None = Field(
        default=None,
        gt=0.0,
        description="State of charge from which a smart load port of the inverter feeds it; None: on no such port.",
    )
    port_off: Fraction = Field(default=0.5, description="State of charge below which the port is off again.")
    planned: bool = False

    @property
    def is_controlled(self) -> bool:
        """Whether a control moves what it draws."""
        return True

    @property
    def heat_kwh(self) -> float:
        """Heat it holds above the cold water [kWh]: 1.163 Wh a litre and kelvin."""
        return self.litres * WATER_KWH_PER_L_K * (self.hot_c - self.cold_c)

    @property
    def used_kwh_per_day(self) -> float:
        """Heat that is used on a day [kWh]."""
        return self.litres_per_day * WATER_KWH_PER_L_K * (self.hot_c - self.cold_c)

    @model_validator(mode="after")
    def _hotter_than_cold(self) -> Self:
        refuse_meeting(self.top_up, "top_up")
        if self.port_on is not None and self.port_off >= self.port_on:
            raise ValueError(
                f"port_off: is {self.port_off:.0%}, not below the {self.port_on:.0%} of port_on; wanted below it"
            )
        if self.hot_c <= self.cold_c:
            raise ValueError(f"hot_c: is {self.hot_c:g}, not above the {self.cold_c:g} of cold_c; wanted above it")
        return self


class FlexibleLoad(OneLoad):
    """A machine with so much to do a day, at any time of a window: a pool pump, an irrigation pump."""

    name: Line = Field(default="Pool pump", min_length=1, max_length=60)
    kw: Positive = Field(default=1.1, le=200)
    kwh_per_day: Positive = Field(default=6.0, le=2000)
    start: ClockTime = "08:00"
    end: ClockTime = "20:00"
    months: tuple[Month, ...] = Field(default=ALL_MONTHS, min_length=1, max_length=12)
    on_surplus: bool = Field(default=True, description="It waits for what the array leaves, as long as it can.")
    from_battery: bool = Field(default=False, description="The battery serves it where it cannot wait.")
    planned: bool = False

    @property
    def is_controlled(self) -> bool:
        """Whether a control moves what it draws."""
        return True

    @model_validator(mode="after")
    def _has_a_window(self) -> Self:
        if self.start == self.end:
            raise ValueError("end: is the start; wanted a window with a length")
        return self


class _WithLoads(Model):
    loads: tuple[ScheduledLoad, ...] = Field(default=(), max_length=200)
    heat_pumps: tuple[HeatPump, ...] = Field(default=(), max_length=20)
    cars: tuple[Car, ...] = Field(default=(), max_length=20)
    hot_water: tuple[HotWater, ...] = Field(default=(), max_length=10)
    flexible: tuple[FlexibleLoad, ...] = Field(default=(), max_length=20)

    @property
    def replacing(self) -> tuple[HeatPump | Car, ...]:
        """Heat pumps and cars that come in place of what is burnt today."""
        every: tuple[HeatPump | Car, ...] = (*self.heat_pumps, *self.cars)
        return tuple(load for load in every if load.instead_of is not None)

    @property
    def to_come(self) -> tuple[str, ...]:
        """Names of the loads that are not there yet."""
        every: tuple[ScheduledLoad | HeatPump | Car | HotWater | FlexibleLoad, ...] = (
            *self.loads,
            *self.heat_pumps,
            *self.cars,
            *self.hot_water,
            *self.flexible,
        )
        return tuple(load.name for load in every if load.planned)

    @property
    def there(self) -> dict[str, tuple[Any, ...]]:
        """The loads that are there, by field: those that neither are to come nor come in place of what is burnt."""
        return {
            field: tuple(
                load
                for load in getattr(self, field)
                if not load.planned and getattr(load, "instead_of", None) is None
            )
            for field in LOAD_FIELDS
        }

    @property
    def controlled(self) -> tuple[HeatPump | Car | HotWater | FlexibleLoad, ...]:
        """Loads that a control starts and stops."""
        all_loads: tuple[HeatPump | Car | HotWater | FlexibleLoad, ...] = (
            *self.hot_water,
            *self.cars,
            *self.heat_pumps,
            *self.flexible,
        )
        return tuple(load for load in all_loads if load.is_controlled)


class ShapedDemand(_WithLoads):
    """A yearly figure, or bills, spread over the hours of a kind of house, with machines on top.

    A year's figure is without the loads listed beside it; bills count those that are there, not those to come.
    `counts` says what they count: all that is used (gross), or what came from the grid beside the array that stands
    there, with the loads that are there (net); None: nobody said, and it is taken for gross.
    """

    kind: Literal["shape"] = "shape"
    yearly_kwh: Positive = Field(le=1_000_000, description="Without the loads listed beside it.")
    shape: Shape = "household"
    winter_factor: float = Field(default=1.25, ge=0.5, le=2.5, description="Midwinter over yearly mean.")
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    bills: tuple[Bill, ...] = Field(default=(), max_length=60, description="They replace the yearly figure.")
    counts: Literal["gross", "net"] | None = Field(default=None, description="What the figure or the bills count.")

    @property
    def counts_loads(self) -> bool:
        """Whether what was counted holds the loads that are there."""
        return bool(self.bills) or self.counts == "net"


class MeteredDemand(_WithLoads):
    """Demand from a meter's intervals: interval CSV, Green Button XML or NEM12.

    `counts` says what the meter saw: all that the house draws (gross), or import and export beside PV (net);
    gross demand is then import less export plus production, measured or as the roof is modelled. Of import alone what
    the house draws while its array carries it is estimated. Production that was measured is held against the roof as
    modelled either way. The file counts the loads that are there.
    """

    kind: Literal["meter"] = "meter"
    path: FilePath = Field(description="Absolute, or beside the job file.")
    reading: MeterReading = MeterReading()
    counts: Literal["gross", "net"] = "gross"
    export_path: FilePath | None = Field(default=None, description="A file of its own for export.")
    export_reading: MeterReading = MeterReading()
    production_path: FilePath | None = Field(default=None, description="Measured production; else it is modelled.")
    production_reading: MeterReading = MeterReading()

    @property
    def counts_loads(self) -> bool:
        """Whether what was counted holds the loads that are there."""
        return True


Demand = Annotated[ShapedDemand | MeteredDemand, Field(discriminator="kind")]
