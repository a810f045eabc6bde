"""A job as one row of the book: planned as it is, or under a change."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from datetime import date, timedelta
from functools import lru_cache
from hashlib import blake2b
from pathlib import Path
from typing import Any, NamedTuple, Self

from calm_relay import __version__
from calm_relay.exchange import own_equipment
from calm_relay.exchange.array_cache import one_of_many_jobs
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import files_planned_with, lies_in, parse_job
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.planning.book.change import Change, changed
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.refused import field_called
from calm_relay.planning.common.wanted import wanted_words
from calm_relay.planning.plan import Answer, answer
from calm_relay.planning.site.site_year import file_edition
from calm_relay.planning.studies.growth import more_battery
from calm_relay.planning.verdict.option import Option

# Raised when the meaning of a row changes: rows kept by an earlier release are then made anew.
EDITION = 4
# A warranty is told of so long before its end.
WARRANTY_DAYS, FOLLOW_UP_DAYS = 365, 14


@dataclass(frozen=True)
class BookRow:
    """A job as the book shows it; what could not be found is empty, and `problem` says why.

    Energies in kWh, `array_kwp` in kWp, money in `currency`. `second_worth` is the net present value of one pack more
    on each unit; None where none can be added or it has no price.
    """

    file: str
    name: str = ""
    customer: str = ""
    place: str = ""
    latitude: float | None = None
    longitude: float | None = None
    state: str = ""
    currency: str = ""
    tariff: str = ""
    array_kwp: float = 0.0
    battery_kwh: float = 0.0
    option: str = ""
    title: str = ""
    outlay: float = 0.0
    saving: float = 0.0
    npv: float = 0.0
    second_worth: float | None = None
    built_on: str = ""
    warranty_ends: str = ""
    follow_up: str = ""
    problem: str = ""

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> Self:
        """A row from what was kept of it.

        Raises
        ------
        TypeError
            When it holds another field, or lacks its file.
        """
        return cls(**values)

    @property
    def kept(self) -> dict[str, Any]:
        """The row as it is kept and written, column by column."""
        return asdict(self)

    @property
    def pays_second(self) -> bool:
        """Whether one pack more pays."""
        return self.second_worth is not None and self.second_worth > 0.0

    def due(self, today: date) -> tuple[str, str]:
        """Day (ISO 8601) and words of what is due next; empty where nothing is."""
        found = []
        if self.follow_up and date.fromisoformat(self.follow_up) <= today + timedelta(days=FOLLOW_UP_DAYS):
            found.append((self.follow_up, "follow-up"))
        if self.warranty_ends:
            ends = date.fromisoformat(self.warranty_ends)
            if ends < today:
                found.append((self.warranty_ends, "battery out of warranty"))
            elif ends <= today + timedelta(days=WARRANTY_DAYS):
                found.append((self.warranty_ends, "warranty ends: test the capacity and claim in time"))
        return min(found, default=("", ""))


COLUMNS = tuple(field.name for field in fields(BookRow))


class Task(NamedTuple):
    """One job to be planned: its file, the folder its relative paths start in, its text, the changes as JSON, the book.

    No file outside `root`, the book's folder, is read.
    """

    file: str
    folder: str
    text: str
    changes: tuple[str, ...]
    root: str


def rows_of(task: Task) -> list[dict[str, Any]]:
    """A job's rows, one a change, as `BookRow.kept`; what is wrong is a row's `problem`, and nothing is raised.

    It takes and gives plain values: so it runs in any process, here or on another machine.
    """
    try:
        job = parse_job(task.text, task.file)
    except InputError as error:
        return [BookRow(task.file, problem=_without_file(str(error), task.file)).kept] * len(task.changes)
    facts = _facts(task.file, job)
    if job.wanted:
        return [BookRow(**facts, problem=f"still wanted: {wanted_words(job)}").kept] * len(task.changes)
    folder = Path(task.folder)
    outside = [path for path in files_planned_with(job) if not lies_in(folder / path, Path(task.root).resolve())]
    if outside:
        said = f"reads {', '.join(outside)} outside the book's folder; wanted it beside the job, or in the folder"
        return [BookRow(**facts, problem=said).kept] * len(task.changes)
    with one_of_many_jobs():
        return [BookRow(**facts | _planned(task, job, text)).kept for text in task.changes]


def _planned(task: Task, job: Job, change: str) -> dict[str, Any]:
    """What a job comes to under a change."""
    try:
        library = _library(own_equipment.stamp())
        job = changed(job, Change.model_validate_json(change), library)
        built = (job.commissioning.option or None) if job.state == "built" else None
        return _answers(job, answer(job, library, Path(task.folder), built))
    except PlanError as error:
        return {"problem": f"{field_called(error.field, Job)}: {error.problem}"}
    except (InputError, ValueError, OSError) as error:
        return {"problem": _without_file(str(error), task.file)}
    except Exception as error:
        # One broken job never stops the run.
        return {"problem": f"could not be planned ({type(error).__name__}: {error})"}


@lru_cache(maxsize=1)
def _library(stamp: tuple[tuple[str, int, int], ...]) -> Library:
    """The library as its files are now; `stamp` changes with them."""
    return own_equipment.library()


def _without_file(text: str, file: str) -> str:
    for name in (file, Path(file).name):
        text = text.removeprefix(f"{name}: ").removeprefix(f"{name}, ")
    return text


def _facts(file: str, job: Job) -> dict[str, Any]:
    """What is known of a job without planning it."""
    return {
        "file": file,
        "name": job.name,
        "customer": job.customer,
        "place": job.site.place,
        "latitude": job.site.latitude,
        "longitude": job.site.longitude,
        "state": job.state,
        "currency": job.tariff.currency,
        "tariff": job.tariff.name,
        "follow_up": job.follow_up or "",
        "built_on": (job.commissioning.conditions.on or "") if job.state == "built" else "",
    }


def _answers(job: Job, made: Answer) -> dict[str, Any]:
    """What its plan says of a job: of the option that was built, else of the one that fits best."""
    option = made.option
    if option is None:
        return {"problem": made.problem, "tariff": job.tariff.name}
    money, second = option.outcome.money, next(iter(more_battery(made, option)), None)
    return {
        "tariff": job.tariff.name,
        "array_kwp": round(sum(unit.array_kw for unit in option.design.pv_converters), 3),
        "battery_kwh": round(
            sum(unit.bank.nominal_kwh for unit in option.design.converters if unit.has_battery), 3
        ),
        "option": option.key,
        "title": option.title,
        "outlay": round(money.outlay, 2),
        "saving": round(money.saving, 2),
        "npv": round(money.npv, 2),
        "second_worth": None if second is None or not second.priced else round(second.worth_now, 2),
        "warranty_ends": _warranty_ends(job, option),
    }


def _warranty_ends(job: Job, option: Option) -> str:
    """When the warranty of the battery that was put in ends; empty where it is not known."""
    lead, on = option.design.battery_converter, job.commissioning.conditions.on
    if job.state != "built" or on is None or lead is None or not lead.battery_is_new:
        return ""
    begun, years = date.fromisoformat(on), int(lead.bank.pack.warranty_years)
    try:
        return begun.replace(year=begun.year + years).isoformat()
    except ValueError:
        return begun.replace(year=begun.year + years, day=28).isoformat()


def keys_of(task: Task, library_stamp: str) -> tuple[str, ...]:
    """What each row depends on, as digests: the job's text and files, the change, the library, the edition."""
    common, found = (__version__, str(EDITION), task.file, task.text, library_stamp, *_editions(task)), []
    for change in task.changes:
        seen = blake2b(digest_size=16)
        for part in (*common, change):
            seen.update(part.encode(errors="replace") + b"\0")
        found.append(seen.hexdigest())
    return tuple(found)


def _editions(task: Task) -> tuple[str, ...]:
    """Paths and times of change of the files that a job reads beside its own."""
    try:
        job = parse_job(task.text, task.file)
    except InputError:
        return ()
    return tuple(repr(file_edition(Path(task.folder) / path)) for path in files_planned_with(job))
