"""Current transformers: where they stand, which way their arrows point, what they see and miss, how far they reach."""

from collections.abc import Iterator
from functools import partial

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.existing_supply import ExistingTransformers
from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import (
    ALL_BEHIND,
    TO_GRID,
    kept_transformers,
    survey_names,
)
from calm_relay.planning.architecture.topology import CurrentTransformer
from calm_relay.planning.findings.base import Finding, Mend, Subject, grid_check, passes, warns, warns_if
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.wiring import WiringPlan

PRACTICE = "common practice, no source"
MANY = {1: "One current transformer", 2: "Two current transformers", 3: "Three current transformers"}


def _with(name: str, job: Job, **changes: object) -> Job:
    return job.with_named("existing_transformers", name, **changes)


def _where(item: CurrentTransformer, plan: WiringPlan) -> str:
    name = name_of(plan.topology.edge(item.edge), plan.topology)
    return f"on the cable {name[:1].lower()}{name[1:]}"


@grid_check
def check_transformers(subject: Subject) -> list[Finding]:
    """Where the current transformers of a control stand, which way their arrows point, and what they see."""
    plan = subject.wiring
    if plan is None or not subject.design.new_converters:
        return []
    found: list[Finding] = []
    surveyed = {item.name: item for item in subject.job.existing_transformers}
    for item in plan.topology.transformers:
        if item.surveyed:
            found += _there(subject, item, surveyed[item.surveyed], plan)
            continue
        unit = subject.design.converters[item.unit or 0]
        found.append(
            passes(
                "current transformers",
                "Wiring",
                "control",
                f"{MANY[item.count]} for {unit.name} {_where(item, plan)}, "
                f"arrow{'s' * (item.count > 1)} {item.arrow}: it sees {', '.join(item.sees)}. Turned round it charges "
                "when it should give; behind a load it does not see that load; not closed it reads too little.",
                rule=PRACTICE,
            )
        )
    return found


def _there(
    subject: Subject, item: CurrentTransformer, seen: ExistingTransformers, plan: WiringPlan
) -> Iterator[Finding]:
    """What the survey says of current transformers, held against what they are to see after the works."""
    number = subject.job.existing_transformers.index(seen)
    reader = "a monitor" if item.unit is None else subject.design.converters[item.unit].inverter.name
    begins = f"{seen.name}, read by {reader}, {_where(item, plan)}"
    faults: list[str] = []
    mends: list[Mend] = []
    if item.arrow != TO_GRID:
        faults.append("their arrows point towards the house: import reads as export")
        mends.append(Mend("Turn them round", partial(_with, seen.name, reversed=False)))
    edge = plan.topology.edge(item.edge)
    if seen.rated_a is not None and seen.rated_a < edge.amps - 1e-9:
        faults.append(f"they are made for {seen.rated_a:g} A, the cable carries {edge.amps:g} A")
    # Of two wires one is enough: the other carries the same.
    wanted = max(len(CIRCUITS[edge.circuit].places), 1)
    if seen.count < wanted:
        faults.append(f"{seen.count} of {wanted} conductors are seen")
    controls = item.unit is not None and subject.design.converters[item.unit].has_battery
    if controls and ALL_BEHIND not in item.sees:
        units = [node.title for node in plan.topology.units.values() if node.title not in item.sees]
        missed = f"; {' and '.join(units)} they miss" if units else ""
        faults.append(f"they see {', '.join(item.sees)} and not the service{missed}")
        mends.append(Mend("Hang them on the service", partial(_with, seen.name, on="the service")))
    again = item.unit is not None and seen.read_by not in survey_names(subject.design.converters[item.unit])
    if again:
        faults.append(f"{reader} is to read them in place of {seen.read_by or 'a monitor'}: ask its maker whether "
                      "ratio and output are its own")  # fmt: skip
    sentence = f"{begins}: {'; '.join(faults)}." if faults else f"{begins}: they see {', '.join(item.sees)}."
    yield warns_if(
        faults,
        "current transformers",
        "Wiring",
        f"existing_transformers.{number}",
        sentence,
        rule=f"{PRACTICE}; the job's survey",
        mends=tuple(mends),
    )


@grid_check
def check_transformers_read(subject: Subject) -> list[Finding]:
    """Current transformers that stay although what reads them goes."""
    names = {name for unit in subject.design.converters for name in survey_names(unit)}
    left = [
        item
        for item in kept_transformers(subject.design, subject.job)
        if item.read_by is not None and item.read_by not in names
    ]
    return [
        warns(
            "current transformers",
            "Wiring",
            f"existing_transformers.{subject.job.existing_transformers.index(item)}",
            f"{item.name} are read by {item.read_by}, which is not there then: take them away, or have the new unit "
            "read them.",
            rule="the job's survey",
            mends=(
                Mend("Take them away", partial(_with, item.name, fate="remove")),
                Mend("A new unit may read them", partial(_with, item.name, fate="reuse")),
            ),
        )
        for item in left
    ]


@grid_check
def check_transformer_cable(subject: Subject) -> list[Finding]:
    """How far the current transformers of a new unit are from it."""
    plan = subject.wiring
    if plan is None:
        return []
    found: list[Finding] = []
    for item in plan.topology.transformers:
        if item.unit is None or not subject.design.converters[item.unit].is_new:
            continue
        inverter = subject.design.converters[item.unit].inverter
        if inverter.ct_cable_m is None:
            continue
        far, length = plan.reach_m(item), subject.context.survey.length_words
        over = far > inverter.ct_cable_m + 1e-9
        words = (
            f"Their cable is made longer with screened twisted pairs, or {inverter.name} stands nearer"
            if over
            else "It reaches"
        )
        found.append(
            warns_if(
                over,
                "cable of current transformers",
                "Wiring",
                "wiring.routes",
                f"{inverter.name} is {length(round(far, 1))} from its current transformers along the cables; they have "
                f"{length(inverter.ct_cable_m)}. {words}.",
                reading=(far, inverter.ct_cable_m, "m"),
                rule=f"{inverter.name}, datasheet",
            )
        )
    return found
