"""What is read off a run's series in one pass each: compiled, because a plan reads them for every option."""

import numpy as np

from calm_relay.physics.plant.converter import compiled


@compiled
def split_sum(series: np.ndarray) -> tuple[float, float]:
    """Sum of what is above 0 and of what is below it, as a positive figure; shape (steps,)."""
    above, below = 0.0, 0.0
    for value in series:
        if value > 0.0:
            above += value
        else:
            below -= value
    return above, below


@compiled
def given_by(stored: np.ndarray) -> float:
    """What a battery gave in all by the falls of its stored energy, shape (steps,) [kWh]."""
    given = 0.0
    for t in range(1, stored.size):
        if stored[t] < stored[t - 1]:
            given += stored[t - 1] - stored[t]
    return given


@compiled
def dot(one: np.ndarray, other: np.ndarray) -> float:
    """Sum of products of two series of shape (steps,), without threads of its own."""
    total = 0.0
    for t in range(one.size):
        total += one[t] * other[t]
    return total


@compiled
def imported_while_held(stored: np.ndarray, before: float, imported: np.ndarray, above: float) -> float:
    """Sum of what was imported in steps in which a battery gave and held more than so much [kWh]; shapes (steps,).

    `before` is the energy stored before the first step.
    """
    total = 0.0
    for t in range(stored.size):
        if stored[t] < before and stored[t] > above:
            total += imported[t]
        before = stored[t]
    return total


@compiled
def highest_sum(load: np.ndarray, more: np.ndarray, share: float) -> tuple[float, int, int]:
    """Highest of loads with a share of another series on top: the figure, its row and its step.

    Parameters
    ----------
    load : ndarray, shape (rows, steps)
        The loads.
    more : ndarray, shape (steps,)
        Only what is below 0 counts, and counts as a load.
    share : float
        Of the other series, on each row.
    """
    best, row, step = -np.inf, 0, 0
    for i in range(load.shape[0]):
        for t in range(load.shape[1]):
            value = load[i, t] + share * max(-more[t], 0.0)
            if value > best:
                best, row, step = value, i, t
    return best, row, step
