"""What a model refused, in the words of the screen."""

import re
from collections.abc import Mapping
from typing import get_args

from pydantic import ValidationError

from calm_relay.exchange.errors import first_field_error
from calm_relay.job.base import Model
from calm_relay.job.field_words import ENDINGS, lower_first, words_of

# The path that a model's own sentence begins with, and names of fields within it.
_PLACE = re.compile(r"^([a-z_]+(?:\.(?:\d+|[a-z_]+))*): ")
_NAMED = re.compile(r"(?<![\w'‘“.])[a-z][a-z0-9]*(?:_[a-z0-9]+)+(?![\w'’”.])")


def refused_words(
    error: ValidationError, model: type[Model] | None = None, labels: Mapping[str, str] | None = None
) -> str:
    """The first thing a model refused as a sentence without its stop.

    Parameters
    ----------
    error : pydantic.ValidationError
        What the model raised.
    model : type of Model, optional
        The model that was made: its fields are called by their titles.
    labels : mapping of str to str, optional
        What the screen calls a field, by its path, before its title.
    """
    where, problem = first_field_error(error)
    path = where.split(".") if where else []
    own = _PLACE.match(problem)
    if own is not None:
        path, problem = [*path, *own[1].split(".")], problem[own.end() :]
    known = labels or {}
    said, at, holder = _walked(path, model, known)

    def called(found: re.Match[str]) -> str:
        beside = at.rpartition(".")[0]
        near = (f"{at}.{found[0]}", f"{beside}.{found[0]}", found[0])
        return lower_first(_title(next((name for name in near if name in known), found[0]), holder, known))

    problem = _NAMED.sub(called, problem)
    said = f"{said}: {problem}" if said else problem
    return f"{said[:1].upper()}{said[1:]}"


def field_called(path: str, model: type[Model] | None = None) -> str:
    """What a field is called on screen, by its path from a model, such as "battery.charge_windows.0.target"."""
    return _walked(path.split("."), model, {})[0] if path else ""


def _walked(
    path: list[str], model: type[Model] | None, labels: Mapping[str, str]
) -> tuple[str, str, type[Model] | None]:
    """A path in words, the same path without its numbers, and the model that its last field is of."""
    said, at, holder = "", "", model
    for part in path:
        if part.isdigit():
            said += f" {int(part) + 1}"
            continue
        at = f"{at}.{part}" if at else part
        title = _title(at, holder, labels)
        said += f", {lower_first(title)}" if said else title
        holder = _model_in(holder, part) or holder
    return said, at, holder


def _model_in(model: type[Model] | None, name: str) -> type[Model] | None:
    """The model that a field holds, one or many of it; None where it holds none."""
    waiting = [model.model_fields[name].annotation] if model is not None and name in model.model_fields else []
    while waiting:
        kind = waiting.pop(0)
        if isinstance(kind, type) and issubclass(kind, Model):
            return kind
        waiting += get_args(kind)
    return None


def _title(path: str, model: type[Model] | None, labels: Mapping[str, str]) -> str:
    """What a field is called: by the screen, by its model, or by its name without its unit."""
    if path in labels:
        return labels[path].partition(";")[0]
    name = path.rpartition(".")[2]
    if model is not None and name in model.model_fields and model.model_fields[name].title:
        return words_of(model, name).title
    for ending, _, _ in ENDINGS:
        # A unit that is a word belongs to the name.
        name = name if ending in {"_hours", "_years"} else name.removesuffix(ending)
    return name.replace("_", " ").capitalize()
