"""What a finding is, and the list every check enters itself in."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, wraps
from typing import Any

from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import topology_of
from calm_relay.planning.architecture.design import Converter, Design, DesignContext
from calm_relay.planning.architecture.topology import Topology
from calm_relay.planning.common.region_words import RegionWords
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.equipment.rules import Rules
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, behind_relay
from calm_relay.planning.operation.outcome import Outcome
from calm_relay.planning.site.site_year import SiteYear
from calm_relay.planning.strings.stringing import SURVEYED
from calm_relay.planning.wiring.wiring import WiringPlan, wiring_of

__all__ = [
    "AS_DRAWN",
    "CHECKS",
    "STATIONS",
    "Drawn",
    "Finding",
    "Mend",
    "Severity",
    "Subject",
    "as_drawn",
    "check",
    "grid_check",
    "judged",
    "off_grid_check",
    "passes",
    "runs_today",
    "stops",
    "stops_if",
    "warns",
    "warns_if",
]

STATIONS = ("Site", "Roof", "Strings", "Inverter", "Battery", "Home", "Grid", "Wiring")


@dataclass(frozen=True)
class Mend:
    """A change of the job that answers a finding."""

    label: str
    apply: Callable[[Job], Job]

    def changes(self, job: Job) -> bool:
        """Whether it can be applied to a job and makes another of it."""
        try:
            return self.apply(job) != job
        except (ValueError, LookupError):
            return False


@dataclass(frozen=True)
class Finding:
    """One thing the planner has to say, in a sentence, with the figures and the rule behind it."""

    check: str
    severity: Severity
    station: str
    field: str
    sentence: str
    measured: float | None = None
    limit: float | None = None
    unit: str = ""
    rule: str = ""
    mends: tuple[Mend, ...] = ()

    @property
    def rank(self) -> tuple[Severity, float, int, str]:
        """Sorts worst first: by severity, then by how far the figure is from its limit, then along the line."""
        off = 0.0
        if self.measured is not None and self.limit and self.severity is not Severity.OK:
            off = abs(1.0 - self.measured / self.limit)
        return (self.severity, -off, STATIONS.index(self.station), self.check)

    def said_in(self, words: RegionWords) -> "Finding":
        """The same in a region's words; itself where none of its own is said otherwise there."""
        sentence, rule = words(self.sentence), words(self.rule)
        labels = [words(mend.label) for mend in self.mends]
        if (sentence, rule, labels) == (self.sentence, self.rule, [mend.label for mend in self.mends]):
            return self
        mends = tuple(replace(mend, label=label) for mend, label in zip(self.mends, labels, strict=True))
        return replace(self, sentence=sentence, rule=rule, mends=mends)


Reading = tuple[float | None, float | None, str]


def judged(
    severity: Severity,
    check: str,
    station: str,
    field: str,
    sentence: str,
    *,
    reading: Reading = (None, None, ""),
    rule: str = "",
    mends: tuple[Mend, ...] = (),
) -> Finding:
    """A finding of a severity that the check has worked out.

    Parameters
    ----------
    severity : Severity
        How bad it is.
    check : str
        What was looked at, in a word or two.
    station : str
        One of `STATIONS`.
    field : str
        Path of the job's field that it speaks of.
    sentence : str
        What is to be said, with its figures and their units.
    reading : tuple of float or None, float or None, str
        What was measured, the limit it is held against, and the unit of both.
    rule : str
        Whose limit it is.
    mends : tuple of Mend
        Changes of the job that answer it.
    """
    return Finding(check, severity, station, field, sentence, *reading, rule, mends)


def stops(check: str, station: str, field: str, sentence: str, **more: Any) -> Finding:
    """Something that must not be built; see `judged`."""
    return judged(Severity.STOP, check, station, field, sentence, **more)


def warns(check: str, station: str, field: str, sentence: str, **more: Any) -> Finding:
    """Something to look at before it is built; see `judged`."""
    return judged(Severity.CHECK, check, station, field, sentence, **more)


def passes(check: str, station: str, field: str, sentence: str, **more: Any) -> Finding:
    """Something that was held against its limit and is well; see `judged`."""
    return judged(Severity.OK, check, station, field, sentence, **more)


def stops_if(over: object, check: str, station: str, field: str, sentence: str, **more: Any) -> Finding:
    """Something that must not be built where it is `over` its limit, else well; see `judged`."""
    return judged(Severity.STOP if over else Severity.OK, check, station, field, sentence, **more)


def warns_if(over: object, check: str, station: str, field: str, sentence: str, **more: Any) -> Finding:
    """Something to look at where it is `over` its limit, else well; see `judged`."""
    return judged(Severity.CHECK if over else Severity.OK, check, station, field, sentence, **more)


def offered(finding: Finding, job: Job) -> Finding:
    """A finding with those of its mends that can be applied to a job and change something."""
    mends = tuple(mend for mend in finding.mends if mend.changes(job))
    return finding if mends == finding.mends else replace(finding, mends=mends)


@dataclass(frozen=True, eq=False)
class Drawn:
    """A design of a job on its site, before anything is run."""

    design: Design
    context: DesignContext
    site: SiteYear

    @property
    def job(self) -> Job:
        """The job itself."""
        return self.context.job

    @property
    def rules(self) -> Rules:
        """The rules in force."""
        return self.context.rules

    @cached_property
    def topology(self) -> Topology:
        """What hangs on what."""
        return topology_of(self.design, self.context)

    @cached_property
    def wiring(self) -> WiringPlan | None:
        """Its cables and what protects them; None where the region has no tables of wires."""
        return wiring_of(self.design, self.context, self.topology)

    @cached_property
    def behind_relay(self) -> BackedUpLoads:
        """The circuits behind the relay of a unit that forms a grid, or the whole house."""
        return behind_relay(self.design, self.job, self.context.demand)

    def let_go(self) -> None:
        """Lets go of series that are kept elsewhere, within their budget."""
        vars(self).pop("behind_relay", None)


@dataclass(frozen=True, eq=False)
class Subject(Drawn):
    """What a check looks at: one design of a job with its outcome."""

    outcome: Outcome


def runs_today(converter: Converter) -> bool:
    """Whether a unit is there and its strings are those that hang on it today."""
    as_wired = converter.micro is not None or converter.stringing.origin == SURVEYED
    return not converter.is_new and as_wired and all(face.plan.is_there for face in converter.faces)


CHECKS: list[Callable[[Subject], list[Finding]]] = []


def check(function: Callable[..., Any]) -> Callable[..., Any]:
    """Enters a check in the list."""
    CHECKS.append(function)
    return function


# Those of the checks that read no outcome: what they stop need not be run.
AS_DRAWN: list[Callable[[Drawn], list[Finding]]] = []


def as_drawn(function: Callable[[Drawn], list[Finding]]) -> Callable[[Drawn], list[Finding]]:
    """Says of a check in the list that it reads no outcome."""
    AS_DRAWN.append(function)
    return function


# Those of the checks that never stop anything: whether an option may be built need not ask them.
ADVICE: set[Callable[[Subject], list[Finding]]] = set()


def advises(function: Callable[[Subject], list[Finding]]) -> Callable[[Subject], list[Finding]]:
    """Says of a check in the list that it never stops an option; written above the entry."""
    ADVICE.add(function)
    return function


def grid_check(function: Callable[..., Any]) -> Callable[..., Any]:
    """Enters a check that has nothing to say off grid."""

    @wraps(function)
    def on_grid_only(subject: Subject) -> list[Finding]:
        return function(subject) if subject.job.supply.on_grid else []

    CHECKS.append(on_grid_only)
    return on_grid_only


def off_grid_check(function: Callable[..., Any]) -> Callable[..., Any]:
    """Enters a check that has nothing to say on the grid."""

    @wraps(function)
    def off_grid_only(subject: Subject) -> list[Finding]:
        return [] if subject.job.supply.on_grid else function(subject)

    CHECKS.append(off_grid_only)
    return off_grid_only
