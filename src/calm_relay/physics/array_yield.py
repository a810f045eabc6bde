"""From irradiance on a plane to DC power at the converter's terminals, loss by loss."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.lean import lean_pvlib
from calm_relay.physics.sun import PlaneIrradiance

LOSS_NAMES = ("horizon", "reflection", "soiling", "snow", "shading", "temperature", "ageing", "mismatch", "wiring")


@dataclass(frozen=True, eq=False)
class FaceYield:
    """DC power of one face [kW], cell temperature [degC], and the year's losses by name [kWh].

    `ideal_kwh` is what the plane's irradiance would give at rated efficiency; it equals the year's DC energy
    plus the sum of the losses. A cold year makes the temperature loss negative.
    """

    dc_kw: np.ndarray
    cell_c: np.ndarray
    ideal_kwh: float
    losses_kwh: dict[str, float]


def incidence_modifier(incidence: np.ndarray, b0: float = 0.05) -> np.ndarray:
    """Transmission of glass relative to normal incidence.

    Parameters
    ----------
    incidence : ndarray
        Angle of incidence [deg].
    b0 : float
        Glass constant.

    References
    ----------
    ASHRAE Standard 93-77; Souka and Safwat 1966, through pvlib: 0 from 87.3 degrees on at b0 0.05.
    """
    lean_pvlib()
    from pvlib import iam

    return iam.ashrae(np.asarray(incidence), b0)


def cell_temperature(
    poa_global: float | np.ndarray,
    temp_air: float | np.ndarray,
    wind_speed: float | np.ndarray,
    u0: float = 25.0,
    u1: float = 6.84,
) -> float | np.ndarray:
    """Cell temperature of a free-standing module [degC].

    Parameters
    ----------
    poa_global : ndarray
        Plane-of-array irradiance [W/m2].
    temp_air : ndarray
        Air temperature [degC].
    wind_speed : ndarray
        Wind at module height [m/s].
    u0, u1 : float
        Heat loss factors [W/m2/degC], [W s/m3/degC].

    References
    ----------
    Faiman 2008, Progress in Photovoltaics 16(4); IEC 61853-2, through pvlib.
    """
    lean_pvlib()
    from pvlib import temperature

    return temperature.faiman(poa_global, temp_air, np.asarray(wind_speed), u0, u1)


# Coefficients a, b and the rise from back to cell [degC]: King, Boyson and Kratochvil 2004, SAND2004-3535, table 1.
MOUNTED = {
    "close to the roof": (-2.98, -0.0471, 1.0),
    "integrated": (-2.81, -0.0455, 0.0),
}


def mounted_cell_temperature(
    poa_global: np.ndarray, temp_air: np.ndarray, wind_speed: np.ndarray, mounting: str
) -> np.ndarray:
    """Cell temperature of a module that air does not pass freely behind [degC].

    Parameters
    ----------
    poa_global : ndarray
        Plane-of-array irradiance [W/m2].
    temp_air : ndarray
        Air temperature [degC].
    wind_speed : ndarray
        Wind at 10 m [m/s].
    mounting : str
        A key of `MOUNTED`.

    References
    ----------
    King, Boyson and Kratochvil 2004, SAND2004-3535, through pvlib.
    """
    lean_pvlib()
    from pvlib import temperature

    a, b, rise = MOUNTED[mounting]
    return np.asarray(temperature.sapm_cell(poa_global, temp_air, wind_speed, a, b, rise))


@dataclass(frozen=True, eq=False)
class FaceLight:
    """What of the beam passes a face's glass [W/m2], and how warm its cells are [degC]; shapes (steps,)."""

    direct: np.ndarray
    cell_c: np.ndarray


def face_light(
    plane: PlaneIrradiance,
    temp_air: np.ndarray,
    wind_speed: np.ndarray,
    *,
    mounting: str = "open rack",
    u0: float = 25.0,
    u1: float = 6.84,
) -> FaceLight:
    """What light does to a face whatever its modules give of it.

    Parameters
    ----------
    plane : PlaneIrradiance
        Light on the face.
    temp_air, wind_speed : ndarray, shape (steps,)
        [degC], [m/s].
    mounting : str
        "open rack", or a key of `MOUNTED`.
    u0, u1 : float
        Faiman heat loss factors, for an open rack.

    Notes
    -----
    Reflection is counted on the beam only, as pvlib's chain does; that of diffuse light, some 4 % of it, is not.
    """
    lit, direct = np.flatnonzero(plane.beam), np.zeros(plane.beam.size)
    direct[lit] = plane.beam[lit] * incidence_modifier(plane.incidence[lit])
    if mounting in MOUNTED:
        return FaceLight(direct, mounted_cell_temperature(plane.total, temp_air, wind_speed, mounting))
    return FaceLight(direct, np.asarray(cell_temperature(plane.total, temp_air, wind_speed, u0, u1)))


def face_yield(
    plane: PlaneIrradiance,
    light: FaceLight,
    step_h: float,
    *,
    rated_kw: float,
    power_per_c: float,
    age_years: float = 0.0,
    ageing_per_year: float = 0.005,
    open_total: np.ndarray | None = None,
    soiling: float = 0.02,
    snow: np.ndarray | float = 0.0,
    shading: float = 0.0,
    mismatch: float = 0.01,
    wiring: float = 0.01,
) -> FaceYield:
    """DC power of one face over the year.

    Parameters
    ----------
    plane : PlaneIrradiance
        Light on the face.
    light : FaceLight
        What of it reaches the cells, and how warm they are.
    step_h : float
        Step length [h].
    rated_kw : float
        Rated power of all the face's modules [kW].
    power_per_c : float
        Relative power coefficient [1/degC].
    age_years, ageing_per_year : float
        Linear ageing.
    open_total : ndarray, optional
        Plane-of-array irradiance before the horizon took its share [W/m2]; `plane.total` when left out.
    soiling, shading, mismatch, wiring : float
        Fractions of what reaches each stage.
    snow : ndarray or float
        The same by snow on the modules, one for each step.

    Returns
    -------
    FaceYield
    """
    clean, cell_c = light.direct + plane.sky + plane.ground, light.cell_c
    factors = {
        "soiling": 1.0 - soiling,
        "snow": 1.0 - snow,
        "shading": 1.0 - shading,
        "temperature": np.maximum(1.0 + power_per_c * (cell_c - 25.0), 0.0),
        "ageing": max(1.0 - ageing_per_year * age_years, 0.0),
        "mismatch": 1.0 - mismatch,
        "wiring": 1.0 - wiring,
    }
    offered = plane.total.sum() if open_total is None else open_total.sum()
    ideal_kwh = rated_kw * offered / 1000.0 * step_h
    seen_kwh = rated_kw * plane.total.sum() / 1000.0 * step_h
    power = rated_kw * clean / 1000.0
    left_kwh = power.sum() * step_h
    losses = {"horizon": ideal_kwh - seen_kwh, "reflection": seen_kwh - left_kwh}
    for name, factor in factors.items():
        power = power * factor
        after_kwh = power.sum() * step_h
        losses[name] = left_kwh - after_kwh
        left_kwh = after_kwh
    return FaceYield(power, cell_c, float(ideal_kwh), {name: float(losses[name]) for name in LOSS_NAMES})
