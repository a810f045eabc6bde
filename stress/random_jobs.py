"""Jobs that the schema lets in and nobody would draw: demos with any of their values turned to an end of its range."""

import contextlib
import math
import random
from collections.abc import Iterator
from typing import Any, Literal, get_args, get_origin

from pydantic import ValidationError

from calm_relay.exchange.shipped import DEMOS, catalogue, demo_job
from calm_relay.job.base import Model
from calm_relay.job.carried import with_copies
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job

# What a range without a plausible end is taken to, and numbers that have broken arithmetic before.
FAR = 1e6
ODD = (0.0, 1.0, 0.5, 1e-9, 0.999999, 10.0, 100.0, 1e3)
FIXED = {"format", "schema_version", "kind", "wanted", "assumed", "path"}
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


def _choices(annotation: Any) -> list[Any]:
    if get_origin(annotation) is Literal:
        return list(get_args(annotation))
    return [choice for part in get_args(annotation) for choice in _choices(part)]


def other_value(kind: type[Model], name: str, now: Any, draw: random.Random) -> Any:
    """Another value for a field: an end of its range, something odd, another of its words, nothing at all."""
    field = kind.model_fields[name]
    if type(None) in get_args(field.annotation) and draw.random() < 0.2:
        return None
    choices = _choices(field.annotation)
    if choices and not isinstance(now, tuple):
        return draw.choice(choices)
    if isinstance(now, bool) or field.annotation is bool:
        return draw.random() < 0.5
    if isinstance(now, tuple):
        return _other_list(now, draw)
    if isinstance(now, str):
        return draw.choice([now, now + "x", "a" * 60, "Ünïcode <b>", "=1+1"])
    span = range_of(kind, name)
    low = span.low if math.isfinite(span.low) else -FAR
    high = span.high if span.high < 1e8 else FAR
    value = draw.choice([low, high, draw.uniform(low, high), draw.choice(ODD), _near(now, draw)])
    whole = isinstance(now, int) or "int" in str(field.annotation)
    return round(value) if whole else value


def _near(now: Any, draw: random.Random) -> float:
    return float(now) * draw.uniform(0.3, 3.0) if isinstance(now, int | float) else draw.choice(ODD)


def _other_list(now: tuple[Any, ...], draw: random.Random) -> tuple[Any, ...]:
    items = list(now)
    kind = draw.randrange(4)
    if kind == 0 and items:
        items.pop(draw.randrange(len(items)))
    elif kind == 1 and items:
        items.insert(0, draw.choice(items))
    elif kind == 2:
        draw.shuffle(items)
    else:
        items = items[:1]
    return tuple(items)


def changed(value: Any, path: Path, new: Any) -> Any:
    """A model with the value at a path changed, validated all the way up."""
    if not path:
        return new
    head, *rest = path
    if isinstance(value, tuple):
        inner = changed(value[head], tuple(rest), new)  # type: ignore[index]
        return (*value[:head], inner, *value[head + 1 :])  # type: ignore[operator]
    return value.with_(**{head: changed(getattr(value, head), tuple(rest), new)})  # type: ignore[misc]


def random_job(seed: int) -> Job:
    """A valid job: a demo with up to two dozen of its values, and those of its equipment, turned."""
    draw = random.Random(seed)
    job = demo_job(draw.choice(list(DEMOS)))
    if draw.random() < 0.6:
        job = with_copies(job, catalogue())
    for _ in range(draw.choice([1, 2, 4, 8, 24])):
        path, kind, name = draw.choice(list(leaves(job)))
        now: Any = job
        for part in path:
            now = now[part] if isinstance(part, int) else getattr(now, part)
        with contextlib.suppress(ValidationError):
            job = changed(job, path, other_value(kind, name, now, draw))
    return job
