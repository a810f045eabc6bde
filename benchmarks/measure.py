"""Repeated timing, and one line of the report."""

import statistics
import time
from dataclasses import dataclass


@dataclass(frozen=True)
class Result:
    """A measured figure beside its limit (None: only told), both in `unit`."""

    label: str
    value: float
    limit: float | None
    unit: str
    spread: str = ""

    def line(self) -> str:
        """The figure as printed."""
        promise = ""
        if self.limit is not None:
            word = "within" if self.value <= self.limit else "OVER"
            promise = f"{word} {self.limit:g} {self.unit}"
        return f"{self.label:<58}{self.value:>10.2f} {self.unit:<3} {promise:<16} {self.spread}".rstrip()


def timed(label, work, limit_ms, repeats) -> Result:
    """Median wall time of a call after one call to warm up [ms]."""
    work()
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        work()
        times.append((time.perf_counter() - start) * 1000)
    spread = f"{min(times):.2f} to {max(times):.2f} in {repeats} runs"
    return Result(label, statistics.median(times), limit_ms, "ms", spread)
