"""One cable: the smallest size that meets every limit, or the size that was typed held against them."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from calm_relay.job.wires import DeviceSize, WireSize, WireTables
from calm_relay.physics.cables import (
    ADIABATIC,
    conductor_temp_c,
    least_area_mm2,
    resistance_ohm_per_km,
    voltage_drop_v,
)
from calm_relay.planning.architecture.topology import Edge
from calm_relay.planning.wiring.capacity import Carries, carries, ohm_per_km
from calm_relay.planning.wiring.laid import DC_KINDS, Laid

Limit = Literal["current", "voltage drop", "voltage rise", "short circuit", "breaker", "smallest size"]
# The smallest that is laid for what runs for hours: common practice, no source.
SMALLEST_MM2 = {"string": 4.0, "pack": 10.0, "battery": 10.0}
SMALLEST_AC_MM2 = 2.0
# Insulation whose constant for a short circuit holds: of the two that the standard names the one that bears less.
SHORTED_AS = {"60 °C": "70 °C", "70 °C": "70 °C", "75 °C": "70 °C", "90 °C": "90 °C", "PV cable": "90 °C"}


@dataclass(frozen=True)
class Limits:
    """What a cable is held against.

    Attributes
    ----------
    needed_a : float
        Current that cable and device are chosen for [A].
    drop, rise : float or None
        Share of the voltage that may be lost, and by which it may rise towards the source; None: no rule.
    rise_a : float
        Current that the rise is reckoned at [A].
    fault_ka : float or None
        Short-circuit current that flows there at most [kA]; None: nobody stated it.
    share : float
        Of the current and of the device's rating, what the cable must carry.
    """

    needed_a: float
    drop: float | None
    rise: float | None
    rise_a: float
    fault_ka: float | None = None
    share: float = 1.0


@dataclass(frozen=True)
class Cable:
    """A cable with its size, what protects it and how it stands against each limit.

    `typed` says that somebody named the size. `size` is None where no size meets all; `missed` then names the limits
    that the largest misses, or those that the typed size misses. `binding` is the limit that asks for this size.
    `clause` says whose figure its capacity is, `own` that the firm entered it.
    """

    edge: Edge
    laid: Laid
    limits: Limits
    size: WireSize | None
    typed: bool
    device: DeviceSize | None
    device_kind: str
    capacity_a: float
    ambient: float
    grouping: float
    clause: str
    drop_share: float
    rise_share: float
    least_mm2: float
    binding: Limit
    missed: tuple[Limit, ...] = ()
    problem: str = ""
    own: bool = False

    @property
    def is_there(self) -> bool:
        """Whether it lies already and nobody said what it is."""
        return self.edge.status == "there" and not self.typed

    @property
    def asked_a(self) -> float:
        """What it must carry: its current, or the rating of what protects it where that is more [A]."""
        return asked_a(self.limits, self.device)

    @property
    def words(self) -> str:
        """Size and cores, as it is ordered."""
        if self.size is None:
            return "no size fits"
        many = f"{self.laid.parallel} × " if self.laid.parallel > 1 else ""
        return f"{many}{self.edge.conductors} × {size_words(self.size)}"


def asked_a(limits: Limits, device: DeviceSize | None) -> float:
    """What a cable must carry behind a device [A]."""
    return limits.share * max(limits.needed_a, device.amps if device is not None else 0.0)


def size_words(size: WireSize) -> str:
    """A size with its unit: mm² where its name is its area, else a gauge."""
    try:
        metric = abs(float(size.name) - size.mm2) < 0.01
    except ValueError:
        metric = False
    if metric:
        return f"{size.name} mm²"
    return size.name if "kcmil" in size.name else f"{size.name} AWG"


@dataclass(frozen=True)
class _At:
    """How one size stands."""

    size: WireSize
    capacity_a: float
    drop: float
    rise: float
    missed: tuple[Limit, ...]


def _shares(
    edge: Edge, laid: Laid, limits: Limits, ohm_20: float, capacity_a: float, most_c: float
) -> tuple[float, float]:
    """Voltage drop and rise as shares of the voltage, at the temperature that the current brings."""

    def share(amps: float) -> float:
        temp = conductor_temp_c(amps, capacity_a, laid.ambient_c, most_c)
        drop = voltage_drop_v(amps, resistance_ohm_per_km(ohm_20, temp), laid.length_m, edge.circuit)
        return drop / edge.volts if edge.volts > 0 else 0.0

    return share(edge.drop_a), share(limits.rise_a) if edge.fed or limits.rise_a > 0 else 0.0


def _smallest_mm2(edge: Edge) -> float:
    return SMALLEST_MM2.get(edge.kind, SMALLEST_AC_MM2)


@lru_cache(maxsize=4096)
def size_cable(
    edge: Edge,
    size: str | None,
    laid: Laid,
    limits: Limits,
    tables: WireTables,
    device: DeviceSize | None,
    kind: str,
) -> Cable:
    """The smallest size that meets every limit, or the typed one with what it misses.

    Parameters
    ----------
    edge : Edge
        The cable.
    size : str or None
        Name of the size that was typed; None: the smallest that fits.
    laid : Laid
        How it lies.
    limits : Limits
        What it is held against.
    tables : WireTables
        The region's.
    device : DeviceSize or None
        What protects it; None where nothing does, or none of the series is large enough.
    kind : str
        What the device is called.
    """
    loads_a = asked_a(limits, device)
    able = carries(laid, edge.loaded, tables)
    flexible = edge.kind in DC_KINDS
    least = _least_mm2(laid, device, limits.fault_ka)
    larger = _next_above(device, limits.needed_a, tables)

    def made(
        at: _At | None, binding: Limit, missed: tuple[Limit, ...], problem: str, taken: WireSize | None
    ) -> Cable:
        row = tables.sizes.index(at.size) if at is not None else 0
        return Cable(
            edge, laid, limits, taken, size is not None, device, kind,
            at.capacity_a if at else 0.0, able.ambient if able else 1.0, able.grouping if able else 1.0,
            able.clauses[row] if able else "", at.drop if at else 0.0, at.rise if at else 0.0, least, binding, missed,
            problem, able is not None and able.own[row],
        )  # fmt: skip

    if able is None:
        where = f"{laid.material} of {laid.insulation} laid {laid.laying}"
        return made(None, "current", ("current",), f"{tables.name} has no figure for {where}", None)
    standing = [
        _standing(edge, laid, limits, able, made_as, amps, (loads_a, larger), least, flexible=flexible)
        for made_as, amps in zip(tables.sizes, able.amps, strict=True)
    ]
    made_so = [item for item in standing if item is not None]
    if size is not None:
        typed = next((item for item in made_so if item.size.name == size), None)
        if typed is None:
            sizes = ", ".join(item.size.name for item in made_so)
            return made(None, "current", ("current",), f"no size is called {size!r}; wanted one of {sizes}", None)
        return made(typed, "current", typed.missed, "", typed.size)
    fits = next((item for item in made_so if not item.missed), None)
    if fits is None:
        largest = made_so[-1] if made_so else None
        missed = largest.missed if largest else ("current",)
        return made(largest, missed[0], missed, "", None)
    smaller = made_so[: made_so.index(fits)]
    return made(fits, smaller[-1].missed[0] if smaller else "smallest size", (), "", fits.size)


def _least_mm2(laid: Laid, device: DeviceSize | None, fault_ka: float | None) -> float:
    """Area that bears what the device lets pass; 0 where it is not stated, or conductors share it."""
    passes = None if device is None else device.lets_through(fault_ka)
    if passes is None:
        return 0.0
    return least_area_mm2(passes, ADIABATIC[laid.material, SHORTED_AS[laid.insulation]]) / laid.parallel


# The largest device that may stand above what its cable carries: NEC 240.4(B), from memory.
NEXT_UP_MOST_A = 800.0


def _next_above(device: DeviceSize | None, needed_a: float, tables: WireTables) -> float | None:
    """What a cable must carry at least where its breaker may be the next size up [A]; None where it may not.

    It carries what it is chosen for, and more than the size below its breaker.
    """
    if not tables.next_size_up or device is None or device.amps > NEXT_UP_MOST_A:
        return None
    below = [item.amps for item in tables.breakers if item.amps < device.amps]
    known = any(item.amps == device.amps for item in tables.breakers)
    return max(needed_a - 2e-9, below[-1] if below else 0.0) if known else None


def _standing(
    edge: Edge,
    laid: Laid,
    limits: Limits,
    able: Carries,
    size: WireSize,
    capacity_a: float | None,
    asked: tuple[float, float | None],
    least_mm2: float,
    *,
    flexible: bool,
) -> _At | None:
    """How a size stands against every limit; None where it is not made, or the table does not know it.

    `asked` is what it must carry, and what is enough below its breaker where the region allows the next size up [A].
    """
    loads_a, next_up_a = asked
    ohm = ohm_per_km(size, laid, flexible=flexible)
    if capacity_a is None or ohm is None:
        return None
    drop, rise = _shares(edge, laid, limits, ohm, capacity_a, able.most_c)
    missed: list[Limit] = []
    if size.breaker_most_a is not None and loads_a > size.breaker_most_a * laid.parallel + 1e-9:
        missed.append("breaker")
    if capacity_a < loads_a - 1e-9 and not (next_up_a is not None and capacity_a > next_up_a + 1e-9):
        missed.append("current")
    if limits.drop is not None and drop > limits.drop + 1e-9:
        missed.append("voltage drop")
    if limits.rise is not None and rise > limits.rise + 1e-9:
        missed.append("voltage rise")
    if size.mm2 < least_mm2 - 1e-9:
        missed.append("short circuit")
    if size.mm2 < _smallest_mm2(edge) - 1e-9:
        missed.append("smallest size")
    return _At(size, capacity_a, drop, rise, tuple(missed))
