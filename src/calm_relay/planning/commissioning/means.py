"""Means of live power over five minutes, gathered into stretches for the logbook."""

from collections import defaultdict
from datetime import UTC, datetime

from calm_relay.job.logbook import Readings
from calm_relay.planning.commissioning.live_moment import LiveState

EVERY_S = 300
# An hour a line: no more than that is lost by a kill.
ROWS_A_LINE = 12
COLUMNS = ("pv kw", "home kw", "import kw", "export kw", "discharge kw", "charge kw", "soc")


class Means:
    """Takes states one by one; gives a stretch of `job.logbook.Readings` each time one is full."""

    def __init__(self) -> None:
        self._slot: int | None = None
        self._sums: dict[str, list[float]] = defaultdict(list)
        self._rows: list[tuple[int, dict[str, float]]] = []

    def take(self, state: LiveState) -> Readings | None:
        """Takes what flows now; a full stretch where this ends one."""
        slot = int(state.at.timestamp()) // EVERY_S
        full = None
        if self._slot is not None and slot != self._slot:
            full = self._close()
        self._slot = slot
        for name, value in _values(state).items():
            self._sums[name].append(value)
        return full

    def rest(self) -> Readings | None:
        """What was gathered since the last stretch; None where there is nothing."""
        self._close(end=True)
        return self._stretch()

    def _close(self, *, end: bool = False) -> Readings | None:
        if self._sums and self._slot is not None:
            means = {name: sum(values) / len(values) for name, values in self._sums.items()}
            self._rows.append((self._slot * EVERY_S, means))
        self._sums.clear()
        return self._stretch() if len(self._rows) >= ROWS_A_LINE and not end else None

    def _stretch(self) -> Readings | None:
        rows, self._rows = self._rows, []
        # A clock that was set back begins another stretch of its own; rows before it are dropped with it.
        rows = [row for place, row in enumerate(rows) if place == 0 or row[0] > rows[place - 1][0]]
        if not rows:
            return None
        first = rows[0][0]
        return Readings(
            start=datetime.fromtimestamp(first, UTC).isoformat(),
            seconds=tuple(float(at - first) for at, _ in rows),
            columns={
                name: tuple(round(row[name], 4) if name in row else None for _, row in rows)
                for name in COLUMNS
                if any(name in row for _, row in rows)
            },
        )


def _values(state: LiveState) -> dict[str, float]:
    battery = sum(unit.battery_kw for unit in state.units)
    found = {
        "pv kw": sum(unit.pv_kw for unit in state.units),
        "discharge kw": max(battery, 0.0),
        "charge kw": max(-battery, 0.0),
    }
    if state.home_kw is not None:
        found["home kw"] = state.home_kw
    if state.meter_kw is not None:
        found |= {"import kw": max(state.meter_kw, 0.0), "export kw": max(-state.meter_kw, 0.0)}
    charge = next((unit.soc for unit in state.units if unit.soc is not None), None)
    return found if charge is None else {**found, "soc": charge}
