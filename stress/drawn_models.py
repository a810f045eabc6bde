"""Models drawn at random: each field from what demos and catalogue hold there, or from what its model allows."""

import random
from collections import defaultdict
from collections.abc import Iterator
from functools import cache
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import ValidationError

from calm_relay.exchange.shipped import DEMOS, catalogue, demo_job, rule_packs
from calm_relay.job.base import Model
from calm_relay.job.field_range import range_of
from calm_relay.job.tariff import HOURS, HourlyPrices

# What names files and versions, and what a drawn value would only refuse.
FIXED = {"format", "schema_version", "kind", "wanted", "assumed", "path"}
# How often what a model refuses is left out and the rest tried again.
TRIES = 6
DEEPEST = 5
# Words for a field that no demo fills, of which its model takes what it knows.
WORDS = ("22:00", "06:00", "12:00", "2026-03-15", "a", "kept-battery", "House 2")
Path = tuple[str | int, ...]


def leaves(value: Any, path: Path = ()) -> Iterator[tuple[Path, type[Model], str]]:
    """Every field of a model and of what it is made of: its path, its model and its name."""
    if isinstance(value, Model):
        for name in type(value).model_fields:
            if name in FIXED:
                continue
            inner = getattr(value, name)
            if not isinstance(inner, Model):
                yield (*path, name), type(value), name
            yield from leaves(inner, (*path, name))
    elif isinstance(value, tuple):
        for number, item in enumerate(value):
            yield from leaves(item, (*path, number))


def value_at(model: Model, path: Path) -> Any:
    """What a model holds at a path of `leaves`."""
    value: Any = model
    for part in path:
        value = value[part] if isinstance(part, int) else getattr(value, part)
    return value


def choices(annotation: Any) -> list[Any]:
    """The words of which a field takes one."""
    if get_origin(annotation) is Literal:
        return list(get_args(annotation))
    return [choice for part in get_args(annotation) for choice in choices(part)]


def models(annotation: Any) -> list[type[Model]]:
    """The models of which a field takes one, or a list."""
    if isinstance(annotation, type) and issubclass(annotation, Model):
        return [annotation]
    return [kind for part in get_args(annotation) for kind in models(part)]


def is_list(annotation: Any) -> bool:
    """Whether a field takes a list."""
    if get_origin(annotation) in (Annotated, Union, UnionType):
        return any(map(is_list, get_args(annotation)))
    return get_origin(annotation) is tuple


@cache
def _seen() -> dict[tuple[type[Model], str], tuple[Any, ...]]:
    """What demos and catalogue hold at each field of each model."""
    found: dict[tuple[type[Model], str], dict[Any, None]] = defaultdict(dict)
    for whole in (*map(demo_job, DEMOS), catalogue()):
        for path, kind, name in leaves(whole):
            found[kind, name][value_at(whole, path)] = None
    return {place: tuple(values) for place, values in found.items()}


# Names of fields that hold a key, and the list of the catalogue it is of.
KEYS = {
    "inverter": "inverters",
    "battery_inverter": "inverters",
    "hybrid": "inverters",
    "string_inverter": "inverters",
    "pack": "packs",
    "module": "modules",
    "electronics": "optimisers",
}


@cache
def _keys(name: str) -> tuple[str, ...]:
    """What a field of a name may hold where it holds a key; nothing where it does not."""
    if name == "rule":
        return tuple(sorted({rule.key for pack in rule_packs().values() for rule in pack.rules}))
    if name == "region":
        return tuple(rule_packs())
    return tuple(item.key for item in getattr(catalogue(), KEYS[name])) if name in KEYS else ()


def _number(kind: type[Model], name: str, draw: random.Random) -> float:
    span = range_of(kind, name)
    low, high = max(span.low, 0.0 if span.low > -1e6 else -50.0), min(span.high, 40.0)
    return draw.choice([draw.uniform(low, max(low, high)), low, float(draw.randrange(1, 13))])


def drawn_value(kind: type[Model], name: str, draw: random.Random, depth: int = 0) -> Any:
    """A value for a field of a model; its model may refuse it."""
    field = kind.model_fields[name]
    seen, words = _seen().get((kind, name), ()), choices(field.annotation)
    inner = models(field.annotation)
    if (keys := _keys(name)) and not inner and draw.random() < 0.9:
        return draw.choice(keys)
    if seen and draw.random() < 0.6:
        return draw.choice(seen)
    if inner and depth < DEEPEST:
        items = [drawn_model(draw.choice(inner), draw, depth + 1) for _ in range(draw.choice([1, 1, 2]))]
        found = [item for item in items if item is not None]
        return tuple(found) if is_list(field.annotation) else next(iter(found), None)
    if words:
        return (draw.choice(words),) if is_list(field.annotation) else draw.choice(words)
    told = str(field.annotation)
    if "bool" in told:
        return draw.random() < 0.5
    if "float" in told or "int" in told:
        number = _number(kind, name, draw)
        number = round(number) if "float" not in told else number
        if (kind, name) == (HourlyPrices, "prices"):
            return tuple(draw.gauss(number, 0.3 * abs(number)) for _ in range(HOURS))
        return (number,) * draw.randrange(1, 4) if is_list(field.annotation) else number
    word = draw.choice(WORDS)
    return (word,) if is_list(field.annotation) else word


def drawn_model(kind: type[Model], draw: random.Random, depth: int = 0) -> Model | None:
    """A valid model of a kind, its fields drawn; None where what was drawn is refused again and again."""
    values = {
        name: drawn_value(kind, name, draw, depth)
        for name, field in kind.model_fields.items()
        if name not in FIXED and (field.is_required() or draw.random() < 0.5)
    }
    for _ in range(TRIES):
        try:
            return kind(**values)
        except ValidationError as error:
            refused = {str(item["loc"][0]) for item in error.errors() if item["loc"]} & kind.model_fields.keys()
            # What is refused as a whole names no field: one of them goes.
            for name in sorted(refused) or [draw.choice(list(values) or [""])]:
                values.pop(name, None)
                if name in kind.model_fields and kind.model_fields[name].is_required():
                    values[name] = drawn_value(kind, name, draw, depth)
    return None
