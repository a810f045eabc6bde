"""How large a file may be, by kind: stated once, checked before anything is read, told in the error."""

import json
import os
import stat
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from calm_relay.exchange.errors import InputError, first_field_error

Read = TypeVar("Read", bound=BaseModel)

MB = 1_000_000
# Bytes, by kind of file. A year of minutes is 25 MB of CSV, a year of hours of weather 2 MB.
MOST_BYTES: dict[str, int] = {
    "job": 64 * MB,
    "own equipment": 64 * MB,
    "settings": 1 * MB,
    "kept work": 256 * MB,
    "meter": 32 * MB,
    "logbook": 512 * MB,
    "bills": 4 * MB,
    "prices": 32 * MB,
    "horizon": 1 * MB,
    "weather": 64 * MB,
    "spreadsheet": 64 * MB,
    "datasheet": 64 * MB,
    "picture": 100 * MB,
    "shipped": 64 * MB,
}
# A picture is measured before it is decoded.
MOST_PIXELS = 120_000_000
# A spreadsheet's: before it is unpacked how many times it may grow and to what; then its rows, columns and cells.
MOST_GROWN, MOST_UNPACKED = 200, 600 * MB
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 100_000, 300, 2000
# A meter's or a weather file's lines, and the characters of one.
MOST_LINES, LONGEST_LINE = 3_000_000, 100_000
# A datasheet's pages, and the characters that are looked through.
MOST_PAGES, MOST_CHARACTERS = 60, 400_000


def checked_size(path: Path, kind: str) -> int:
    """Size of a regular file that may be read [bytes].

    Raises
    ------
    InputError
        When there is none, when it is a stream, a device or a folder, or larger than its kind may be.
    """
    path = Path(path)
    try:
        state = path.stat()
    except (OSError, ValueError) as error:
        raise _unreadable(path, error) from None
    return _checked(state, path, kind)


def read_bytes(path: Path, kind: str) -> bytes:
    """Content of a file of a kind; see `checked_size`."""
    path = Path(path)
    try:
        # A pipe without a writer would wait for ever; opened so it is there at once, and refused.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            size = _checked(os.fstat(handle), path, kind)
        except BaseException:
            os.close(handle)
            raise
        with os.fdopen(handle, "rb") as stream:
            # Some files of the system state no size and go on; one that grows meanwhile is cut off as well.
            content = stream.read(max(size, 4096) + 1)
            if len(content) > MOST_BYTES[kind]:
                raise _too_large(path, kind)
            return content
    except InputError:
        raise
    except (OSError, ValueError) as error:
        raise _unreadable(path, error) from None


def read_text(path: Path, kind: str) -> str:
    """Text of a file of a kind; see `checked_size`.

    Raises
    ------
    InputError
        Also when it is no UTF-8 text.
    """
    try:
        return read_bytes(path, kind).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(path, f"byte {error.start}", "is not UTF-8 text") from None


def any_text(raw: bytes) -> str:
    """Text of a table from elsewhere, whichever of the common encodings it is in."""
    if raw[:2] in {b"\xff\xfe", b"\xfe\xff"}:
        return raw.decode("utf-16", errors="replace")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        # What is not UTF-8 is nearly always the western code page.
        return raw.decode("cp1252", errors="replace")


def read_model(model: type[Read], path: Path, kind: str) -> Read:
    """A JSON file as a model of pydantic.

    Raises
    ------
    InputError
        When it cannot be read, or holds something else; the field is named.
    """
    try:
        return model.model_validate_json(read_text(path, kind))
    except ValidationError as error:
        raise InputError(path, *first_field_error(error)) from None


def parse_json(text: str, path: Path | str) -> Any:
    """What a JSON text holds.

    Raises
    ------
    InputError
        Names the line where it is damaged; nesting and digits without end are refused.
    """
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise InputError(path, where, f"the file is damaged: {error.msg[:1].lower()}{error.msg[1:]}") from None
    except RecursionError:
        raise InputError(path, "", "the file is damaged: it is nested without end") from None
    except ValueError:
        raise InputError(path, "", "the file is damaged: it holds a number of thousands of digits") from None


def _checked(state: os.stat_result, path: Path, kind: str) -> int:
    if not stat.S_ISREG(state.st_mode):
        what = "a folder" if stat.S_ISDIR(state.st_mode) else "a device or a stream"
        raise InputError(path, "", f"is {what}; wanted a file")
    if state.st_size > MOST_BYTES[kind]:
        raise _too_large(path, kind)
    return state.st_size


def _too_large(path: Path, kind: str) -> InputError:
    return InputError(path, "", f"is larger than {MOST_BYTES[kind] // MB} MB; wanted a smaller file")


def _unreadable(path: Path, error: Exception) -> InputError:
    if isinstance(error, FileNotFoundError):
        return InputError(path, "", f"there is no such file at {path.absolute().parent}")
    if isinstance(error, OSError):
        return InputError(path, "", f"cannot be read ({error.strerror or error})")
    return InputError(path, "", "is no name of a file")
