"""What every meter reader returns: intervals in UTC, and how the file was understood."""

from dataclasses import dataclass, field

import numpy as np

from calm_relay.exchange.flow_heads import Flow

LONGEST_DAYS = 1500
INTERVALS = (1, 2, 3, 5, 6, 10, 15, 20, 30, 60)


@dataclass(frozen=True)
class Understood:
    """How a meter file was read, so that a person can agree or correct it; `flows` says what its columns count."""

    kind: str
    unit: str
    interval_minutes: int
    stamps: str = "start"
    clock: str = "utc"
    delimiter: str = ""
    decimal_mark: str = "."
    day_first: bool | None = None
    columns: tuple[str, ...] = ()
    import_column: int = 0
    export_column: int = 0
    flows: tuple[Flow | None, ...] = ()
    meters: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class MeterData:
    """Energy of each interval [kWh] by its start in UTC, rising and each once; gaps are left out.

    `export_kwh` is None where the file holds none.
    """

    starts: np.ndarray = field(repr=False)
    import_kwh: np.ndarray = field(repr=False)
    export_kwh: np.ndarray | None = field(repr=False)
    understood: Understood

    @property
    def days(self) -> float:
        """Days that the intervals fill."""
        return self.starts.size * self.understood.interval_minutes / 1440.0

    @property
    def expected(self) -> int:
        """Intervals from the first to the last, were there no gap."""
        seconds = (self.starts[-1] - self.starts[0]).astype(int)
        return int(seconds // (self.understood.interval_minutes * 60)) + 1
