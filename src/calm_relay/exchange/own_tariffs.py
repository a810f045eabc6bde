"""Own tariffs, kept over all jobs by name in one open JSON file beside the library of equipment."""

import json
from pathlib import Path

from pydantic import Field, ValidationError

from calm_relay.exchange.bounds import read_model, read_text
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.own_equipment import data_folder, locked
from calm_relay.job.base import Model
from calm_relay.job.tariff import Tariff

FORMAT = "calm-relay-tariffs"


class OwnTariffs(Model):
    """The file: tariffs by name."""

    format: str = Field(pattern=f"^{FORMAT}$")
    schema_version: int = Field(ge=1, le=1)
    tariffs: tuple[Tariff, ...] = Field(default=(), max_length=500)


def _path() -> Path:
    return data_folder() / "tariffs.json"


def read_tariffs() -> tuple[Tariff, ...]:
    """Own tariffs by name, none where there is no file.

    Raises
    ------
    InputError
        When the file is damaged, newer or foreign; it is left as it is.
    """
    if not _path().exists():
        return ()
    try:
        found = OwnTariffs.model_validate_json(read_text(_path(), "own equipment"))
    except ValidationError as error:
        raise InputError(_path(), *first_field_error(error)) from None
    return tuple(sorted(found.tariffs, key=lambda tariff: tariff.name.casefold()))


def read_tariff_file(path: Path) -> Tariff:
    """A tariff from a JSON file of its own, written as it stands in a job.

    Raises
    ------
    InputError
        When it cannot be read or is no tariff.
    """
    return read_model(Tariff, path, "settings")


def keep_tariff(tariff: Tariff) -> None:
    """Keeps a tariff under its name, in place of one that has it.

    Raises
    ------
    OSError
        When the folder cannot be written.
    InputError
        When what is there cannot be read; it is left as it is.
    ValueError
        When the tariff has no name.
    """
    if not tariff.name:
        raise ValueError("the tariff has no name; wanted one to keep it under")
    with locked():
        rest = [known.model_dump(mode="json") for known in read_tariffs() if known.name != tariff.name]
        document = {"format": FORMAT, "schema_version": 1, "tariffs": [*rest, tariff.model_dump(mode="json")]}
        write_atomically(_path(), (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
