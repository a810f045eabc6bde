"""How many of what was tried went wrong, and the first two of each kind of fault in full."""

from collections import Counter
from collections.abc import Callable, Sequence
from math import inf


def limit_s(limit: float, most: int | None) -> float:
    """How long one try may take [s]: a short run, of so many, is no measure of speed."""
    return limit if most is None else inf


class Tally:
    """Counts what was tried and what went wrong; `kind` is what of a fault's words makes two alike."""

    def __init__(self, what: str, kind: Callable[[str], str]) -> None:
        self.count = self.faults = 0
        self._what, self._kind = what, kind
        self._kinds: Counter[str] = Counter()

    def add(self, number: int, found: Sequence[str]) -> None:
        """Counts one that was tried by its number, with what went wrong in it."""
        for fault in found:
            kind = self._kind(fault)
            self._kinds[kind] += 1
            if self._kinds[kind] <= 2:
                print(f"{self._what} {number}: {fault}", flush=True)
        self.faults += bool(found)
        self.count += 1
