"""When surge devices are wanted on the DC side: by the length of its cables and the strokes of the place."""

from calm_relay.planning.wiring.wiring import WiringPlan

# Critical length times strokes a km2 and year, for dwellings: IEC 60364-7-712:2017, table 712.102, from memory.
SURGE_M = 115.0
# Devices at both ends where the two are further apart: IEC 60364-7-712, from memory.
AT_BOTH_ENDS_M = 10.0


def critical_m(strokes_km2: float) -> float:
    """Length of DC cables from which surge devices are wanted [m].

    Parameters
    ----------
    strokes_km2 : float
        Lightning strokes to the ground a km2 and year.
    """
    return SURGE_M / strokes_km2


def dc_length_m(plan: WiringPlan) -> float:
    """Length of the DC cables from every inverter to its farthest modules [m]."""
    farthest: dict[int | None, float] = {}
    for cable in plan.cables:
        if cable.edge.kind == "string":
            farthest[cable.edge.unit] = max(farthest.get(cable.edge.unit, 0.0), cable.laid.length_m)
    return sum(farthest.values())
