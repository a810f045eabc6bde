"""Imports without what nothing here uses."""

import sys
import threading
from importlib import import_module
from importlib.util import find_spec, module_from_spec
from types import ModuleType

_once = threading.Lock()


# What the physics here is made of, and what that stands on; each is imported when it is first named.
PARTS = {
    "atmosphere", "clearsky", "iam", "irradiance", "snow", "solarposition", "spa", "temperature", "tools",
}  # fmt: skip


def lean_pvlib() -> None:
    """Makes pvlib ready so that of its modules only those of `PARTS` that are named are imported.

    What the package imports by itself reads files of a dozen services and fits modules: 20 MB and a third of a second.
    It still does where anything else of it is asked for. Where pvlib is there already, nothing happens.
    """
    lean_pandas()
    with _once:
        spec = find_spec("pvlib") if "pvlib" not in sys.modules else None
        if spec is None or spec.loader is None:
            return
        package, loader = module_from_spec(spec), spec.loader

        def part(name: str) -> ModuleType:
            if name in PARTS:
                return import_module(f"pvlib.{name}")
            if not name.startswith("__") and package.__dict__.pop("__getattr__", None):
                loader.exec_module(package)
            if name in package.__dict__:
                found: ModuleType = package.__dict__[name]
                return found
            raise AttributeError(f"module 'pvlib' has no attribute {name!r}")

        package.__getattr__ = part  # type: ignore[method-assign]
        sys.modules["pvlib"] = package


def import_parts() -> None:
    """Imports at once all of pvlib that a sky, a plane and the light in modules are made with."""
    lean_pvlib()
    for name in sorted(PARTS):
        import_module(f"pvlib.{name}")


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
