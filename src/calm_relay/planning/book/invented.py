"""Invented jobs, as many as are asked for: to show, to try and to measure the book. Nobody lives in them."""

from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path

import numpy as np

from calm_relay.exchange.files import make_folder, write_atomically
from calm_relay.exchange.job_file import SUFFIX, job_text
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.demand import ShapedDemand
from calm_relay.job.model import Job, JobState
from calm_relay.job.tariff import RateWindow, Tariff

# Demo each is made from, how often, and places it may stand at: name, latitude, longitude.
KINDS: tuple[tuple[str, float, tuple[tuple[str, float, float], ...]], ...] = (
    ("pottery", 0.45, (
        ("Nelson, New Zealand", -41.27, 173.28), ("Motueka, New Zealand", -41.12, 173.01),
        ("Tauranga, New Zealand", -37.69, 176.17), ("Christchurch, New Zealand", -43.53, 172.63),
    )),
    ("dairy", 0.2, (
        ("Tralee, Ireland", 52.27, -9.7), ("Ennis, Ireland", 52.84, -8.99), ("Cork, Ireland", 51.9, -8.47),
    )),
    ("two-homes", 0.15, (
        ("Ulm, Germany", 48.4, 9.99), ("Augsburg, Germany", 48.37, 10.9),
    )),
    ("cottage", 0.15, (
        ("Greensboro, United States", 36.07, -79.79), ("Raleigh, United States", 35.78, -78.64),
    )),
    ("hut", 0.05, (
        ("Zell am See, Austria", 47.32, 12.8),
    )),
)  # fmt: skip
HOUSES = ("House", "Cottage", "Farmhouse", "Workshop", "Bakery", "Studio", "Villa", "Barn", "School", "Surgery")
LANES = (
    "Fernhill", "Alder Row", "Quarry Lane", "Millrace", "Harbour Steps", "Thistle End", "Orchard Bank", "Sandholm",
    "Kestrel Rise", "Low Meadow", "Windmill Rise", "Copper Beech", "Ropewalk", "Saltings", "Heron Walk", "Foxglove",
)  # fmt: skip
FAMILIES = (
    "Anselm", "Birkwood", "Callow", "Dunmere", "Eastlake", "Fallowfield", "Garrowby", "Hallowmere", "Inchmore",
    "Jessop", "Kelmarsh", "Lorimer", "Merrow", "Northwick", "Ostler", "Pellow", "Quaile", "Rushden", "Sallow",
    "Thornbury",
)  # fmt: skip
STATES: tuple[tuple[JobState, float], ...] = (
    ("survey", 0.25),
    ("offered", 0.35),
    ("signed", 0.15),
    ("built", 0.25),
)
# Rebates a kWh of battery, in whatever currency the job is in.
REBATES = (0.0, 120.0, 200.0, 300.0)
# The file of the new tariff that is written beside the jobs.
TARIFF_NAME = "evening-peak.tariff.json"
# What the invented jobs of the first kind pay today.
TODAY_NAME = "Day and night"


def new_tariff() -> Tariff:
    """An invented tariff that replaces the one of the first kind of invented jobs: dear evenings, little for export."""
    windows = (
        RateWindow(name="Night", price=0.14, start="23:00", end="07:00"),
        RateWindow(name="Evening", price=0.88, start="17:00", end="21:00"),
    )
    return Tariff(
        name="Evening peak", currency="NZ$", price=0.31, windows=windows, feed_in=0.04, standing_per_day=1.2
    )


def invented_jobs(count: int, today: date, seed: int = 2, apart_deg: float = 0.0) -> Iterator[tuple[str, Job]]:
    """Jobs of which no two are alike, with the names of their files.

    Parameters
    ----------
    count : int
        How many.
    today : date
        Days of follow-up and commissioning lie round it.
    seed : int
        The same seed makes the same jobs.
    apart_deg : float
        How far a job may lie from the middle of its town, north or east [degrees].
    """
    random, around = np.random.default_rng(seed), np.random.default_rng(seed + 1)
    for number in range(count):
        kind = int(random.choice(len(KINDS), p=[share for _, share, _ in KINDS]))
        name, _, places = KINDS[kind]
        job = _varied(demo_job(name), random)
        place, latitude, longitude = places[int(random.integers(len(places)))]
        north, east = around.uniform(-apart_deg, apart_deg, 2).round(3).tolist()
        site = job.site.with_(place=place, latitude=latitude + north, longitude=longitude + east)
        state = STATES[int(random.choice(len(STATES), p=[share for _, share in STATES]))][0]
        house = f"{HOUSES[int(random.integers(len(HOUSES)))]} at {LANES[int(random.integers(len(LANES)))]}"
        record = job.commissioning
        if state == "built":
            ago = int(random.integers(200, 3600))
            on = (today - timedelta(days=ago)).isoformat()
            record = record.with_(conditions=record.conditions.with_(on=on))
        waits = state in ("offered", "signed") and random.random() < 0.4
        follow_up = (today + timedelta(days=int(random.integers(-10, 40)))).isoformat() if waits else None
        initial, family = "ABCDEFGHJKLMNPRSTW"[int(random.integers(18))], int(random.integers(len(FAMILIES)))
        tariff = job.tariff.with_(name=TODAY_NAME) if job.tariff.currency == "NZ$" else job.tariff
        yield (
            f"{number + 1:04d} {house}{SUFFIX}",
            job.with_(
                name=house,
                customer=f"{initial}. {FAMILIES[family]} (invented)",
                site=site,
                state=state,
                follow_up=follow_up,
                commissioning=record,
                tariff=tariff,
            ),
        )


def _varied(job: Job, random: np.random.Generator) -> Job:
    """A job with another demand, roof and battery."""
    faces = []
    for face in job.faces:
        each = face.in_series - (int(random.integers(0, 2)) if face.in_series > 5 else 0)
        tilt = round(float(np.clip(face.tilt + random.integers(-8, 9), 0.0, 60.0)), 1)
        faces.append(face.with_(count=each * face.strings, tilt=tilt, rectangle=None))
    demand = job.demand
    assert isinstance(demand, ShapedDemand), "demos have no meter files"
    demand = demand.with_(yearly_kwh=round(demand.yearly_kwh * float(random.uniform(0.6, 1.3)), -1))
    weights = [float(random.choice((0.5, 1.0, 2.0))) for _ in job.purposes]
    purposes = tuple(
        item.with_(weight=min(item.weight * weight, 10.0))
        for item, weight in zip(job.purposes, weights, strict=True)
    )
    fewer = min(int(random.integers(0, 3)), job.battery.count - 1) if job.battery.count < 7 else 0
    return job.with_(
        faces=tuple(faces),
        demand=demand,
        purposes=purposes,
        battery=job.battery.with_(count=job.battery.count - fewer),
        costs=job.costs.with_(rebate_per_kwh=float(random.choice(REBATES))),
        string_plans=(),
    )


def write_invented(folder: Path, count: int, today: date, seed: int = 2, apart_deg: float = 0.0) -> int:
    """Writes `invented_jobs` into a folder, made where it is not there, and the new tariff as a file; how many jobs.

    Raises
    ------
    OSError
        When it cannot be written.
    """
    make_folder(folder)
    for name, job in invented_jobs(count, today, seed, apart_deg):
        write_atomically(folder / name, job_text(job).encode())
    write_atomically(folder / TARIFF_NAME, (new_tariff().model_dump_json(indent=1) + "\n").encode())
    return count
