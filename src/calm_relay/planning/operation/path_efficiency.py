"""Path efficiencies of a simulated year: from module to home, directly and through the store, stage by stage."""

from dataclasses import dataclass
from math import prod

from calm_relay.physics.year import PlantYear


@dataclass(frozen=True)
class Stage:
    """One stretch of a path and its efficiency: the year's energy out over energy in."""

    name: str
    efficiency: float


@dataclass(frozen=True)
class Paths:
    """The stages from module to home; empty where nothing flowed that way in the year.

    `by_store` is by way of the store, for charge that came from the array.
    """

    straight: tuple[Stage, ...] = ()
    by_store: tuple[Stage, ...] = ()

    @property
    def direct(self) -> float | None:
        """Efficiency from module to home, None where nothing flowed."""
        return _product(self.straight)

    @property
    def through_store(self) -> float | None:
        """Efficiency from module through store to home, None where nothing flowed."""
        return _product(self.by_store)


def _product(stages):
    return prod(stage.efficiency for stage in stages) if stages else None


def paths_of(year: PlantYear, store: int | None = None) -> Paths:
    """Path efficiencies from the flows of a year; a path is the product of its stages.

    Parameters
    ----------
    year : PlantYear
    store : int, optional
        Converter that carries the store in question; the first with one when left out.
    """
    arrays = [j for j, part in enumerate(year.plant) if part.pv]
    if store is None:
        store = next((j for j, part in enumerate(year.plant) if part.battery), None)
    if not arrays:
        return Paths()
    own = store in arrays
    straight = _to_bus(year, [store] if own else arrays)
    if store is None or year.kwh("discharge", store) <= 0 or (not own and not straight):
        return Paths(straight)
    part = year.plant[store].battery
    into_dc = Stage("DC to DC, in", part.dc_dc_efficiency)
    if own:
        into = (Stage("tracker", year.plant[store].tracker_efficiency), into_dc)
    else:
        rectifying = _rectifying(year, store)
        if rectifying is None:
            return Paths(straight)
        into = (*straight, Stage("rectifying", rectifying), into_dc)
    out = _inverting(year, [store])
    if out is None:
        return Paths(straight)
    stored = (
        Stage("charging", part.charge_efficiency),
        Stage("discharging", part.discharge_efficiency),
        Stage("DC to DC, out", part.dc_dc_efficiency),
        Stage("inverting again" if not own else "inverting", out),
    )
    return Paths(straight, (*into, *stored))


def _to_bus(year, converters):
    """Stages from the modules to the AC bus, weighted over several converters by what they are offered."""
    inverting = _inverting(year, converters)
    if inverting is None:
        return ()
    offered = sum(year.kwh("pv_dc", j) for j in converters)
    kept = offered - sum(year.kwh("tracker", j) for j in converters)
    tracker = kept / offered if offered > 0 else year.plant[converters[0]].tracker_efficiency
    return (Stage("tracker", tracker), Stage("inverting", inverting))


def _inverting(year, converters):
    out = sum(year.kwh_out(j) for j in converters)
    lost = sum(year.kwh("inverter", j) for j in converters)
    return out / (out + lost) if out > 0 else None


def _rectifying(year, converter):
    drawn = year.kwh_in(converter)
    return 1.0 - year.kwh("rectifier", converter) / drawn if drawn > 0 else None
