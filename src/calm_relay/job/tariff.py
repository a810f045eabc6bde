"""What the grid charges and pays, and what it allows."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from calm_relay.job.base import MOST, PRICE_MOST, ClockTime, Fraction, Line, Model, Name, NotNegative, Positive
from calm_relay.job.months import Month, months_text

Price = Annotated[float, Field(ge=-PRICE_MOST, le=PRICE_MOST, description="Per kWh, in the job's currency.")]


# The most of three figures that stays below what any figure may be.
FIGURE_MOST = 0.999 * MOST

Days = Literal["all", "weekdays", "weekends"]


class RateWindow(Model):
    """A price that holds in a daily window of local clock time; it may run over midnight."""

    name: Name
    price: Price
    start: ClockTime
    end: ClockTime
    days: Days = "all"
    months: tuple[Month, ...] = Field(default=(), max_length=12, description="Its season; none: all the year.")

    @model_validator(mode="after")
    def _holds_some_time(self) -> Self:
        if self.start == self.end:
            raise ValueError(
                f"start: is {self.start}, as its end; wanted another, or a tariff without this window"
            )
        return self

    @property
    def summary(self) -> str:
        """When it holds, in words."""
        days = "" if self.days == "all" else f", {self.days}"
        months = f", {months_text(self.months)}" if self.months else ""
        return f"{self.start} to {self.end}{days}{months}"


class Tier(Model):
    """What a kWh costs more, or less, above so many in a month."""

    above_kwh: Positive = Field(le=100_000, title="Above, kWh a month")
    surcharge: Price = Field(title="Each costs more by")
    whole_month: bool = Field(
        default=False,
        title="For all of the month's kWh",
        description="A month that passes the edge pays it for every kWh, not for those above alone.",
    )


class DemandCharge(Model):
    """A charge for the highest mean power drawn in a month."""

    price_per_kw: NotNegative = Field(le=PRICE_MOST, title="A kW and month")
    minutes: Literal[15, 30, 60] = Field(default=15, title="Mean over, min")
    start: ClockTime = Field(default="00:00", title="Counted from")
    end: ClockTime = Field(default="00:00", title="until", description="The same as its start: all day.")
    days: Days = Field(default="all", title="on")


HOURS = 8760


class HourlyPrices(Model):
    """The spot price of each hour of a year; what the tariff asks and pays comes on top.

    The hours are those of a year of 365 days in the place's standard time, from 1 January.
    """

    origin: Line = Field(default="", description="Where they are from.")
    days: int = Field(default=365, ge=1, le=366, description="Days of the year of which there were prices.")
    prices: tuple[Price, ...] = Field(min_length=HOURS, max_length=HOURS, description="Per kWh, in the currency.")
    export_share: Fraction = Field(default=1.0, title="Of it for export", description="Share that export earns.")

    @property
    def mean(self) -> float:
        """Mean of the year, a kWh."""
        return sum(self.prices) / len(self.prices)

    @property
    def spread(self) -> float:
        """By how much the dearest four hours of a day are dearer than its cheapest four, on average of the year."""
        days = (sorted(self.prices[first : first + 24]) for first in range(0, HOURS, 24))
        return sum(sum(day[-4:]) - sum(day[:4]) for day in days) / 4.0 / (HOURS / 24)


Credit = Literal["paid", "kWh", "money"]


class Tariff(Model):
    """Flat when there are no windows; otherwise the first window that matches sets the price.

    Where the spot price of each hour is known, both are what comes on top of it.
    """

    name: Line = Field(default="", max_length=80, title="Name")
    currency: Line = Field(default="NZ$", max_length=5)
    price: Price
    windows: tuple[RateWindow, ...] = Field(default=(), max_length=60)
    feed_in: Price = 0.0
    feed_in_windows: tuple[RateWindow, ...] = Field(
        default=(), max_length=60, description="When export pays another price."
    )
    hourly: HourlyPrices | None = Field(default=None, description="The spot price of each hour; None: none.")
    stored_export: bool = Field(default=False, description="Whether energy from the battery may be exported.")
    standing_per_day: NotNegative = 0.0
    export_limit_kw: NotNegative | None = Field(default=None, description="None: no limit stated.")
    tiers: tuple[Tier, ...] = Field(default=(), max_length=6, description="By rising kWh of a month.")
    demand_charge: DemandCharge | None = Field(default=None, description="None: power costs nothing by itself.")
    minimum_per_month: NotNegative = Field(default=0.0, title="At least a month")
    tax: Fraction = Field(default=0.0, title="Tax", description="On what is charged, not on what export pays.")
    credit: Credit = Field(
        default="paid",
        title="Export",
        description="Paid at its price, or credited against what is imported: kWh for kWh, or at the import price.",
    )
    carried: Literal["month", "year"] = Field(
        default="month", title="Credit is settled each", description="Until then what is left is carried on."
    )
    rest_paid: Fraction = Field(
        default=0.0, title="Of the rest is paid", description="Share of the worth of credit that is left."
    )

    @model_validator(mode="after")
    def _tiers_rise(self) -> Self:
        edges = [tier.above_kwh for tier in self.tiers]
        if sorted(set(edges)) != edges:
            raise ValueError("tiers: wanted rising kWh, each once")
        return self

    @property
    def mean_price(self) -> float:
        """What a kWh costs outside of every window, on average of the hours."""
        return self.price + (self.hourly.mean if self.hourly is not None else 0.0)

    @property
    def mean_feed_in(self) -> float:
        """What an exported kWh earns outside of every window, on average of the hours."""
        return self.feed_in + (self.hourly.mean * self.hourly.export_share if self.hourly is not None else 0.0)

    @property
    def cheapest(self) -> RateWindow | None:
        """The first of its windows in which energy is cheapest, None where none is cheaper than outside of them."""
        found = min(self.windows, key=lambda window: window.price, default=None)
        return found if found is not None and found.price < self.price else None

    @property
    def dearest(self) -> RateWindow | None:
        """Of its windows the dearest, of equal ones the latest in the day; None where none is dearer than outside."""
        found = max(self.windows, key=lambda window: (window.price, window.start), default=None)
        return found if found is not None and found.price > self.price else None

    @property
    def by_kwh_alone(self) -> bool:
        """Whether each kWh has its price, whatever was drawn before and at what power."""
        return (
            not (self.tiers or self.demand_charge or self.minimum_per_month or self.tax) and self.credit == "paid"
        )


class Incentive(Model):
    """Money that somebody pays towards an array or a battery."""

    name: Line = Field(min_length=1, max_length=60, title="Name")
    pays_for: Literal["battery", "array"] = Field(default="battery", title="For")
    per: Literal["kWh", "kW", "%", "kWh made"] = Field(
        default="kWh",
        title="Per",
        description=(
            "kWh of nominal battery energy, kW of rated battery or array power, per cent of their price, or kWh that "
            "the new modules make in a year."
        ),
    )
    amount: NotNegative = Field(title="Amount")
    cap: NotNegative | None = Field(default=None, title="At most", description="None: no cap.")
    full_up_to: NotNegative | None = Field(
        default=None, title="In full up to", description="Of what it is paid per; None: all of it."
    )
    beyond: Fraction = Field(default=0.5, title="Share beyond")
    paid: Literal["at sale", "next year", "each year"] = Field(default="at sale", title="Paid")
    years: int = Field(default=10, ge=1, le=40, title="For years", description="Where it is paid each year.")
    falls: Fraction = Field(default=0.0, title="Falls a year", description="Where it is paid each year.")
    authority: Line = Field(default="", max_length=80, title="Authority")
    dated: str = Field(default="", pattern=r"^(\d{4}-\d{2}(-\d{2})?)?$", title="As of")

    @model_validator(mode="after")
    def _an_array_has_no_energy(self) -> Self:
        if self.pays_for == "array" and self.per == "kWh":
            raise ValueError("per: an array is paid for by the kW, per cent or kWh made; wanted one of them")
        if self.per == "kWh made" and (self.pays_for != "array" or self.paid != "each year"):
            raise ValueError("per: a kWh made is paid for each year, and for an array; wanted paid each year")
        if self.per == "%" and self.amount > 100.0:
            raise ValueError(f"amount: is {self.amount:g}%; wanted at most 100")
        return self


# Fields of `Costs` that are amounts of money.
AMOUNTS = (
    "labour_per_hour", "once_per_job", "permit", "engineering", "gateway", "backup_board", "backup_circuit",
    "whole_changeover", "shed_relay", "restring_per_string", "remove_unit", "module_labour", "module_removal",
    "scaffold", "fuse", "shutdown_device", "shutdown_switch", "cable_per_metre", "rebate_per_kwh",
)  # fmt: skip


def three_figures(amount: float) -> float:
    """An amount to three figures, as an assumed one is told; none is beyond what a figure may be."""
    return min(float(f"{amount:.3g}"), FIGURE_MOST)


class Costs(Model):
    """What the work costs beside the units: the firm's price list, what is paid towards it, and how it is counted."""

    labour_per_hour: NotNegative = Field(default=95.0, title="Labour an hour")
    once_per_job: NotNegative = Field(default=900.0, title="Design, inspection, travel")
    permit: NotNegative = Field(default=0.0, title="Permit and application")
    engineering: NotNegative = Field(default=0.0, title="Engineering", description="Once, where a battery comes.")
    gateway: NotNegative = Field(
        default=0.0, title="Gateway and meter", description="Once, where a battery comes."
    )
    backup_board: NotNegative = Field(default=850.0, title="Backed-up sub-board", description="With changeover.")
    backup_circuit: NotNegative = Field(default=55.0, title="Moving a circuit to it")
    whole_changeover: NotNegative = Field(default=600.0, title="Changeover of the whole house")
    shed_relay: NotNegative = Field(default=160.0, title="Relay that sheds a circuit")
    restring_per_string: NotNegative = Field(default=180.0, title="Reconnecting a string")
    remove_unit: NotNegative = Field(default=150.0, title="Taking an inverter away")
    module_labour: NotNegative = Field(default=45.0, title="Laying a module", description="With its clamps.")
    module_removal: NotNegative = Field(default=0.0, title="Taking a module off")
    scaffold: NotNegative = Field(default=0.0, title="Scaffold", description="Once, where modules come or go.")
    fuse: NotNegative = Field(default=28.0, title="String fuse with holder")
    shutdown_device: NotNegative = Field(
        default=28.0,
        title="Shutdown device, laid",
        description="Under each module, where the rules want a rapid shutdown of strings.",
    )
    shutdown_switch: NotNegative = Field(
        default=60.0,
        title="Shutdown switch",
        description="Once beside such devices; 0 where inverter or isolator set them off.",
    )
    cable_per_metre: NotNegative = Field(default=0.0, title="Cable, laid")
    cable_metres: NotNegative = Field(
        default=0.0, le=2000, title="Cable of this job", description="From the units to board and battery."
    )
    margin: Fraction = Field(
        default=0.0, title="Margin on units and work", description="Share added to all but incentives."
    )
    rebate_per_kwh: NotNegative = Field(
        default=0.0, title="Rebate a kWh of battery", description="Per nominal kWh of battery."
    )
    rebate_max: NotNegative | None = Field(
        default=None, title="Rebate, at most", description="Most of it for the job; None: no cap."
    )
    incentives: tuple[Incentive, ...] = Field(default=(), max_length=12, title="Incentives")
    discount_rate: Fraction = Field(default=0.04, title="Discount rate a year")
    horizon_years: int = Field(default=15, ge=1, le=40, title="Counted over, years")
    replace_year: int | None = Field(
        default=None,
        ge=1,
        le=39,
        title="Packs replaced after, years",
        description="After which year the packs are replaced; None: never.",
    )
    underused_cycles: NotNegative = Field(
        default=120.0,
        le=1000,
        title="Under-used below, cycles a year",
        description="Full cycles a year below which a battery counts as under-used.",
    )
    price_rise: Annotated[float, Field(ge=-0.2, le=0.3)] = Field(default=0.02, title="Prices rise a year")

    shipped_prices: Positive = Field(
        default=1.0,
        le=1e6,
        title="Example prices, times",
        description="What one of the example prices of equipment that ship is in the job's currency.",
    )

    def for_job_of(self, own: "Costs") -> Self:
        """The list for a job that has another: metres of cable, and what example prices come to there, stay its own."""
        return self.with_(cable_metres=own.cable_metres, shipped_prices=own.shipped_prices)

    def in_money(self, units: float) -> Self:
        """The list in a currency of which so many units stand for one of this, example prices of equipment with it."""
        amounts = {name: three_figures(getattr(self, name) * units) for name in AMOUNTS}
        cap = None if self.rebate_max is None else three_figures(self.rebate_max * units)
        times = self.shipped_prices * units
        return self.with_(**amounts, rebate_max=cap, shipped_prices=times)

    @field_validator("rebate_max", mode="before")
    @classmethod
    def _no_cap(cls, cap: Any) -> Any:
        # Jobs of the first releases hold 0 where nobody typed a cap.
        return None if cap == 0 else cap


class RatioRule(Model):
    """A dated limit on array power over inverter power, editable by the user and never law."""

    name: Name
    ratio_max: Positive = Field(le=5)
    authority: Line
    clause: Line
    dated: str = Field(pattern=r"^\d{4}-\d{2}(-\d{2})?$")
