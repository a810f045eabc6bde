"""Green Button XML, NEM12 and bills, from samples written by their specifications."""

import numpy as np
import pytest

from calm_relay.exchange.bills_csv import read_bills
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.job.survey import MeterReading

from .meter_samples import bills_csv, green_button, nem12


def read(tmp_path, text, name="meter.xml", **reading):
    path = tmp_path / name
    path.write_text(text)
    return read_meter_file(path, MeterReading(**reading), "Australia/Sydney")


def test_green_button_gives_both_directions_in_kwh(tmp_path):
    data = read(tmp_path, green_button(reverse=True))
    assert data.understood.kind == "Green Button XML"
    assert data.understood.interval_minutes == 15
    assert data.starts[0] == np.datetime64("2025-01-01T05:00:00")
    assert data.import_kwh == pytest.approx(np.full(3 * 96, 0.42))
    assert data.export_kwh == pytest.approx(np.full(3 * 96, 0.21))
    assert read(tmp_path, green_button(value=42, power=1)).import_kwh[0] == pytest.approx(0.42)
    assert read(tmp_path, green_button(value=800, unit=38)).import_kwh[0] == pytest.approx(0.2)


@pytest.mark.parametrize(
    ("text", "where", "problem"),
    [
        (green_button()[:-400], "line", "damaged"),
        (green_button(unit=169), "ReadingType.uom", "wanted 72"),
        (green_button(power=77), "powerOfTenMultiplier", "is 77"),
        (
            green_button().replace("<espi:value>420", "<espi:value>-1", 1),
            "IntervalReading.value",
            "wanted 0 or more",
        ),
        (green_button().replace("<espi:value>420</espi:value>", "", 1), "IntervalReading.value", "missing"),
        (green_button(seconds=7200), "IntervalReading.duration", "is 7200"),
        (green_button(points=("1", "2")), "UsagePoint", "2 meters (1, 2)"),
        ("<feed></feed>", "IntervalBlock", "is missing"),
        ('<!DOCTYPE a [<!ENTITY b "c">]><feed/>', "", "document type"),
    ],
)
def test_what_is_wrong_in_a_feed_is_named(tmp_path, text, where, problem):
    with pytest.raises(InputError) as caught:
        read(tmp_path, text)
    assert where in caught.value.where
    assert problem in caught.value.problem


def test_nem12_is_eastern_standard_time_and_registers_add_up(tmp_path):
    data = read(tmp_path, nem12(registers=("E1", "E2", "B1")), "meter.csv")
    assert data.understood.kind == "NEM12"
    assert data.starts[0] == np.datetime64("2024-12-31T14:00:00")
    assert data.import_kwh == pytest.approx(np.full(3 * 48, 0.42))
    assert data.export_kwh == pytest.approx(np.full(3 * 48, 0.21))
    assert read(tmp_path, nem12(value="210", unit="Wh", minutes=5), "m.csv").import_kwh[0] == pytest.approx(0.21)
    one = read(tmp_path, nem12(points=("6001", "6002")), "m.csv", meter="6002")
    assert one.import_kwh.sum() == pytest.approx(3 * 48 * 0.21)


@pytest.mark.parametrize(
    ("text", "where", "problem"),
    [
        (nem12().replace("300,20250102", "300,20251302"), "line 4", "wanted YYYYMMDD"),
        (nem12().replace("0.21,A", "A", 1), "line 3", "the value is 'A'"),
        (nem12(value="-0.2"), "line 3", "wanted 0 or more"),
        (nem12().replace("0.21", "x", 1), "line 3", "wanted a number"),
        (nem12(minutes=30).replace(",30,2025", ",20,2025"), "line 2", "interval length"),
        (nem12(registers=("B1",)), "record 200", "no register E1"),
        (nem12(points=("6001", "6002")), "record 200", "2 meters"),
        (nem12().replace("900", "777"), "line 6", "wanted 200"),
    ],
)
def test_what_is_wrong_in_nem12_is_named_with_its_line(tmp_path, text, where, problem):
    with pytest.raises(InputError) as caught:
        read(tmp_path, text, "meter.csv")
    assert caught.value.where == where
    assert problem in caught.value.problem


def test_bills_are_read_and_a_spoilt_line_is_named(tmp_path):
    path = tmp_path / "bills.csv"
    path.write_text(bills_csv())
    bills = read_bills(path).bills
    assert [bill.kwh for bill in bills] == [412, 388.5, 351]
    path.write_text("first;last;kWh\n01.01.2025;31.01.2025;412,5\n")
    assert read_bills(path).bills[0].kwh == 412.5
    for text, where in (
        ("a,b,c\n2025-01-31,2025-01-01,4\n", "line 2"),
        ("a,b,c\n2025-01-01,soon,4\n", "line 2"),
        ("a,b,c\n2025-01-01,2025-01-31,much\n", "line 2"),
        ("a,b,c\n", ""),
    ):
        path.write_text(text)
        with pytest.raises(InputError) as caught:
            read_bills(path)
        assert caught.value.where == where


def test_an_encoding_that_is_not_known_is_named(tmp_path):
    path = tmp_path / "feed.xml"
    path.write_text('<?xml version="1.0" encoding="TTF-8"?><feed xmlns="http://www.w3.org/2005/Atom"/>')
    with pytest.raises(InputError, match=r"declares the encoding .ttf-8.; wanted UTF-8") as caught:
        read_meter_file(path, MeterReading(), "Europe/Dublin")
    assert caught.value.where == "line 1"
