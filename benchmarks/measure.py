"""Repeated timing, and one line of the report."""

import statistics
import time
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

IN_MS = {"ms": 1.0, "s": 1000.0}
_NUMBERS = np.random.default_rng(1).normal(size=400_000)


def fixed_work_ms() -> float:
    """Time of a fixed piece of numpy work on this machine at this moment, the median of five [ms]."""
    times = []
    for _ in range(5):
        start = time.perf_counter()
        np.cumsum(np.sort(_NUMBERS) ** 2).max()
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times)


@dataclass(frozen=True)
class Result:
    """A measured figure beside its promise (None: only shown), both in `unit`.

    `fixed_ms` is the time of a fixed piece of work at the same moment: the ratio to it can be compared between runs
    and machines.
    """

    label: str
    value: float
    limit: float | None
    unit: str
    spread: str = ""
    fixed_ms: float = field(default_factory=fixed_work_ms)

    @property
    def kept(self) -> bool:
        """Whether the promise is kept; what promises nothing is."""
        return self.limit is None or self.value <= self.limit

    @property
    def ratio(self) -> float | None:
        """A time over that of the fixed work; None for what is no time."""
        return self.value * IN_MS[self.unit] / self.fixed_ms if self.unit in IN_MS else None

    def line(self) -> str:
        """The figure as printed."""
        promise = "" if self.limit is None else f"{'within' if self.kept else 'OVER'} {self.limit:g} {self.unit}"
        ratio = "" if self.ratio is None else f"{self.ratio:.2f} of the fixed work"
        return (
            f"{self.label:<62}{self.value:>10.2f} {self.unit:<3} {promise:<15} {ratio:<27} {self.spread}".rstrip()
        )


def most_memory_mb() -> float:
    """The most memory that this process has taken so far [MB].

    What `resource` tells holds of a child what its parent took too, before the child's program was loaded.
    """
    status = Path("/proc/self/status").read_text()
    return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM")) / 1024.0


def timed(label: str, work, limit_ms: float | None, repeats: int) -> Result:
    """Median wall time of a call after one call to warm up [ms]."""
    work()
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        work()
        times.append((time.perf_counter() - start) * 1000)
    spread = f"{min(times):.2f} to {max(times):.2f} in {repeats} runs"
    return Result(label, statistics.median(times), limit_ms, "ms", spread)
