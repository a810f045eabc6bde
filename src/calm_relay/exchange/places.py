"""Towns of the world with coordinates and time zones, found by name without a network.

The places are GeoNames (geonames.org), Creative Commons Attribution 4.0; `tools/make_places.py` makes the file.
"""

import lzma
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from calm_relay.data import shipped

ATTRIBUTION = "Places: GeoNames, CC BY 4.0"


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
    return "".join(c for c in folded if not unicodedata.combining(c)).lower().strip()


@lru_cache(maxsize=1)
def _places() -> tuple[list[str], list[str]]:
    """Rows of the file, the largest place first, and what is searched in each."""
    rows = lzma.decompress(shipped("places.tsv.xz").read_bytes()).decode().split("\n")
    searched = []
    for row in rows:
        name, country, region, _, _, _, _, folded = row.split("\t")
        searched.append(f"{folded or f'{name}, {country}'.lower()} {region.lower()}")
    return rows, searched


def _place(row: str) -> Place:
    name, country, region, latitude, longitude, zone, inhabitants, _ = row.split("\t")
    return Place(name, country, region, float(latitude), float(longitude), zone, int(inhabitants))


def find_places(text: str, most: int = 12) -> tuple[Place, ...]:
    """Places whose name begins with the text, the larger first; then those that hold its words anywhere.

    Parameters
    ----------
    text : str
        Part of a name, with or without accents; "nelson, new" narrows by country.
    most : int
        Longest list.
    """
    wanted = plain(text)
    if not wanted:
        return ()
    rows, searched = _places()
    words = wanted.replace(",", " ").split()
    begins: list[Any] = []
    holds: list[Any] = []
    for row, name in zip(rows, searched, strict=True):
        if words and words[0] in name and all(word in name for word in words):
            (begins if name.startswith(words[0]) else holds).append(row)
            if len(begins) == most:
                break
    return tuple(_place(row) for row in (begins + holds)[:most])
