"""Several that form an island together, each with a battery at a level of its own."""

from typing import NamedTuple

import numpy as np

from calm_relay.physics.compiling import inlined


class Pool(NamedTuple):
    """Those that form the grid together, each with a battery at a level of its own; without entries where one forms it.

    They part what is asked by what each can give, as inverters that share a frequency do; one whose battery is empty
    leaves its part to the others, and with it the limit of the whole falls.

    Attributes
    ----------
    usable_kwh, gives_kw, takes_kw : ndarray, shape (forming,)
        Energy of each battery [kWh], and the power by which each takes its part of giving and of charging [kW].
    stored, part : ndarray, shape (forming,)
        Energy in each [kWh], and what it had of the step's change; to work in.
    levels, shares : ndarray, shape (forming, steps or 0)
        Energy in each at the end of each step [kWh], and its part of what all did in the step.
    """

    usable_kwh: np.ndarray
    gives_kw: np.ndarray
    takes_kw: np.ndarray
    stored: np.ndarray
    part: np.ndarray
    levels: np.ndarray
    shares: np.ndarray


_NONE, _NO_STEPS = np.zeros(0), np.zeros((0, 0))


ALONE = Pool(_NONE, _NONE, _NONE, _NONE, _NONE, _NO_STEPS, _NO_STEPS)


# What counts as empty or full of a battery among others [kWh].
NO_ENERGY = 1e-9


@inlined
def with_energy(pool: Pool, cut_off: float) -> float:
    """Part of the power of those that form the grid together which has energy behind it."""
    able, whole = 0.0, 0.0
    for i in range(pool.stored.size):
        whole += pool.gives_kw[i]
        if pool.stored[i] > cut_off * pool.usable_kwh[i] + NO_ENERGY:
            able += pool.gives_kw[i]
    return able / whole if whole > 0.0 else 1.0


@inlined
def with_room(pool: Pool) -> float:
    """Part of their charging power which has room behind it."""
    able, whole = 0.0, 0.0
    for i in range(pool.stored.size):
        whole += pool.takes_kw[i]
        if pool.stored[i] < pool.usable_kwh[i] - NO_ENERGY:
            able += pool.takes_kw[i]
    return able / whole if whole > 0.0 else 1.0


@inlined
def part_out(pool: Pool, change: float, cut_off: float) -> None:
    """Parts a step's change of all their energy [kWh]: by power, within what each holds or has room for."""
    giving, left = change < 0.0, abs(change)
    for i in range(pool.stored.size):
        pool.part[i] = 0.0
    # Each pass empties or fills one, or parts all that is left.
    for _ in range(pool.stored.size):
        weight = 0.0
        for i in range(pool.stored.size):
            if _free(pool, i, giving, cut_off) > 0.0:
                weight += pool.gives_kw[i] if giving else pool.takes_kw[i]
        if weight <= 0.0 or left <= 0.0:
            break
        whole = left
        for i in range(pool.stored.size):
            free = _free(pool, i, giving, cut_off)
            if free > 0.0:
                own = min(whole * (pool.gives_kw[i] if giving else pool.takes_kw[i]) / weight, free)
                pool.part[i] += own
                left -= own
    if left > 0.0:
        # Below the cut-off, or what rounding leaves: from the fullest, into the emptiest.
        most = 0
        for i in range(pool.stored.size):
            here = pool.stored[i] if giving else pool.usable_kwh[i] - pool.stored[i]
            best = pool.stored[most] if giving else pool.usable_kwh[most] - pool.stored[most]
            most = i if here > best else most
        pool.part[most] += left
    for i in range(pool.stored.size):
        moved = -pool.part[i] if giving else pool.part[i]
        pool.stored[i] = min(max(pool.stored[i] + moved, 0.0), pool.usable_kwh[i])


@inlined
def _free(pool: Pool, i: int, giving: bool, cut_off: float) -> float:
    """What one of them can still give or take of the step's change [kWh]."""
    if giving:
        return max(pool.stored[i] - cut_off * pool.usable_kwh[i] - pool.part[i], 0.0)
    return max(pool.usable_kwh[i] - pool.stored[i] - pool.part[i], 0.0)


@inlined
def keep_parts(pool: Pool, k: int) -> None:
    """Books the levels of those that form the grid together, and what part each had of the step."""
    moved, gives = 0.0, 0.0
    for i in range(pool.stored.size):
        moved += pool.part[i]
        gives += pool.gives_kw[i]
    for i in range(pool.stored.size):
        pool.levels[i, k] = pool.stored[i]
        pool.shares[i, k] = pool.part[i] / moved if moved > 0.0 else pool.gives_kw[i] / gives
