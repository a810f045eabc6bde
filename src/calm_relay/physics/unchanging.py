"""Series that are promised never to change, and digests of them: what is worked out of them can be kept."""

import weakref
from hashlib import blake2b

import numpy as np

# Digests of series that are known never to change, by identity; None before the first reading.
_frozen: dict[int, tuple[weakref.ref[np.ndarray], bytes | None]] = {}


def frozen(series: np.ndarray, made_of: bytes | None = None) -> np.ndarray:
    """The same series, promised never to change: runs that read it need not read it again to know it.

    `made_of` tells what it was made of, so fully that two series told alike are alike; then it is never read for that.
    """
    key = id(series)
    told = None if made_of is None else blake2b(made_of, digest_size=16).digest()
    _frozen[key] = weakref.ref(series, lambda _: _frozen.pop(key, None)), told
    return series


def is_frozen(series: np.ndarray) -> bool:
    """Whether a series is promised never to change."""
    known = _frozen.get(id(series))
    return known is not None and known[0]() is series


def digest_of(series: np.ndarray) -> bytes:
    """A digest of a series that never changes: two with the same one are alike."""
    return digest_as_is(series if is_frozen(series) else frozen(series))


def times(series: np.ndarray, factor: float) -> np.ndarray:
    """A series times a factor; known by what it was made of where that is known."""
    if factor == 1.0:
        return series
    made = series * factor
    if id(series) in _frozen:
        frozen(made, f"times {factor!r}".encode() + digest_as_is(series))
    return made


def digest_as_is(series: np.ndarray) -> bytes:
    """A digest of a series that may yet change: read anew at each call, unless it is promised not to."""
    known = _frozen.get(id(series))
    known = known if known and known[0]() is series else None
    if known and known[1]:
        return known[1]
    own = blake2b(f"{series.dtype}{series.shape}".encode(), digest_size=16)
    own.update(np.ascontiguousarray(series).data)
    if known:
        _frozen[id(series)] = known[0], own.digest()
    return own.digest()
