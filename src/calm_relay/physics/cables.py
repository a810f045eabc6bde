"""Conductors: resistance, voltage drop, heat in a short circuit, and what a cable loses."""

import numpy as np

# Temperature coefficient of resistance at 20 degC, copper and aluminium alike within a hundredth: IEC 60228, annex A.
PER_C = 0.00393
# Adiabatic constant k [A s^0.5 / mm2] from the insulation's working temperature to the end that it bears: IEC
# 60364-5-54, table A.54.4 (from memory).
ADIABATIC = {
    ("copper", "70 °C"): 115.0,
    ("copper", "90 °C"): 143.0,
    ("aluminium", "70 °C"): 76.0,
    ("aluminium", "90 °C"): 94.0,
}
# Conductors of the path that carry the current: out and back, or, over balanced phases, out alone; without neutral
# the drop is told between phases.
PATH = {"dc": 2.0, "single": 2.0, "split": 2.0, "three": 1.0, "two-wire": 2.0, "three-wire": 3.0**0.5}


def resistance_ohm_per_km(at_20: float, temp_c: float, per_c: float = PER_C) -> float:
    """Resistance of a conductor at a temperature.

    Parameters
    ----------
    at_20 : float
        At 20 degC [ohm/km].
    temp_c : float
        Temperature of the conductor [degC].
    per_c : float
        Temperature coefficient at 20 degC [1/degC].

    Returns
    -------
    float
        Resistance [ohm/km].

    References
    ----------
    IEC 60228, annex A.
    """
    return at_20 * (1.0 + per_c * (temp_c - 20.0))


def voltage_drop_v(
    amps: float, ohm_per_km: float, length_m: float, circuit: str, power_factor: float = 1.0
) -> float:
    """Voltage that a cable takes; on three phases of the voltage to neutral, between them where there is none.

    Reactance is left out.

    Parameters
    ----------
    amps : float
        Current of a conductor [A].
    ohm_per_km : float
        Resistance of a conductor when warm [ohm/km].
    length_m : float
        One way [m].
    circuit : {"dc", "single", "split", "three", "two-wire", "three-wire"}
        What carries the current back; see `PATH`.
    power_factor : float
        Cosine of the angle between voltage and current.

    Returns
    -------
    float
        Voltage drop [V].

    References
    ----------
    IEC 60364-5-52, annex G, without its reactive term: below 50 mm2 that is small.
    """
    return PATH[circuit] * amps * ohm_per_km * length_m / 1000.0 * power_factor


def heat_w(amps: float, ohm_per_km: float, length_m: float, loaded: int) -> float:
    """What a cable turns into heat.

    Parameters
    ----------
    amps : float
        Current of a conductor [A].
    ohm_per_km : float
        Resistance of a conductor when warm [ohm/km].
    length_m : float
        One way [m].
    loaded : int
        Conductors that carry the current.

    Returns
    -------
    float
        Heat [W].
    """
    return loaded * amps**2 * ohm_per_km * length_m / 1000.0


def conductor_temp_c(amps: float, capacity_a: float, ambient_c: float, most_c: float) -> float:
    """Temperature of a conductor that carries less than it may.

    Parameters
    ----------
    amps, capacity_a : float
        What it carries, and what it may carry where it lies [A].
    ambient_c : float
        Temperature around it [degC].
    most_c : float
        What its insulation bears [degC].

    Returns
    -------
    float
        Temperature [degC], `most_c` at most.

    References
    ----------
    Heat rises with the square of the current: BS 7671, appendix 4, 6.1.
    """
    if capacity_a <= 0.0:
        return most_c
    return min(most_c, ambient_c + (most_c - ambient_c) * (amps / capacity_a) ** 2)


def least_area_mm2(let_through_a2s: float, adiabatic: float) -> float:
    """Area that bears the energy of a short circuit without losing heat to its surroundings.

    Parameters
    ----------
    let_through_a2s : float
        Integral of the squared current until the protective device has cleared [A2 s].
    adiabatic : float
        Constant of conductor and insulation, see `ADIABATIC` [A s^0.5 / mm2].

    Returns
    -------
    float
        Area [mm2].

    References
    ----------
    IEC 60364-4-43, 434.5.2, and IEC 60364-5-54, 543.1.2.
    """
    return float(np.sqrt(let_through_a2s)) / adiabatic
