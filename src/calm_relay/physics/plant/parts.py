"""The plant as planning states it: a list of converters, each with PV, a battery or both, and the grid connection."""

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
    charge limit falls evenly, to its share `taper_to` when full. Giving more than `rated_kw` takes more than its share,
    by Peukert's exponent `peukert`; 1 for none.
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
    peukert: float = 1.0
    rated_kw: float = 0.0
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

    def drained_by(self, given_kw: np.ndarray) -> np.ndarray:
        """What is taken from the energy stored for what is given at the terminals; below 0 it is charged.

        Parameters
        ----------
        given_kw : ndarray
            [kW]

        Returns
        -------
        ndarray, of the same shape
            [kW]; Peukert 1897, Elektrotechnische Zeitschrift 20 (from memory) beyond the rated power.
        """
        given = np.maximum(given_kw, 0.0)
        if self.peukert > 1.0 and self.rated_kw > 0.0:
            given = given * np.maximum(given / self.rated_kw, 1.0) ** (self.peukert - 1.0)
        taken: np.ndarray = given / self.discharge_efficiency + np.minimum(given_kw, 0.0) * self.charge_efficiency
        return taken


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

    @property
    def bank(self) -> BatteryPart:
        """The battery of a converter that has one."""
        assert self.battery is not None, "it holds a battery"
        return self.battery


@dataclass(frozen=True)
class GridConnection:
    """What the AC bus may draw from and give to the grid [kW].

    Below 0 an export limit is the import that a zero-export control leaves standing.
    """

    import_limit_kw: float = UNLIMITED
    export_limit_kw: float = UNLIMITED
