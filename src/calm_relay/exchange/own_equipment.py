"""The personal library of equipment: one open JSON file a kind in the user's data folder.

A change is made under a lock on what the file holds at that moment, so that two windows never lose one another's items,
and the file is written whole or not at all. `CALM_RELAY_DATA` overrides which folder.
"""

import contextlib
import fcntl
import json
import os
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

import platformdirs
from pydantic import ValidationError

from calm_relay.exchange.bounds import parse_json, read_model, read_text
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.shipped import library as shipped_library
from calm_relay.job.base import Model
from calm_relay.job.equipment import KINDS
from calm_relay.job.library import Library
from calm_relay.job.own_figures import OwnFigures
from calm_relay.job.own_item import FILES, FORMAT, SCHEMA_VERSION, OwnEquipment, OwnItem
from calm_relay.job.tariff import Costs

BUNDLE_FORMAT = "calm-relay-equipment-bundle"
# What a firm keeps beside its equipment, and what new jobs begin with.
PRICES, WIRES = "prices.json", "wires.json"
Items = tuple[OwnItem[Any], ...]
Kept = TypeVar("Kept", bound=Model)


def data_folder() -> Path:
    """Where the personal library lies."""
    return Path(os.environ.get("CALM_RELAY_DATA") or platformdirs.user_data_dir("calm-relay"))


def _path(kind: str) -> Path:
    return data_folder() / f"{kind}.json"


def library(own: OwnEquipment | None = None) -> Library:
    """What ships with the application together with the personal library, read now unless handed in."""
    base = shipped_library()
    own = read_own_equipment()[0] if own is None else own
    costs, figures = read_prices(), read_own_figures()
    if not any(own.of(kind) for kind in KINDS) and not own.without_examples and costs is None and figures is None:
        return base
    stock = own.stock()
    return replace(
        base,
        catalogue=base.catalogue.joined(own.catalogue()),
        withheld=own.withheld(base.catalogue, stock),
        stock=stock,
        orders=own.orders(),
        costs=costs,
        own_figures=figures,
    )


def read_own_figures() -> OwnFigures | None:
    """The firm's own figures of wires, None where none were kept or what is there cannot be used."""
    return _kept_as(OwnFigures, WIRES)


def read_prices() -> Costs | None:
    """The firm's price list, None where none was kept or what is there cannot be used."""
    return _kept_as(Costs, PRICES)


def _kept_as(model: type[Kept], name: str) -> Kept | None:
    with contextlib.suppress(OSError, ValueError, InputError):
        return read_model(model, data_folder() / name, "settings")
    return None


def _keep(name: str, kept: Model) -> None:
    with locked():
        write_atomically(data_folder() / name, (kept.model_dump_json(indent=1) + "\n").encode())


def read_price_file(path: Path) -> Costs:
    """A price list from a JSON file of its own, written as it stands in a job.

    Raises
    ------
    InputError
        When it cannot be read or is no price list.
    """
    return read_model(Costs, path, "settings")


def write_own_figures(figures: OwnFigures) -> None:
    """Keeps figures of wires as the firm's, with which new jobs begin.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    _keep(WIRES, figures)


def write_prices(costs: Costs) -> None:
    """Keeps a price list as the firm's, from which new jobs begin.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    # Metres of cable are of one job alone.
    _keep(PRICES, costs.with_(cable_metres=0.0))


def read_own_equipment() -> tuple[OwnEquipment, tuple[str, ...]]:
    """The personal library, and what is to be told of it: files set aside, or left alone because they are newer."""
    items: dict[str, Items] = {}
    told: list[str] = []
    for kind in KINDS:
        try:
            items[kind] = read_kind(kind)
        except InputError as error:
            told.append(_mended(error))
            with contextlib.suppress(InputError):
                items[kind] = read_kind(kind)
    told += [
        sentence for name, model in ((PRICES, Costs), (WIRES, OwnFigures)) for sentence in _told_of(model, name)
    ]
    return OwnEquipment(items, _without_examples()), tuple(told)


def read_kind(kind: str, path: Path | None = None) -> Items:
    """Own items of a kind, none where there is no file.

    Raises
    ------
    InputError
        When the file is damaged, newer than this version, or holds an item out of range.
    """
    path = _path(kind) if path is None else path
    if not path.exists():
        return ()
    return _parsed(kind, read_text(path, "own equipment"), path)


def _parsed(kind: str, text: str, path: Path) -> Items:
    try:
        document = FILES[kind].model_validate_json(text)
        if not {"format", "schema_version"} <= document.model_fields_set:
            _refuse_foreign({}, path)
        return document.items
    except ValidationError as error:
        _refuse_foreign(parse_json(text, path), path)
        raise InputError(path, *first_field_error(error)) from None


def _refuse_foreign(document: Any, path: Path) -> None:
    if not isinstance(document, dict) or document.get("format") not in (FORMAT, BUNDLE_FORMAT):
        raise InputError(path, "format", f'this is no file of own equipment; wanted "format": "{FORMAT}"')
    version = document.get("schema_version")
    if type(version) is int and version > SCHEMA_VERSION:
        raise InputError(
            path, "schema_version", f"is {version}, from a newer Calm Relay; this one reads up to {SCHEMA_VERSION}"
        )


def _told_of(model: type[Model], name: str) -> Iterator[str]:
    """Sets what a firm keeps aside where it cannot be used; says what was done."""
    path = data_folder() / name
    try:
        if path.exists():
            read_model(model, path, "settings")
    except InputError as error:
        yield _set_aside(error)


def _mended(error: InputError) -> str:
    """Sets a damaged file of equipment aside, and leaves another as it is; says what was done."""
    if "the file is damaged" not in error.problem:
        return f"{error}. It was left as it is, and none of it is used."
    return _set_aside(error)


def _set_aside(error: InputError) -> str:
    """Sets a file aside and puts the version before in its place where there is one; says what was done."""
    path = error.path
    aside = path.with_name(f"{path.stem}.damaged-{datetime.now():%Y%m%d-%H%M%S}.json")
    before = _previous(path)
    try:
        path.replace(aside)
        if before.exists():
            write_atomically(path, before.read_bytes())
            return f"{error}. It was set aside as {aside.name}; the version before is used."
    except OSError:
        return f"{error}. It could not be set aside, and none of it is used."
    return f"{error}. It was set aside as {aside.name}."


def _previous(path: Path) -> Path:
    return path.with_name(f"{path.stem}.previous.json")


@contextlib.contextmanager
def locked() -> Iterator[None]:
    """Keeps every other window from the user's data folder while it lasts, and makes the folder where there is none."""
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "equipment.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def change(kind: str, put: Iterable[OwnItem[Any]] = (), drop: Iterable[str] = ()) -> Items:
    """Puts items into the personal library, or takes some out by their keys; the library as it is then.

    Raises
    ------
    OSError
        When the folder cannot be written; nothing on disk changes.
    InputError
        When what is there cannot be read; it is left as it is.
    """
    put, gone = tuple(put), set(drop)

    def changed(items: Items) -> Items:
        fresh = {own.key: own for own in put}
        kept = tuple(fresh.pop(own.key, own) for own in items if own.key not in gone)
        return kept + tuple(fresh.values())

    with locked():
        return _rewrite(kind, changed)


def _rewrite(kind: str, changed: Callable[[Items], Items]) -> Items:
    path = _path(kind)
    items = changed(read_kind(kind))
    document = FILES[kind](items=items)
    if path.exists():
        write_atomically(_previous(path), path.read_bytes())
    write_atomically(path, (document.model_dump_json(indent=1) + "\n").encode())
    return items


def leave_examples_out(on: bool) -> None:
    """Leaves the invented equipment that ships as an example out of what is proposed, or takes it in again.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    with locked():
        text = json.dumps({"without_examples": on})
        write_atomically(data_folder() / "equipment.json", text.encode())


def _without_examples() -> bool:
    with contextlib.suppress(OSError, ValueError):
        found = parse_json(read_text(data_folder() / "equipment.json", "settings"), "equipment.json")
        return isinstance(found, dict) and found.get("without_examples") is True
    return False


def stamp() -> tuple[tuple[str, int, int], ...]:
    """What tells whether the library's files changed: each one's name, time and size."""
    found = []
    for path in (
        *(_path(kind) for kind in KINDS),
        data_folder() / "equipment.json",
        data_folder() / PRICES,
        data_folder() / WIRES,
    ):
        with contextlib.suppress(OSError):
            state = path.stat()
            found.append((path.name, state.st_mtime_ns, state.st_size))
    return tuple(found)


def export_equipment(path: Path) -> int:
    """Writes the whole personal library into one file for a colleague; how many items it holds.

    Raises
    ------
    OSError
        When the file cannot be written.
    InputError
        When a file of the library cannot be read.
    """
    kinds = {kind: [own.model_dump(mode="json") for own in read_kind(kind)] for kind in KINDS}
    document = {"format": BUNDLE_FORMAT, "schema_version": SCHEMA_VERSION, **kinds}
    write_atomically(path, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
    return sum(map(len, kinds.values()))


def read_bundle(path: Path) -> dict[str, Items]:
    """Items by kind of a colleague's file, or of one kind's own file.

    Raises
    ------
    InputError
        When the file is damaged, newer, or holds an item out of range.
    """
    text = read_text(path, "own equipment")
    document = parse_json(text, path)
    _refuse_foreign(document, path)
    if document["format"] == FORMAT:
        kind = document.get("kind")
        if kind not in tuple(FILES):
            raise InputError(path, "kind", f"is {kind!r}; wanted one of {', '.join(FILES)}")
        return {kind: _parsed(kind, text, path)}
    unknown = set(document) - {"format", "schema_version", *KINDS}
    if unknown:
        raise InputError(path, sorted(unknown)[0], "is not a field this version knows")
    found = {}
    for kind in KINDS:
        inner = json.dumps(
            {"format": FORMAT, "schema_version": SCHEMA_VERSION, "kind": kind, "items": document.get(kind, [])}
        )
        found[kind] = _parsed(kind, inner, path) if kind in document else ()
    return found


def import_equipment(path: Path) -> tuple[int, int]:
    """Takes a colleague's file into the personal library: how many items are new, and how many took another's place.

    Raises
    ------
    OSError
        When the library cannot be written.
    InputError
        When the file, or what is there, cannot be used; nothing is taken then.
    """
    bundle = read_bundle(path)
    new = replaced = 0
    for kind, items in bundle.items():
        if items:
            there = {own.key for own in read_kind(kind)}
            replaced += sum(own.key in there for own in items)
            new += sum(own.key not in there for own in items)
            change(kind, put=items)
    return new, replaced
