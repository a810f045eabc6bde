"""Which of the assumed climates stands for a place, and how sure that is."""

from dataclasses import dataclass
from math import asin, cos, radians, sin, sqrt

from calm_relay.job.library import Climate, Library
from calm_relay.job.model import Site

# How far an assumed climate may be from its place's long-term means: of a month's light and of the year's, and of a
# month's mean temperature [K]. The figures are rounded and written down from memory.
MONTH_SPREAD, YEAR_SPREAD, TEMP_SPREAD_K = 0.20, 0.08, 2.5
# What a degree of latitude and a metre of height count for beside a kilometre of distance.
KM_PER_DEGREE, KM_PER_M = 40.0, 0.4
# Within these it is the place's own climate, and the region's.
NEAR_KM, REGION_KM = 80.0, 350.0


@dataclass(frozen=True)
class ClimateMatch:
    """A climate beside a place: how far it is, and how much higher the place lies [m]."""

    climate: Climate
    distance_km: float
    higher_m: float
    apart: float

    @property
    def sure(self) -> str:
        """How sure it is that its figures hold at the place, in words."""
        if self.apart <= NEAR_KM:
            return f"near: a year's light within {YEAR_SPREAD:.0%} or so"
        if self.apart <= REGION_KM:
            return f"of the region: a year's light within {1.5 * YEAR_SPREAD:.0%} or so"
        return "far: take a weather file, or twelve months from a table"


def distance_km(lat1: float, lon1: float, lat2: float, lon2: float) -> float:
    """Distance on the globe between two places in degrees [km]."""
    a, b = radians(lat1), radians(lat2)
    half = sin((b - a) / 2) ** 2 + cos(a) * cos(b) * sin(radians(lon2 - lon1) / 2) ** 2
    return 2 * 6371.0 * asin(sqrt(min(half, 1.0)))


def nearest_climates(site: Site, library: Library, *, height_known: bool = True) -> tuple[ClimateMatch, ...]:
    """Climates of places, the one that stands best for a site first.

    Parameters
    ----------
    site : Site
        Where it is.
    library : Library
        With the climates.
    height_known : bool
        Whether somebody said how high the site lies; else it lies as high as a climate's place that is near, and the
        farther that is, the more likely near the sea.
    """
    matches = []
    for climate in library.climates.values():
        if climate.longitude is None:
            continue
        km = distance_km(site.latitude, site.longitude, climate.latitude, climate.longitude)
        if height_known:
            higher = site.elevation_m - climate.elevation_m
        else:
            higher = -climate.elevation_m * min(km / REGION_KM, 1.0)
        apart = km + KM_PER_DEGREE * abs(site.latitude - climate.latitude) + KM_PER_M * abs(higher)
        matches.append(ClimateMatch(climate, km, higher, apart))
    return tuple(sorted(matches, key=lambda match: match.apart))
