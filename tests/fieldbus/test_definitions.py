"""Layouts of SunSpec models: what is written is read, and nothing a device says breaks the reader."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from calm_relay.fieldbus.definitions import HEAD, MODELS, layout, read_model, write_model
from calm_relay.fieldbus.readings import (
    BatteryReading,
    DcInput,
    DeviceReading,
    InverterReading,
    MeterReading,
    device_reading,
    registers_of,
)


def walked(data):
    """Models of a map from its mark on."""
    assert data[:4] == b"SunS"
    at, found = 4, []
    while True:
        model, length = struct.unpack_from(">HH", data, at)
        if model == 0xFFFF:
            return found
        found.append((model, read_model(layout(model), data[at : at + 2 * (HEAD + length)])))
        at += 2 * (HEAD + length)


@pytest.mark.parametrize("model", sorted(MODELS))
def test_a_model_with_nothing_in_it_says_nothing(model):
    data = write_model(model, {})
    assert len(data) == 2 * layout(model).size
    reading = read_model(layout(model), data)
    said = {name: value for name, value in reading.values.items() if value is not None}
    # Accumulators of 0 are readings; scale factors are what scales them.
    assert all(value in (model, len(data) // 2 - HEAD, 0, -1) for value in said.values())


def test_an_unknown_model_has_no_layout():
    assert layout(64001) is None


def test_a_point_that_is_none_is_named():
    with pytest.raises(KeyError, match="Nonsense"):
        write_model(103, {"Nonsense": 1})


kw = st.floats(-300, 300)
positive = st.floats(0, 900)


@given(
    kw, st.lists(positive, min_size=1, max_size=3),
    st.lists(st.tuples(positive, st.floats(0, 60), st.floats(0, 50)), max_size=6), st.floats(45, 65),
    st.none() | st.tuples(st.floats(0, 1), positive, kw),
)  # fmt: skip
def test_what_an_inverter_says_comes_back(power, volts, inputs, hertz, battery):
    made_inputs = tuple(DcInput(f"input {n}", v, a, p) for n, (v, a, p) in enumerate(inputs, 1))
    way = "charging" if battery and battery[2] < 0 else "discharging"
    made = DeviceReading(
        "Maker", "Kind", "1", "S",
        InverterReading(power, hertz, tuple(volts), (1.0,) * len(volts), made_inputs, "", False, 12.0),
        battery and BatteryReading(battery[0], battery[1], 3.0, battery[2], 10.0, 0.9, way),
    )  # fmt: skip
    read = device_reading(walked(registers_of(made)))
    assert read.inverter.kw == pytest.approx(power, abs=0.06)
    assert read.inverter.hz == pytest.approx(hertz, abs=0.006)
    assert read.inverter.phase_volts == pytest.approx(tuple(volts), abs=0.06)
    assert [(item.volts, item.amps, item.kw) for item in read.inverter.inputs] == [
        (pytest.approx(v, abs=0.06), pytest.approx(a, abs=0.006), pytest.approx(p, abs=0.06)) for v, a, p in inputs
    ]
    assert (read.battery is None) == (battery is None)
    if battery:
        assert read.battery.soc == pytest.approx(battery[0], abs=0.001)
        assert read.battery.kw == pytest.approx(battery[2], abs=0.06)
        assert read.battery.rated_kwh == pytest.approx(10.0)


@given(st.lists(kw, min_size=1, max_size=3), st.floats(0, 100_000))
def test_what_a_meter_says_comes_back(phases, energy):
    meter = MeterReading(sum(phases), tuple(phases), (230.0,) * len(phases), 50.0, energy, 2.0)
    read = device_reading(walked(registers_of(DeviceReading("M", "K", meter=meter)))).meter
    assert read.kw == pytest.approx(sum(phases), abs=0.06)
    assert read.phase_kw == pytest.approx(tuple(phases), abs=0.06)
    assert read.import_kwh == pytest.approx(energy, abs=0.001)


@given(st.sampled_from(sorted(MODELS)), st.binary(max_size=900))
def test_no_registers_break_the_reader(model, data):
    reading = read_model(layout(model), data)
    # Whatever a count says, blocks end where the registers do.
    most = len(data) // 2
    assert all(len(items) <= most for items in reading.blocks.values())
    device_reading([(model, reading)])


def test_a_battery_that_counts_the_other_way_is_put_right():
    """Which way power counts the models leave open; the charge status settles it."""
    values = {"V": 50.0, "A": 20.0, "W": 1000.0, "W_SF": 0, "SoC": 50.0, "ChaSt": 4}
    read = device_reading([(802, read_model(layout(802), write_model(802, values)))])
    assert (read.battery.kw, read.battery.amps) == (-1.0, -20.0)


def test_a_scale_factor_that_is_none_leaves_its_points_unsaid():
    data = bytearray(write_model(103, {"W": 4000.0, "W_SF": 0, "Hz": 50.0}))
    at = 2 * next(point.at for point in layout(103).points if point.name == "W_SF")
    for bad in (-0x8000, 77):
        struct.pack_into(">h", data, at, bad)
        reading = read_model(layout(103), bytes(data))
        assert reading.values["W"] is None
        assert reading.values["Hz"] == pytest.approx(50.0)


def test_text_with_control_characters_is_shown_plain():
    reading = read_model(layout(1), write_model(1, {"Mn": "In\nvented", "Md": "x\x1b[31m"}))
    assert reading.text("Mn") == "Invented"
    assert "\x1b" not in reading.text("Md")
