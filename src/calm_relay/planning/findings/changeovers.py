"""Changeovers there today: their rating, the conductors they open, and what a second one behind them means."""

from functools import partial

from calm_relay.job.existing_supply import ExistingChangeover
from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import changes_over, kept_changeovers
from calm_relay.planning.findings.base import Finding, Mend, Subject, grid_check, passes, stops, warns


def _with(name: str, job: Job, **changes: object) -> Job:
    return job.with_named("existing_changeovers", name, **changes)


@grid_check
def check_existing_changeovers(subject: Subject) -> list[Finding]:
    """What stays between meter and main board is held against the service and against what a new unit brings."""
    found: list[Finding] = []
    for item in kept_changeovers(subject.design, subject.job):
        found += _held(subject, item)
    return found


def _held(subject: Subject, item: ExistingChangeover) -> list[Finding]:
    supply = subject.job.supply
    field = f"existing_changeovers.{subject.job.existing_changeovers.index(item)}"
    gone = Mend(f"Take {item.name} away", partial(_with, item.name, fate="remove"))
    found: list[Finding] = []
    asked = [
        words
        for value, words in ((item.rated_a, "its rating"), (item.poles, "how many conductors it opens"))
        if value is None
    ]
    if asked:
        sentence = f"{item.name}: {' and '.join(asked)} was not seen. Read its label."
        found.append(warns("changeover there", "Wiring", field, sentence, rule="the job's survey"))
    if item.rated_a is not None and item.rated_a < supply.main_fuse_a - 1e-9:
        found.append(
            stops(
                "changeover there",
                "Wiring",
                f"{field}.rated_a",
                f"{item.name} bears {item.rated_a:g} A and stands behind a main fuse of {supply.main_fuse_a:g} A.",
                reading=(supply.main_fuse_a, item.rated_a, "A"),
                rule="IEC 60364-5-53, from memory; check locally",
                mends=(gone,),
            )
        )
    needed = supply.circuit.poles
    if item.poles is not None and item.poles < needed:
        found.append(
            warns(
                "poles of the changeover there",
                "Wiring",
                f"{field}.poles",
                f"{item.name} opens {item.poles} of {needed} conductors: neutral of the grid and of the other supply "
                "stay joined. Find out where neutral and earth are joined before anything else is.",
                reading=(float(item.poles), float(needed), "poles"),
                rule="IEC 60364-5-55, 551.6, from memory; check locally",
            )
        )
    if changes_over(subject.design) and subject.design.leader.is_new:
        name = subject.design.leader.inverter.name
        found.append(
            warns(
                "two changeovers",
                "Wiring",
                field,
                f"{item.name} stands ahead of the changeover of {name}: the house has two in series. Say at both which "
                f"goes first, and keep {name} from feeding into what {item.name} brings.",
                rule="common practice, no source",
                mends=(gone,),
            )
        )
    if not found:
        sentence = f"{item.name} bears {item.rated_a:g} A and opens {item.poles} conductors."
        found.append(passes("changeover there", "Wiring", field, sentence, rule="the job's survey"))
    return found
