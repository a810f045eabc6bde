"""Only regular files of a stated size are read, whatever reader they are given to, and each refusal says why."""

import json
import os

import pytest

from calm_relay.exchange import bounds
from calm_relay.exchange.bills_csv import read_bills
from calm_relay.exchange.datasheet import read_sheet
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.horizon_file import read_horizon
from calm_relay.exchange.hourly_prices import read_hourly_prices
from calm_relay.exchange.job_file import job_text, parse_job, read_job
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.own_equipment import read_bundle
from calm_relay.exchange.spreadsheet import read_spreadsheet
from calm_relay.exchange.weather_file import read_weather_years
from calm_relay.job.survey import MeterReading


def meter(path):
    return read_meter_file(path, MeterReading(), "UTC")


READERS = {
    "job": (read_job, ".relay.json"),
    "own equipment": (read_bundle, ".json"),
    "meter": (meter, ".csv"),
    "bills": (read_bills, ".csv"),
    "prices": (lambda path: read_hourly_prices(path, "UTC"), ".csv"),
    "horizon": (read_horizon, ".csv"),
    "weather": (read_weather_years, ".epw"),
    "spreadsheet": (read_spreadsheet, ".csv"),
    "datasheet": (read_sheet, ".pdf"),
}


@pytest.fixture(params=READERS)
def reader(request):
    read, ending = READERS[request.param]
    return request.param, read, ending


def refused(read, path):
    with pytest.raises(InputError) as error:
        read(path)
    return error.value.problem


def test_streams_devices_and_folders_are_refused_at_once(reader, tmp_path):
    _, read, ending = reader
    pipe, link, folder = (tmp_path / f"{name}{ending}" for name in ("pipe", "link", "folder"))
    os.mkfifo(pipe)
    assert "a device or a stream" in refused(read, pipe)
    link.symlink_to("/dev/zero")
    assert "a device or a stream" in refused(read, link)
    folder.mkdir()
    assert "a folder" in refused(read, folder)


def test_links_that_loop_missing_files_and_impossible_names_are_told(reader, tmp_path):
    _, read, ending = reader
    loop = tmp_path / f"loop{ending}"
    loop.symlink_to(loop)
    assert "cannot be read" in refused(read, loop)
    assert "there is no such file" in refused(read, tmp_path / f"gone{ending}")
    assert "cannot be read" in refused(read, tmp_path / f"{'x' * 300}{ending}")
    assert "no name of a file" in refused(read, tmp_path / f"a\x00b{ending}")


def test_what_is_too_large_is_refused_before_it_is_read(reader, tmp_path):
    kind, read, ending = reader
    path = tmp_path / f"large{ending}"
    with path.open("wb") as file:
        file.truncate(bounds.MOST_BYTES[kind] + 1)
    assert f"is larger than {bounds.MOST_BYTES[kind] // bounds.MB} MB" in refused(read, path)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("[" * 100_000, "nested without end"),
        ('{"a":' * 100_000, "nested without end"),
        (
            '{"format": "calm-relay-job", "schema_version": 4, "outage_hours": ' + "1" * 5000 + "}",
            "thousands of digits",
        ),
        ('{"format": "calm-relay-job", "schema_version": ' + "9" * 100 + "}", "newer Calm Relay"),
    ],
)
def test_nesting_and_digits_without_end_are_told(text, told, tmp_path):
    with pytest.raises(InputError, match=told):
        parse_job(text, tmp_path / "a.relay.json")


def test_a_long_wrong_value_is_told_in_a_short_sentence(demo, tmp_path):
    document = json.loads(job_text(demo))
    document["name"] = "x" * 100_000
    with pytest.raises(InputError) as error:
        parse_job(json.dumps(document), tmp_path / "a.relay.json")
    assert error.value.where == "name" and len(error.value.problem) < 300
    document["name"], document["faces"] = "x", document["faces"] * 50
    with pytest.raises(InputError, match=r"faces: .*at most 12"):
        parse_job(json.dumps(document), tmp_path / "a.relay.json")


@pytest.mark.parametrize("encoding", ["shift_jis", "utf-7", "x" * 90, "utf-32"])
def test_xml_in_an_encoding_that_is_not_read_is_refused(tmp_path, encoding):
    path = tmp_path / "meter.xml"
    path.write_text(f'<?xml version="1.0" encoding="{encoding}"?>\n<feed></feed>')
    with pytest.raises(InputError, match="declares the encoding"):
        meter(path)
    path.write_text('<?xml version="1.0" encoding="UTF-8"?>\n<feed></feed>')
    with pytest.raises(InputError, match="IntervalBlock"):
        meter(path)
