"""All jobs of a folder planned, on the cores of this machine or on a Dask cluster, row by row."""

from collections import Counter, deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, CancelledError, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date
from multiprocessing import get_context
from os import cpu_count
from pathlib import Path
from typing import Any

from calm_relay.exchange import own_equipment
from calm_relay.exchange.book_files import KeptRows, job_files, job_text_of
from calm_relay.exchange.errors import InputError
from calm_relay.planning.book.change import Change
from calm_relay.planning.book.row import BookRow, Task, keys_of, rows_of
from calm_relay.planning.common.progress import Progress, unheard

# Tasks that wait at the workers: more would only fill memory.
AHEAD = 3
# How long a scheduler may take to answer [s].
PATIENCE_S = 10
# A job that ended its worker twice is not tried again.
TRIES = 2


class BookError(Exception):
    """The run cannot go on; what was made is kept, and the next run goes on from there."""


@dataclass(frozen=True)
class Book:
    """A folder's jobs, each as it is and, where something was changed, as it would be then; in the files' order.

    `problem` says why rows are not kept for the next run.
    """

    folder: Path
    rows: tuple[BookRow, ...]
    change: Change
    after: tuple[BookRow, ...] = ()
    problem: str = ""

    @property
    def same_names(self) -> tuple[str, ...]:
        """Names that more than one job has."""
        names = Counter(row.name for row in self.rows if row.name)
        return tuple(name for name, count in names.items() if count > 1)

    @property
    def calls(self) -> tuple["Call", ...]:
        """For whom the change changes the answer, the largest gain first."""
        found = []
        for before, after in zip(self.rows, self.after, strict=False):
            if before.problem or after.problem:
                continue
            flips = before.option != after.option
            second = after.pays_second and not before.pays_second
            if flips or second:
                found.append(Call(before, after, flips, second))
        return tuple(sorted(found, key=lambda call: -call.gain))

    def due(self, today: date) -> tuple[tuple[str, str, BookRow], ...]:
        """What is due: day, words and job, the earliest first."""
        found = [(*row.due(today), row) for row in self.rows]
        return tuple(sorted((item for item in found if item[0]), key=lambda item: item[0]))


@dataclass(frozen=True)
class Call:
    """A customer to be called: another option now fits best, or a second battery now pays."""

    before: BookRow
    after: BookRow
    flips: bool
    second: bool

    @property
    def gain(self) -> float:
        """By how much the best saves more a year than what was best before; below 0 where it saves less."""
        return self.after.saving - self.before.saving

    @property
    def sentence(self) -> str:
        """What there is to be said to the customer."""
        said = []
        if self.flips:
            said.append(f"{self.after.title} instead of {self.before.title}")
        if self.second:
            said.append(
                f"one pack more now pays ({self.after.currency} {self.after.second_worth:,.0f} over the years)"
            )
        return "; ".join(said)


@dataclass(frozen=True)
class Workers:
    """Who plans: `make` makes an executor, once more when its workers died; `cores` says how many they are."""

    make: Callable[[], Executor]
    cores: Callable[[], int]


@contextmanager
def local_cores(count: int | None = None) -> Iterator[Workers]:
    """So many processes of this machine; all cores when left out."""
    made: list[ProcessPoolExecutor] = []

    def make() -> Executor:
        made.append(ProcessPoolExecutor(count or cpu_count() or 1, mp_context=get_context("spawn")))
        return made[-1]

    try:
        yield Workers(make, lambda: count or cpu_count() or 1)
    finally:
        for pool in made:
            pool.shutdown(wait=False, cancel_futures=True)


@contextmanager
def cluster(address: str) -> Iterator[Workers]:
    """The same over a Dask cluster; its workers must have this release installed, and see the folder's files.

    Raises
    ------
    BookError
        When no scheduler answers at the address.
    """
    from distributed import Client

    try:
        client = Client(address, timeout=PATIENCE_S, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise BookError(
            f"{address}: no scheduler answers ({error or type(error).__name__}); wanted the address of a Dask "
            "scheduler, such as tcp://192.168.1.20:8786"
        ) from error
    try:
        yield Workers(client.get_executor, lambda: sum(client.ncores().values()))
    finally:
        client.close(timeout=1)


def tasks_of(folder: Path, changes: Sequence[Change]) -> tuple[Task | BookRow, ...]:
    """A task for each job file of a folder; of one that cannot even be read, a row that says so.

    Raises
    ------
    InputError
        When the folder cannot be read.
    """
    folder, texts = Path(folder).resolve(), tuple(change.model_dump_json() for change in changes)
    found: list[Task | BookRow] = []
    for path in job_files(folder):
        name = str(path.relative_to(folder))
        try:
            found.append(Task(name, str(path.parent), job_text_of(path), texts, str(folder)))
        except InputError as error:
            found.append(BookRow(name, problem=str(error)))
    return tuple(found)


def planned_book(
    folder: Path,
    workers: Workers,
    change: Change | None = None,
    progress: Progress = unheard,
    told: Callable[[BookRow], None] = lambda row: None,
) -> Book:
    """The book of a folder: each job planned as it is, and under a change where one is given.

    Rows of jobs that did not change since are taken from those kept in the folder; a run that was called off or broke
    goes on from there.

    Parameters
    ----------
    folder : Path
        Of the jobs, with those below it.
    workers : Workers
        Of `local_cores` or `cluster`.
    change : Change, optional
        What is changed.
    progress : Progress
        Told after each row; it may call the run off.
    told : callable
        Takes each row as it is made.

    Raises
    ------
    InputError
        When the folder cannot be read.
    BookError
        When the workers cannot be reached any more.
    """
    kept = KeptRows(folder)
    changes = [Change()] + ([] if change is None or change.is_none else [change])
    stamp = repr(own_equipment.stamp())
    listed = tasks_of(folder, changes)
    keys = [() if isinstance(task, BookRow) else keys_of(task, stamp) for task in listed]
    waiting = [
        (
            lacking,
            task._replace(
                changes=tuple(text for key, text in zip(mine, task.changes, strict=True) if key in lacking)
            ),
        )
        for task, mine in zip(listed, keys, strict=True)
        if not isinstance(task, BookRow) and (lacking := tuple(key for key in mine if key not in kept.rows))
    ]
    whole = len(waiting)
    progress(0.0, f"{whole} of {len(listed)} jobs to be planned")
    for done, (mine, rows) in enumerate(_made(waiting, workers), 1):
        for key, row in zip(mine, rows, strict=True):
            kept.add(key, row)
        told(BookRow.of(rows[0]))
        progress(done / whole, f"{done} of {whole} jobs planned")
    sides = [
        tuple(
            task if isinstance(task, BookRow) else BookRow.of(kept.rows[mine[side]])
            for task, mine in zip(listed, keys, strict=True)
        )
        for side in range(len(changes))
    ]
    kept.tidy(key for mine in keys for key in mine)
    return Book(Path(folder), sides[0], changes[-1], sides[1] if len(sides) > 1 else (), kept.problem)


_Item = tuple[tuple[str, ...], Task]


def _made(waiting: Sequence[_Item], workers: Workers) -> Iterator[tuple[tuple[str, ...], list[dict[str, Any]]]]:
    """Rows of jobs as they come, in whatever order; few tasks at a time lie at the workers."""
    if not waiting:
        return
    pool, ahead = workers.make(), AHEAD * max(workers.cores(), 1)
    queue = deque((item, 1) for item in waiting)
    running: dict[Future[list[dict[str, Any]]], tuple[_Item, int]] = {}
    try:
        while queue or running:
            # What was under way when a worker died is tried again alone: then it is known which it was.
            while queue and len(running) < ahead and not any(tries > 1 for _, tries in running.values()):
                if queue[0][1] > 1 and running:
                    break
                item, tries = queue.popleft()
                running[pool.submit(rows_of, item[1])] = item, tries
            for future in wait(running, return_when=FIRST_COMPLETED).done:
                item, tries = running.pop(future)
                try:
                    yield item[0], future.result()
                except BrokenProcessPool:
                    for (keys, task), tried in ((item, tries), *running.values()):
                        if tried < TRIES:
                            queue.appendleft(((keys, task), tried + 1))
                        else:
                            ended = BookRow(task.file, problem="it ended the process that planned it, twice").kept
                            yield keys, [ended] * len(keys)
                    running.clear()
                    pool = workers.make()
                    break
                except (CancelledError, OSError, TimeoutError) as error:
                    raise _gone(error) from error
                except Exception as error:
                    if type(error).__module__.partition(".")[0] != "distributed":
                        raise
                    raise _gone(error) from error
    finally:
        for future in running:
            future.cancel()


def _gone(error: BaseException) -> BookError:
    return BookError(
        f"the workers cannot be reached any more ({type(error).__name__}); rows made so far are kept, and the next run "
        "goes on from there"
    )
