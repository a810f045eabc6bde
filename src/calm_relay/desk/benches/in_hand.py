"""Which of several things there today is in hand, as they come and go."""


def number_in_hand(number: int, before: int | None, count: int) -> int:
    """The number of the one shown: the last where their count changed, else the one shown before, within the count."""
    if before is not None and count != before:
        number = count - 1
    return min(max(number, 0), max(count - 1, 0))
