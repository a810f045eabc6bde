"""Three phases without neutral: what hangs between two of them flows in both."""

import numpy as np


def line_kva(between_kw: np.ndarray) -> np.ndarray:
    """What each line carries, as its amps times the volts between two lines.

    Parameters
    ----------
    between_kw : ndarray, shape (3, steps)
        What is taken between L1 and L2, L2 and L3, L3 and L1, each current in phase with its voltage; below 0 where it
        is given [kW].

    Returns
    -------
    ndarray, shape (3, steps)
        Of L1, L2 and L3, below 0 where more is given than taken on its two pairs [kVA].

    Notes
    -----
    The currents of two pairs stand 120 degrees apart, and a line carries the one less the other.

    References
    ----------
    Kirchhoff's first law on a delta; for even loads sqrt(3) times what flows between two lines (IEV 141-02-10).
    """
    other = np.roll(between_kw, 1, axis=0)
    size = np.sqrt(between_kw**2 + other**2 + between_kw * other)
    return np.asarray(np.copysign(size, between_kw + other))
