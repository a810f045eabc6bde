"""The one error that tells a person what is wrong with a file, and what would be right."""

import re
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
        name = self.path.name or str(self.path)
        place = f"{name}, {where}" if where else name
        super().__init__(f"{place}: {problem}")


def problem_of(error: BaseException) -> str:
    """What is wrong, in words a person can use; an error that nobody foresaw is named as such."""
    if isinstance(error, InputError):
        return str(error)
    if isinstance(error, MemoryError):
        return "there is not enough memory for it"
    if isinstance(error, OSError):
        return f"{error.filename or 'the file'}: {error.strerror or error}"
    return f"something went wrong in the program ({type(error).__name__}: {error})"


def _short(value: object) -> str:
    """A value as it is shown in a sentence: a text of pages, or a number of pages, is cut."""
    text = repr(value) if not isinstance(value, int) or abs(value) < 10**40 else "a number of more than 40 digits"
    if value == "":
        return "empty"
    return text if len(text) <= 80 else f"{text[:60]}…{text[-1]} ({len(text):,} characters)"


EXAMPLES = (
    ("12:30", "a time such as 12:30"),
    ("2026-05-31", "a day such as 2026-05-31"),
    ("NZ", "two capital letters such as NZ"),
    ("#1f6b67", "a colour such as #1f6b67"),
    ("fern-48", "small letters, digits and hyphens such as fern-48"),
)
# How pydantic begins to say what would be right.
_SHOULD = re.compile(r"^\w+ should (be |have )?")
TAGS = {"file", "preset", "monthly", "shape", "meter"}


def _example_of(pattern: str) -> str:
    """What a pattern wants, in words, with an example where one is known that fits it."""
    return next((words for example, words in EXAMPLES if re.fullmatch(pattern, example)), f"what fits {pattern}")


def first_field_error(error: ValidationError) -> tuple[str, str]:
    """Field path and plain sentence of the first thing a model refused, with how many more there are."""
    problems = error.errors(include_url=False)
    first = problems[0]
    # Tags of a discriminated union are no fields of the file.
    where = ".".join(str(part) for part in first["loc"] if part not in TAGS)
    value = first.get("input")
    shown = f"is {_short(value)}; " if isinstance(value, str | int | float | bool) else ""
    message = first["msg"].removeprefix("Value error, ").removeprefix("Assertion failed, ")
    message = _SHOULD.sub("wanted ", message)
    if first["type"] == "string_pattern_mismatch":
        message = f"wanted {_example_of(first['ctx']['pattern'])}"
    message = {"missing": "is missing", "extra_forbidden": "is not a field this version knows"}.get(
        first["type"], shown + message[:1].lower() + message[1:]
    )
    others = len(problems) - 1
    more = f" ({others} more field{'s are' if others > 1 else ' is'} wrong too)" if others else ""
    return where, message + more
