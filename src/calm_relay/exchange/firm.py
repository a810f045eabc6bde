"""The firm whose papers are written: name, address, logo and colour, kept over all jobs in one open JSON file."""

from pathlib import Path
from typing import Literal

from pydantic import Field, ValidationError

from calm_relay.exchange.bounds import read_text
from calm_relay.exchange.errors import InputError, first_field_error
from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.own_equipment import data_folder, locked
from calm_relay.job.base import FilePath, Line, Model

# A logo for the head of a page is small; a photo of tens of megabytes is a slip.
MOST_LOGO = 5_000_000


class Firm(Model):
    """What stands at the head of each paper, and how prices are shown."""

    name: Line = Field(default="", max_length=120, title="Firm")
    address: Line = Field(default="", max_length=300, title="Address")
    contact: Line = Field(default="", max_length=200, title="Telephone, mail")
    logo: FilePath | None = Field(default=None, title="Logo", description="A PNG or JPEG file of at most 5 MB.")
    colour: str = Field(default="#1f6b67", pattern=r"^#[0-9a-fA-F]{6}$", title="Colour of heads")
    prices: Literal["line by line", "in sums"] = Field(default="line by line", title="Prices in the offer")


def _path() -> Path:
    return data_folder() / "firm.json"


def read_firm() -> Firm:
    """The firm, an empty one where there is no file.

    Raises
    ------
    InputError
        When the file is damaged or foreign; it is left as it is.
    """
    if not _path().exists():
        return Firm()
    try:
        return Firm.model_validate_json(read_text(_path(), "own equipment"))
    except ValidationError as error:
        raise InputError(_path(), *first_field_error(error)) from None


def keep_firm(firm: Firm) -> None:
    """Keeps the firm.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    with locked():
        write_atomically(_path(), (firm.model_dump_json(indent=1) + "\n").encode())


def logo_bytes(firm: Firm) -> bytes | None:
    """The logo's file; None where there is none.

    Raises
    ------
    InputError
        When it cannot be read, or is larger than a logo is.
    """
    if firm.logo is None:
        return None
    path = Path(firm.logo)
    try:
        size = path.stat().st_size
        if size > MOST_LOGO:
            raise InputError(
                path, "", f"is {size / 1e6:.0f} MB; wanted a logo of at most {MOST_LOGO / 1e6:.0f} MB"
            )
        return path.read_bytes()
    except OSError as error:
        raise InputError(
            path, "", f"cannot be read: {error.strerror or error}; wanted a PNG or JPEG file"
        ) from None
