"""How a battery's capacity fades: by the calendar and by cycles counted with the rainflow method."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

REFERENCE_C = 25.0
# Chemical ageing about doubles for ten degrees: common practice, no source.
DOUBLES_PER_C = 10.0
# Ripples of the level below this share of usable energy are no cycles.
SMALLEST_DEPTH = 0.005


@dataclass(frozen=True, eq=False)
class Cycles:
    """Cycles of a run: each one's depth, the share of usable energy, and whether it counts whole or half."""

    depth: np.ndarray
    count: np.ndarray

    @property
    def full_equivalent(self) -> float:
        """Depth times count, added up."""
        return float(np.dot(self.depth, self.count))

    def of(self, share: float) -> "Cycles":
        """The same cycles as shares of a larger energy: usable depth times usable over nominal."""
        return Cycles(self.depth * share, self.count)

    def by_depth(self, bins: int = 10) -> np.ndarray:
        """Full cycles spent in each of so many equal bands of depth, shallow first."""
        edges = np.linspace(0.0, 1.0, bins + 1)
        spent, _ = np.histogram(np.minimum(self.depth, 1.0), bins=edges, weights=self.depth * self.count)
        return spent


def turning_points(level: np.ndarray | list[float]) -> np.ndarray:
    """First, last, and every value of a series at which it turns."""
    level = np.asarray(level, dtype=float)
    moves = level[np.append(True, np.diff(level) != 0.0)]
    if moves.size < 3:
        return moves
    turns = np.sign(np.diff(moves))
    inside = np.flatnonzero(turns[1:] != turns[:-1]) + 1
    return moves[np.concatenate([[0], inside, [moves.size - 1]])]


def count_cycles(level: np.ndarray) -> Cycles:
    """Cycles of a level series by rainflow counting.

    Parameters
    ----------
    level : ndarray
        State of charge as a share of usable energy, 0 to 1.

    References
    ----------
    ASTM E1049-85 (2017), 5.4.4 rainflow counting; package rainflow.
    """
    import rainflow

    found = [(span, count) for span, _, count, _, _ in rainflow.extract_cycles(turning_points(level).tolist())]
    spans = np.array(found, dtype=float).reshape(-1, 2)
    spans = spans[spans[:, 0] >= SMALLEST_DEPTH]
    return Cycles(spans[:, 0], spans[:, 1])


def cycles_at(depth: np.ndarray | float | list[float], depths: list[float], lives: list[float]) -> np.ndarray:
    """Cycles survived at a depth, straight in logarithms between the datasheet's points.

    Parameters
    ----------
    depth : ndarray
        Depth of discharge, above 0.
    depths, lives : sequence of float
        The points, in any order. Beyond them the nearest stretch is drawn on; one point alone stands for an
        exponent of 1, the same energy at any depth.
    """
    x, y, slopes = _life_line(tuple(depths), tuple(lives))
    depth = np.log(np.maximum(depth, 1e-6))
    piece = np.minimum(np.maximum(x.searchsorted(depth) - 1, 0), slopes.size - 1)
    return np.asarray(np.exp(y[piece] + slopes[piece] * (depth - x[piece])))


@lru_cache(maxsize=64)
def _life_line(depths: tuple[float, ...], lives: tuple[float, ...]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Logarithms of the points, shallow first, and the slope from each to the next; of one point alone -1."""
    order = np.argsort(depths)
    x, y = np.log(np.asarray(depths, dtype=float)[order]), np.log(np.asarray(lives, dtype=float)[order])
    return x, y, np.diff(y) / np.diff(x) if x.size > 1 else np.array([-1.0])


def life_exponent(depths: list[float], lives: list[float]) -> float:
    """Exponent b of lives = a depth^-b through the shallowest and the deepest point; 1 with one point alone."""
    if len(depths) == 1:
        return 1.0
    shallow, deep = int(np.argmin(depths)), int(np.argmax(depths))
    return float(np.log(lives[shallow] / lives[deep]) / np.log(depths[deep] / depths[shallow]))


def cycle_fade(cycles: Cycles, depths: list[float], lives: list[float], cycles_to: float) -> float:
    """Share of capacity that cycles take.

    Each cycle takes its part of the life that the datasheet gives at its depth; a whole life takes
    1 - `cycles_to`.

    References
    ----------
    Miner 1945, linear accumulation of damage.
    """
    if not cycles.depth.size:
        return 0.0
    return float((1.0 - cycles_to) * (cycles.count / cycles_at(cycles.depth, depths, lives)).sum())


def left_by_year(
    years: int,
    air_c: float,
    ten_years: float,
    turned_a_year: float,
    depth_a_day: float,
    depths: list[float],
    lives: list[float],
    cycles_to: float,
) -> np.ndarray:
    """Capacity left in the middle of each year, from a year's throughput instead of its cycles one by one.

    Parameters
    ----------
    years : int
        How many.
    air_c : float
        Mean temperature of the battery [degC].
    ten_years : float
        Share lost in ten years at 25 degC.
    turned_a_year : float
        Energy given in a year over nominal energy.
    depth_a_day : float
        Depth of the cycle of a mean day, share of nominal energy, above 0 where there are cycles.
    depths, lives : sequence of float
        The datasheet's cycle life.
    cycles_to : float
        What is left after it.

    Returns
    -------
    ndarray, shape (years,)
    """
    middles = np.arange(years) + 0.5
    stood = calendar_fade(1.0, air_c, ten_years) * np.sqrt(middles)
    worn = 0.0
    if turned_a_year > 0.0 and depth_a_day > 0.0:
        a_year = turned_a_year / depth_a_day
        worn = (1.0 - cycles_to) * a_year / float(cycles_at(depth_a_day, depths, lives))
    return np.maximum(1.0 - stood - worn * middles, 0.0)


def calendar_fade(years: float, air_c: np.ndarray | float, ten_years: float) -> float:
    """Share of capacity that standing takes, growing with the root of time.

    Parameters
    ----------
    years : float
        Years from new.
    air_c : ndarray or float
        Temperature of the battery over the year [degC].
    ten_years : float
        Share lost in ten years at 25 degC.
    """
    warmth = float(np.mean(2.0 ** ((np.asarray(air_c) - REFERENCE_C) / DOUBLES_PER_C)))
    return ten_years * float(np.sqrt(max(years, 0.0) / 10.0 * warmth))
