"""Voltage and current of every string against the input it is connected to."""

from collections import Counter
from math import ceil
from typing import Any

from calm_relay.job.equipment import ISC_FACTOR, Inverter, by_price
from calm_relay.job.model import Job, RoofFace
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import battery_refusals, site_refusals
from calm_relay.planning.architecture.standing_array import bare_inverters
from calm_relay.planning.architecture.string_plan import plan_of
from calm_relay.planning.architecture.unbalance import sets_apart
from calm_relay.planning.common.amounts import degrees_text
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.findings.base import (
    Drawn,
    Finding,
    Mend,
    Severity,
    Subject,
    as_drawn,
    check,
    judged,
    runs_today,
    stops,
    warns_if,
)
from calm_relay.planning.findings.battery import more_units
from calm_relay.planning.site.array import DesignTemperatures
from calm_relay.planning.strings.limits import (
    COLD,
    COLD_BY_TABLE,
    FULL_POWER,
    HOT,
    HOT_MARGIN,
    SHORT_CIRCUIT,
    START,
    TRACKING_END,
    USABLE,
    CurrentLimit,
    VoltageLimit,
)
from calm_relay.planning.strings.shared_input import shared_loss
from calm_relay.planning.strings.stringing import (
    LAID,
    PLANNED,
    SURVEYED,
    Input,
    Stringing,
    StringRun,
    hard_refusals,
)

# Share of a face that may be left out before another inverter is wanted.
FEW = 0.25
MISSES = {
    HOT: "{volts:.0f} V with cells at {hot:.0f} °C, below the tracker's lower edge of {limit:.0f} V.",
    START: "{volts:.0f} V open with cells at {hot:.0f} °C; the input starts at {limit:.0f} V.",
    HOT_MARGIN: "{volts:.0f} V with cells at {hot:.0f} °C, within 5% of the tracker's lower edge of {low:.0f} V.",
    FULL_POWER: "{volts:.0f} V at full sun; this input gives full power from {limit:.0f} V.",
    TRACKING_END: "its best voltage is {volts:.0f} V when coldest; the input tracks up to {limit:.0f} V.",
}


def lay_anew(subject: Drawn, converter: Converter) -> tuple[Mend, ...]:
    """Has the planner lay the strings of a unit; where it did so already, takes an inverter that they suit."""
    inverter, survey = converter.inverter, subject.context.survey
    key, alike = inverter.key, converter.alike
    if converter.stringing.origin == PLANNED:
        return (Mend("Let the planner lay the strings", lambda job: job.with_string_plan(key, None, alike)),)
    if converter.micro:
        return ()
    if converter.stringing.origin == LAID:
        return _other_inverter(subject, converter)
    free = survey.lay(inverter, converter.faces or survey.faces_then)
    if not free.runs or free.homeless > converter.stringing.homeless:
        return ()
    plan = plan_of(free, key, alike)
    if converter.stringing.runs and plan == plan_of(converter.stringing, key, alike):
        return ()
    return (Mend(f"Re-string for {inverter.name}", lambda job: job.with_string_plan(key, plan, alike)),)


def _other_inverter(subject: Drawn, converter: Converter) -> tuple[Mend, ...]:
    """The cheapest inverter of the same kind on which the faces raise no finding; only for one that is new."""
    if not converter.is_new:
        return ()
    field, battery = converter.stated_as, subject.job.battery
    fitting = [
        item
        for item in subject.context.equipment.on_offer.inverters
        if item.key != getattr(battery, field) and _suits(subject, converter, item)
    ]
    if not fitting:
        return ()
    taken = min(fitting, key=by_price)
    label = f"Take the {taken.name}"
    return (Mend(label, lambda job: job.with_(battery=job.battery.with_(**{field: taken.key}))),)


def _suits(subject: Drawn, converter: Converter, item: Inverter) -> bool:
    survey, job = subject.context.survey, subject.job
    if item.pv is None or item == converter.inverter or (item.battery is None) != (not converter.has_battery):
        return False
    if item.charge_controllers != converter.inverter.charge_controllers:
        return False
    if battery_refusals(converter.bank, item, job) if converter.has_battery else site_refusals(item, job):
        return False
    if sets_apart(subject.context, subject.design, converter, item):
        return False
    faces = converter.hung
    if not converter.has_battery:
        # What is stated of one new string inverter holds for all.
        alike = [unit for unit in subject.design.pv_converters if unit.is_new and unit.micro is None]
        faces = tuple(face for unit in alike if not unit.has_battery for face in unit.hung)
    kept = frozenset(face.plan.name for face in faces if face.plan.fate == "keep")
    strings = survey.lay(item, faces, kept)
    if hard_refusals(strings, survey.temperatures, survey.site_limit):
        return False
    allowed = item.pv.ratio_max_with_battery if converter.has_battery else item.pv.ratio_max
    if sum(run.kw for run in strings.runs) > allowed * item.ac_kw + 1e-9:
        return False
    clips = any(limit.missed for part in strings.inputs for limit in part.limits)
    read = (_against_window(strings, run, survey.temperatures) for run in strings.runs)
    return not clips and all(reading is None or reading[1] is Severity.OK for reading in read)


@as_drawn
@check
def check_cold_voltage(subject: Drawn) -> list[Finding]:
    """A string must not exceed inverter, modules or the site's rule when it is coldest."""
    return [_cold(subject, converter) for converter in subject.design.pv_converters if converter.has_array]


def _cold(subject: Drawn, converter: Converter) -> Finding:
    temperatures, site = subject.context.temperatures, subject.context.survey.site_limit
    held = [(run, run.limits(temperatures, site)) for run in converter.stringing.runs]
    run, limits = max(held, key=lambda item: item[1][COLD].volts(item[0].together) / item[1][COLD].limit_v)
    limit = limits[COLD]
    cold_v, limit_v = limit.volts(run.together), limit.limit_v
    table_v = limits[COLD_BY_TABLE].volts(run.together) if COLD_BY_TABLE in limits else 0.0
    name, where = run.face.plan.name, f"at {degrees_text(temperatures.cold_c)} ({temperatures.cold_source})"
    mends: tuple[Mend, ...] = ()
    if limit.missed(run.together):
        modules = "1 module reaches" if run.in_series == 1 else f"{run.in_series} modules in series reach"
        sentence = f"{name}: {modules} {cold_v:.0f} V {where}, against {limit_v:.0f} V ({limit.owner})."
        severity, mends = (
            limit.severity,
            (*_shorter(subject, converter, run, limit), *lay_anew(subject, converter)),
        )
        # What is broken is a rule of the region alone, and rules are made for what is built.
        if runs_today(converter) and not run.limits(temperatures)[COLD].missed(run.together):
            severity = Severity.CHECK
            sentence += " It runs so today, within its own limits: ask who inspects it whether it may stay."
    elif COLD_BY_TABLE in limits and limits[COLD_BY_TABLE].missed(run.together):
        sentence = (
            f"{name}: {cold_v:.0f} V by its coefficient, {table_v:.0f} V by the table method; "
            f"the limit is {limit_v:.0f} V {where} ({limit.owner})."
        )
        severity, mends = limits[COLD_BY_TABLE].severity, lay_anew(subject, converter)
    else:
        what = "Coldest module" if run.optimiser or converter.micro else "Coldest string"
        sentence = f"{what} {cold_v:.0f} V under {limit_v:.0f} V {where}, margin {1 - cold_v / limit_v:.0%}."
        sentence += f" The table method gives {table_v:.0f} V." if table_v > cold_v else ""
        severity = Severity.OK
    return judged(
        severity,
        COLD,
        "Strings",
        "faces",
        sentence,
        reading=(cold_v, limit_v, "V"),
        rule=f"{limit.owner}; IEC 62548-1, 6.2",
        mends=mends,
    )


def _shorter(subject: Drawn, converter: Converter, run: StringRun, limit: VoltageLimit) -> tuple[Mend, ...]:
    longest = int(limit.most)
    if longest < 1 or converter.stringing.origin != SURVEYED or run.optimiser:
        return ()
    at = subject.job.faces.index(run.face.plan)
    count = longest * run.face.plan.strings
    label = f"Use {counted(longest, 'module')} per string on {run.face.plan.name}"
    return (Mend(label, lambda job: job.with_face(at, count=count)),)


def _stated_apart(subject: Drawn, converter: Converter) -> tuple[str, tuple[Mend, ...]]:
    """Faces of one plane, one of which is left out: stated as one, a string may run over all."""
    then = [face.plan for face in subject.context.survey.faces_then]
    planes = (
        [face.name for face in then if item.face.plan.is_one_plane_with(face)]
        for item in converter.stringing.left_out
    )
    names = next((names for names in planes if len(names) > 1), None)
    if names is None:
        return "", ()
    said = f" {joined(names)} are one plane of like modules: stated as one face, they share strings."
    return said, (Mend(f"State {joined(names)} as one face", lambda job: job.with_faces_as_one(names)),)


def _on_bare_inverter(subject: Drawn, converter: Converter) -> tuple[Mend, ...]:
    """A face of the survey that finds no input of its inverter, on another of today's that carries none."""
    job, equipment = subject.job, subject.context.equipment
    there = [
        item.face.plan
        for item in converter.stringing.left_out
        if not converter.is_new and item.face.plan.is_there and item.modules == item.face.plan.count
    ]
    places = {}
    for unit in bare_inverters(job, equipment.catalogue):
        field = f"existing_inverters.{job.existing_inverters.index(unit)}.inverter"
        side = equipment.inverter(unit.inverter, field).pv
        places[unit.name] = sum(tracker.strings for tracker in side.trackers) if side else 0

    def mend(face: RoofFace, name: str) -> Mend:
        at = job.faces.index(face)
        return Mend(f"Hang {face.name} on {name}", lambda job: job.with_face(at, wired_to=name))

    return tuple(mend(face, name) for face in there for name, room in places.items() if room >= face.strings)


def _side_by_side(subject: Drawn, converter: Converter) -> tuple[Mend, ...]:
    """As many new hybrids as have inputs for all modules, each with what the ones planned have room for."""
    strings = converter.stringing
    laid = sum(run.modules for run in strings.runs)
    if not converter.has_battery or strings.origin != LAID or not laid:
        return ()
    of_one = laid / converter.bank.units
    mend = more_units(subject, converter, ceil((laid + strings.homeless) / of_one - 1e-9))
    return () if mend is None else (mend,)


def _fewer(subject: Drawn, converter: Converter) -> tuple[Mend, ...]:
    """New faces with as many modules as find an input, where few are left out."""
    left = Counter[str]()
    for item in converter.stringing.left_out:
        left[item.face.plan.name] += item.modules
    here = {number: face for number, face in enumerate(subject.job.faces) if left[face.name]}
    if len(here) < len(left) or any(f.fate != "new" or left[f.name] > FEW * f.count for f in here.values()):
        return ()
    counts = {number: face.count - left[face.name] for number, face in here.items()}

    def apply(job: Job) -> Job:
        for number, count in counts.items():
            job = job.with_face(number, count=count)
        return job

    said = joined([f"{counted(counts[number], 'module')} on {face.name}" for number, face in here.items()])
    return (Mend(f"Lay {said}", apply),)


@as_drawn
@check
def check_input_fit(subject: Drawn) -> list[Finding]:
    """Every module needs an input, and every plan must be one that can be wired."""
    findings = []
    for converter in subject.design.pv_converters:
        strings, sheet = converter.stringing, f"{converter.inverter.name}, datasheet"
        if strings.left_out:
            summary = "; ".join(
                f"{item.modules} of {item.face.plan.name} ({item.reason})" for item in strings.left_out
            )
            inputs = len(converter.inverter.pv_side.trackers)
            beside, as_one = _stated_apart(subject, converter)
            # What a person left out on purpose is theirs to answer for.
            whole = not strings.runs or strings.origin != PLANNED
            findings.append(
                judged(
                    Severity.STOP if whole else Severity.CHECK,
                    "tracker inputs",
                    "Strings",
                    "faces",
                    f"On no string of {converter.name}: {summary}. "
                    f"It has {inputs} {'input' if inputs == 1 else 'inputs'}.{beside}",
                    reading=(
                        float(strings.homeless),
                        float(sum(face.plan.count for face in subject.context.survey.faces_then)),
                        "modules",
                    ),
                    rule=sheet,
                    mends=(
                        *_on_bare_inverter(subject, converter),
                        *as_one,
                        *lay_anew(subject, converter),
                        *_side_by_side(subject, converter),
                        *(_fewer(subject, converter) if whole else ()),
                    ),
                )
            )
        if strings.faults:
            findings.append(
                stops(
                    "string plan",
                    "Strings",
                    "string_plans",
                    f"These strings cannot be wired: {'; '.join(strings.faults)}.",
                    rule=sheet,
                    mends=lay_anew(subject, converter),
                )
            )
    return findings


@check
def check_hot_voltage(subject: Subject) -> list[Finding]:
    """A string must stay above the tracker's lower edge when it is hottest, start, and give full power."""
    alike: dict[Any, list[tuple[Converter, str]]] = {}
    for converter in subject.design.pv_converters:
        for run in converter.stringing.runs:
            reading = _against_window(converter.stringing, run, subject.context.temperatures)
            if reading and reading[1] is Severity.STOP and _runs_on(converter, run, subject.context.temperatures):
                key, _, measured, limit, summary = reading
                summary += " It is there and stays: it drops out in the hottest hours."
                reading = key, Severity.CHECK, measured, limit, summary
            if reading:
                # Faces that read alike are named together.
                alike.setdefault(reading, []).append((converter, run.face.plan.name))
    findings = []
    for (key, severity, measured, limit, summary), where in alike.items():
        converter, names = where[0][0], list(dict.fromkeys(name for _, name in where))
        sentence = f"{joined(names)}: {summary}"
        sheet = f"{converter.inverter.name}, datasheet"
        mends = lay_anew(subject, converter) if severity is not Severity.OK else ()
        findings.append(
            judged(
                severity,
                key,
                "Strings",
                "faces",
                sentence,
                reading=(measured, limit, "V"),
                rule=sheet,
                mends=mends,
            )
        )
    return findings


def _runs_on(converter: Converter, run: StringRun, temperatures: DesignTemperatures) -> bool:
    """Whether a string runs today and on an ordinary day is tracked: too little voltage harms nothing."""
    limits = run.limits(temperatures)
    if not runs_today(converter) or FULL_POWER not in limits:
        return False
    return limits[FULL_POWER].volts(run.together) >= limits[HOT].limit_v


def _all_passes(strings: Stringing, run: StringRun) -> bool:
    """Whether volts too few for an input's full power lose nothing: its strings give no more amps than it uses."""
    limits = next(item.limits for item in strings.inputs if run in item.runs)
    return not any(limit.key == USABLE and limit.missed for limit in limits)


def _against_window(
    strings: Stringing, run: StringRun, temperatures: DesignTemperatures
) -> tuple[str, Severity, float, float, str] | None:
    """The first edge of the tracker's window that a string misses; None when it misses none."""
    limit = next((limit for limit in run.missed(temperatures) if limit.key in MISSES), None)
    if limit is None:
        return None
    volts, low_v = limit.volts(run.together), run.limits(temperatures)[HOT].limit_v
    summary = MISSES[limit.key].format(volts=volts, limit=limit.limit_v, low=low_v, hot=temperatures.hot_c)
    key = {HOT_MARGIN: HOT, FULL_POWER: "full-power window", TRACKING_END: "full-power window"}
    severity = limit.severity
    if limit.key == FULL_POWER and _all_passes(strings, run):
        severity = Severity.OK
        summary += " What these strings have passes whole: their current is within what it uses."
    held_v = low_v if limit.key == HOT_MARGIN else limit.limit_v
    return key.get(limit.key, limit.key), severity, volts, held_v, summary


@check
def check_input_current(subject: Subject) -> list[Finding]:
    """Strings in parallel must not short harder than the input survives; what it cannot use is clipped."""
    alike: dict[Any, list[tuple[Converter, Input, CurrentLimit]]] = {}
    for converter in subject.design.pv_converters:
        for item in converter.stringing.inputs if not converter.micro else ():
            # Of an input that must not be connected it does not matter what is clipped.
            for limit in [limit for limit in item.limits if limit.missed][:1]:
                faces = tuple(dict.fromkeys(run.face.plan.name for run in item.runs))
                key = converter.name, faces, item.strings, round(item.short_circuit_a, 6), limit
                alike.setdefault(key, []).append((converter, item, limit))
    # Inputs that read alike are named together.
    return [_current(subject, *found[0], [item.number for _, item, _ in found]) for found in alike.values()]


def _current(
    subject: Subject, converter: Converter, item: Input, limit: CurrentLimit, numbers: list[int]
) -> Finding:
    one = len(numbers) == 1
    which = f"input{'s' * (not one)} {joined([str(number) for number in numbers])}{'' if one else ' each'}"
    names, severity = " and ".join(dict.fromkeys(run.face.plan.name for run in item.runs)), limit.severity
    if limit.key == SHORT_CIRCUIT:
        many = "s" * (item.strings != 1)
        sentence = (
            f"{names}: {item.short_circuit_a:.1f} A short-circuit from {item.strings} string{many}, "
            f"times {ISC_FACTOR:g} for brighter light {limit.amps:.1f} A; {which} "
            f"survive{'s' * one} {limit.limit_a:.1f} A."
        )
        if runs_today(converter) and item.short_circuit_a <= limit.limit_a:
            severity = Severity.CHECK
            sentence += " It runs so today, within its rating but for brighter light: ask its maker."
    else:
        sentence = (
            f"{names}: {limit.amps:.1f} A at full sun; {which} use{'s' * one} {limit.limit_a:.1f} A, so up to "
            f"{1 - limit.limit_a / limit.amps:.0%} of it is clipped on bright days."
        )
    return judged(
        severity,
        limit.key,
        "Strings",
        "faces",
        sentence,
        reading=(limit.amps, limit.limit_a, "A"),
        rule=f"{converter.inverter.name}, datasheet",
        mends=lay_anew(subject, converter),
    )


@check
def check_one_kind_per_input(subject: Subject) -> list[Finding]:
    """One orientation a tracker; unlike faces in parallel cost something, unlike lengths are wrong."""
    findings = []
    for converter in subject.design.pv_converters:
        for item in converter.stringing.inputs:
            names = " and ".join(dict.fromkeys(run.face.plan.name for run in item.runs))
            if item.is_unequal:
                lengths = " and ".join(f"{run.in_series} × {run.module.name}" for run in item.runs)
                findings.append(
                    stops(
                        "unequal strings",
                        "Strings",
                        "string_plans",
                        f"Input {item.number} has {lengths} in parallel: strings on one tracker must be alike.",
                        rule="common practice, no source",
                        mends=lay_anew(subject, converter),
                    )
                )
            elif item.is_mixed:
                loss = shared_loss(item)
                findings.append(
                    warns_if(
                        loss > 0.01,
                        "shared input",
                        "Strings",
                        "string_plans",
                        f"{names} share input {item.number} with equal strings in parallel: about {loss:.1%} of "
                        "their year is lost against a tracker for each.",
                        reading=(loss * 100, 1.0, "%"),
                        rule="single-diode shape from the datasheet, sampled over the year",
                    )
                )
    return findings
