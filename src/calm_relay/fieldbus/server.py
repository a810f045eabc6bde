"""The simulated site: a SunSpec Modbus server on this machine that says what it is given to say."""

import asyncio
import struct
import threading
import time
from collections.abc import Callable, Mapping
from typing import Any

from pymodbus.constants import ExcCodes
from pymodbus.framer import FramerType
from pymodbus.server import ModbusSerialServer, ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from calm_relay.fieldbus.errors import FieldError
from calm_relay.fieldbus.readings import DeviceReading, registers_of

BASE = 40000
READS = frozenset({3, 4})
# A device measures so often, however many ask.
FRESH_S = 0.2
# What a device says now; None while its connection is dropped.
Say = Callable[[], DeviceReading | None]


class SiteServer:
    """Serves devices on one port of this machine, by Modbus unit.

    Parameters
    ----------
    devices : mapping of int to callable
        What each unit says at the moment it is asked.
    port : int
        0 for any that is free.
    line : str
        A serial line to serve on instead of TCP.
    base : int
        Register at which the map begins.
    """

    def __init__(self, devices: Mapping[int, Say], port: int = 0, line: str = "", base: int = BASE) -> None:
        self._devices, self._port, self._line, self._base = dict(devices), port, line, base
        self._thread = threading.Thread(target=self._run, name="simulated site", daemon=True)
        self._ready = threading.Event()
        self._problem: Exception | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._server: ModbusTcpServer | ModbusSerialServer | None = None

    def start(self) -> int:
        """Begins to serve; returns the port.

        Raises
        ------
        FieldError
            When the port is in use, or not this user's.
        """
        self._thread.start()
        self._ready.wait(20.0)
        if self._problem is not None:
            if self._line:
                raise FieldError(
                    self._line, "cannot be opened as a serial line; wanted one that is there, as /dev/ttyS0"
                )
            problem = f"cannot be served on ({self._problem}); wanted a port that nobody else has, 0 for any"
            raise FieldError(f"127.0.0.1:{self._port}", problem)
        return self._port

    def stop(self) -> None:
        """Ends; connections are closed."""
        if self._loop is not None and self._server is not None and self._thread.is_alive():
            asyncio.run_coroutine_threadsafe(self._end(self._server), self._loop).result(5.0)
        self._thread.join(5.0)

    async def _end(self, server: ModbusTcpServer | ModbusSerialServer) -> None:
        # A server that is closed between a connection's coming and its taking up leaves that one open for good.
        listening: Any = server.transport
        for one in getattr(listening, "sockets", ()):
            asyncio.get_running_loop().remove_reader(one.fileno())
        await asyncio.sleep(0)
        await server.shutdown()  # type: ignore[no-untyped-call]

    def _run(self) -> None:
        try:
            asyncio.run(self._serve())
        except (OSError, RuntimeError) as error:
            self._problem = error
        finally:
            self._ready.set()

    async def _serve(self) -> None:
        self._loop = asyncio.get_running_loop()
        devices = [_device(unit, say, self._base) for unit, say in self._devices.items()]
        if self._line:
            self._server = ModbusSerialServer(devices, framer=FramerType.RTU, port=self._line, baudrate=9600)
        else:
            self._server = ModbusTcpServer(devices, address=("127.0.0.1", self._port))
        await self._server.serve_forever(background=True)
        if not self._line:
            if self._server.transport is None:
                raise OSError("the port is in use")
            listening: Any = self._server.transport
            self._port = listening.sockets[0].getsockname()[1]
        self._ready.set()
        await self._server.serving
        # A connection that was being accepted as it ended is known to nobody else who would close it.
        await asyncio.sleep(0)
        left: Any = getattr(self._loop, "_transports", {})
        for transport in list(left.values()):
            transport.abort()
        await asyncio.sleep(0)
        await asyncio.sleep(0)


def _device(unit: int, say: Say, base: int) -> SimDevice:
    first = say()
    assert first is not None, "a device speaks at first"
    size = len(registers_of(first)) // 2
    told: dict[str, float] = {}

    async def answer(
        function: int, start: int, address: int, count: int, kept: list[int], values: object
    ) -> ExcCodes | None:
        if function not in READS or values is not None:
            return ExcCodes.ILLEGAL_FUNCTION
        now = time.monotonic()
        if now - told.get("at", -1.0) < FRESH_S:
            return None
        said = say()
        if said is None:
            return ExcCodes.DEVICE_FAILURE
        kept[:] = struct.unpack(f">{size}H", registers_of(said))
        told["at"] = now
        return None

    held = SimData(base, count=size, values=0, datatype=DataType.REGISTERS, readonly=True)
    return SimDevice(unit, simdata=[held], action=answer)
