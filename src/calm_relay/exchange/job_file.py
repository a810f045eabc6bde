"""The job file: one JSON document, written atomically, its previous version kept beside it."""

import json
import os
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from calm_relay.exchange.bounds import parse_json, read_text
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.files import write_atomically
from calm_relay.job.model import FORMAT, SCHEMA_VERSION, Job

SUFFIX = ".relay.json"


def read_job(path: Path) -> Job:
    """A job from its file.

    Raises
    ------
    InputError
        When the file is damaged, newer than this version, not a job, or holds a field out of range.
    """
    return parse_job(read_text(path, "job"), path)


def parse_job(text: str, path: Path | str) -> Job:
    """A job from the text of its file; see `read_job`."""
    document = parse_json(text, path)
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise InputError(path, "format", f'this is not a job file; wanted "format": "{FORMAT}"')
    version = document.get("schema_version")
    if type(version) is not int:
        raise InputError(path, "schema_version", f"is {version!r}; wanted {SCHEMA_VERSION}")
    if version > SCHEMA_VERSION:
        raise InputError(
            path,
            "schema_version",
            f"is {version}, from a newer Calm Relay; this one reads up to {SCHEMA_VERSION}",
        )
    if version < SCHEMA_VERSION or ONE_EACH.keys() & document.keys():
        text = json.dumps(_several(_brought_up(document) if version < SCHEMA_VERSION else document))
    try:
        return Job.model_validate_json(text)
    except ValidationError as error:
        raise InputError(path, *first_field_error(error)) from None


def _brought_up(document: dict[str, Any]) -> dict[str, Any]:
    """A document of an earlier version as one of this; what versions 2 to 4 add may be left out."""
    document = {**document, "schema_version": SCHEMA_VERSION}
    store = document.get("store")
    # Version 3 has several charge windows.
    if isinstance(store, dict) and "grid_charge" in store:
        window = store["grid_charge"]
        rest = {name: value for name, value in store.items() if name != "grid_charge"}
        document["store"] = {**rest, "charge_windows": [] if window is None else [window]}
    return _in_words_of_version_4(document)


# Until several could be stated, one was.
ONE_EACH = {
    "existing_inverter": "existing_inverters",
    "existing_battery": "existing_batteries",
    "generator": "generators",
}


def _several(document: dict[str, Any]) -> dict[str, Any]:
    """A document that states one existing inverter, battery or generator as one that may state several."""
    several = {name: value for name, value in document.items() if name not in ONE_EACH}
    for one, many in ONE_EACH.items():
        if document.get(one) is not None:
            several[many] = [document[one]]
    return several


JOB_FIELDS = {
    "inverter": "existing_inverter",
    "battery": "existing_battery",
    "store": "battery",
    "place": "battery_place",
    "board": "backup_board",
    "alone": "off_grid",
}
STATIONS = {"Sky": "Site", "Converter": "Inverter", "Store": "Battery", "Street": "Grid"}


def _in_words_of_version_4(document: dict[str, Any]) -> dict[str, Any]:
    """Version 4 uses the trade's words for what earlier versions called otherwise."""
    job = {JOB_FIELDS.get(name, name): value for name, value in document.items()}
    for part, names in (
        ("existing_inverter", {"converter": "inverter"}),
        ("existing_battery", {"converter": "inverter"}),
        ("supply", {"street": "on_grid"}),
        ("control", {"sell_windows": "export_windows"}),
        ("own_equipment", {"converters": "inverters"}),
    ):
        job |= {part: _renamed(job[part], names)} if part in job else {}
    turns: tuple[tuple[str, dict[str, str], str, dict[str, str]], ...] = (
        ("string_plans", {"converter": "inverter"}, "", {}),
        ("purposes", {}, "kind", {"use_own_power": "self_sufficiency"}),
        ("attachments", {}, "station", STATIONS),
    )
    for part, names, field, values in turns:
        if isinstance(job.get(part), list):
            job[part] = [_revalued(_renamed(item, names), field, values) for item in job[part]]
    board = job.get("backup_board")
    if isinstance(board, dict) and isinstance(board.get("circuits"), list):
        circuits = [_revalued(item, "role", {"street only": "grid only"}) for item in board["circuits"]]
        job["backup_board"] = {**board, "circuits": circuits}
    return job


def _renamed(item: Any, names: dict[str, str]) -> Any:
    """A part with fields called by other names; one that is no part is left to the model to refuse."""
    return {names.get(name, name): value for name, value in item.items()} if isinstance(item, dict) else item


def _revalued(item: Any, field: str, values: dict[str, str]) -> Any:
    if isinstance(item, dict) and isinstance(item.get(field), str) and item[field] in values:
        return {**item, field: values[item[field]]}
    return item


def job_text(job: Job) -> str:
    """The document as written to disk."""
    return job.model_dump_json(indent=2) + "\n"


def moved_job(job: Job, old_folder: Path, new_folder: Path) -> Job:
    """The job with its relative paths turned so that they still lead to the same files from a new folder."""
    old, new = Path(old_folder).resolve(), Path(new_folder).resolve()
    if old == new:
        return job

    def turned(path: str | None) -> str | None:
        return path if path is None or Path(path).is_absolute() else os.path.relpath(old / path, new)

    def moved(part: Any, *names: str) -> Any:
        return part.with_(**{name: turned(getattr(part, name)) for name in names if hasattr(part, name)})

    return job.with_(
        site=job.site.with_(weather=moved(job.site.weather, "path")),
        demand=moved(job.demand, "path", "export_path", "production_path"),
        attachments=tuple(moved(item, "path") for item in job.attachments),
    )


def files_outside(job: Job, folder: Path) -> tuple[str, ...]:
    """Files that a job reads and that lie outside its folder, as it names them."""
    named = [*files_planned_with(job), *(item.path for item in job.attachments)]
    inside = Path(folder).resolve()
    return tuple(dict.fromkeys(path for path in named if path and not lies_in(inside / path, inside)))


def files_planned_with(job: Job) -> tuple[str, ...]:
    """Files that a plan of the job reads, as it names them: weather and meter."""
    named = [getattr(job.site.weather, "path", None)]
    named += [getattr(job.demand, name, None) for name in ("path", "export_path", "production_path")]
    return tuple(path for path in named if path)


def lies_in(path: Path, folder: Path) -> bool:
    """Whether a path leads to something in a folder, links followed; one that leads nowhere does not."""
    try:
        return path.resolve().is_relative_to(folder)
    except (OSError, RuntimeError, ValueError):
        return False


def write_job(job: Job, path: Path) -> None:
    """Writes a job: first whole beside the old file, then in its place; the old version is kept.

    Raises
    ------
    OSError
        When the folder cannot be written; the file on disk is then as it was.
    """
    path = Path(path)
    write_atomically(path, job_text(job).encode(), keep_previous=True)
