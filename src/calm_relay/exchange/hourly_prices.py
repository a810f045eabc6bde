"""Prices of an exchange, hour by hour or in parts of hours, from a CSV or workbook of any common shape."""

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np

from calm_relay.exchange.csv_layout import SAMPLE, VALUE, Table, split_table
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.interval_csv import read_interval_csv
from calm_relay.exchange.meter_file import meter_text
from calm_relay.exchange.stamps import read_stamp
from calm_relay.job.survey import MeterReading

Unit = Literal["a kWh", "cents a kWh", "a MWh"]
PER_KWH: dict[Unit, float] = {"a kWh": 1.0, "cents a kWh": 0.01, "a MWh": 0.001}
_PRICE = re.compile(
    r"pric|preis|prijs|prix|precio|prezzo|preço|pris\b|cena|hinta|spot|tariff|/\s*[mk]wh|ct|cent|öre|øre", re.I
)
_MWH = re.compile(r"/\s*mwh|per\s*mwh|mwh", re.I)
_CENTS = re.compile(r"\b(?:ct|cts?|cents?|c€|öre|øre|ore|pence|p|c)\s*/\s*kwh|\bcents?\b|öre|øre|\bpence\b", re.I)
# Nobody pays so much a kWh of any currency that has cents; where a unit is not written, more is for a MWh.
MOST_A_KWH = 1.5


@dataclass(frozen=True, eq=False)
class PriceFile:
    """Prices as a file holds them.

    Attributes
    ----------
    starts : ndarray of datetime64[s]
        Of each interval, UTC, rising.
    prices : ndarray
        Per kWh in the file's currency; below 0 where somebody is paid for taking it.
    minutes : int
        Of an interval.
    unit : str
        What the file's numbers were taken for, a key of `PER_KWH`.
    column : str
        Head of the column that was read.
    columns : tuple of str
        Heads of all that hold numbers, such as those of several areas; empty of a row a day.
    notes : tuple of str
        What has to be said of the reading.
    """

    starts: np.ndarray
    prices: np.ndarray
    minutes: int
    unit: Unit
    column: str
    columns: tuple[str, ...]
    notes: tuple[str, ...]


def read_hourly_prices(
    path: Path, time_zone: str, unit: Unit | None = None, column: str | None = None
) -> PriceFile:
    """Prices of a file.

    Parameters
    ----------
    path : path-like
        The file.
    time_zone : str
        Local clock of its stamps, where they do not say theirs.
    unit : str, optional
        A key of `PER_KWH`; None: as its heads say, else as its numbers do.
    column : str, optional
        Head of the column with the prices; None: the first that is headed so, else the first with numbers.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    path = Path(path)
    text = meter_text(path, "prices")
    table = split_table(path, text, MeterReading())
    choices = {} if table.wide else _numbers(table)
    if column is not None and column not in choices:
        raise InputError(path, column, f"is no column of numbers; wanted one of {', '.join(choices)}")
    place = choices.get(column or next((head for head in choices if _PRICE.search(head)), ""))
    reading = MeterReading(unit="kwh", import_column=None if place is None else place + 1, export_column=0)
    data = read_interval_csv(path, text, reading, time_zone, wanted="net")
    prices = data.import_kwh - (data.export_kwh if data.export_kwh is not None else 0.0)
    head = data.understood.columns[data.understood.import_column - 1]
    notes = [note for note in data.understood.notes if "No unit" not in note]
    if unit is None:
        unit, how = _unit_of(" ".join([head, *table.header] if table.wide else [head]), prices)
        notes += [how] if how else []
    if not np.isfinite(prices).all() or np.abs(prices).max() * PER_KWH[unit] > 1e4:
        raise InputError(path, head, "holds a price of more than 10,000 a kWh; wanted prices of energy")
    return PriceFile(
        data.starts,
        prices * PER_KWH[unit],
        data.understood.interval_minutes,
        unit,
        head,
        tuple(choices),
        tuple(notes),
    )


def _numbers(table: Table) -> dict[str, int]:
    """Columns with numbers and no times, by their heads."""
    sample = table.rows[:SAMPLE]
    found: dict[str, int] = {}
    for place, head in enumerate(table.header):
        cells = [row[place].strip() for row in sample if len(row) > place and row[place].strip()]
        numbers = [cell for cell in cells if VALUE.fullmatch(cell) and read_stamp(cell) is None]
        if place not in {table.date, table.time, table.number} and cells and len(numbers) >= 0.8 * len(cells):
            found.setdefault(head.strip() or f"column {place + 1}", place)
    return found


def _unit_of(heads: str, prices: np.ndarray) -> tuple[Unit, str]:
    """What the numbers are per, and what is to be said where no head tells."""
    if _CENTS.search(heads):
        return "cents a kWh", ""
    if _MWH.search(heads):
        return "a MWh", ""
    if re.search(r"kwh", heads, re.I):
        return "a kWh", ""
    likely: Unit = "a MWh" if float(np.median(np.abs(prices))) > MOST_A_KWH else "a kWh"
    return likely, f"No head says what the prices are per; their size speaks for {likely}."
