"""Where the sun stands, and what a horizontal weather year puts on a tilted plane.

Position and transposition are pvlib's. It is imported inside the functions that use it, because that import takes
longer than a whole warm plan.
"""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.lean import lean_pandas

# Below it the light from around the sun on a plane would grow without end as the sun goes down: as pvlib has it.
LEAST_COSINE = 0.01745


@dataclass(frozen=True, eq=False)
class SunPath:
    """Sun at the middle of every step: apparent zenith and azimuth [deg], extraterrestrial normal [W/m2]."""

    zenith: np.ndarray
    azimuth: np.ndarray
    extra_normal: np.ndarray

    @property
    def cos_zenith(self) -> np.ndarray:
        """Cosine of the zenith, 0 below the horizon."""
        return np.maximum(np.cos(np.radians(self.zenith)), 0.0)


@dataclass(frozen=True, eq=False)
class WeatherYear:
    """A horizontal weather year on the planner's steps.

    Irradiances [W/m2], air temperature [degC], wind at 10 m [m/s].
    """

    ghi: np.ndarray
    dni: np.ndarray
    dhi: np.ndarray
    temp_air: np.ndarray
    wind_speed: np.ndarray


def sun_path(
    utc: np.ndarray, step_h: float, latitude: float, longitude: float, elevation_m: float = 0.0
) -> SunPath:
    """Sun position at the middle of each step.

    Parameters
    ----------
    utc : ndarray of datetime64[s], shape (n,)
        Start of each step.
    step_h : float
        Step length [h].
    latitude, longitude : float
        Degrees, north and east positive.
    elevation_m : float
        Height above sea level [m].

    References
    ----------
    Reda and Andreas 2004, NREL/TP-560-34302, through pvlib.
    """
    lean_pandas()
    import pandas as pd
    from pvlib import atmosphere, irradiance, solarposition

    middle = pd.DatetimeIndex(utc + np.timedelta64(round(step_h * 1800), "s"), tz="UTC")
    position = solarposition.get_solarposition(
        middle, latitude, longitude, elevation_m, pressure=atmosphere.alt2pres(elevation_m)
    )
    extra = irradiance.get_extra_radiation(middle)
    return SunPath(
        position["apparent_zenith"].to_numpy(), position["azimuth"].to_numpy(), np.asarray(extra, dtype=float)
    )


def spread_hours(
    ghi: np.ndarray, dhi: np.ndarray, sun: SunPath, steps_per_hour: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Hourly mean irradiance laid on shorter steps without changing any hour's global and diffuse energy.

    Both follow the extraterrestrial irradiance on the horizontal within the hour; beam is what closes them.
    Energy that falls while the sun's middle is below the horizon is spread evenly, as diffuse.

    Parameters
    ----------
    ghi, dhi : ndarray, shape (hours,)
        Hourly means [W/m2].
    sun : SunPath
        Position on the shorter steps, shape (hours * steps_per_hour,).
    steps_per_hour : int
        Steps in an hour.

    Returns
    -------
    tuple of ndarray
        ghi, dni, dhi on the shorter steps [W/m2].
    """
    shape = (sun.extra_normal * sun.cos_zenith).reshape(-1, steps_per_hour)
    hour_mean = shape.mean(axis=1, keepdims=True)
    lit = hour_mean > 0
    weight = np.where(lit, shape / np.where(lit, hour_mean, 1.0), 1.0)
    global_h = np.maximum(np.asarray(ghi, dtype=float), 0.0)
    diffuse_h = np.where(lit[:, 0], np.clip(dhi, 0.0, global_h), global_h)
    fine_global = (global_h[:, None] * weight).ravel()
    fine_diffuse = (diffuse_h[:, None] * weight).ravel()
    return fine_global, close_beam(fine_global, fine_diffuse, sun), fine_diffuse


def close_beam(ghi: np.ndarray, dhi: np.ndarray, sun: SunPath) -> np.ndarray:
    """Beam normal irradiance that closes global and diffuse, never above the extraterrestrial [W/m2]."""
    cosine = sun.cos_zenith
    beam = np.where(cosine > 0.02, (ghi - dhi) / np.where(cosine > 0.02, cosine, 1.0), 0.0)
    return np.clip(beam, 0.0, sun.extra_normal)


def decompose(ghi: np.ndarray, sun: SunPath, utc: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Beam and diffuse from global alone.

    Parameters
    ----------
    ghi : ndarray
        Global horizontal [W/m2].
    sun : SunPath
        Sun position on the steps.
    utc : ndarray of datetime64
        Stamps of the steps.

    Returns
    -------
    tuple of ndarray
        dni, dhi [W/m2], closing with ghi.

    References
    ----------
    Erbs, Klein and Duffie 1982, Solar Energy 28(4), through pvlib.
    """
    lean_pandas()
    import pandas as pd
    from pvlib import irradiance

    split = irradiance.erbs(ghi, sun.zenith, pd.DatetimeIndex(utc, tz="UTC"))
    dhi = np.clip(np.nan_to_num(np.asarray(split["dhi"], dtype=float)), 0.0, ghi)
    dni = close_beam(ghi, dhi, sun)
    return dni, ghi - dni * sun.cos_zenith


def clock_off_h(ghi: np.ndarray, cos_zenith: np.ndarray) -> float:
    """How much later than the sun a series of hours runs [h], by the middle of its clear days.

    Parameters
    ----------
    ghi : ndarray, shape (days * 24,)
        Hourly means of global horizontal irradiance [W/m2].
    cos_zenith : ndarray, shape (days * 24,)
        Hourly means of the zenith's cosine, 0 below the horizon.

    Returns
    -------
    float
        Median over the brightest tenth of the days; 0 where no day is bright.
    """
    light, sun = ghi.reshape(-1, 24), cos_zenith.reshape(-1, 24)
    up = (sun.sum(axis=1) > 1.0) & (light.sum(axis=1) > 0.0)
    if not up.any():
        return 0.0
    light, sun = light[up], sun[up]
    clearness = light.sum(axis=1) / sun.sum(axis=1)
    bright = clearness >= np.quantile(clearness, 0.9)
    hours = np.arange(24) + 0.5
    middle = [(series[bright] * hours).sum(axis=1) / series[bright].sum(axis=1) for series in (light, sun)]
    return float(np.median(middle[0] - middle[1]))


def clear_sky_ghi(sun: SunPath) -> np.ndarray:
    """Global horizontal irradiance under a clear sky [W/m2].

    References
    ----------
    Haurwitz 1945, Journal of Meteorology 2(3), through pvlib.
    """
    lean_pandas()
    import pandas as pd
    from pvlib import clearsky

    return clearsky.haurwitz(pd.Series(sun.zenith))["ghi"].to_numpy()


@dataclass(frozen=True, eq=False)
class PlaneIrradiance:
    """Beam, sky-diffuse and ground-reflected irradiance on a plane [W/m2], and angle of incidence [deg]."""

    beam: np.ndarray
    sky: np.ndarray
    ground: np.ndarray
    incidence: np.ndarray

    @property
    def total(self) -> np.ndarray:
        """Plane-of-array irradiance [W/m2]."""
        return self.beam + self.sky + self.ground


def plane_of_array(
    weather: WeatherYear, sun: SunPath, surface_tilt: float, surface_azimuth: float, albedo: float = 0.2
) -> PlaneIrradiance:
    """Irradiance on a tilted plane by the Hay-Davies model.

    Parameters
    ----------
    weather : WeatherYear
        The weather year.
    sun : SunPath
        Sun position on the steps.
    surface_tilt, surface_azimuth : float
        Degrees; azimuth clockwise from north.
    albedo : float
        Ground reflectance.

    Returns
    -------
    PlaneIrradiance

    References
    ----------
    Hay and Davies 1980, First Canadian Solar Radiation Data Workshop, through pvlib.
    """
    lean_pandas()
    from pvlib import irradiance

    up = np.flatnonzero(sun.zenith < 90.0)
    # With the sun down there is no beam, and sky light comes from all directions alike: no angle is asked for.
    projection = np.zeros(sun.zenith.size)
    projection[up] = irradiance.aoi_projection(surface_tilt, surface_azimuth, sun.zenith[up], sun.azimuth[up])
    front = np.maximum(projection, 0.0)
    sky = irradiance.haydavies(
        surface_tilt,
        surface_azimuth,
        weather.dhi,
        weather.dni,
        sun.extra_normal,
        projection_ratio=front / np.maximum(sun.cos_zenith, LEAST_COSINE),
    )
    return PlaneIrradiance(
        beam=front * weather.dni,
        sky=np.nan_to_num(np.asarray(sky, dtype=float)),
        ground=np.asarray(irradiance.get_ground_diffuse(surface_tilt, weather.ghi, albedo), dtype=float),
        incidence=np.degrees(np.arccos(np.clip(projection, -1.0, 1.0))),
    )
