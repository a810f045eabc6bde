"""What the planner says about an option. Every module of this package holds checks; adding one is enough."""

from importlib import import_module
from pkgutil import iter_modules

from calm_relay.planning.findings.base import CHECKS, Finding, Mend, Severity, Subject

for _module in sorted(info.name for info in iter_modules(__path__)):
    import_module(f"{__name__}.{_module}")


def findings_for(subject: Subject) -> tuple[Finding, ...]:
    """Findings of every check on an option, worst first, in the region's words."""
    words = subject.rules.words
    findings = [finding for check in CHECKS for finding in check(subject)]
    if words.pairs:
        findings = [finding.said_in(words) for finding in findings]
    return tuple(sorted(findings, key=lambda finding: finding.rank))


__all__ = ["Finding", "Mend", "Severity", "Subject", "findings_for"]
