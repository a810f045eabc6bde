"""Current over voltage of a module from its datasheet's three points, and what unlike strings in parallel lose."""

from dataclasses import astuple, dataclass
from typing import Any, Generic, TypeVar

import numpy as np

from calm_relay.physics.compiling import compiled

# Voltages at which a curve is looked at to find its best.
LOOKED_AT = 2001
# One moment, or many in an array.
Amount = TypeVar("Amount", float, np.ndarray)


@dataclass(frozen=True)
class CurvePoints(Generic[Amount]):
    """Short-circuit, maximum-power and open-circuit points [A, V], of one moment or of many in arrays alike."""

    isc: Amount
    imp: Amount
    vmp: Amount
    voc: Amount


def points_at(
    short_circuit_a: float,
    max_power_a: float,
    max_power_v: float,
    open_circuit_v: float,
    *,
    isc_per_c: float,
    vmp_per_c: float,
    voc_per_c: float,
    irradiance: Amount,
    cell_c: Amount,
    in_series: int = 1,
) -> CurvePoints[Amount]:
    """A string's three points away from standard test conditions.

    Currents follow the light; voltages follow the cell temperature, and the logarithm of the light as a diode
    of 26 mV thermal voltage a cell would, some 4 % from 1000 to 200 W/m2.

    Parameters
    ----------
    short_circuit_a, max_power_a, max_power_v, open_circuit_v : float
        Datasheet at 1000 W/m2, 25 degC.
    isc_per_c, vmp_per_c, voc_per_c : float
        Relative coefficients [1/degC].
    irradiance : float or ndarray
        In the plane [W/m2].
    cell_c : float or ndarray
        Cell temperature [degC].
    in_series : int
        Modules.
    """
    light = np.maximum(irradiance, 1e-3) / 1000.0
    warm = cell_c - 25.0
    current = light * (1.0 + isc_per_c * warm)
    dim = np.maximum(1.0 + 0.026 * np.log(light), 0.2)
    return CurvePoints(
        short_circuit_a * current,
        max_power_a * current,
        max_power_v * (1.0 + vmp_per_c * warm) * dim * in_series,
        open_circuit_v * (1.0 + voc_per_c * warm) * dim * in_series,
    )


def string_current(points: CurvePoints[float], volts: float | np.ndarray) -> np.ndarray:
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


def parallel_mismatch(strings: list[tuple[CurvePoints[Any], int]]) -> np.ndarray:
    """Share of power that unlike strings in parallel lose against each at its own best voltage.

    Parameters
    ----------
    strings : sequence of (CurvePoints, int)
        Points of a string, of one moment or of `moments`, and how many of its kind are in parallel.

    Returns
    -------
    ndarray, shape (moments,)
        0 for strings that are alike.
    """
    points = np.array([np.atleast_2d(np.transpose(astuple(each))).T for each, _ in strings])
    return _mismatch(points, np.array([number for _, number in strings], dtype=float))


@compiled
def _mismatch(points: np.ndarray, parallel: np.ndarray) -> np.ndarray:
    """`parallel_mismatch` of points of shape (strings, 4, moments), in the order of `CurvePoints`."""
    strings, _, moments = points.shape
    lost = np.zeros(moments)
    c1, rise, grown, alone = np.empty(strings), np.empty(strings), np.empty(strings), np.empty(strings)
    for t in range(moments):
        top = points[:, 3, t].max()
        volt = top / (LOOKED_AT - 1)
        for s in range(strings):
            isc, imp, vmp, voc = points[s, 0, t], points[s, 1, t], points[s, 2, t], points[s, 3, t]
            ratio = 1.0 - imp / isc
            scale = (vmp / voc - 1.0) / np.log(ratio) * voc
            c1[s] = ratio * np.exp(-vmp / scale)
            # The exponential of evenly spaced voltages grows by one factor from each to the next.
            rise[s], grown[s], alone[s] = np.exp(volt / scale), 1.0, 0.0
        together = 0.0
        for k in range(LOOKED_AT):
            volts, power = k * volt, 0.0
            for s in range(strings):
                if volts < points[s, 3, t]:
                    amps = points[s, 0, t] * (1.0 - c1[s] * (grown[s] - 1.0))
                    watts = volts * parallel[s] * max(amps, 0.0)
                    alone[s] = max(alone[s], watts)
                    power += watts
                    grown[s] *= rise[s]
            together = max(together, power)
        if alone.sum() > 0.0:
            lost[t] = max(0.0, 1.0 - together / alone.sum())
    return lost
