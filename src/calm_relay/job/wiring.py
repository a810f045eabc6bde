"""Wiring as a job states it: how long each route is, how it is laid, and what the installer chose for it."""

from functools import lru_cache
from typing import Literal, Self

from pydantic import Field, model_validator

from calm_relay.job.base import Line, Model, Positive
from calm_relay.job.laying import Insulation, Laying, Material, Tables
from calm_relay.job.own_figures import OwnFigures

# A key holds the names of two parts, and what a part is called may stand in both.
KEY_MOST = 300


class Route(Model):
    """One cable from a part to another; what is None is assumed by what the cable is for.

    `key` names the two ends as the topology does; a route whose ends an option does not have is kept for those that do.
    """

    key: Line = Field(min_length=3, max_length=KEY_MOST)
    length_m: Positive | None = Field(default=None, le=500, title="Length")
    measured: bool = Field(default=False, title="Measured on site")
    laying: Laying | None = Field(default=None, title="Laid")
    grouped: int | None = Field(default=None, ge=1, le=20, title="Loaded circuits side by side")
    ambient_c: float | None = Field(default=None, ge=-20.0, le=80.0, title="Temperature around it")
    material: Material | None = Field(default=None, title="Conductor")
    insulation: Insulation | None = Field(default=None, title="Insulation bears")
    size: Line | None = Field(
        default=None, min_length=1, max_length=12, title="Size", description="None: the smallest that meets all."
    )
    parallel: int = Field(default=1, ge=1, le=4, title="Conductors in parallel")
    protect_a: Positive | None = Field(
        default=None, le=2000, title="Breaker or fuse", description="None: the smallest that fits."
    )


class Label(Model):
    """Words of the drawing that were moved by hand, by so much from where they would stand."""

    key: Line = Field(min_length=3, max_length=KEY_MOST)
    dx: float = Field(ge=-500.0, le=500.0, description="To the right [mm].")
    dy: float = Field(ge=-500.0, le=500.0, description="Down [mm].")


class PartPlace(Model):
    """Where a part or a roof face stands on the site plan, from the middle of the house."""

    key: Line = Field(min_length=3, max_length=KEY_MOST)
    east_m: float = Field(ge=-500.0, le=500.0, description="To the east [m].")
    north_m: float = Field(ge=-500.0, le=500.0, description="To the north [m].")


@lru_cache(maxsize=256)
def _unstated(key: str) -> Route:
    """A route of which nothing is stated."""
    return Route(key=key)


class Wiring(Model):
    """What a job states of its wiring."""

    routes: tuple[Route, ...] = Field(default=(), max_length=200)
    labels: tuple[Label, ...] = Field(default=(), max_length=400)
    places: tuple[PartPlace, ...] = Field(default=(), max_length=200)
    paper: Literal["A4", "A3", "Letter", "Tabloid"] | None = Field(
        default=None, title="Paper of the diagram", description="None: as is usual in the country."
    )
    tables: Tables | None = Field(
        default=None, title="Tables and sizes of wires", description="None: those of the region's rules."
    )
    own_figures: OwnFigures | None = Field(
        default=None,
        title="Figures of the firm's own",
        description="What its copy of the standard says in place of the tables that ship.",
    )
    strokes_km2: Positive | None = Field(
        default=None,
        le=100,
        title="Lightning strokes a km² and year",
        description="To the ground, from a map of them; None: not known.",
    )
    drawn_by: Line = Field(default="", max_length=60, title="Drawn by")
    checked_by: Line = Field(default="", max_length=60, title="Checked by")
    revision: Line = Field(default="", max_length=20, title="Revision")

    @model_validator(mode="after")
    def _keys_are_single(self) -> Self:
        for name in ("routes", "labels", "places"):
            keys = [item.key for item in getattr(self, name)]
            twice = next((key for key in keys if keys.count(key) > 1), None)
            if twice is not None:
                raise ValueError(f"{name}: {twice!r} stands twice; wanted each once")
        return self

    def route(self, key: str) -> Route:
        """What is stated of a route; one of which nothing is."""
        return next((route for route in self.routes if route.key == key), None) or _unstated(key)

    def with_route(self, route: Route) -> Self:
        """With what is stated of one route changed; one of which nothing is left is not kept."""
        rest = tuple(item for item in self.routes if item.key != route.key)
        kept = rest if route == _unstated(route.key) else (*rest, route)
        return self.with_(routes=kept)

    def with_place(self, key: str, east_m: float, north_m: float) -> Self:
        """With a part of the site plan at another place."""
        rest = tuple(item for item in self.places if item.key != key)
        return self.with_(places=(*rest, PartPlace(key=key, east_m=east_m, north_m=north_m)))

    def with_label(self, key: str, dx: float, dy: float) -> Self:
        """With words of the drawing at another place; back at their own where both are 0."""
        rest = tuple(item for item in self.labels if item.key != key)
        moved = () if dx == dy == 0.0 else (Label(key=key, dx=dx, dy=dy),)
        return self.with_(labels=(*rest, *moved))


class ExistingCircuit(Model):
    """The AC circuit of an inverter that is there, as it was surveyed."""

    size: Line | None = Field(
        default=None, min_length=1, max_length=12, title="Cable", description="None: not seen."
    )
    material: Material = Field(default="copper", title="Conductor")
    breaker_a: Positive | None = Field(default=None, le=400, title="Breaker", description="None: not seen.")
    reuse: bool = Field(default=True, title="To be used again", description="For the unit that takes its place.")


__all__ = ["ExistingCircuit", "Insulation", "Label", "Laying", "Material", "PartPlace", "Route", "Wiring"]
