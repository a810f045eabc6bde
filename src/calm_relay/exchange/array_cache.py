"""Arrays that take long to make, kept in the user's cache folder between runs."""

import contextlib
import hashlib
import io
import os
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
import platformdirs

from calm_relay.exchange.files import write_atomically

# Skies, planes and the light in their modules are megabytes each, fits and layouts a few hundred bytes.
KEEP_FILES, KEEP_SMALL_FILES = 100, 800
MOST_BYTES = 200_000_000


def cache_folder() -> Path:
    """Where cached arrays lie; `CALM_RELAY_CACHE` overrides it."""
    return Path(os.environ.get("CALM_RELAY_CACHE") or platformdirs.user_cache_dir("calm-relay")) / "arrays"


_aside: ContextVar[bool] = ContextVar("aside", default=False)
_many: ContextVar[bool] = ContextVar("many", default=False)


@contextmanager
def kept_aside() -> Iterator[None]:
    """Within it nothing is read from the cache nor kept in it: what is made is asked for once."""
    before = _aside.set(True)
    try:
        yield
    finally:
        _aside.reset(before)


@contextmanager
def one_of_many_jobs() -> Iterator[None]:
    """Within it a job is planned as one of many in a row, each once."""
    before = _many.set(True)
    try:
        yield
    finally:
        _many.reset(before)


def many_jobs() -> bool:
    """Whether a job is planned as one of many in a row: then what only it asks for is not kept."""
    return _many.get()


def cached_arrays(
    key: str,
    make: Callable[..., Any],
    names: Mapping[str, int | None],
    *,
    small: bool = False,
    of_one_job: bool = False,
) -> dict[str, np.ndarray]:
    """Arrays by name, from the cache when they lie there, else made and kept.

    Parameters
    ----------
    key : str
        Names everything the arrays depend on.
    make : callable
        Returns dict of str to ndarray.
    names : mapping of str to int or None
        What must be among them, and how many numbers each holds where that is known: a file of the cache that has
        something else is made anew.
    small : bool
        Whether the arrays are a few numbers; such are kept apart, and many more of them.
    of_one_job : bool
        Whether another job will hardly ask for the same: of many jobs in a row such are not kept.

    Returns
    -------
    dict of str to ndarray
        A cache that cannot be read or written is passed over.
    """
    if _aside.get() or (of_one_job and many_jobs()):
        return make()
    folder = cache_folder() / "small" if small else cache_folder()
    path = folder / f"{hashlib.sha256(key.encode()).hexdigest()[:32]}.npz"
    arrays = _stored(path)
    if arrays is not None and all(_fits(arrays.get(name), size) for name, size in names.items()):
        return arrays
    arrays = make()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        stream = io.BytesIO()
        np.savez(stream, **arrays)
        write_atomically(path, stream.getvalue())
        _forget_oldest(folder, KEEP_SMALL_FILES if small else KEEP_FILES)
    return arrays


def _fits(array: np.ndarray | None, size: int | None) -> bool:
    return array is not None and array.dtype.kind in "fiu" and size in {None, array.size}


# A header is read by `ast`, which in Python 3.11 counts its depth for all threads together: two in it at once fail.
_reading = Lock()


def _stored(path: Path) -> dict[str, np.ndarray] | None:
    """Arrays of a file of the cache; None where there is none, or one that is damaged or of another shape."""
    try:
        with zipfile.ZipFile(path) as archive:
            if sum(info.file_size for info in archive.infolist()) > MOST_BYTES:
                return None
        with _reading, np.load(path, allow_pickle=False) as stored:
            arrays = {name: stored[name] for name in stored.files}
        os.utime(path)
    except (OSError, ValueError, LookupError, EOFError, AttributeError, NotImplementedError, zlib.error) as error:
        if not isinstance(error, FileNotFoundError):
            with contextlib.suppress(OSError):
                path.unlink()
        return None
    except zipfile.BadZipFile:
        with contextlib.suppress(OSError):
            path.unlink()
        return None
    return arrays


def _forget_oldest(folder: Path, most: int) -> None:
    """Leaves a tenth less than `most` files of a folder that holds more; their times are read only then."""
    with os.scandir(folder) as entries:
        files = [entry for entry in entries if entry.name.endswith(".npz")]
    if len(files) <= most:
        return
    files.sort(key=lambda entry: entry.stat().st_mtime, reverse=True)
    for entry in files[most - most // 10 :]:
        Path(entry.path).unlink(missing_ok=True)
