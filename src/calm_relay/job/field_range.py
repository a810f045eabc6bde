"""What a number of the job may be, read from its model: the single statement of what is valid."""

from dataclasses import dataclass, replace
from typing import Any, get_args

from annotated_types import Ge, Gt, Le, Lt

from calm_relay.job.base import Model


@dataclass(frozen=True)
class FieldRange:
    """From `low` to `high`, either end left out where it is open, or nothing at all where `optional`."""

    low: float = float("-inf")
    high: float = float("inf")
    low_open: bool = False
    high_open: bool = False
    optional: bool = False

    def holds(self, value: float) -> bool:
        """Whether a number lies in it."""
        above = value > self.low if self.low_open else value >= self.low
        return above and (value < self.high if self.high_open else value <= self.high)

    def times(self, factor: float) -> "FieldRange":
        """The same in a unit that is so many times smaller."""
        return replace(self, low=self.low * factor, high=self.high * factor)


def range_of(model: type[Model], name: str) -> FieldRange:
    """Range of a number of a model.

    Parameters
    ----------
    model : type of Model
        Class of the model.
    name : str
        Its field.

    Raises
    ------
    KeyError
        When the model has no such field.
    """
    field = model.model_fields[name]
    result = FieldRange(optional=type(None) in get_args(field.annotation))
    for bound in [*field.metadata, *_inner(field.annotation)]:
        if isinstance(bound, Ge) and float(bound.ge) > result.low:  # type: ignore[arg-type]
            result = replace(result, low=float(bound.ge), low_open=False)  # type: ignore[arg-type]
        elif isinstance(bound, Gt) and float(bound.gt) >= result.low:  # type: ignore[arg-type]
            result = replace(result, low=float(bound.gt), low_open=True)  # type: ignore[arg-type]
        elif isinstance(bound, Le) and float(bound.le) < result.high:  # type: ignore[arg-type]
            result = replace(result, high=float(bound.le), high_open=False)  # type: ignore[arg-type]
        elif isinstance(bound, Lt) and float(bound.lt) <= result.high:  # type: ignore[arg-type]
            result = replace(result, high=float(bound.lt), high_open=True)  # type: ignore[arg-type]
    return result


def _inner(annotation: Any) -> list[Any]:
    """Bounds inside a union or an annotated type."""
    bounds: list[Any] = []
    for part in get_args(annotation):
        for metadata in getattr(part, "__metadata__", ()):
            bounds += getattr(metadata, "metadata", [metadata])
    return bounds
