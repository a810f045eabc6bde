"""What is usual in a country: the service of a home, its tariff, its money, its paper."""

from typing import Literal

from pydantic import Field

from calm_relay.job.base import Identifier, Line, Model, Name, NotNegative, Positive
from calm_relay.job.circuit_kinds import Phases


class Country(Model):
    """Defaults of a new job, assumed until somebody confirms or changes them."""

    name: Name
    code: str = Field(pattern=r"^[A-Z]{2}$", description="ISO 3166.")
    phases: Phases
    volts: Positive = Field(
        le=690, description="Phase to neutral, between phases without one; 240 for split phase 120/240."
    )
    hertz: Literal[50, 60]
    main_fuse_a: Positive = Field(le=1000)
    currency: Line = Field(max_length=5)
    region: Identifier = Field(description="Pack of regional rules.")
    wire_sizes: Literal["metric", "awg"]
    paper: Literal["A4", "letter"]
    price: NotNegative = Field(description="Of a kWh imported by a home.")
    feed_in: NotNegative = Field(description="Paid for a kWh exported.")
    standing_per_day: NotNegative
    home_kwh: Positive = Field(default=3500.0, le=1e5, description="What a household usually uses in a year.")
    grid_fails: Literal["seldom", "often"] = Field(
        default="seldom", description="Often: keeping the lights on weighs more there."
    )
    without_neutral: Literal["seldom", "often"] = Field(
        default="seldom",
        description="Often: many homes have three phases of 230 V between each other, and no neutral.",
    )
    outage_h: Positive = Field(
        default=12.0,
        le=168.0,
        description="Hours of an outage worth riding through: of those shed in turns, or a storm's.",
    )
    hours_off: NotNegative = Field(default=6.0, le=8760.0, description="Hours without grid in a year.")
    money: Positive = Field(
        default=1.0,
        le=1e6,
        description="Units of its currency for one of the example prices; 1 where a unit is about a dollar or a euro.",
    )
