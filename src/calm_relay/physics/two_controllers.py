"""Two controllers that chase one meter: what happens second by second when nobody has said who goes first."""

from dataclasses import dataclass

import numpy as np

from calm_relay.physics.compiling import compiled


@dataclass(frozen=True)
class Chaser:
    """One battery's controller: how hard it may charge and give [kW], how often it looks [s], and how it answers.

    At each look it moves its power by `gain` times what the meter is off its aim `aim_kw`, import positive. A
    controller that `waits` moves only while the other is at the end of its power, and lets go again after.
    """

    charge_kw: float
    give_kw: float
    period_s: int = 1
    gain: float = 0.5
    aim_kw: float = 0.0
    waits: bool = False


@dataclass(frozen=True, eq=False)
class Chase:
    """Mean powers of each second [kW]: of both batteries, giving positive, and at the meter, import positive."""

    first: np.ndarray
    second: np.ndarray
    meter: np.ndarray

    @property
    def circling_kwh(self) -> float:
        """What one battery gave and the other took [kWh]."""
        against = np.minimum(np.abs(self.first), np.abs(self.second))
        return float(against[self.first * self.second < 0].sum() / 3600.0)


@compiled
def _run(
    home_kw: np.ndarray,
    limits: np.ndarray,
    periods: np.ndarray,
    gains: np.ndarray,
    aims: np.ndarray,
    waits: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    steps = home_kw.size
    out = np.zeros((2, steps))
    meter = np.zeros(steps)
    power = np.zeros(2)
    for t in range(steps):
        meter[t] = home_kw[t] - power[0] - power[1]
        for j in range(2):
            out[j, t] = power[j]
        for j in range(2):
            if t % periods[j]:
                continue
            wanted = power[j] + gains[j] * (meter[t] - aims[j])
            if waits[j]:
                other = out[1 - j, t]
                free = -limits[1 - j, 0] + 0.02 < other < limits[1 - j, 1] - 0.02
                if free:
                    wanted = power[j] * (1.0 - gains[j])
            power[j] = min(max(wanted, -limits[j, 0]), limits[j, 1])
    return out, meter


def chase(home_kw: np.ndarray, first: Chaser, second: Chaser) -> Chase:
    """Runs two controllers against one meter.

    Parameters
    ----------
    home_kw : ndarray
        What the house draws, less what arrays give, each second [kW].
    first, second : Chaser
        The controller that answers first. The other.

    Raises
    ------
    ValueError
        When each waits for the other.
    """
    if first.waits and second.waits:
        raise ValueError("each controller waits for the other; wanted one that goes first")
    both = (first, second)
    out, meter = _run(
        np.ascontiguousarray(home_kw, dtype=float),
        np.array([[part.charge_kw, part.give_kw] for part in both]),
        np.array([part.period_s for part in both]),
        np.array([part.gain for part in both]),
        np.array([part.aim_kw for part in both]),
        np.array([part.waits for part in both]),
    )
    return Chase(out[0], out[1], meter)
