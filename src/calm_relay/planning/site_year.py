"""The site's year on the planner's steps: calendar, sun, weather and where the weather comes from."""

import math
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from calm_relay.exchange.array_cache import cached_arrays
from calm_relay.exchange.shipped import climates
from calm_relay.exchange.weather_file import read_weather_file
from calm_relay.job.model import ClimatePreset, Site
from calm_relay.physics.calendar import YearCalendar, year_calendar
from calm_relay.physics.made_year import made_year
from calm_relay.physics.sun import (
    PlaneIrradiance,
    SunPath,
    WeatherYear,
    plane_of_array,
    spread_hours,
    sun_path,
)
from calm_relay.planning.errors import PlanError

# Raised when the meaning of a cached array changes.
CACHE_EDITION = 1


@dataclass(frozen=True, eq=False)
class SiteYear:
    """Calendar, sun and weather of a site; `source` says where the weather comes from."""

    key: str
    calendar: YearCalendar
    sun: SunPath
    weather: WeatherYear
    source: str
    assumed: bool
    distance_km: float

    @property
    def dark(self) -> np.ndarray:
        """Steps with the sun below the horizon."""
        return self.sun.zenith >= 90.0


def weather_edition(site: Site, folder: Path) -> tuple[str, int]:
    """Absolute path of the weather file and its time of change, to key caches; empty for a preset."""
    if isinstance(site.weather, ClimatePreset):
        return "", 0
    path = (folder / site.weather.path).resolve()
    return str(path), path.stat().st_mtime_ns if path.exists() else 0


def site_year(site: Site, folder: Path) -> SiteYear:
    """The year of a site.

    Raises
    ------
    InputError
        When its weather file cannot be used.
    PlanError
        When its climate preset is unknown or does not fit the latitude.
    """
    # What does not touch sun or weather must not make them anew.
    plain = site.with_(place="", coldest_c=None, hottest_c=None)
    return _site_year(plain, *weather_edition(site, folder))


@lru_cache(maxsize=3)
def _site_year(site, path, edition):
    calendar = year_calendar(site.year, site.time_zone)
    key = f"{CACHE_EDITION}|{site.model_dump_json()}|{path}|{edition}"
    details = {}

    def make():
        sun = sun_path(calendar.utc, calendar.step_h, site.latitude, site.longitude, site.elevation_m)
        weather = _preset_weather(site, calendar, sun) if not path else _file_weather(path, calendar, sun, details)
        return {**vars(sun), **vars(weather), **details}

    arrays = cached_arrays(key, make)
    sun = SunPath(*(arrays[name] for name in ("zenith", "azimuth", "extra_normal")))
    weather = WeatherYear(*(arrays[name] for name in ("ghi", "dni", "dhi", "temp_air", "wind_speed")))
    if not path:
        source, distance = f"assumed climate: {climates()[site.weather.climate].name}", 0.0
    else:
        latitude, longitude = arrays["file_place"]
        source = f"weather file {Path(path).name}"
        distance = _distance_km(site.latitude, site.longitude, latitude, longitude)
    return SiteYear(key, calendar, sun, weather, source, not path, distance)


def _preset_weather(site, calendar, sun):
    climate = climates().get(site.weather.climate)
    if climate is None:
        raise PlanError(
            "site.weather.climate", f"is {site.weather.climate!r}; wanted one of {', '.join(climates())}"
        )
    # A climate met on the other hemisphere has its seasons half a year later.
    turn = 6 if climate.latitude * site.latitude < 0 else 0
    monthly = [np.roll(row, turn) for row in (climate.ghi_kwh_per_day, climate.temp_c, climate.daily_range_c)]
    try:
        return made_year(
            *monthly,
            climate.wind_mean,
            sun,
            calendar.utc,
            calendar.month,
            calendar.step_h,
            site.weather.seed,
        )
    except ValueError as error:
        raise PlanError(
            "site.weather.climate",
            f"{climate.name} does not fit latitude {site.latitude:g}: {error}; wanted a climate of that latitude",
        ) from None


def _file_weather(path, calendar, sun, details):
    hours = read_weather_file(path)
    shift = round((calendar.utc_offset_h - hours.utc_offset_h) / calendar.step_h)
    per_hour = round(1 / calendar.step_h)
    there = SunPath(*(np.roll(series, -shift) for series in vars(sun).values()))
    ghi, dni, dhi = spread_hours(hours.ghi, hours.dhi, there, per_hour)
    ends = np.arange(1, hours.temp_air.size + 1, dtype=float)
    middles = (np.arange(ghi.size) + 0.5) / per_hour
    temp_air, wind = (
        np.interp(middles, ends, series, period=float(hours.temp_air.size))
        for series in (hours.temp_air, hours.wind_speed)
    )
    details["file_place"] = np.array([hours.latitude, hours.longitude])
    return WeatherYear(*(np.roll(series, shift) for series in (ghi, dni, dhi, temp_air, wind)))


def _distance_km(lat1, lon1, lat2, lon2):
    a, b = math.radians(lat1), math.radians(lat2)
    half = math.sin((b - a) / 2) ** 2 + math.cos(a) * math.cos(b) * math.sin(math.radians(lon2 - lon1) / 2) ** 2
    return 2 * 6371.0 * math.asin(math.sqrt(min(half, 1.0)))


@lru_cache(maxsize=24)
def _plane(year: SiteYear, tilt, azimuth, albedo):
    def make():
        return vars(plane_of_array(year.weather, year.sun, tilt, azimuth, albedo))

    return PlaneIrradiance(**cached_arrays(f"{year.key}|plane|{tilt}|{azimuth}|{albedo}", make))


def plane_irradiance(year: SiteYear, tilt: float, azimuth: float, albedo: float) -> PlaneIrradiance:
    """Irradiance on a plane of the site, cached; see `physics.sun.plane_of_array`."""
    return _plane(year, tilt, azimuth, albedo)
