"""A horizon from a table of directions and heights, as services of terrain data and surveyors' instruments write it."""

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from calm_relay.exchange.bounds import any_text, read_bytes
from calm_relay.exchange.csv_layout import plain_number
from calm_relay.exchange.errors import InputError

# A job holds so many points; of a finer table the highest within each step stands.
MOST_POINTS, STEP_DEG = 120, 3.0
# Half of a circle and a little, for tables that end where they began.
HALF, WHOLE = 180.5, 360.5
_NUMBER = re.compile(r"[+\-−]?\d+(?:[.,]\d+)?")


@dataclass(frozen=True)
class HorizonFile:
    """Points of azimuth, clockwise from north, and height [degrees], and what has to be said of the reading."""

    points: tuple[tuple[float, float], ...]
    notes: tuple[str, ...]


def read_horizon(path: Path) -> HorizonFile:
    """The horizon of a text file: a direction and a height on each line, whatever stands above, below or beside them.

    Directions from 0 to 360 are clockwise from north; such with a sign are from south, east below nothing, unless a
    line of words says that they are from north.

    Parameters
    ----------
    path : path-like
        The file.

    Raises
    ------
    InputError
        Names the line that is wrong and what would be right.
    """
    path = Path(path)
    text = any_text(read_bytes(path, "horizon"))
    pairs: list[tuple[int, float, float]] = []
    words = []
    for number, line in enumerate(text.splitlines(), 1):
        cells = _cells(line)
        if cells is None:
            words.append(line)
            continue
        pairs.append((number, *cells))
    if len(pairs) < 2:
        raise InputError(
            path, "", "holds no horizon; wanted lines of a direction and a height in degrees, as 120 8.5"
        )
    for number, azimuth, height in pairs:
        if not -HALF <= azimuth <= WHOLE:
            raise InputError(path, f"line {number}", f"the direction is {azimuth:g}°; wanted -180 to 360")
        if not -30.0 <= height < 90.0:
            raise InputError(path, f"line {number}", f"the height is {height:g}°; wanted 0 to 90")
    azimuths = np.array([azimuth for _, azimuth, _ in pairs])
    heights = np.maximum([height for _, _, height in pairs], 0.0)
    notes = []
    if azimuths.min() < 0.0:
        from_north = re.search(r"north|nord|norte", " ".join(words), re.I) is not None
        azimuths = azimuths if from_north else azimuths + 180.0
        notes.append(f"its directions have a sign and are taken from {'north' if from_north else 'south'}")
    azimuths = np.round(azimuths % 360.0, 3)
    if np.unique(azimuths).size > MOST_POINTS:
        steps = np.round(azimuths / STEP_DEG) * STEP_DEG % 360.0
        heights = np.array([heights[steps == step].max() for step in np.unique(steps)])
        azimuths = np.unique(steps)
        notes.append(f"of each {STEP_DEG:g}° the highest stands")
    else:
        # What closes the circle stands twice.
        azimuths, first = np.unique(azimuths, return_index=True)
        heights = heights[first]
    return HorizonFile(tuple(zip(azimuths.tolist(), np.round(heights, 2).tolist(), strict=True)), tuple(notes))


def _cells(line: str) -> tuple[float, float] | None:
    """Direction and height of a line whose first two cells are numbers; None of another."""
    # A comma parts cells where no other mark does.
    parts = [part for part in re.split(r"[;\t ]+", line.strip().strip('"')) if part]
    if len(parts) < 2:
        parts = [part.strip() for part in line.split(",")]
    parts = [part.rstrip(",°").strip('"') for part in parts]
    if len(parts) < 2 or not all(_NUMBER.fullmatch(part) for part in parts[:2]):
        return None
    values = [plain_number(part.replace(",", "."), ".") for part in parts[:2]]
    if values[0] is None or values[1] is None:
        return None
    return values[0], values[1]
