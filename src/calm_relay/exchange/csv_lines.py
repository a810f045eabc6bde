"""Lines of a comma-separated file, each split on its own so that every fault has a line."""

import csv
from pathlib import Path

from calm_relay.exchange.errors import InputError


def split_lines(path: Path, text: str, delimiter: str = ",") -> list[list[str]]:
    """Fields of every line; an empty line has none. A quotation mark left open ends with its line.

    Raises
    ------
    InputError
        Names the line that cannot be split.
    """
    rows = []
    for number, line in enumerate(text.split("\n"), 1):
        try:
            rows.append(next(csv.reader([line.rstrip("\r")], delimiter=delimiter), []))
        except csv.Error as error:
            raise InputError(path, f"line {number}", f"cannot be split into columns: {error}") from None
    return rows
