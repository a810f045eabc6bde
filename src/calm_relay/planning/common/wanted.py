"""What of a job nobody has answered yet, and where on the path it is asked."""

from calm_relay.job.model import Job, Wanted

WORDS: dict[Wanted, str] = {
    "place": "where it stands",
    "demand": "what the home uses in a year",
    "array": "how many modules, or that there is no array",
}
STATIONS: dict[Wanted, tuple[str, ...]] = {
    "place": ("Site",),
    "demand": ("Home", "Battery"),
    "array": ("Roof", "Strings", "Inverter"),
}

# Findings that hold while answers are wanted; every other one speaks of figures that stand in.
HOLD_WHILE_WANTED = frozenset({"not answered", "assumed"})


def wanted_words(job: Job) -> str:
    """What is still wanted, in words and in the order of work."""
    return "; ".join(WORDS[key] for key in WORDS if key in job.wanted)


def unanswered_stations(job: Job) -> frozenset[str]:
    """Stations of the path whose figures rest on what nobody has answered; the grid's rest on the place."""
    found = {station for key in job.wanted for station in STATIONS[key]}
    return frozenset(found | {"Grid"} if "place" in job.wanted else found)
