"""Array power over inverter power, against every limit in force, naming the one that binds."""

from dataclasses import replace

from calm_relay.job.model import Job, RoofFace
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.ratio_limits import TOLERANCE, ratio_limits
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged, runs_today
from calm_relay.planning.strings.stringing import SURVEYED, hard_refusals, surveyed_strings


@check
def check_array_ratio(subject: Subject) -> list[Finding]:
    """The array may not be larger over its inverter than the maker allows or a rebate pays for."""
    return [_ratio(subject, converter) for converter in subject.design.pv_converters if converter.has_array]


def _ratio(subject: Subject, converter: Converter) -> Finding:
    limits = ratio_limits(converter, subject.job, subject.context.survey)
    ratio = converter.array_kw / converter.inverter.ac_kw
    binding = limits[0]
    broken = [limit for limit in limits if ratio > limit.ratio_max + TOLERANCE]
    others = ", ".join(f"{limit.owner} {limit.ratio_max:.2f}" for limit in limits[1:])
    opening = f"{converter.array_kw:.2f} kWp on {converter.inverter.ac_kw:g} kW is {ratio:.2f}"
    if not broken:
        sentence = f"{opening}. {_upper(binding.owner)} binds at {binding.ratio_max:.2f}"
        sentence += f" ({others})." if others else "."
        severity, limit = Severity.OK, binding
        mends: tuple[Mend, ...] = ()
    else:
        limit = next((item for item in broken if item.stops), broken[0])
        severity = Severity.STOP if limit.stops else Severity.CHECK
        sentence = f"{opening}; {limit.owner} ends at {limit.ratio_max:.2f}."
        if limit.stops and runs_today(converter):
            # What has run for years destroys nothing by staying.
            severity = Severity.CHECK
            sentence += " It runs so today: what that means for its warranty its maker says."
        if limit is not binding:
            sentence += f" {_upper(binding.owner)} binds first, at {binding.ratio_max:.2f}."
        mends = _fewer_modules(subject, converter, limit.ratio_max * converter.inverter.ac_kw)
    return judged(
        severity,
        "array ratio",
        "Inverter",
        "faces",
        sentence,
        reading=(ratio, limit.ratio_max, "kWp/kW"),
        rule=limit.authority,
        mends=mends,
    )


def _upper(text: str) -> str:
    return text[:1].upper() + text[1:]


def _fewer_modules(subject: Subject, converter: Converter, allowed_kw: float) -> tuple[Mend, ...]:
    """Takes whole rows off the face where that gives the least power away."""
    if converter.micro:
        return ()
    faces = subject.job.faces
    here = {face.plan.name for face in converter.faces}
    # What lies on no string would take the place of what goes.
    idle = {item.face.plan.name: item.modules for item in converter.stringing.left_out}
    best = None
    for i, face in enumerate(faces):
        if face.name not in here:
            continue
        module_kw = subject.context.faces[i].module.power_w / 1000.0
        off = -(-idle.get(face.name, 0) // face.strings) * face.strings
        for rows in range(1, face.in_series):
            fewer = off + rows * face.strings
            if fewer >= face.count:
                break
            if converter.array_kw - rows * face.strings * module_kw > allowed_kw + TOLERANCE:
                continue
            if _can_be_strung(subject, converter, face, face.count - fewer):
                lost_kwh = rows * face.strings / face.count * subject.context.faces[i].yearly_kwh
                if best is None or lost_kwh < best[0]:
                    best = (lost_kwh, i, fewer)
                break
    if best is None:
        return ()
    _, at, fewer = best

    def apply(job: Job) -> Job:
        changed = job.faces[at].with_(count=job.faces[at].count - fewer)
        return job.with_(faces=(*job.faces[:at], changed, *job.faces[at + 1 :]))

    return (Mend(f"Take {fewer} module{'s' * (fewer > 1)} off {faces[at].name}", apply),)


def _can_be_strung(subject: Subject, converter: Converter, face: RoofFace, count: int) -> bool:
    """Whether so many modules of a face, and the other faces, all find an input of their unit, and fit no worse."""
    survey = subject.context.survey
    faces = tuple(
        replace(item, plan=face.with_(count=count)) if item.plan.name == face.name else item
        for item in converter.hung
    )
    if converter.stringing.origin == SURVEYED:
        strings = surveyed_strings(faces, converter.inverter)
    else:
        strings = survey.lay(converter.inverter, faces, frozenset(), converter.alike)
    held = (survey.temperatures, survey.site_limit)
    before = hard_refusals(replace(converter.stringing, left_out=()), *held)
    return len(hard_refusals(strings, *held)) <= len(before)
