"""Every way to couple a battery, one file each; adding a file adds an option."""

from functools import lru_cache
from importlib import import_module
from pkgutil import iter_modules

from calm_relay.planning.architecture.design import Architecture


@lru_cache(maxsize=1)
def architectures() -> tuple[Architecture, ...]:
    """Every architecture, in the order of their places."""
    found = (import_module(f"{__name__}.{info.name}").ARCHITECTURE for info in iter_modules(__path__))
    return tuple(sorted(found, key=lambda architecture: architecture.place))


def architecture_in(role: str) -> Architecture:
    """The architecture that others are held against in a role; see `Architecture`."""
    return next(item for item in architectures() if item.role == role)
