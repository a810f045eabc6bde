"""Several devices read each second by one thread; one that hangs holds neither the others nor whoever listens."""

import asyncio
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from calm_relay.fieldbus.address import MOST_UNIT, Address
from calm_relay.fieldbus.client import TIMEOUT_S, Found, Wire, connect, find, read, units_on, wire_to
from calm_relay.fieldbus.definitions import Reading
from calm_relay.fieldbus.errors import FieldError
from calm_relay.fieldbus.readings import DeviceReading

EVERY_S = 1.0
LONGEST_WAIT_S = 60.0
# A wire that is not free by then is held by a unit that hangs.
PATIENCE_S = 20.0
BRIEF_S = 0.8
AGAIN_S = 0.05


@dataclass(frozen=True)
class Answer:
    """What came of asking a device: its reading, or what is wrong; `at` is the clock [UTC], `took_s` the round."""

    address: Address
    at: datetime
    reading: DeviceReading | None
    problem: str = ""
    took_s: float = 0.0
    next_s: float = EVERY_S


@dataclass
class _Line:
    """A wire and who is on it."""

    wire: Wire
    shared: bool = False
    free: asyncio.Lock = field(default_factory=asyncio.Lock)


class Poller:
    """Reads devices until it is stopped.

    Parameters
    ----------
    addresses : sequence of Address
        Nobody else is ever contacted.
    heard : callable
        Takes each `Answer`, in the poller's thread.
    every_s : float
        Seconds from one reading to the next. A device that fails is asked after twice, four times ... as long, at
        most `LONGEST_WAIT_S`.
    timeout_s : float
        How long an answer is waited for, twice.
    """

    def __init__(
        self,
        addresses: Sequence[Address],
        heard: Callable[[Answer], None],
        every_s: float = EVERY_S,
        timeout_s: float = TIMEOUT_S,
    ) -> None:
        self._addresses = tuple(dict.fromkeys(addresses))
        self._heard, self._every_s, self._timeout_s = heard, every_s, timeout_s
        self._loop: asyncio.AbstractEventLoop | None = None
        self._end: asyncio.Event | None = None
        self._thread = threading.Thread(target=self._run, name="fieldbus", daemon=True)
        self._started = threading.Event()

    def start(self) -> None:
        """Begins to ask."""
        self._thread.start()
        self._started.wait(10.0)

    def stop(self, wait_s: float = 5.0) -> None:
        """Ends; connections are closed."""
        if self._loop is not None and self._end is not None and self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._end.set)
        if self._thread.is_alive() and threading.current_thread() is not self._thread:
            self._thread.join(wait_s)

    @property
    def running(self) -> bool:
        """Whether it asks."""
        return self._thread.is_alive()

    def _run(self) -> None:
        asyncio.run(self._all())

    async def _all(self) -> None:
        self._loop, self._end = asyncio.get_running_loop(), asyncio.Event()
        lines: dict[tuple[str, int], _Line] = {}
        wires = [address.wire for address in self._addresses]
        for address in self._addresses:
            shared = wires.count(address.wire) > 1
            lines.setdefault(address.wire, _Line(wire_to(address, self._timeout_s), shared))
        tasks = [asyncio.create_task(self._ask(address, lines[address.wire])) for address in self._addresses]
        self._started.set()
        await self._end.wait()
        asking = set(tasks)
        while asking:
            for task in asking:
                task.cancel()
            # A wait that ends as it is cancelled takes the cancelling for itself: it is said again.
            _, asking = await asyncio.wait(asking, timeout=AGAIN_S)
        for line in lines.values():
            line.wire.close()

    async def _ask(self, address: Address, line: _Line) -> None:
        found: Found | None = None
        known: dict[int, tuple[int, Reading]] = {}
        failed = 0
        while True:
            began = time.monotonic()
            try:
                await asyncio.wait_for(line.free.acquire(), PATIENCE_S)
                try:
                    # A unit that failed before is given less of a line that others wait for.
                    async with asyncio.timeout(BRIEF_S if failed and line.shared else None):
                        await connect(line.wire, address)
                        if found is None:
                            found = await find(line.wire, address)
                            known = {}
                        reading = await read(line.wire, found, known)
                finally:
                    line.free.release()
            except (FieldError, TimeoutError) as error:
                failed, found = failed + 1, None
                problem = (
                    error.problem if isinstance(error, FieldError) else "no answer while others wait for the line"
                )
                wait = min(self._every_s * 2**failed, LONGEST_WAIT_S)
                self._tell(Answer(address, _now(), None, problem, time.monotonic() - began, wait))
            else:
                failed, wait = 0, self._every_s
                self._tell(Answer(address, _now(), reading, "", time.monotonic() - began, wait))
            await asyncio.sleep(max(wait - (time.monotonic() - began), 0.05))

    def _tell(self, answer: Answer) -> None:
        # A listener that is gone must not end the asking of others.
        try:
            self._heard(answer)
        except RuntimeError:
            if self._end is not None:
                self._end.set()


def read_once(address: Address, timeout_s: float = TIMEOUT_S) -> DeviceReading:
    """One reading of one device, waited for.

    Raises
    ------
    FieldError
        When it cannot be read.
    """

    async def once() -> DeviceReading:
        wire = wire_to(address, timeout_s)
        try:
            await connect(wire, address)
            return await read(wire, await find(wire, address))
        finally:
            wire.close()

    return asyncio.run(once())


def scan(address: Address, last: int = MOST_UNIT, timeout_s: float = 0.5) -> tuple[Found, ...]:
    """Units that answer on a wire, waited for; asked for by hand only.

    Raises
    ------
    FieldError
        When there is no connection.
    """

    async def all_units() -> tuple[Found, ...]:
        wire = wire_to(address, timeout_s)
        try:
            return await units_on(wire, address, last)
        finally:
            wire.close()

    return asyncio.run(all_units())


def _now() -> datetime:
    return datetime.now(UTC)
