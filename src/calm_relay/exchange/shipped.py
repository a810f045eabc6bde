"""Readers of the data that ships with the application: catalogue, climates, the demo job."""

import json
from functools import lru_cache

from pydantic import Field, ValidationError

from calm_relay.data import shipped
from calm_relay.exchange.errors import InputError, first_field_error, read_text
from calm_relay.exchange.job_file import read_job
from calm_relay.job.base import Identifier, Model, NotNegative
from calm_relay.job.equipment import Catalogue
from calm_relay.job.model import Job


class Climate(Model):
    """Twelve monthly means from which a year can be made."""

    key: Identifier
    name: str
    latitude: float = Field(ge=-66.0, le=66.0)
    ghi_kwh_per_day: tuple[NotNegative, ...] = Field(min_length=12, max_length=12)
    temp_c: tuple[float, ...] = Field(min_length=12, max_length=12)
    daily_range_c: tuple[NotNegative, ...] = Field(min_length=12, max_length=12)
    wind_mean: NotNegative


@lru_cache(maxsize=1)
def catalogue() -> Catalogue:
    """The invented catalogue."""
    return _load(Catalogue, "catalogue.json")


@lru_cache(maxsize=1)
def climates() -> dict[str, Climate]:
    """Climate presets by key."""
    path = shipped("climates.json")
    return {entry["key"]: Climate.model_validate(entry) for entry in json.loads(read_text(path))["climates"]}


def demo_job() -> Job:
    """The finished job on which the application first opens."""
    return read_job(shipped("demo/pottery.relay.json"))


def _load(model, name):
    path = shipped(name)
    try:
        return model.model_validate_json(read_text(path))
    except ValidationError as error:
        raise InputError(path, *first_field_error(error)) from None
