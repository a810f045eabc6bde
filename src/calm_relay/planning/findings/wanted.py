"""What nobody has answered yet: until it is, no option is more than a sketch."""

from calm_relay.planning.common.wanted import STATIONS, WORDS
from calm_relay.planning.findings.base import Finding, Subject, check, stops


@check
def check_wanted(subject: Subject) -> list[Finding]:
    """Each answer that is wanted before there is a verdict stands at its station."""
    return [
        stops(
            "not answered",
            STATIONS[key][0],
            {"place": "site.place", "demand": "demand", "array": "faces"}[key],
            f"Still wanted: {WORDS[key]}.",
            rule="the job",
        )
        for key in subject.job.wanted
    ]
