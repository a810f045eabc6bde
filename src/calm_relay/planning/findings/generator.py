"""Generators: never on one bus with arrays, only on a unit that takes them, and never two that do not synchronise."""

from functools import partial
from itertools import pairwise

from calm_relay.job.existing_supply import ON_BUS, ON_CHANGEOVER, ON_INPUT, Generator
from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import kept_changeovers, kept_generators
from calm_relay.planning.architecture.refusals import joining_generators, joining_refusals
from calm_relay.planning.common.amounts import money_text
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged, passes, stops, warns
from calm_relay.planning.operation.fuel import stand_in, stand_in_cost, stand_in_litres
from calm_relay.planning.site.engines import able_kw, tank_hours


def _with(name: str, job: Job, **changes: object) -> Job:
    return job.with_named("generators", name, **changes)


def _without(name: str, job: Job) -> Job:
    return job.with_(generators=tuple(item for item in job.generators if item.name != name))


@check
def check_generator_place(subject: Subject) -> list[Finding]:
    """A generator on the bus of AC-coupled PV is damaged by reverse power: never, interlock."""
    if subject.design.battery_converter is None:
        return []
    return [_joining(subject, generator) for generator in subject.job.running_generators]


def _joining(subject: Subject, generator: Generator) -> Finding:
    name = subject.design.leader.inverter.name
    alone = len(subject.job.running_generators) == 1
    called = "the generator" if alone else generator.name
    reasons = joining_refusals(generator, subject.design)
    lead = subject.design.leader
    beside = [other for other in subject.design.converters if other is not lead and other.has_array]
    if not reasons:
        sentence = f"{name} takes {called}"
        rule = f"{name}, datasheet"
        if beside and generator.interlocked:
            sentence += "; the interlock keeps AC-coupled arrays off while it runs"
            rule += "; the job's survey"
        elif beside:
            sentence += " and keeps AC-coupled arrays off while it runs"
        sentence += "."
        job, hours = subject.job, tank_hours(generator, subject.job)
        if hours is not None:
            sentence += f" Its {generator.tank_litres:g} l last {hours:.0f} h at {able_kw(generator, job):.3g} kW."
        return _place(subject, generator, Severity.OK, sentence, rule)
    if not generator.stays:
        whose = "The generator" if alone else generator.name
        sentence = f"{whose} is taken away: {reasons[0][:1].lower()}{reasons[0][1:]}."
        return _place(subject, generator, Severity.CHECK, sentence, "the job's survey; datasheets")
    if beside and not generator.interlocked:
        mends = [Mend("Interlock them", partial(_with, generator.name, interlocked=True))]
        if generator.on == ON_BUS:
            mends.insert(0, Mend("Use the generator input", partial(_with, generator.name, on=ON_INPUT)))
        sentence = f"{reasons[0]}: interlock them, or take a unit that keeps them apart."
        return _place(subject, generator, Severity.STOP, sentence, "common practice, no source", *mends)
    mend = Mend(f"Plan without {called}", partial(_without, generator.name))
    return _place(subject, generator, Severity.STOP, f"{reasons[0]}.", f"{name}, datasheet", mend)


def _place(
    subject: Subject, generator: Generator, severity: Severity, sentence: str, rule: str, *mends: Mend
) -> Finding:
    number = subject.job.generators.index(generator)
    return judged(severity, "generator", "Home", f"generators.{number}.on", sentence, rule=rule, mends=mends)


@check
def check_generators_together(subject: Subject) -> list[Finding]:
    """Two generators that run on one place must be made to synchronise."""
    joining = [item for item in joining_generators(subject.design, subject.job) if item is not None]
    found = []
    for first, second in pairwise(joining):
        if first.synchronises and second.synchronises:
            continue
        bare = second if not second.synchronises else first
        found.append(
            stops(
                "generators together",
                "Home",
                f"generators.{subject.job.generators.index(bare)}.synchronises",
                f"{first.name} and {second.name} would run at the same time, and {bare.name} is not made to run in "
                "parallel: out of step they destroy each other. Let one stand by behind a selector switch.",
                rule="common practice, no source",
                mends=(Mend(f"{second.name} stands by", partial(_with, second.name, duty="stands by")),),
            )
        )
    return found


@check
def check_generators_by_hand(subject: Subject) -> list[Finding]:
    """Generators that somebody has to start: what they stand in for, and where they are connected."""
    job = subject.job
    changeovers = kept_changeovers(subject.design, job)
    found = []
    for generator in kept_generators(subject.design, job):
        if generator.runs:
            continue
        field = f"generators.{job.generators.index(generator)}.on"
        hours = tank_hours(generator, job)
        tank = (
            ""
            if hours is None
            else f" Its {generator.tank_litres:g} l last {hours:.0f} h at {able_kw(generator, job):.3g} kW."
        )
        if generator.on != ON_CHANGEOVER:
            sentence = f"{generator.name}, {generator.kw:g} kW, stands by; no simulated outage counts on it.{tank}"
            found.append(passes("generator by hand", "Home", field, sentence, rule="the job's survey"))
        elif not changeovers:
            found.append(
                warns(
                    "generator by hand",
                    "Home",
                    field,
                    f"{generator.name} hangs on a changeover that goes: it needs another place, or goes as well.",
                    rule="the job's survey",
                    mends=(
                        Mend("Use the generator input", partial(_with, generator.name, on=ON_INPUT)),
                        Mend(f"Take {generator.name} away", partial(_with, generator.name, fate="remove")),
                    ),
                )
            )
        else:
            found.append(_behind_changeover(subject, generator, field, changeovers[-1].name, tank))
    return found


def _burnt(subject: Subject, generator: Generator) -> str:
    """What standing in burns in the hours without grid of a year, those that a battery rides through left out."""
    job, hours = subject.job, subject.job.finance.outage_hours
    if generator != stand_in(job) or hours <= 0.0:
        return ""
    lasting = subject.outcome.backup.kept_on
    litres = (1.0 - lasting) * stand_in_litres(job, subject.context.demand)
    cost = stand_in_cost(job, subject.context.demand, lasting)
    rides = f", of which the battery rides through {lasting:.0%}," if lasting > 0.0 else ""
    return (
        f" In {hours:,.0f} h a year without grid{rides} it burns about {litres:,.0f} l, {money_text(job, cost)}."
    )


def _behind_changeover(subject: Subject, generator: Generator, field: str, changeover: str, tank: str) -> Finding:
    """A generator in the grid's place: what can feed would feed into it."""
    feeding = [unit.name for unit in subject.design.converters if unit.has_array or unit.has_battery]
    begins = f"{generator.name}, {generator.kw:g} kW, stands in for the grid by {changeover}"
    tank += _burnt(subject, generator)
    if not feeding:
        return passes("generator by hand", "Home", field, f"{begins}.{tank}", rule="the job's survey")
    names = list(dict.fromkeys(feeding))
    takes, them = ("takes", "it") if len(names) == 1 and " × " not in names[0] else ("take", "them")
    return warns(
        "generator by hand",
        "Home",
        field,
        f"{begins}: {' and '.join(names)} {takes} it for the grid, and reverse power damages it. Keep {them} off while "
        f"it runs, by an interlock or a main switch.{tank}",
        rule="common practice, no source",
    )
