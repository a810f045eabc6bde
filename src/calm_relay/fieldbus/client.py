"""A device read over SunSpec Modbus, TCP or RTU: its models found, then their points read. Nothing is ever written."""

import contextlib
import logging
from collections.abc import Awaitable, Iterable
from dataclasses import dataclass
from typing import Any, Final, Protocol

from pymodbus.client import AsyncModbusSerialClient, AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

from calm_relay.fieldbus.address import MOST_UNIT, Address
from calm_relay.fieldbus.definitions import END, HEAD, MODELS, Reading, layout, read_model
from calm_relay.fieldbus.errors import FieldError
from calm_relay.fieldbus.readings import DeviceReading, device_reading

BASES: Final = (40000, 0, 50000)
MARK: Final = (0x5375, 0x6E53)
MOST_A_REQUEST: Final = 125
# No device that is known has a tenth of these; an endless list is garbage.
MOST_MODELS, MOST_REGISTERS = 128, 12_000
# Read at first sight only: they do not change while one looks.
STILL: Final = frozenset({1, 120, 121, 702})
TIMEOUT_S: Final = 1.5
# Each broken frame is a line of its log; what is wrong is said by the errors here.
logging.getLogger("pymodbus").setLevel(logging.CRITICAL)


class Wire(Protocol):
    """What reads registers: a connection of pymodbus."""

    def read_holding_registers(self, address: int, *, count: int, device_id: int) -> Awaitable[Any]:
        """An answer with `registers`, or one that says what is wrong."""

    @property
    def connected(self) -> bool:
        """Whether it is."""

    async def connect(self) -> bool:
        """Connects; whether it did."""

    def close(self) -> None:
        """Ends the connection."""


@dataclass(frozen=True)
class ModelPlace:
    """Where a model stands in a device: first register of its head, and registers after the head."""

    model: int
    at: int
    length: int


@dataclass(frozen=True)
class Found:
    """A device's map: base address, the models that are read, and the numbers of those skipped."""

    address: Address
    base: int
    places: tuple[ModelPlace, ...]
    skipped: tuple[int, ...]


def wire_to(address: Address, timeout_s: float = TIMEOUT_S) -> Wire:
    """A connection to what an address names; nothing is sent before it is asked to connect."""
    if address.line:
        return AsyncModbusSerialClient(
            address.line, baudrate=address.baud, timeout=timeout_s, retries=1, reconnect_delay=0
        )
    return AsyncModbusTcpClient(address.host, port=address.port, timeout=timeout_s, retries=1, reconnect_delay=0)


async def connect(wire: Wire, address: Address) -> None:
    """Connects where there is no connection.

    Raises
    ------
    FieldError
        When nothing answers there.
    """
    if wire.connected:
        return
    try:
        done = await wire.connect()
    except (OSError, ValueError, ModbusException) as error:
        raise FieldError(address.words, f"cannot be reached ({error})") from error
    if not done:
        wanted = "is the cable in and the speed right?" if address.line else "is the address right, and Modbus on?"
        raise FieldError(address.words, f"nothing answers; {wanted}")


async def registers(wire: Wire, address: Address, at: int, count: int) -> bytes:
    """Registers of a device, two bytes each.

    Raises
    ------
    FieldError
        When it does not answer, refuses, or answers with something else.
    """
    parts = []
    for first in range(at, at + count, MOST_A_REQUEST):
        wanted = min(MOST_A_REQUEST, at + count - first)
        try:
            answer = await wire.read_holding_registers(first, count=wanted, device_id=address.unit)
        except (TimeoutError, ModbusException, OSError) as error:
            raise FieldError(address.words, f"no answer for registers {first} to {first + wanted - 1}") from error
        except Exception as error:
            raise FieldError(address.words, f"its answer cannot be read ({type(error).__name__})") from error
        if answer is None or answer.isError():
            raise FieldError(address.words, f"refuses registers {first} to {first + wanted - 1}")
        if len(answer.registers) != wanted:
            said = f"{len(answer.registers)} registers where {wanted} were asked for"
            raise FieldError(address.words, f"answers with {said}")
        parts.append(b"".join(value.to_bytes(2, "big") for value in answer.registers))
    return b"".join(parts)


async def find(wire: Wire, address: Address) -> Found:
    """A device's map: the mark "SunS" at one of its bases, then model after model by their lengths.

    Raises
    ------
    FieldError
        When there is no such map, or it never ends.
    """
    base = await _base(wire, address)
    places: list[ModelPlace] = []
    skipped: list[int] = []
    at = base + 2
    while True:
        head = await registers(wire, address, at, HEAD)
        model, length = int.from_bytes(head[:2], "big"), int.from_bytes(head[2:], "big")
        if model == END:
            break
        if model == 0 or at + HEAD + length > 0xFFFF or at - base > MOST_REGISTERS:
            raise FieldError(address.words, f"its list of models makes no sense at register {at}")
        if len(places) + len(skipped) >= MOST_MODELS:
            raise FieldError(address.words, f"its list of models does not end after {MOST_MODELS}")
        if model in MODELS:
            places.append(ModelPlace(model, at, length))
        else:
            skipped.append(model)
        at += HEAD + length
    return Found(address, base, tuple(places), tuple(skipped))


async def _base(wire: Wire, address: Address) -> int:
    problem, answered = None, False
    for base in BASES:
        try:
            head = await registers(wire, address, base, 2)
        except FieldError as error:
            problem = error
            if not wire.connected or error.problem.startswith("no answer"):
                break
            continue
        if head == b"SunS":
            return base
        answered = True
    if problem is not None and not answered:
        raise problem
    where = ", ".join(str(base) for base in BASES)
    raise FieldError(address.words, f'answers, but has no "SunS" at {where}: it does not speak SunSpec')


async def read(wire: Wire, found: Found, known: dict[int, tuple[int, Reading]] | None = None) -> DeviceReading:
    """What a device says now.

    Parameters
    ----------
    wire : Wire
        A connection.
    found : Found
        Its map.
    known : dict, optional
        Models that do not change, by the register they stand at: read once, kept here.

    Raises
    ------
    FieldError
        When it does not answer, or its map is another by now.
    """
    known = {} if known is None else known
    models: dict[int, tuple[int, Reading]] = {}
    wanted = [place for place in found.places if place.at not in known]
    for group in _together(wanted):
        first, last = group[0].at, group[-1].at + HEAD + group[-1].length
        data = await registers(wire, found.address, first, last - first)
        for place in group:
            part = data[2 * (place.at - first) : 2 * (place.at - first + HEAD + place.length)]
            if int.from_bytes(part[:2], "big") != place.model:
                raise FieldError(found.address.words, "its models are no longer where they were")
            block = layout(place.model)
            assert block is not None, "only known models are read"
            models[place.at] = (place.model, read_model(block, part))
            if place.model in STILL:
                known[place.at] = models[place.at]
    return device_reading([item for _, item in sorted({**known, **models}.items())])


def _together(places: Iterable[ModelPlace]) -> list[list[ModelPlace]]:
    """Models that stand one after the other are read with as few requests as registers allow."""
    groups: list[list[ModelPlace]] = []
    for place in places:
        last = groups[-1][-1] if groups else None
        if last is not None and last.at + HEAD + last.length == place.at:
            groups[-1].append(place)
        else:
            groups.append([place])
    return groups


async def units_on(wire: Wire, address: Address, last: int = MOST_UNIT) -> tuple[Found, ...]:
    """Every unit on a wire that speaks SunSpec: asked for by hand only, it knocks at each.

    Raises
    ------
    FieldError
        When there is no connection.
    """
    found = []
    for unit in range(1, last + 1):
        await connect(wire, address)
        with contextlib.suppress(FieldError):
            found.append(await find(wire, address.at_unit(unit)))
    return tuple(found)
