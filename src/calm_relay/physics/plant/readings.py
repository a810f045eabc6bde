"""What is read off a run's series in one pass each: compiled, because a plan reads them for every option."""

import numpy as np

from calm_relay.physics.compiling import compiled


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
        # Where nothing fell, 0 is added: sums are quicker than a branch that cannot be foreseen.
        given += max(stored[t - 1] - stored[t], 0.0)
    return given


# Steps that are summed before they are added to what came before: long sums keep their last digits so.
BLOCK = 256
# Steps that are worked on before the next are taken.
LONG = 2048


@compiled
def bus_totals(
    home: np.ndarray, imported: np.ndarray, exported: np.ndarray
) -> tuple[float, float, float, float, float]:
    """Sums of the three series of a bus, each of shape (steps,), and the highest that is imported and exported."""
    homes, imports, exports, highest, most = 0.0, 0.0, 0.0, 0.0, 0.0
    for first in range(0, home.size, BLOCK):
        h, i, e = 0.0, 0.0, 0.0
        for t in range(first, min(first + BLOCK, home.size)):
            h += home[t]
            i += imported[t]
            e += exported[t]
            highest = max(highest, imported[t])
            most = max(most, exported[t])
        homes += h
        imports += i
        exports += e
    return homes, imports, exports, highest, most


@compiled
def priced(
    imported: np.ndarray, price: np.ndarray, exported: np.ndarray, feed_in: np.ndarray
) -> tuple[float, float]:
    """Sums of what is imported at its price and of what is exported at its own; all of shape (steps,)."""
    paid, earned = 0.0, 0.0
    for first in range(0, imported.size, BLOCK):
        p, e = 0.0, 0.0
        for t in range(first, min(first + BLOCK, imported.size)):
            p += imported[t] * price[t]
            e += exported[t] * feed_in[t]
        paid += p
        earned += e
    return paid, earned


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


@compiled
def phase_peaks(
    home_kw: np.ndarray,
    loads_kw: np.ndarray,
    loads_on: np.ndarray,
    ac_side: np.ndarray,
    units_on: np.ndarray,
    imported: np.ndarray,
    exported: np.ndarray,
) -> np.ndarray:
    """The most that each phase draws in a step, and the most that it feeds; 0 where it does so in none.

    Parameters
    ----------
    home_kw : ndarray, shape (phases, steps)
        What the home takes, without its controlled loads [kW].
    loads_kw : ndarray, shape (loads, steps)
        What controlled loads take [kW].
    loads_on : ndarray, shape (loads, phases)
        The share of each on each phase.
    ac_side : ndarray, shape (units, 2, steps)
        What each unit gives, and what it draws for itself [kW].
    units_on : ndarray, shape (units, phases)
        The share of each on each phase.
    imported, exported : ndarray, shape (steps,)
        What all phases together take from the grid and give to it [kW].

    Returns
    -------
    ndarray, shape (2, phases)
    """
    phases, steps = home_kw.shape
    units, apart = ac_side.shape[0], np.zeros(ac_side.shape[0], dtype=np.bool_)
    for j in range(units):
        apart[j] = (units_on[j] != units_on[j, 0]).any()
    peaks, share = np.zeros((2, phases)), 1.0 / phases
    drawn = np.empty((phases, min(LONG, steps)))
    # A stretch at a time, which stays at hand to the processor.
    for first in range(0, steps, LONG):
        last = min(first + LONG, steps)
        size = last - first
        # What units that are spread evenly give together is told by the bus.
        even = exported[first:last] - imported[first:last]
        for f in range(phases):
            row = drawn[f, :size]
            row[:] = home_kw[f, first:last]
            for k in range(loads_kw.shape[0]):
                if loads_on[k, f] != 0.0:
                    row += loads_on[k, f] * loads_kw[k, first:last]
            even += row
        for j in range(units):
            if not apart[j]:
                continue
            given = ac_side[j, 0, first:last] - ac_side[j, 1, first:last]
            even -= given
            for f in range(phases):
                if units_on[j, f] != 0.0:
                    row = drawn[f, :size]
                    row -= units_on[j, f] * given
        for f in range(phases):
            # Two of each kind that do not wait for each other.
            row, pairs = drawn[f, :size], size - size % 2
            a, b, c, d = peaks[0, f], 0.0, -peaks[1, f], 0.0
            for t in range(0, pairs, 2):
                here, then = row[t] - share * even[t], row[t + 1] - share * even[t + 1]
                a, b = max(a, here), max(b, then)
                c, d = min(c, here), min(d, then)
            for t in range(pairs, size):
                a, c = max(a, row[t] - share * even[t]), min(c, row[t] - share * even[t])
            peaks[0, f], peaks[1, f] = max(a, b), -min(c, d)
    return peaks
