"""Painting that ends with the paint, whatever happens in it."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from typing import Any

from PySide6.QtGui import QPaintDevice, QPainter, QPaintEvent


@contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter on a device, ended with the block: one that an error keeps alive brings the process down."""
    painter = QPainter(device)
    try:
        yield painter
    finally:
        painter.end()


def painted(paint: Callable[[Any, QPainter], None]) -> Callable[[Any, QPaintEvent], None]:
    """A widget's `paintEvent` from what paints it.

    An error is told when it first comes and not again at every paint that meets it too; the widget stays as far as it
    came.
    """

    @wraps(paint)
    def paint_event(self, event):
        try:
            with painting(self) as painter:
                paint(self, painter)
            self._unpainted = None
        except Exception as error:
            told = f"{type(error).__name__}: {error}"
            if getattr(self, "_unpainted", None) == told:
                return
            self._unpainted = told
            raise

    return paint_event
