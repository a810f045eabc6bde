"""The service: main fuse, phases, and what the network operator adds up."""

from calm_relay.planning.equipment.rules import rule_of
from calm_relay.planning.findings.base import Finding, Severity, check, street_check


@street_check
def check_main_fuse(subject):
    """What the house draws in the year must pass the main fuse."""
    supply = subject.job.supply
    worst_kw = float(subject.outcome.year.at_bus("import").max())
    limit_kw = supply.import_limit_kw
    over = worst_kw > limit_kw
    sentence = (
        f"Highest import {worst_kw:.1f} kW; the main fuse carries {limit_kw:.1f} kW ({supply.main_fuse_a:g} A)."
    )
    return [
        Finding(
            "main fuse",
            Severity.STOP if over else Severity.HOLD,
            "Street",
            "supply.main_fuse_a",
            sentence,
            worst_kw,
            limit_kw,
            "kW",
            "the service as surveyed",
        )
    ]


@check
def check_one_phase(subject):
    """A single-phase box on a three-phase supply backs up one phase only."""
    box = subject.design.store_box
    if box is None or subject.job.supply.phases != "three" or box.converter.phases == "three":
        return []
    return [
        Finding(
            "one phase",
            Severity.WATCH,
            "Home",
            "supply.phases",
            f"{box.converter.name} is single phase: when the street is dark only its own phase lives.",
            1.0,
            3.0,
            "phases",
            "common practice, no source",
        )
    ]


@street_check
def check_operator_sum(subject):
    """The network operator adds up the AC rating of everything that can feed the bus."""
    design = subject.design
    if not design.new_boxes:
        return []
    parts = " + ".join(f"{box.converter.ac_kw:g}" for box in design.boxes)
    total = f"{parts} = {design.counted_kw:g}" if len(design.boxes) > 1 else parts
    return [
        Finding(
            "operator's sum",
            Severity.WATCH,
            "Street",
            "tariff.export_limit_kw",
            f"The network operator counts {total} kW of inverter, whatever hangs on its DC side. "
            "Ask before buying.",
            design.counted_kw,
            None,
            "kW",
            "the network operator's connection rules, checked locally",
        )
    ]


@street_check
def check_hybrid_counted(subject):
    """Many operators count anything with PV terminals as a PV inverter, module or not."""
    idle = [
        box
        for box in subject.design.new_boxes
        if box.is_new and box.converter.pv is not None and not box.has_array
    ]
    return [
        Finding(
            "hybrid counted",
            Severity.WATCH,
            "Street",
            "supply.operator_counts",
            f"{box.converter.name} serves as a battery inverter here, but many operators count any inverter with "
            f"PV terminals as a PV inverter: {box.converter.ac_kw:g} kW more, with or without a module on it.",
            box.converter.ac_kw,
            None,
            "kW",
            "the network operator's connection rules, checked locally",
        )
        for box in idle
    ]


@street_check
def check_notify(subject):
    """Above so much inverter power on a phase the operator is asked before, not told after."""
    rule = rule_of(subject.job, "notify kW per phase")
    if rule is None or not subject.design.new_boxes:
        return []
    phases = 3 if subject.job.supply.phases == "three" else 1
    on_phase = sum(
        box.converter.ac_kw / (3 if box.converter.phases == "three" else 1) for box in subject.design.boxes
    )
    over = on_phase > rule.limit + 1e-9
    what = "apply before anything is bought" if over else "notifying is enough"
    spread = " on the fullest phase" if phases == 3 else ""
    return [
        Finding(
            "notify or apply",
            Severity.WATCH if over else Severity.HOLD,
            "Street",
            "region",
            f"{on_phase:.2f} kW of inverter{spread}; {rule.rule.name} is {rule.limit:g} kW a phase: {what}.",
            on_phase,
            rule.limit,
            "kW",
            rule.authority,
        )
    ]
