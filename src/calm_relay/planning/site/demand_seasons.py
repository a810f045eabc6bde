"""How much a home uses in midwinter over the yearly mean, as long as nobody has said: by the warmth of its months."""

from calm_relay.job.library import Climate

# What each degree below or above adds to a month's use, of the mean, and where both end: common practice, no source.
HEATED_BELOW_C, PER_DEGREE_OF_COLD = 18.0, 0.014
COOLED_ABOVE_C, PER_DEGREE_OF_HEAT = 22.0, 0.03
LEAST, MOST = 0.7, 1.25


def usual_winter_factor(climate: Climate, latitude: float) -> float:
    """Midwinter use over the yearly mean, where heat does not come by electricity alone.

    Parameters
    ----------
    climate : Climate
        Of the place.
    latitude : float
        Degrees north; says which month is midwinter.

    Returns
    -------
    float
        To two decimals: 1.25 where winters freeze, below 1 where summers are cooled.
    """
    winter, summer = (0, 6) if latitude >= 0.0 else (6, 0)
    more = _drawn(climate.temp_c[winter]) - _drawn(climate.temp_c[summer])
    return round(min(max(1.0 + more, LEAST), MOST), 2)


def _drawn(air_c: float) -> float:
    cold, heat = max(HEATED_BELOW_C - air_c, 0.0), max(air_c - COOLED_ABOVE_C, 0.0)
    return PER_DEGREE_OF_COLD * cold + PER_DEGREE_OF_HEAT * heat
