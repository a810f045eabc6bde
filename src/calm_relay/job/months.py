"""Months of the year as a season: read from words, and put into them."""

import re
from typing import Annotated

from pydantic import Field

Month = Annotated[int, Field(ge=1, le=12)]

_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def read_months(text: str) -> tuple[int, ...]:
    """Months from words: "Nov to Feb", "Apr, Jun", "11-2", "" for all the year.

    Raises
    ------
    ValueError
        When a word is no month.
    """
    found: set[int] = set()
    for part in re.split(r"[,;]", text):
        if not part.strip():
            continue
        ends = [_month_of(word) for word in re.split(r"\s*(?:-|–|\bto\b)\s*", part.strip())]
        if len(ends) > 2:
            raise ValueError(f"{part.strip()!r} is no season; wanted such as Nov to Feb")
        month = ends[0]
        found.add(month)
        while month != ends[-1]:
            month = month % 12 + 1
            found.add(month)
    return () if len(found) == 12 else tuple(sorted(found))


def _month_of(word: str) -> int:
    for number, name in enumerate(_MONTHS, 1):
        if word.strip().lower()[:3] == name.lower() or word.strip() == str(number):
            return number
    raise ValueError(f"{word.strip()!r} is no month; wanted such as Nov, or 11")


def months_text(months: tuple[int, ...]) -> str:
    """Months as ranges that may run over the turn of the year: "Nov to Mar"."""
    there = set(months)
    runs = []
    for month in sorted(there):
        if (month - 2) % 12 + 1 not in there or len(there) == 12:
            last = month
            while last % 12 + 1 in there and last % 12 + 1 != month:
                last = last % 12 + 1
            runs.append(_MONTHS[month - 1] if last == month else f"{_MONTHS[month - 1]} to {_MONTHS[last - 1]}")
            if len(there) == 12:
                break
    return ", ".join(runs)
