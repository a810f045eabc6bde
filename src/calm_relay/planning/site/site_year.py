"""The site's year on the planner's steps: calendar, sun, weather and where the weather comes from."""

from dataclasses import dataclass, fields
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from calm_relay.exchange.array_cache import cached_arrays
from calm_relay.exchange.weather_file import HourlyWeather, most_usual, read_weather_years
from calm_relay.job.library import Climate, Library
from calm_relay.job.model import ClimatePreset, MonthlyWeather, Site, Weather, WeatherFile
from calm_relay.job.survey import HorizonPoint
from calm_relay.physics import horizon as horizon_shade
from calm_relay.physics.calendar import YearCalendar, year_calendar
from calm_relay.physics.kept import kept
from calm_relay.physics.made_year import made_year
from calm_relay.physics.sun import (
    PlaneIrradiance,
    SunPath,
    WeatherYear,
    clear_sky_ghi,
    clock_off_h,
    decompose,
    plane_of_array,
    spread_hours,
    sun_path,
)
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.site.climates import distance_km

# Raised when the meaning of a cached array changes.
CACHE_EDITION = 8
# Where a weather file has no column of wind [m/s]: common practice, no source.
USUAL_WIND = 3.5


@dataclass(frozen=True, eq=False)
class SiteYear:
    """Calendar, sun and weather of a site; `source` says where the weather comes from.

    `distance_km` is NaN of a file that does not say of what place it is. `file_year` is the number of its year in a
    weather file that holds `file_years` of them, `file_path` where it lies.
    """

    key: str
    calendar: YearCalendar
    sun: SunPath
    weather: WeatherYear
    source: str
    assumed: bool
    distance_km: float
    clock_off_h: float = 0.0
    extreme_min_c: float | None = None
    file_year: int = 1
    file_years: int = 1
    file_path: str = ""

    @cached_property
    def night(self) -> np.ndarray:
        """Steps with the sun below the horizon."""
        return self.sun.zenith >= 90.0

    @cached_property
    def days_without_sun(self) -> int:
        """Days of the year on which the sun does not rise."""
        return int(self.night.reshape(365, self.night.size // 365).all(axis=1).sum())

    @cached_property
    def freezing_months(self) -> tuple[int, ...]:
        """Months of standard time whose mean air is below 0 degC, 1 to 12."""
        air = np.bincount(self.calendar.month, weights=self.weather.temp_air, minlength=13)
        return tuple(int(number) for number in np.flatnonzero(air < 0.0))

    @property
    def longest_night(self) -> int:
        """The step of 17:00, standard time, on the day with the longest night."""
        per_day = self.night.size // 365
        return int(self.night.reshape(365, per_day).sum(axis=1).argmax()) * per_day + 17 * per_day // 24


def weather_edition(site: Site, folder: Path) -> tuple[str, int]:
    """Absolute path of the weather file and its time of change, to key caches; empty for a preset."""
    if not isinstance(site.weather, WeatherFile):
        return "", 0
    return file_edition(folder / site.weather.path)


def file_edition(path: Path) -> tuple[str, int]:
    """Absolute path of a file and its time of change; 0 where there is none, or where its path leads nowhere."""
    try:
        whole = path.resolve()
        return str(whole), whole.stat().st_mtime_ns
    except (OSError, RuntimeError, ValueError):
        return str(path.absolute()), 0


def site_year(site: Site, library: Library | None, folder: Path) -> SiteYear:
    """The year of a site; presets of climates are looked up in the library, which a weather file does not need.

    Raises
    ------
    InputError
        When its weather file cannot be used.
    PlanError
        When its climate preset is unknown or does not fit the latitude.
    """
    # What does not touch sun or weather must not make them anew.
    plain = site.with_(place="", coldest_c=None, hottest_c=None, horizon=(), snow=None)
    return _site_year(plain, _climate(site.weather, library), *weather_edition(site, folder))


SUN = ("zenith", "azimuth", "extra_normal")
WEATHER = ("ghi", "dni", "dhi", "temp_air", "wind_speed")
OF_A_FILE = {"file_place": 2, "clock_off_h": 1, "extreme_min_c": 1, "file_years": 2, "file_lacks": 2}


@kept
def _sun_over(year: int, time_zone: str, latitude: float, longitude: float, elevation_m: float) -> SunPath:
    """The sun of a year over a place, which weather of other days has in common."""
    calendar = year_calendar(year, time_zone)
    return sun_path(calendar.utc, calendar.step_h, latitude, longitude, elevation_m)


@kept
def _site_year(site: Site, climate: Climate | None, path: str, edition: int) -> SiteYear:
    calendar = year_calendar(site.year, site.time_zone)
    own = climate.model_dump_json() if climate else ""
    key = f"{CACHE_EDITION}|{site.model_dump_json()}|{own}|{path}|{edition}"
    details: dict[str, Any] = {}
    weather_as_stated = site.weather
    shift_h, number = 0.0, None
    if isinstance(weather_as_stated, WeatherFile):
        shift_h, number = weather_as_stated.shift_h, weather_as_stated.year

    def make() -> dict[str, np.ndarray]:
        sun = _sun_over(site.year, site.time_zone, site.latitude, site.longitude, site.elevation_m)
        weather = (
            _made_weather(site, climate, calendar, sun)
            if not path
            else _file_weather(path, number, shift_h, calendar, sun, details)
        )
        return {**vars(sun), **vars(weather), **details}

    names: dict[str, int | None] = dict.fromkeys((*SUN, *WEATHER), calendar.utc.size)
    arrays = cached_arrays(key, make, names | (OF_A_FILE if path else {}))
    sun = SunPath(*(arrays[name] for name in SUN))
    weather = WeatherYear(*(arrays[name] for name in WEATHER))
    clock_off_h, extreme_min_c, of_file = 0.0, _extreme_of(climate, site), (1, 1)
    if not path:
        source, distance = _made_source(weather_as_stated, climate), 0.0
    else:
        latitude, longitude = arrays["file_place"]
        clock_off_h, low = float(arrays["clock_off_h"]), float(arrays["extreme_min_c"])
        extreme_min_c = None if np.isnan(low) else low
        of_file = int(arrays["file_years"][0]), int(arrays["file_years"][1])
        which = f", year {of_file[0]} of {of_file[1]}" if of_file[1] > 1 else ""
        lacks = " and ".join(
            words
            for words, missing in zip(("its diffuse light", "its wind"), arrays["file_lacks"], strict=True)
            if missing
        )
        source = f"weather file {Path(path).name}{which}{f', {lacks} assumed' if lacks else ''}"
        distance = distance_km(site.latitude, site.longitude, latitude, longitude)
    return SiteYear(
        key, calendar, sun, weather, source, not path, distance, clock_off_h, extreme_min_c, *of_file, path
    )


def _extreme_of(climate: Climate | None, site: Site) -> float | None:
    """Mean of the yearly lowest temperatures at a site, where its climate states one [degC]."""
    if climate is None or climate.coldest_c is None:
        return None
    return climate.coldest_c - LAPSE_K_PER_M * (site.elevation_m - climate.elevation_m)


def _climate(weather: WeatherFile | MonthlyWeather | ClimatePreset, library: Library | None) -> Climate | None:
    """The preset of a weather that names one, None for the others."""
    if not isinstance(weather, ClimatePreset):
        return None
    assert library is not None, "a preset wants its library"
    climate = library.climates.get(weather.climate)
    if climate is None:
        known = ", ".join(library.climates)
        raise PlanError("site.weather.climate", f"is {weather.climate!r}; wanted one of {known}")
    return climate


def _made_source(weather: Weather, climate: Climate | None) -> str:
    if climate is not None:
        return f"assumed climate: {climate.name}"
    origin = weather.origin if isinstance(weather, MonthlyWeather) else ""
    return f"assumed days made from typed months{f' ({origin})' if origin else ''}"


def _made_weather(site: Site, climate: Climate | None, calendar: YearCalendar, sun: SunPath) -> WeatherYear:
    """A year made from a preset's months, or from those typed in."""
    weather = site.weather
    assert not isinstance(weather, WeatherFile), "a file is not made"
    if isinstance(weather, MonthlyWeather):
        name, field = "The typed months", "site.weather.ghi_kwh_per_day"
        ghi, air, swing = weather.ghi_kwh_per_day, weather.temp_c, (weather.daily_range_c,) * 12
        wind = weather.wind_mean
        taken_m = site.elevation_m if weather.elevation_m is None else weather.elevation_m
    else:
        assert climate is not None, "a preset has a climate"
        name, field = climate.name, "site.weather.climate"
        # A climate met on the other hemisphere has its seasons half a year later.
        turn = 6 if climate.latitude * site.latitude < 0 else 0
        rows = (climate.ghi_kwh_per_day, climate.temp_c, climate.daily_range_c)
        ghi, air, swing = (tuple(np.roll(row, turn).tolist()) for row in rows)
        ghi = _under_this_sky(ghi, climate, site, calendar, sun)
        # Beside the polar night a clear-sky formula knows no twilight, and a preset must not fail by that.
        clear = np.bincount(calendar.month, weights=clear_sky_ghi(sun), minlength=13)[1:]
        days = np.bincount(calendar.month, minlength=13)[1:] * calendar.step_h / 24.0
        ghi = tuple(np.minimum(ghi, clear * calendar.step_h / 1000.0 / days).tolist())
        wind = climate.wind_mean
        taken_m = climate.elevation_m
    air = tuple(temp - LAPSE_K_PER_M * (site.elevation_m - taken_m) for temp in air)
    try:
        return made_year(ghi, air, swing, wind, sun, calendar.utc, calendar.month, calendar.step_h, weather.seed)
    except ValueError as error:
        raise PlanError(
            field, f"{name} does not fit latitude {site.latitude:g}: {error}; wanted figures of that latitude"
        ) from None


# Air grows colder with height by this: ICAO Standard Atmosphere (ISO 2533), 6.5 K/km.
LAPSE_K_PER_M = 0.0065

# Latitudes nearer than this have the same sky for a preset's purposes [degrees].
SAME_SKY = 2.0


def _under_this_sky(
    ghi: tuple[float, ...], climate: Climate, site: Site, calendar: YearCalendar, sun: SunPath
) -> tuple[float, ...]:
    """A preset's light carried to another latitude: the share of a clear sky's light stays, month by month."""
    if abs(abs(climate.latitude) - abs(site.latitude)) < SAME_SKY:
        return ghi
    home = abs(climate.latitude) * (1 if site.latitude >= 0 else -1)
    there = sun_path(calendar.utc, calendar.step_h, home, site.longitude, site.elevation_m)
    month = calendar.month
    here, at_home = (np.bincount(month, weights=clear_sky_ghi(path), minlength=13)[1:] for path in (sun, there))
    share = here / np.maximum(at_home, 1e-9)
    return tuple((np.array(ghi) * np.minimum(share, 1e3)).tolist())


def number_in_file(path: Path, calendar_year: int) -> int | None:
    """Which of a weather file's years bears a calendar year in its stamps, from 1; None where none does.

    Raises
    ------
    InputError
        When the file cannot be used.
    """
    years = _years_of(*file_edition(path))
    return next((n for n, year in enumerate(years, 1) if year.calendar_year == calendar_year), None)


@kept
def _years_of(path: str, edition: int) -> tuple[HourlyWeather, ...]:
    """The years of a weather file as it lay there at a time of change."""
    return read_weather_years(path)


def _file_weather(
    path: str, number: int | None, shift_h: float, calendar: YearCalendar, sun: SunPath, details: dict[Any, Any]
) -> WeatherYear:
    years = _years_of(path, file_edition(Path(path))[1])
    if number is not None and number > len(years):
        held = "1 year" if len(years) == 1 else f"{len(years)} years"
        raise PlanError("site.weather.year", f"is {number}; {Path(path).name} holds {held}")
    place = most_usual(years) if number is None else number - 1
    hours = years[place]
    details["file_years"] = np.array([place + 1, len(years)])
    # A clock that is not stated is the place's own.
    ahead_h = calendar.utc_offset_h if np.isnan(hours.utc_offset_h) else hours.utc_offset_h
    shift = round((calendar.utc_offset_h - ahead_h + shift_h) / calendar.step_h)
    per_hour = round(1 / calendar.step_h)
    there = SunPath(*(np.roll(series, -shift) for series in vars(sun).values()))
    has_diffuse, has_beam = (bool(np.isfinite(series).all()) for series in (hours.dhi, hours.dni))
    diffuse = hours.dhi
    if not has_diffuse:
        # With neither, all of it is split by a formula below.
        up = there.cos_zenith.reshape(-1, per_hour).mean(axis=1)
        diffuse = np.clip(hours.ghi - hours.dni * np.maximum(up, 0.0), 0.0, None) if has_beam else hours.ghi
    ghi, dni, dhi = spread_hours(hours.ghi, diffuse, there, per_hour)
    if not (has_diffuse or has_beam):
        dni, dhi = decompose(ghi, there, np.roll(calendar.utc, -shift))
    details["file_lacks"] = np.array(
        [float(not (has_diffuse or has_beam)), float(np.isnan(hours.wind_speed).all())]
    )
    ends = np.arange(1, hours.temp_air.size + 1, dtype=float)
    middles = (np.arange(ghi.size) + 0.5) / per_hour
    temp_air, wind = (
        np.interp(middles, ends, series, period=float(hours.temp_air.size))
        for series in (hours.temp_air, np.nan_to_num(hours.wind_speed, nan=USUAL_WIND))
    )
    details["file_place"] = np.array([hours.latitude, hours.longitude])
    details["clock_off_h"] = np.array(clock_off_h(hours.ghi, there.cos_zenith.reshape(-1, per_hour).mean(axis=1)))
    low = hours.extreme_min_c
    details["extreme_min_c"] = np.array(np.nan if low is None else low)
    return WeatherYear(*(np.roll(series, shift) for series in (ghi, dni, dhi, temp_air, wind)))


@kept
def _plane(year: SiteYear, tilt: float, azimuth: float, albedo: float) -> PlaneIrradiance:
    def make() -> dict[str, np.ndarray]:
        return vars(plane_of_array(year.weather, year.sun, tilt, azimuth, albedo))

    names = dict.fromkeys((field.name for field in fields(PlaneIrradiance)), year.calendar.utc.size)
    key = f"{year.key}|plane|{tilt}|{azimuth}|{albedo}"
    arrays = cached_arrays(key, make, names, of_one_job=True)
    return PlaneIrradiance(**{name: arrays[name] for name in names})


def open_plane(year: SiteYear, tilt: float, azimuth: float, albedo: float) -> PlaneIrradiance:
    """Irradiance on a plane of the site under an open sky, cached; see `physics.sun.plane_of_array`."""
    return _plane(year, tilt, azimuth, albedo)


@kept
def shaded_plane(
    year: SiteYear, tilt: float, azimuth: float, albedo: float, horizon: tuple[HorizonPoint, ...]
) -> PlaneIrradiance:
    """The same behind the site's horizon line, a tuple of `job.survey.HorizonPoint`."""
    plane = open_plane(year, tilt, azimuth, albedo)
    if not horizon:
        return plane
    azimuths, elevations = [p.azimuth for p in horizon], [p.elevation for p in horizon]
    return horizon_shade.shaded_plane(
        plane,
        horizon_shade.sun_is_hidden(year.sun, azimuths, elevations),
        horizon_shade.sky_view(tilt, azimuth, azimuths, elevations),
        horizon_shade.isotropic_sky(year.weather, year.sun, tilt),
    )
