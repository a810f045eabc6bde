"""What a stretch of live readings says: the sky over the strings, a meter turned round, a battery's true energy."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from calm_relay.physics.plant.parts import BatteryPart
from calm_relay.planning.common.amounts import figure_text

# Shares of a clear sky's beam and diffuse light that are tried.
BEAMS, DIFFUSES = np.linspace(0.0, 1.2, 49), np.linspace(0.0, 3.0, 61)
TOO_BRIGHT = 0.4
# A change of an array's power that is none [kW].
STEADY_KW = 0.005
# Swing of a battery's charge from which its energy can be judged, and how near to full and empty nothing counts.
SWING, SWING_ENDS = 0.2, 0.04


class Sample(NamedTuple):
    """One moment, by phase [kW]: grid, what the units give, and the arrays' share of it."""

    grid: tuple[float, ...]
    given: tuple[float, ...]
    pv: tuple[float, ...]


def sky_of(rows: Sequence[tuple[float, float, float]]) -> tuple[float, float, str]:
    """Shares of a clear sky's beam and of its diffuse light that explain what inputs give, and the sky in a word.

    A dead string gives less than its light, never more: a sky too dim for an input counts in full against it, one too
    bright only up to a bound.

    Parameters
    ----------
    rows : sequence of (float, float, float)
        Of each input: amps that the clear beam alone would give, those of the clear diffuse light, and the amps read.
    """
    if not rows or max(beam + diffuse for beam, diffuse, _ in rows) < 0.3:
        return 0.0, 0.0, "no light"
    made = np.array(rows)
    beams, diffuses = (grid.ravel() for grid in np.meshgrid(BEAMS, DIFFUSES, indexing="ij"))
    wanted = np.outer(made[:, 0], beams) + np.outer(made[:, 1], diffuses)
    off = (wanted - made[:, 2:]) / np.maximum(made[:, 2:], 0.3)
    cost = np.where(off < 0.0, -off, np.minimum(off, TOO_BRIGHT)).sum(axis=0) + 0.01 * np.abs(diffuses - 1.0)
    best = int(cost.argmin())
    beam, diffuse = float(beams[best]), float(diffuses[best])
    said = "clear" if beam > 0.8 else "hazy" if beam > 0.3 else "overcast"
    return beam, diffuse, f"the sky judged by the strings: {said}"


def energy_of_swing(readings: Iterable[tuple[float, float, float]], battery: BatteryPart) -> float | None:
    """Usable energy of a battery by its own swing [kWh]; None before it swung far enough.

    What its cells took or gave between its highest and its lowest charge over the change of charge; near full and empty
    the charge shown stands still, so only what lies between counts.

    Parameters
    ----------
    readings : iterable of (float, float, float)
        Seconds, charge [0 to 1] and power at the terminals [kW], in their order.
    battery : BatteryPart
        What is lost on the way between terminals and cells.
    """
    rows = np.array([row for row in readings if SWING_ENDS < row[1] < 1.0 - SWING_ENDS])
    if len(rows) < 9:
        return None
    # A middle of five: one wild value is not the end of a swing.
    charge = np.median(sliding_window_view(rows[:, 1], 5), axis=1)
    first, last = sorted((int(charge.argmin()), int(charge.argmax())))
    seconds, power = rows[2:-2, 0][first : last + 1], battery.drained_by(rows[2:-2, 2][first : last + 1])
    swing = abs(float(charge[last] - charge[first]))
    hours = np.diff(seconds) / 3600.0
    if swing < SWING or hours.max(initial=0.0) > 1.0:
        return None
    return abs(float((0.5 * (power[1:] + power[:-1]) * hours).sum())) / swing


def meter_turned(samples: Sequence[Sample], home: float, meter_kw: float, most: float) -> str:
    """What speaks for a current transformer that points the wrong way; empty where nothing does.

    Parameters
    ----------
    samples : sequence of Sample
        The latest last.
    home, meter_kw : float
        What the home takes now by meter and units, and the meter alone [kW].
    most : float
        The home's highest demand in the plan's year [kW].
    """
    if not samples:
        return ""
    phases = len(samples[-1].grid)
    for phase in range(phases):
        where = "" if phases == 1 else f" on phase {phase + 1}"
        turn = f"Turn the meter's current transformer{where} round, its arrow towards the grid."
        home_kw = [item.grid[phase] + item.given[phase] for item in samples if len(item.grid) == phases]
        below = [taken for taken in home_kw if taken < -0.15]
        if len(below) >= max(4, 0.04 * len(home_kw)):
            taken = min(below)
            return (
                f"At times the home would take {figure_text(taken, 1)} kW{where}, less than nothing: the meter counts "
                f"the wrong way. {turn}"
            )
        if _runs_along(samples, phase):
            return (
                f"When the arrays give more, the meter shows more import{where} instead of less: it counts the "
                f"wrong way. {turn}"
            )
    other = home - 2.0 * meter_kw
    if phases == 1 and home > 1.25 * most + 0.3 and -0.1 <= other <= most:
        return (
            f"The home would take {home:.1f} kW, more than ever in the plan's year; with the meter's sign turned "
            f"it takes {other:.1f} kW: it counts the wrong way. Turn its current transformer round."
        )
    return ""


def _runs_along(samples: Sequence[Sample], phase: int) -> bool:
    """Whether a phase's import rises with the arrays' power: it never does where the meter counts right.

    The slope of one over the other is -1 where nothing else changes and 0 where a battery takes what comes; a
    slope above 0.4, four times its own standard error, is a sign turned round. It is too where units of other phases
    answer the same sun on this one; then what the home takes by the meter and the units does not run along: turned
    round, it rises by twice what comes through. Steeper than a sign can make it, it is something else that happens
    in the same minutes. A steady rise says it once, however often it is read: only its changes count.
    """
    rows = np.array(
        [(item.grid[phase], item.given[phase], item.pv[phase]) for item in samples if len(item.grid) > phase]
    )
    if len(rows) < 15:
        return False
    grid, given, pv = np.diff(rows, axis=0).T
    moves = np.concatenate([[True], np.abs(np.diff(pv)) > STEADY_KW]) & (np.abs(pv) > STEADY_KW)
    if np.abs(pv).sum() < 0.3 or moves.sum() < 8:
        return False
    count = int(moves.sum())
    return _slope_within(grid, pv, count, 0.4, 1.4) and _slope_within(grid + given, pv, count, 0.8, 2.4)


def _slope_within(value: np.ndarray, along: np.ndarray, count: int, least: float, most: float) -> bool:
    """Whether the slope of one series over another is within bounds, and four times its own standard error.

    `count` says how many of the readings are no mere repetition.
    """
    power = float((along**2).sum())
    slope = float((value * along).sum()) / power
    left = float(((value - slope * along) ** 2).sum()) / len(along)
    spread = float(np.sqrt(left / (count - 1) / (power / len(along))))
    return least < slope < most and slope > 4.0 * spread
