"""Path efficiencies of a simulated year: from module to home, directly and through the store."""

from dataclasses import dataclass

from calm_relay.physics.year import PlantYear


@dataclass(frozen=True)
class Paths:
    """Energy-weighted efficiencies over the year; None where nothing flowed that way.

    `through_store` is from module to home by way of the store, for charge that came from the array.
    """

    direct: float | None
    through_store: float | None


def paths_of(year: PlantYear) -> Paths:
    """Path efficiencies from the flows of a year.

    A stage's efficiency is its yearly energy out over energy in; a path is the product of its stages.
    """
    pv = next((j for j, part in enumerate(year.plant) if part.pv), None)
    store = next((j for j, part in enumerate(year.plant) if part.battery), None)
    direct = _inverting(year, pv) if pv is not None else None
    if direct is not None:
        direct *= year.plant[pv].tracker_efficiency
    if pv is None or store is None or year.kwh("discharge", store) <= 0:
        return Paths(direct, None)
    part = year.plant[store].battery
    into = part.dc_dc_efficiency * part.charge_efficiency
    if pv == store:
        into *= year.plant[pv].tracker_efficiency
    else:
        rectifying = _rectifying(year, store)
        if direct is None or rectifying is None:
            return Paths(direct, None)
        into *= direct * rectifying
    out = part.discharge_efficiency * part.dc_dc_efficiency * _inverting(year, store)
    return Paths(direct, into * out)


def _inverting(year, converter):
    out = year.kwh_out(converter)
    lost = year.kwh("inverter", converter)
    return out / (out + lost) if out > 0 else None


def _rectifying(year, converter):
    drawn = year.kwh_in(converter)
    return 1.0 - year.kwh("rectifier", converter) / drawn if drawn > 0 else None
