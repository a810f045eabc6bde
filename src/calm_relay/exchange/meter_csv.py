"""A year of gross demand from a plain interval CSV.

Two columns with a header: `time` (ISO 8601, the start of each interval) and one of `kwh`, `wh` (energy in the
interval) or `kw`, `w` (mean power). Stamps without an offset are fixed standard time of the site.
"""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone

import numpy as np

from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError, read_text

UNITS = ("kwh", "wh", "kw", "w")
INTERVALS = (5, 10, 15, 30, 60)


@dataclass(frozen=True)
class MeterYear:
    """Mean power of a 365-day year [kW], from 1 January 00:00 in standard time, and the interval as read."""

    kw: np.ndarray
    interval_minutes: int
    first: datetime
    last: datetime


def read_meter_year(path, utc_offset_h: float, year: int, step_minutes: int = 15) -> MeterYear:
    """Reads a year of intervals and lays it on the planner's steps, energy kept.

    Parameters
    ----------
    path : path-like
    utc_offset_h : float
        Standard time of the site.
    year : int
        Calendar the plan uses; days are matched by weekday so that week and weekend stay apart.
    step_minutes : int
        Step of the result.

    Raises
    ------
    InputError
        Names the line that is wrong: no header, no number, a gap, a double, less than 365 days.
    """
    rows = split_lines(path, read_text(path))
    unit = _unit(path, rows)
    zone = timezone(timedelta(hours=utc_offset_h))
    stamps, values, lines = [], [], []
    for number, row in enumerate(rows[1:], 2):
        if not any(field.strip() for field in row):
            continue
        if len(row) != 2:
            raise InputError(path, f"line {number}", f"has {len(row)} columns; wanted 2, a time and a number")
        stamps.append(_stamp(path, number, row[0].strip(), zone))
        values.append(_number(path, number, row[1].strip()))
        lines.append(number)
    minutes = _interval(path, stamps, lines)
    per_day = 1440 // minutes
    if len(stamps) < 365 * per_day:
        raise InputError(
            path, f"line {lines[-1]}", f"ends after {len(stamps) / per_day:.1f} days; wanted 365 days or more"
        )
    # Reading starts at the first midnight in the file, and covers whole days.
    offset = next(i for i, stamp in enumerate(stamps) if stamp.hour == 0 and stamp.minute == 0)
    days = (len(stamps) - offset) // per_day
    if days < 364:
        raise InputError(path, f"line {lines[0]}", "the whole days in the file are fewer than 364")
    factor = {"kwh": 60.0 / minutes, "wh": 0.06 / minutes, "kw": 1.0, "w": 0.001}[unit]
    table = np.array(values[offset : offset + days * per_day]).reshape(days, per_day) * factor
    kw = table[_days_of_year(stamps[offset].date(), days, year)].ravel()
    return MeterYear(_on_steps(kw, minutes, step_minutes), minutes, stamps[0], stamps[-1])


def _days_of_year(first, days, year):
    """Which day of the file stands for each day of the calendar: same weekday, nearest season."""
    start = datetime(year, 1, 1).date()
    wanted = np.arange(365)
    season = (start.timetuple().tm_yday - first.timetuple().tm_yday + wanted) % 365
    weekday = (start.weekday() - first.weekday() + wanted) % 7
    # The nearest file day with the right weekday is at most three days off.
    shift = (weekday - season) % 7
    day = season + np.where(shift > 3, shift - 7, shift)
    return np.where(day < 0, day + 364, np.where(day >= days, day - 364, day)) % days


def _on_steps(kw, minutes, step_minutes):
    if minutes >= step_minutes:
        return np.repeat(kw, minutes // step_minutes)
    return kw.reshape(-1, step_minutes // minutes).mean(axis=1)


def _unit(path, rows):
    head = [field.strip().lower() for field in rows[0]] if rows else []
    if len(head) != 2 or head[0] != "time" or head[1] not in UNITS:
        raise InputError(
            path,
            "line 1",
            f"is {','.join(head)!r}; wanted a header time,kwh (or wh, kw, w as the second name)",
        )
    return head[1]


def _stamp(path, number, text, zone):
    try:
        stamp = datetime.fromisoformat(text)
    except ValueError:
        raise InputError(
            path, f"line {number}", f"time is {text!r}; wanted ISO 8601 such as 2025-07-01T17:30"
        ) from None
    return stamp.replace(tzinfo=zone) if stamp.tzinfo is None else stamp.astimezone(zone)


def _number(path, number, text):
    try:
        value = float(text)
    except ValueError:
        raise InputError(
            path, f"line {number}", f"the value is {text!r}; wanted a number with a decimal point"
        ) from None
    if not 0.0 <= value < 1e6:
        raise InputError(path, f"line {number}", f"the value is {text}; wanted 0 or more (gross demand)")
    return value


def _interval(path, stamps, lines):
    if len(stamps) < 2:
        raise InputError(path, "", "holds fewer than two intervals; wanted 365 days or more")
    seconds = [stamp.astimezone(UTC).timestamp() for stamp in stamps]
    first = (seconds[1] - seconds[0]) / 60
    if first not in INTERVALS:
        raise InputError(
            path, f"line {lines[1]}", f"the interval is {first:g} minutes; wanted one of {INTERVALS} minutes"
        )
    for i in range(1, len(seconds)):
        gap = (seconds[i] - seconds[i - 1]) / 60
        if gap != first:
            kind = "stands twice or runs backwards" if gap <= 0 else f"follows a gap of {gap:g} minutes"
            raise InputError(path, f"line {lines[i]}", f"{kind}; wanted one interval every {first:g} minutes")
    return int(first)
