"""What snow on the modules takes, month by month."""

import numpy as np

from calm_relay.physics.lean import lean_pvlib


def snow_shares(
    fall_cm: np.ndarray,
    days: np.ndarray,
    tilt: float,
    air_c: np.ndarray,
    plane_kwh_per_m2: np.ndarray,
    *,
    slant_m: float,
    lower_edge_m: float,
    humidity: float,
) -> np.ndarray:
    """Share of each month's yield that snow on the modules takes.

    Parameters
    ----------
    fall_cm : ndarray
        Fresh snow of each month, shape (12,) [cm].
    days : ndarray
        Days of each month with more than 2.5 cm of it, shape (12,).
    tilt : float
        Of the modules [deg].
    air_c : ndarray
        Mean air of each month, shape (12,) [degC].
    plane_kwh_per_m2 : ndarray
        Light on the modules in each month, shape (12,) [kWh/m2].
    slant_m : float
        Length of the array up the slope [m].
    lower_edge_m : float
        From its lower edge to where the snow comes to lie [m].
    humidity : float
        Of the winter's air, 0 to 1.

    Returns
    -------
    ndarray
        Shares, 0 to 1, shape (12,); a month without light loses nothing.

    References
    ----------
    Townsend and Powers 2011, Photovoltaics and snow: an update from two winters of measurements in the Sierra, 37th
    IEEE PVSC, through pvlib.
    """
    lean_pvlib()
    from pvlib import snow

    lit = plane_kwh_per_m2 > 0.0
    shares = snow.loss_townsend(
        np.asarray(fall_cm, float),
        np.asarray(days, float),
        tilt,
        humidity * 100.0,
        np.asarray(air_c, float),
        np.where(lit, plane_kwh_per_m2, 1.0) * 1000.0,
        slant_m,
        lower_edge_m,
    )
    return np.where(lit, shares, 0.0)
