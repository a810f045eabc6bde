"""The verdict a job had when it was last planned, kept so that a window can show it before the new plan has come."""

import contextlib
import hashlib
from pathlib import Path

from pydantic import Field

from calm_relay import __version__
from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.user_state import state_folder
from calm_relay.job.base import Line, Model, Prose
from calm_relay.job.model import Job

MOST_KEPT = 40


class KeptOption(Model):
    """An option as the switch names it; `note` says whether it fits best, is stopped or cannot be built."""

    title: Line
    note: Line


class KeptVerdict(Model):
    """The verdict's sentence, where its figures come from, and the options in their order; `shown` is in view."""

    made_by: Line = __version__
    sentence: Prose
    source: Prose
    options: tuple[KeptOption, ...] = Field(min_length=1, max_length=26)
    shown: int = Field(ge=0, le=25)


def _path_of(job: Job) -> Path:
    digest = hashlib.sha256(f"{__version__}|{job.model_dump_json()}".encode()).hexdigest()[:32]
    return state_folder() / "verdicts" / f"{digest}.json"


def keep_verdict(job: Job, verdict: KeptVerdict) -> None:
    """Keeps a job's verdict where that is possible, and forgets the oldest of many."""
    path = _path_of(job)
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(path, verdict.model_dump_json().encode())
        kept = sorted(path.parent.glob("*.json"), key=lambda file: file.stat().st_mtime, reverse=True)
        for old in kept[MOST_KEPT:]:
            old.unlink(missing_ok=True)


def kept_verdict(job: Job) -> KeptVerdict | None:
    """The verdict of exactly this job by this release; None where there is none that can be read."""
    with contextlib.suppress(OSError, ValueError, RecursionError):
        return KeptVerdict.model_validate_json(read_text(_path_of(job), "settings"))
    return None
