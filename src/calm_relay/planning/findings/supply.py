"""The service: main fuse, phases, and what the network operator adds up."""

from calm_relay.planning.findings.base import Finding, Subject, check, grid_check, stops_if, warns, warns_if


@grid_check
def check_main_fuse(subject: Subject) -> list[Finding]:
    """What the house draws in the year must pass the main fuse."""
    supply = subject.job.supply
    worst_kw = float(subject.outcome.year.at_bus("import").max())
    limit_kw = supply.import_limit_kw
    over = worst_kw > limit_kw
    sentence = (
        f"Highest import {worst_kw:.1f} kW; the main fuse carries {limit_kw:.1f} kW ({supply.main_fuse_a:g} A)."
    )
    return [
        stops_if(
            over,
            "main fuse",
            "Grid",
            "supply.main_fuse_a",
            sentence,
            reading=(worst_kw, limit_kw, "kW"),
            rule="the service as surveyed",
        )
    ]


@check
def check_one_phase(subject: Subject) -> list[Finding]:
    """A single-phase unit on a three-phase supply backs up one phase only."""
    converter = subject.design.battery_converter
    if converter is None or subject.job.supply.phases != "three" or converter.inverter.phases == "three":
        return []
    return [
        warns(
            "one phase",
            "Home",
            "supply.phases",
            f"{converter.inverter.name} is single phase: when the grid is down only its own phase stays on.",
            reading=(1.0, 3.0, "phases"),
            rule="common practice, no source",
        )
    ]


@grid_check
def check_operator_sum(subject: Subject) -> list[Finding]:
    """The network operator adds up the AC rating of everything that can feed the bus."""
    design = subject.design
    if not design.new_converters:
        return []
    parts = " + ".join(f"{converter.inverter.ac_kw:g}" for converter in design.converters)
    total = f"{parts} = {design.counted_kw:g}" if len(design.converters) > 1 else parts
    return [
        warns(
            "operator's sum",
            "Grid",
            "tariff.export_limit_kw",
            f"The network operator counts {total} kW of inverter, whatever hangs on its DC side. "
            "Ask before ordering.",
            reading=(design.counted_kw, None, "kW"),
            rule="the network operator's connection rules, checked locally",
        )
    ]


@grid_check
def check_hybrid_counted(subject: Subject) -> list[Finding]:
    """Many operators count anything with PV terminals as a PV inverter, module or not."""
    idle = [
        converter
        for converter in subject.design.new_converters
        if converter.is_new and converter.inverter.pv is not None and not converter.has_array
    ]
    return [
        warns(
            "hybrid counted",
            "Grid",
            "supply.operator_counts",
            f"{converter.inverter.name} serves as a battery inverter here, but many operators count any inverter with "
            f"PV terminals as a PV inverter: {converter.inverter.ac_kw:g} kW more, with or without a module on it.",
            reading=(converter.inverter.ac_kw, None, "kW"),
            rule="the network operator's connection rules, checked locally",
        )
        for converter in idle
    ]


@grid_check
def check_notify(subject: Subject) -> list[Finding]:
    """Above so much inverter power on a phase the operator is asked before, not told after."""
    rule = subject.rules.of("notify kW per phase")
    if rule is None or not subject.design.new_converters:
        return []
    phases = 3 if subject.job.supply.phases == "three" else 1
    on_phase = sum(
        converter.inverter.ac_kw / (3 if converter.inverter.phases == "three" else 1)
        for converter in subject.design.converters
    )
    over = on_phase > rule.limit + 1e-9
    what = "apply before anything is ordered" if over else "notifying is enough"
    spread = " on the fullest phase" if phases == 3 else ""
    return [
        warns_if(
            over,
            "notify or apply",
            "Grid",
            "region",
            f"{on_phase:.2f} kW of inverter{spread}; {rule.rule.name} is {rule.limit:g} kW a phase: {what}.",
            reading=(on_phase, rule.limit, "kW"),
            rule=rule.authority,
        )
    ]
