"""Optimisers and microinverters: what each module's own electronics ask for."""

from math import ceil, floor

from calm_relay.planning.findings.base import Finding, Mend, Severity, check
from calm_relay.planning.findings.strings import lay_anew
from calm_relay.planning.refusals import micro_refusals
from calm_relay.planning.rules import rule_of


@check
def check_optimiser_strings(subject):
    """Too few optimisers in a string and the inverter refuses to run; too many or too strong and it trips."""
    found = []
    for box in subject.design.pv_boxes:
        chains = {}
        for run in box.stringing.runs:
            if run.optimiser:
                chains.setdefault(run.chain, []).append(run)
        spoken = set()
        for chain, runs in chains.items():
            optimiser, modules = runs[0].optimiser, sum(run.in_series for run in runs)
            power_w = sum(run.in_series * run.module.power_w for run in runs)
            sheet = f"{optimiser.name}, datasheet"
            where = f"String {chain} on input {runs[0].tracker_number}"

            def add(severity, sentence, measured, limit, unit, sheet=sheet, box=box):
                found.append(
                    Finding(
                        "optimiser strings",
                        severity,
                        "Strings",
                        "string_plans",
                        sentence,
                        measured,
                        limit,
                        unit,
                        sheet,
                        () if severity is Severity.HOLD else lay_anew(subject, box),
                    )
                )

            if modules < optimiser.string_min:
                add(
                    Severity.STOP,
                    f"{where}: {modules} optimisers, and from {optimiser.string_min} on the inverter runs at all.",
                    float(modules),
                    float(optimiser.string_min),
                    "modules",
                )
            elif modules > optimiser.string_max:
                add(
                    Severity.STOP,
                    f"{where}: {modules} optimisers; a string ends at {optimiser.string_max}.",
                    float(modules),
                    float(optimiser.string_max),
                    "modules",
                )
            elif power_w > optimiser.string_power_w:
                add(
                    Severity.STOP,
                    f"{where}: {power_w:,.0f} W of modules; a string ends at {optimiser.string_power_w:,.0f} W.",
                    power_w,
                    optimiser.string_power_w,
                    "W",
                )
            else:
                add(
                    Severity.HOLD,
                    f"{where}: {modules} optimisers, between {optimiser.string_min} and {optimiser.string_max}; "
                    f"{power_w:,.0f} of {optimiser.string_power_w:,.0f} W.",
                    power_w,
                    optimiser.string_power_w,
                    "W",
                )
            speaks = optimiser.any_inverter or optimiser.key in box.converter.pv.optimisers
            if not speaks and optimiser.key not in spoken:
                spoken.add(optimiser.key)
                add(
                    Severity.STOP,
                    f"{box.converter.name} does not speak to {optimiser.name}.",
                    None,
                    None,
                    "",
                )
            for run in runs:
                if run.module.power_w > optimiser.power_w:
                    add(
                        Severity.WATCH,
                        f"{run.module.name} gives up to {run.module.power_w:g} W; {optimiser.name} takes "
                        f"{optimiser.power_w:g} W and clips the rest.",
                        run.module.power_w,
                        optimiser.power_w,
                        "W",
                    )
    return found


def _fitting_micro(subject, run):
    """The cheapest microinverter of the catalogue that suits a face's module."""
    ground = subject.ground
    fitting = [
        item
        for item in ground.kit.catalogue.microinverters
        if not micro_refusals(item, run.module, ground.temperatures, subject.job)
    ]
    if not fitting:
        return ()
    taken = min(fitting, key=lambda item: (item.price, item.key))
    at = subject.job.faces.index(run.face.plan)
    label = f"Take the {taken.name} on {run.face.plan.name}"
    return (Mend(label, lambda job: job.with_face(at, electronics=taken.key)),)


@check
def check_microinverters(subject):
    """Each unit must suit its module, and a branch circuit carries so many of them."""
    found = []
    rule = rule_of(subject.job, "branch share")
    for box in subject.design.boxes:
        if box.micro is None:
            continue
        micro, run = box.micro, box.stringing.runs[0]
        sheet = f"{micro.name}, datasheet"
        for reason in micro_refusals(micro, run.module, subject.ground.temperatures, subject.job):
            found.append(
                Finding(
                    "microinverter",
                    Severity.STOP,
                    "Strings",
                    "faces",
                    f"{reason}.",
                    rule=sheet,
                    mends=_fitting_micro(subject, run),
                )
            )
        share = rule.limit if rule else 1.0
        most = floor(micro.branch_breaker_a * share / micro.ac_a + 1e-9)
        if micro.branch_units_max is not None:
            most = min(most, micro.branch_units_max)
        branches = ceil(run.parallel / most) if most else 0
        amps = ceil(run.parallel / branches) * micro.ac_a if branches else run.parallel * micro.ac_a
        held = f"{share:.0%} of a {micro.branch_breaker_a:g} A breaker" if share < 1 else "a breaker"
        sentence = (
            f"{run.face.plan.name}: {run.parallel} units of {micro.ac_a:g} A; {held} carries {most} of them, so "
            f"{branches} branch circuit{'s' * (branches != 1)}."
        )
        found.append(
            Finding(
                "branch circuits",
                Severity.HOLD if branches else Severity.STOP,
                "Strings",
                "faces",
                sentence,
                amps,
                micro.branch_breaker_a * share,
                "A",
                rule.authority if rule else sheet,
            )
        )
    return found
