"""Where the sun stands, and what a horizontal weather year puts on a tilted plane.

Position and transposition are pvlib's. It is imported inside the functions that use it, because that import takes
longer than a whole warm plan.
"""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.kept import COMMON
from calm_relay.physics.lean import lean_pvlib
from calm_relay.physics.unchanging import digest_as_is

# Below it the light from around the sun on a plane would grow without end as the sun goes down: as pvlib has it.
LEAST_COSINE = 0.01745
# Air at which refraction is taken [degC], the refraction at sunrise [deg], and how far the clock is behind the Earth's
# own time [s]: pvlib's own.
AIR_C, BENT_AT_THE_HORIZON, CLOCK_LATE_S = 12.0, 0.5667, 67.0


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
    lean_pvlib()
    from pvlib import atmosphere, spa

    middle = (utc + np.timedelta64(round(step_h * 1800), "s")).astype("datetime64[s]")
    from_afar = COMMON.get(("from afar", digest_as_is(middle.view("int64"))), lambda: _from_afar(middle))
    alpha, delta, parallax = from_afar.right_ascension, from_afar.declination, from_afar.parallax
    hour = spa.local_hour_angle(from_afar.sidereal, longitude, alpha)
    u = spa.uterm(latitude)
    x, y = spa.xterm(u, latitude, elevation_m), spa.yterm(u, latitude, elevation_m)
    aside = spa.parallax_sun_right_ascension(x, parallax, hour, delta)
    delta = spa.topocentric_sun_declination(delta, x, y, parallax, aside, hour)
    hour = spa.topocentric_local_hour_angle(hour, aside)
    bare = spa.topocentric_elevation_angle_without_atmosphere(latitude, delta, hour)
    bent = spa.atmospheric_refraction_correction(
        atmosphere.alt2pres(elevation_m) / 100.0, AIR_C, bare, BENT_AT_THE_HORIZON
    )
    zenith = spa.topocentric_zenith_angle(spa.topocentric_elevation_angle(bare, bent))
    azimuth = spa.topocentric_azimuth_angle(spa.topocentric_astronomers_azimuth(hour, delta, latitude))
    return SunPath(zenith, azimuth, from_afar.extra_normal)


@dataclass(frozen=True, eq=False)
class _FromAfar:
    """Where the sun stands whatever the place: sidereal time, right ascension, declination, parallax [deg]."""

    sidereal: np.ndarray
    right_ascension: np.ndarray
    declination: np.ndarray
    parallax: np.ndarray
    extra_normal: np.ndarray


def _from_afar(middle: np.ndarray) -> _FromAfar:
    """What takes nine tenths of the way to the sun's position, and no place changes; `middle` in UTC."""
    import pandas as pd
    from pvlib import irradiance, spa

    stamps = pd.DatetimeIndex(middle, tz="UTC")
    seconds = middle.astype("int64").astype(float)
    nowhere = (seconds, 0.0, 0.0, 0.0, 0.0, 0.0, CLOCK_LATE_S, 0.0, 1)
    sidereal, alpha, delta = spa.solar_position(*nowhere, sst=True)
    (distance,) = spa.solar_position(*nowhere, esd=True)
    extra = np.asarray(irradiance.get_extra_radiation(stamps), dtype=float)
    return _FromAfar(sidereal, alpha, delta, spa.equatorial_horizontal_parallax(distance), extra)


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
    lean_pvlib()
    from pvlib import irradiance

    lit = np.flatnonzero(ghi > 0.0)
    day_of_year = (utc.astype("datetime64[D]") - utc.astype("datetime64[Y]")).astype(int) + 1
    split = irradiance.erbs(ghi[lit], sun.zenith[lit], day_of_year[lit])
    dhi = np.zeros(ghi.size)
    dhi[lit] = np.clip(np.nan_to_num(np.asarray(split["dhi"], dtype=float)), 0.0, ghi[lit])
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
    lean_pvlib()
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
    lean_pvlib()
    from pvlib import irradiance

    # At night nothing falls on a plane, and no angle is asked for.
    up = sun.zenith < 90.0
    lit = np.flatnonzero(up | (weather.ghi > 0.0) | (weather.dhi > 0.0))
    zenith, azimuth, dni, dhi = (series[lit] for series in (sun.zenith, sun.azimuth, weather.dni, weather.dhi))
    projection = np.where(up[lit], irradiance.aoi_projection(surface_tilt, surface_azimuth, zenith, azimuth), 0.0)
    front = np.maximum(projection, 0.0)
    sky = irradiance.haydavies(
        surface_tilt,
        surface_azimuth,
        dhi,
        dni,
        sun.extra_normal[lit],
        projection_ratio=front / np.maximum(np.cos(np.radians(zenith)), LEAST_COSINE),
    )

    def over_the_year(series: np.ndarray, at_night: float = 0.0) -> np.ndarray:
        whole = np.full(up.size, at_night)
        whole[lit] = series
        return whole

    return PlaneIrradiance(
        beam=over_the_year(front * dni),
        sky=over_the_year(np.nan_to_num(np.asarray(sky, dtype=float))),
        ground=np.asarray(irradiance.get_ground_diffuse(surface_tilt, weather.ghi, albedo), dtype=float),
        incidence=over_the_year(np.degrees(np.arccos(np.clip(projection, -1.0, 1.0))), 90.0),
    )
