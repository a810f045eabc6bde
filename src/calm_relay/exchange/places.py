"""Towns of the world with coordinates and time zones, found by name without a network.

The places are GeoNames (geonames.org), Creative Commons Attribution 4.0; `tools/make_places.py` makes the file.
"""

import lzma
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

from calm_relay.data import shipped

ATTRIBUTION = "Places: GeoNames, CC BY 4.0"
# Letters that are none with an accent.
LETTERS = str.maketrans(
    {"ø": "o", "æ": "ae", "œ": "oe", "ł": "l", "ß": "ss", "đ": "d", "ð": "d", "þ": "th", "ı": "i"}
)
# Letters from which on names in other languages are looked through: shorter beginnings are those of too many.
LEAST_LETTERS = 4
# So many times as large as a place of just that name is one that others call so, to come before it.
LARGER = 10


@dataclass(frozen=True)
class Place:
    """A town: its coordinates [deg] and IANA time zone."""

    name: str
    country: str
    region: str
    latitude: float
    longitude: float
    time_zone: str
    inhabitants: int

    @property
    def label(self) -> str:
        """As shown in a list."""
        return ", ".join(part for part in (self.name, self.region, self.country) if part)


def plain(text: str) -> str:
    """Lower case without accents, as people type names."""
    folded = unicodedata.normalize("NFKD", text)
    return "".join(c for c in folded if not unicodedata.combining(c)).lower().translate(LETTERS).strip()


@lru_cache(maxsize=1)
def _places() -> tuple[list[str], list[tuple[str, str]]]:
    """Rows of the file, the largest place first, and what is searched in each: its name, and what others call it."""
    rows, searched = [], []
    for row in lzma.decompress(shipped("places.tsv.xz").read_bytes()).decode().split("\n"):
        row, _, others = row.rpartition("\t")
        name, country, region, _, _, _, _, folded = row.split("\t")
        rows.append(row)
        searched.append((f"{folded or f'{name}, {country}'.lower()} {region.lower()}", others))
    return rows, searched


def _place(row: str) -> Place:
    name, country, region, latitude, longitude, zone, inhabitants, _ = row.split("\t")
    return Place(name, country, region, float(latitude), float(longitude), zone, int(inhabitants))


def _inhabitants(row: str) -> int:
    return int(row.split("\t")[6])


def find_places(text: str, most: int = 12) -> tuple[Place, ...]:
    """Places of just that name, then those whose name begins with it, then those that hold its words, the larger first.

    Parameters
    ----------
    text : str
        Part of a name, with or without accents, the local one or that of another language ("Wien", "Vienna");
        "nelson, new" narrows by country.
    most : int
        Longest list.
    """
    wanted = plain(text)
    if not wanted:
        return ()
    rows, searched = _places()
    typed, _, where = (part.strip() for part in wanted.partition(","))
    words, narrowed = wanted.replace(",", " ").split(), where.split()
    if not typed or not words:
        return ()
    just, others_just, others_begin = f"{typed},", f"|{typed}|", f"|{typed}"
    by_others = len(typed) >= LEAST_LETTERS
    exact: list[tuple[int, str]] = []
    begins: list[str] = []
    holds: list[str] = []
    for row, (name, others) in zip(rows, searched, strict=True):
        if words[0] in name and all(word in name for word in words):
            if name.startswith(just):
                exact.append((LARGER * _inhabitants(row), row))
            else:
                (begins if name.startswith(words[0]) else holds).append(row)
        elif by_others and others_begin in others and all(word in name for word in narrowed):
            if others_just in others:
                exact.append((_inhabitants(row), row))
            else:
                begins.append(row)
    named = [row for _, row in sorted(exact, key=lambda item: -item[0])]
    return tuple(_place(row) for row in (named + begins + holds)[:most])
