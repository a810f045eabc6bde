"""What the customer must have."""

from calm_relay.planning.findings.base import Finding, Severity, Subject, check, judged
from calm_relay.planning.operation.must_haves import lines_of


@check
def check_must_haves(subject: Subject) -> list[Finding]:
    """A hard line of the job that an option misses stops it."""
    return [
        judged(
            Severity.STOP if line.missed else Severity.OK,
            "must-have",
            "Battery",
            "must_haves",
            line.sentence,
            reading=(line.measured, line.limit, line.unit),
            rule="the job's must-haves",
        )
        for line in lines_of(subject.outcome, subject.job)
    ]
