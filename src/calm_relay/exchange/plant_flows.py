"""What a portal, an inverter or a meter tells of a plant over months, days or intervals: each column its flow."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from pathlib import Path

import numpy as np

from calm_relay.exchange.dated_rows import (
    Row,
    dated_rows,
    day_first,
    decimal_mark,
    energy_in,
    first_dated_rows,
    has_day,
    is_numeric,
    month_around,
    stamps_of,
    whole_month,
)
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.flow_heads import Flow, first_of, flows_of
from calm_relay.exchange.interval_csv import TURNED, IntervalColumns, read_interval_columns, rises_with
from calm_relay.exchange.meter_file import is_table, meter_text, read_meter_file
from calm_relay.exchange.stamps import Stamp, local_to_utc
from calm_relay.job.survey import MeterReading

FLOWS: tuple[Flow, ...] = ("made", "in", "out", "discharged", "used", "charged")
# No month of a plant is of so few kWh that three digits behind a mark would be decimals.
_FEW_KWH = 20.0
_DAYS, _MONTHS = (1, 4), (28, 32)
# More is no plant's.
MOST_KWH = 1e8


@dataclass(frozen=True, eq=False)
class PlantFlows:
    """Energies of a plant, row by row.

    Attributes
    ----------
    columns : tuple of (int, str)
        Columns of the file that hold numbers, from 0, and their heads.
    flows : dict of int to Flow or None
        What each of them is taken for; None: it is left aside.
    starts : ndarray of datetime64[s], shape (rows,)
        When each row begins, UTC.
    hours : ndarray, shape (rows,)
        How long it is [h].
    kwh : dict of Flow to ndarray, shape (rows,)
        Energies [kWh]; NaN where there is none. Columns of one flow are summed.
    kind : str
        What a row is, in words.
    notes : tuple of str
        What has to be said of how it was read.
    """

    columns: tuple[tuple[int, str], ...]
    flows: dict[int, Flow | None]
    starts: np.ndarray = field(repr=False)
    hours: np.ndarray = field(repr=False)
    kwh: dict[Flow, np.ndarray] = field(repr=False)
    kind: str
    notes: tuple[str, ...] = ()


def read_plant_flows(
    path: Path,
    time_zone: str,
    stated: Mapping[int, Flow | None] | None = None,
    *,
    month_first: bool = False,
    today: date | None = None,
) -> PlantFlows:
    """Flows of a plant from a table of intervals, days or months, or from a meter's file of another form.

    Parameters
    ----------
    path : path-like
        CSV, TSV, XLSX or ODS; Green Button or NEM12.
    time_zone : str
        Local clock of the site.
    stated : mapping of int to Flow or None, optional
        What a person says that columns count; of the others their heads tell.
    month_first : bool
        Whether 3/4/2025 is in March where the file leaves both open.
    today : date, optional
        A month or a day that is not over by then is left out; the day of the clock when left out.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    path, today = Path(path), today or date.today()
    stated = dict(stated or {})
    text = meter_text(path)
    if not is_table(text):
        return _of_meter(path, time_zone, stated)
    first = first_dated_rows(path, text)
    if first and _are_days(first):
        flows = _by_day(path, *dated_rows(path, "meter"), time_zone, stated, month_first, today)
    else:
        held = read_interval_columns(path, text, time_zone, lambda heads, numeric: _taken(heads, numeric, stated))
        flows = _of_meter(path, time_zone, stated) if held is None else _of_intervals(held, stated)
    for flow, kwh in flows.kwh.items():
        if np.nansum(kwh) > MOST_KWH:
            raise InputError(path, flow, f"comes to more than {MOST_KWH:,.0f} kWh; wanted those of one plant")
    return flows


def _taken_for(
    heads: Sequence[str], numeric: Sequence[int], stated: Mapping[int, Flow | None]
) -> dict[int, Flow | None]:
    """What each column with numbers is taken for: as it is stated, else the first of each flow by its head."""
    named = dict(zip(numeric, (flows_of(heads)[column] for column in numeric), strict=True))
    firsts = {first_of(named, heads, (flow,)) for flow in FLOWS}
    return {column: stated.get(column, flow if column in firsts else None) for column, flow in named.items()}


def _taken(heads: Sequence[str], numeric: Sequence[int], stated: Mapping[int, Flow | None]) -> list[int]:
    return [column for column, flow in _taken_for(heads, numeric, stated).items() if flow is not None]


def _of_meter(path: Path, time_zone: str, stated: Mapping[int, Flow | None]) -> PlantFlows:
    """A meter's file of another form: what came in, and what went out where it tells."""
    data = read_meter_file(path, MeterReading(), time_zone, wanted="net")
    kwh = {0: data.import_kwh} if data.export_kwh is None else {0: data.import_kwh, 1: data.export_kwh}
    minutes = data.understood.interval_minutes
    hours = np.full(data.starts.size, minutes / 60.0)
    flows: dict[int, Flow | None] = {0: "in", 1: "out"} if 1 in kwh else {0: "in"}
    flows |= {column: flow for column, flow in stated.items() if column in flows}
    heads = ("what came in", "what went out")
    kind = f"intervals of {minutes} min"
    return _together(heads, flows, data.starts, hours, kwh, kind, data.understood.notes)


def _of_intervals(held: IntervalColumns, stated: Mapping[int, Flow | None]) -> PlantFlows:
    flows = _taken_for(held.heads, held.numeric, stated)
    hours = np.full(held.starts.size, held.minutes / 60.0)
    return _together(
        held.heads, flows, held.starts, hours, held.kwh, f"intervals of {held.minutes} min", held.notes
    )


def _by_day(
    path: Path,
    heads: list[str],
    rows: list[Row],
    time_zone: str,
    stated: Mapping[int, Flow | None],
    month_first: bool,
    today: date,
) -> PlantFlows:
    """Rows of days or of months."""
    width = len(heads)
    at = next(
        (column for column in range(width) if sum(has_day(row.at(column)) for row in rows) >= 0.6 * len(rows)),
        None,
    )
    if at is None:
        raise InputError(path, f"line {rows[0].line}", "no column of days or months is found")
    numeric = [
        column
        for column in range(width)
        if column != at and is_numeric([row.at(column) for row in rows if row.at(column)])
    ]
    flows = _taken_for(heads, numeric, stated)
    taken = [column for column, flow in flows.items() if flow is not None]
    monthly = whole_month(rows[0].at(at)) is not None
    lengths = _MONTHS if monthly else _DAYS
    stamps = [stamps_of(row, (at,)) for row in rows]
    order = day_first(stamps, lengths, month_first=month_first)
    # The first day of each month stands for the month, as in a workbook.
    by_first = next((each for each in (order, not order) if not monthly and _are_firsts(stamps, each)), None)
    if by_first is not None:
        monthly, order = True, by_first
    mark = decimal_mark([row.at(column) for row in rows for column in taken], _FEW_KWH if monthly else 0.0)
    spans, cells, left_out = [], [], 0
    for row in rows:
        first, after = _span(path, row, at, order)
        first, after = month_around(first) if by_first is not None else (first, after)
        if after > today:
            left_out += 1
            continue
        spans.append((first, after))
        cells.append([energy_in(path, row, column, heads, mark) for column in taken])
    lasting = np.array([(after - first).days for first, after in spans])
    one = "month" if monthly or (lasting.size and np.median(lasting) > _DAYS[1]) else "day"
    notes = [f"the {one} that is not over yet is left out"] if left_out else []
    starts = local_to_utc(np.array([first for first, _ in spans], dtype="datetime64[s]"), time_zone)
    table = np.array(cells, dtype=float).reshape(len(cells), len(taken))
    kwh = {column: table[:, place] for place, column in enumerate(taken)}
    return _together(heads, flows, starts, 24.0 * lasting, kwh, f"{one}s", tuple(notes))


def _span(path: Path, row: Row, at: int, order: bool) -> tuple[date, date]:
    """First day of a row, and the day after its last."""
    cell = row.at(at)
    month = whole_month(cell)
    if month is not None:
        return month_around(date(*month, 1))
    stamps = stamps_of(row, (at,))
    if not stamps:
        raise InputError(
            path, f"line {row.line}", f"the day is {cell!r}; wanted 2025-01-31, or 2025-01 for a month"
        )
    try:
        days = [stamp.when(order).date() for stamp in stamps]
    except ValueError:
        raise InputError(path, f"line {row.line}", f"{cell!r} is no day of the calendar") from None
    return days[0], days[-1] + timedelta(days=1)


def _are_firsts(stamps: Sequence[Sequence[Stamp]], order: bool) -> bool:
    """Whether each row has the first day of a month of its own."""
    try:
        days = [stamp.when(order).date() for row in stamps for stamp in row]
    except ValueError:
        return False
    return len(days) == len(set(days)) == len(stamps) > 1 and all(day.day == 1 for day in days)


def _are_days(rows: Sequence[Row]) -> bool:
    """Whether rows stand for days or months, and not for intervals within a day."""
    cells = [next((cell for cell in row.cells if has_day(cell.strip())), "").strip() for row in rows]
    days = [re.split(r"[T ]+\d{1,2}[:.h]", cell)[0] for cell in cells if cell]
    return len(set(days)) > 0.7 * len(days)


def _together(
    heads: Sequence[str],
    flows: dict[int, Flow | None],
    starts: np.ndarray,
    hours: np.ndarray,
    kwh: Mapping[int, np.ndarray],
    kind: str,
    notes: tuple[str, ...],
) -> PlantFlows:
    """Columns of one flow summed; what is below 0 of what came in went out, where no column tells that."""
    summed: dict[Flow, np.ndarray] = {}
    for column, flow in flows.items():
        if flow is not None:
            summed[flow] = summed[flow] + kwh[column] if flow in summed else kwh[column]
    said = list(notes)
    if "in" in summed and "out" not in summed and np.any(summed["in"] < 0):
        if rises_with(summed["in"], summed.get("made")):
            summed["in"] = -summed["in"]
            said.append(TURNED)
        summed["out"] = np.maximum(-summed["in"], 0.0)
        said.append("what is below 0 of what came from the grid is taken for what went to it")
    for flow in summed:
        # Some portals write what goes out as a negative number.
        summed[flow] = np.abs(summed[flow]) if flow == "out" else np.maximum(summed[flow], 0.0)
    names = tuple((column, heads[column].strip() or f"column {column + 1}") for column in flows)
    return PlantFlows(names, flows, starts, hours, summed, kind, tuple(said))
