"""What a finding is, and the list every check enters itself in."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, wraps

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Design, DesignContext
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.equipment.rules import Rules
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, behind_relay
from calm_relay.planning.operation.outcome import Outcome
from calm_relay.planning.site.site_year import SiteYear

__all__ = ["CHECKS", "STATIONS", "Finding", "Mend", "Severity", "Subject", "check", "grid_check", "off_grid_check"]

STATIONS = ("Site", "Roof", "Strings", "Inverter", "Battery", "Home", "Grid")


@dataclass(frozen=True)
class Mend:
    """A change of the job that answers a finding."""

    label: str
    apply: Callable[[Job], Job]


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
    def rank(self) -> tuple:
        """Sorts worst first: by severity, then by how far the figure is from its limit, then along the line."""
        off = 0.0
        if self.measured is not None and self.limit and self.severity is not Severity.OK:
            off = abs(1.0 - self.measured / self.limit)
        return (self.severity, -off, STATIONS.index(self.station), self.check)


@dataclass(frozen=True, eq=False)
class Subject:
    """What a check looks at: one design of a job with its outcome."""

    design: Design
    outcome: Outcome
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
    def behind_relay(self) -> BackedUpLoads | None:
        """The circuits behind the relay, or the whole house; None without a unit that forms a grid."""
        return behind_relay(self.design, self.job, self.context.demand)


CHECKS: list[Callable[[Subject], list[Finding]]] = []


def check(function):
    """Enters a check in the list."""
    CHECKS.append(function)
    return function


def grid_check(function):
    """Enters a check that has nothing to say off grid."""

    @wraps(function)
    def on_grid_only(subject):
        return function(subject) if subject.job.supply.on_grid else []

    CHECKS.append(on_grid_only)
    return on_grid_only


def off_grid_check(function):
    """Enters a check that has nothing to say on the grid."""

    @wraps(function)
    def off_grid_only(subject):
        return [] if subject.job.supply.on_grid else function(subject)

    CHECKS.append(off_grid_only)
    return off_grid_only
