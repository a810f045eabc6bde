"""What the box passes while the street is alive against what it gives in the dark, and who starts black."""

from calm_relay.planning.equipment.bank import discharge_ac_kw
from calm_relay.planning.findings.backed_up_loads import shed_to_fit
from calm_relay.planning.findings.base import Finding, Severity, check, street_check
from calm_relay.planning.findings.battery import stronger_converter
from calm_relay.planning.operation.island import forms_grid


@street_check
def check_grid_down(subject):
    """The pass-through figure is no backup capacity."""
    job, demand = subject.job, subject.ground.demand
    box, dark = subject.design.store_box, subject.outcome.dark
    peak_kw = demand.evening_peak_kw
    wanted = job.weight("ride_through_outage") > 0
    if box is None or box.converter.backup is None:
        what = (
            "Nothing here stands in when the street goes dark"
            if box is None
            else f"{box.converter.name} has no backup output"
        )
        return [
            Finding(
                "grid down",
                Severity.WATCH if wanted else Severity.HOLD,
                "Home",
                "store",
                f"{what}: the house is dark, and the array with it.",
                0.0,
                peak_kw,
                "kW",
                "common practice, no source",
            )
        ]
    backup = box.converter.backup
    volts = box.converter.volts * (3 if box.converter.phases == "three" else 1)
    passes_kw = backup.pass_through_a * volts / 1000.0
    sentence = (
        f"{backup.pass_through_a:g} A pass-through is {passes_kw:.1f} kW while the street is alive. "
        f"When it is dark this box gives {dark.power_kw:.1f} kW ({dark.power_kw * 1000 / volts:.0f} A)"
    )
    sentence += f"; the worst evening half hour asks {peak_kw:.1f} kW"
    on_kw = _on_kw(subject)
    if dark.power_kw >= peak_kw:
        sentence += "."
        severity, mends = Severity.HOLD, ()
    elif on_kw is not None and on_kw <= dark.power_kw:
        sentence += f", but what the board keeps on in the dark stacks up to {on_kw:.1f} kW."
        severity, mends = Severity.HOLD, ()
    else:
        sentence += ": shed load, or it trips with charge left."
        severity = Severity.WATCH if wanted else Severity.HOLD
        mend = stronger_converter(
            subject,
            box,
            lambda item: (
                item.backup is not None
                and min(item.backup.continuous_kw, discharge_ac_kw(box.bank, item)[0]) > dark.power_kw * 1.05
            ),
        )
        mends = (*_shed(subject, dark.power_kw), *((mend,) if mend else ()))
    return [
        Finding(
            "grid down",
            severity,
            "Home",
            "store",
            sentence,
            dark.power_kw,
            peak_kw,
            "kW",
            f"{box.converter.name}, datasheet",
            mends,
        )
    ]


@check
def check_black_start(subject):
    """After a flat store only modules on the former's own DC bus, or a generator, bring the house back."""
    box, job = subject.design.store_box, subject.job
    if not forms_grid(box):
        return []
    when = "In an outage, after a flat store" if job.supply.street else "After a flat store"
    if box.has_array and box.converter.backup.black_start:
        sentence = f"{when} modules on its own DC bus bring the house back."
        return [Finding("black start", Severity.HOLD, "Store", "store", sentence, rule="datasheets")]
    if job.generator is not None and box.converter.backup.generator_input:
        sentence = f"{when} the generator brings the house back."
        return [Finding("black start", Severity.HOLD, "Store", "store", sentence, rule="datasheets")]
    why = "cannot start black" if box.has_array else "has no modules on its own DC bus"
    sentence = f"{box.converter.name} {why}: {when[:1].lower()}{when[1:]} sun alone does not bring the house back."
    severity = Severity.HOLD if job.supply.street else Severity.WATCH
    return [Finding("black start", severity, "Store", "store", sentence, rule="common practice, no source")]


def _on(subject):
    """The circuits that stay on in the dark; None without a board."""
    rows = subject.behind_relay()
    return None if rows is None or subject.job.board is None else rows.when_full


def _on_kw(subject):
    on = _on(subject)
    return None if on is None else float(on.stacked_kw[on.worst_step])


def _shed(subject, limit_kw):
    on = _on(subject)
    return () if on is None else shed_to_fit(subject.job, on, limit_kw)
