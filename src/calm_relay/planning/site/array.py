"""The job's roof as DC power, face by face, and the temperatures its strings meet."""

from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np

from calm_relay.exchange.array_cache import cached_arrays
from calm_relay.job.equipment import Module
from calm_relay.job.model import ArrayLosses, Job, RoofFace
from calm_relay.job.survey import HorizonPoint, Snow
from calm_relay.physics.array_yield import MOUNTED, FaceLight, FaceYield, face_light, face_yield
from calm_relay.physics.kept import kept
from calm_relay.physics.snow import snow_shares
from calm_relay.physics.sun import PlaneIrradiance
from calm_relay.planning.equipment.equipment import Equipment
from calm_relay.planning.site.site_year import SiteYear, open_plane, shaded_plane


@dataclass(frozen=True, eq=False)
class Face:
    """A roof face with its module and its year."""

    plan: RoofFace
    module: Module
    made: FaceYield
    step_h: float

    @property
    def rated_kw(self) -> float:
        """Rated power of the face at standard test conditions [kW]."""
        return self.plan.count * self.module.power_w / 1000.0

    @cached_property
    def yearly_kwh(self) -> float:
        """DC energy of the year [kWh]."""
        return float(self.made.dc_kw.sum() * self.step_h)

    @property
    def kwh_a_module(self) -> float:
        """DC energy of one module in the year [kWh]."""
        return self.yearly_kwh / self.plan.count


def faces_of(job: Job, equipment: Equipment, year: SiteYear) -> tuple[Face, ...]:
    """Every face of the job with its year."""
    return tuple(
        _face(
            year,
            face,
            equipment.module(face.module, f"faces.{i}.module"),
            job.losses,
            job.site.horizon,
            job.site.snow,
        )
        for i, face in enumerate(job.faces)
    )


@kept
def _face(
    year: SiteYear,
    face: RoofFace,
    module: Module,
    losses: ArrayLosses,
    horizon: tuple[HorizonPoint, ...],
    snow: Snow | None,
) -> Face:
    plane = shaded_plane(year, face.tilt, face.azimuth, losses.albedo, horizon)
    u0, u1 = module.heat_loss_constant, module.heat_loss_wind
    made = face_yield(
        plane,
        _light(year, face.tilt, face.azimuth, losses.albedo, horizon, face.mounting, u0, u1),
        year.calendar.step_h,
        rated_kw=face.count * module.power_w / 1000.0,
        power_per_c=module.power_per_c,
        age_years=face.age_years,
        ageing_per_year=module.ageing_per_year,
        open_total=open_plane(year, face.tilt, face.azimuth, losses.albedo).total,
        soiling=losses.soiling,
        snow=_snow(year, face, module, plane, snow),
        shading=losses.shading,
        mismatch=losses.mismatch,
        wiring=losses.wiring,
    )
    return Face(face, module, made, year.calendar.step_h)


@kept
def _light(
    year: SiteYear,
    tilt: float,
    azimuth: float,
    albedo: float,
    horizon: tuple[HorizonPoint, ...],
    mounting: str,
    u0: float,
    u1: float,
) -> FaceLight:
    """Light in a face's cells, cached: counts and losses of its modules leave it as it is."""
    air = year.weather

    def make() -> dict[str, np.ndarray]:
        plane = shaded_plane(year, tilt, azimuth, albedo, horizon)
        return vars(face_light(plane, air.temp_air, air.wind_speed, mounting=mounting, u0=u0, u1=u1))

    hidden = "|".join(f"{point.azimuth}:{point.elevation}" for point in horizon)
    # An open rack alone goes by the module's own heat loss.
    warmed_by = mounting if mounting in MOUNTED else f"{mounting} {u0} {u1}"
    key = f"{year.key}|light|{tilt}|{azimuth}|{albedo}|{hidden}|{warmed_by}"
    names = dict.fromkeys((field.name for field in fields(FaceLight)), year.calendar.utc.size)
    arrays = cached_arrays(key, make, names, of_one_job=True)
    return FaceLight(**{name: arrays[name] for name in names})


def _snow(
    year: SiteYear, face: RoofFace, module: Module, plane: PlaneIrradiance, snow: Snow | None
) -> np.ndarray | float:
    """What snow takes from a face in each step, 0 to 1."""
    if snow is None or not snow.falls:
        return 0.0
    calendar = year.calendar
    steps = np.bincount(calendar.month, minlength=13)[1:]
    light, air = (
        np.bincount(calendar.month, weights=series, minlength=13)[1:]
        for series in (plane.total, year.weather.temp_air)
    )
    shares = snow_shares(
        np.array(snow.fall_cm),
        np.array(snow.days),
        face.tilt,
        air / steps,
        light * calendar.step_h / 1000.0,
        slant_m=_slant_m(face, module),
        lower_edge_m=snow.lower_edge_m,
        humidity=snow.humidity,
    )
    return np.asarray(shares[calendar.month - 1])


def snow_on(job: Job, year: SiteYear, face: Face) -> np.ndarray:
    """What snow takes from a face in each month on the mean, 0 to 1, shape (12,)."""
    plane = shaded_plane(year, face.plan.tilt, face.plan.azimuth, job.losses.albedo, job.site.horizon)
    taken = np.broadcast_to(_snow(year, face.plan, face.module, plane, job.site.snow), (year.calendar.steps,))
    return np.bincount(year.calendar.month, taken, 13)[1:] / np.bincount(year.calendar.month, minlength=13)[1:]


def _slant_m(face: RoofFace, module: Module) -> float:
    """Length of a face's modules up the slope [m]; where nobody measured it, of one row."""
    if face.rectangle is None:
        return module.length_mm / 1000.0
    return max(face.rectangle.height_m - 2.0 * face.rectangle.margin_m, module.width_mm / 1000.0)


def face_in(job: Job, year: SiteYear, face: Face) -> Face:
    """The same face in another year's weather."""
    return _face(year, face.plan, face.module, job.losses, job.site.horizon, job.site.snow)


# A typical year, and still more a year made from monthly means, is milder than the coldest morning in years to come.
# By how much: common practice, no source.
FILE_MARGIN_C, MADE_MARGIN_C = 4.0, 8.0


@dataclass(frozen=True)
class DesignTemperatures:
    """Coldest and hottest cell temperature in daylight [degC], and where each comes from."""

    cold_c: float
    hot_c: float
    cold_source: str
    hot_source: str


def design_temperatures(job: Job, year: SiteYear, faces: tuple[Face, ...]) -> DesignTemperatures:
    """The job's own figures, else the extremes of its weather year.

    The coldest cell is that of the design conditions in the weather file's head, else a margin below the coldest air
    with the sun up: before sunrise a string carries no voltage.
    """
    return _design_temperatures(job.site.coldest_c, job.site.hottest_c, year, faces)


@kept
def _design_temperatures(
    coldest_c: float | None, hottest_c: float | None, year: SiteYear, faces: tuple[Face, ...]
) -> DesignTemperatures:
    name = "made year" if year.assumed else "weather file"
    cold_c, cold_source = (coldest_c, "the job's figure") if coldest_c is not None else _design_cold(year, name)
    if hottest_c is None:
        hot_c = max((float(face.made.cell_c.max()) for face in faces), default=float(year.weather.temp_air.max()))
        hot_source = f"hottest cell of the {name}"
    else:
        # 35 degC over air at full sun behind a roof: common practice, no source.
        hot_c, hot_source = hottest_c + 35.0, "the job's hottest air plus 35 degrees on the roof"
    return DesignTemperatures(
        cold_c,
        hot_c,
        cold_source,
        hot_source,
    )


def _design_cold(year: SiteYear, name: str) -> tuple[float, str]:
    """Coldest cell to design for [degC], and where it comes from."""
    if year.extreme_min_c is not None:
        where = "of the assumed climate" if year.assumed else "design conditions in the weather file"
        return year.extreme_min_c, f"mean of the yearly lowest, {where}"
    air, up = year.weather.temp_air, year.sun.zenith < 90.0
    lowest = float(air[up].min() if up.any() else air.min())
    margin = MADE_MARGIN_C if year.assumed else FILE_MARGIN_C
    return float(np.floor(lowest - margin)), f"{margin:g} °C below the coldest daylight air of the {name}"


def face_with(job: Job, year: SiteYear, face: Face, module: Module, count: int) -> Face:
    """A face as it would be with so many new modules of another kind."""
    plan = face.plan.with_(module=module.key, count=count, strings=1, age_years=0, rectangle=None)
    return _face(year, plan, module, job.losses, job.site.horizon, job.site.snow)
