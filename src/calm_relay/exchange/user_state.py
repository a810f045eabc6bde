"""What the application remembers of its user: look, size, recent jobs, and work not yet saved.

Everything lies in one folder; `CALM_RELAY_STATE` overrides which. A folder that cannot be read or written costs
the memory, never the work in hand.
"""

import contextlib
import hashlib
import json
import os
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal

import platformdirs
from pydantic import Field, ValidationError

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import parse_job, write_atomically
from calm_relay.job.base import Model
from calm_relay.job.model import Job

SCALES = (100, 125, 150, 175, 200)
MOST_RECENT = 10


def state_folder() -> Path:
    """Where the state lies."""
    return Path(os.environ.get("CALM_RELAY_STATE") or platformdirs.user_state_dir("calm-relay"))


class Settings(Model):
    """Look, size in per cent, and the jobs last opened or saved, newest first."""

    look: Literal["light", "dark"] = "light"
    scale: int = Field(default=100, ge=100, le=200)
    recent: tuple[str, ...] = Field(default=(), max_length=MOST_RECENT)
    knows_example: bool = Field(default=False, description="Whether it was told that the first job is an example.")

    def with_recent(self, path: Path) -> "Settings":
        """With a job at the head of the list."""
        rest = tuple(item for item in self.recent if item != str(path))
        return self.with_(recent=(str(path), *rest)[:MOST_RECENT])


def read_settings() -> Settings:
    """The settings, or those of a first start."""
    with contextlib.suppress(OSError, ValidationError, ValueError):
        return Settings.model_validate_json((state_folder() / "settings.json").read_text())
    return Settings()


def write_settings(settings: Settings) -> None:
    """Keeps the settings where that is possible."""
    with contextlib.suppress(OSError):
        state_folder().mkdir(parents=True, exist_ok=True)
        write_atomically(state_folder() / "settings.json", settings.model_dump_json(indent=2).encode())


class Unsaved(Model):
    """Work that was not saved when its application ended."""

    format: Literal["calm-relay-unsaved"] = "calm-relay-unsaved"
    process: int
    kept_at: str
    path: str | None
    folder: str
    job: Job


def _unsaved_path(process: int) -> Path:
    return state_folder() / "unsaved" / f"{process}.json"


def keep_unsaved(job: Job, path: Path | None, folder: Path) -> None:
    """Keeps the present job so that a kill cannot lose it.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    target = _unsaved_path(os.getpid())
    target.parent.mkdir(parents=True, exist_ok=True)
    kept_at = datetime.now(UTC).isoformat(timespec="seconds")
    document = Unsaved(
        process=os.getpid(), kept_at=kept_at, path=str(path) if path else None, folder=str(folder), job=job
    )
    write_atomically(target, document.model_dump_json().encode())


def forget_unsaved(process: int | None = None) -> None:
    """Forgets what was kept by a process, this one unless stated."""
    with contextlib.suppress(OSError):
        _unsaved_path(process or os.getpid()).unlink(missing_ok=True)


def left_behind() -> tuple[Unsaved, ...]:
    """Work kept by processes that are gone, oldest first."""
    result = []
    for file in sorted((state_folder() / "unsaved").glob("*.json")):
        with contextlib.suppress(OSError, ValidationError, ValueError, InputError):
            document = json.loads(file.read_text())
            parse_job(json.dumps(document["job"]), file)
            kept = Unsaved.model_validate(document)
            if kept.process != os.getpid() and not _runs_still(kept.process):
                result.append(kept)
    return tuple(sorted(result, key=lambda kept: kept.kept_at))


def _runs_still(process: int) -> bool:
    """Whether a process still runs this application; its number may have gone to another program."""
    try:
        return b"calm" in Path(f"/proc/{process}/cmdline").read_bytes()
    except OSError:
        return False


def file_mark(path: Path) -> str | None:
    """A mark of a file's content, None where there is no file; two marks differ when the content does."""
    try:
        return hashlib.sha256(Path(path).read_bytes()).hexdigest()
    except OSError:
        return None
