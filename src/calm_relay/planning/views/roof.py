"""The roof under its sky: paths of the sun over the year, and each face's months."""

from dataclasses import dataclass

import numpy as np

from calm_relay.planning.plan import Plan
from calm_relay.planning.site.array import Face
from calm_relay.planning.site.site_year import open_plane, shaded_plane

# Day of the year of solstices and an equinox.
DAYS = ((171, "21 June"), (79, "21 March"), (354, "21 December"))


@dataclass(frozen=True, eq=False)
class SunTrack:
    """The sun above the horizon on one day: azimuth and elevation [deg], and clock hours in standard time."""

    label: str
    azimuth: np.ndarray
    elevation: np.ndarray
    hours: np.ndarray


@dataclass(frozen=True, eq=False)
class FaceMonths:
    """DC energy of a face in each month [kWh], and the year's losses by name [kWh]."""

    face: Face
    kwh: np.ndarray
    specific_kwh: float
    losses: dict[str, float]


def sun_tracks(plan: Plan) -> tuple[SunTrack, ...]:
    """The sun on the longest, the middle and the shortest day."""
    sun, per_day = plan.site.sun, plan.site.calendar.steps // 365
    hours = np.arange(per_day) * plan.site.calendar.step_h
    tracks = []
    for day, label in DAYS:
        cut = slice(day * per_day, (day + 1) * per_day)
        up = sun.zenith[cut] < 90.0
        tracks.append(SunTrack(label, sun.azimuth[cut][up], 90.0 - sun.zenith[cut][up], hours[up]))
    return tuple(tracks)


def face_months(plan: Plan) -> tuple[FaceMonths, ...]:
    """Every face by months of standard time."""
    month = plan.site.calendar.month
    result = []
    for face in plan.faces:
        kwh = np.bincount(month, weights=face.made.dc_kw * face.step_h, minlength=13)[1:]
        result.append(FaceMonths(face, kwh, face.yearly_kwh / face.rated_kw, face.made.losses_kwh))
    return tuple(result)


@dataclass(frozen=True, eq=False)
class FaceShade:
    """Share of each month's light on a face that the horizon takes, 0 to 1, shape (12,), and that of the year."""

    face: Face
    share: np.ndarray
    year: float


def face_shades(plan: Plan) -> tuple[FaceShade, ...]:
    """What the horizon takes from every face, month by month of standard time."""
    result = []
    month, albedo = plan.site.calendar.month, plan.job.losses.albedo
    for face in plan.faces:
        where = face.plan.tilt, face.plan.azimuth, albedo
        open_sky = open_plane(plan.site, *where).total
        behind = shaded_plane(plan.site, *where, plan.job.site.horizon).total
        offered, left = (np.bincount(month, weights=series, minlength=13)[1:] for series in (open_sky, behind))
        share = np.where(offered > 0, 1.0 - left / np.where(offered > 0, offered, 1.0), 0.0)
        result.append(
            FaceShade(face, share, float(1.0 - left.sum() / offered.sum()) if offered.sum() > 0 else 0.0)
        )
    return tuple(result)
