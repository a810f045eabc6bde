"""Current over voltage of a module from its datasheet's three points, and what unlike strings in parallel lose."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class CurvePoints:
    """Short-circuit, maximum-power and open-circuit points [A, V] under one light and temperature."""

    isc: float
    imp: float
    vmp: float
    voc: float


def points_at(
    short_circuit_a: float,
    max_power_a: float,
    max_power_v: float,
    open_circuit_v: float,
    *,
    isc_per_c: float,
    vmp_per_c: float,
    voc_per_c: float,
    irradiance: float,
    cell_c: float,
    in_series: int = 1,
) -> CurvePoints:
    """A string's three points away from standard test conditions.

    Currents follow the light; voltages follow the cell temperature, and the logarithm of the light as a diode
    of 26 mV thermal voltage a cell would, some 4 % from 1000 to 200 W/m2.

    Parameters
    ----------
    short_circuit_a, max_power_a, max_power_v, open_circuit_v : float
        Datasheet at 1000 W/m2, 25 degC.
    isc_per_c, vmp_per_c, voc_per_c : float
        Relative coefficients [1/degC].
    irradiance : float
        In the plane [W/m2].
    cell_c : float
        Cell temperature [degC].
    in_series : int
        Modules.
    """
    light = max(irradiance, 1e-3) / 1000.0
    warm = cell_c - 25.0
    current = light * (1.0 + isc_per_c * warm)
    dim = max(1.0 + 0.026 * np.log(light), 0.2)
    return CurvePoints(
        short_circuit_a * current,
        max_power_a * current,
        max_power_v * (1.0 + vmp_per_c * warm) * dim * in_series,
        open_circuit_v * (1.0 + voc_per_c * warm) * dim * in_series,
    )


def string_current(points: CurvePoints, volts: float | np.ndarray) -> np.ndarray:
    """Current of a string at a voltage [A], 0 from its open-circuit voltage on.

    Parameters
    ----------
    points : CurvePoints
        Short-circuit, maximum-power and open-circuit points.
    volts : float or ndarray
        Voltage [V].

    References
    ----------
    Rauschenbach 1980, Solar Cell Array Design Handbook: I = Isc (1 - C1 (exp(V / (C2 Voc)) - 1)) with
    C2 = (Vmp/Voc - 1) / ln(1 - Imp/Isc) and C1 = (1 - Imp/Isc) exp(-Vmp / (C2 Voc)); from memory.
    """
    volts = np.asarray(volts, dtype=float)
    ratio = 1.0 - points.imp / points.isc
    c2 = (points.vmp / points.voc - 1.0) / np.log(ratio)
    c1 = ratio * np.exp(-points.vmp / (c2 * points.voc))
    current = points.isc * (1.0 - c1 * (np.exp(np.minimum(volts / (c2 * points.voc), 700.0)) - 1.0))
    return np.where(volts < points.voc, np.maximum(current, 0.0), 0.0)


def parallel_mismatch(strings: list[tuple[CurvePoints, int]]) -> float:
    """Share of power that unlike strings in parallel lose against each at its own best voltage.

    Parameters
    ----------
    strings : sequence of (CurvePoints, int)
        Points of a string and how many of its kind are in parallel.

    Returns
    -------
    float
        0 for strings that are alike.
    """
    top = max(points.voc for points, _ in strings)
    volts = np.linspace(0.0, top, 2001)
    currents = [number * string_current(points, volts) for points, number in strings]
    alone = sum(float((volts * current).max()) for current in currents)
    together = float((volts * sum(currents)).max())
    return max(0.0, 1.0 - together / alone) if alone > 0 else 0.0
