"""What the inverter passes while the grid is up against what it gives in an outage, and who starts black."""

from functools import partial

from calm_relay.job.existing_supply import ON_CHANGEOVER
from calm_relay.job.model import Job, Supply
from calm_relay.planning.architecture.bus_rating import arrays_left_off, phase_of
from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.common.vocabulary import vocabulary_of
from calm_relay.planning.findings.backed_up_loads import shed_to_fit
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Severity,
    Subject,
    advises,
    check,
    grid_check,
    judged,
    passes,
    warns,
    warns_if,
)
from calm_relay.planning.findings.battery import stronger
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads
from calm_relay.planning.operation.fuel import OFTEN_AWAY, share_away, stand_in
from calm_relay.planning.operation.island import forms_grid, wakes_by_arrays_beside


@grid_check
def check_grid_down(subject: Subject) -> list[Finding]:
    """The pass-through figure is no backup capacity."""
    job = subject.job
    converter, on_backup = subject.design.battery_converter, subject.outcome.backup
    wanted = job.weight("ride_through_outage") > 0
    if converter is None or converter.inverter.backup is None:
        what = _nobody(subject) if converter is None else f"{converter.name} has no backup output"
        return [
            warns_if(
                wanted,
                "grid down",
                "Home",
                "battery",
                f"{what}: the house is off{', and the array with it' if subject.context.faces else ''}.",
                reading=(0.0, subject.context.demand.evening_peak_kw, "kW"),
                rule="common practice, no source",
            )
        ]
    peak_kw, place = on_backup.peak_kw, on_backup.place
    backup = converter.inverter.backup
    volts = converter.inverter.volts * converter.inverter.circuit.factor
    passes_kw = backup.pass_through_a * volts / 1000.0
    gives, peak = in_pair(on_backup.power_kw, peak_kw)
    sentence = (
        f"{backup.pass_through_a:g} A pass-through is {passes_kw:.1f} kW while the grid is up. "
        f"In an outage this unit gives {gives} kW ({on_backup.power_kw * 1000 / volts:.0f} A)"
    )
    sentence += f"; the worst evening half hour{f' on {place}' if place else ''} asks {peak} kW"
    on_kw = _on_kw(subject)
    if on_backup.power_kw >= peak_kw:
        sentence += "."
        mends: tuple[Mend, ...] = ()
        severity = Severity.OK
    elif on_kw is not None and on_kw <= on_backup.power_kw:
        sentence += f", but what the backed-up loads keep on in an outage stacks up to {on_kw:.1f} kW."
        mends = ()
        severity = Severity.OK
    else:
        sentence += ": shed load, or it trips with charge left."
        severity = Severity.CHECK if wanted else Severity.OK
        mends = (*_shed(subject, on_backup.power_kw), *stronger(subject, converter, islanded=True))
    return [
        judged(
            severity,
            "grid down",
            "Home",
            "battery",
            sentence,
            reading=(on_backup.power_kw, peak_kw, "kW"),
            rule=f"{converter.inverter.name}, datasheet",
            mends=mends,
        )
    ]


def _nobody(subject: Subject) -> str:
    """That nothing stands in by itself, and what a generator that is there would need."""
    there = [item for item in subject.job.generators if not item.goes]
    switched = next((item for item in there if item.on == ON_CHANGEOVER), None)
    if switched is not None:
        return f"Until {switched.name} is started and switched over nothing stands in when the grid fails"
    if there:
        return (
            f"Nothing here stands in when the grid fails, for {there[0].name} feeds no changeover and no inverter"
        )
    return "Nothing here stands in when the grid fails"


@advises
@check
def check_who_stands_together(subject: Subject) -> list[Finding]:
    """Which of several batteries serve in an outage: those whose units their maker lets form a grid together."""
    design = subject.design
    lead = design.battery_converter
    if not forms_grid(lead):
        return []
    findings = []
    when = f" {vocabulary_of(subject.job.supply).in_an_outage}".rstrip()
    for other in design.converters:
        if other is lead or not other.has_battery:
            continue
        name = other.name
        if other in design.together:
            sentence = f"{name} ({other.bank.usable_kwh:.1f} kWh) stands with {lead.name} as one{when}."
        else:
            sentence = (
                f"{name} and its {other.bank.usable_kwh:.1f} kWh stay off{when}: it is not of a kind that forms a "
                f"grid together with {lead.name}."
            )
        findings.append(passes("stands together", "Battery", "battery", sentence, rule="datasheets"))
    return findings


@grid_check
def check_arrays_left_off(subject: Subject) -> list[Finding]:
    """Which arrays an outage takes although something forms a grid: those on phases that it does not feed."""
    design, supply = subject.design, subject.job.supply
    if not forms_grid(design.battery_converter):
        return []
    lead = design.leader
    served, wanted = phase_of(design, supply, lead), subject.job.weight("ride_through_outage") > 0
    findings, places = [], supply.circuit.places
    for other in arrays_left_off(design, supply):
        on = phase_of(design, supply, other)
        there = supply.with_(single_on=on) if on and not any(unit.found_on for unit in design.together) else None
        findings.append(
            warns_if(
                wanted,
                "array left off",
                "Home",
                "supply.single_on",
                f"{other.name} ({other.array_kw:.1f} kWp) hangs on {places[on - 1] if on else 'all phases'}; "
                f"in an outage {lead.name} feeds {places[served - 1]} alone, and its array is off.",
                rule="common practice, no source",
                mends=(
                    Mend(
                        f"New single-phase units on {places[(on or 1) - 1]}", partial(_with_supply, supply=there)
                    ),
                )
                if wanted and there
                else (),
            )
        )
    return findings


def _with_supply(job: Job, supply: Supply) -> Job:
    return job.with_(supply=supply)


@check
def check_black_start(subject: Subject) -> list[Finding]:
    """After a flat battery only modules on the former's own DC bus, or a generator, bring the house back."""
    converter, job = subject.design.battery_converter, subject.job
    if not forms_grid(converter):
        return []
    when = vocabulary_of(job.supply).after_a_flat_battery
    if converter.has_array and converter.backup.black_start:
        sentence = f"{when} modules on its own DC bus bring the house back."
        return [passes("black start", "Battery", "battery", sentence, rule="datasheets")]
    if job.generator is not None and converter.backup.generator_input:
        sentence = f"{when} the generator brings the house back."
        return [passes("black start", "Battery", "battery", sentence, rule="datasheets")]
    wakes = converter.backup
    if wakes_by_arrays_beside(subject.design, job.supply):
        how = (
            f"it holds {wakes.held_reserve:.0%} back and wakes with its loads off when there is sun"
            if wakes.held_reserve > 0
            else f"it tries again at {wakes.retries_at} with its loads off"
        )
        sentence = f"{when} the arrays on its bus bring the house back: {how}."
        return [
            passes("black start", "Battery", "battery", sentence, rule=f"{converter.inverter.name}, datasheet")
        ]
    if not subject.design.pv_converters:
        sentence = f"{when} nothing charges it: the house stays off until the grid is back."
        return [passes("black start", "Battery", "battery", sentence, rule="no array, no generator")]
    why = "cannot start black" if converter.has_array else "has no modules on its own DC bus"
    sentence = f"{converter.name} {why}: {when[:1].lower()}{when[1:]} sun alone does not bring the house back."
    severity = Severity.OK if job.supply.on_grid else Severity.CHECK
    return [judged(severity, "black start", "Battery", "battery", sentence, rule="common practice, no source")]


def _on(subject: Subject) -> BackedUpLoads | None:
    """The circuits that stay on in an outage; None without a board."""
    if not forms_grid(subject.design.battery_converter) or subject.job.backup_board is None:
        return None
    return subject.behind_relay.when_full


def _on_kw(subject: Subject) -> float | None:
    on = _on(subject)
    return None if on is None else float(on.stacked_kw[on.worst_step])


def _shed(subject: Subject, limit_kw: float) -> tuple[Mend, ...]:
    on = _on(subject)
    return () if on is None else shed_to_fit(subject.job, subject.context.demand, on, limit_kw)


@advises
@grid_check
def check_grid_often_away(subject: Subject) -> list[Finding]:
    """A grid that is away for much of the year is in every hour of the one that is simulated."""
    job, share = subject.job, share_away(subject.job)
    if not share:
        return []
    money = (
        "bill and saving are too high by about as much, and"
        if stand_in(job) is None
        else "what that would charge in those hours is left out and the generator's fuel counted, but"
    )
    return [
        warns(
            "grid often away",
            "Home",
            "finance.outage_hours",
            f"The grid is away for {job.finance.outage_hours:,.0f} h a year, {share:.0%} of it, and the year is "
            f"simulated with it in every hour: {money} the battery is emptied more often than that year shows.",
            reading=(share * 100.0, OFTEN_AWAY * 100.0, "%"),
            rule="simulated year; hours as the job has them",
        )
    ]
