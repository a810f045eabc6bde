"""Meter intervals from NEM12, the interval format of the Australian market.

Read here and not by a library because every fault must have its line. Days are in Australian Eastern Standard
Time all year; register suffixes that begin with E are energy to the customer, with B energy from the customer.

References
----------
AEMO, Meter Data File Format Specification NEM12 and NEM13, version 2; from memory.
"""

from pathlib import Path

import numpy as np

from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_data import LONGEST_DAYS, MeterData, Understood
from calm_relay.job.survey import MeterReading

AHEAD_OF_UTC_S = 10 * 3600
UNITS = {"kwh": 1.0, "wh": 0.001, "mwh": 1000.0}
LENGTHS = (5, 15, 30)


def read_nem12(path: Path, text: str, reading: MeterReading) -> MeterData:
    """Intervals from the text of a file.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    rows = split_lines(path, text)
    if not rows or rows[0][:2] != ["100", "NEM12"]:
        raise InputError(path, "line 1", "is no NEM12 header; wanted a line that starts with 100,NEM12")
    points = tuple(dict.fromkeys(row[1].strip() for row in rows if len(row) > 1 and row[0] == "200"))
    if len(points) > 1 and reading.meter is None:
        raise InputError(path, "record 200", f"holds {len(points)} meters ({', '.join(points)}); choose which")
    days: dict[str, dict[np.datetime64, np.ndarray]] = {"E": {}, "B": {}}
    stream: tuple[float, int, str] | None = None
    notes: set[str] = set()
    lengths: set[int] = set()
    for number, row in enumerate(rows[1:], 2):
        kind = row[0].strip() if row else ""
        if kind == "200":
            stream = _stream(path, number, row)
            if reading.meter is not None and row[1].strip() != reading.meter:
                stream = (*stream[:2], "")
            lengths.add(stream[1]) if stream[2] else None
        elif kind == "300":
            if stream is None:
                raise InputError(path, f"line {number}", "a day (300) stands before any meter (200)")
            day, values, quality = _day(path, number, row, stream)
            if quality not in {"A", "F"}:
                notes.add("Some days hold substituted or estimated values.")
            if stream[2]:
                _add(days[stream[2]], day, values)
        elif kind not in {"", "400", "500", "900"}:
            raise InputError(path, f"line {number}", f"starts with {kind!r}; wanted 200, 300, 400, 500 or 900")
    return _data(path, days, lengths, points, notes)


def _stream(path: Path, number: int, row: list[str]) -> tuple[float, int, str]:
    """Factor to kWh, interval length and direction of a 200 record; "" for what is neither."""
    if len(row) < 9:
        raise InputError(path, f"line {number}", f"has {len(row)} fields; wanted 9 or more in a record 200")
    suffix, unit, length = row[4].strip().upper(), row[7].strip().lower(), row[8].strip()
    if not (length.isascii() and length.isdecimal()) or int(length) not in LENGTHS:
        raise InputError(path, f"line {number}", f"the interval length is {length!r}; wanted one of {LENGTHS}")
    # Reactive energy and the like stand beside what is wanted.
    direction = suffix[:1] if suffix[:1] in {"E", "B"} and unit in UNITS else ""
    return UNITS.get(unit, 1.0), int(length), direction


def _day(
    path: Path, number: int, row: list[str], stream: tuple[float, int, str]
) -> tuple[np.datetime64, np.ndarray, str]:
    factor, minutes, direction = stream
    count = 1440 // minutes
    text = row[1].strip() if len(row) > 1 else ""
    try:
        if len(text) != 8:
            raise ValueError
        day = np.datetime64(f"{text[:4]}-{text[4:6]}-{text[6:]}", "D")
    except ValueError:
        raise InputError(path, f"line {number}", f"the day is {text!r}; wanted YYYYMMDD") from None
    if len(row) < count + 3:
        raise InputError(path, f"line {number}", f"has {max(len(row) - 2, 0)} values; wanted {count}")
    values = []
    for text in row[2 : count + 2]:
        try:
            value = float(text)
        except ValueError:
            raise InputError(path, f"line {number}", f"the value is {text!r}; wanted a number") from None
        if direction and not 0.0 <= value < 1e6:
            raise InputError(path, f"line {number}", f"the value is {text}; wanted 0 or more")
        values.append(value * factor)
    return day, np.array(values), row[count + 2].strip()[:1].upper() or "A"


def _add(days: dict[np.datetime64, np.ndarray], day: np.datetime64, values: np.ndarray) -> None:
    """Registers of one direction add up: the ordinary and the controlled load, for one."""
    before = days.get(day)
    if before is not None and before.size == values.size:
        values = values + before
    days[day] = values


def _data(
    path: Path,
    days: dict[str, dict[np.datetime64, np.ndarray]],
    lengths: set[int],
    points: tuple[str, ...],
    notes: set[str],
) -> MeterData:
    if not days["E"]:
        raise InputError(path, "record 200", "no register E1 (energy to the customer) is found")
    if len(lengths) > 1:
        raise InputError(path, "record 200", f"the interval length changes between {sorted(lengths)}; wanted one")
    minutes = lengths.pop()
    dates = sorted(days["E"])
    if (dates[-1] - dates[0]).astype(int) > LONGEST_DAYS:
        raise InputError(path, "record 300", f"spans more than {LONGEST_DAYS} days; wanted up to four years")
    steps = np.arange(1440 // minutes) * np.timedelta64(minutes * 60, "s")
    starts = (np.array(dates).astype("datetime64[s]")[:, None] + steps).ravel() - np.timedelta64(
        AHEAD_OF_UTC_S, "s"
    )
    nothing = np.zeros(steps.size)
    exported = np.concatenate([days["B"].get(day, nothing) for day in dates]) if days["B"] else None
    missing = int((dates[-1] - dates[0]).astype(int)) + 1 - len(dates)
    summary = sorted(notes) + ([f"{missing} days are missing between the first and the last."] if missing else [])
    understood = Understood(
        "NEM12", "kwh", minutes, clock="standard", meters=points if len(points) > 1 else (), notes=tuple(summary)
    )
    return MeterData(starts, np.concatenate([days["E"][day] for day in dates]), exported, understood)
