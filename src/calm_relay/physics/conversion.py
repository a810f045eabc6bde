"""Load-dependent conversion losses of an inverter or rectifier.

One polynomial serves both directions, with P the power on the AC side:
P_loss = k0 P_rated + k1 P + k2 P^2 / P_rated.
The solvers are imported where they are used: that import takes longer than a whole warm plan.
"""

from dataclasses import dataclass

import numpy as np

EUROPEAN_WEIGHTS = ((0.05, 0.03), (0.10, 0.06), (0.20, 0.13), (0.30, 0.10), (0.50, 0.48), (1.00, 0.20))
CEC_WEIGHTS = ((0.10, 0.04), (0.20, 0.05), (0.30, 0.12), (0.50, 0.21), (0.75, 0.53), (1.00, 0.05))
WEIGHTS = {"european": EUROPEAN_WEIGHTS, "cec": CEC_WEIGHTS}


@dataclass(frozen=True)
class LossCurve:
    """Coefficients k0, k1, k2 of the loss polynomial; none is negative."""

    k0: float
    k1: float
    k2: float

    def efficiency(self, load: np.ndarray | float | tuple[float, float, float, float]) -> np.ndarray | float:
        """AC over DC power of an inverter at a load, the fraction of rated AC power."""
        load = np.asarray(load, dtype=float)
        return 1.0 / (1.0 + self.k0 / load + self.k1 + self.k2 * load)

    def rectified_kw(self, ac_kw: float, rated_kw: float) -> float:
        """DC power a rectifier gives when it draws AC power, at least 0 [kW]."""
        loss = self.k0 * rated_kw + self.k1 * ac_kw + self.k2 * ac_kw**2 / rated_kw
        return max(ac_kw - loss, 0.0)

    def weighted_efficiency(self, weighting: str = "european") -> float:
        """Weighted mean of the efficiency over a standard's load points.

        Parameters
        ----------
        weighting : {"european", "cec"}
            How the weighted efficiency weighs its loads.

        References
        ----------
        European efficiency: EN 50530, Annex D. CEC efficiency: Sandia performance test protocol of 2004.
        """
        return float(sum(weight * self.efficiency(load) for load, weight in WEIGHTS[weighting]))


LOSSLESS = LossCurve(0.0, 0.0, 0.0)


def fit_points(loads: tuple[float, ...], efficiencies: tuple[float, ...] | np.ndarray) -> LossCurve:
    """Loss curve through datasheet efficiency points, by least squares with no negative coefficient.

    Parameters
    ----------
    loads, efficiencies : sequence of float
        Fractions of rated AC power, and AC over DC power there; at least three points.

    Raises
    ------
    ValueError
        With fewer than three points, or an efficiency outside (0, 1].
    """
    at, efficiency = np.asarray(loads, dtype=float), np.asarray(efficiencies, dtype=float)
    if at.size < 3:
        raise ValueError(f"{at.size} efficiency points; wanted at least 3")
    if np.any(at <= 0) or np.any(efficiency <= 0) or np.any(efficiency > 1):
        raise ValueError("wanted loads above 0 and efficiencies above 0 and at most 1")
    relative_loss = 1.0 / efficiency - 1.0
    matrix = np.column_stack([1.0 / at, np.ones_like(at), at])
    from scipy.optimize import nnls

    coefficients, _ = nnls(matrix, relative_loss)
    return LossCurve(*(float(k) for k in coefficients))


def fit_peak_and_weighted(
    peak: float, weighted: float, weighting: str = "european", peak_at: float = 0.4
) -> LossCurve:
    """Loss curve with a given peak and weighted efficiency.

    The load at which the peak stands is seldom printed and is an argument; k1 takes what is left.

    Parameters
    ----------
    peak, weighted : float
        Efficiencies, 0 to 1.
    weighting : {"european", "cec"}
        How the weighted efficiency weighs its loads.
    peak_at : float
        Load of the peak, fraction of rated AC power.

    Raises
    ------
    ValueError
        When no curve without negative coefficients has both figures.
    """
    loss_at_peak = 1.0 / peak - 1.0

    def curve(k0: float) -> LossCurve:
        return LossCurve(k0, loss_at_peak - 2.0 * k0 / peak_at, k0 / peak_at**2)

    steepest = loss_at_peak * peak_at / 2.0
    if weighted > peak or curve(steepest).weighted_efficiency(weighting) > weighted:
        raise ValueError(
            f"no loss curve peaks at {peak:.1%} near {peak_at:.0%} load with {weighted:.1%} {weighting} weighted; "
            f"wanted {curve(steepest).weighted_efficiency(weighting):.1%} to {peak:.1%}"
        )
    from scipy.optimize import brentq

    k0 = brentq(lambda k: curve(k).weighted_efficiency(weighting) - weighted, 0.0, steepest, xtol=1e-12)
    return curve(float(k0))
