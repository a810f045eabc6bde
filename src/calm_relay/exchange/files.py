"""Files as the application writes them: whole or not at all, one writer at a time, nothing left by a kill."""

import contextlib
import errno
import fcntl
import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

PART, KEPT = ".part", ".kept"


def previous_version(path: Path) -> Path:
    """Where the version before the last save is kept."""
    path = Path(path)
    return path.with_name(path.name + ".previous")


def checked_target(path: Path) -> None:
    """Refuses a path that no file can be written to, before work is spent on what would go there.

    Raises
    ------
    OSError
        The path is a folder's, or there is no folder for it, or a file in its place.
    """
    path = Path(path)
    if path.is_dir():
        raise IsADirectoryError(errno.EISDIR, "is a folder; wanted the name of a file", str(path))
    if path.parent.exists() and not path.parent.is_dir():
        raise NotADirectoryError(errno.ENOTDIR, f"{path.parent} is a file; wanted a folder", str(path))
    if not path.parent.exists():
        problem = f"there is no folder {path.parent}; wanted one that is there"
        raise FileNotFoundError(errno.ENOENT, problem, str(path))


def write_atomically(path: Path, content: bytes, *, keep_previous: bool = False) -> None:
    """Writes a file so that at every moment the old or the new content stands whole at its path.

    Raises
    ------
    OSError
        When the folder is not there or cannot be written, or the path is a folder's; what stood there is as it was.
        Its file is the one that was to be written, and not the part that stands in for it meanwhile.
    """
    path = Path(path)
    checked_target(path)
    try:
        handle, part = _held_part(path)
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(path)) from None
    kept = part.with_suffix(KEPT)
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
            part.chmod(path.stat().st_mode & 0o777 if path.exists() else 0o644)
            if keep_previous and path.exists():
                _copy(path, kept)
                kept.replace(previous_version(path))
            # The lock is held until the part has its final name: nobody sweeps it before.
            part.replace(path)
        _sync_folder(path.parent)
    except BaseException:
        for left in (part, kept):
            with contextlib.suppress(OSError):
                left.unlink(missing_ok=True)
        raise


def make_folder(folder: Path) -> None:
    """Makes a folder and those it stands in, unless it is there.

    Raises
    ------
    OSError
        It cannot be made, or a file of its name stands there.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise NotADirectoryError(errno.ENOTDIR, "is a file; wanted a folder", str(folder)) from None


def _held_part(path: Path) -> tuple[int, Path]:
    """A new file beside a path, open and locked, so that a sweep can tell it from one that a kill left."""
    # A name may already be as long as the file system allows.
    stem = path.name.encode(errors="surrogateescape")[:200].decode(errors="ignore")
    while True:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{stem}.", suffix=PART)
        with contextlib.suppress(OSError):
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if os.fstat(handle).st_nlink:
            return handle, Path(name)
        os.close(handle)


def _copy(path: Path, target: Path) -> None:
    """A second name for a file's content, or a copy where the file system knows no second names."""
    try:
        os.link(path, target)
    except OSError:
        shutil.copy2(path, target)


def _sync_folder(folder: Path) -> None:
    """Has the new name itself reach the disk, where the file system lets a folder be synced."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


@contextlib.contextmanager
def folder_locked(folder: Path) -> Iterator[None]:
    """Keeps every other save from a folder while it lasts; the folder itself is locked, so nothing is left in it."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except OSError:
        # A folder that may be written and not listed: the save itself says what is wrong with it.
        yield
        return
    try:
        # Some network file systems lock no folders; two windows then meet at the file's mark alone.
        with contextlib.suppress(OSError):
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def sweep(folder: Path) -> int:
    """Removes what killed writes left in a folder; how many files that were. Writes under way keep theirs."""
    gone = 0
    with contextlib.suppress(OSError):
        for entry in sorted(Path(folder).iterdir()):
            if entry.name.startswith(".") and entry.suffix in {PART, KEPT}:
                gone += _removed(entry)
    return gone


def _removed(entry: Path) -> bool:
    part = entry.with_suffix(PART)
    try:
        handle = os.open(part, os.O_RDONLY | os.O_NOFOLLOW)
    except FileNotFoundError:
        entry.unlink(missing_ok=True)
        return True
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        entry.unlink(missing_ok=True)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True


def mark_of(content: bytes) -> str:
    """A mark of a content; two marks differ when the contents do."""
    return hashlib.sha256(content).hexdigest()


def file_mark(path: Path) -> str | None:
    """A mark of a file's content, None where there is no file."""
    try:
        return mark_of(Path(path).read_bytes())
    except OSError:
        return None
