"""Methods for the load of a whole dwelling on its service."""

from math import ceil

# Volt-amperes of lighting and outlets by floor area, of each small-appliance and laundry circuit; what is counted
# whole and the share of the rest; shares of resistance heating in fewer than four, and four or more parts.
# NEC 220.82 (from memory).
PER_M2, CIRCUIT_VA = 3.0 * 10.7639, 1500.0
WHOLE_VA, REST = 10_000.0, 0.4
HEAT_FEW, HEAT_MANY, MANY = 0.65, 0.40, 4
# What is counted whole of a dwelling that stands: NEC 220.83 (from memory).
EXISTING_WHOLE_VA = 8_000.0
# CSA C22.1 8-200(1) and 62-118(3) (from memory). A dwelling by its living area: what the first 90 m2 and each further
# count for; heating counted whole and the share of the rest; a range up to its limit and the share above it; other
# loads counted whole where no range is, and from what nameplate they are loads of their own; the least that a
# service is, and from what area.
BASIC_M2, BASIC_VA, FURTHER_VA = 90.0, 5_000.0, 1_000.0
HEAT_WHOLE_VA, HEAT_REST = 10_000.0, 0.75
RANGE_VA, RANGE_UP_TO_VA, RANGE_REST = 6_000.0, 12_000.0, 0.4
OTHER_FROM_VA, OTHER_WHOLE_VA, OTHER_REST = 1_500.0, 6_000.0, 0.25
LEAST_M2, LEAST_VA, LEAST_SMALL_VA = 80.0, 24_000.0, 14_400.0


def optional_dwelling_va(
    floor_m2: float,
    circuits: int,
    appliances_va: float,
    cooling_va: float = 0.0,
    heat_pump_va: float = 0.0,
    heating_va: float = 0.0,
    heating_parts: int = 1,
    rest: float = REST,
) -> float:
    """Load of a dwelling by the optional method [VA].

    Parameters
    ----------
    floor_m2 : float
        Floor area, outside dimensions [m2].
    circuits : int
        Small-appliance and laundry circuits together.
    appliances_va : float
        Nameplates of fixed appliances, ranges, dryers, water heaters and motors [VA].
    cooling_va, heat_pump_va : float
        Air conditioning, and a heat pump without its resistance heat [VA].
    heating_va : float
        Resistance heating, also that of a heat pump [VA].
    heating_parts : int
        Parts of the heating with a control of their own.
    rest : float
        Share counted of what is general load above the first 10 kVA.

    Raises
    ------
    ValueError
        When a figure is below 0.

    References
    ----------
    NEC 220.82; worked example D2(a) of Annex D (both from memory).
    """
    _check(floor_m2, circuits, appliances_va, cooling_va, heat_pump_va, heating_va)
    counted = _counted_va(floor_m2, circuits, appliances_va, WHOLE_VA, rest)
    share = HEAT_MANY if heating_parts >= MANY else HEAT_FEW
    if heat_pump_va > 0:
        share = HEAT_FEW
    # Heating and cooling never run together: the smaller is let go.
    return counted + max(cooling_va, heat_pump_va + heating_va * share)


def _check(*figures: float) -> None:
    if min(figures) < 0:
        raise ValueError("wanted areas, circuits and loads at or above 0")


def _counted_va(floor_m2: float, circuits: int, appliances_va: float, whole_va: float, rest: float) -> float:
    """Lighting, outlets and appliances: so much of them whole, a share of the rest [VA]."""
    general = floor_m2 * PER_M2 + circuits * CIRCUIT_VA + appliances_va
    return min(general, whole_va) + max(general - whole_va, 0.0) * rest


def existing_dwelling_va(
    floor_m2: float,
    circuits: int,
    appliances_va: float,
    cooling_va: float = 0.0,
    heating_va: float = 0.0,
    rest: float = REST,
) -> float:
    """Load of a dwelling that stands, what is added to it included, by the optional method for its service [VA].

    Parameters
    ----------
    floor_m2 : float
        Floor area, outside dimensions [m2].
    circuits : int
        Small-appliance and laundry circuits together.
    appliances_va : float
        Nameplates of fixed appliances, ranges, dryers, water heaters, chargers and motors, old and new [VA].
    cooling_va, heating_va : float
        Air conditioning, and heating with any heat pump; each is counted whole, and the larger of the two [VA].
    rest : float
        Share counted of what is other load above the first 8 kVA.

    Raises
    ------
    ValueError
        When a figure is below 0.

    References
    ----------
    NEC 220.83(B) (from memory).
    """
    _check(floor_m2, circuits, appliances_va, cooling_va, heating_va)
    counted = _counted_va(floor_m2, circuits, appliances_va, EXISTING_WHOLE_VA, rest)
    return counted + max(cooling_va, heating_va)


def dwelling_by_area_va(
    living_m2: float,
    ranges_va: float,
    others_va: float,
    whole_va: float = 0.0,
    cooling_va: float = 0.0,
    heating_va: float = 0.0,
    rest: float = OTHER_REST,
) -> float:
    """Load of a single dwelling by its living area [VA].

    Parameters
    ----------
    living_m2 : float
        Living area [m2].
    ranges_va : float
        Nameplate of the electric range; 0 without one [VA].
    others_va : float
        Nameplates of dryers, storage water heaters and all else above `OTHER_FROM_VA` each [VA].
    whole_va : float
        What is counted whole: car chargers, tankless water heaters, heaters of pools and tubs [VA].
    cooling_va, heating_va : float
        Air conditioning, and electric heating with any heat pump; the larger counts [VA].
    rest : float
        Share counted of other loads, beyond the first 6 kVA where no range is.

    Raises
    ------
    ValueError
        When a figure is below 0.

    References
    ----------
    CSA C22.1 8-200(1), 8-106(3) and 62-118(3) (from memory).
    """
    _check(living_m2, ranges_va, others_va, whole_va, cooling_va, heating_va)
    basic = BASIC_VA + FURTHER_VA * max(ceil((living_m2 - BASIC_M2) / BASIC_M2 - 1e-9), 0)
    cooking = RANGE_VA + RANGE_REST * max(ranges_va - RANGE_UP_TO_VA, 0.0) if ranges_va > 0.0 else 0.0
    whole_others = 0.0 if ranges_va > 0.0 else min(others_va, OTHER_WHOLE_VA)
    others = whole_others + rest * (others_va - whole_others)
    heat = min(heating_va, HEAT_WHOLE_VA) + HEAT_REST * max(heating_va - HEAT_WHOLE_VA, 0.0)
    least = LEAST_VA if living_m2 >= LEAST_M2 else LEAST_SMALL_VA
    return max(basic + cooking + others + whole_va + max(heat, cooling_va), least)
