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
    if not reasons:
        sentence = f"{name} takes the generator and keeps AC-coupled arrays off while it runs."
        hours = job.generator.tank_hours
        if hours is not None:
            sentence += f" Its {job.generator.tank_litres:g} l last {hours:.0f} h at {job.generator.kw:g} kW."
        return [_place(Severity.OK, sentence, f"{name}, datasheet")]
    if job.generator.on == ON_BUS:
        sentence = f"{reasons[0]}: interlock them, or take the generator input of the battery inverter."
        mend = Mend("Use the generator input", lambda job: job.with_(generator=job.generator.with_(on=ON_INPUT)))
        return [_place(Severity.STOP, sentence, "common practice, no source", mend)]
    mend = Mend("Plan without the generator", lambda job: job.with_(generator=None))
    return [_place(Severity.STOP, f"{reasons[0]}.", f"{name}, datasheet", mend)]


def _place(severity: Severity, sentence: str, rule: str, *mends: Mend) -> Finding:
    return judged(severity, "generator", "Home", "generator.on", sentence, rule=rule, mends=mends)
