"""Modules laid into a rectangle in straight rows."""

from dataclasses import dataclass
from math import floor


@dataclass(frozen=True)
class Packing:
    """Rows and columns of modules in a rectangle; `upright` says that their long side runs up the slope.

    Sizes of one module as it lies [m].
    """

    rows: int
    columns: int
    upright: bool
    across_m: float
    up_m: float

    @property
    def count(self) -> int:
        """Modules that fit."""
        return self.rows * self.columns


def pack_rectangle(
    width_m: float,
    height_m: float,
    margin_m: float,
    gap_m: float,
    length_m: float,
    breadth_m: float,
    layout: str = "best",
) -> Packing:
    """How many modules a rectangle holds, all lying the same way.

    Parameters
    ----------
    width_m, height_m : float
        Rectangle along the eaves and up the slope [m].
    margin_m : float
        Kept free on every side [m].
    gap_m : float
        Between two modules [m].
    length_m, breadth_m : float
        Long and short side of a module [m].
    layout : {"best", "upright", "lying"}
        "best" takes what holds more, upright when both hold as many.

    Returns
    -------
    Packing
        With no rows or no columns where not even one module fits.
    """

    def fit(upright: bool) -> Packing:
        across, up = (breadth_m, length_m) if upright else (length_m, breadth_m)
        columns = _along(width_m - 2 * margin_m, across, gap_m)
        return Packing(_along(height_m - 2 * margin_m, up, gap_m), columns, upright, across, up)

    if layout != "best":
        return fit(layout == "upright")
    return max(fit(True), fit(False), key=lambda packing: (packing.count, packing.upright))


def _along(room_m: float, size_m: float, gap_m: float) -> int:
    # A millionth of a metre forgives the rounding of sums that fit exactly.
    return max(0, floor((room_m + gap_m + 1e-6) / (size_m + gap_m)))
