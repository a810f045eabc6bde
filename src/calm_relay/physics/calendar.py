"""The uniform year every series lives on: fixed standard time inside, local clock time beside it."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property, lru_cache
from zoneinfo import ZoneInfo

import numpy as np

HOURS = 8760


@dataclass(frozen=True, eq=False)
class YearCalendar:
    """Stamps of a 365-day year in uniform steps; every array has one entry a step, at the step's start."""

    year: int
    time_zone: str
    step_h: float
    utc_offset_h: float
    utc: np.ndarray
    wall: np.ndarray

    @property
    def steps(self) -> int:
        """Number of steps in the year."""
        return self.utc.size

    @cached_property
    def standard(self) -> np.ndarray:
        """Fixed standard time of the place, datetime64[s]."""
        return self.utc + np.timedelta64(round(self.utc_offset_h * 3600), "s")

    @cached_property
    def wall_minute(self) -> np.ndarray:
        """Local clock time as minutes after midnight, int."""
        return ((self.wall - self.wall.astype("datetime64[D]")) // np.timedelta64(60, "s")).astype(int)

    @cached_property
    def wall_weekday(self) -> np.ndarray:
        """Local weekday, 0 for Monday."""
        return (self.wall.astype("datetime64[D]").view("int64") + 3) % 7

    @cached_property
    def month(self) -> np.ndarray:
        """Month 1 to 12 in standard time."""
        return self.standard.astype("datetime64[M]").view("int64") % 12 + 1

    def in_window(self, start_minute: int, end_minute: int) -> np.ndarray:
        """Steps whose local clock time lies in [start, end); a window may run over midnight.

        Parameters
        ----------
        start_minute, end_minute : int
            Minutes after local midnight, 0 to 1440.

        Returns
        -------
        ndarray of bool
        """
        minute = self.wall_minute
        if start_minute <= end_minute:
            return (minute >= start_minute) & (minute < end_minute)
        return (minute >= start_minute) | (minute < end_minute)


@lru_cache(maxsize=8)
def year_calendar(year: int, time_zone: str, step_minutes: int = 15) -> YearCalendar:
    """Calendar of a 365-day year that starts at midnight of 1 January in standard time.

    Parameters
    ----------
    year : int
        A year of 365 days.
    time_zone : str
        IANA name.
    step_minutes : int
        Step length; a divisor of 60.

    Raises
    ------
    ValueError
        When the year has 366 days or the step does not divide the hour.
    """
    if 60 % step_minutes:
        raise ValueError(f"step_minutes {step_minutes} does not divide 60")
    if datetime(year, 12, 31).timetuple().tm_yday != 365:
        raise ValueError(f"{year} has 366 days")
    zone = ZoneInfo(time_zone)
    offset_h = standard_offset_h(year, time_zone)
    steps = HOURS * 60 // step_minutes
    start = np.datetime64(f"{year}-01-01", "s") - np.timedelta64(round(offset_h * 3600), "s")
    utc = start + np.arange(steps) * np.timedelta64(step_minutes * 60, "s")
    wall = utc + _utc_offsets_s(utc, zone)
    for array in (utc, wall):
        array.setflags(write=False)
    return YearCalendar(year, time_zone, step_minutes / 60, offset_h, utc, wall)


def standard_offset_h(year: int, time_zone: str) -> float:
    """Hours by which a place's standard time is ahead of UTC in a year."""
    zone = ZoneInfo(time_zone)
    offsets = [datetime(year, month, 1, tzinfo=zone).utcoffset() or timedelta() for month in (1, 7)]
    return min(offsets) / timedelta(hours=1)


def _utc_offsets_s(utc: np.ndarray, zone: ZoneInfo) -> np.ndarray:
    hours = np.unique(utc.astype("datetime64[h]"))
    epoch = hours.astype("datetime64[s]").view("int64")
    offsets = [datetime.fromtimestamp(s, zone).utcoffset() or timedelta() for s in epoch.tolist()]
    per_hour = [round(offset.total_seconds()) for offset in offsets]
    spread = np.array(per_hour)[np.searchsorted(hours, utc.astype("datetime64[h]"))]
    return spread.astype("timedelta64[s]")
