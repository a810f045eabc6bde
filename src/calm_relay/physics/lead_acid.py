"""What a lead-acid bank is charged to, and the air it wants: gas comes off it while it is charged."""

from dataclasses import dataclass

# Resting volts of a cell half full, and the cells of the blocks it comes in.
CELL_V, BLOCK_CELLS = 2.06, 6
# Cells are as warm as this where a maker states volts [degC].
RATED_C = 25.0
# IEC 62485-2 (from memory): air that thins the hydrogen of one ampere-hour below 4 %, with a safety factor of five
# [m3/Ah], and the current that makes gas while a cell is boosted [mA/Ah].
AIR_M3_PER_AH = 0.05
GASSING_VENTED_MA, GASSING_SEALED_MA = 20.0, 8.0
# Openings low and high, each of so much for a cubic metre an hour: the same standard [cm2 h/m3].
OPENING_CM2 = 28.0


@dataclass(frozen=True)
class CellVolts:
    """Volts that a cell of a kind is charged to at 25 degC; common practice, no source.

    `per_k` is what is taken off for each degree that it is warmer [V]; `equalise` is None where a sealed cell would
    lose water by it.
    """

    absorption: float
    float_: float
    equalise: float | None
    per_k: float


CELLS = {
    "lead-acid gel": CellVolts(2.35, 2.25, None, 0.004),
    "lead-acid AGM": CellVolts(2.40, 2.27, None, 0.004),
    "lead-acid flooded": CellVolts(2.42, 2.25, 2.55, 0.005),
}


def cells_of(empty_v: float, full_v: float) -> int:
    """Cells in series of a bank that stands between two voltages at rest or at work.

    Parameters
    ----------
    empty_v, full_v : float
        Terminal voltage when empty and when full [V].
    """
    cells = 0.5 * (empty_v + full_v) / CELL_V
    if cells < BLOCK_CELLS - 1:
        return max(round(cells), 1)
    return round(cells / BLOCK_CELLS) * BLOCK_CELLS


def at_temperature(volts: float, per_k: float, cell_c: float) -> float:
    """A charging voltage at another temperature than it is stated for [V]: higher in the cold.

    Parameters
    ----------
    volts : float
        Of the whole bank at 25 degC [V].
    per_k : float
        Taken off for each degree that the whole bank is warmer [V/K].
    cell_c : float
        Temperature of the cells [degC].
    """
    return volts + per_k * (RATED_C - cell_c)


def airflow_m3_h(cells: int, amp_hours: float, sealed: bool) -> float:
    """Fresh air that keeps the gas of a bank harmless while it is boosted [m3/h]: IEC 62485-2, from memory.

    Parameters
    ----------
    cells : int
        In series.
    amp_hours : float
        Of the whole bank, all strings in parallel, at a discharge of ten hours [Ah].
    sealed : bool
        Its cells are valve-regulated.
    """
    gassing_ma = GASSING_SEALED_MA if sealed else GASSING_VENTED_MA
    return AIR_M3_PER_AH * cells * gassing_ma * amp_hours / 1000.0


def opening_cm2(airflow: float) -> float:
    """Free area of each of two openings, one low and one high, through which so much air goes by itself [cm2].

    Parameters
    ----------
    airflow : float
        Of fresh air [m3/h].
    """
    return OPENING_CM2 * airflow
