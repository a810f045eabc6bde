"""Breakers and fuses: the smallest of a series that carries the current, one for each cable that a source can feed."""

from collections.abc import Sequence

from calm_relay.job.wires import DeviceSize, WireTables
from calm_relay.job.wiring import Route
from calm_relay.planning.architecture.topology import Edge

# Cables of direct current that a battery can feed, and that a fuse protects.
FUSED = ("battery", "pack", "car charger")
# Such a fuse is chosen with a quarter to spare, whatever the region says of breakers: common practice, no source.
FUSE_FACTOR = 1.25
BREAKER, FUSE, STRING_FUSE, MAIN_FUSE = "breaker", "fuse", "string fuse", "main fuse"


def series_for(edge: Edge, tables: WireTables) -> tuple[Sequence[DeviceSize], str]:
    """Devices that may protect a cable, and what they are called."""
    if edge.kind in FUSED:
        return tables.fuses, FUSE
    if edge.kind == "string":
        return (), ""
    return tables.breakers, MAIN_FUSE if edge.kind == "service" else BREAKER


def smallest(series: Sequence[DeviceSize], amps: float) -> DeviceSize | None:
    """The smallest device that carries a current; None where the series ends below it."""
    return next((item for item in series if item.amps >= amps - 1e-9), None)


def device_of(
    edge: Edge, route: Route, tables: WireTables, needed_a: float, string_fuse_a: float | None
) -> tuple[DeviceSize | None, str]:
    """What protects a cable: as typed, else the smallest of its series; strings have fuses only where they need them.

    Parameters
    ----------
    edge : Edge
        The cable.
    route : Route
        The job's word on it.
    tables : WireTables
        The region's series.
    needed_a : float
        What the device must carry for hours [A].
    string_fuse_a : float or None
        Fuse of each string; None where there is none.
    """
    series, kind = series_for(edge, tables)
    if edge.kind == "string":
        if route.protect_a is not None:
            return DeviceSize(amps=route.protect_a), STRING_FUSE
        return (DeviceSize(amps=string_fuse_a), STRING_FUSE) if string_fuse_a is not None else (None, "")
    if route.protect_a is not None:
        known = next((item for item in series if item.amps == route.protect_a), None)
        return known or DeviceSize(amps=route.protect_a), kind
    return smallest(series, needed_a), kind


def is_in_series(edge: Edge, amps: float, tables: WireTables) -> bool:
    """Whether a device of so many amperes is made."""
    series, _ = series_for(edge, tables)
    return not series or any(item.amps == amps for item in series)


def neighbours(edge: Edge, amps: float, tables: WireTables) -> tuple[float, ...]:
    """The sizes of the series on both sides of one that it does not have [A]."""
    series, _ = series_for(edge, tables)
    below = [item.amps for item in series if item.amps < amps]
    above = [item.amps for item in series if item.amps > amps]
    return (*below[-1:], *above[:1])
