"""Optimisers and microinverters: what each module's own electronics ask for."""

from collections.abc import Iterator
from math import ceil

from calm_relay.job.equipment import ISC_FACTOR, Module, Optimiser, by_price
from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import branches_of, is_spread, units_on_branch
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import micro_refusals
from calm_relay.planning.common.amounts import rated_text
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.findings.base import Finding, Mend, Severity, Subject, check, judged, stops, stops_if
from calm_relay.planning.findings.strings import lay_anew
from calm_relay.planning.strings.limits import rear_gain
from calm_relay.planning.strings.stringing import StringRun


@check
def check_optimiser_strings(subject: Subject) -> list[Finding]:
    """Too few optimisers in a string and the inverter refuses to run; too many or too strong and it trips."""
    findings = []
    for converter in subject.design.pv_converters:
        chains: dict[int, list[StringRun]] = {}
        for run in converter.stringing.runs:
            if run.optimiser:
                chains.setdefault(run.chain, []).append(run)
        for chain, runs in chains.items():
            findings.append(_string_of_optimisers(subject, converter, chain, runs))
        findings += _under_each(subject, converter)
    return findings


def _optimisers(
    subject: Subject,
    converter: Converter,
    severity: Severity,
    sentence: str,
    measured: float | None = None,
    limit: float | None = None,
    unit: str = "",
    rule: str = "",
    mends: tuple[Mend, ...] | None = None,
) -> Finding:
    if mends is None:
        mends = () if severity is Severity.OK else lay_anew(subject, converter)
    return judged(
        severity,
        "optimiser strings",
        "Strings",
        "string_plans",
        sentence,
        reading=(measured, limit, unit),
        rule=rule,
        mends=mends,
    )


def _string_of_optimisers(subject: Subject, converter: Converter, chain: int, runs: list[StringRun]) -> Finding:
    """Number and power of one string against the optimiser's limits."""
    optimiser, modules = runs[0].optimiser, sum(run.in_series for run in runs)
    assert optimiser is not None, "a chain is one of optimisers"
    power_w = sum(run.in_series * run.module.power_w for run in runs)
    low, high, most_w = optimiser.string_min, optimiser.string_max, optimiser.string_power_w
    where = f"String {chain} on input {runs[0].tracker_number}"
    count = float(modules), float(low if modules < low else high), "modules"
    power = power_w, most_w, "W"
    if modules < low:
        summary = f"{modules} optimisers, and from {low} on the inverter runs at all."
        severity, figures = Severity.STOP, count
    elif modules > high:
        severity, figures, summary = Severity.STOP, count, f"{modules} optimisers; a string ends at {high}."
    elif power_w > most_w:
        summary = f"{power_w:,.0f} W of modules; a string ends at {most_w:,.0f} W."
        severity, figures = Severity.STOP, power
    else:
        summary = f"{modules} optimisers, between {low} and {high}; {power_w:,.0f} of {most_w:,.0f} W."
        severity, figures = Severity.OK, power
    return _optimisers(
        subject, converter, severity, f"{where}: {summary}", *figures, f"{optimiser.name}, datasheet"
    )


def _under_each(subject: Subject, converter: Converter) -> Iterator[Finding]:
    """Whether the inverter speaks to the optimisers, and whether each bears its module."""
    pairs = dict.fromkeys((run.optimiser, run.module) for run in converter.stringing.runs if run.optimiser)
    for optimiser in dict.fromkeys(optimiser for optimiser, _ in pairs):
        if not (optimiser.any_inverter or optimiser.key in converter.inverter.pv_side.optimisers):
            sentence = f"{converter.name} does not speak to {optimiser.name}."
            yield _optimisers(subject, converter, Severity.STOP, sentence, rule=f"{optimiser.name}, datasheet")
    for optimiser, module in pairs:
        if module.power_w > optimiser.power_w:
            sentence = (
                f"{module.name} gives up to {module.power_w:g} W; {optimiser.name} takes {optimiser.power_w:g} W "
                "and clips the rest."
            )
            sheet = f"{optimiser.name}, datasheet"
            figures = module.power_w, optimiser.power_w, "W"
            mends = _fitting_optimiser(subject, converter, optimiser, module)
            yield _optimisers(subject, converter, Severity.CHECK, sentence, *figures, sheet, mends)
    for optimiser, module, gain in dict.fromkeys(
        (run.optimiser, run.module, rear_gain(run.module, run.face.plan.mounting))
        for run in converter.stringing.runs
        if run.optimiser
    ):
        amps = ISC_FACTOR * gain * module.short_circuit_a
        if amps > optimiser.short_circuit_a + 1e-9:
            sentence = (
                f"{module.name} may give {amps:.1f} A shorted in bright light ({ISC_FACTOR:g} times its rating"
                f"{', and light on its back' if gain > 1 else ''}); {optimiser.name} survives "
                f"{optimiser.short_circuit_a:g} A."
            )
            sheet = f"{optimiser.name}, datasheet; IEC 62548-1, NEC 690.8(A)(1)"
            figures = amps, optimiser.short_circuit_a, "A"
            mends = _fitting_optimiser(subject, converter, optimiser, module)
            yield _optimisers(subject, converter, Severity.STOP, sentence, *figures, sheet, mends)


def _fitting_optimiser(
    subject: Subject, converter: Converter, under: Optimiser, module: Module
) -> tuple[Mend, ...]:
    """The cheapest optimiser of the catalogue that bears a module and that the inverter speaks to."""
    runs = [run for run in converter.stringing.runs if (run.optimiser, run.module) == (under, module)]
    shorted_a = ISC_FACTOR * module.short_circuit_a * max(rear_gain(module, r.face.plan.mounting) for r in runs)
    fitting = [
        item
        for item in subject.context.equipment.on_offer.optimisers
        if (item.any_inverter or item.key in converter.inverter.pv_side.optimisers)
        and item.power_w >= module.power_w
        and item.short_circuit_a >= shorted_a
        and item.max_v >= module.open_circuit_v
    ]
    if not fitting:
        return ()
    taken = min(fitting, key=by_price)
    names = tuple(dict.fromkeys(run.face.plan.name for run in runs))

    def apply(job: Job) -> Job:
        faces = (face.with_(electronics=taken.key) if face.name in names else face for face in job.faces)
        return job.with_(faces=tuple(faces))

    return (Mend(f"Take the {taken.name} under {joined(names)}", apply),)


def _fitting_micro(subject: Subject, run: StringRun) -> tuple[Mend, ...]:
    """The cheapest microinverter of the catalogue that suits a face's module."""
    context = subject.context
    fitting = [
        item
        for item in context.equipment.on_offer.microinverters
        if not micro_refusals(item, run.module, context.temperatures, subject.job)
    ]
    if not fitting:
        return ()
    taken = min(fitting, key=by_price)
    at = subject.job.faces.index(run.face.plan)
    label = f"Take the {taken.name} on {run.face.plan.name}"
    return (Mend(label, lambda job: job.with_face(at, electronics=taken.key)),)


@check
def check_microinverters(subject: Subject) -> list[Finding]:
    """Each unit must suit its module, and a branch circuit carries so many of them."""
    findings = []
    rule = subject.rules.of("branch share")
    for number, converter in enumerate(subject.design.converters):
        if converter.micro is None:
            continue
        micro, run = converter.micro, converter.stringing.runs[0]
        sheet = f"{micro.name}, datasheet"
        # That one which is there falls out when hot is told with the strings.
        there = not converter.is_new
        for reason in micro_refusals(micro, run.module, subject.context.temperatures, subject.job, there=there):
            findings.append(
                stops(
                    "microinverter",
                    "Strings",
                    "faces",
                    f"{reason}.",
                    rule=sheet,
                    mends=_fitting_micro(subject, run),
                )
            )
        share = rule.limit if rule else 1.0
        most = units_on_branch(micro, share)
        spread = is_spread(subject.design, subject.job.supply, number)
        branches = branches_of(converter, share, spread=spread)
        amps = ceil(run.parallel / branches) * micro.ac_a if branches else run.parallel * micro.ac_a
        held = f"{share:.0%} of {rated_text(micro.branch_breaker_a, 'breaker')}" if share < 1 else "a breaker"
        sentence = (
            f"{run.face.plan.name}: {counted(run.parallel, 'unit')} of {micro.ac_a:g} A; {held} carries {most} of "
            f"them, so {branches} branch circuit{'s' * (branches != 1)}{', as many on each phase' if spread else ''}."
        )
        findings.append(
            stops_if(
                not branches,
                "branch circuits",
                "Strings",
                "faces",
                sentence,
                reading=(amps, micro.branch_breaker_a * share, "A"),
                rule=rule.authority if rule else sheet,
            )
        )
    return findings
