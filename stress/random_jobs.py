"""Jobs that the schema lets in and nobody would draw: demos with any of their values turned to an end of its range.

Lists are given items that the demo has none of, and what it leaves out is put in.
"""

import contextlib
import math
import random
from typing import Any, get_args

from pydantic import ValidationError

from calm_relay.exchange.shipped import DEMOS, catalogue, demo_job
from calm_relay.job.base import Model
from calm_relay.job.carried import with_copies
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job
from stress.drawn_models import Path, choices, drawn_model, drawn_value, is_list, leaves, models, value_at

# What a range without a plausible end is taken to, and numbers that have broken arithmetic before.
FAR = 1e6
ODD = (0.0, 1.0, 0.5, 1e-9, 0.999999, 10.0, 100.0, 1e3)


def other_value(kind: type[Model], name: str, now: Any, draw: random.Random) -> Any:
    """Another value for a field: an end of its range, something odd, another of its words, nothing at all."""
    field = kind.model_fields[name]
    if type(None) in get_args(field.annotation) and draw.random() < 0.2:
        return None
    if now is None and draw.random() < 0.7:
        return drawn_value(kind, name, draw)
    if isinstance(now, tuple) and (not now or draw.random() < 0.4):
        return _longer(field.annotation, now, draw) or drawn_value(kind, name, draw)
    words = choices(field.annotation)
    if words and not isinstance(now, tuple):
        return draw.choice(words)
    if isinstance(now, bool) or field.annotation is bool:
        return draw.random() < 0.5
    if isinstance(now, tuple):
        return _other_list(now, draw)
    if isinstance(now, str) and draw.random() < 0.5:
        return drawn_value(kind, name, draw)
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


def _longer(annotation: Any, now: tuple[Any, ...], draw: random.Random) -> tuple[Any, ...] | None:
    """A list with an item more; None where it holds no models."""
    inner = models(annotation)
    item = drawn_model(draw.choice(inner), draw) if inner and is_list(annotation) else None
    return None if item is None else (*now, item)


def changed(value: Any, path: Path, new: Any) -> Any:
    """A model with the value at a path changed, validated all the way up."""
    if not path:
        return new
    head, *rest = path
    if isinstance(value, tuple):
        inner = changed(value[head], tuple(rest), new)  # type: ignore[index]
        return (*value[:head], inner, *value[head + 1 :])  # type: ignore[index, operator, misc]
    return value.with_(**{head: changed(getattr(value, head), tuple(rest), new)})  # type: ignore[misc]


def random_job(seed: int) -> Job:
    """A valid job: a demo with up to two dozen of its values, and those of its equipment, turned."""
    draw = random.Random(seed)
    job = demo_job(draw.choice(list(DEMOS)))
    if draw.random() < 0.6:
        job = with_copies(job, catalogue())
    for _ in range(draw.choice([1, 2, 4, 8, 24])):
        # A section first: else the hundreds of fields of copied equipment would be all that is turned.
        fields = list(leaves(job))
        section = draw.choice(sorted({path[0] for path, _, _ in fields}))
        found = [(field, value_at(job, field[0])) for field in fields if field[0][0] == section]
        empty = [entry for entry in found if entry[1] in (None, ())]
        (path, kind, name), now = draw.choice(empty if empty and draw.random() < 0.5 else found)
        with contextlib.suppress(ValidationError):
            job = changed(job, path, other_value(kind, name, now, draw))
    return job
