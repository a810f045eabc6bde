"""What an engine gives where the air is thin."""

# Air at sea level and how it thins: International Standard Atmosphere, ISO 2533.
SEA_LEVEL_KPA, THINS_PER_M, THINS_EXPONENT = 101.325, 2.25577e-5, 5.25588
# Air for which an engine's power is stated: ISO 8528-1.
STATED_KPA = 100.0
# Of the power in the cylinders, what is left at the shaft: ISO 3046-1, where its maker states none.
MECHANICAL = 0.8


def air_pressure(elevation_m: float) -> float:
    """Mean pressure of the air at an elevation above the sea [m], by the International Standard Atmosphere [kPa]."""
    return float(SEA_LEVEL_KPA * (1.0 - THINS_PER_M * elevation_m) ** THINS_EXPONENT)


def engine_share(elevation_m: float, full_power_to_m: float | None = None) -> float:
    """Share of its stated power that a diesel or petrol engine gives at an elevation.

    ISO 3046-1 (from memory), an engine that draws its air without a turbocharger, at the temperature for which its
    power is stated: the power in the cylinders falls with the air, what friction takes does not.

    Parameters
    ----------
    elevation_m : float
        Above the sea [m].
    full_power_to_m : float or None
        Up to where its maker states its full power [m]; None for the air of ISO 8528-1.

    Returns
    -------
    float
        From 0 to 1.
    """
    stated = STATED_KPA if full_power_to_m is None else air_pressure(full_power_to_m)
    air = min(air_pressure(elevation_m) / stated, 1.0)
    return max(air - 0.7 * (1.0 - air) * (1.0 / MECHANICAL - 1.0), 0.0)
