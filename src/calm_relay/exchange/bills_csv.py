"""Bills from a CSV: the first and the last day of each, and its energy."""

from pathlib import Path

from pydantic import ValidationError

from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.csv_lines import split_lines
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.stamps import read_stamp
from calm_relay.job.survey import Bill


def read_bills(path: Path) -> tuple[Bill, ...]:
    """Bills from a CSV with a header and the columns first day, last day, kWh.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    text = read_text(path, "bills")
    delimiter = ";" if text.count(";") > text.count(",") else ","
    rows = split_lines(
        path, text.replace(";", "\t").replace(",", ".").replace("\t", ",") if delimiter == ";" else text
    )
    bills = []
    for number, row in enumerate(rows[1:], 2):
        if not any(field.strip() for field in row):
            continue
        if len(row) < 3:
            raise InputError(path, f"line {number}", f"has {len(row)} columns; wanted first day, last day, kWh")
        days = []
        for field in row[:2]:
            stamp = read_stamp(field)
            if stamp is None:
                raise InputError(path, f"line {number}", f"the day is {field.strip()!r}; wanted 2025-01-31")
            try:
                days.append(stamp.when(True).date().isoformat())
            except ValueError:
                raise InputError(path, f"line {number}", f"{field.strip()!r} is no day of the calendar") from None
        try:
            bills.append(Bill(first=days[0], last=days[1], kwh=float(row[2].strip().lower().removesuffix("kwh"))))
        except ValidationError as error:
            raise InputError(path, f"line {number}", " ".join(first_field_error(error)).strip()) from None
        except ValueError:
            raise InputError(path, f"line {number}", f"the energy is {row[2].strip()!r}; wanted kWh") from None
    if not bills:
        raise InputError(path, "", "holds no bill; wanted lines of first day, last day, kWh under a header")
    return tuple(bills)
