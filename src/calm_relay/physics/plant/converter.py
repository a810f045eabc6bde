"""The equations of a converter, compiled: inverter, rectifier, tracker, room to charge and to discharge.

Every run reads them from here; what differs between runs is who is served first.
"""

from functools import lru_cache
from typing import Any

import numpy as np

from calm_relay.physics.compiling import compiled, inlined
from calm_relay.physics.plant.parts import KNOTS, BatteryPart, ConverterPart

LOW, HIGH = KNOTS[1], KNOTS[2]
PER_ENDS, PER_MIDDLE = 1.0 / LOW, 1.0 / (HIGH - LOW)


def records(fields: list[tuple[str, str]]) -> np.dtype[Any]:
    """The type of records that are read by attribute, for plain arrays.

    Of a plain array a compiled run knows the type at once; that of numpy's record arrays it works out at every call.
    """
    return np.dtype((np.record, fields))


# A converter's figures as the compiled runs read them: powers in kW, energies in kWh. The loss coefficients are scaled
# so that loss = k0 + k1 P + k2 P^2 with P in kW. A current limit of the battery limits its power at each of `KNOTS`.
# "per" fields are reciprocals, which spare divisions. A record array is read as fast as a plain matrix; a tuple of
# arrays, whose references are counted at every access, takes twenty times as long.
CONVERTER = records(
    [
        ("ac_limit_kw", "f8"),
        ("has_pv", "i8"),
        ("pv_limit_kw", "f8"),
        ("tracker_efficiency", "f8"),
        ("k0", "f8"),
        ("k1", "f8"),
        ("k2", "f8"),
        ("standby_kw", "f8"),
        ("usable_kwh", "f8"),
        ("per_usable", "f8"),
        ("charge_kw", "f8"),
        ("discharge_kw", "f8"),
        *((f"charge_kw_at_{knot}", "f8") for knot in ("empty", "low", "high", "full")),
        *((f"discharge_kw_at_{knot}", "f8") for knot in ("empty", "low", "high", "full")),
        ("taper_from", "f8"),
        ("taper_fall", "f8"),
        ("charge_efficiency", "f8"),
        ("per_charge", "f8"),
        ("discharge_efficiency", "f8"),
        ("per_discharge", "f8"),
        ("peukert", "f8"),
        ("rated_kw", "f8"),
        ("dc_dc_efficiency", "f8"),
        ("per_dc_dc", "f8"),
        ("reserve", "f8"),
        ("initial", "f8"),
        ("from_ac_kw", "f8"),
        ("phase", "i8"),
        ("by_clock", "i8"),
    ]
)


def pack(parts: tuple[ConverterPart, ...] | list[ConverterPart]) -> np.ndarray:
    """Converters as the compiled runs read them, one record each with the fields of `CONVERTER`.

    Parameters
    ----------
    parts : sequence of ConverterPart
        Each is checked; none for a house without PV or battery.

    Raises
    ------
    ValueError
        When a limit is negative, an efficiency outside (0, 1], or a share outside 0 to 1.
    """
    packed = np.zeros(len(parts), dtype=CONVERTER)
    for number, part in enumerate(parts):
        packed[number] = _row(number, part)
    return packed


@lru_cache(maxsize=1024)
def _row(number: int, part: ConverterPart) -> tuple[float, ...]:
    battery = part.battery or BatteryPart(0.0, 0.0, 0.0)
    _check(number, part, battery)
    rated = part.loss_rated_kw or part.ac_limit_kw
    above = 1.0 - battery.taper_from
    row = {
        "ac_limit_kw": part.ac_limit_kw,
        "has_pv": part.pv,
        "pv_limit_kw": part.pv_limit_kw,
        "tracker_efficiency": part.tracker_efficiency,
        "k0": part.loss.k0 * rated,
        "k1": part.loss.k1,
        "k2": part.loss.k2 / rated if rated > 0 else 0.0,
        "standby_kw": part.standby_kw,
        "usable_kwh": battery.usable_kwh,
        "per_usable": 1.0 / battery.usable_kwh if battery.usable_kwh > 0 else 0.0,
        "charge_kw": battery.charge_kw,
        "discharge_kw": battery.discharge_kw,
        **_at_knots("charge", battery.charge_a, battery.volts),
        **_at_knots("discharge", battery.discharge_a, battery.volts),
        "taper_from": battery.taper_from,
        "taper_fall": (1.0 - battery.taper_to) / above if above > 0 else 0.0,
        "charge_efficiency": battery.charge_efficiency,
        "per_charge": 1.0 / battery.charge_efficiency,
        "discharge_efficiency": battery.discharge_efficiency,
        "per_discharge": 1.0 / battery.discharge_efficiency,
        "peukert": battery.peukert - 1.0 if battery.rated_kw > 0.0 else 0.0,
        "rated_kw": battery.rated_kw,
        "dc_dc_efficiency": battery.dc_dc_efficiency,
        "per_dc_dc": 1.0 / battery.dc_dc_efficiency,
        "reserve": battery.reserve,
        "initial": battery.initial,
        "from_ac_kw": battery.from_ac_kw,
        "phase": part.phase,
        "by_clock": part.by_clock,
    }
    return tuple(row[name] for name in CONVERTER.names or ())


def _at_knots(way: str, amps: float, volts: np.ndarray) -> dict[str, float]:
    names = (f"{way}_kw_at_{knot}" for knot in ("empty", "low", "high", "full"))
    return dict(zip(names, (amps * volts / 1000.0).tolist(), strict=True))


def _check(number: int, part: ConverterPart, battery: BatteryPart) -> None:
    efficiencies = (
        part.tracker_efficiency,
        battery.charge_efficiency,
        battery.discharge_efficiency,
        battery.dc_dc_efficiency,
    )
    if not all(0.0 < value <= 1.0 for value in efficiencies):
        raise ValueError(f"converter {number}: efficiencies {efficiencies}; wanted above 0 and at most 1")
    limits = (part.ac_limit_kw, part.pv_limit_kw, part.standby_kw, battery.usable_kwh)
    if not all(value >= 0.0 for value in (*limits, battery.charge_kw, battery.discharge_kw)):
        raise ValueError(f"converter {number}: a limit is negative")
    if not (0.0 <= battery.reserve <= 1.0 and 0.0 <= battery.initial <= 1.0):
        raise ValueError(f"converter {number}: reserve and initial charge must lie in 0 to 1")
    if not (0.0 <= battery.taper_from <= 1.0 and 0.0 <= battery.taper_to <= 1.0):
        raise ValueError(f"converter {number}: the taper of the charge limit must lie in 0 to 1")
    if part.phase not in (0, 1, 2, 3):
        raise ValueError(f"converter {number}: phase {part.phase}; wanted 0 to 3")
    if battery.peukert < 1.0 or battery.rated_kw < 0.0:
        raise ValueError(f"converter {number}: Peukert's exponent {battery.peukert}; wanted at least 1")
    if not np.all(battery.volts > 0.0):
        raise ValueError(f"converter {number}: battery at {battery.volts} V; wanted volts above 0")


@inlined
def inverter_dc(c: np.ndarray, j: int, ac: float) -> float:
    """DC power [kW] an inverter needs for an AC output; switched off it needs none."""
    if ac <= 0.0:
        return 0.0
    return ac + c[j].k0 + c[j].k1 * ac + c[j].k2 * ac * ac


@inlined
def forming_dc(c: np.ndarray, j: int, ac: float) -> float:
    """DC power [kW] an inverter needs to form the grid and give AC power, or none, to it."""
    return ac + max(c[j].k0, c[j].standby_kw) + c[j].k1 * ac + c[j].k2 * ac * ac


@inlined
def inverter_ac(c: np.ndarray, j: int, dc: float) -> float:
    """AC output [kW] of an inverter fed with DC power, within its AC limit; 0 when its own losses eat it."""
    net = dc - c[j].k0
    if net <= 0.0:
        return 0.0
    b = 1.0 + c[j].k1
    ac = 2.0 * net / (b + np.sqrt(b * b + 4.0 * c[j].k2 * net))
    return min(ac, c[j].ac_limit_kw)


@inlined
def rectifier_dc(c: np.ndarray, j: int, ac: float) -> float:
    """DC power [kW] out of a rectifier that draws AC power; at or below 0 it is not worth starting."""
    return ac - c[j].k0 - c[j].k1 * ac - c[j].k2 * ac * ac


@inlined
def rectifier_ac(c: np.ndarray, j: int, dc: float) -> float:
    """AC power [kW] a rectifier draws to give DC power, the smaller root; its most when none gives so much."""
    b = 1.0 - c[j].k1
    wanted = dc + c[j].k0
    root = b * b - 4.0 * c[j].k2 * wanted
    if root < 0.0:
        return c[j].from_ac_kw
    return 2.0 * wanted / (b + np.sqrt(root))


@inlined
def _along(empty: float, low: float, high: float, full: float, soc: float) -> float:
    """A current's power limit [kW] at a state of charge, straight between its values at the knots."""
    if soc < LOW:
        return empty + (low - empty) * soc * PER_ENDS
    if soc < HIGH:
        return low + (high - low) * (soc - LOW) * PER_MIDDLE
    return high + (full - high) * (soc - HIGH) * PER_ENDS


@inlined
def charge_current_kw(c: np.ndarray, j: int, soc: float) -> float:
    """Power [kW] at which the battery's charge current ends at a state of charge."""
    b = c[j]
    return _along(b.charge_kw_at_empty, b.charge_kw_at_low, b.charge_kw_at_high, b.charge_kw_at_full, soc)


@inlined
def discharge_current_kw(c: np.ndarray, j: int, soc: float) -> float:
    """Power [kW] at which the battery's discharge current ends at a state of charge."""
    b = c[j]
    return _along(
        b.discharge_kw_at_empty, b.discharge_kw_at_low, b.discharge_kw_at_high, b.discharge_kw_at_full, soc
    )


@inlined
def charge_room(c: np.ndarray, j: int, stored: float, derate: float, per_h: float) -> float:
    """Most power [kW] the battery takes at the DC bus in this step.

    `stored` is its energy [kWh], `derate` the share of the limit that cold or heat leaves, `per_h` steps an hour.
    """
    if c[j].usable_kwh <= 0.0:
        return 0.0
    soc = stored * c[j].per_usable
    most = min(c[j].charge_kw, charge_current_kw(c, j, soc)) * derate
    if soc > c[j].taper_from:
        most *= 1.0 - c[j].taper_fall * (soc - c[j].taper_from)
    most = min(most, (c[j].usable_kwh - stored) * c[j].per_charge * per_h)
    return max(most, 0.0) * c[j].per_dc_dc


@inlined
def discharge_room(c: np.ndarray, j: int, stored: float, floor: float, derate: float, per_h: float) -> float:
    """Most power [kW] the battery gives at the DC bus in this step without going below its floor [kWh]."""
    most = min(c[j].discharge_kw, discharge_current_kw(c, j, stored * c[j].per_usable)) * derate
    most = min(most, power_from(c, j, (stored - floor) * per_h))
    return max(most, 0.0) * c[j].dc_dc_efficiency


@inlined
def drained_by(c: np.ndarray, j: int, given: float) -> float:
    """What is taken from the energy stored for what is given [kW]: beyond the rated power more than its share.

    Peukert 1897, Elektrotechnische Zeitschrift 20 (from memory): charge over current raised to an exponent.
    """
    if c[j].peukert > 0.0 and given > c[j].rated_kw:
        return given * c[j].per_discharge * (given / c[j].rated_kw) ** c[j].peukert
    return given * c[j].per_discharge


@inlined
def power_from(c: np.ndarray, j: int, drained: float) -> float:
    """The power at the terminals that so much taken from the energy stored gives [kW]; `drained_by` the other way."""
    given = drained * c[j].discharge_efficiency
    if c[j].peukert > 0.0 and given > c[j].rated_kw:
        return c[j].rated_kw * (given / c[j].rated_kw) ** (1.0 / (1.0 + c[j].peukert))
    return given


@inlined
def harvest_dc(c: np.ndarray, j: int, offered: float) -> float:
    """What the trackers or the charge controller of a converter bring to its DC bus [kW]."""
    return min(offered * c[j].tracker_efficiency, c[j].pv_limit_kw) if c[j].has_pv else 0.0


@compiled
def arrays_ac(c: np.ndarray, pv_kw: np.ndarray) -> np.ndarray:
    """AC power that arrays offer behind their inverters [kW].

    Parameters
    ----------
    c : ndarray, shape (converters,)
        From `pack`.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer [kW].

    Returns
    -------
    ndarray, shape (converters, steps)
    """
    offered = np.zeros(pv_kw.shape)
    for j in range(pv_kw.shape[0]):
        for t in range(pv_kw.shape[1]):
            offered[j, t] = inverter_ac(c, j, harvest_dc(c, j, pv_kw[j, t]))
    return offered
