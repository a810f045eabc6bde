"""The light a system is commissioned in: measured, typed, or judged by the clear sky of that time and place."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np

from calm_relay.job.commissioning import Conditions
from calm_relay.job.model import Job, RoofFace
from calm_relay.physics.array_yield import mounted_cell_temperature
from calm_relay.physics.sun import WeatherYear, clear_sky_ghi, decompose, plane_of_array, sun_path
from calm_relay.planning.plan import Plan

# Share of a clear sky's light, and how far it may be off: common practice, no source.
SKIES = {"clear": (1.0, 0.15), "thin cloud": (0.6, 0.4), "overcast": (0.2, 0.7)}
# An irradiance meter held in the plane, and a thermometer on the back of a module: common practice, no source.
METER_OFF, PROBE_OFF_C, JUDGED_OFF_C = 0.05, 3.0, 10.0
# Under it strings are not judged: IEC 62446-1 asks for stable light and a few hundred W/m2; from memory.
LEAST_LIGHT = 150.0
# What clear air, snow and the edge of a cloud may add: common practice, no source.
ABOVE_CLEAR = 1.3
BREEZE = 1.5


@dataclass(frozen=True)
class Light:
    """Light on a face.

    Attributes
    ----------
    irradiance : float
        In its plane [W/m2].
    cell_c : float
        Of its cells [degC].
    off : float
        Share by which the irradiance may be off.
    off_c : float
        By how much the cell temperature may be off [degC].
    clear : float
        What a clear sky gives then [W/m2].
    source : str
        Where both come from.
    """

    irradiance: float
    cell_c: float
    off: float
    off_c: float
    clear: float
    source: str

    @property
    def enough(self) -> bool:
        """Whether strings can be judged in it."""
        return self.irradiance >= LEAST_LIGHT

    @property
    def problem(self) -> str:
        """What is wrong with a typed irradiance; empty where it can be."""
        if self.irradiance > max(ABOVE_CLEAR * self.clear, 100.0):
            return (
                f"{self.irradiance:,.0f} W/m² is more than a clear sky gives on this face then "
                f"({self.clear:,.0f} W/m²): is the date, the time or the unit right?"
            )
        return ""


@dataclass(frozen=True)
class ClearSky:
    """What a clear sky gives on a plane [W/m2]: the beam, and all that is diffuse."""

    beam: float
    diffuse: float

    @property
    def total(self) -> float:
        """Both."""
        return self.beam + self.diffuse


@lru_cache(maxsize=2048)
def clear_plane(
    utc: datetime,
    latitude: float,
    longitude: float,
    elevation_m: float,
    tilt: float,
    azimuth: float,
    albedo: float,
) -> ClearSky:
    """Irradiance of a clear sky on a plane.

    Parameters
    ----------
    utc : datetime
        Naive, UTC.
    latitude, longitude : float
        Of the site [deg].
    elevation_m : float
        Above the sea [m].
    tilt, azimuth : float
        Of the plane [deg], clockwise from north.
    albedo : float
        Of the ground.

    References
    ----------
    Haurwitz 1945; Erbs, Klein and Duffie 1982; the plane as in `physics.sun.plane_of_array`.
    """
    at = np.array([np.datetime64(utc, "s")])
    sun = sun_path(at, 0.0, latitude, longitude, elevation_m)
    ghi = clear_sky_ghi(sun)
    dni, dhi = decompose(ghi, sun, at)
    still = np.zeros(1)
    plane = plane_of_array(WeatherYear(ghi, dni, dhi, still, still), sun, tilt, azimuth, albedo)
    return ClearSky(float(plane.beam[0]), float(plane.sky[0] + plane.ground[0]))


def moment_utc(job: Job, conditions: Conditions, today: datetime | None = None) -> datetime:
    """The moment of the readings, naive UTC; today where no date is stated."""
    zone = ZoneInfo(job.site.time_zone)
    day = conditions.on or (today or datetime.now(zone)).strftime("%Y-%m-%d")
    local = datetime.fromisoformat(f"{day}T{conditions.at}").replace(tzinfo=zone)
    return (local - (local.utcoffset() or timedelta())).replace(tzinfo=None)


def air_at(plan: Plan, utc: datetime) -> float:
    """Air of the plan's year at that time of the year [degC]."""
    calendar = plan.site.calendar
    shifted = (np.datetime64(utc, "s") - calendar.utc[0]) / np.timedelta64(3600, "s")
    return float(plan.site.weather.temp_air[int(shifted % 8760 / calendar.step_h) % calendar.steps])


def clear_sky_on(plan: Plan, face: RoofFace, utc: datetime) -> ClearSky:
    """A clear sky on a face at a moment, naive UTC."""
    site = plan.job.site
    return clear_plane(
        utc, site.latitude, site.longitude, site.elevation_m, face.tilt, face.azimuth, plan.job.losses.albedo
    )


def light_on(plan: Plan, face: RoofFace, conditions: Conditions, utc: datetime) -> Light:
    """Light on a face in stated conditions.

    Parameters
    ----------
    plan : Plan
        Of the job.
    face : RoofFace
        One of its faces.
    conditions : Conditions
        What was measured; the sky says the rest.
    utc : datetime
        When, naive UTC.
    """
    measured = conditions.of_face(face.name)
    clear = clear_sky_on(plan, face, utc).total
    share, off = SKIES[conditions.clouds]
    irradiance, source = clear * share, f"judged by the sky ({conditions.clouds})"
    if measured.irradiance is not None:
        irradiance, off, source = measured.irradiance, METER_OFF, "irradiance measured"
    if measured.cell_c is not None:
        return Light(irradiance, measured.cell_c, off, PROBE_OFF_C, clear, f"{source}, module measured")
    air = conditions.air_c if conditions.air_c is not None else air_at(plan, utc)
    mounting = face.mounting if face.mounting != "open rack" else "close to the roof"
    one = np.ones(1)
    cell = float(mounted_cell_temperature(irradiance * one, air * one, BREEZE * one, mounting)[0])
    said = "air measured" if conditions.air_c is not None else "air of the plan's year"
    return Light(irradiance, cell, off, JUDGED_OFF_C, clear, f"{source}, {said}")
