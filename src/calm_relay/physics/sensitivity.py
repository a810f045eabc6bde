"""Latin hypercube draws, and which input a result varies with most."""

import numpy as np


def latin_hypercube(draws: int, inputs: int, seed: int) -> np.ndarray:
    """Draws that fill each input's range evenly.

    Parameters
    ----------
    draws, inputs : int
        Rows and columns.
    seed : int
        The same makes the same.

    Returns
    -------
    ndarray, shape (draws, inputs)
        Between 0 and 1; each column has one draw in each of as many equal parts.

    References
    ----------
    McKay, Beckman and Conover 1979, Technometrics 21(2), through scipy.
    """
    from scipy.stats import qmc

    return np.asarray(qmc.LatinHypercube(inputs, seed=seed).random(draws))


def first_order(inputs: np.ndarray, result: np.ndarray, bins: int = 12) -> np.ndarray:
    """First-order indices: the share of a result's variance that each input explains by itself.

    Parameters
    ----------
    inputs : ndarray, shape (draws, inputs)
        Independent of each other.
    result : ndarray, shape (draws,)
        Of each draw.
    bins : int
        Parts of equal counts that each input's range is cut into; one that has fewer values is taken value by value.

    Returns
    -------
    ndarray, shape (inputs,)
        Between 0 and 1; 0 where the result does not vary.

    References
    ----------
    Saltelli et al. 2008, Global Sensitivity Analysis: The Primer: S = Var(E(Y|X)) / Var(Y), by means of bins, less what
    means of so few draws vary by themselves.
    """
    draws, count = inputs.shape
    whole = float(result.var())
    if whole <= 1e-18 * max(float(np.abs(result).max()), 1e-9) ** 2:
        return np.zeros(count)
    found = np.zeros(count)
    for number in range(count):
        parts = _parts(inputs[:, number], result, bins)
        means, sizes = np.array([part.mean() for part in parts]), np.array([part.size for part in parts])
        between = float((sizes * (means - result.mean()) ** 2).sum() / draws)
        within = float(sum(part.var() * part.size for part in parts) / draws)
        noise = within * (len(parts) - 1) / max(draws - len(parts), 1)
        found[number] = max(between - noise, 0.0) / whole
    return np.minimum(found, 1.0)


def _parts(values: np.ndarray, result: np.ndarray, bins: int) -> list[np.ndarray]:
    """The result parted by an input."""
    known = np.unique(values)
    if known.size <= bins:
        return [result[values == value] for value in known]
    return np.array_split(result[np.argsort(values)], bins)
