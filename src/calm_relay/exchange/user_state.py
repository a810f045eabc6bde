"""What the application remembers of its user: look, size, recent jobs, and work not yet saved.

Everything lies in one folder; `CALM_RELAY_STATE` overrides which. A folder that cannot be read or written costs
the memory, never the work in hand.
"""

import contextlib
import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import Literal
from urllib.parse import quote_from_bytes, unquote_to_bytes

import platformdirs
from pydantic import Field

from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.files import folder_locked, write_atomically
from calm_relay.job.base import FilePath, Model, Name

SCALES = (100, 125, 150, 175, 200)
MOST_RECENT = 10
MOST_TRUSTED = 200


def state_folder() -> Path:
    """Where the state lies."""
    return Path(os.environ.get("CALM_RELAY_STATE") or platformdirs.user_state_dir("calm-relay"))


class Settings(Model):
    """Look, size in per cent, and the jobs last opened or saved, newest first."""

    look: Literal["light", "dark"] = "light"
    scale: int = Field(default=100, ge=100, le=200)
    recent: tuple[FilePath, ...] = Field(default=(), max_length=MOST_RECENT)
    trusted: tuple[Name, ...] = Field(
        default=(),
        max_length=MOST_TRUSTED,
        description="Marks of jobs whose files outside their folder may be read.",
    )
    book: FilePath | None = Field(default=None, description="Folder of the book that was looked at last.")
    knows_example: bool = Field(default=False, description="Whether it was told that the first job is an example.")

    def with_recent(self, path: Path) -> "Settings":
        """With a job at the head of the list."""
        rest = tuple(item for item in self.recent if item != _written(path))
        return self.with_(recent=(_written(path), *rest)[:MOST_RECENT])

    def with_trusted(self, path: Path, outside: tuple[str, ...]) -> "Settings":
        """With leave for a job to read these files outside its folder."""
        mark = _mark(path, outside)
        return self.with_(trusted=(mark, *(item for item in self.trusted if item != mark))[:MOST_TRUSTED])

    def trusts(self, path: Path, outside: tuple[str, ...]) -> bool:
        """Whether a job may read these files outside its folder: none, or the same as before."""
        return not outside or _mark(path, outside) in self.trusted

    @property
    def book_path(self) -> Path | None:
        """Folder of the book that was looked at last."""
        return None if self.book is None else _read_path(self.book)

    def with_book(self, folder: Path) -> "Settings":
        """With another folder of the book."""
        return self.with_(book=_written(folder))

    @property
    def recent_paths(self) -> tuple[Path, ...]:
        """The jobs last opened or saved, newest first."""
        return tuple(map(_read_path, self.recent))


def _mark(path: Path, outside: tuple[str, ...]) -> str:
    return hashlib.sha256(b"\0".join((os.fsencode(path), *map(os.fsencode, outside)))).hexdigest()


def _written(path: Path) -> str:
    """A path as text: a name that is no UTF-8 as a file URI."""
    raw = os.fsencode(path)
    try:
        return raw.decode()
    except UnicodeDecodeError:
        return f"file://{quote_from_bytes(raw)}"


def _read_path(text: str) -> Path:
    if not text.startswith("file://"):
        return Path(text)
    return Path(os.fsdecode(unquote_to_bytes(text.removeprefix("file://"))))


def read_settings() -> Settings:
    """The settings, or those of a first start."""
    with contextlib.suppress(OSError, ValueError, RecursionError):
        return Settings.model_validate_json(read_text(state_folder() / "settings.json", "settings"))
    return Settings()


def change_settings(change: Callable[[Settings], Settings]) -> None:
    """Changes the settings as they stand at that moment: two windows do not take one another's changes back."""
    with contextlib.suppress(OSError):
        state_folder().mkdir(parents=True, exist_ok=True)
    with folder_locked(state_folder()):
        write_settings(change(read_settings()))


def write_settings(settings: Settings) -> None:
    """Keeps the settings where that is possible."""
    with contextlib.suppress(OSError):
        state_folder().mkdir(parents=True, exist_ok=True)
        write_atomically(state_folder() / "settings.json", settings.model_dump_json(indent=2).encode())
