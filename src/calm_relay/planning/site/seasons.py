"""Seasons of a place: which months they are, and what they are called."""

# Between the tropics rain makes the seasons, and no month is winter.
TROPIC = 23.4
Months = tuple[int, ...]
SOUTH: dict[str, Months] = {"summer": (12, 1, 2), "autumn": (3, 4, 5), "winter": (6, 7, 8), "spring": (9, 10, 11)}
NORTH: dict[str, Months] = {"summer": (6, 7, 8), "autumn": (9, 10, 11), "winter": (12, 1, 2), "spring": (3, 4, 5)}
TROPICS: dict[str, Months] = {
    "Dec to Feb": (12, 1, 2), "Mar to May": (3, 4, 5), "Jun to Aug": (6, 7, 8), "Sep to Nov": (9, 10, 11),
}  # fmt: skip


def seasons_at(latitude: float) -> dict[str, Months]:
    """Months, from 1, of each season by its name; between the tropics the names are the months."""
    if abs(latitude) < TROPIC:
        return TROPICS
    return SOUTH if latitude < 0.0 else NORTH
