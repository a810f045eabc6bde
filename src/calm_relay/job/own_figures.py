"""Figures of wires that a firm took from its own copy of a standard, in place of those that ship."""

from collections.abc import Hashable, Sequence
from typing import Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import Line, Model
from calm_relay.job.laying import Insulation, Laying, Material, Tables


class SizeAmps(Model):
    """What one size carries."""

    size: Line = Field(min_length=1, max_length=12, title="Size")
    amps: float = Field(gt=0.0, le=10_000.0, title="Carries")


class OwnCapacity(Model):
    """What sizes carry in one way of laying; sizes of which nothing is said keep the figure that ships."""

    laying: Laying = Field(title="Laid")
    insulation: Insulation = Field(title="Insulation bears")
    material: Material = Field(default="copper", title="Conductor")
    loaded: Literal[2, 3] = Field(title="Loaded conductors")
    reference_c: float = Field(ge=-60.0, le=150.0, title="Temperature around it that they hold for")
    amps: tuple[SizeAmps, ...] = Field(min_length=1, max_length=40)
    clause: Line = Field(default="", max_length=80, title="Table and column")

    @property
    def way(self) -> tuple[str, str, str, int]:
        """What tells it from others."""
        return self.laying, self.insulation, self.material, self.loaded

    @model_validator(mode="after")
    def _each_size_once(self) -> Self:
        _refuse_twice("amps", [item.size for item in self.amps])
        return self


class AtTemperature(Model):
    """What one temperature leaves of a cable's capacity."""

    at_c: float = Field(ge=-60.0, le=150.0, title="Temperature around it")
    factor: float = Field(gt=0.0, le=3.0, title="Factor")


class OwnAmbient(Model):
    """Factors of temperature for one insulation, in air or in the ground."""

    insulation: Insulation = Field(title="Insulation bears")
    buried: bool = Field(default=False, title="In the ground")
    points: tuple[AtTemperature, ...] = Field(min_length=1, max_length=30)

    @model_validator(mode="after")
    def _each_temperature_once(self) -> Self:
        _refuse_twice("points", [item.at_c for item in self.points])
        return self


class AsGrouped(Model):
    """What so many loaded circuits side by side leave of a cable's capacity."""

    circuits: int = Field(ge=1, le=100, title="Loaded circuits side by side")
    factor: float = Field(gt=0.0, le=3.0, title="Factor")


class OwnFigures(Model):
    """A firm's own figures for one of the tables that ship; where other tables are in force they rest."""

    tables: Tables = Field(title="In place of figures of")
    source: Line = Field(min_length=1, max_length=80, title="Standard and edition")
    capacities: tuple[OwnCapacity, ...] = Field(default=(), max_length=80)
    ambient: tuple[OwnAmbient, ...] = Field(default=(), max_length=20)
    grouping: tuple[AsGrouped, ...] = Field(default=(), max_length=30)

    @model_validator(mode="after")
    def _each_figure_once(self) -> Self:
        _refuse_twice("capacities", [item.way for item in self.capacities])
        _refuse_twice("ambient", [(item.insulation, item.buried) for item in self.ambient])
        _refuse_twice("grouping", [item.circuits for item in self.grouping])
        return self

    @property
    def count(self) -> int:
        """How many figures there are."""
        amps = sum(len(item.amps) for item in self.capacities)
        return amps + sum(len(item.points) for item in self.ambient) + len(self.grouping)


def _refuse_twice(name: str, keys: Sequence[Hashable]) -> None:
    twice = next((key for key in keys if keys.count(key) > 1), None)
    if twice is not None:
        words = ", ".join(str(part) for part in twice) if isinstance(twice, tuple) else f"{twice}"
        raise ValueError(f"{name}: {words} stands twice; wanted each once")


__all__ = ["AsGrouped", "AtTemperature", "OwnAmbient", "OwnCapacity", "OwnFigures", "SizeAmps"]
