"""Arrays that take long to make, kept in the user's cache folder between runs."""

import contextlib
import hashlib
import io
import os
import zipfile
from pathlib import Path

import numpy as np
import platformdirs

from calm_relay.exchange.job_file import write_atomically

KEEP_FILES = 60


def cache_folder() -> Path:
    """Where cached arrays lie; `CALM_RELAY_CACHE` overrides it."""
    return Path(os.environ.get("CALM_RELAY_CACHE") or platformdirs.user_cache_dir("calm-relay")) / "arrays"


def cached_arrays(key: str, make):
    """Arrays by name, from the cache when they lie there, else made and kept.

    Parameters
    ----------
    key : str
        Names everything the arrays depend on.
    make : callable
        Returns dict of str to ndarray.

    Returns
    -------
    dict of str to ndarray
        A cache that cannot be read or written is passed over.
    """
    path = cache_folder() / f"{hashlib.sha256(key.encode()).hexdigest()[:32]}.npz"
    with contextlib.suppress(OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        with np.load(path, allow_pickle=False) as stored:
            arrays = {name: stored[name] for name in stored.files}
        os.utime(path)
        return arrays
    arrays = make()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        stream = io.BytesIO()
        np.savez(stream, **arrays)
        write_atomically(path, stream.getvalue())
        _forget_oldest(path.parent)
    return arrays


def _forget_oldest(folder):
    files = sorted(folder.glob("*.npz"), key=lambda path: path.stat().st_mtime, reverse=True)
    for path in files[KEEP_FILES:]:
        path.unlink(missing_ok=True)
