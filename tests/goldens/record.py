"""The figures of a demo's plan, its series and its search's table, small enough to keep and to compare."""

import hashlib
import json
from dataclasses import replace
from pathlib import Path

import numpy as np

from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.plan import plan as plan_on
from calm_relay.planning.studies.collected import studies_of
from calm_relay.planning.studies.search import plant_rows, search
from calm_relay.planning.views.document import document_of, foresight_series, series_of
from tests.plans import plan

HERE = Path(__file__).parent
# Longer series are kept as two sums, one of them weighted so that an order is noticed too.
LONGEST = 12


def golden_file(name: str) -> Path:
    """Where a demo's record lies."""
    return HERE / f"{name}.json"


def recorded(name: str) -> dict[str, dict]:
    """Figures by path, in three parts: the assessed plan with its studies, its series, the search's table."""
    made = plan(demo_job(name))
    studies = studies_of(_few_options(made))
    assessed = document_of(made, studies).model_dump(mode="json", exclude={"made_by"})
    series = {}
    for option in made.live:
        key = option.key
        series[key] = _columns(series_of(option, made)[1])
        left = studies.foresight.get(key)
        if left:
            # The optimum is one figure, but not every path to it: ties may fall otherwise on other machines.
            columns = foresight_series(left, made)[1]
            series[f"{key}, foresight"] = _columns({k: v for k, v in columns.items() if "best" not in k})
    found = search(plan_on(demo_job(name), _few_parts()))
    return {"assess": _figures(assessed), "series": _figures(series), "search": _figures(_table(found))}


def _few_options(made):
    """What is there today, the option that fits best, and the last: studies of the others run the same code."""
    kept = {made.live[0].key, made.choice.key, made.live[-1].key}
    return replace(made, options=tuple(option for option in made.options if option.key in kept))


def _few_parts():
    """The shipped library with every fourth pack and module on offer: a search of it moves where a whole one does."""
    whole = library()
    left_out = {
        (kind, item.key)
        for kind in ("packs", "modules")
        for number, item in enumerate(getattr(whole.catalogue, kind))
        if number % 4
    }
    return replace(whole, withheld=whole.withheld | left_out)


def _figures(value, path="", result=None):
    """Every number by its path, every text as a part of one hash."""
    result, texts = ({}, []) if result is None else result
    if isinstance(value, dict):
        for key, item in value.items():
            _figures(item, f"{path}/{key}", (result, texts))
    elif isinstance(value, list | tuple):
        if len(value) > LONGEST and all(isinstance(item, int | float) for item in value):
            result[f"{path}/sums"] = _sums(value)
        else:
            for number, item in enumerate(value):
                _figures(item, f"{path}/{number}", (result, texts))
    elif isinstance(value, bool) or value is None or isinstance(value, str):
        texts.append(f"{path}={value}")
    else:
        result[path] = float(value)
    if path == "":
        result["texts"] = hashlib.sha256("\n".join(texts).encode()).hexdigest()
    return result


def _sums(values):
    values = np.asarray(values, dtype=float)
    return [float(values.sum()), float((values * np.linspace(1.0, 2.0, values.size)).sum())]


def _columns(columns):
    return {name: [*_sums(values), float(min(values)), float(max(values))] for name, values in columns.items()}


def _table(result):
    head, *rows = plant_rows(result)
    columns = dict(zip(head, zip(*rows, strict=True), strict=True))
    numbers = {name: list(column) for name, column in columns.items() if not isinstance(column[0], str)}
    words = {name: " ".join(column) for name, column in columns.items() if isinstance(column[0], str)}
    return {"rows": len(rows), "tried": result.tried, **numbers, **words}


def write(name: str) -> None:
    """Records a demo anew."""
    golden_file(name).write_text(json.dumps(recorded(name), indent=0, ensure_ascii=False) + "\n")
