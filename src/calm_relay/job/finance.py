"""How a job is paid for and what it costs over the years: loan or lease, upkeep, replacement, prices that change."""

from typing import Annotated, Literal

from pydantic import Field

from calm_relay.job.base import MOST, Fraction, Model, NotNegative, Rise
from calm_relay.job.tariff import Tariff

Way = Literal["cash", "loan", "lease"]
Replaced = Literal["never", "when worn", "after its warranty"]


class Loan(Model):
    """A loan of equal yearly payments."""

    share: Fraction = Field(default=1.0, title="Share of the outlay")
    rate: Annotated[float, Field(ge=0.0, le=0.5)] = Field(default=0.05, title="Interest a year")
    years: int = Field(default=10, ge=1, le=40, title="Paid back over")
    fee: NotNegative = Field(default=0.0, title="Fee, once", le=MOST)


class Lease(Model):
    """Rent in place of the outlay."""

    per_month: NotNegative = Field(default=0.0, title="Rent a month", le=MOST)
    years: int = Field(default=15, ge=1, le=40, title="For")
    rise: Rise = Field(default=0.0, title="Rises a year")


class TariffSwitch(Model):
    """Another tariff from a year on, in today's prices and the job's currency."""

    after: int = Field(ge=1, le=40, title="After")
    tariff: Tariff


class Finance(Model):
    """What stands beside outlay and bill in the cash flow of each year."""

    way: Way = Field(default="cash", title="Paid by")
    loan: Loan = Loan()
    lease: Lease = Lease()
    maintenance: NotNegative = Field(default=0.0, title="Maintenance a year", le=MOST)
    insurance: NotNegative = Field(default=0.0, title="Insurance a year", le=MOST)
    upkeep_rise: Rise = Field(default=0.02, title="Both rise a year")
    energy_rise: Rise | None = Field(
        default=None, title="Energy price rises a year", description="None: as prices rise in the price list."
    )
    standing_rise: Rise | None = Field(
        default=None, title="Standing charge rises a year", description="None: as prices rise in the price list."
    )
    export_rise: Rise | None = Field(
        default=None, title="Export price rises a year", description="None: as prices rise in the price list."
    )
    feed_in_years: int | None = Field(
        default=None, ge=0, le=40, title="Export contract ends after", description="None: it does not end."
    )
    feed_in_after: Fraction = Field(default=0.5, title="Share of the export price paid then")
    switch: TariffSwitch | None = Field(
        default=None, title="Another tariff later", description="None: today's stays."
    )
    inverter_years: int | None = Field(
        default=None, ge=1, le=40, title="Inverters replaced after", description="None: not within these years."
    )
    battery_replaced: Replaced = Field(default="never", title="Battery replaced")
    battery_price_fall: Annotated[float, Field(ge=-0.2, le=0.3)] = Field(
        default=0.03, title="Battery prices fall a year"
    )
    outage_hours: NotNegative = Field(
        default=6.0,
        le=8760.0,
        title="Hours without grid a year",
        description="As people there remember it; a generator behind a changeover burns fuel in them.",
    )
    residual: Fraction = Field(
        default=0.0,
        title="Battery's worth at the end",
        description="Share of its price for the energy left in it.",
    )
