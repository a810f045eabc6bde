"""What stands against the sky: when it hides the sun, and how much of the sky a plane still sees."""

import numpy as np

from calm_relay.physics.sun import PlaneIrradiance, SunPath, WeatherYear

# Directions over which the sky is summed [deg]: fine enough for a view factor within 0.001.
AZIMUTH_STEP, ELEVATION_STEP = 3.0, 1.5


def horizon_elevation(
    azimuth: list[float] | np.ndarray | float,
    point_azimuth: list[float] | np.ndarray,
    point_elevation: list[float] | np.ndarray,
) -> np.ndarray | float:
    """Height of a horizon line in any direction, straight between its points and closed over north.

    Parameters
    ----------
    azimuth : float or ndarray
        Directions asked for [deg].
    point_azimuth, point_elevation : array_like
        Points of the line [deg], rising in azimuth; none for a flat horizon.

    Returns
    -------
    ndarray
        Elevation [deg].
    """
    azimuth = np.asarray(azimuth, dtype=float)
    if not len(point_azimuth):
        return np.zeros_like(azimuth)
    return np.interp(azimuth % 360.0, point_azimuth, point_elevation, period=360.0)


def sun_is_hidden(
    sun: SunPath, point_azimuth: np.ndarray | list[float], point_elevation: np.ndarray | list[float]
) -> np.ndarray:
    """Whether the middle of the sun stands behind the horizon line, a bool for each step."""
    elevation = 90.0 - sun.zenith
    up = np.flatnonzero(elevation > 0.0)
    hidden = np.zeros(elevation.size, dtype=bool)
    hidden[up] = elevation[up] < horizon_elevation(sun.azimuth[up], point_azimuth, point_elevation)
    return hidden


def sky_view(
    surface_tilt: float,
    surface_azimuth: float,
    point_azimuth: np.ndarray | list[float],
    point_elevation: np.ndarray | list[float],
) -> float:
    """Share of the isotropic sky light on a plane that a horizon line leaves.

    The sky in front of the plane is summed patch by patch, each weighted by its area and the cosine of its
    incidence; patches below the line are left out.

    Parameters
    ----------
    surface_tilt, surface_azimuth : float
        Plane [deg].
    point_azimuth, point_elevation : array_like
        Points of the line [deg].

    Returns
    -------
    float
        1 for a flat horizon, 0 where nothing of the sky is seen.
    """
    if not len(point_azimuth):
        return 1.0
    azimuth = np.arange(AZIMUTH_STEP / 2, 360.0, AZIMUTH_STEP)
    elevation = np.arange(ELEVATION_STEP / 2, 90.0, ELEVATION_STEP)[:, None]
    tilt, turn = np.radians(surface_tilt), np.radians(azimuth - surface_azimuth)
    high = np.radians(elevation)
    incidence = np.sin(high) * np.cos(tilt) + np.cos(high) * np.sin(tilt) * np.cos(turn)
    weight = np.maximum(incidence, 0.0) * np.cos(high)
    seen = weight * (elevation >= horizon_elevation(azimuth, point_azimuth, point_elevation))
    whole = weight.sum()
    return float(seen.sum() / whole) if whole > 0 else 0.0


def isotropic_sky(weather: WeatherYear, sun: SunPath, surface_tilt: float) -> np.ndarray:
    """The part of Hay-Davies sky light on a plane that comes from the whole sky, not from around the sun [W/m2].

    References
    ----------
    Hay and Davies 1980, First Canadian Solar Radiation Data Workshop: DHI (1 - DNI/E0) (1 + cos tilt) / 2.
    """
    clear = np.clip(weather.dni / sun.extra_normal, 0.0, 1.0)
    return weather.dhi * (1.0 - clear) * 0.5 * (1.0 + np.cos(np.radians(surface_tilt)))


def shaded_plane(
    plane: PlaneIrradiance, hidden: np.ndarray, view: float, sky_isotropic: np.ndarray
) -> PlaneIrradiance:
    """Irradiance on a plane behind a horizon line.

    Parameters
    ----------
    plane : PlaneIrradiance
        Without the line.
    hidden : ndarray of bool
        Steps in which the line hides the sun: then beam and the light around the sun are gone.
    view : float
        From `sky_view`.
    sky_isotropic : ndarray
        From `isotropic_sky`; the rest of `plane.sky` comes from around the sun.

    Returns
    -------
    PlaneIrradiance
        Light from the ground is left as it is.
    """
    around_sun = np.maximum(plane.sky - sky_isotropic, 0.0)
    from_sky = np.minimum(sky_isotropic, plane.sky) * view
    return PlaneIrradiance(
        np.where(hidden, 0.0, plane.beam),
        from_sky + np.where(hidden, 0.0, around_sun),
        plane.ground,
        plane.incidence,
    )
