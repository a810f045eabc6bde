"""The client against the simulated site and against servers that answer wrong, late, never, or without end."""

import asyncio
import contextlib
import gc
import os
import random
import socket
import struct
import threading
import time
from dataclasses import replace
from datetime import UTC, datetime
from itertools import pairwise

import pytest

from calm_relay.fieldbus import client
from calm_relay.fieldbus.address import Address, address_of
from calm_relay.fieldbus.errors import FieldError
from calm_relay.fieldbus.poller import Poller, read_once, scan
from calm_relay.fieldbus.readings import (
    BatteryReading,
    DcInput,
    DeviceReading,
    InverterReading,
    MeterReading,
    registers_of,
)
from calm_relay.fieldbus.server import SiteServer

UNIT = DeviceReading(
    "Invented", "Unit 5", "1.0", "S1",
    InverterReading(4.2, 50.02, (231.0,), (18.2,), (DcInput("input 1", 410.0, 9.1, 3.73),), "", False, 1234.0),
    BatteryReading(0.62, 51.2, -20.0, -1.02, 10.2, 0.98, "charging"),
)  # fmt: skip
METER = DeviceReading(
    "Invented", "Meter", meter=MeterReading(-1.5, (-0.5, -0.5, -0.5), (230.0, 231.0, 229.0), 50.0)
)


@contextlib.contextmanager
def served(devices, **more):
    server = SiteServer(devices, **more)
    port = server.start()
    try:
        yield address_of(f"127.0.0.1:{port}") if port else None
    finally:
        server.stop()


@contextlib.contextmanager
def answering(respond, accept=True):
    """A TCP server that answers each request's bytes with what a function gives; the address of it."""
    listening = socket.create_server(("127.0.0.1", 0))
    listening.settimeout(0.2)
    ended = threading.Event()

    def talk(connection):
        with connection:
            connection.settimeout(0.2)
            while not ended.is_set():
                try:
                    request = connection.recv(300)
                except TimeoutError:
                    continue
                except OSError:
                    return
                if not request:
                    return
                answer = respond(request)
                if answer is None:
                    return
                with contextlib.suppress(OSError):
                    connection.sendall(answer)

    def serve():
        while not ended.is_set():
            with contextlib.suppress(TimeoutError, OSError):
                connection, _ = listening.accept()
                threading.Thread(target=talk, args=(connection,), daemon=True).start()

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield address_of(f"127.0.0.1:{listening.getsockname()[1]}")
    finally:
        ended.set()
        thread.join(2.0)
        listening.close()


def holding(registers):
    """An answerer that holds a map from register 40000 on, as a device does."""

    def respond(request):
        transaction, _, _, unit, function, at, count = struct.unpack(">HHHBBHH", request[:12])
        first = at - 40000
        if not 0 <= first <= len(registers) - count:
            return struct.pack(">HHHBBB", transaction, 0, 3, unit, function | 0x80, 2)
        data = struct.pack(f">{count}H", *registers[first : first + count])
        return struct.pack(">HHHBBB", transaction, 0, 3 + len(data), unit, function, len(data)) + data

    return respond


def test_a_device_is_found_and_read():
    with served({1: lambda: UNIT, 2: lambda: METER}) as address:
        unit, meter = read_once(address), read_once(address.at_unit(2))
    assert unit.words == "Invented Unit 5"
    assert unit.inverter.kw == pytest.approx(4.2)
    assert unit.battery.kw == pytest.approx(-1.02)
    assert unit.inverter.inputs[0].volts == pytest.approx(410.0)
    assert meter.meter.phase_kw == pytest.approx((-0.5, -0.5, -0.5))


def test_a_unit_without_inputs_says_its_clock():
    """Microinverters and battery units: else the light would be reckoned at another hour than theirs."""
    clock = datetime(2026, 6, 21, 15, 4, tzinfo=UTC)
    bare = replace(UNIT, inverter=replace(UNIT.inverter, inputs=()), clock=clock)
    with served({1: lambda: bare}) as address:
        read = read_once(address)
    assert read.clock == clock and read.inverter.inputs == ()


@pytest.mark.parametrize("base", [0, 40000, 50000])
def test_every_base_is_looked_at(base):
    with served({7: lambda: UNIT}, base=base) as address:
        assert read_once(address.at_unit(7)).serial == "S1"


def test_units_are_looked_for_when_asked():
    with served({1: lambda: UNIT, 3: lambda: METER}) as address:
        found = scan(address, last=4, timeout_s=0.3)
    assert [item.address.unit for item in found] == [1, 3]


def test_over_a_serial_line(tmp_path):
    """RTU through a pair of pseudo terminals: the same models, the client knows no difference."""
    pty, tty = os.openpty(), os.openpty()
    ended = threading.Event()

    def carry(one, other):
        import select

        while not ended.is_set():
            if select.select([one], [], [], 0.1)[0]:
                with contextlib.suppress(OSError):
                    os.write(other, os.read(one, 512))

    for one, other in ((pty[0], tty[0]), (tty[0], pty[0])):
        threading.Thread(target=carry, args=(one, other), daemon=True).start()
    server = SiteServer({1: lambda: UNIT}, line=os.ttyname(pty[1]))
    server.start()
    try:
        reading = read_once(Address(line=os.ttyname(tty[1]), baud=9600), timeout_s=4.0)
        assert reading.serial == "S1"
    finally:
        server.stop()
        ended.set()


def test_nothing_is_ever_written():
    """Writes are refused by the site, and the client has no way to ask for one."""
    from pymodbus.client import ModbusTcpClient

    with served({1: lambda: UNIT}) as address:
        raw = ModbusTcpClient("127.0.0.1", port=address.port, timeout=2)
        assert raw.connect()
        assert raw.write_register(40072, 1, device_id=1).isError()
        assert raw.write_registers(40072, [1, 2], device_id=1).isError()
        raw.close()
        assert read_once(address).inverter.kw == pytest.approx(4.2)
    import inspect

    assert "write" not in " ".join(name for name, _ in inspect.getmembers(client, inspect.isfunction))


def test_unknown_models_are_skipped_by_their_length():
    data = registers_of(UNIT)
    vendor = struct.pack(">HH", 64001, 5) + bytes(10)
    whole = data[:-4] + vendor + data[4 + 2 * 68 : -4] + b"\xff\xff\x00\x00"
    registers = [int.from_bytes(whole[at : at + 2], "big") for at in range(0, len(whole), 2)]
    with answering(holding(registers)) as address:
        assert read_once(address).battery.soc == pytest.approx(0.62)


def _without_end():
    return [0x5375, 0x6E53] + [64001, 0] * 3000


def _too_long():
    return [0x5375, 0x6E53, 103, 0xFFFE] + [0] * 40


@pytest.mark.parametrize(
    "registers, said",
    [
        (_without_end(), "does not end|makes no sense"),
        (_too_long(), "makes no sense"),
        ([1, 2, 3, 4] * 20, "SunSpec"),
    ],
    ids=["endless models", "a huge length", "no mark"],
)
def test_maps_that_make_no_sense_are_told(registers, said):
    with answering(holding(registers)) as address, pytest.raises(FieldError, match=said) as refused:
        read_once(address)
    assert address.words in str(refused.value)


@pytest.mark.parametrize(
    "respond",
    [
        lambda request: b"garbage" * 9,
        lambda request: request[:5],
        lambda request: request[:2] + b"\0\0\xff\xff\x01\x03\xfa" + bytes(20),
        lambda request: request[:2] + b"\0\0\0\x07\x09\x03\x04SunS",
        lambda request: request[:2] + b"\0\0\0\x05\x01\x03\x02\0\0",
        lambda request: b"",
        lambda request: None,
    ],
    ids=["garbage", "half a frame", "a huge length", "a wrong unit", "too few registers", "never", "hangs up"],
)
def test_servers_that_answer_wrong_are_told(respond):
    with answering(respond) as address:
        began = time.monotonic()
        with pytest.raises(FieldError):
            read_once(address, timeout_s=0.3)
        assert time.monotonic() - began < 10.0


def test_nobody_there_is_told():
    free = socket.create_server(("127.0.0.1", 0))
    port = free.getsockname()[1]
    free.close()
    with pytest.raises(FieldError, match="nothing answers"):
        read_once(address_of(f"127.0.0.1:{port}"))
    with pytest.raises(FieldError, match=r"nothing answers|cannot be reached"):
        read_once(address_of("no-such-host.invalid"))


def test_a_port_in_use_is_told():
    with served({1: lambda: UNIT}) as address, pytest.raises(FieldError, match="cannot be served"):
        SiteServer({1: lambda: UNIT}, address.port).start()


def test_twenty_thousand_broken_frames():
    """Each frame is a true answer broken at random; every one ends in a reading or in a sentence, in nothing else."""
    random.seed(4)
    true = holding(
        [int.from_bytes(registers_of(UNIT)[at : at + 2], "big") for at in range(0, len(registers_of(UNIT)), 2)]
    )
    frames = 0

    class Broken:
        """A wire whose answers are decoded by the true decoder, after they were broken."""

        connected = True

        def __init__(self):
            from pymodbus.framer import FramerSocket
            from pymodbus.pdu import DecodePDU

            self.framer = FramerSocket(DecodePDU(False))

        async def connect(self):
            return True

        def close(self):
            return None

        async def read_holding_registers(self, at, *, count, device_id):
            nonlocal frames
            from pymodbus.exceptions import ModbusException

            frames += 1
            frame = bytearray(true(struct.pack(">HHHBBHH", 1, 0, 6, device_id, 3, at, count)))
            kind = random.randrange(5)
            if kind == 0:
                frame = frame[: random.randrange(len(frame) + 1)]
            elif kind == 1:
                frame += random.randbytes(random.randrange(40))
            elif kind < 4:
                for _ in range(random.randrange(1, 6)):
                    frame[random.randrange(len(frame))] = random.randrange(256)
            _, pdu = self.framer.handleFrame(bytes(frame), 1, 1)
            if pdu is None:
                raise ModbusException("no frame")
            return pdu

    async def all_frames():
        wire, address, read = Broken(), Address("h"), 0
        known = {}
        place = await _found(wire, address)
        while frames < 20_000:
            try:
                found = place if random.random() < 0.8 and place else await client.find(wire, address)
                await client.read(wire, found, known)
                read += 1
            except FieldError as error:
                assert str(error)
            except Exception as error:
                raise AssertionError(f"{type(error).__name__}: {error}") from error
        return read

    async def _found(wire, address):
        for _ in range(400):
            with contextlib.suppress(FieldError):
                return await client.find(wire, address)
        return None

    assert asyncio.run(all_frames()) > 0
    assert frames >= 20_000


def readings_of(address, heard):
    return [answer for answer in heard if answer.address == address and answer.reading is not None]


def heard_until(enough, seconds=60.0):
    end = time.monotonic() + seconds
    while not enough() and time.monotonic() < end:
        time.sleep(0.05)


def test_one_that_hangs_holds_no_other():
    heard = []
    with served({1: lambda: UNIT}) as good, answering(lambda request: b"") as bad:
        silent = good.at_unit(9)
        poller = Poller([bad, good, silent], heard.append, every_s=0.1, timeout_s=0.3)
        poller.start()
        # A busy machine reads as often, only later.
        heard_until(
            lambda: (
                len(readings_of(good, heard)) >= 10
                and any(answer.address == bad for answer in heard)
                and sum(answer.address == silent for answer in heard) >= 3
            )
        )
        poller.stop()
    assert not poller.running
    assert len(readings_of(good, heard)) >= 10
    refused = [answer for answer in heard if answer.address == bad]
    assert refused and all(answer.problem for answer in refused)
    waits = [answer.next_s for answer in heard if answer.address == silent]
    assert waits == sorted(waits) and waits[-1] > waits[0]


def test_one_that_hangs_on_a_shared_line_holds_its_neighbour_briefly():
    """Two units behind one logger, of which one never answers: the other is read again and again."""
    true = holding(
        [int.from_bytes(registers_of(UNIT)[at : at + 2], "big") for at in range(0, len(registers_of(UNIT)), 2)]
    )
    heard = []
    with answering(lambda request: true(request) if request[6] == 1 else b"") as address:
        poller = Poller([address, address.at_unit(2)], heard.append, every_s=0.2, timeout_s=0.4)
        poller.start()
        heard_until(lambda: len(readings_of(address, heard)) >= 8)
        poller.stop()
    read = readings_of(address, heard)
    gaps = [(after.at - before.at).total_seconds() for before, after in pairwise(read)]
    assert len(read) >= 8
    assert sorted(gaps)[len(gaps) // 2] < 2.0


def test_who_comes_as_a_site_ends_is_hung_up_on():
    """While the site is busy with one who asks, another comes and its end is asked for: all in one turn of its loop."""
    asked, go_on = threading.Event(), threading.Event()

    def slowly():
        asked.set()
        if threading.current_thread() is not threading.main_thread() and speaking.is_set():
            go_on.wait(10.0)
        return UNIT

    speaking = threading.Event()
    server = SiteServer({1: slowly})
    port = server.start()
    asked.clear()
    speaking.set()
    first = socket.create_connection(("127.0.0.1", port))
    first.sendall(bytes.fromhex("000100000006") + bytes([1, 3]) + struct.pack(">HH", 40000, 2))
    assert asked.wait(10.0)
    second = socket.create_connection(("127.0.0.1", port))
    ending = threading.Thread(target=server.stop)
    ending.start()
    time.sleep(0.1)
    go_on.set()
    ending.join(10.0)
    assert not ending.is_alive()
    for one in (first, second):
        with one:
            one.settimeout(5.0)
            with contextlib.suppress(ConnectionResetError):
                while one.recv(100):
                    pass
    # What was left open would be told as it is collected, and fail here.
    gc.collect()


def test_a_poller_ends_though_a_wait_keeps_its_cancelling(monkeypatch):
    class Deaf:
        connected = False

        async def connect(self):
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.sleep(60.0)
            return True

        def close(self):
            pass

    monkeypatch.setattr("calm_relay.fieldbus.poller.wire_to", lambda address, timeout_s: Deaf())
    monkeypatch.setattr("calm_relay.fieldbus.poller.find", forever)
    poller = Poller([address_of("127.0.0.1:1502")], [].append)
    poller.start()
    time.sleep(0.1)
    poller.stop()
    assert not poller.running


async def forever(wire, address):
    await asyncio.sleep(60.0)


def test_a_device_that_comes_back_is_read_again():
    silent = {"now": False}
    heard = []
    with served({1: lambda: None if silent["now"] else UNIT}) as address:
        poller = Poller([address], heard.append, every_s=0.1)
        poller.start()
        heard_until(lambda: readings_of(address, heard))
        silent["now"] = True
        heard_until(lambda: any(answer.reading is None for answer in heard))
        silent["now"] = False
        missed = len(heard)
        heard_until(lambda: readings_of(address, heard[missed:]))
        poller.stop()
    came = "".join("r" if answer.reading is not None else "x" for answer in heard)
    assert came.startswith("r") and "x" in came and came.endswith("r")


def test_fifty_clients_are_served():
    failed = []

    def one(address):
        try:
            for _ in range(3):
                assert read_once(address, timeout_s=8.0).serial == "S1"
        except Exception as error:
            failed.append(error)

    with served({1: lambda: UNIT}) as address:
        threads = [threading.Thread(target=one, args=(address,)) for _ in range(50)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    assert not failed


@pytest.mark.parametrize(
    "text, wire",
    [
        ("192.168.1.20", ("192.168.1.20", 502)),
        ("logger.local:1502", ("logger.local", 1502)),
        ("[fe80::1]:502", ("fe80::1", 502)),
        ("/dev/ttyUSB0", ("/dev/ttyUSB0", 9600)),
        ("/dev/ttyUSB0:19200", ("/dev/ttyUSB0", 19200)),
    ],
)
def test_addresses_as_they_are_typed(text, wire):
    assert address_of(text).wire == wire


@pytest.mark.parametrize(
    "text, unit",
    [("", 1), ("a b", 1), ("http://x", 1), ("h:99999", 1), ("h:0", 1), ("h", 0), ("h", 248), ("/dev/x:5", 1)],
)
def test_what_is_no_address_is_told(text, unit):
    with pytest.raises(FieldError, match="wanted"):
        address_of(text, unit)
