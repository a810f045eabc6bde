"""The roof as it was measured: what fits on it, and what hides the sun."""

from calm_relay.job.model import RoofFace
from calm_relay.physics.packing import Packing
from calm_relay.planning.common.joined import counted
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged, warns
from calm_relay.planning.site.roof_room import filled, most_on, room_of


@check
def check_roof_room(subject: Subject) -> list[Finding]:
    """The modules of a face must lie in its usable rectangle."""
    findings, length = [], subject.context.survey.length_words
    for number, face in enumerate(subject.context.faces):
        plan, room = face.plan, room_of(face)
        if room is None or plan.rectangle is None or not plan.will_be_there:
            continue
        sheet = f"survey of {plan.name}; {face.module.name}, datasheet"
        if room.count == 0:
            sentence = (
                f"{plan.name}: not even one {face.module.name} lies in {length(plan.rectangle.width_m)} × "
                f"{length(plan.rectangle.height_m)} with {length(plan.rectangle.margin_m)} kept free."
            )
            mends: tuple[Mend, ...] = ()
            severity = Severity.STOP
        elif plan.count > room.count:
            way = "upright" if room.upright else "lying"
            sentence = (
                f"{plan.name}: {plan.count} modules, and its rectangle holds {room.count} "
                f"({room.rows} × {room.columns}, {way})."
            )
            severity = Severity.STOP if plan.fate == "new" else Severity.CHECK
            mends = _as_many(number, plan, room)
        else:
            continue
        findings.append(
            judged(
                severity,
                "roof room",
                "Roof",
                "faces",
                sentence,
                reading=(float(plan.count), float(room.count), "modules"),
                rule=sheet,
                mends=mends,
            )
        )
    return findings


def _as_many(number: int, plan: RoofFace, room: Packing) -> tuple[Mend, ...]:
    label = f"Lay {counted(most_on(room), 'module')} on {plan.name}"
    return (Mend(label, lambda job: filled(job, number, room)),)


@check
def check_polar_night(subject: Subject) -> list[Finding]:
    """Where the sun stays down for days, no array fills a battery."""
    down = subject.site.days_without_sun
    if not down:
        return []
    return [
        warns(
            "polar night",
            "Site",
            "site.latitude",
            f"The sun does not rise here on {counted(down, 'day')} of the year: no array gives anything then.",
            reading=(float(down), 0.0, "days"),
            rule="solar position",
        )
    ]


@check
def check_shade(subject: Subject) -> list[Finding]:
    """What the horizon takes is said aloud where it is worth saying."""
    findings = []
    for face in subject.context.faces:
        share = face.made.losses_kwh["horizon"] / face.made.ideal_kwh if face.made.ideal_kwh > 0 else 0.0
        if share >= 0.1 and face.plan.will_be_there:
            findings.append(
                warns(
                    "horizon shade",
                    "Roof",
                    "site.horizon",
                    f"{face.plan.name}: the horizon takes {share:.0%} of the year's light.",
                    reading=(share * 100, 10.0, "%"),
                    rule="the job's survey",
                )
            )
    return findings
