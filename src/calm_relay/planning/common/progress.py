"""Long work that tells how far it is and can be called off."""

from collections.abc import Callable


class Cancelled(Exception):
    """Raised inside long work when it was called off."""


class Superseded(Cancelled):
    """Raised inside long work when a newer request took its place; nobody need be told."""


Progress = Callable[[float, str], None]


def unheard(done: float, what: str) -> None:
    """Progress that nobody listens to; a listener may raise `Cancelled`."""
