"""The plant: a list of converters that meet at the AC bus, packed for the time-step kernel."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.conversion import LOSSLESS, LossCurve

UNLIMITED = 1e9
# Levels between which the terminal voltage runs straight: lithium cells bend near both ends.
KNOTS = (0.0, 0.1, 0.9, 1.0)


@dataclass(frozen=True)
class BatteryPart:
    """A battery on a converter's DC side.

    Energies are usable kWh, limits are at the battery's terminals; `reserve` is a fraction of usable energy.
    Current limits hold at the terminal voltage, which runs straight between `KNOTS`; `low_v` and `high_v` are
    its knees, on the straight line from empty to full where left out. From the level `taper_from` upwards the
    charge limit falls evenly, to its share `taper_to` when full.
    """

    usable_kwh: float
    charge_kw: float
    discharge_kw: float
    charge_a: float = UNLIMITED
    discharge_a: float = UNLIMITED
    empty_v: float = 1.0
    full_v: float = 1.0
    low_v: float | None = None
    high_v: float | None = None
    taper_from: float = 1.0
    taper_to: float = 1.0
    charge_efficiency: float = 1.0
    discharge_efficiency: float = 1.0
    dc_dc_efficiency: float = 1.0
    reserve: float = 0.0
    initial: float = 0.5
    from_ac_kw: float = 0.0

    @property
    def volts(self) -> np.ndarray:
        """Terminal voltage at the levels of `KNOTS` [V]."""
        straight = self.empty_v + (self.full_v - self.empty_v) * np.array(KNOTS)
        low = straight[1] if self.low_v is None else self.low_v
        high = straight[2] if self.high_v is None else self.high_v
        return np.array([self.empty_v, low, high, self.full_v])


@dataclass(frozen=True)
class ConverterPart:
    """One converter: PV input or none, battery or none, and an AC limit [kW].

    `pv` says whether it has a PV input; `pv_limit_kw` is what the trackers or charge controller can draw.
    `loss_rated_kw` is the rating the loss curve refers to, the AC limit unless stated. `phase` is 1, 2 or 3 for
    a unit on one phase of three, 0 for one that shares its power evenly. A unit `by_clock` does not see the
    meter: it does what the clock says.
    """

    ac_limit_kw: float
    pv: bool = False
    pv_limit_kw: float = UNLIMITED
    tracker_efficiency: float = 1.0
    loss: LossCurve = LOSSLESS
    loss_rated_kw: float | None = None
    standby_kw: float = 0.0
    battery: BatteryPart | None = None
    phase: int = 0
    by_clock: bool = False


@dataclass(frozen=True)
class GridConnection:
    """What the AC bus may draw from and give to the grid [kW].

    Below 0 an export limit is the import that a zero-export control leaves standing.
    """

    import_limit_kw: float = UNLIMITED
    export_limit_kw: float = UNLIMITED


COLUMNS = (
    "ac_limit",
    "has_pv",
    "pv_limit",
    "tracker",
    "k0",
    "k1",
    "k2",
    "standby",
    "usable",
    "per_usable",
    "charge_kw",
    "discharge_kw",
    *(f"charge_kw_{knot}" for knot in KNOTS),
    *(f"discharge_kw_{knot}" for knot in KNOTS),
    "taper_from",
    "taper_fall",
    "charge_eff",
    "per_charge",
    "discharge_eff",
    "per_discharge",
    "dc_dc",
    "per_dc_dc",
    "reserve",
    "initial",
    "from_ac",
    "phase",
    "by_clock",
)


def pack(converters) -> np.ndarray:
    """Converters as a float matrix, one row each, columns as in `COLUMNS`.

    The loss coefficients are scaled so that loss = k0 + k1 P + k2 P^2 with P in kW. A current limit becomes a
    power limit at each of `KNOTS`. "per" columns are reciprocals, which spare divisions.

    Raises
    ------
    ValueError
        When the list is empty, a limit is negative or an efficiency lies outside (0, 1].
    """
    if not converters:
        raise ValueError("a plant needs at least one converter")
    return np.array([_row(number, part) for number, part in enumerate(converters)], dtype=float)


def _row(number, part):
    rated = part.loss_rated_kw or part.ac_limit_kw
    battery = part.battery or BatteryPart(0.0, 0.0, 0.0)
    efficiencies = (
        part.tracker_efficiency,
        battery.charge_efficiency,
        battery.discharge_efficiency,
        battery.dc_dc_efficiency,
    )
    if not all(0.0 < value <= 1.0 for value in efficiencies):
        raise ValueError(f"converter {number}: efficiencies {efficiencies}; wanted above 0 and at most 1")
    limits = (part.ac_limit_kw, part.pv_limit_kw, part.standby_kw, battery.usable_kwh)
    if not all(value >= 0.0 for value in (*limits, battery.charge_kw, battery.discharge_kw)):
        raise ValueError(f"converter {number}: a limit is negative")
    if not (0.0 <= battery.reserve <= 1.0 and 0.0 <= battery.initial <= 1.0):
        raise ValueError(f"converter {number}: reserve and initial charge must lie in 0 to 1")
    if not (0.0 <= battery.taper_from <= 1.0 and 0.0 <= battery.taper_to <= 1.0):
        raise ValueError(f"converter {number}: the taper of the charge limit must lie in 0 to 1")
    if part.phase not in (0, 1, 2, 3):
        raise ValueError(f"converter {number}: phase {part.phase}; wanted 0 to 3")
    if not np.all(battery.volts > 0.0):
        raise ValueError(f"converter {number}: battery at {battery.volts} V; wanted volts above 0")
    above = 1.0 - battery.taper_from
    return (
        part.ac_limit_kw,
        1.0 if part.pv else 0.0,
        part.pv_limit_kw,
        part.tracker_efficiency,
        part.loss.k0 * rated,
        part.loss.k1,
        part.loss.k2 / rated if rated > 0 else 0.0,
        part.standby_kw,
        battery.usable_kwh,
        1.0 / battery.usable_kwh if battery.usable_kwh > 0 else 0.0,
        battery.charge_kw,
        battery.discharge_kw,
        *(battery.charge_a * battery.volts / 1000.0),
        *(battery.discharge_a * battery.volts / 1000.0),
        battery.taper_from,
        (1.0 - battery.taper_to) / above if above > 0 else 0.0,
        battery.charge_efficiency,
        1.0 / battery.charge_efficiency,
        battery.discharge_efficiency,
        1.0 / battery.discharge_efficiency,
        battery.dc_dc_efficiency,
        1.0 / battery.dc_dc_efficiency,
        battery.reserve,
        battery.initial,
        battery.from_ac_kw,
        float(part.phase),
        1.0 if part.by_clock else 0.0,
    )
