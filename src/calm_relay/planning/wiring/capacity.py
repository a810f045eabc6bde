"""What a size carries where it lies: the table's figure, the temperature around it, and its neighbours."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.wires import Capacity, WireSize, WireTables
from calm_relay.planning.wiring.laid import Laid

MOST_C = {"60 °C": 60.0, "70 °C": 70.0, "75 °C": 75.0, "90 °C": 90.0, "PV cable": 120.0}


@dataclass(frozen=True)
class Carries:
    """What each size of a table carries, with the factors that lead there.

    `clauses` say of each size whose figure it is, `own` which of them a firm entered.
    """

    amps: tuple[float | None, ...]
    ambient: float
    grouping: float
    clauses: tuple[str, ...]
    own: tuple[bool, ...]
    most_c: float


def _row(laid: Laid, loaded: int, tables: WireTables) -> Capacity | None:
    return next(
        (item for item in tables.capacities if item.way == (laid.laying, laid.insulation, laid.material, loaded)),
        None,
    )


def ambient_factor(laid: Laid, reference_c: float, tables: WireTables) -> float:
    """What the temperature around a cable leaves of its capacity; 0 where the insulation bears no more."""
    buried = laid.laying == "buried"
    found = next(
        (item for item in tables.ambient if (item.insulation, item.buried) == (laid.insulation, buried)), None
    )
    if found is None:
        found = next((item for item in tables.ambient if item.insulation == laid.insulation), None)
    if found is None:
        return 1.0
    at, factors = zip(*found.points, strict=True)
    if laid.ambient_c > at[-1]:
        return 0.0
    # The table's own reference is 1, whichever temperature the points were written down for.
    return float(np.interp(laid.ambient_c, at, factors) / np.interp(reference_c, at, factors))


def grouping_factor(grouped: int, tables: WireTables) -> float:
    """What neighbours leave of it: the factor of the next larger group that the table names."""
    for count, factor in tables.grouping:
        if grouped <= count:
            return factor
    return tables.grouping[-1][1]


def carries(laid: Laid, loaded: int, tables: WireTables) -> Carries | None:
    """What each size carries as a cable lies; None where the tables have no figure for that way of laying.

    Parameters
    ----------
    laid : Laid
        How it lies.
    loaded : int
        Conductors that carry current, 2 or 3.
    tables : WireTables
        The region's.
    """
    row = _row(laid, loaded, tables)
    if row is None:
        return None
    ambient = ambient_factor(laid, row.reference_c, tables)
    grouping = grouping_factor(laid.grouped, tables)
    amps = tuple(None if base is None else base * ambient * grouping * laid.parallel for base in row.amps)
    own = tuple(size.name in row.own_sizes for size in tables.sizes)
    clauses = tuple(row.own_clause if entered else f"{tables.authority}, {row.clause}" for entered in own)
    return Carries(amps, ambient, grouping, clauses, own, MOST_C[laid.insulation])


def ohm_per_km(size: WireSize, laid: Laid, *, flexible: bool) -> float | None:
    """Resistance of all conductors of a pole in parallel at 20 degC [ohm/km]; None where the size is not made so."""
    each = size.aluminium if laid.material == "aluminium" else size.flexible if flexible else size.copper
    return None if each is None else each / laid.parallel
