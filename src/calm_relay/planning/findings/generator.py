"""The generator: never on one bus with arrays, only on a box that takes it, and strong enough to be of use."""

from calm_relay.planning.findings.base import Finding, Mend, Severity, check

INPUT = "the battery inverter's generator input"


@check
def check_generator_place(subject):
    """A generator on the bus of AC-coupled PV is damaged by reverse power: never, interlock."""
    generator, design = subject.job.generator, subject.design
    box = design.store_box
    if generator is None or box is None:
        return []
    beside = [other.converter.name for other in design.boxes if other is not box and other.has_array]
    if generator.on == "the bus of AC-coupled PV" and beside:
        sentence = (
            f"The generator stands on one bus with {beside[0]}: reverse power damages it. Interlock them, or take "
            "the generator input of the battery inverter."
        )
        mend = Mend("Use the generator input", lambda job: job.with_(generator=job.generator.with_(on=INPUT)))
        return [_place(Severity.STOP, sentence, "common practice, no source", mend)]
    name, backup = box.converter.name, box.converter.backup
    if backup is None or not backup.generator_input:
        mend = Mend("Plan without the generator", lambda job: job.with_(generator=None))
        return [_place(Severity.STOP, f"{name} has no generator input.", f"{name}, datasheet", mend)]
    sentence = f"{name} takes the generator and keeps AC-coupled arrays off while it runs."
    return [_place(Severity.HOLD, sentence, f"{name}, datasheet")]


def _place(severity, sentence, rule, *mends):
    return Finding("generator", severity, "Home", "generator.on", sentence, rule=rule, mends=mends)
