"""How far the figures that a job rests on may be off; None: by how each is known."""

from typing import Annotated

from pydantic import Field

from calm_relay.job.base import Model

Off = Annotated[float, Field(ge=0.0, le=0.9)]


class Uncertainty(Model):
    """Half of the range of each figure, of the figure itself; of the price rise in shares a year."""

    light: Off | None = Field(
        default=None, title="Light of the years", description="None: 10% measured, 15% made."
    )
    losses: Off | None = Field(default=None, title="Dirt, shade and losses", description="None: 5%.")
    demand: Off | None = Field(
        default=None, title="Demand", description="None: 5% measured, 10% by bills, 25% assumed."
    )
    price_rise: Annotated[float, Field(ge=0.0, le=0.1)] | None = Field(
        default=None, title="Price rise a year", description="None: 2% a year."
    )
    fade: Off | None = Field(default=None, title="Fading of the battery", description="None: 40%.")
    outlay: Off | None = Field(default=None, title="Installed price", description="None: 10%.")
    years: int = Field(
        default=6,
        ge=1,
        le=24,
        title="Made years tried",
        description="Years of other days in the same climate and of other days of use; a file's days stay as they are.",
    )
    draws: int = Field(default=500, ge=100, le=5000, title="Futures tried")
