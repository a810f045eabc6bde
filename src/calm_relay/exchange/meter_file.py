"""A meter's file of any kind, told apart by what it holds."""

import re
from pathlib import Path

from calm_relay.exchange.bounds import read_bytes
from calm_relay.exchange.green_button import read_green_button
from calm_relay.exchange.interval_csv import read_interval_csv
from calm_relay.exchange.meter_data import MeterData
from calm_relay.exchange.nem12 import read_nem12
from calm_relay.job.survey import MeterReading


def read_meter_file(path: Path, reading: MeterReading, time_zone: str, *, signed: bool = False) -> MeterData:
    """Intervals from an interval CSV, Green Button XML or NEM12 file.

    Parameters
    ----------
    path : path-like
        The file.
    reading : MeterReading
        What the user states about a CSV, and which of several meters is meant.
    time_zone : str
        Local clock of the site.
    signed : bool
        Whether values below 0 are energy that went out.

    Raises
    ------
    InputError
        Names the line or element that is wrong and what would be right.
    """
    text = meter_text(path)
    start = text.lstrip()[:400]
    if start.startswith("<"):
        return read_green_button(path, text, reading)
    if re.match(r'"?100"?,"?NEM1', start):
        return read_nem12(path, text, reading)
    return read_interval_csv(path, text, reading, time_zone, signed=signed)


def meter_text(path: Path | str) -> str:
    """Text of a meter's file, whichever of the common encodings it is in.

    Raises
    ------
    InputError
        When it is missing, unreadable, or far too large.
    """
    raw = read_bytes(Path(path), "meter")
    if raw[:2] in {b"\xff\xfe", b"\xfe\xff"}:
        return raw.decode("utf-16", errors="replace")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        # What is not UTF-8 is nearly always the western code page.
        return raw.decode("cp1252", errors="replace")
