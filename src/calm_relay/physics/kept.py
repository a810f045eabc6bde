"""What was worked out and may be asked for again: one store for all series, within one budget in bytes."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import is_dataclass
from functools import wraps
from typing import Any, ParamSpec, TypeVar

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")
# All that is kept between plans: series here, those that many jobs have in common (of one some three megabytes),
# years in a `YearCache`, flows of those looked at last, last years.
MOST_BYTES = 120_000_000
SERIES_BYTES, COMMON_BYTES = 40_000_000, 16_000_000
YEARS_BYTES, FLOWS_BYTES, OLD_YEARS_BYTES = 32_000_000, 20_000_000, 12_000_000


def bytes_of(value: Any) -> int:
    """Memory of the arrays in a value, each counted once [bytes]."""
    return _add(value, set())


WALKED = {"array": (np.ndarray,), "row": (tuple, list), "mapping": (dict,)}
_ways: dict[type, str] = {}


def _way(value: Any) -> str:
    """How a value is walked; empty where it holds no arrays."""
    kind = type(value)
    if kind not in _ways:
        _ways[kind] = next(
            (way for way, kinds in WALKED.items() if issubclass(kind, kinds)),
            "fields" if is_dataclass(kind) else "",
        )
    return _ways[kind]


def _add(value: Any, seen: set[int]) -> int:
    """Memory of the arrays in a value that were not seen before [bytes]."""
    way = _way(value)
    if way == "array":
        whole = value
        while isinstance(whole.base, np.ndarray):
            whole = whole.base
        if id(whole) in seen:
            return 0
        seen.add(id(whole))
        return int(whole.nbytes)
    if way == "fields":
        # With what it worked out for itself and keeps.
        if id(value) in seen:
            return 0
        seen.add(id(value))
        # Taken at once: another thread may work something out for itself meanwhile.
        parts = tuple(getattr(value, "__dict__", {}).values())
    elif way == "row":
        parts = value
    elif way == "mapping":
        parts = tuple(value.values())
    else:
        return 0
    total = 0
    for item in parts:
        total += _add(item, seen)
    return total


# So many results may come before all that is kept is measured again, for it may have grown; where the budget is passed
# such a share of it is made free, so that not every further result measures it.
SINCE, FREED = 512, 1.0 / 2.0


class Store:
    """Results by function and arguments, the latest used kept, within so many bytes."""

    def __init__(self, most_bytes: int) -> None:
        self._most_bytes = most_bytes
        self._results: OrderedDict[Hashable, Any] = OrderedDict()
        self._lock = threading.Lock()
        # What was measured last, and what has come to it since; arrays that several share count once.
        self._since, self._bytes = 0, 0
        self._seen: set[int] = set()

    def get(self, key: Hashable, make: Callable[[], R]) -> R:
        """The result under a key, made where it is not kept; two threads may both make it."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                return self._results[key]
        made = make()
        with self._lock:
            self._results[key] = made
            self._since += 1
            self._bytes += _add(made, self._seen)
            if self._since >= SINCE or self._bytes > self._most_bytes:
                self._since = 0
                self._shrink()
        return made

    @property
    def nbytes(self) -> int:
        """Memory of all that is kept, with what it is kept under; an array that several share counts once [bytes]."""
        with self._lock:
            return bytes_of(list(self._results.items()))

    def _shrink(self) -> None:
        """Forgets what was used longest ago until the rest fits; measured anew, for what is kept may have grown."""
        seen: set[int] = set()
        sums: list[int] = []
        for entry in reversed(self._results.items()):
            sums.append((sums[-1] if sums else 0) + _add(entry, seen))
            if sums[-1] > self._most_bytes:
                break
        fits = len(sums)
        if sums[-1] > self._most_bytes:
            fits = max(sum(total <= (1.0 - FREED) * self._most_bytes for total in sums), 1)
        for _ in range(len(self._results) - fits):
            self._results.popitem(last=False)
        self._bytes, self._seen = sums[fits - 1], seen

    def clear(self) -> None:
        """Forgets everything."""
        with self._lock:
            self._results.clear()
            self._since, self._bytes = 0, 0
            self._seen = set()


STORE = Store(SERIES_BYTES)


COMMON = Store(COMMON_BYTES)


def kept(function: Callable[P, R]) -> Callable[P, R]:
    """Keeps a function's results in the one store; its arguments can be hashed, its results are not changed."""
    return _kept_in(STORE, function)


def kept_in_common(function: Callable[P, R]) -> Callable[P, R]:
    """The same for what other jobs ask for too: series of many jobs one after another do not push it out."""
    return _kept_in(COMMON, function)


def _kept_in(store: Store, function: Callable[P, R]) -> Callable[P, R]:
    @wraps(function)
    def found(*args: P.args, **named: P.kwargs) -> R:
        key = (function, args, tuple(sorted(named.items())))
        return store.get(key, lambda: function(*args, **named))

    return found
