"""Voltage and current of every string against the input it is connected to."""

from math import floor

from calm_relay.planning.architecture.refusals import battery_refusals, phase_refusals
from calm_relay.planning.architecture.string_plan import plan_of
from calm_relay.planning.findings.base import Finding, Mend, Severity, check
from calm_relay.planning.strings.shared_input import shared_loss
from calm_relay.planning.strings.stringing import LAID, PLANNED, SURVEYED, hard_refusals

RATED_CELL_C = 50.0


def lay_anew(subject, converter) -> tuple[Mend, ...]:
    """Has the planner lay the strings of a unit; where it did so already, takes an inverter that they suit."""
    inverter, survey = converter.inverter, subject.context.survey
    if converter.stringing.origin == PLANNED:
        return (Mend("Let the planner lay the strings", lambda job: job.with_string_plan(inverter.key, None)),)
    if converter.micro:
        return ()
    if converter.stringing.origin == LAID:
        return _other_inverter(subject, converter)
    free = survey.lay(inverter, converter.faces or survey.faces_then)
    if not free.runs or free.homeless > converter.stringing.homeless:
        return ()
    plan = plan_of(free, inverter.key)
    return (Mend(f"Re-string for {inverter.name}", lambda job: job.with_string_plan(inverter.key, plan)),)


def _other_inverter(subject, converter) -> tuple[Mend, ...]:
    """The cheapest inverter of the same kind on which the faces raise no finding; only for one that is new."""
    if not converter.is_new:
        return ()
    fitting = [item for item in subject.context.equipment.catalogue.inverters if _suits(subject, converter, item)]
    if not fitting:
        return ()
    taken = min(fitting, key=lambda item: (item.price, item.key))
    field = "hybrid" if subject.design.architecture.one_inverter else "string_inverter"
    label = f"Take the {taken.name}"
    return (Mend(label, lambda job: job.with_(battery=job.battery.with_(**{field: taken.key}))),)


def _suits(subject, converter, item):
    survey, job = subject.context.survey, subject.job
    if item.pv is None or item == converter.inverter or (item.battery is None) != (converter.bank is None):
        return False
    if battery_refusals(converter.bank, item, job) if converter.bank else phase_refusals(item, job):
        return False
    kept = frozenset(face.plan.name for face in survey.faces_then if face.plan.fate == "keep")
    strings = survey.lay(item, survey.faces_then, kept)
    if hard_refusals(strings, survey.temperatures, survey.site_limit):
        return False
    allowed = item.pv.ratio_max_with_battery if converter.bank else item.pv.ratio_max
    if sum(run.kw for run in strings.runs) > allowed * item.ac_kw + 1e-9:
        return False
    clips = any(
        part.working_a > part.tracker.usable_a and not any(run.optimiser for run in part.runs)
        for part in strings.inputs
    )
    return not clips and not any(_against_window(run, survey.temperatures) for run in strings.runs)


@check
def check_cold_voltage(subject):
    """A string must not exceed inverter, modules or the site's rule when it is coldest."""
    return [_cold(subject, converter) for converter in subject.design.pv_converters if converter.has_array]


def _cold(subject, converter):
    temperatures, site = subject.context.temperatures, subject.context.survey.site_limit
    run = max(converter.stringing.runs, key=lambda run: run.cold_v(temperatures) / run.cold_limit(site)[0])
    cold_v = run.cold_v(temperatures)
    limit_v, owner = run.cold_limit(site)
    name = run.face.plan.name
    where = f"at {temperatures.cold_c:g} °C ({temperatures.cold_source})"
    what = "Coldest module" if run.optimiser or converter.micro else "Coldest string"
    table_v = run.table_v(temperatures)
    if cold_v <= limit_v:
        sentence = f"{what} {cold_v:.0f} V under {limit_v:.0f} V {where}, margin {1 - cold_v / limit_v:.0%}."
        severity, mends = Severity.OK, ()
        if table_v is not None and table_v > limit_v:
            severity = Severity.CHECK
            sentence = (
                f"{name}: {cold_v:.0f} V by its coefficient, {table_v:.0f} V by the table method; "
                f"the input ends at {limit_v:.0f} V {where}."
            )
            mends = lay_anew(subject, converter)
    else:
        longest = floor(run.in_series * limit_v / cold_v)
        modules = "1 module reaches" if run.in_series == 1 else f"{run.in_series} modules in series reach"
        sentence = f"{name}: {modules} {cold_v:.0f} V {where}; the input ends at {limit_v:.0f} V ({owner})."
        severity = Severity.STOP
        mends = (*_shorter(subject, converter, run, longest), *lay_anew(subject, converter))
    if table_v is not None and table_v > cold_v and severity is Severity.OK:
        sentence += f" The table method gives {table_v:.0f} V."
    rule = f"{owner}; IEC 62548-1, 6.2"
    return Finding("cold voltage", severity, "Strings", "faces", sentence, cold_v, limit_v, "V", rule, mends)


def _shorter(subject, converter, run, longest):
    if longest < 1 or converter.stringing.origin != SURVEYED or run.optimiser:
        return ()
    at = subject.job.faces.index(run.face.plan)
    count = longest * run.face.plan.strings
    label = f"Use {longest} modules per string on {run.face.plan.name}"
    return (Mend(label, lambda job: job.with_face(at, count=count)),)


@check
def check_input_fit(subject):
    """Every module needs an input, and every plan must be one that can be wired."""
    findings = []
    for converter in subject.design.pv_converters:
        strings, sheet = converter.stringing, f"{converter.inverter.name}, datasheet"
        if strings.left_out:
            summary = "; ".join(
                f"{item.modules} of {item.face.plan.name} ({item.reason})" for item in strings.left_out
            )
            whole = not strings.runs or strings.origin == SURVEYED
            findings.append(
                Finding(
                    "tracker inputs",
                    Severity.STOP if whole else Severity.CHECK,
                    "Strings",
                    "faces",
                    f"On no string of {converter.inverter.name}: {summary}. "
                    f"It has {len(converter.inverter.pv.trackers)} trackers.",
                    float(strings.homeless),
                    float(sum(face.plan.count for face in subject.context.survey.faces_then)),
                    "modules",
                    sheet,
                    lay_anew(subject, converter),
                )
            )
        if strings.faults:
            findings.append(
                Finding(
                    "string plan",
                    Severity.STOP,
                    "Strings",
                    "string_plans",
                    f"These strings cannot be wired: {'; '.join(strings.faults)}.",
                    rule=sheet,
                    mends=lay_anew(subject, converter),
                )
            )
    return findings


@check
def check_hot_voltage(subject):
    """A string must stay above the tracker's lower edge when it is hottest, start, and give full power."""
    alike = {}
    for converter in subject.design.pv_converters:
        for run in converter.stringing.runs:
            reading = _against_window(run, subject.context.temperatures)
            if reading:
                # Faces that read alike are named together.
                alike.setdefault(reading, []).append((converter, run.face.plan.name))
    findings = []
    for (key, severity, measured, limit, summary), where in alike.items():
        converter, names = where[0][0], list(dict.fromkeys(name for _, name in where))
        sentence = f"{' and '.join([', '.join(names[:-1]), names[-1]] if names[1:] else names)}: {summary}"
        sheet, mends = f"{converter.inverter.name}, datasheet", lay_anew(subject, converter)
        findings.append(Finding(key, severity, "Strings", "faces", sentence, measured, limit, "V", sheet, mends))
    return findings


def _against_window(run, temperatures):
    """The first edge of the tracker's window that a string misses; None when it misses none."""
    low_v, full_v, high_v, start_v = run.window
    hot_v, open_v = run.hot_v(temperatures), run.open_v(temperatures.hot_c)
    cold_v, rated_v = run.working_v(temperatures.cold_c), run.working_v(RATED_CELL_C)
    hot, edge = f"with cells at {temperatures.hot_c:.0f} °C", f"the tracker's lower edge of {low_v:.0f} V."
    if hot_v < low_v:
        return "hot voltage", Severity.STOP, hot_v, low_v, f"{hot_v:.0f} V {hot}, below {edge}"
    if open_v < start_v:
        summary = f"{open_v:.0f} V open {hot}; the input starts at {start_v:.0f} V."
        return "start voltage", Severity.STOP, open_v, start_v, summary
    if hot_v < low_v * 1.05:
        return "hot voltage", Severity.CHECK, hot_v, low_v, f"{hot_v:.0f} V {hot}, within 5% of {edge}"
    if rated_v < full_v:
        summary = f"{rated_v:.0f} V at full sun; this input gives full power from {full_v:.0f} V."
        return "full-power window", Severity.CHECK, rated_v, full_v, summary
    if cold_v > high_v:
        summary = f"its best voltage is {cold_v:.0f} V when coldest; the input tracks up to {high_v:.0f} V."
        return "full-power window", Severity.CHECK, cold_v, high_v, summary
    return None


@check
def check_input_current(subject):
    """Strings in parallel must not short harder than the input survives; what it cannot use is clipped."""
    findings = []
    for converter in subject.design.pv_converters:
        if converter.micro:
            continue
        sheet = f"{converter.inverter.name}, datasheet"
        for item in converter.stringing.inputs:
            if any(run.optimiser for run in item.runs):
                continue
            tracker, names = item.tracker, " and ".join(dict.fromkeys(run.face.plan.name for run in item.runs))
            if item.short_circuit_a > tracker.short_circuit_a:
                sentence = (
                    f"{names}: {item.short_circuit_a:.1f} A short-circuit from {item.strings} strings; input "
                    f"{item.number} survives {tracker.short_circuit_a:.1f} A."
                )
                findings.append(
                    Finding(
                        "short-circuit current",
                        Severity.STOP,
                        "Strings",
                        "faces",
                        sentence,
                        item.short_circuit_a,
                        tracker.short_circuit_a,
                        "A",
                        sheet,
                        lay_anew(subject, converter),
                    )
                )
            elif item.working_a > tracker.usable_a:
                share = 1 - tracker.usable_a / item.working_a
                sentence = (
                    f"{names}: {item.working_a:.1f} A at full sun; input {item.number} uses "
                    f"{tracker.usable_a:.1f} A, so up to {share:.0%} of it is clipped on bright days."
                )
                findings.append(
                    Finding(
                        "usable current",
                        Severity.CHECK,
                        "Strings",
                        "faces",
                        sentence,
                        item.working_a,
                        tracker.usable_a,
                        "A",
                        sheet,
                        lay_anew(subject, converter),
                    )
                )
    return findings


@check
def check_one_kind_per_input(subject):
    """One orientation a tracker; unlike faces in parallel cost something, unlike lengths are wrong."""
    findings = []
    for converter in subject.design.pv_converters:
        for item in converter.stringing.inputs:
            names = " and ".join(dict.fromkeys(run.face.plan.name for run in item.runs))
            if item.is_unequal:
                lengths = " and ".join(f"{run.in_series} × {run.module.name}" for run in item.runs)
                findings.append(
                    Finding(
                        "unequal strings",
                        Severity.STOP,
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
                    Finding(
                        "shared input",
                        Severity.CHECK if loss > 0.01 else Severity.OK,
                        "Strings",
                        "string_plans",
                        f"{names} share input {item.number} with equal strings in parallel: about {loss:.1%} of "
                        "their year is lost against a tracker for each.",
                        loss * 100,
                        1.0,
                        "%",
                        "single-diode shape from the datasheet, sampled over the year",
                    )
                )
    return findings
