"""What else stands at the service today: generators, changeovers and the current transformers of controls."""

from typing import Final, Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import PRICE_MOST, Fraction, Name, NotNegative, Positive
from calm_relay.job.survey import Surveyed, UnitFate

# Where a generator may be connected.
ON_INPUT: Final = "the battery inverter's generator input"
ON_BUS: Final = "the bus of AC-coupled PV"
ON_CHANGEOVER: Final = "the changeover there today"
GeneratorPlace = Literal[
    "the battery inverter's generator input", "the bus of AC-coupled PV", "the changeover there today"
]


class Generator(Surveyed):
    """A generator: one that runs starts by the battery's state of charge, one that stands by is started by hand."""

    name: Name = "Generator"
    fate: UnitFate = Field(
        default="keep",
        description="keep: it stays; move: it stays, at another place; reuse: it goes where an option cannot take it; "
        "remove: it goes.",
    )
    kw: Positive = Field(le=500, description="As its plate states it.")
    full_power_to_m: float | None = Field(
        default=None,
        ge=0.0,
        le=5000.0,
        description="Elevation up to which its maker states its full power; None: an engine without turbocharger, "
        "stated for the sea's air.",
    )
    duty: Literal["runs", "stands by"] = "runs"
    synchronises: bool = Field(default=False, description="It is made to run in parallel with other generators.")
    start_below: Fraction = 0.2
    stop_above: Fraction = 0.8
    litres_per_kwh: NotNegative = Field(default=0.4, le=5, description="At full load.")
    no_load_share: Fraction = Field(
        default=0.25, description="Fuel an hour that it burns while nothing is asked of it, of that at full load."
    )
    price_per_litre: NotNegative = Field(default=1.9, le=PRICE_MOST, description="Fuel, in the job's currency.")
    interlocked: bool = Field(default=False, description="A contactor keeps AC-coupled arrays off while it runs.")
    tank_litres: Positive | None = Field(default=None, le=100_000, description="None: not stated.")
    on: GeneratorPlace = ON_INPUT

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.start_below >= self.stop_above:
            raise ValueError(f"start_below: {self.start_below:.0%} is not below stop_above, {self.stop_above:.0%}")
        return self

    @property
    def runs(self) -> bool:
        """Whether it joins an island by itself: one behind a changeover stands in for the grid, by hand."""
        return self.duty == "runs" and not self.goes and self.on != ON_CHANGEOVER

    @property
    def price_per_kwh(self) -> float:
        """What a kWh from it costs in fuel at full load."""
        return self.litres_per_kwh * self.price_per_litre


class ExistingChangeover(Surveyed):
    """A switch between the grid and another supply, ahead of the main board."""

    name: Name = "Changeover"
    fate: UnitFate = Field(
        default="keep",
        description="keep: it stays; move: it stays, at another place; reuse: it goes where a new unit brings one of "
        "its own; remove: it goes.",
    )
    works: Literal["by hand", "by itself"] = "by hand"
    rated_a: Positive | None = Field(default=None, le=2000, description="None: not seen.")
    poles: Literal[1, 2, 3, 4] | None = Field(default=None, description="That it opens; None: not seen.")


TransformerPlace = Literal["the service", "the main board", "an inverter's circuit"]


class ExistingTransformers(Surveyed):
    """Current transformers that a control, a limiter or a monitor there today reads."""

    name: Name = "Current transformers"
    fate: UnitFate = Field(
        default="keep",
        description="keep: they stay; move: they stay, at another place; reuse: a new unit may read them; remove: "
        "they go.",
    )
    read_by: Name | None = Field(
        default=None, description="Existing inverter or battery by its name; None: a monitor or a meter."
    )
    on: TransformerPlace = "the service"
    count: int = Field(default=1, ge=1, le=3)
    rated_a: Positive | None = Field(default=None, le=5000, description="Of the cable; None: not seen.")
    reversed: bool = Field(default=False, description="Their arrows point towards the house.")


__all__ = [
    "ON_BUS",
    "ON_CHANGEOVER",
    "ON_INPUT",
    "ExistingChangeover",
    "ExistingTransformers",
    "Generator",
]
