"""The book: invented jobs planned on two cores, their memory, and the same on a Dask cluster of two workers."""

import os
import tempfile
import threading
import time
from datetime import date
from pathlib import Path

import psutil

from benchmarks.measure import Result
from calm_relay.planning.book.change import Change
from calm_relay.planning.book.invented import new_tariff, write_invented
from calm_relay.planning.book.replan import cluster, local_cores, planned_book

TODAY = date(2026, 11, 26)
JOBS = int(os.environ.get("CALM_RELAY_BOOK_JOBS", "1000"))
MB = 1e6


class _Memory:
    """What this process and its children hold, looked at twice a second."""

    def __init__(self):
        self.seen: list[float] = []
        self._end = threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)

    def __enter__(self):
        self._thread.start()
        return self

    def __exit__(self, *_):
        self._end.set()
        self._thread.join()

    def _look(self):
        own = psutil.Process()
        while not self._end.wait(0.5):
            total = 0
            for process in (own, *own.children(recursive=True)):
                try:
                    total += process.memory_info().rss
                except psutil.Error:
                    continue
            self.seen.append(total / MB)


def _each_at_its_own_place() -> Result:
    """Where no two jobs share a sky, each makes its sun and its weather anew."""
    with tempfile.TemporaryDirectory() as name, local_cores(2) as workers:
        folder, count = Path(name), max(JOBS // 4, 1)
        write_invented(folder, count, TODAY, apart_deg=0.2)
        start = time.perf_counter()
        planned_book(folder, workers)
        seconds = time.perf_counter() - start
    return Result(
        f"{count} jobs each at a place of its own, a job on two cores", seconds / count * 1e3, None, "ms"
    )


def results() -> list[Result]:
    """Each job once as it is; then all under a new tariff, the first rows being kept."""
    found = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_invented(folder, JOBS, TODAY)
        for label, change in (
            ("as they are", None),
            ("replanned under a new tariff", Change(tariff=new_tariff())),
        ):
            with _Memory() as memory, local_cores(2) as workers:
                start = time.perf_counter()
                book = planned_book(folder, workers, change)
                seconds = time.perf_counter() - start
            found.append(
                Result(f"{JOBS} jobs of a book {label}, a job on two cores", seconds / JOBS * 1e3, 50.0, "ms")
            )
            third = len(memory.seen) // 3
            grown = max(memory.seen[-third:], default=0.0) - max(memory.seen[third:-third], default=0.0)
            found.append(Result("memory gained from the middle third to the last", grown, 50.0, "MB"))
            found.append(Result("memory at most, all processes", max(memory.seen), None, "MB"))
        found.append(_each_at_its_own_place())
        (folder / ".calm-relay-book.jsonl").unlink()
        from distributed import LocalCluster

        with (
            LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=":0") as made,
            cluster(made.scheduler_address) as workers,
        ):
            start = time.perf_counter()
            there = planned_book(folder, workers, Change(tariff=new_tariff()))
            seconds = time.perf_counter() - start
        found.append(Result("both on a Dask cluster of two workers, a job", seconds / JOBS * 1e3, None, "ms"))
        unlike = sum(
            a.kept != b.kept for a, b in zip(there.rows + there.after, book.rows + book.after, strict=True)
        )
        found.append(Result("rows that differ from those of two cores", float(unlike), 0.0, ""))
    return found


if __name__ == "__main__":
    for result in results():
        print(result.line(), flush=True)
