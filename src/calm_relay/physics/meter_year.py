"""A meter's intervals laid on a planner's year; what was not measured is filled in and counted."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.calendar import YearCalendar

# A measured day stands for its own season this many days away at most, and as a neighbour so many.
OWN_DAYS, NEAR_DAYS = 7, 24
WHOLE_DAY = 0.9


@dataclass(frozen=True, eq=False)
class MeterYear:
    """Mean power of a year [kW] on the calendar's steps, and what it rests on.

    `measured_days` of 365 were measured at their season; the others are taken from neighbours up to 24 days off,
    from the mirrored season (as far from midwinter on its other side) or, failing that, from the nearest day.
    `months` are those with no day of their own, 1 to 12; `rows` is the row of the table that stands for each day.
    """

    kw: np.ndarray
    rows: np.ndarray
    measured_days: int
    neighbour_days: int
    mirrored_days: int
    nearest_days: int
    months: tuple[int, ...]


def days_of_intervals(
    starts: np.ndarray, kwh: np.ndarray, minutes: int, calendar: YearCalendar
) -> tuple[np.datetime64, np.ndarray]:
    """Interval energies as days of standard time.

    Parameters
    ----------
    starts : ndarray of datetime64[s]
        Start of each interval in UTC, rising, each once.
    kwh : ndarray
        Energy of each [kWh].
    minutes : int
        Interval length, a divisor of 60.
    calendar : YearCalendar
        The site's calendar.

    Returns
    -------
    first : datetime64[D]
        Day of the first row.
    table : ndarray, shape (days, steps a day)
        Mean power [kW]; what is missing in a day of at least nine tenths is taken from its neighbours, a day with
        less is NaN.
    """
    local = starts + np.timedelta64(round(calendar.utc_offset_h * 3600), "s")
    day = local.astype("datetime64[D]")
    first, last = day[0], day[-1]
    per_day = 1440 // minutes
    slot = ((local - day).astype(int) // (minutes * 60)).astype(int)
    table = np.full(((last - first).astype(int) + 1, per_day), np.nan)
    table[(day - first).astype(int), slot] = kwh * 60.0 / minutes
    poor = np.isfinite(table).mean(axis=1) < WHOLE_DAY
    flat = table.ravel()
    known = np.isfinite(flat)
    if known.any():
        flat[~known] = np.interp(np.flatnonzero(~known), np.flatnonzero(known), flat[known])
    table = flat.reshape(table.shape)
    table[poor] = np.nan
    step_minutes = round(calendar.step_h * 60)
    if minutes > step_minutes:
        table = np.repeat(table, minutes // step_minutes, axis=1)
    elif minutes < step_minutes:
        table = table.reshape(table.shape[0], -1, step_minutes // minutes).mean(axis=2)
    return first, table


def lay_on_year(
    first: np.datetime64, table: np.ndarray, calendar: YearCalendar, midwinter_day: float
) -> MeterYear:
    """Measured days laid on every day of a year: same weekday, nearest season.

    Parameters
    ----------
    first : datetime64[D]
        Day of the table's first row.
    table : ndarray, shape (days, steps a day)
        From `days_of_intervals`.
    calendar : YearCalendar
        The site's calendar.
    midwinter_day : float
        Day of the year about which seasons mirror.

    Raises
    ------
    ValueError
        When no day is whole.
    """
    whole = np.flatnonzero(np.isfinite(table).all(axis=1))
    if not whole.size:
        raise ValueError("no whole day was measured")
    # Of several years the last one counts.
    whole = whole[whole > whole[-1] - 366]
    dates = first + whole.astype("timedelta64[D]")
    season = (dates - dates.astype("datetime64[Y]")).astype(int) % 365
    weekday = (dates.astype(int) + 3) % 7
    start = np.datetime64(f"{calendar.year}-01-01", "D")
    rows, kinds = np.empty(365, dtype=int), np.zeros(365, dtype=int)
    for day in range(365):
        wanted = (int((start + day).astype(int)) + 3) % 7
        mirrored = (2 * midwinter_day - day) % 365
        for kind, (target, most) in enumerate(
            ((day, OWN_DAYS), (day, NEAR_DAYS), (mirrored, NEAR_DAYS), (day, np.inf))
        ):
            away = _around_year(season - target)
            best = int((away + np.where(weekday == wanted, 0.0, 3.5)).argmin())
            if away[best] <= most:
                rows[day], kinds[day] = whole[best], kind
                break
    kw = table[rows].ravel()
    month = calendar.month.reshape(365, -1)[:, 0]
    bare = tuple(m for m in range(1, 13) if np.all(kinds[month == m] > 0))
    own, near, mirror, far = (int((kinds == kind).sum()) for kind in range(4))
    return MeterYear(kw, rows, own, near, mirror, far, bare)


def _around_year(days: np.ndarray) -> np.ndarray:
    return np.abs((days + 182.5) % 365 - 182.5)
