"""Work not yet saved, kept in an append-only journal so that a kill loses at most the edit in the making.

A journal is one file of lines, each a checksum and a JSON object: first the job as it was read, then for each edit the
parts it changed. Its process holds a lock on it for as long as it runs, so what a dead one left is told from what a
living one keeps without asking whose number a process has. Lines are written in a thread of their own.
"""

import contextlib
import fcntl
import json
import os
import queue
import threading
import uuid
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any

from calm_relay.exchange.bounds import checked_size, parse_json, read_text
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.files import file_mark, folder_locked, mark_of, sweep, write_atomically
from calm_relay.exchange.job_file import job_text, parse_job, read_job
from calm_relay.exchange.user_state import state_folder
from calm_relay.job.model import Job

FORMAT = "calm-relay-journal"
SUFFIX = ".journal"
# How long a save waits for what is still to be written.
PATIENCE_S = 5.0


def journals_folder() -> Path:
    """Where journals lie."""
    return state_folder() / "unsaved"


@dataclass(frozen=True)
class LeftBehind:
    """Work that was not saved when its application ended.

    `file` is where it is kept, `path` the job's own file or None, `folder` where relative paths start. `newer_file`
    says that the job's file was saved by somebody else since.
    """

    file: Path
    job: Job
    path: Path | None
    folder: Path
    kept_at: datetime
    mark: str | None
    newer_file: bool


class Journal:
    """The journal of one window; `prepare` makes a job ready to be kept, `told` hears that keeping failed or works."""

    def __init__(
        self,
        prepare: Callable[[Job], Job] = lambda job: job,
        told: Callable[[OSError | None], None] = lambda error: None,
    ) -> None:
        self._prepare, self._told = prepare, told
        self._queue: queue.SimpleQueue[Callable[[], None] | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._written = threading.Event()
        self._file: IO[bytes] | None = None
        self._path: Path | None = None
        self._last: dict[str, Any] = {}
        self._failed = False
        # Goes into the first line of the journal, which the first edit begins.
        self._origin: dict[str, Any] = {}

    def begin(self, job: Job, path: Path | None, folder: Path, mark: str | None) -> None:
        """From now on edits start from a job as its file has it; what was kept before is forgotten."""
        origin = {"path": str(path) if path else None, "folder": str(folder), "mark": mark}
        self._put(lambda: self._begin(job, origin))

    def record(self, job: Job) -> None:
        """Keeps a job as an edit left it."""
        at = _now()
        self._put(lambda: self._record(job, at))

    def saving(self, path: Path, mark: str) -> None:
        """Says that a file is about to have a content of this mark; returns when that is on disk."""
        done = threading.Event()
        self._put(lambda: self._mark_save(str(path), mark), done)
        done.wait(PATIENCE_S)

    def forget(self) -> None:
        """Forgets what was kept: nothing is to be offered at the next start."""
        self._put(self._forget)

    def flush(self) -> None:
        """Returns when everything asked for so far is on disk."""
        done = threading.Event()
        self._put(lambda: None, done)
        done.wait(PATIENCE_S)

    def close(self) -> None:
        """Ends the thread; what is kept stays."""
        if self._thread is not None:
            self._queue.put(None)
            self._thread.join(PATIENCE_S)
            self._thread = None

    def _put(self, act: Callable[[], None], done: threading.Event | None = None) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="journal", daemon=True)
            self._thread.start()
            threading.Thread(target=self._sync, args=(self._thread,), name="journal-sync", daemon=True).start()

        def whole() -> None:
            try:
                self._try(act)
            finally:
                if done is not None:
                    done.set()

        self._queue.put(whole)

    def _work(self) -> None:
        while (act := self._queue.get()) is not None:
            act()
        if self._file is not None:
            file, self._file = self._file, None
            _let_go(file)

    def _sync(self, writer: threading.Thread) -> None:
        """Has what is written reach the disk, for as long as the writer lives."""
        while writer.is_alive():
            if self._written.wait(1.0):
                self._written.clear()
                file = self._file
                try:
                    if file is not None:
                        os.fsync(file.fileno())
                except ValueError:
                    # It was forgotten meanwhile.
                    continue
                except OSError as error:
                    self._told(error)

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except (OSError, ValueError) as error:
            self._failed = True
            self._told(error if isinstance(error, OSError) else OSError(0, str(error)))
        else:
            if self._failed and self._file is not None:
                self._failed = False
                self._told(None)

    def _begin(self, job: Job, origin: dict[str, Any]) -> None:
        self._forget()
        self._origin, self._last = origin, _parts(self._prepare(job))

    def _record(self, job: Job, at: str) -> None:
        parts = _parts(self._prepare(job))
        if self._file is None:
            self._open(at)
        changed = {name: value for name, value in parts.items() if self._last.get(name, _NOTHING) != value}
        self._write({"at": at, "change": changed})
        self._last = parts

    def _mark_save(self, path: str, mark: str) -> None:
        if self._file is not None:
            self._write({"at": _now(), "saving": mark, "path": path})
            os.fsync(self._file.fileno())

    def _open(self, at: str) -> None:
        folder = journals_folder()
        folder.mkdir(parents=True, exist_ok=True)
        while self._file is None:
            path = folder / f"{uuid.uuid4().hex}{SUFFIX}"
            # Unbuffered: a line is with the system when its write returns.
            file = path.open("xb", buffering=0)
            fcntl.flock(file, fcntl.LOCK_EX)
            if os.fstat(file.fileno()).st_nlink:
                self._file, self._path = file, path
            else:
                # A window that is starting took it for one left behind.
                file.close()
        try:
            self._write({"format": FORMAT, "version": 1, "at": at, **self._origin, "job": self._last})
        except OSError:
            self._forget()
            raise

    def _write(self, line: dict[str, Any]) -> None:
        assert self._file is not None, "a journal is open"
        end = self._file.seek(0, os.SEEK_END)
        raw = _line(line)
        try:
            # Once it is written a kill cannot lose it; a fall of power could until it is synced, beside this thread.
            while raw:
                raw = raw[self._file.write(raw) :]
            self._written.set()
        except OSError:
            # A line that is cut would hide every later one.
            self._file.truncate(end)
            raise

    def _forget(self) -> None:
        if self._file is not None and self._path is not None:
            file, path, self._file, self._path = self._file, self._path, None, None
            path.unlink(missing_ok=True)
            _let_go(file)


class ChangedOnDisk(Exception):
    """Another program changed a job's file since it was read or saved; it was not written."""


def save_job(job: Job, path: Path, journal: Journal, known: str | None, *, over: bool = True) -> str:
    """Writes a job while no other window writes into its folder; the mark of what is written.

    Parameters
    ----------
    job : Job
        With its paths as they lead from the file's folder.
    path : Path
        The file; one that is there is kept beside it as the previous version.
    journal : Journal
        Where the job's edits are kept: should the application be ended here, what was saved is not offered again.
    known : str or None
        Mark of what the file held when it was last read or written.
    over : bool
        Whether another content may go.

    Raises
    ------
    ChangedOnDisk
        When the file holds something else and that may not go; nothing on disk changes.
    OSError
        When the folder cannot be written; nothing on disk changes.
    """
    content = job_text(job).encode()
    with folder_locked(path.parent):
        if not over and file_mark(path) not in {known, None}:
            raise ChangedOnDisk
        sweep(path.parent)
        mark = mark_of(content)
        journal.saving(path, mark)
        write_atomically(path, content, keep_previous=True)
    return mark


_NOTHING = object()


def _let_go(file: IO[bytes]) -> None:
    """Closes a journal; its lock is given back first, or a sync under way would hold it for as long as that takes."""
    with contextlib.suppress(OSError):
        fcntl.flock(file, fcntl.LOCK_UN)
    file.close()


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def _parts(job: Job) -> dict[str, Any]:
    return {name: job.__dict__[name] for name in type(job).model_fields}


def _line(content: dict[str, Any]) -> bytes:
    text = json.dumps(content, default=_plain, separators=(",", ":"))
    raw = text.encode()
    return f"{zlib.crc32(raw):08x} ".encode() + raw + b"\n"


def _plain(value: Any) -> Any:
    return value.model_dump(mode="json")


def left_behind() -> tuple[tuple[LeftBehind, ...], tuple[str, ...]]:
    """Work that dead processes left, oldest first, and what is to be told of files that were set aside.

    What was saved meanwhile is forgotten; what a living window keeps is left alone.
    """
    folder = journals_folder()
    sweep(folder)
    found, told = [], []
    with contextlib.suppress(OSError):
        for file in sorted(folder.iterdir()):
            if file.suffix not in {SUFFIX, ".json"} or not file.is_file():
                continue
            try:
                work = _read_journal(file) if file.suffix == SUFFIX else _read_former(file)
            except (InputError, OSError, ValueError, RecursionError, KeyError, TypeError, AttributeError) as error:
                told.append(_set_aside(file, error))
            else:
                found += [work] if work is not None else []
    return tuple(sorted(found, key=lambda work: work.kept_at)), tuple(told)


def forget(work: LeftBehind) -> None:
    """Forgets work that was left behind: it was brought back, or is not wanted."""
    with contextlib.suppress(OSError):
        work.file.unlink(missing_ok=True)


def _set_aside(file: Path, error: Exception) -> str:
    aside = file.with_name(f"{file.name}.damaged")
    with contextlib.suppress(OSError):
        file.replace(aside)
    return f"Work kept in {file.name} cannot be read ({error}); it was set aside as {aside.name}."


def _read_journal(file: Path) -> LeftBehind | None:
    """The work of a journal; None while its window lives, and where all of it was saved."""
    checked_size(file, "kept work")
    with file.open("rb") as stream:
        try:
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return None
        work = _work_of(file, list(_whole_lines(stream)))
        if work is None:
            file.unlink(missing_ok=True)
        return work


def _work_of(file: Path, lines: list[dict[str, Any]]) -> LeftBehind | None:
    if not lines:
        # Killed before its first line: there was no edit yet that it could hold.
        return None
    first, *rest = lines
    if first.get("format") != FORMAT:
        raise ValueError("it is no journal")
    parts, base, edited = dict(first["job"]), first["mark"], False
    path = Path(first["path"]) if first["path"] else None
    for line in rest:
        if "saving" not in line:
            parts.update(line["change"])
            edited = True
        elif line["saving"] == file_mark(Path(line["path"])):
            path, base, edited = Path(line["path"]), line["saving"], False
    if not edited:
        return None
    job = parse_job(json.dumps(parts), file)
    if path is not None and _holds(path, job):
        return None
    on_disk = file_mark(path) if path else None
    newer = on_disk is not None and on_disk != base
    kept_at = datetime.fromisoformat(lines[-1]["at"])
    return LeftBehind(file, job, path, Path(first["folder"]), kept_at, base, newer)


def _holds(path: Path, job: Job) -> bool:
    """Whether a file holds exactly this job."""
    with contextlib.suppress(InputError):
        return read_job(path) == job
    return False


def _whole_lines(stream: IO[bytes]) -> Any:
    for raw in stream:
        checksum, _, content = raw.rstrip(b"\n").partition(b" ")
        if not raw.endswith(b"\n") or checksum != f"{zlib.crc32(content):08x}".encode():
            # A kill cut this line; nothing stands after it.
            return
        yield json.loads(content)


def _read_former(file: Path) -> LeftBehind | None:
    """Work as release 0.1 and its successors kept it: one document a process, named by its number."""
    document = parse_json(read_text(file, "kept work"), file)
    if _runs_still(int(document["process"])):
        return None
    job = parse_job(json.dumps(document["job"]), file)
    path = Path(document["path"]) if document["path"] else None
    kept_at = datetime.fromisoformat(document["kept_at"])
    newer = path is not None and path.exists() and path.stat().st_mtime > kept_at.timestamp() + 1.0
    return LeftBehind(file, job, path, Path(document["folder"]), kept_at, None, newer)


def _runs_still(process: int) -> bool:
    """Whether a process runs this application's module; its number may have gone to another program."""
    try:
        words = Path(f"/proc/{process}/cmdline").read_bytes().split(b"\0")
    except OSError:
        return False
    return process != os.getpid() and any(word == b"calm_relay" or word.endswith(b"/calm-relay") for word in words)
