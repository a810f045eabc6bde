"""The least a plant's year can cost with perfect foresight, as a linear program: a bound that no control may beat.

Losses that do not grow in proportion are replaced by the steepest line through nothing that never exceeds them,
standby is left out, and powers are means of an hour: each can only make the program cheaper than the plant.
The solver is imported where it is used: that import takes longer than a whole warm plan.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from calm_relay.physics.conversion import LossCurve
from calm_relay.physics.plant.parts import ConverterPart


@dataclass(frozen=True, eq=False)
class Foresight:
    """The bound and its dispatch, hour by hour.

    `cost` is import less export over the hours, without standing charges; `imported`, `exported`, `charged` and `given`
    are mean powers [kW] at the grid and at the AC side of all batteries together; `stored_kwh` is stored energy [kWh].
    """

    cost: float
    imported: np.ndarray
    exported: np.ndarray
    charged: np.ndarray
    given: np.ndarray
    stored_kwh: np.ndarray


def least_loss(loss: LossCurve) -> float:
    """Slope of the steepest line through nothing that a loss curve never falls below.

    k0 R + k1 P + k2 P^2/R over P is least at P = R sqrt(k0/k2).
    """
    return loss.k1 + 2.0 * (loss.k0 * loss.k2) ** 0.5


class _Program:
    """Collects columns and rows of a linear program whose variables come in whole series."""

    def __init__(self, steps: int) -> None:
        self.steps = steps
        self.high: list[np.ndarray] = []
        self.low: list[np.ndarray] = []
        self.cost: list[np.ndarray] = []
        self.rows: dict[str, list[list[tuple[int, float, int]]]] = {"equal": [], "upper": []}
        self.right: dict[str, list[np.ndarray]] = {"equal": [], "upper": []}

    def series(self, high: float | np.ndarray, low: float = 0.0, cost: float | np.ndarray = 0.0) -> int:
        """A variable for each step; returns its number."""
        for given, kept in ((high, self.high), (low, self.low), (cost, self.cost)):
            kept.append(np.broadcast_to(np.asarray(given, dtype=float), self.steps))
        return len(self.high) - 1

    def row(self, kind: str, terms: list[tuple[int, float, int]], right: np.ndarray | float) -> None:
        """One constraint a step: the sum of factor times series, and of series a step before, against `right`."""
        self.rows[kind].append(terms)
        self.right[kind].append(np.broadcast_to(np.asarray(right, dtype=float), self.steps))

    def _matrix(self, kind: str) -> Any:
        from scipy.sparse import coo_matrix

        at = np.arange(self.steps)
        values, rows, columns = [], [], []
        for number, terms in enumerate(self.rows[kind]):
            for series, factor, back in terms:
                here = at[back:]
                values.append(np.full(here.size, factor))
                rows.append(here + number * self.steps)
                columns.append(at[: at.size - back] + series * self.steps)
        shape = (len(self.rows[kind]) * self.steps, len(self.high) * self.steps)
        parts = (np.concatenate(part) for part in (values, rows, columns))
        value, row, column = parts
        return coo_matrix((value, (row, column)), shape=shape).tocsr()

    def solve(self, time_limit_s: float) -> tuple[float, np.ndarray]:
        """The optimum: its cost, and every series.

        Raises
        ------
        RuntimeError
            When the solver ends without an optimum.
        """
        from scipy.optimize import linprog

        upper = bool(self.rows["upper"])
        done = linprog(
            np.concatenate(self.cost),
            A_ub=self._matrix("upper") if upper else None,
            b_ub=np.concatenate(self.right["upper"]) if upper else None,
            A_eq=self._matrix("equal"),
            b_eq=np.concatenate(self.right["equal"]),
            bounds=np.column_stack([np.concatenate(self.low), np.concatenate(self.high)]),
            method="highs-ds",
            options={"time_limit": time_limit_s},
        )
        if done.status != 0:
            raise RuntimeError(f"the bound was not found: {done.message}")
        return float(done.fun), done.x.reshape(len(self.high), self.steps)


def least_cost(
    plant: tuple[ConverterPart, ...],
    pv_kw: np.ndarray,
    home_kw: np.ndarray,
    step_h: float,
    price: np.ndarray,
    feed_in: float,
    import_limit_kw: float = np.inf,
    export_limit_kw: float = np.inf,
    sells_stored: bool = True,
    time_limit_s: float = 60.0,
) -> Foresight:
    """Cost of import less export under the best dispatch of the same units.

    Parameters
    ----------
    plant : sequence of physics.plant.ConverterPart
        Its converters.
    pv_kw : ndarray, shape (converters, steps)
        DC power on offer [kW].
    home_kw : ndarray, shape (steps,)
        [kW].
    step_h : float
        Step length [h].
    price, feed_in : ndarray, shape (steps,), or float
        Of import and export [currency/kWh].
    import_limit_kw, export_limit_kw : float
        [kW]; what the home itself draws is always let in.
    sells_stored : bool
        Whether more may leave than the arrays give.
    time_limit_s : float
        After which the solver gives up.

    Raises
    ------
    RuntimeError
        When there is no optimum in time.

    References
    ----------
    Huangfu and Hall 2018, Parallelizing the dual revised simplex method (HiGHS).
    """
    steps = home_kw.size
    program = _Program(steps)
    imported = program.series(np.maximum(import_limit_kw, home_kw), cost=np.asarray(price) * step_h)
    exported = program.series(max(export_limit_kw, 0.0), cost=-np.asarray(feed_in) * step_h)
    sides, plain = [], np.zeros(steps)
    for offered, part in zip(pv_kw, plant, strict=True):
        harvest = np.minimum(offered * part.tracker_efficiency, part.pv_limit_kw) if part.pv else np.zeros(steps)
        if part.battery is None or part.battery.usable_kwh <= 0:
            plain = plain + np.minimum(harvest / (1.0 + least_loss(part.loss)), part.ac_limit_kw)
        else:
            sides.append(_dc_side(program, part, harvest, step_h))
    bus = [(imported, 1.0, 0), (exported, -1.0, 0), *(term for side in sides for term in side.bus)]
    harvested = [side.harvested for side in sides if side.harvested is not None]
    if plain.any():
        given = program.series(plain)
        bus.append((given, 1.0, 0))
        harvested.append(given)
    program.row("equal", bus, home_kw)
    if not sells_stored:
        program.row("upper", [(exported, 1.0, 0), *((series, -1.0, 0) for series in harvested)], 0.0)
    cost, found = program.solve(time_limit_s)

    def together(terms: Iterable[tuple[int, float]]) -> np.ndarray:
        return sum((factor * found[series] for series, factor in terms), np.zeros(steps))

    charging, giving = (together([getattr(side, way) for side in sides]) for way in ("charging", "giving"))
    held = together([(side.level, 1.0) for side in sides])
    return Foresight(cost, found[imported], found[exported], charging, giving, held)


class _DcSide(NamedTuple):
    """A converter's battery and array in the program: its terms at the AC bus, and numbers of its series.

    `charging` and `giving` are a series and the factor that makes AC power of it.
    """

    bus: list[tuple[int, float, int]]
    charging: tuple[int, float]
    giving: tuple[int, float]
    level: int
    harvested: int | None


def _dc_side(program: _Program, part: ConverterPart, harvest: np.ndarray, step_h: float) -> _DcSide:
    """Writes a converter with a battery into the program."""
    battery, slope = part.battery, least_loss(part.loss)
    assert battery is not None
    into, out_of = 1.0 / battery.dc_dc_efficiency, battery.dc_dc_efficiency
    drawing, giving_out = 1.0 - slope, 1.0 + slope
    most = battery.charge_kw, battery.discharge_kw
    if not part.pv:
        # Without an array on the DC bus both powers are those at the AC side, less what is lost between.
        most = (
            min(battery.charge_kw, battery.from_ac_kw * drawing / into),
            min(battery.discharge_kw, part.ac_limit_kw * giving_out / out_of),
        )
    charge, discharge = (program.series(limit) for limit in most)
    level = program.series(battery.usable_kwh, min(battery.reserve, battery.initial) * battery.usable_kwh)
    first = np.zeros(program.steps)
    first[0] = battery.initial * battery.usable_kwh
    program.row(
        "equal",
        [
            (level, 1.0, 0),
            (level, -1.0, 1),
            (charge, -battery.charge_efficiency * step_h, 0),
            (discharge, step_h / battery.discharge_efficiency, 0),
        ],
        first,
    )
    if not part.pv:
        giving, charging = (discharge, out_of / giving_out), (charge, into / drawing)
        return _DcSide([(*giving, 0), (charge, -into / drawing, 0)], charging, giving, level, None)
    used, out = program.series(harvest), program.series(part.ac_limit_kw)
    drawn = program.series(battery.from_ac_kw)
    dc = [
        (charge, into, 0),
        (discharge, -out_of, 0),
        (out, giving_out, 0),
        (drawn, -drawing, 0),
        (used, -1.0, 0),
    ]
    program.row("equal", dc, 0.0)
    return _DcSide([(out, 1.0, 0), (drawn, -1.0, 0)], (drawn, 1.0), (out, 1.0), level, used)
