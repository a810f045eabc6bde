"""A meter's file as the gross demand of a year, rebuilt where the meter stands behind PV."""

from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import numpy as np

from calm_relay.exchange.array_cache import cached_arrays
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.interval_csv import Wanted
from calm_relay.exchange.meter_data import Understood
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.job.demand import MeteredDemand
from calm_relay.job.survey import MeterReading
from calm_relay.physics.calendar import YearCalendar
from calm_relay.physics.demand_shape import midwinter_day
from calm_relay.physics.import_alone import BehindImport, house_behind_import, on_days_of_import
from calm_relay.physics.meter_year import days_of_intervals, lay_on_year

EDITION = 4
MONTH_NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")

# Zenith under which an array carries a house at rest, what share of nights' readings lie below what is its rest, and
# the share of that at which a meter is silent.
HIGH_SUN, QUIET_SHARE, SILENT = 65.0, 0.05, 0.25
# Days of 365 from which on a year's production is held against the model's.
MOST_OF_YEAR = 330


@dataclass(frozen=True, eq=False)
class Metered:
    """Gross demand [kW] a step, where it comes from, and what has to be said about it.

    `measured_days` of 365 were measured in their season. `model_error_kwh` is what the meter sent out beyond what
    the modelled roof made at that time, None where production was measured or the meter counts gross. Of a meter that
    counts gross, `silent_h` are hours under a high sun in which it reads next to nothing, though the house never rests
    so by night, and `has_export` whether its file holds export too. Of one that counts import alone beside an array
    `unseen_h` are hours in which the array carried the house, and `unseen_kwh` what the house is taken to draw in them.
    `is_net` says that the house was found by what came in, went out and was made, and `battery_told` that what the
    battery took and gave was among it. `made` is what the array that stands
    there made in the year by its file, and as it is modelled [kWh]; None where no file tells, or one of few days.
    """

    kw: np.ndarray
    source: str
    measured_days: int
    bare_months: tuple[str, ...]
    model_error_kwh: float | None
    export_kwh: float
    silent_h: float = 0.0
    has_export: bool = False
    unseen_h: float = 0.0
    unseen_kwh: float = 0.0
    made: tuple[float, float] | None = None
    is_net: bool = False
    battery_told: bool = False


def as_its_file_says(demand: MeteredDemand, seen: Understood) -> MeteredDemand:
    """A demand as a file newly chosen for it says by the heads of its columns.

    Where one column tells all that the house draws, that is counted; where the file holds what the array made beside
    both directions of the meter, the house is rebuilt of the three. What the array made is taken from it either way.

    Parameters
    ----------
    demand : MeteredDemand
        Of a file of which nobody said anything yet.
    seen : Understood
        How that file was read.
    """
    flows = set(seen.flows)
    if "made" not in flows:
        return demand
    if "used" in flows:
        return demand.with_(production_path=demand.path)
    if {"in", "out"} <= flows:
        return demand.with_(counts="net", production_path=demand.path)
    return demand


def metered_year(
    demand: MeteredDemand,
    paths: dict[str, tuple[str, int]],
    calendar: YearCalendar,
    latitude: float,
    made_kw: np.ndarray | None,
    zenith: np.ndarray,
    *,
    beside_battery: bool = False,
) -> Metered:
    """The year of a metered house.

    Parameters
    ----------
    demand : MeteredDemand
        The home's year.
    paths : dict of str to (str, int)
        Absolute path and time of change of the file in "path", "export_path" and "production_path".
    calendar : YearCalendar
        The site's calendar.
    latitude : float
        Degrees north.
    made_kw : ndarray or None
        AC power of the roof as modelled, on the calendar's steps; used when production is not measured, and held
        against it where it is.
    zenith : ndarray
        The sun's, on the calendar's steps [degrees].
    beside_battery : bool
        Whether a battery stands there, which serves the house too.

    Raises
    ------
    InputError
        When a file cannot be read, or a net meter's export is nowhere to be found beside a battery.
    """
    net = demand.counts == "net"
    tables, minutes, has_export = _read(demand, paths, calendar)
    if net and beside_battery and "export" not in tables:
        raise InputError(
            paths["path"][0],
            "",
            "holds no export, and a battery stands there that serves the house too; wanted a column of export, a "
            "signed column or a file of its own",
        )
    first, aligned = _aligned(tables)
    try:
        # Days of the house are not left out for want of the array's, which then is only held against the model.
        asked = [table for name, table in aligned.items() if net or name != "production"]
        laid = lay_on_year(first, np.sum(asked, axis=0), calendar, midwinter_day(latitude))
    except ValueError as error:
        raise InputError(paths["path"][0], "", f"{error}; wanted at least one whole day") from None
    series = {name: table[laid.rows].ravel() for name, table in aligned.items()}
    source = f"meter file {Path(paths['path'][0]).name}"
    step_h = calendar.step_h
    both = _measured_and_modelled(series.get("production"), made_kw, laid.measured_days, step_h)
    months = tuple(MONTH_NAMES[m - 1] for m in laid.months)
    if not net:
        silent_h = _silent_h(series["import"], zenith, step_h)
        return Metered(
            series["import"], source, laid.measured_days, months, None, 0.0, silent_h, has_export, made=both
        )
    if "export" not in series:
        house, how = _behind_import(series, made_kw, zenith, calendar, minutes)
        return Metered(
            house.kw,
            f"{source}, of import alone, {how}",
            laid.measured_days,
            months,
            None,
            0.0,
            unseen_h=float(house.unseen.sum() * step_h),
            unseen_kwh=float(house.kw[house.unseen].sum() * step_h),
            made=both,
        )
    kw, how, model_error = _behind_both(
        series, made_kw, calendar, Path(paths.get("production_path", ("",))[0]).name
    )
    return Metered(
        kw,
        f"{source}, {how}",
        laid.measured_days,
        months,
        model_error,
        float(series["export"].sum() * step_h),
        made=both,
        is_net=True,
        battery_told="battery" in series,
    )


def _behind_both(
    series: dict[str, np.ndarray], made_kw: np.ndarray | None, calendar: YearCalendar, measured: str
) -> tuple[np.ndarray, str, float | None]:
    """A house whose meter counts both directions, how it was rebuilt, and how far the model is off [kW, kWh].

    `measured` names the file of what the array made, where that was measured.
    """
    sent = series["export"]
    if "production" in series:
        made, off, how = series["production"], None, f"rebuilt with measured production {measured}"
    else:
        modelled = made_kw if made_kw is not None else np.zeros_like(sent)
        off = float(np.maximum(sent - modelled, 0.0).sum() * calendar.step_h)
        made, how = _at_least(modelled, sent, calendar.month), "rebuilt with the modelled yield of the roof"
    gross = series["import"] - sent + made
    if "battery" in series:
        gross, how = gross + series["battery"], f"{how} and what the battery moved"
    return np.maximum(gross, 0.0), how, off


def _measured_and_modelled(
    measured_kw: np.ndarray | None, modelled_kw: np.ndarray | None, days: int, step_h: float
) -> tuple[float, float] | None:
    """What an array made in a year by its file, and by its model [kWh]; None where the file tells of few days."""
    if measured_kw is None or modelled_kw is None or days < MOST_OF_YEAR or not np.isfinite(measured_kw).all():
        return None
    return float(measured_kw.sum() * step_h), float(modelled_kw.sum() * step_h)


def _read(
    demand: MeteredDemand, paths: dict[str, tuple[str, int]], calendar: YearCalendar
) -> tuple[dict[str, tuple[np.datetime64, np.ndarray]], int, bool]:
    """First day and table of import, export and production, as far as they are read; minutes of the meter's intervals.

    The third result says whether its file holds export, whether that is read or not.
    """
    net = demand.counts == "net"
    meter = _table(paths["path"], demand.reading, calendar, "net" if net else "use")
    tables = {"import": (meter.first, meter.imported)}
    if net and "export_path" in paths:
        sent = _table(paths["export_path"], demand.export_reading, calendar, "export")
        tables["export"] = (sent.first, sent.imported)
    elif net and meter.exported is not None:
        tables["export"] = (meter.first, meter.exported)
    if "production_path" in paths:
        made = _table(paths["production_path"], demand.production_reading, calendar, "production")
        tables["production"] = (made.first, made.imported)
        if net and made.tells_battery:
            by_heads = demand.production_reading.with_(import_column=None, export_column=None)
            moved = _table(paths["production_path"], by_heads, calendar, "battery")
            if moved.exported is not None:
                tables["battery"] = (moved.first, moved.imported - moved.exported)
    return tables, meter.minutes, meter.exported is not None


def _behind_import(
    series: dict[str, np.ndarray],
    made_kw: np.ndarray | None,
    zenith: np.ndarray,
    calendar: YearCalendar,
    minutes: int,
) -> tuple[BehindImport, str]:
    """A house whose meter counts nothing but what comes in beside an array, and how it was rebuilt."""
    came = series["import"]
    if "production" in series:
        made, how = series["production"], "rebuilt with measured production"
    else:
        modelled = made_kw if made_kw is not None else np.zeros_like(came)
        made = on_days_of_import(modelled, came, calendar.month)
        how = "rebuilt with the modelled yield of the roof"
    return house_behind_import(came, made, zenith, calendar.month, minutes), how


def _silent_h(kw: np.ndarray, zenith: np.ndarray, step_h: float) -> float:
    """Hours under a high sun with far less than the house draws in its quietest nights."""
    night = kw[zenith >= 90.0]
    if not night.size:
        return 0.0
    rest_kw = float(np.quantile(night, QUIET_SHARE))
    return float((kw[zenith < HIGH_SUN] < SILENT * rest_kw).sum() * step_h)


def _at_least(modelled: np.ndarray, sent: np.ndarray, month: np.ndarray) -> np.ndarray:
    """Modelled production that is never below what went out, each month's sum kept where that can be."""
    spare = np.maximum(modelled - sent, 0.0)
    for number in range(1, 13):
        here = month == number
        wanted = modelled[here].sum() - sent[here].sum()
        most = spare[here].sum()
        spare[here] *= min(max(wanted, 0.0) / most, 1.0) if most > 0 else 0.0
    return sent + spare


class _Table(NamedTuple):
    """First day, import and export of a file as days of mean power, export None where it has none; its minutes.

    `tells_battery` says whether its columns have both directions of a battery.
    """

    first: np.datetime64
    imported: np.ndarray
    exported: np.ndarray | None
    minutes: int
    tells_battery: bool


def _table(file: tuple[str, int], reading: MeterReading, calendar: YearCalendar, wanted: Wanted) -> _Table:
    path, edition = file

    def make() -> dict[str, np.ndarray]:
        data = read_meter_file(Path(path), reading, calendar.time_zone, wanted=wanted)
        minutes = data.understood.interval_minutes
        first, imported = days_of_intervals(data.starts, data.import_kwh, minutes, calendar)
        told = {"charged", "discharged"} <= set(data.understood.flows)
        made = {
            "first": np.array(first.astype(int)),
            "import": imported,
            "minutes": np.array(minutes),
            "battery": np.array(int(told)),
        }
        if data.export_kwh is not None:
            made["export"] = days_of_intervals(data.starts, data.export_kwh, minutes, calendar)[1]
        return made

    when = f"{calendar.time_zone}|{calendar.year}"
    key = f"meter|{EDITION}|{path}|{edition}|{reading.model_dump_json()}|{when}|{wanted}"
    arrays = cached_arrays(key, make, {"first": 1, "import": None, "minutes": 1, "battery": 1})
    first = np.datetime64(int(arrays["first"]), "D")
    return _Table(
        first, arrays["import"], arrays.get("export"), int(arrays["minutes"]), bool(int(arrays["battery"]))
    )


def _aligned(tables: dict[str, tuple[np.datetime64, np.ndarray]]) -> tuple[np.datetime64, dict[str, np.ndarray]]:
    """Tables of several files on the days they share; a day that one of them lacks is NaN in all."""
    first = min(start for start, _ in tables.values())
    last = max(start + np.timedelta64(len(table), "D") for start, table in tables.values())
    aligned = {}
    for name, (start, table) in tables.items():
        whole = np.full(((last - first).astype(int), table.shape[1]), np.nan)
        offset = (start - first).astype(int)
        whole[offset : offset + len(table)] = table
        aligned[name] = whole
    return first, aligned
