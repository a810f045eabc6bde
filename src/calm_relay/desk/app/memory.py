"""Memory given back: what plans are made of is freed in another thread than it was taken in, and would lie about."""

import contextlib
import ctypes
from collections.abc import Callable

# Of glibc's mallopt: how many heaps there may be.
_M_ARENA_MAX = -8


def _library() -> ctypes.CDLL | None:
    with contextlib.suppress(OSError):
        return ctypes.CDLL("libc.so.6")
    return None


def one_heap() -> None:
    """Has all threads share a heap, so that what one frees another uses; before any thread is begun."""
    library = _library()
    if library is not None and hasattr(library, "mallopt"):
        library.mallopt(_M_ARENA_MAX, 1)


def _trim() -> Callable[[], None]:
    library = _library()
    if library is None or not hasattr(library, "malloc_trim"):
        return lambda: None
    return lambda: library.malloc_trim(0)


give_back = _trim()
