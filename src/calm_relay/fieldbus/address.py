"""Where a device is: a host and port on the network, or a serial line, and the unit on it."""

import re
from dataclasses import dataclass, replace

from calm_relay.fieldbus.errors import FieldError

TCP_PORT = 502
BAUD = 9600
MOST_UNIT = 247
_HOST = re.compile(r"(?P<host>\[[0-9A-Fa-f:.%]+\]|[^\s:/\[\]]+)(?::(?P<port>\d+))?")
_LINE = re.compile(r"(?P<line>/dev/[^\s:]+)(?::(?P<baud>\d+))?")
WANTED = "wanted a host such as 192.168.1.20, host:port, or a serial line such as /dev/ttyUSB0:9600"


@dataclass(frozen=True)
class Address:
    """A device's place: `host` and `port` over TCP, or `line` and `baud` over RTU; `unit` is its Modbus id."""

    host: str = ""
    port: int = TCP_PORT
    line: str = ""
    baud: int = BAUD
    unit: int = 1

    @property
    def wire(self) -> tuple[str, int]:
        """What several units may share: one connection, one line."""
        return (self.line, self.baud) if self.line else (self.host, self.port)

    @property
    def words(self) -> str:
        """As it is typed and shown."""
        if self.line:
            return f"{self.line}:{self.baud}, unit {self.unit}"
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{host}:{self.port}, unit {self.unit}"

    def at_unit(self, unit: int) -> "Address":
        """Another unit on the same wire."""
        return replace(self, unit=unit)


def address_of(text: str, unit: int = 1) -> Address:
    """An address as somebody typed it.

    Parameters
    ----------
    text : str
        `host`, `host:port`, `[IPv6]:port` or `/dev/line:baud`.
    unit : int
        Modbus unit id, 1 to 247.

    Raises
    ------
    FieldError
        When it is none.
    """
    text = text.strip()
    if not 1 <= unit <= MOST_UNIT:
        raise FieldError(text, f"unit {unit} is no device; wanted 1 to {MOST_UNIT}")
    line = _LINE.fullmatch(text)
    if line is not None:
        baud = int(line["baud"] or BAUD)
        if not 300 <= baud <= 1_000_000:
            raise FieldError(text, f"{baud} is no speed of a serial line; wanted 300 to 1,000,000 baud")
        return Address(line=line["line"], baud=baud, unit=unit)
    host = _HOST.fullmatch(text)
    if host is None:
        raise FieldError(text, WANTED)
    port = int(host["port"] or TCP_PORT)
    if not 1 <= port <= 65535:
        raise FieldError(text, f"{port} is no port; wanted 1 to 65535")
    return Address(host=host["host"].strip("[]"), port=port, unit=unit)
