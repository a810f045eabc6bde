"""What the planner says about an option. Every module of this package holds checks; adding one is enough."""

from collections.abc import Callable, Iterable
from importlib import import_module
from pkgutil import iter_modules
from typing import TypeVar

from calm_relay.planning.findings.base import ADVICE, AS_DRAWN, CHECKS, Drawn, Finding, Mend, Severity, Subject

Looked = TypeVar("Looked")

for _module in sorted(info.name for info in iter_modules(__path__)):
    import_module(f"{__name__}.{_module}")


def findings_for(subject: Subject) -> tuple[Finding, ...]:
    """Findings of every check on an option, worst first, in the region's words."""
    words = subject.rules.words
    findings = [finding for check in CHECKS for finding in check(subject)]
    if words.pairs:
        findings = [finding.said_in(words) for finding in findings]
    return tuple(sorted(findings, key=lambda finding: finding.rank))


def is_stopped(subject: Subject) -> bool:
    """Whether any check says that an option must not be built; the first that does is the last that is asked."""
    return _any_stops((check for check in CHECKS if check not in ADVICE), subject)


def stopped_as_drawn(drawn: Drawn) -> bool:
    """Whether a design must not be built, whatever its year would come to."""
    return _any_stops(AS_DRAWN, drawn)


def _any_stops(checks: Iterable[Callable[[Looked], list[Finding]]], looked_at: Looked) -> bool:
    return any(finding.severity is Severity.STOP for check in checks for finding in check(looked_at))


__all__ = ["Drawn", "Finding", "Mend", "Severity", "Subject", "findings_for", "is_stopped", "stopped_as_drawn"]
