"""How the batteries are controlled: windows by local clock, thresholds, and clocks that see no meter."""

from collections.abc import Sequence
from typing import Self

from pydantic import Field, model_validator

from calm_relay.job.base import PRICE_MOST, ClockTime, Fraction, Model, Name, NotNegative, Positive, minutes_of
from calm_relay.job.months import Month, months_text

DAY = 24 * 60
# The battery's place among the loads that take surplus.
BATTERY = "battery"


class Window(Model):
    """A daily window of local clock time; it may run over midnight."""

    start: ClockTime
    end: ClockTime

    @model_validator(mode="after")
    def _has_length(self) -> Self:
        if self.start == self.end:
            raise ValueError("start and end are the same; wanted a window with a length")
        return self

    @property
    def minutes(self) -> int:
        """How long it is open."""
        return (minutes_of(self.end) - minutes_of(self.start)) % DAY

    @property
    def summary(self) -> str:
        """Both ends, as shown."""
        return f"{self.start} to {self.end}"

    def meets(self, other: "Window") -> bool:
        """Whether both are open at some time of the day."""
        ours, theirs = minutes_of(self.start), minutes_of(other.start)
        return (theirs - ours) % DAY < self.minutes or (ours - theirs) % DAY < other.minutes


class GridCharge(Window):
    """A daily window in which the battery may be charged from the grid."""

    target: Fraction = Field(default=1.0, description="State of charge at which it stops.")
    limit_kw: Positive | None = Field(default=None, le=100)


class ExportWindow(Window):
    """A daily window in which stored energy is exported."""

    power_kw: Positive = Field(le=100)
    down_to: Fraction = Field(default=0.3, description="State of charge at which it stops.")


class DelayWindow(Window):
    """A daily window in which the battery takes of the array only what would be turned away."""

    months: tuple[Month, ...] = Field(default=(), max_length=12, description="Its season; none: all the year.")

    @property
    def summary(self) -> str:
        """Both ends and the season, as shown."""
        return f"{super().summary}, {months_text(self.months)}" if self.months else super().summary

    def meets(self, other: Window) -> bool:
        """Whether both are open at some time of some day."""
        theirs = other.months if isinstance(other, DelayWindow) else ()
        apart = self.months and theirs and not set(self.months) & set(theirs)
        return not apart and super().meets(other)


class ClockWindow(Window):
    """A daily window in which a unit does one thing whatever the meter shows."""

    power_kw: Positive = Field(le=100)


def refuse_meeting(windows: Sequence[Window], field: str) -> None:
    """Refuses windows of which two are open at the same time.

    Raises
    ------
    ValueError
        Names both.
    """
    for number, first in enumerate(windows):
        for second in windows[number + 1 :]:
            if first.meets(second):
                raise ValueError(
                    f"{field}: {first.summary} and {second.summary} overlap; wanted windows that do not meet"
                )


class Clock(Model):
    """A battery on a time clock, without metering: when it is charged, when it gives, and how hard."""

    charge: tuple[ClockWindow, ...] = Field(
        default=(
            ClockWindow(start="10:00", end="11:30", power_kw=1.2),
            ClockWindow(start="11:30", end="16:00", power_kw=0.5),
        ),
        min_length=1,
        max_length=6,
        description="A short bulk stage, then a long low absorption.",
    )
    give: tuple[ClockWindow, ...] = Field(
        default=(ClockWindow(start="18:00", end="22:00", power_kw=0.25),),
        min_length=1,
        max_length=6,
        description="Shallow, so that the sun hours fill it again each day.",
    )

    @model_validator(mode="after")
    def _do_not_meet(self) -> Self:
        refuse_meeting((*self.charge, *self.give), "clock")
        return self


class PriceCharge(Model):
    """Charging in the cheapest hours of each day, kept for the dear ones, by prices that are known the day before."""

    hours: int = Field(default=3, ge=1, le=12, title="Cheapest hours of a day")
    target: Fraction = Field(default=1.0, title="Charged up to", description="State of charge at which it stops.")
    limit_kw: Positive | None = Field(default=None, le=100, title="At most")
    least_gain: NotNegative = Field(
        default=0.02,
        le=PRICE_MOST,
        title="Least gain a kWh",
        description="By how much a kWh must be dearer when it is given than what it took to charge it.",
    )
    months: tuple[Month, ...] = Field(default=(), max_length=12, description="Its season; none: all the year.")

    @property
    def summary(self) -> str:
        """When and how far it charges, in words."""
        season = f" in {months_text(self.months)}" if self.months else ""
        power = f" with {self.limit_kw:g} kW at most" if self.limit_kw is not None else ""
        return f"the {self.hours} cheapest hours of each day{season}, up to {self.target:.0%}{power}"


class Control(Model):
    """How the new battery is controlled beside its reserve and its charge windows; self-use where nothing is stated."""

    discharge_windows: tuple[Window, ...] = Field(
        default=(), max_length=6, description="When the battery may serve the home; none: at any time."
    )
    export_windows: tuple[ExportWindow, ...] = Field(default=(), max_length=6)
    delay_windows: tuple[DelayWindow, ...] = Field(
        default=(),
        max_length=6,
        description="When the battery takes only what the export limit or the inverter would turn away of the array's "
        "power, so that it has room at midday.",
    )
    shave_above_kw: Positive | None = Field(
        default=None, le=500, description="The battery serves only what the home draws above this."
    )
    import_bias_w: NotNegative = Field(
        default=0.0, le=500, description="Import that the control leaves standing, so that nothing leaks out."
    )
    surplus_order: tuple[Name, ...] = Field(
        default=(),
        max_length=61,
        description="Who takes what the array leaves, in order: controlled loads by name, and the battery. What is not "
        "named comes after the battery.",
    )
    clock: Clock = Field(default=Clock(), description="The time clock of a small bank without metering.")
    by_price: PriceCharge | None = Field(
        default=None, description="Charged by the tariff's prices beside its windows; None: by windows alone."
    )

    def order_of(self, names: Sequence[str]) -> tuple[str, ...]:
        """Who takes surplus, in order: the battery and some loads; loads that are not named come after the battery."""
        order = [name for name in self.surplus_order if name in names or name == BATTERY]
        if BATTERY not in order:
            order.append(BATTERY)
        return (*order, *(name for name in names if name not in order))

    @model_validator(mode="after")
    def _do_not_meet(self) -> Self:
        refuse_meeting(self.discharge_windows, "discharge_windows")
        refuse_meeting(self.export_windows, "export_windows")
        refuse_meeting(self.delay_windows, "delay_windows")
        twice = next((name for name in self.surplus_order if self.surplus_order.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"surplus_order: {twice!r} stands twice; wanted each once")
        return self


__all__ = [
    "Clock",
    "ClockWindow",
    "Control",
    "DelayWindow",
    "ExportWindow",
    "GridCharge",
    "PriceCharge",
    "Window",
    "refuse_meeting",
]
