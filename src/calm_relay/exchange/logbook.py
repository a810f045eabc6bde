"""Logbook of a job: JSON lines that are only ever added, each with its own checksum and that of the one before."""

import fcntl
import json
import os
import zlib
from array import array
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError
from pydantic_core import from_json

from calm_relay.exchange.bounds import checked_size, read_bytes
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.files import write_atomically
from calm_relay.job.logbook import Entry, Readings

FORMAT, VERSION = "calm-relay-logbook", 1
JOB_SUFFIX, SUFFIX = ".relay.json", ".relay.logbook.jsonl"
# `,"sum":"` with eight digits and `"}`: the end of each line.
TAIL = 18
LONGEST_LINE = 4_000_000
_NONE = float("nan")
_ENTRY: TypeAdapter[Any] = TypeAdapter(Entry)


def logbook_path(job_path: Path) -> Path:
    """Where the logbook of a job's file stands: beside it."""
    name = Path(job_path).name
    stem = name.removesuffix(JOB_SUFFIX) if name.endswith(JOB_SUFFIX) else Path(name).stem
    return Path(job_path).with_name(stem + SUFFIX)


@dataclass(frozen=True)
class Line:
    """An entry, its number and when it was written (ISO 8601, UTC)."""

    number: int
    at: str
    entry: Any


@dataclass(frozen=True)
class Problem:
    """A line that cannot be used: its place in the file from 1, and why."""

    line: int
    problem: str


@dataclass(frozen=True, eq=False)
class Series:
    """Readings of all stretches together.

    Attributes
    ----------
    at : ndarray of float64, shape (rows,)
        Seconds since 1970, UTC.
    columns : dict of ndarray of float32, shape (rows,)
        By name; NaN where there is none.
    """

    at: np.ndarray
    columns: dict[str, np.ndarray]


@dataclass(frozen=True, eq=False)
class Logbook:
    """A logbook as it was read: entries in their order, readings apart, and the lines that cannot be used."""

    path: Path
    lines: tuple[Line, ...]
    series: Series
    problems: tuple[Problem, ...]

    @property
    def entries(self) -> tuple[Any, ...]:
        """What was written down."""
        return tuple(line.entry for line in self.lines)


class _Stretches:
    """Readings while they are gathered: one growing array a column, so that ten years of them stay small."""

    def __init__(self) -> None:
        self._at = array("d")
        self._columns: dict[str, array[float]] = {}

    def add(self, data: dict[str, Any]) -> None:
        """Adds a stretch; nothing of one that is broken."""
        seconds = data["seconds"]
        start = datetime.fromisoformat(data["start"])
        start = start if start.tzinfo else start.replace(tzinfo=UTC)
        base, rows, before = start.timestamp(), len(seconds), len(self._at)
        columns = data["columns"]
        for name, values in columns.items():
            if len(values) != rows:
                raise ValueError(f"columns.{name}: has {len(values)} values; wanted {rows}, one a row")
        try:
            self._at.extend(map(base.__add__, seconds))
            for name, values in columns.items():
                column = self._columns.get(name)
                if column is None:
                    column = self._columns[name] = array("f", [_NONE]) * before
                try:
                    column.extend(values)
                except TypeError:
                    del column[before:]
                    column.extend([_NONE if value is None else float(value) for value in values])
        except (TypeError, ValueError, OverflowError):
            del self._at[before:]
            for column in self._columns.values():
                del column[before:]
            raise
        if len(columns) < len(self._columns):
            for column in self._columns.values():
                column.extend([_NONE] * (before + rows - len(column)))

    def together(self) -> Series:
        """All stretches, one after the other."""
        columns = {name: np.frombuffer(column, dtype=np.float32) for name, column in self._columns.items()}
        return Series(np.frombuffer(self._at, dtype=float) if self._at else np.zeros(0), columns)


def read_logbook(path: Path) -> Logbook:
    """A logbook with everything in it that can be used.

    Parameters
    ----------
    path : path-like
        Its file; one that is not there is an empty logbook.

    Returns
    -------
    Logbook
        A line that was cut, changed by hand or written by a newer version is named among its problems; the file is
        left as it is.

    Raises
    ------
    InputError
        When the file cannot be read at all.
    """
    path = Path(path)
    if not path.exists():
        return Logbook(path, (), Series(np.zeros(0), {}), ())
    checked_size(path, "logbook")
    lines: list[Line] = []
    problems: list[Problem] = []
    stretches = _Stretches()
    before = ""
    try:
        for place, raw in enumerate(_raw_lines(path), 1):
            if not raw:
                continue
            problem, item, mark = _understood(raw, place, before, stretches)
            if problem:
                problems.append(Problem(place, problem))
            if item is not None:
                lines.append(item)
            before = mark
    except OSError as error:
        raise InputError(path, "", f"cannot be read: {error.strerror or error}") from error
    return Logbook(path, tuple(lines), stretches.together(), tuple(problems))


def _raw_lines(path: Path) -> Iterator[bytes]:
    with path.open("rb") as stream:
        for line in stream:
            yield line.rstrip(b"\r\n")


def _understood(raw: bytes, place: int, before: str, stretches: _Stretches) -> tuple[str, Line | None, str]:
    """What is wrong with a line, its entry where it can be used, and its mark for the line after."""
    if len(raw) > LONGEST_LINE:
        return f"has {len(raw):,} characters; wanted at most {LONGEST_LINE:,}", None, _mark_of(raw)
    end = raw[-TAIL:]
    mark = f"{zlib.crc32(raw[:-TAIL]):08x}"
    if end != b',"sum":"%s"}' % mark.encode():
        mark = _mark_of(raw)
        if not end.startswith(b',"sum":"') or not end.endswith(b'"}'):
            return "is cut short, or no line of a logbook; it is left as it is", None, mark
        return "was changed after it was written: its checksum does not fit; it is left as it is", None, mark
    try:
        held = from_json(raw)
    except ValueError as error:
        return f"is no JSON ({error})", None, mark
    if not isinstance(held, dict) or held.get("format") != FORMAT:
        return f'"format" is not {FORMAT!r}', None, mark
    version = held.get("version")
    if version != VERSION:
        newer = isinstance(version, int) and version > VERSION
        said = "was written by a newer version of Calm Relay" if newer else f"has the version {version!r}"
        return f"{said}; this one reads version {VERSION}; it is kept and not shown", None, mark
    problem = ""
    if place > 1 and held.get("before") != before:
        problem = "does not follow the line before it: a line was taken out, put in or changed there"
    try:
        entry = held["entry"]
        if entry.get("kind") == "readings":
            stretches.add(entry)
            return problem, None, mark
        return problem, Line(int(held["number"]), str(held["at"]), _ENTRY.validate_python(entry)), mark
    except ValidationError as error:
        where, what = first_field_error(error)
        return f"{where}: {what}", None, mark
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        return f"lacks what a line must hold ({error})", None, mark


def _mark_of(raw: bytes) -> str:
    """The checksum a line ends with; of one that is broken the checksum of all of it."""
    if raw[-TAIL : -TAIL + 8] == b',"sum":"' and raw[-2:] == b'"}':
        return raw[-10:-2].decode("ascii", errors="replace")
    return f"{zlib.crc32(raw):08x}"


def line_of(entry: Any, number: int, before: str, at: datetime) -> bytes:
    """A line as it is written, with its end."""
    held = {
        "format": FORMAT,
        "version": VERSION,
        "number": number,
        "at": at.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ"),
        "before": before,
        "entry": entry.model_dump(mode="json", exclude_none=not isinstance(entry, Readings)),
    }
    text = json.dumps(held, ensure_ascii=False, separators=(",", ":")).encode()[:-1]
    return text + f',"sum":"{zlib.crc32(text):08x}"'.encode() + b"}\n"


def append_entry(path: Path, entry: Any, at: datetime | None = None) -> int:
    """Adds a line, and gives its number; what stands there is never changed.

    Two windows wait for each other; a line that was cut by a kill stays and the new one begins on a line of its own;
    what a full disk took only half of is taken back.

    Raises
    ------
    InputError
        When it cannot be written; the logbook is then as it was.
    """
    path = Path(path)
    try:
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o644)
    except OSError as error:
        raise InputError(path, "", f"cannot be written: {error.strerror or error}") from error
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        size = os.fstat(handle).st_size
        number, before, cut = _end_of(handle, size)
        line = (b"\n" if cut else b"") + line_of(entry, number + 1, before, at or datetime.now(UTC))
        try:
            written = os.write(handle, line)
            if written != len(line):
                raise OSError(28, "no space left on the device")
            os.fsync(handle)
        except OSError:
            os.ftruncate(handle, size)
            raise
    except OSError as error:
        raise InputError(path, "", f"was not added to: {error.strerror or error}; it is as it was") from error
    finally:
        os.close(handle)
    return number + 1


def copy_logbook(source: Path, target: Path) -> bool:
    """Takes a logbook along to where a job is saved anew; whether it was: one that stands there already stays.

    Raises
    ------
    InputError
        When it cannot be read or written.
    """
    source, target = Path(source), Path(target)
    if target.exists() or not source.exists() or source.resolve() == target.resolve():
        return False
    content = read_bytes(source, "logbook")
    try:
        write_atomically(target, content)
    except OSError as error:
        raise InputError(target, "", f"cannot be written: {error.strerror or error}") from error
    return True


def _end_of(handle: int, size: int) -> tuple[int, str, bool]:
    """Number and mark of a file's last line, and whether it ends without an end of line."""
    if size == 0:
        return 0, "", False
    reach = min(size, LONGEST_LINE + 2)
    data = os.pread(handle, reach, size - reach)
    cut = not data.endswith(b"\n")
    lines = [line for line in data.rstrip(b"\r\n").split(b"\n") if line]
    if not lines:
        return 0, "", cut
    last = lines[-1].rstrip(b"\r")
    for line in reversed(lines):
        try:
            return int(json.loads(line)["number"]), _mark_of(last), cut
        except (ValueError, KeyError, TypeError):
            continue
    return size, _mark_of(last), cut
