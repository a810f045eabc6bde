"""Converters that meet at the AC bus: their equations, one book of flows, and the runs that fill it."""

import contextlib
from hashlib import sha256
from pathlib import Path


def _forget_stale() -> None:
    """Takes compiled code away when any source of this room has changed.

    The compiler looks at the file of a function alone, not at the files of those it is made from.
    """
    room = Path(__file__).parent
    cache, sources = room / "__pycache__", sha256()
    for path in sorted(room.glob("*.py")):
        sources.update(path.read_bytes())
    stamp = cache / "compiled.sha256"
    # A folder that cannot be written holds nothing compiled either.
    with contextlib.suppress(OSError):
        if not stamp.exists() or stamp.read_text() != sources.hexdigest():
            for path in (*cache.glob("*.nbi"), *cache.glob("*.nbc")):
                path.unlink()
            cache.mkdir(exist_ok=True)
            stamp.write_text(sources.hexdigest())


_forget_stale()
