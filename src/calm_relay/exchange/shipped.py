"""Readers of the data that ships with the application: catalogue, climates, the demo job."""

import json
from functools import lru_cache
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from calm_relay.data import shipped
from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.job_file import read_job
from calm_relay.job.base import Model
from calm_relay.job.country import Country
from calm_relay.job.equipment import Catalogue
from calm_relay.job.library import Climate, Library
from calm_relay.job.model import Job
from calm_relay.job.rules import RulePack
from calm_relay.job.wires import WireTables

Shipped = TypeVar("Shipped", bound=Model)


@lru_cache(maxsize=1)
def catalogue() -> Catalogue:
    """The invented catalogue."""
    return _load(Catalogue, "catalogue.json")


@lru_cache(maxsize=1)
def countries() -> dict[str, Country]:
    """What is usual in each country, by its name."""
    found = json.loads(read_text(shipped("countries.json"), "shipped"))["countries"]
    return {entry["name"]: Country.model_validate(entry) for entry in found}


@lru_cache(maxsize=1)
def climates() -> dict[str, Climate]:
    """Climate presets by key."""
    path = shipped("climates.json")
    return {
        entry["key"]: Climate.model_validate(entry) for entry in json.loads(read_text(path, "shipped"))["climates"]
    }


@lru_cache(maxsize=1)
def rule_packs() -> dict[str, RulePack]:
    """Packs of regional rules by key, the plain one first."""
    packs = [_load(RulePack, f"rules/{path.name}") for path in sorted(shipped("rules").glob("*.json"))]
    packs.sort(key=lambda pack: (pack.key != "generic", pack.name))
    return {pack.key: pack for pack in packs}


@lru_cache(maxsize=1)
def wire_tables() -> dict[str, WireTables]:
    """Tables of wires by key."""
    tables = [_load(WireTables, f"wires/{path.name}") for path in sorted(shipped("wires").glob("*.json"))]
    return {item.key: item for item in tables}


@lru_cache(maxsize=1)
def world_outline() -> tuple[str, tuple[tuple[float, ...], ...]]:
    """Where the outline of the world's land is from, and its rings: longitude and latitude in turn [degrees]."""
    found = json.loads(read_text(shipped("world.json"), "shipped"))
    return found["source"], tuple(tuple(ring) for ring in found["rings"])


@lru_cache(maxsize=1)
def library() -> Library:
    """The invented catalogue, the climates and the rule packs together, as plans take them."""
    return Library(catalogue(), climates(), rule_packs(), countries(), wires=wire_tables())


# Jobs that ship with the application, by the word that names each.
DEMOS = {
    "pottery": "Pottery studio",
    "cottage": "New house, split phase",
    "dairy": "Dairy farm, three phase",
    "hut": "Mountain hut, off grid",
    "two-homes": "Two homes, old units kept",
}


def demo_job(name: str = "pottery") -> Job:
    """A finished job that is worth exploring; the first of `DEMOS` opens at first start.

    Raises
    ------
    ValueError
        When no demo is called so.
    """
    if name not in DEMOS:
        raise ValueError(f"no demo is called {name!r}; wanted one of {', '.join(DEMOS)}")
    return read_job(shipped(f"demo/{name}.relay.json"))


def demo_logbook(job: Job) -> Path | None:
    """The logbook that ships with a demo job, by the job's own name; None for any other."""
    for name in DEMOS:
        path = shipped(f"demo/{name}.relay.logbook.jsonl")
        if path.exists() and demo_job(name).name == job.name:
            return path
    return None


def _load(model: type[Shipped], name: str) -> Shipped:
    path = shipped(name)
    try:
        return model.model_validate_json(read_text(path, "shipped"))
    except ValidationError as error:
        raise InputError(path, *first_field_error(error)) from None
