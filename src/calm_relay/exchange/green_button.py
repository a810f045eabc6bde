"""Meter intervals from Green Button XML (ESPI): a feed of meter readings, reading types and interval blocks.

References
----------
NAESB REQ.21, Energy Services Provider Interface (ESPI) 1.1; codes of reading types are those of IEC 61968-9:
unit 72 is Wh and 38 W, flow 1 is forward (to the customer) and 19 reverse; from memory.
"""

import re
import xml.etree.ElementTree as ET
from dataclasses import dataclass, field
from pathlib import Path
from xml.etree.ElementTree import Element

import numpy as np

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.meter_data import INTERVALS, LONGEST_DAYS, MeterData, Understood
from calm_relay.job.survey import MeterReading

WATT_HOURS, WATTS = 72, 38
FORWARD, REVERSE = 1, 19


# The declaration of an XML file, and the encodings it may state.
_DECLARATION = re.compile(r"\s*<\?xml\b(?:[^>]{0,200}?encoding\s*=\s*[\"']([^\"'>]{1,100})[\"'])?[^>]{0,200}\?>")
ENCODINGS = {"utf-8", "utf8", "us-ascii", "ascii", "utf-16", "utf-16le", "utf-16be", "iso-8859-1", "windows-1252"}


@dataclass
class _Entry:
    """One entry of the feed by its links, and what it carries."""

    self_link: str = ""
    up: str = ""
    related: list[str] = field(default_factory=list)
    content: ET.Element | None = None
    kind: str = ""


def read_green_button(path: Path, text: str, reading: MeterReading) -> MeterData:
    """Intervals from the text of a file.

    Raises
    ------
    InputError
        Names the line or element that is wrong.
    """
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise InputError(path, "", "declares a document type; wanted a plain Green Button feed")
    declared = _DECLARATION.match(text)
    if declared is not None:
        encoding = (declared.group(1) or "utf-8").lower()
        if encoding not in ENCODINGS:
            raise InputError(path, "line 1", f"declares the encoding {encoding[:40]!r}; wanted UTF-8")
        # What the file is encoded in was seen when it was decoded.
        text = "\n" * declared.group().count("\n") + text[declared.end() :]
    try:
        root = ET.fromstring(text)
    except ET.ParseError as error:
        line, column = error.position
        raise InputError(path, f"line {line}, column {column + 1}", "the XML is damaged here") from None
    entries = [_entry(element) for element in root.iter() if _name(element) == "entry"]
    blocks = [entry for entry in entries if entry.kind == "IntervalBlock"]
    if not blocks:
        raise InputError(path, "IntervalBlock", "is missing; wanted a Green Button feed with interval blocks")
    types = {entry.self_link: entry.content for entry in entries if entry.kind == "ReadingType"}
    links = {entry.self_link: entry.related for entry in entries if entry.kind == "MeterReading"}
    points = tuple(dict.fromkeys(_point(entry) for entry in blocks))
    if len(points) > 1 and reading.meter is None:
        raise InputError(path, "UsagePoint", f"holds {len(points)} meters ({', '.join(points)}); choose which")
    streams: dict[int, dict[int, float]] = {FORWARD: {}, REVERSE: {}}
    durations = []
    for entry in blocks:
        if reading.meter is not None and _point(entry) != reading.meter:
            continue
        kind = _reading_type(entry, types, links)
        factor, flow = _factor(path, kind)
        for block in [
            e for e in (() if entry.content is None else entry.content.iter()) if _name(e) == "IntervalReading"
        ]:
            start, seconds, value = _interval(path, block)
            durations.append(seconds)
            kwh = value * factor * (seconds / 3600.0 if _code(kind, "uom", WATT_HOURS) == WATTS else 1.0)
            streams[flow][start] = streams[flow].get(start, 0.0) + kwh
    return _data(path, streams, durations, points)


def _name(element: Element) -> str:
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _entry(element: Element) -> _Entry:
    result = _Entry()
    for part in element:
        if _name(part) == "link":
            relation, target = part.get("rel", ""), part.get("href", "")
            if relation == "self":
                result.self_link = target
            elif relation == "up":
                result.up = target
            else:
                result.related.append(target)
        elif _name(part) == "content" and len(part):
            result.content, result.kind = part[0], _name(part[0])
    return result


def _point(entry: _Entry) -> str:
    """The usage point a block belongs to, by its link; one name when the feed has no links."""
    parts = (entry.self_link or entry.up).split("/")
    return parts[parts.index("UsagePoint") + 1] if "UsagePoint" in parts[:-1] else "meter"


def _reading_type(entry: _Entry, types: dict[str, Element | None], links: dict[str, list[str]]) -> Element | None:
    reading = entry.up.removesuffix("/IntervalBlock")
    for target in links.get(reading, ()):
        if target in types:
            return types[target]
    # A feed without links has one reading type for all.
    return next(iter(types.values())) if len(types) == 1 else None


def _child(element: Element | None, name: str) -> Element | None:
    return next((part for part in element.iter() if _name(part) == name), None) if element is not None else None


def _code(element: Element | None, name: str, otherwise: int) -> int:
    part = _child(element, name)
    try:
        return int(part.text or "") if part is not None else otherwise
    except (TypeError, ValueError):
        return otherwise


def _factor(path: Path, kind: Element | None) -> tuple[float, int]:
    """Energy or power of one count [kWh, kW], and the direction of flow."""
    unit, power = _code(kind, "uom", WATT_HOURS), _code(kind, "powerOfTenMultiplier", 0)
    if unit not in {WATT_HOURS, WATTS}:
        raise InputError(path, "ReadingType.uom", f"is {unit}; wanted 72 (Wh) or 38 (W)")
    if not -12 <= power <= 12:
        raise InputError(path, "ReadingType.powerOfTenMultiplier", f"is {power}; wanted -12 to 12")
    flow = _code(kind, "flowDirection", FORWARD)
    return 10.0**power / 1000.0, REVERSE if flow == REVERSE else FORWARD


def _interval(path: Path, block: Element) -> tuple[int, int, int]:
    result = []
    for name in ("start", "duration", "value"):
        part = _child(block, name)
        try:
            result.append(int((part.text if part is not None else None) or ""))
        except ValueError:
            shown = "missing" if part is None else repr(part.text)
            raise InputError(path, f"IntervalReading.{name}", f"is {shown}; wanted a whole number") from None
    start, seconds, value = result
    if not 0 < start < 4_102_444_800:
        raise InputError(path, "IntervalReading.start", f"is {start}; wanted seconds since 1970")
    if seconds % 60 or seconds // 60 not in INTERVALS:
        raise InputError(path, "IntervalReading.duration", f"is {seconds} s; wanted one of {INTERVALS} minutes")
    if not 0 <= value < 10**12:
        raise InputError(path, "IntervalReading.value", f"is {value}; wanted 0 or more")
    return start, seconds, value


def _data(
    path: Path, streams: dict[int, dict[int, float]], durations: list[int], points: tuple[str, ...]
) -> MeterData:
    if not durations:
        raise InputError(path, "IntervalReading", "is missing; wanted readings in the interval blocks")
    if len(set(durations)) > 1:
        raise InputError(
            path,
            "IntervalReading.duration",
            f"is {min(durations)} s and {max(durations)} s; wanted one length",
        )
    starts = np.array(sorted(streams[FORWARD] or streams[REVERSE]))
    if starts[-1] - starts[0] > LONGEST_DAYS * 86400:
        raise InputError(path, "IntervalReading.start", f"spans over {LONGEST_DAYS} days; wanted up to four years")

    def series(flow: int) -> np.ndarray:
        return np.array([streams[flow].get(int(start), 0.0) for start in starts])

    minutes = durations[0] // 60
    missing = int(starts[-1] - starts[0]) // (minutes * 60) + 1 - starts.size
    notes = (f"{missing} intervals are missing between the first and the last.",) if missing > 0 else ()
    understood = Understood(
        "Green Button XML", "wh", minutes, meters=points if len(points) > 1 else (), notes=notes
    )
    return MeterData(
        starts.astype("datetime64[s]"), series(FORWARD), series(REVERSE) if streams[REVERSE] else None, understood
    )
