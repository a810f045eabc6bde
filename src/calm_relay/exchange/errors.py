"""The one error that tells a person what is wrong with a file, and what would be right."""

from pathlib import Path

from pydantic import ValidationError


class InputError(ValueError):
    """A file that cannot be used: which file, where in it, what is wrong and what would be right.

    Attributes
    ----------
    path : Path
    where : str
        A line ("line 12") or a field ("faces.0.tilt"); empty when the whole file is meant.
    problem : str
    """

    def __init__(self, path: str | Path, where: str, problem: str) -> None:
        self.path = Path(path)
        self.where = where
        self.problem = problem
        place = f"{self.path.name}, {where}" if where else self.path.name
        super().__init__(f"{place}: {problem}")


def read_text(path: Path) -> str:
    """Whole text of a file.

    Raises
    ------
    InputError
        When it is missing, unreadable, or not text.
    """
    try:
        return Path(path).read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise InputError(path, "", f"there is no such file at {Path(path).absolute().parent}") from None
    except UnicodeDecodeError as error:
        raise InputError(path, f"byte {error.start}", "is not UTF-8 text") from None
    except OSError as error:
        raise InputError(path, "", f"cannot be read ({error.strerror})") from None


TAGS = {"file", "preset", "monthly", "shape", "meter"}


def first_field_error(error: ValidationError) -> tuple[str, str]:
    """Field path and plain sentence of the first thing a model refused, with how many more there are."""
    problems = error.errors(include_url=False)
    first = problems[0]
    # Tags of a discriminated union are no fields of the file.
    where = ".".join(
        str(part) for part in first["loc"] if part not in {"file", "preset", "monthly", "shape", "meter"}
    )
    value = first.get("input")
    shown = f"is {value!r}; " if isinstance(value, str | int | float | bool) else ""
    message = first["msg"].removeprefix("Value error, ").removeprefix("Assertion failed, ")
    message = {"missing": "is missing", "extra_forbidden": "is not a field this version knows"}.get(
        first["type"], shown + message[:1].lower() + message[1:]
    )
    more = f" ({len(problems) - 1} more fields are wrong too)" if len(problems) > 1 else ""
    return where, message + more
