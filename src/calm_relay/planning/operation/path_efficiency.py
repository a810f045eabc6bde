"""Path efficiencies of a simulated year: from module to home, directly and through the battery, stage by stage."""

from dataclasses import dataclass
from math import prod

from calm_relay.physics.plant.island import IslandYear
from calm_relay.physics.plant.year import PlantYear


@dataclass(frozen=True)
class Stage:
    """One stretch of a path and its efficiency: the year's energy out over energy in."""

    name: str
    efficiency: float


@dataclass(frozen=True)
class Paths:
    """The stages from module to home; empty where nothing flowed that way in the year.

    `by_battery` is by way of the battery, for charge that came from the array.
    """

    straight: tuple[Stage, ...] = ()
    by_battery: tuple[Stage, ...] = ()

    @property
    def direct(self) -> float | None:
        """Efficiency from module to home, None where nothing flowed."""
        return _product(self.straight)

    @property
    def through_battery(self) -> float | None:
        """Efficiency from module through battery to home, None where nothing flowed."""
        return _product(self.by_battery)


def _product(stages: tuple[Stage, ...]) -> float | None:
    return prod(stage.efficiency for stage in stages) if stages else None


def paths_of(year: PlantYear, battery: int | None = None) -> Paths:
    """Path efficiencies from the flows of a year; a path is the product of its stages.

    Parameters
    ----------
    year : PlantYear
        The simulated year.
    battery : int, optional
        Converter that carries the battery in question; the first with one when left out.
    """
    arrays = [j for j, part in enumerate(year.plant) if part.pv]
    if battery is None:
        battery = next((j for j, part in enumerate(year.plant) if part.battery), None)
    if not arrays:
        return Paths()
    own = battery in arrays
    straight = _to_bus(year, [battery] if own and battery is not None else arrays)
    if battery is None or year.kwh("discharge", battery) <= 0 or (not own and not straight):
        return Paths(straight)
    part = year.plant[battery].bank
    into_dc = Stage("DC to DC, in", part.dc_dc_efficiency)
    if own:
        into = (Stage("tracker", year.plant[battery].tracker_efficiency), into_dc)
    else:
        rectifying = _rectifying(year, battery)
        if rectifying is None:
            return Paths(straight)
        into = (*straight, Stage("rectifying", rectifying), into_dc)  # type: ignore[assignment]
    out = _inverting(year, [battery])
    if out is None:
        return Paths(straight)
    stored = (
        Stage("charging", part.charge_efficiency),
        Stage("discharging", part.discharge_efficiency),
        Stage("DC to DC, out", part.dc_dc_efficiency),
        Stage("inverting again" if not own else "inverting", out),
    )
    return Paths(straight, (*into, *stored))


def _to_bus(year: PlantYear | IslandYear, inverters: list[int]) -> tuple[Stage, ...]:
    """Stages from the modules to the AC bus, weighted over several converters by what they are offered."""
    inverting = _inverting(year, inverters)
    if inverting is None:
        return ()
    offered = sum(year.kwh("pv_dc", j) for j in inverters)
    kept = offered - sum(year.kwh("tracker", j) for j in inverters)
    tracker = kept / offered if offered > 0 else year.plant[inverters[0]].tracker_efficiency
    return (Stage("tracker", tracker), Stage("inverting", inverting))


def _inverting(year: IslandYear | PlantYear, inverters: list[int]) -> float | None:
    out = sum(year.kwh_out(j) for j in inverters)
    lost = sum(year.kwh("inverter", j) for j in inverters)
    return out / (out + lost) if out > 0 else None


def _rectifying(year: PlantYear | IslandYear, inverter: int) -> float | None:
    drawn = year.kwh_in(inverter)
    return 1.0 - year.kwh("rectifier", inverter) / drawn if drawn > 0 else None
