"""String fuses, by both schools."""

from calm_relay.job.model import Job
from calm_relay.planning.common.amounts import rated_text
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged
from calm_relay.planning.strings.stringing import Fusing, fusing_of

METHOD = {"united-states": "NEC", "canada": "NEC"}


@check
def check_string_fuses(subject: Subject) -> list[Finding]:
    """Strings in parallel want fuses when the others can drive more through one than its modules bear."""
    job, findings = subject.job, []
    method = METHOD.get(job.region, "IEC")
    for converter in subject.design.pv_converters:
        alike: dict[Fusing, list[int]] = {}
        for item in [] if converter.micro else converter.stringing.inputs:
            fusing = fusing_of(item, method)
            if fusing is not None:
                alike.setdefault(fusing, []).append(item.number)
        findings += [_finding(job, numbers, fusing, method) for fusing, numbers in alike.items()]
    return findings


def _inputs(numbers: list[int]) -> str:
    if len(numbers) == 1:
        return f"Input {numbers[0]}"
    return f"Inputs {', '.join(map(str, numbers[:-1]))} and {numbers[-1]}"


def _finding(job: Job, numbers: list[int], fusing: Fusing, method: str) -> Finding:
    school = job.fuse_school
    needed = fusing.needed(school)
    opening = (
        f"{_inputs(numbers)}: {fusing.strings} strings in parallel can drive {fusing.reverse_a:.1f} A back "
        f"through one; its modules bear {rated_text(fusing.rating_a, 'fuse')}"
    )
    if not needed:
        other = " Those who fuse from three strings up would." if fusing.by_count else ""
        mends: tuple[Mend, ...] = ()
        sentence, severity = f"{opening}. No string fuses are needed.{other}", Severity.OK
    elif fusing.size_a is None:
        sentence = f"{opening}, and no fuse on the market fits between the string's current and that."
        severity = Severity.STOP
        mends = ()
    else:
        why = "" if fusing.by_rating else ", by the habit of fusing from three strings up"
        sentence = f"{opening}. Fit {rated_text(fusing.size_a, 'fuse')} in each string{why}."
        severity = Severity.CHECK
        mends = ()
    if fusing.by_count and not fusing.by_rating:
        other = "three strings up" if school == "series-fuse rating" else "series-fuse rating"
        word = "from three strings up" if other == "three strings up" else "by the module's fuse rating"
        mends = (Mend(f"Fuse {word}", lambda job: job.with_(fuse_school=other)),)
    rule = "IEC 62548-1, 6.3" if method == "IEC" else "NEC 690.9"
    return judged(
        severity,
        "string fuses",
        "Strings",
        "fuse_school",
        sentence,
        reading=(fusing.reverse_a, fusing.rating_a, "A"),
        rule=f"{rule}, from memory; school: {school}",
        mends=mends,
    )
