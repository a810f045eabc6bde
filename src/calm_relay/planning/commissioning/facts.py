"""Months' facts from what meters and weather files hold."""

from collections.abc import Iterable, Sequence
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np

from calm_relay.exchange.flow_heads import Flow
from calm_relay.exchange.logbook import Series
from calm_relay.exchange.plant_flows import PlantFlows
from calm_relay.exchange.weather_file import HourlyWeather
from calm_relay.job.logbook import MonthFacts

# A month counts once so much of it is covered.
COVERED = 0.98
# A gap longer than so many times the usual one is none that is drawn over.
GAP = 4.0
# What a file tells of a plant, by what a month's facts call it.
FIELDS: dict[Flow, str] = {
    "made": "production_kwh",
    "in": "import_kwh",
    "out": "export_kwh",
    "discharged": "throughput_kwh",
}
COLUMNS = {
    "pv kw": "production_kwh",
    "import kw": "import_kwh",
    "export kw": "export_kwh",
    "discharge kw": "throughput_kwh",
    "light kw/m2": "light_kwh_m2",
}


def months_of_flows(flows: PlantFlows, time_zone: str) -> tuple[MonthFacts, ...]:
    """Energy of whole months from what a portal, an inverter or a meter tells of a plant.

    Parameters
    ----------
    flows : PlantFlows
        Its rows: intervals, days or months.
    time_zone : str
        Of the site: months are local.

    Returns
    -------
    tuple of MonthFacts
        Months of which at least 98 % are there, with each flow of which that is true.
    """
    year, month = _local_months(flows.starts, time_zone)
    found = []
    for at in sorted(set(zip(year.tolist(), month.tolist(), strict=True))):
        if not 2000 <= at[0] <= 2099:
            continue
        mine = (year == at[0]) & (month == at[1])
        least = COVERED * 24.0 * _days(*at)
        values = {}
        for flow, name in FIELDS.items():
            if flow in flows.kwh:
                held = flows.kwh[flow][mine]
                known = np.isfinite(held)
                if flows.hours[mine][known].sum() >= least:
                    values[name] = round(float(held[known].sum()), 2)
        if values:
            found.append(MonthFacts(year=at[0], month=at[1], **values))
    return tuple(found)


def months_of_readings(series: Series, time_zone: str) -> tuple[MonthFacts, ...]:
    """Energy of whole months from readings of power in a logbook: see `COLUMNS`."""
    if series.at.size < 2:
        return ()
    gaps = np.diff(series.at)
    usual = float(np.median(gaps[gaps > 0])) if (gaps > 0).any() else 0.0
    hours = np.where((gaps > 0) & (gaps <= GAP * usual), gaps, 0.0) / 3600.0
    year, month = _local_months(series.at[:-1].astype("int64").astype("datetime64[s]"), time_zone)
    found = []
    for at in sorted(set(zip(year.tolist(), month.tolist(), strict=True))):
        mine = (year == at[0]) & (month == at[1])
        if hours[mine].sum() < COVERED * 24.0 * _days(*at):
            continue
        values = {}
        for column, flow in COLUMNS.items():
            if column in series.columns:
                power = np.nan_to_num(series.columns[column][:-1][mine].astype(float))
                values[flow] = round(float((np.maximum(power, 0.0) * hours[mine]).sum()), 2)
        if values:
            found.append(MonthFacts(year=at[0], month=at[1], **values))
    return tuple(found)


def months_of_weather(years: Sequence[HourlyWeather], year: int) -> tuple[MonthFacts, ...]:
    """Light on the level of each month of a real year [kWh/m2]: of a file's years that of its stamps, else the last."""
    weather = next((item for item in years if item.calendar_year == year), years[-1])
    days = np.array([31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
    ends = np.concatenate([[0], np.cumsum(days * 24)])
    return tuple(
        MonthFacts(year=year, month=at + 1, light_kwh_m2=round(float(weather.ghi[first:last].sum()) / 1000.0, 2))
        for at, (first, last) in enumerate(pairwise(ends))
    )


def merged(new: Iterable[MonthFacts], known: Iterable[MonthFacts]) -> tuple[MonthFacts, ...]:
    """New months with what was known of them already where they say nothing; only those that change something."""
    before = {(fact.year, fact.month): fact for fact in known}
    found = []
    for fact in new:
        old = before.get((fact.year, fact.month))
        if old is not None:
            said = {name: value for name, value in fact if value is not None}
            fact = old.with_(**said)
        if fact != old:
            found.append(fact)
    return tuple(found)


def _local_months(utc: np.ndarray, time_zone: str) -> tuple[np.ndarray, np.ndarray]:
    """Local year and month of stamps in UTC; daylight saving moves no month by more than its hour."""
    from datetime import UTC, datetime

    zone = ZoneInfo(time_zone)
    days, place = np.unique(utc.astype("datetime64[D]"), return_inverse=True)
    offsets = np.array(
        [
            (
                datetime.fromtimestamp(int(day.astype("datetime64[s]").astype("int64")), UTC)
                .astimezone(zone)
                .utcoffset()
            )
            for day in days
        ],
        dtype="timedelta64[s]",
    )
    local = utc.astype("datetime64[s]") + offsets[place]
    months = local.astype("datetime64[M]").astype("int64")
    return months // 12 + 1970, months % 12 + 1


def _days(year: int, month: int) -> int:
    first = np.datetime64(f"{year}-{month:02d}", "M")
    return int(((first + 1).astype("datetime64[D]") - first.astype("datetime64[D]")).astype("int64"))
