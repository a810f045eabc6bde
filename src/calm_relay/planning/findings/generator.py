"""The generator: never on one bus with arrays, and only on a unit that takes it."""

from calm_relay.job.backup_board import ON_BUS, ON_INPUT
from calm_relay.planning.architecture.refusals import generator_refusals
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged


@check
def check_generator_place(subject: Subject) -> list[Finding]:
    """A generator on the bus of AC-coupled PV is damaged by reverse power: never, interlock."""
    job, converter = subject.job, subject.design.battery_converter
    if job.generator is None or converter is None:
        return []
    name = converter.inverter.name
    reasons = generator_refusals(subject.design, job)
    beside = [other for other in subject.design.converters if other is not converter and other.has_array]
    if not reasons:
        sentence = f"{name} takes the generator"
        rule = f"{name}, datasheet"
        if beside and job.generator.interlocked:
            sentence += "; the interlock keeps AC-coupled arrays off while it runs"
            rule += "; the job's survey"
        elif beside:
            sentence += " and keeps AC-coupled arrays off while it runs"
        sentence += "."
        hours = job.generator.tank_hours
        if hours is not None:
            sentence += f" Its {job.generator.tank_litres:g} l last {hours:.0f} h at {job.generator.kw:g} kW."
        return [_place(Severity.OK, sentence, rule)]
    if beside and not job.generator.interlocked:
        interlock = Mend(
            "Interlock them", lambda job: job.with_(generator=job.own_generator.with_(interlocked=True))
        )
        mends = [interlock]
        if job.generator.on == ON_BUS:
            mends.insert(
                0,
                Mend(
                    "Use the generator input",
                    lambda job: job.with_(generator=job.own_generator.with_(on=ON_INPUT)),
                ),
            )
        sentence = f"{reasons[0]}: interlock them, or take a unit that keeps them apart."
        return [_place(Severity.STOP, sentence, "common practice, no source", *mends)]
    mend = Mend("Plan without the generator", lambda job: job.with_(generator=None))
    return [_place(Severity.STOP, f"{reasons[0]}.", f"{name}, datasheet", mend)]


def _place(severity: Severity, sentence: str, rule: str, *mends: Mend) -> Finding:
    return judged(severity, "generator", "Home", "generator.on", sentence, rule=rule, mends=mends)
