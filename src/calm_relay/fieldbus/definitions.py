"""Layouts of SunSpec models as the definitions of the SunSpec Alliance state them, ready to be read and written."""

import json
import struct
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any, Final

# What is read; any other model is skipped by its length.
COMMON: Final = 1
INVERTERS: Final = (101, 102, 103, 111, 112, 113)
METERS: Final = (201, 202, 203, 204)
MODELS: Final = frozenset({COMMON, *INVERTERS, *range(120, 125), 160, *METERS, *range(701, 715), 802, 803, 804})
END: Final = 0xFFFF
HEAD: Final = 2
# Format of a type in a buffer of registers, and the raw value that says "not implemented".
_INTEGERS: Final = {
    "int16": (">h", -0x8000),
    "uint16": (">H", 0xFFFF),
    "count": (">H", 0xFFFF),
    "acc16": (">H", 0),
    "enum16": (">H", 0xFFFF),
    "bitfield16": (">H", 0xFFFF),
    "raw16": (">H", None),
    "int32": (">i", -0x80000000),
    "uint32": (">I", 0xFFFFFFFF),
    "acc32": (">I", 0),
    "enum32": (">I", 0xFFFFFFFF),
    "bitfield32": (">I", 0xFFFFFFFF),
    "ipaddr": (">I", 0),
    "int64": (">q", -0x8000000000000000),
    "uint64": (">Q", 0xFFFFFFFFFFFFFFFF),
    "acc64": (">Q", 0),
    "bitfield64": (">Q", 0xFFFFFFFFFFFFFFFF),
    "sunssf": (">h", -0x8000),
}
_FLOATS: Final = {"float32": ">f", "float64": ">d"}
# Accumulators of 0 count as a reading: a new meter stands at 0.
_ACCUMULATORS: Final = frozenset({"acc16", "acc32", "acc64"})
_SKIPPED: Final = frozenset({"pad", "eui48", "ipv6addr"})
SCALE_MOST: Final = 10

Value = float | int | str | None


@dataclass(frozen=True)
class Point:
    """One point: `at` is its register within its block, `scale` the name of its scale factor or a fixed one."""

    name: str
    kind: str
    at: int
    size: int
    scale: str | int | None
    units: str
    symbols: tuple[tuple[str, int], ...]
    mandatory: bool


@dataclass(frozen=True)
class Block:
    """Points that stand together, and the blocks that follow them.

    `count` is a number, a point's name, or 0 for as many as the model is long.
    """

    name: str
    points: tuple[Point, ...]
    blocks: tuple["Block", ...]
    count: str | int
    size: int


@dataclass(frozen=True)
class Reading:
    """Points of a block by name, scaled, None where a device does not implement them; repeated blocks by name."""

    values: dict[str, Value]
    blocks: dict[str, tuple["Reading", ...]]

    def number(self, name: str) -> float | None:
        """A point that is a number; None where it is not implemented."""
        value = self.values.get(name)
        return float(value) if isinstance(value, int | float) else None

    def text(self, name: str) -> str:
        """A point that is text; empty where it is not implemented."""
        value = self.values.get(name)
        return value if isinstance(value, str) else ""


@lru_cache(maxsize=128)
def layout(model: int) -> Block | None:
    """The layout of a model that is read; None of one that is skipped.

    References
    ----------
    SunSpec Device Information Model definitions, as the package pysunspec2 ships them.
    """
    if model not in MODELS:
        return None
    text = (files("sunspec2") / "models" / "json" / f"model_{model}.json").read_text(encoding="utf-8")
    return _block(json.loads(text)["group"])


def _block(group: dict[str, Any]) -> Block:
    points, at = [], 0
    for item in group["points"]:
        symbols = tuple((symbol["name"], symbol["value"]) for symbol in item.get("symbols", ()))
        points.append(
            Point(
                item["name"], item["type"], at, item["size"], item.get("sf"), item.get("units", ""), symbols,
                item.get("mandatory") == "M",
            )
        )  # fmt: skip
        at += item["size"]
    blocks = tuple(_block(inner) for inner in group.get("groups", ()))
    return Block(group["name"], tuple(points), blocks, group.get("count", 1), at)


def read_model(block: Block, registers: bytes) -> Reading:
    """A model from its registers.

    Parameters
    ----------
    block : Block
        Its layout.
    registers : bytes
        All of the model with its two head registers, two bytes each, most significant first. A model that is shorter
        than its layout lacks the points at its end.

    Returns
    -------
    Reading
        Repeated blocks never go past the end of what was read, whatever a count says.
    """
    reading, _ = _read(block, registers, 0, ())
    return reading


def _read(block: Block, data: bytes, start: int, outer: tuple[dict[str, Value], ...]) -> tuple[Reading, int]:
    raw = {point.name: _raw(point, data, start) for point in block.points}
    scopes = (raw, *outer)
    at = start + 2 * block.size
    found: dict[str, tuple[Reading, ...]] = {}
    for inner in block.blocks:
        items: list[Reading] = []
        most = _count(inner, scopes)
        while len(items) < most and at + 2 * inner.size <= len(data) and inner.size:
            item, at = _read(inner, data, at, scopes)
            items.append(item)
        found[inner.name] = tuple(items)
    values = {point.name: _scaled(point, raw[point.name], scopes) for point in block.points}
    return Reading(values, found), at


def _count(block: Block, scopes: tuple[dict[str, Value], ...]) -> int:
    if isinstance(block.count, int):
        return block.count or END
    stated = next((scope[block.count] for scope in scopes if block.count in scope), None)
    return int(stated) if isinstance(stated, int) and stated > 0 else 0


def _raw(point: Point, data: bytes, start: int) -> Value:
    first, last = start + 2 * point.at, start + 2 * (point.at + point.size)
    if last > len(data) or point.kind in _SKIPPED:
        return None
    if point.kind == "string":
        text = data[first:last].split(b"\0", 1)[0].decode("utf-8", errors="replace").strip()
        return "".join(sign for sign in text if sign.isprintable()) or None
    if point.kind in _FLOATS:
        number = float(struct.unpack_from(_FLOATS[point.kind], data, first)[0])
        return number if abs(number) < 1e30 else None
    form, absent = _INTEGERS[point.kind]
    value = int(struct.unpack_from(form, data, first)[0])
    return None if value == absent and point.kind not in _ACCUMULATORS else value


def _scaled(point: Point, value: Value, scopes: tuple[dict[str, Value], ...]) -> Value:
    if point.scale is None or not isinstance(value, int):
        return value
    power = point.scale
    if isinstance(power, str):
        stated = next((scope[power] for scope in scopes if power in scope), None)
        if not isinstance(stated, int) or abs(stated) > SCALE_MOST:
            return None
        power = stated
    return value * 10.0**power if power else value


def write_model(
    model: int, values: dict[str, Any], blocks: dict[str, list[dict[str, Any]]] | None = None
) -> bytes:
    """Registers of a model with its head, two bytes each: what the simulated site serves.

    Parameters
    ----------
    model : int
        Its number.
    values : dict
        Points by name as they are to be read; scale factors by name where others are wanted than -1. What is left
        out is "not implemented".
    blocks : dict, optional
        Values of each repeated block by its name.

    Raises
    ------
    KeyError
        When a name is no point of the model.
    """
    block = layout(model)
    assert block is not None, f"model {model} is known"
    scales = _scales(block, values)
    inner = b"".join(
        _write(part, item, {**scales, **_scales(part, item)})
        for part in block.blocks
        for item in (blocks or {}).get(part.name, [])
    )
    counts = {part.count: len((blocks or {}).get(part.name, [])) for part in block.blocks}
    whole = {**values, **{name: count for name, count in counts.items() if isinstance(name, str)}}
    length = block.size - HEAD + len(inner) // 2
    unknown = set(whole) - {point.name for point in block.points}
    if unknown:
        raise KeyError(f"model {model} has no point {sorted(unknown)[0]}")
    return _write(block, {**whole, "ID": model, "L": length}, scales) + inner


def _scales(block: Block, values: dict[str, Any]) -> dict[str, int]:
    return {point.name: int(values.get(point.name, -1)) for point in block.points if point.kind == "sunssf"}


def _write(block: Block, values: dict[str, Any], scales: dict[str, int]) -> bytes:
    out = bytearray(2 * block.size)
    for point in block.points:
        first, value = 2 * point.at, values.get(point.name)
        if point.kind == "sunssf":
            value = scales[point.name]
        if point.kind == "string":
            text = str(value or "").encode()[: 2 * point.size]
            out[first : first + len(text)] = text
        elif point.kind in _FLOATS:
            struct.pack_into(_FLOATS[point.kind], out, first, float("nan") if value is None else float(value))
        elif point.kind in _INTEGERS:
            form, absent = _INTEGERS[point.kind]
            struct.pack_into(form, out, first, _whole(point, value, scales, absent or 0))
    return bytes(out)


def _whole(point: Point, value: Any, scales: dict[str, int], absent: int) -> int:
    """The raw integer of a value, held within what its type can say."""
    if value is None:
        return absent
    if point.kind == "sunssf":
        return int(value)
    power = scales.get(point.scale, 0) if isinstance(point.scale, str) else point.scale or 0
    raw = round(float(value) / 10.0**power)
    bits = 16 * point.size
    least, most = (
        (-(2 ** (bits - 1)) + 1, 2 ** (bits - 1) - 1) if point.kind.startswith("int") else (0, 2**bits - 2)
    )
    return min(max(raw, least), most)
