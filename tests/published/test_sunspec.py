"""Register layouts against an independent reader and writer: the SunSpec Alliance's own package, pysunspec2.

Source: the SunSpec Device Information Model definitions and the client that pysunspec2 ships.
"""

import contextlib
import json
import socket
import struct
import threading
from importlib.resources import files

import pytest
import sunspec2.device as independent
import sunspec2.modbus.client as independent_client

from calm_relay.fieldbus.address import address_of
from calm_relay.fieldbus.definitions import MODELS, layout, read_model, write_model
from calm_relay.fieldbus.poller import read_once
from calm_relay.fieldbus.server import SiteServer
from tests.fieldbus.test_client import METER, UNIT, answering, holding


@pytest.fixture
def site():
    server = SiteServer({1: lambda: UNIT, 2: lambda: METER})
    port = server.start()
    yield port
    server.stop()


def test_their_client_reads_our_simulated_site(site):
    device = independent_client.SunSpecModbusClientDeviceTCP(1, "127.0.0.1", site, timeout=3)
    device.scan()
    assert device.base_addr == 40000
    assert {model for model in device.models if isinstance(model, int)} == {1, 101, 160, 701, 802}
    assert not any(model.error_info for models in device.models.values() for model in models)
    inverter, battery = device.models[101][0], device.models[802][0]
    assert inverter.W.cvalue == pytest.approx(4200.0)
    assert inverter.Hz.cvalue == pytest.approx(50.02)
    assert inverter.WH.cvalue == pytest.approx(1_234_000)
    tracker = device.models[160][0].module[0]
    assert (tracker.DCV.cvalue, tracker.DCA.cvalue) == (pytest.approx(410.0), pytest.approx(9.1))
    assert battery.SoC.cvalue == pytest.approx(62.0)
    assert battery.ChaSt.value == 4
    assert device.models[701][0].W.cvalue == pytest.approx(4200.0)
    device.disconnect()
    meter = independent_client.SunSpecModbusClientDeviceTCP(2, "127.0.0.1", site, timeout=3)
    meter.scan()
    assert meter.models[203][0].W.cvalue == pytest.approx(-1500.0)
    assert [meter.models[203][0].points[f"Wph{leg}"].cvalue for leg in "ABC"] == pytest.approx([-500.0] * 3)


def test_our_client_reads_a_server_built_from_their_models():
    """A map written by the independent package, served as a device would."""
    inverter = independent.Model(103, data=bytes(2 * 52))
    inverter.ID.value, inverter.L.value = 103, 50
    for name, value in {"W_SF": 1, "Hz_SF": -2, "V_SF": -1, "A_SF": -1, "WH_SF": 0, "Tmp_SF": 0}.items():
        inverter.points[name].value = value
    for name, value in {
        "W": 12340,
        "Hz": 49.97,
        "PhVphA": 230.5,
        "PhVphB": 231.0,
        "PhVphC": 229.5,
        "WH": 77,
    }.items():
        inverter.points[name].cvalue = value
    common = independent.Model(1, data=bytes(2 * 68))
    common.ID.value, common.L.value, common.Mn.value, common.SN.value = 1, 66, "Invented", "77"
    data = b"SunS" + common.get_mb() + inverter.get_mb() + b"\xff\xff\0\0"
    registers = list(struct.unpack(f">{len(data) // 2}H", data))
    with answering(holding(registers)) as address:
        read = read_once(address)
    assert (read.maker, read.serial) == ("Invented", "77")
    assert read.inverter.kw == pytest.approx(12.34)
    assert read.inverter.hz == pytest.approx(49.97)
    assert read.inverter.phase_volts == pytest.approx((230.5, 231.0, 229.5))
    assert read.inverter.kwh == pytest.approx(0.077)


@pytest.mark.parametrize("model", sorted(MODELS))
def test_every_layout_stands_as_the_definitions_say(model):
    """Each point of the fixed block lies where the independent package finds it, and reads the same there."""
    text = (files("sunspec2") / "models" / "json" / f"model_{model}.json").read_text(encoding="utf-8")
    defined = json.loads(text)["group"]["points"]
    ours = layout(model)
    assert [point.name for point in ours.points] == [point["name"] for point in defined]
    assert ours.size == sum(point["size"] for point in defined)
    values = {
        point.name: 1 + number % 7
        for number, point in enumerate(ours.points)
        if point.kind in ("uint16", "int16", "uint32", "int32", "acc32", "uint64") and point.name not in ("ID", "L")
        and point.scale is None and not any(block.count == point.name for block in ours.blocks)
    }  # fmt: skip
    data = write_model(model, values)
    theirs = independent.Model(model, data=data, model_len=len(data) // 2 - 2)
    read = read_model(ours, data)
    for name, value in values.items():
        assert theirs.points[name].value == value == read.values[name], (model, name)


def test_a_wrong_order_of_words_would_be_found():
    """The check above can fail: a map with its words exchanged reads as something else."""
    data = bytearray(write_model(103, {"WH": 70_000, "WH_SF": 0}))
    at = 2 * next(point.at for point in layout(103).points if point.name == "WH")
    data[at : at + 4] = data[at + 2 : at + 4] + data[at : at + 2]
    assert read_model(layout(103), bytes(data)).values["WH"] != 70_000


def test_a_port_answers_again_after_the_site_ends(site):
    address = address_of(f"127.0.0.1:{site}")
    assert read_once(address).serial == "S1"
    done = threading.Event()
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", site), 1.0):
        done.set()
    assert done.is_set()
