"""What ships with the application, the published schemas, and the cache of arrays."""

import io
import json
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import jsonschema
import numpy as np
import pytest

from calm_relay.exchange import array_cache
from calm_relay.exchange.array_cache import cache_folder, cached_arrays
from calm_relay.exchange.job_file import job_text
from calm_relay.exchange.plan_document import PlanDocument, schema_text
from calm_relay.exchange.shipped import catalogue, climates
from calm_relay.job.equipment import KINDS
from calm_relay.job.model import Job
from calm_relay.job.own_item import FILES
from calm_relay.planning.equipment.equipment import loss_curve

DOCS = Path(__file__).parents[2] / "docs"


def npz(**arrays):
    """An archive of arrays."""
    stream = io.BytesIO()
    np.savez(stream, **arrays)
    return stream.getvalue()


def npy(array):
    """A plain array."""
    stream = io.BytesIO()
    np.save(stream, array)
    return stream.getvalue()


def test_the_catalogue_is_large_enough_to_choose_from():
    kinds = [item.kind for item in catalogue().inverters]
    assert len(catalogue().modules) >= 5
    assert kinds.count("string inverter") >= 4
    assert kinds.count("hybrid inverter") >= 5
    assert kinds.count("battery inverter") + kinds.count("all-in-one unit") >= 4
    assert len(catalogue().packs) >= 6
    assert {item.stacking for item in catalogue().packs} == {"parallel", "series"}


@pytest.mark.parametrize("inverter", catalogue().inverters, ids=lambda inverter: inverter.key)
def test_every_inverter_has_a_loss_curve_and_a_pack(inverter):
    assert loss_curve(inverter).weighted_efficiency(inverter.weighting) == pytest.approx(
        inverter.weighted_efficiency, abs=1e-6
    )
    if inverter.battery:
        assert {pack.family for pack in catalogue().packs} & set(inverter.battery.families)


def test_climates_cover_twelve_months_each():
    assert len(climates()) >= 5
    assert all(len(climate.ghi_kwh_per_day) == 12 for climate in climates().values())


@pytest.mark.parametrize(
    ("name", "model", "title"),
    [
        ("job", Job, "Calm Relay job, *.relay.json"),
        ("plan", PlanDocument, "Calm Relay plan, as written by assess"),
        *((f"own-{kind}", FILES[kind], f"Own {kind} of a Calm Relay library, {kind}.json") for kind in KINDS),
    ],
)
def test_the_published_schemas_are_those_of_the_models(name, model, title):
    published = (DOCS / f"{name}.schema.json").read_text()
    assert published == schema_text(model, title), "./run schemas remakes them"


def test_the_demo_job_fits_the_published_schema(demo):
    jsonschema.validate(json.loads(job_text(demo)), json.loads((DOCS / "job.schema.json").read_text()))


def test_arrays_are_made_once_and_kept(tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_CACHE", str(tmp_path))
    made = []

    def make():
        made.append(1)
        return {"a": np.arange(3.0)}

    for _ in range(2):
        assert cached_arrays("key", make, {"a": 3})["a"].tolist() == [0.0, 1.0, 2.0]
    assert len(made) == 1
    next(cache_folder().iterdir()).write_bytes(b"noise")
    assert cached_arrays("key", make, {"a": 3})["a"].tolist() == [0.0, 1.0, 2.0]
    assert len(made) == 2


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"PK",
        b"not an archive",
        npz(b=np.arange(3.0)),
        npz(a=np.arange(4.0)),
        npz(a=np.array(["x", "y", "z"])),
        npy(np.arange(3.0)),
        npz(a=np.arange(3.0))[:-30],
        npz(a=np.arange(3.0)).replace(b"\x93NUMPY", b"\x93NUMPX"),
    ],
)
def test_a_file_of_the_cache_that_holds_something_else_is_made_anew(content, tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_CACHE", str(tmp_path))
    cached_arrays("key", lambda: {"a": np.arange(3.0)}, {"a": 3})
    (file,) = cache_folder().glob("*.npz")
    file.write_bytes(content)
    made = []
    for _ in range(2):
        arrays = cached_arrays("key", lambda: made.append(1) or {"a": np.arange(3.0)}, {"a": 3})
        assert arrays["a"].tolist() == [0.0, 1.0, 2.0]
    assert made == [1]


def test_the_oldest_arrays_are_forgotten_and_a_missing_folder_does_not_matter(tmp_path, monkeypatch):
    monkeypatch.setenv("CALM_RELAY_CACHE", str(tmp_path))
    monkeypatch.setattr(array_cache, "KEEP_FILES", 3)
    for number in range(6):
        cached_arrays(f"key {number}", lambda: {"a": np.zeros(1)}, {"a": 1})
    assert len(list(cache_folder().iterdir())) == 3
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("CALM_RELAY_CACHE", str(tmp_path / "file"))
    assert cached_arrays("key", lambda: {"a": np.ones(1)}, {"a": 1})["a"].tolist() == [1.0]


def test_no_two_threads_read_the_cache_at_once(tmp_path, monkeypatch):
    """Plans read it in threads; what reads a file's header cannot be in two of them in Python 3.11."""
    monkeypatch.setenv("CALM_RELAY_CACHE", str(tmp_path))
    keys = [f"key {number}" for number in range(8)]
    for number, key in enumerate(keys):
        cached_arrays(key, lambda number=number: {"k": np.full(3, float(number))}, {"k": 3}, small=True)
    inside, most = [], []
    load = np.load

    def watched(*args, **named):
        inside.append(1)
        most.append(len(inside))
        time.sleep(0.002)
        found = load(*args, **named)
        inside.pop()
        return found

    monkeypatch.setattr(array_cache.np, "load", watched)
    with ThreadPoolExecutor(4) as threads:
        found = list(threads.map(lambda key: cached_arrays(key, dict, {"k": 3}, small=True)["k"][0], keys * 4))
    assert found == [float(number) for number in range(8)] * 4
    assert len(most) == 32 and max(most) == 1
