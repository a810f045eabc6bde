"""Voltages and currents of a string of modules over temperature."""


def cold_open_circuit_v(
    open_circuit_v: float, temp_coefficient_per_c: float, in_series: int, cell_min_c: float
) -> float:
    """Open-circuit voltage of a series string on the coldest morning.

    Parameters
    ----------
    open_circuit_v : float or ndarray
        Module open-circuit voltage at 25 degC [V].
    temp_coefficient_per_c : float or ndarray
        Relative coefficient, negative for silicon [1/degC].
    in_series : int or ndarray
        Modules in series.
    cell_min_c : float or ndarray
        Lowest cell temperature in daylight [degC].

    Returns
    -------
    float or ndarray
        String voltage [V].

    References
    ----------
    IEC 62548-1:2023, 6.2 (maximum array voltage).
    """
    return in_series * open_circuit_v * (1 + temp_coefficient_per_c * (cell_min_c - 25.0))


# Lower edge of each ambient band [degC] and its factor, crystalline silicon.
COLD_FACTORS = (
    (20, 1.02),
    (15, 1.04),
    (10, 1.06),
    (5, 1.08),
    (0, 1.10),
    (-5, 1.12),
    (-10, 1.14),
    (-15, 1.16),
    (-20, 1.18),
    (-25, 1.20),
    (-30, 1.21),
    (-35, 1.23),
    (-40, 1.25),
)


def cold_table_factor(ambient_min_c: float) -> float:
    """Voltage correction factor for crystalline silicon by the table method.

    Parameters
    ----------
    ambient_min_c : float
        Lowest expected ambient temperature [degC].

    Raises
    ------
    ValueError
        Below -40 degC, where the table ends.

    References
    ----------
    NEC table 690.7(A); values quoted from memory.
    """
    if ambient_min_c >= 25:
        return 1.0
    for edge, factor in COLD_FACTORS:
        if ambient_min_c >= edge:
            return factor
    raise ValueError(f"{ambient_min_c:g} degC is below the table's -40 degC")


def hot_max_power_v(max_power_v: float, temp_coefficient_per_c: float, in_series: int, cell_max_c: float) -> float:
    """Maximum-power voltage of a series string when the cells are hottest [V].

    Parameters
    ----------
    max_power_v : float
        Module voltage at maximum power, 25 degC [V].
    temp_coefficient_per_c : float
        Relative coefficient of Vmp [1/degC].
    in_series : int
        Modules in series.
    cell_max_c : float
        Highest cell temperature [degC].
    """
    return in_series * max_power_v * (1 + temp_coefficient_per_c * (cell_max_c - 25.0))


def reverse_current_a(short_circuit_a: float, parallel: int) -> float:
    """Current that the other strings can drive backwards through one that fails [A].

    Parameters
    ----------
    short_circuit_a : float
        Module short-circuit current [A].
    parallel : int
        Strings in parallel.

    References
    ----------
    IEC 62548-1:2023, 6.3 (string overcurrent protection), from memory.
    """
    return max(parallel - 1, 0) * short_circuit_a


# Sizes of string fuses on the market [A]: common practice, no source.
FUSE_SIZES_A = (8.0, 10.0, 12.0, 15.0, 16.0, 20.0, 25.0, 30.0, 32.0)


def string_fuse_a(short_circuit_a: float, series_fuse_a: float, method: str = "IEC") -> float | None:
    """Smallest fuse on the market that protects a string without blowing in full sun [A]; None when none does.

    Parameters
    ----------
    short_circuit_a : float
        Module short-circuit current [A].
    series_fuse_a : float
        Largest series fuse the module allows [A].
    method : {"IEC", "NEC"}
        IEC: within 1.5 to 2.4 Isc; NEC: at least 1.56 Isc.

    References
    ----------
    IEC 62548-1:2023, 6.5; NEC 690.9(B); from memory.
    """
    low, high = (1.5, 2.4) if method == "IEC" else (1.56, float("inf"))
    for size in FUSE_SIZES_A:
        if low * short_circuit_a <= size <= min(high * short_circuit_a, series_fuse_a):
            return size
    return None
