"""How a field of a model is named and in which unit it is shown: read from the model, stated nowhere else."""

import types
from dataclasses import dataclass
from typing import Any, Literal, Union, get_args, get_origin

from calm_relay.job.base import Model

# The unit that a name's ending states, and how many of it one of the model's unit are.
ENDINGS = (
    ("_per_c", "%/°C", 100.0),
    ("_mwh_per_kwh", "", 1.0),
    ("_years", "years", 1.0),
    ("_hours", "h", 1.0),
    ("_kwh", "kWh", 1.0),
    ("_kw", "kW", 1.0),
    ("_mm", "mm", 1.0),
    ("_ms", "ms", 1.0),
    ("_kg", "kg", 1.0),
    ("_w", "W", 1.0),
    ("_v", "V", 1.0),
    ("_a", "A", 1.0),
    ("_c", "°C", 1.0),
    ("_s", "s", 1.0),
)


@dataclass(frozen=True)
class FieldWords:
    """A field's title, the unit it is shown in, how many of that unit one of the model's is, and its decimals."""

    title: str
    unit: str
    scale: float
    decimals: int


def lower_first(title: str) -> str:
    """A title within a sentence: its first letter small, its symbols as they are."""
    return title if title[:2].isupper() else title[:1].lower() + title[1:]


def words_of(model: type[Model], name: str) -> FieldWords:
    """Words and unit of a field.

    Parameters
    ----------
    model : type of Model
        Class of the model.
    name : str
        Its field. A unit in the field's `json_schema_extra` goes before the one its name ends in.

    Raises
    ------
    KeyError
        When the model has no such field.
    """
    field = model.model_fields[name]
    title = field.title or name.replace("_", " ").capitalize()
    extra = field.json_schema_extra
    if isinstance(extra, dict) and "unit" in extra:
        return FieldWords(title, str(extra["unit"]), 1.0, 3)
    for ending, unit, scale in ENDINGS:
        if name.endswith(ending):
            return FieldWords(title, unit, scale, 4 if unit == "%/°C" else 3)
    if is_fraction(model, name):
        return FieldWords(title, "%", 100.0, 2)
    return FieldWords(title, "", 1.0, 3)


def is_fraction(model: type[Model], name: str) -> bool:
    """Whether a field is a share of one, which people read in per cent."""
    bounds = {type(bound).__name__: bound for bound in model.model_fields[name].metadata}
    low = getattr(bounds.get("Ge"), "ge", getattr(bounds.get("Gt"), "gt", None))
    high = getattr(bounds.get("Le"), "le", getattr(bounds.get("Lt"), "lt", None))
    return low is not None and high is not None and 0.0 <= low < high <= 1.0 and plain_type(model, name) is float


def plain_type(model: type[Model], name: str) -> Any:
    """What a field holds where it holds something: its annotation without None."""
    annotation = model.model_fields[name].annotation
    if get_origin(annotation) in (Union, types.UnionType):
        parts = [part for part in get_args(annotation) if part is not type(None)]
        annotation = parts[0] if len(parts) == 1 else annotation
    return getattr(annotation, "__origin__", annotation) if hasattr(annotation, "__metadata__") else annotation


def choices_of(model: type[Model], name: str) -> tuple[str, ...]:
    """The words that a field may be, none where it may be anything."""
    annotation = plain_type(model, name)
    return tuple(str(word) for word in get_args(annotation)) if get_origin(annotation) is Literal else ()
