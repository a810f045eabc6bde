"""Truncated and bit-flipped files of every kind: an error that names the file, or a reading, never a traceback."""

import contextlib

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from calm_relay.data import shipped
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.meter_csv import read_meter_year
from calm_relay.exchange.weather_file import read_weather_file

from .test_meter_csv import lines_of
from .test_weather_file import epw_lines

EPW = "\n".join(epw_lines()).encode()
METER = "\n".join(lines_of()).encode()
NOISE = st.one_of(
    st.binary(min_size=1, max_size=3), st.sampled_from([b'"', b",", b"\n", b"\x00", b"1e999", b"-", b"nan"])
)


def spoilt(content, data):
    """The content cut short, or with noise written over, put into or taken out of it."""
    if data.draw(st.booleans()):
        return content[: data.draw(st.integers(0, len(content)))]
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.one_of(st.integers(0, len(content)), st.integers(0, min(len(content), 2000))))
        noise, gap = data.draw(NOISE), data.draw(st.integers(0, 4))
        content = content[:at] + noise + content[at + gap :]
    return content


@pytest.mark.parametrize(
    ("name", "content", "reader", "cases"),
    [
        ("job.relay.json", shipped("demo/pottery.relay.json").read_bytes(), read_job, 150),
        ("meter.csv", METER, lambda path: read_meter_year(path, 12.0, 2026), 30),
        ("station.epw", EPW, read_weather_file, 30),
        ("station.csv", None, read_weather_file, 30),
    ],
    ids=["job", "meter", "EPW", "TMY3"],
)
def test_spoilt_files_are_named(tmp_path, pvlib_data, name, content, reader, cases):
    whole = content or (pvlib_data / "723170TYA.CSV").read_bytes()
    path = tmp_path / name

    @settings(max_examples=cases, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.data())
    def check(data):
        path.write_bytes(spoilt(whole, data))
        with contextlib.suppress(InputError):
            reader(path)

    check()
    path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(InputError, match=name):
        reader(path)
