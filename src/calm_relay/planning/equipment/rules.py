"""The rules in force on a job: the region's pack with the job's own changes."""

from dataclasses import dataclass
from functools import cached_property

from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.job.rules import Rule
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.region_words import AS_WRITTEN, RegionWords, words_in


@dataclass(frozen=True)
class InForce:
    """A rule with the limit this job holds it at; `why` is the job's own reason for another limit."""

    rule: Rule
    limit: float
    changed: bool
    why: str

    @property
    def authority(self) -> str:
        """Whose rule it is, with clause and date; a changed limit is the job's own."""
        own = f"; set to {self.limit:g} in this job{f' ({self.why})' if self.why else ''}" if self.changed else ""
        return self.rule.summary + own


class Rules(tuple[InForce, ...]):
    """The rules in force on a job, in the order of its region's pack; `words` says a text in the region's words."""

    words: RegionWords = AS_WRITTEN

    def of(self, kind: str) -> InForce | None:
        """The tightest rule of a kind; None when the region has none."""
        return self._tightest.get(kind)

    @cached_property
    def _tightest(self) -> dict[str, InForce]:
        found: dict[str, InForce] = {}
        for item in self:
            if item.rule.kind not in found or item.limit < found[item.rule.kind].limit:
                found[item.rule.kind] = item
        return found


def rules_of(job: Job, library: Library) -> Rules:
    """The rules in force; those the job leaves out are not among them.

    Raises
    ------
    PlanError
        When the region or a changed rule is unknown.
    """
    packs = library.rule_packs
    if job.region not in packs:
        raise PlanError("region", f"is {job.region!r}; wanted one of {', '.join(packs)}")
    changes = {change.rule: change for change in job.rule_changes}
    keys = {rule.key for pack in packs.values() for rule in pack.rules}
    unknown = next((key for key in changes if key not in keys), None)
    if unknown is not None:
        raise PlanError("rule_changes", f"no rule is called {unknown!r}")
    result = []
    for rule in packs[job.region].rules:
        if rule.phases not in {None, job.supply.phases}:
            continue
        change = changes.get(rule.key)
        if change is None:
            result.append(InForce(rule, rule.limit, False, ""))
        elif change.limit is not None:
            result.append(InForce(rule, change.limit, True, change.why))
    made = Rules(result)
    made.words = words_in(job, packs[job.region].words)
    return made
