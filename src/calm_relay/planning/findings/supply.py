"""The service: main fuse, phases, and what the network operator adds up."""

from calm_relay.planning.findings.base import Finding, Severity, check


@check
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


@check
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
