"""Imports without what nothing here uses."""

import sys
import threading

_once = threading.Lock()


def lean_pandas() -> None:
    """Imports pandas without the table engine that it would bring along: 35 MB and a fifth of a second.

    To be called before pvlib or pandas is imported; where either is there already, nothing happens.
    """
    with _once:
        if "pandas" in sys.modules or "pyarrow" in sys.modules:
            return
        # None in its place makes an import fail as if it were not installed, which pandas is made for.
        sys.modules["pyarrow"] = None  # type: ignore[assignment]
        try:
            import pandas  # noqa: F401
        finally:
            del sys.modules["pyarrow"]
