"""Meter files as workbooks and in archives."""

import zipfile
from datetime import datetime, time, timedelta

import openpyxl
import pytest

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.job.survey import MeterReading

from .meter_samples import green_button, interval_csv

FIRST = datetime(2025, 1, 1)


def read(path):
    return read_meter_file(path, MeterReading(), "Europe/Dublin")


def workbook(path, rows, head=("Time", "Import kWh", "Export kWh")):
    book = openpyxl.Workbook()
    book.active.title = "About"
    book.active.append(["Meter", "12345678"])
    sheet = book.create_sheet("Data")
    for row in (["Half hourly data"], list(head), *rows):
        sheet.append(row)
    book.save(path)
    return path


def test_a_workbook_s_longest_sheet_is_read(tmp_path):
    rows = [[FIRST + timedelta(minutes=30 * n), 0.25 + n / 1000, n / 500] for n in range(96)]
    data = read(workbook(tmp_path / "meter.xlsx", rows))
    assert data.understood.interval_minutes == 30 and data.understood.export_column == 3
    assert data.import_kwh[4] == pytest.approx(0.254) and data.export_kwh.sum() == pytest.approx(9.12)
    assert str(data.starts[0]) == "2025-01-01T00:00:00"


def test_its_times_may_stand_beside_its_days(tmp_path):
    rows = [[FIRST.date() + timedelta(days=n // 24), time(n % 24), 0.5] for n in range(72)]
    data = read(workbook(tmp_path / "meter.xlsx", rows, ("Date", "Time", "kWh")))
    assert data.understood.interval_minutes == 60 and data.import_kwh.sum() == pytest.approx(36.0)


def test_a_time_that_is_off_by_part_of_a_second_is_the_whole_one(tmp_path):
    rows = [[FIRST + timedelta(minutes=15 * n, microseconds=-400), 0.1] for n in range(1, 97)]
    assert read(workbook(tmp_path / "meter.xlsx", rows, ("Time", "kWh"))).understood.interval_minutes == 15


def test_what_is_wrong_in_a_workbook_is_named_by_its_row(tmp_path):
    rows = [[FIRST + timedelta(minutes=30 * n), 0.25] for n in range(96)]
    rows[40][1] = "n/a?"
    with pytest.raises(InputError) as caught:
        read(workbook(tmp_path / "meter.xlsx", rows, ("Time", "kWh")))
    assert caught.value.where == "line 43"


def archive(path, **members):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        for name, text in members.items():
            made.writestr(name.replace("_", "."), text)
    return path


@pytest.mark.parametrize("member", [{"year_csv": interval_csv()}, {"year_xml": green_button()}])
def test_the_one_file_of_an_archive_is_read(tmp_path, member):
    ((name, text),) = member.items()
    plain = tmp_path / name.replace("_", ".")
    plain.write_text(text)
    packed = read(archive(tmp_path / "year.zip", **member))
    assert (packed.import_kwh == read(plain).import_kwh).all()


def test_an_archive_of_several_files_or_a_damaged_one_is_named(tmp_path):
    with pytest.raises(InputError, match=r"is an archive with a\.csv, b\.csv; wanted one file in it"):
        read(archive(tmp_path / "two.zip", a_csv="x", b_csv="y"))
    with pytest.raises(InputError, match="is an archive with no file"):
        read(archive(tmp_path / "none.zip"))
    whole = archive(tmp_path / "one.zip", a_csv=interval_csv()).read_bytes()
    spoilt = bytearray(whole)
    spoilt[60:80] = bytes(20)
    (tmp_path / "spoilt.zip").write_bytes(bytes(spoilt))
    with pytest.raises(InputError, match="is a damaged or locked archive"):
        read(tmp_path / "spoilt.zip")
    (tmp_path / "cut.zip").write_bytes(whole[: len(whole) // 2])
    with pytest.raises(InputError, match="is damaged"):
        read(tmp_path / "cut.zip")


def test_a_spreadsheet_of_the_old_kind_says_how_to_save_it(tmp_path):
    rows = [[FIRST + timedelta(minutes=30 * n), 0.25] for n in range(96)]
    made = workbook(tmp_path / "meter.xlsx", rows)
    old = tmp_path / "meter.xls"
    made.rename(old)
    with pytest.raises(InputError, match="wanted it saved as XLSX"):
        read(old)
