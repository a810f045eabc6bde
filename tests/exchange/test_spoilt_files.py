"""Truncated and bit-flipped files of every kind: an error that names the file, or a reading, never a traceback.

Some 10,000 cases in all; the small samples carry most of them.
"""

import contextlib
import io
import random
import zipfile
from datetime import datetime, timedelta

import openpyxl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from calm_relay.data import shipped
from calm_relay.exchange.bills_csv import read_bills
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.horizon_file import read_horizon
from calm_relay.exchange.hourly_prices import read_hourly_prices
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.plant_flows import read_plant_flows
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
    read_meter_file(path, MeterReading(), "Europe/Dublin", wanted="net" if path.stat().st_size % 2 == 0 else "use")


COUNTER = b"Datum;Z\xc3\xa4hlerstand;Einspeisung\n" + b"\n".join(
    b"01.%02d.2025;%d;%d" % (month, 12345 + 311 * month, 20 * month) for month in range(1, 13)
)
PLANT = b"Time,Production (Wh),Consumption (Wh),Import (W),Battery discharged\n" + b"\n".join(
    b"2025-03-%02d %02d:%02d,%d,%d,%d,0.%d" % (1 + n // 96, n // 4 % 24, n % 4 * 15, n % 70, 9, 7 * n % 40, n % 7)
    for n in range(192)
)
MONTHS = b"Month;Produced (kWh);Import;Export\n" + b"\n".join(
    b"2025-%02d;%d,5;1.2%02d,25;3" % (month, 70 * month, month) for month in range(1, 13)
)
PRICES = b"time,ct/kWh\n" + b"\n".join(
    b"2025-01-%02d %02d:00,%d.5" % (1 + n // 24, n % 24, n % 24 - 3) for n in range(96)
)
HORIZON = b"A,H\n" + b"\n".join(b"%d,%d.5" % (n - 180, n % 17) for n in range(0, 361, 15))
WEATHER = b"time(UTC),T2m,G(h),Gd(h),WS10m\n" + b"\n".join(
    f"{at:%Y%m%d:%H%M},11.5,{300 if 8 < at.hour < 16 else 0},100,2.5".encode()
    for at in (datetime(2023, 1, 1) + timedelta(hours=n) for n in range(8760))
)


def _workbook():
    book, stream = openpyxl.Workbook(), io.BytesIO()
    for n in range(48):
        book.active.append([datetime(2025, 1, 1) + timedelta(minutes=30 * n), n / 100])
    book.save(stream)
    return stream.getvalue()


def _archive():
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("year.csv", interval_csv(1))
    return stream.getvalue()


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
    "bills by a counter": ("bills.csv", COUNTER, read_bills, 40, 600),
    "plant": ("portal.csv", PLANT, lambda path: read_plant_flows(path, "Europe/Dublin"), 40, 600),
    "months of a plant": ("portal.csv", MONTHS, lambda path: read_plant_flows(path, "Europe/Dublin"), 40, 600),
    "prices": ("prices.csv", PRICES, lambda path: read_hourly_prices(path, "Europe/Dublin"), 40, 600),
    "horizon": ("horizon.csv", HORIZON, read_horizon, 40, 600),
    "workbook": ("meter.xlsx", _workbook(), read_meter, 40, 600),
    "archive": ("meter.zip", _archive(), read_meter, 40, 600),
    "table of weather": ("weather.csv", WEATHER, read_weather_years, 10, 40),
    "EPW": ("station.epw", EPW, read_weather_years, 10, 30),
    "TMY3": ("station.csv", None, read_weather_years, 10, 30),
}  # fmt: skip


# The first half of such a file is one too.
CUT_ANYWHERE = {
    "bills", "bills by a counter", "prices", "horizon", "interval CSV", "row a day", "NEM12", "plant",
    "months of a plant",
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
    if kind not in CUT_ANYWHERE:
        path.write_bytes(whole[: len(whole) // 2])
        with pytest.raises(InputError, match=name):
            reader(path)


def test_there_are_ten_thousand_cases():
    assert sum(searched + drawn for *_, searched, drawn in READERS.values()) >= 10_000
