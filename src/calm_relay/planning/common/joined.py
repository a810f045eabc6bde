"""Names in a sentence."""

from collections.abc import Sequence


def joined(names: Sequence[str]) -> str:
    """Names in a row, the last after an "and"; empty where there are none."""
    return f"{', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else "".join(names)
