"""What the grid charges and pays, and what it allows."""

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from calm_relay.job.base import ClockTime, Fraction, Model, NotNegative, Positive

Price = Annotated[float, Field(ge=-5.0, le=50.0, description="Per kWh, in the job's currency.")]


class RateWindow(Model):
    """A price that holds in a daily window of local clock time; it may run over midnight."""

    name: str
    price: Price
    start: ClockTime
    end: ClockTime
    days: Literal["all", "weekdays", "weekends"] = "all"


class Tariff(Model):
    """Flat when there are no windows; otherwise the first window that matches sets the price."""

    currency: str = Field(default="NZ$", max_length=5)
    price: Price
    windows: tuple[RateWindow, ...] = ()
    feed_in: Price = 0.0
    feed_in_windows: tuple[RateWindow, ...] = Field(default=(), description="When export pays another price.")
    stored_export: bool = Field(default=False, description="Whether energy from the battery may be exported.")
    standing_per_day: NotNegative = 0.0
    export_limit_kw: NotNegative | None = Field(default=None, description="None: no limit stated.")


class Costs(Model):
    """What the work costs beside the units."""

    labour_per_hour: NotNegative = 95.0
    once_per_job: NotNegative = Field(default=900.0, description="Design, permit, inspection, travel.")
    backup_board: NotNegative = Field(default=850.0, description="Sub-board and changeover.")
    backup_circuit: NotNegative = Field(default=55.0, description="Moving one circuit to the sub-board.")
    whole_changeover: NotNegative = Field(default=600.0, description="Changeover of the whole house.")
    shed_relay: NotNegative = Field(default=160.0, description="One relay that sheds a circuit.")
    restring_per_string: NotNegative = 180.0
    remove_unit: NotNegative = 150.0
    module_labour: NotNegative = Field(default=45.0, description="Laying one new module, with its clamps.")
    fuse: NotNegative = Field(default=28.0, description="One string fuse with its holder.")
    rebate_per_kwh: NotNegative = Field(default=0.0, description="Per nominal kWh of battery.")
    rebate_max: NotNegative | None = Field(default=None, description="Most of it for the job; None: no cap.")
    discount_rate: Fraction = 0.04
    horizon_years: int = Field(default=15, ge=1, le=40)
    replace_year: int | None = Field(
        default=None, ge=1, le=39, description="After which year the packs are replaced; None: never."
    )
    underused_cycles: NotNegative = Field(
        default=120.0, le=1000, description="Full cycles a year below which a battery counts as under-used."
    )
    price_rise: Annotated[float, Field(ge=-0.2, le=0.3)] = 0.02

    @field_validator("rebate_max", mode="before")
    @classmethod
    def _no_cap(cls, cap: Any) -> Any:
        # Jobs of the first releases hold 0 where nobody typed a cap.
        return None if cap == 0 else cap


class RatioRule(Model):
    """A dated limit on array power over inverter power, editable by the user and never law."""

    name: str
    ratio_max: Positive = Field(le=5)
    authority: str
    clause: str
    dated: str = Field(pattern=r"^\d{4}-\d{2}(-\d{2})?$")
