"""What a generator burns at part load."""

import numpy as np


def litres_an_hour(
    given_kw: np.ndarray, rated_kw: float, litres_per_kwh: float, no_load_share: float
) -> np.ndarray:
    """Fuel a generator burns while it gives some power; one that gives nothing is off.

    A straight line from no load to full load: Skarstein and Uhlen, "Design considerations with respect to long-term
    diesel saving in wind/diesel plants", Wind Engineering 13 (1989).

    Parameters
    ----------
    given_kw : ndarray
        What it gives [kW].
    rated_kw : float
        Its full load [kW].
    litres_per_kwh : float
        What it burns for a kWh at full load [l].
    no_load_share : float
        What it burns an hour at no load, of that at full load, 0 to 1.

    Returns
    -------
    ndarray
        Of the same shape [l/h].
    """
    load_kw = no_load_share * rated_kw + (1.0 - no_load_share) * given_kw
    return np.where(given_kw > 0.0, litres_per_kwh * load_kw, 0.0)
