"""Names and numbers of things in a sentence."""

from collections.abc import Sequence


def joined(names: Sequence[str], last: str = "and") -> str:
    """Names in a row, the last after an "and" or what stands in its place; empty where there are none."""
    return f"{', '.join(names[:-1])} {last} {names[-1]}" if len(names) > 1 else "".join(names)


def counted(number: int, thing: str) -> str:
    """So many things: "1 module", "3 modules"."""
    return f"{number} {thing}{'s' * (number != 1)}"
