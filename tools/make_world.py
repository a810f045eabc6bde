"""Makes `src/calm_relay/data/world.json` from an outline of the world's land.

Takes a shapefile of polygons in degrees, such as the countries at 1:110,000,000 of Natural Earth
(naturalearthdata.com), which is in the public domain; the package geopandas 0.14.4 carries one:

    .venv/bin/python tools/make_world.py naturalearth_lowres.shp
"""

import json
import struct
import sys
from itertools import pairwise
from pathlib import Path

TARGET = Path(__file__).parents[1] / "src" / "calm_relay" / "data" / "world.json"
POLYGON = 5
SOURCE = "Natural Earth, 1:110,000,000, public domain"


def rings_of(data: bytes) -> list[list[float]]:
    """Rings of a shapefile's polygons: longitude and latitude in turn [degrees], to a tenth."""
    found, place = [], 100
    while place < len(data):
        length = 2 * struct.unpack(">ii", data[place : place + 8])[1]
        shape = data[place + 8 : place + 8 + length]
        place += 8 + length
        if struct.unpack("<i", shape[:4])[0] != POLYGON:
            continue
        parts, points = struct.unpack("<ii", shape[36:44])
        firsts = [*struct.unpack(f"<{parts}i", shape[44 : 44 + 4 * parts]), points]
        flat = struct.unpack(f"<{2 * points}d", shape[44 + 4 * parts : 44 + 4 * parts + 16 * points])
        for first, last in pairwise(firsts):
            found.append([round(value, 1) for value in flat[2 * first : 2 * last]])
    return found


def main() -> None:
    """Writes the outline."""
    rings = rings_of(Path(sys.argv[1]).read_bytes())
    TARGET.write_text(json.dumps({"source": SOURCE, "rings": rings}, separators=(",", ":")) + "\n")
    print(TARGET, len(rings), TARGET.stat().st_size)


if __name__ == "__main__":
    main()
