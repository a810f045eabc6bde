"""A folder of jobs: its files, the rows that were made of them, and the book as CSV or Parquet."""

import csv
import io
import json
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.job_file import SUFFIX

# Rows that were made stand here, one JSON document a line, so that a run that was stopped goes on.
KEPT_NAME = ".calm-relay-book.jsonl"
TABLE_ENDINGS = (".csv", ".parquet")
# A folder chosen by mistake is not walked through to its end.
MOST_JOBS = 20_000


def job_files(folder: Path) -> tuple[Path, ...]:
    """Every job file in a folder and in those below it, by name.

    Raises
    ------
    InputError
        When there is no such folder, it cannot be read, or it holds more than 20,000 jobs.
    """
    folder = Path(folder)
    if not folder.is_dir():
        raise InputError(folder, "", "is no folder; wanted one with job files in it")
    found = []
    try:
        for path in folder.rglob(f"*{SUFFIX}"):
            if path.is_file():
                found.append(path)
            if len(found) > MOST_JOBS:
                raise InputError(
                    folder, "", f"holds more than {MOST_JOBS:,} jobs; wanted a folder of your own jobs"
                )
    except OSError as error:
        raise InputError(folder, "", f"cannot be read: {error.strerror or error}") from error
    return tuple(sorted(found))


def job_text_of(path: Path) -> str:
    """The text of a job's file.

    Raises
    ------
    InputError
        When it cannot be read, or is far too large for a job.
    """
    return read_text(path, "job")


class KeptRows:
    """Rows of a folder's book by what they depend on; each is added to the file as it is made.

    Parameters
    ----------
    folder : Path
        Of the jobs.

    Attributes
    ----------
    problem : str
        Why rows are not kept; empty where they are.
    """

    def __init__(self, folder: Path) -> None:
        self._path = Path(folder) / KEPT_NAME
        self.rows: dict[str, dict[str, Any]] = {}
        self.problem = ""
        try:
            with self._path.open(encoding="utf-8", errors="replace") as stream:
                for line in stream:
                    self._take(line)
        except FileNotFoundError:
            pass
        except OSError as error:
            self.problem = f"{self._path.name}: {error.strerror or error}"

    def _take(self, line: str) -> None:
        """Takes a line; one that was cut by a kill is left out, and its job planned again."""
        try:
            held = json.loads(line)
            self.rows[str(held["key"])] = dict(held["row"])
        except (ValueError, KeyError, TypeError):
            return

    def add(self, key: str, row: Mapping[str, Any]) -> None:
        """Keeps a row; where the folder cannot be written, only as long as the run lasts.

        A row with a problem is not written: the next run tries its job again.
        """
        self.rows[key] = dict(row)
        if row.get("problem"):
            return
        try:
            with self._path.open("a", encoding="utf-8") as stream:
                stream.write(json.dumps({"key": key, "row": row}, ensure_ascii=False) + "\n")
        except OSError as error:
            self.problem = f"rows are not kept: {self._path.name}: {error.strerror or error}"

    def tidy(self, keys: Iterable[str]) -> None:
        """Keeps the rows of some keys and forgets the rest, so that the file does not grow for ever."""
        wanted = set(keys)
        self.rows = {key: row for key, row in self.rows.items() if key in wanted}
        text = "".join(
            json.dumps({"key": key, "row": row}, ensure_ascii=False) + "\n"
            for key, row in self.rows.items()
            if not row.get("problem")
        )
        try:
            write_atomically(self._path, text.encode())
        except OSError as error:
            self.problem = f"rows are not kept: {self._path.name}: {error.strerror or error}"


def checked_table(path: Path) -> str:
    """The ending of a path that a table can be written to.

    Raises
    ------
    InputError
        When it is another than .csv or .parquet.
    """
    ending = Path(path).suffix.lower()
    if ending not in TABLE_ENDINGS:
        raise InputError(path, "", f"ends in {ending or 'nothing'}; wanted .csv or .parquet")
    return ending


def write_table(path: Path, columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> None:
    """Writes rows as CSV or Parquet, by the ending of the path.

    Raises
    ------
    InputError
        When the ending is another, or the file cannot be written; one that was there is then as it was.
    """
    path, ending = Path(path), checked_table(path)
    content = _csv(columns, rows) if ending == ".csv" else _parquet(columns, rows)
    try:
        write_atomically(path, content)
    except OSError as error:
        raise InputError(path, "", f"cannot be written: {error.strerror or error}") from error


def _csv(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> bytes:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(["" if row[name] is None else row[name] for name in columns] for row in rows)
    return text.getvalue().encode()


def _parquet(columns: Sequence[str], rows: Sequence[Mapping[str, Any]]) -> bytes:
    import pyarrow
    from pyarrow import parquet

    table = pyarrow.table({name: [row[name] for row in rows] for name in columns})
    sink = io.BytesIO()
    parquet.write_table(table, sink)
    return sink.getvalue()
