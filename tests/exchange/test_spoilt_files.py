"""Truncated and bit-flipped files of every kind: an error that names the file, or a reading, never a traceback.

Some 10,000 cases in all; the small samples carry most of them.
"""

import contextlib
import random

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from calm_relay.data import shipped
from calm_relay.exchange.bills_csv import read_bills
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.weather_file import read_weather_years
from calm_relay.job.survey import MeterReading
from tests.examples import examples

from .meter_samples import bills_csv, green_button, interval_csv, nem12
from .test_weather_file import epw_lines

EPW = "\n".join(epw_lines()).encode()
NOISE = [
    b'"',
    b",",
    b";",
    b"\n",
    b"\x00",
    b"1e999",
    b"-",
    b"nan",
    b"\xff\xfe",
    b"<",
    b"9" * 40,
    b"24:00",
    b"31/02/25",
]


def read_meter(path):
    read_meter_file(path, MeterReading(), "Europe/Dublin", signed=path.stat().st_size % 2 == 0)


READERS = {
    "job": ("job.relay.json", shipped("demo/dairy.relay.json").read_bytes(), read_job, 60, 800),
    "interval CSV": ("meter.csv", interval_csv(1).encode(), read_meter, 150, 2000),
    "row a day": (
        "meter.csv",
        b"Date," + b",".join(b"%02d:00" % h for h in range(24)) + b"\n"
        + b"\n".join(b"2025-01-%02d," % d + b",".join([b"0.31"] * 24) for d in range(1, 9)),
        read_meter, 60, 1500,
    ),
    "Green Button": ("meter.xml", green_button(1, seconds=3600, reverse=True).encode(), read_meter, 60, 3000),
    "NEM12": ("meter.csv", nem12(2, registers=("E1", "B1")).encode(), read_meter, 60, 1500),
    "bills": ("bills.csv", bills_csv().encode(), read_bills, 60, 900),
    "EPW": ("station.epw", EPW, read_weather_years, 10, 30),
    "TMY3": ("station.csv", None, read_weather_years, 10, 30),
}  # fmt: skip


def spoilt(content, draw):
    """The content cut short, or with noise written over, put into or taken out of it, or bits turned over."""
    kind = draw(0, 3)
    if kind == 0:
        return content[: draw(0, len(content))]
    changed = bytearray(content)
    for _ in range(draw(1, 5)):
        at = draw(0, max(len(changed) - 1, 0))
        if kind == 1 and changed:
            changed[at] ^= 1 << draw(0, 7)
        elif kind == 2:
            changed[at : at + draw(0, 4)] = NOISE[draw(0, len(NOISE) - 1)]
        else:
            end = at + draw(0, 200)
            changed[at:end] = changed[at:end] * draw(0, 2)
    return bytes(changed)


@pytest.mark.parametrize("kind", READERS)
def test_spoilt_files_are_named(tmp_path, pvlib_data, kind):
    name, content, reader, searched, drawn = READERS[kind]
    whole = content or (pvlib_data / "723170TYA.CSV").read_bytes()
    path = tmp_path / name

    def check(draw):
        path.write_bytes(spoilt(whole, draw))
        with contextlib.suppress(InputError):
            reader(path)

    @settings(max_examples=examples(searched), deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.data())
    def search(data):
        check(lambda low, high: data.draw(st.integers(low, high)))

    search()
    seeded = random.Random(20261124)
    for _ in range(examples(drawn)):
        check(seeded.randint)
    if kind not in {"bills", "interval CSV", "row a day", "NEM12"}:
        path.write_bytes(whole[: len(whole) // 2])
        with pytest.raises(InputError, match=name):
            reader(path)


def test_there_are_ten_thousand_cases():
    assert sum(searched + drawn for *_, searched, drawn in READERS.values()) >= 10_000
