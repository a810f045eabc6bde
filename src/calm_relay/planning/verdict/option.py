"""An option: an architecture built on the job with what it comes to, or refused with its reasons."""

from dataclasses import dataclass
from functools import cached_property

from calm_relay.planning.architecture.design import Design, DesignContext, Refusal
from calm_relay.planning.architecture.topology import Topology
from calm_relay.planning.findings import Finding, Severity, Subject, findings_for, is_stopped
from calm_relay.planning.operation.outcome import Outcome
from calm_relay.planning.site.site_year import SiteYear
from calm_relay.planning.wiring.wiring import WiringPlan


@dataclass(frozen=True, eq=False)
class Option:
    """A design with its outcome; its findings are made when they are first asked for."""

    design: Design
    outcome: Outcome
    context: DesignContext
    site: SiteYear

    @property
    def key(self) -> str:
        """The key of its architecture."""
        return self.design.architecture.key

    @property
    def role(self) -> str:
        """The role of its architecture, see `Architecture`."""
        return self.design.architecture.role

    @property
    def title(self) -> str:
        """What it is called."""
        return self.design.title

    @property
    def coupling(self) -> str:
        """Where its battery is coupled."""
        return self.design.coupling

    @property
    def stop_words(self) -> str:
        """That it is not to be built as it stands, and what stops it first; empty where nothing does."""
        stops = [item.sentence for item in self.findings if item.severity is Severity.STOP]
        if not stops:
            return ""
        more = f" {len(stops) - 1} more in the plan." if len(stops) > 1 else ""
        return f"Not to be built as it stands. {stops[0]}{more}"

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What the planner says about it, worst first."""
        found = findings_for(self._subject)
        self._subject.let_go()
        return found

    @cached_property
    def _subject(self) -> Subject:
        return Subject(self.design, self.context, self.site, self.outcome)

    @property
    def topology(self) -> Topology:
        """What hangs on what."""
        return self._subject.topology

    @property
    def wiring(self) -> WiringPlan | None:
        """Its cables and what protects them; None where the region has no tables of wires."""
        return self._subject.wiring

    @property
    def lead(self) -> int | None:
        """Number of the unit whose battery is under discussion; None without a battery."""
        forming = self.design.forming
        return forming[0] if forming else None

    @property
    def path_units(self) -> tuple[tuple[int, ...], ...]:
        """Numbers of the units, as the energy path draws them together: those of the roof first."""
        roof = self.topology.roof_units
        return (*((roof,) if roof else ()), *self.topology.beside_units(self.lead))

    @cached_property
    def stopped(self) -> bool:
        """Whether a finding keeps it from being built; no more of them are made for it than it takes."""
        if "findings" in vars(self):
            return any(item.severity is Severity.STOP for item in self.findings)
        return is_stopped(self._subject)


@dataclass(frozen=True, eq=False)
class RefusedOption:
    """An architecture that cannot be built on the job, with a finding for each reason."""

    refusal: Refusal
    findings: tuple[Finding, ...]
    context: DesignContext

    @property
    def key(self) -> str:
        """The key of its architecture."""
        return self.refusal.architecture.key

    @property
    def role(self) -> str:
        """The role of its architecture, see `Architecture`."""
        return self.refusal.architecture.role

    @property
    def title(self) -> str:
        """What it is called."""
        return self.refusal.title

    @property
    def coupling(self) -> str:
        """Where its battery would be coupled."""
        return self.refusal.coupling
