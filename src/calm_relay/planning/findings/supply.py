"""The service: main fuse, phases, and what the network operator adds up."""

from dataclasses import replace
from functools import partial
from math import inf, sqrt

import numpy as np

from calm_relay.job.assumed import confirmed
from calm_relay.job.equipment import grid_range
from calm_relay.job.model import Job, Supply
from calm_relay.planning.architecture.bus_rating import place_served
from calm_relay.planning.architecture.refusals import site_refusals
from calm_relay.planning.architecture.unbalance import unbalance_of
from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.common.joined import joined
from calm_relay.planning.equipment.rules import InForce
from calm_relay.planning.findings.base import (
    Drawn,
    Finding,
    Mend,
    Severity,
    Subject,
    advises,
    as_drawn,
    check,
    grid_check,
    judged,
    warns,
    warns_if,
)
from calm_relay.planning.findings.battery import on_all_phases
from calm_relay.planning.operation.backed_up_loads import BRIEFLY, served_share
from calm_relay.planning.operation.island import forms_grid, leg_volts
from calm_relay.planning.operation.phases import home_alone_kw, import_by_phase, phase_peaks_kw
from calm_relay.planning.site.grid_code import known_hertz

# Hours from which a load is continuous: NEC 100 and CSA C22.1 8-104 (from memory).
CONTINUOUS_H = 3.0
FUSE, VOLTS = "supply.main_fuse_a", "supply.volts"
# A grid sags by so much on an ordinary evening: common practice, no source.
SAGS = 0.06
# Below it nothing is fed that a fuse would notice [A].
LITTLE_A = 0.5
# From this share on, what is to stay on counts as reached.
ALL_OF_IT = 0.995


@grid_check
def check_main_fuse(subject: Subject) -> list[Finding]:
    """What each phase or leg draws in the year, charging included, must pass the main fuse."""
    supply = subject.job.supply
    peaks_kw, fed_kw = phase_peaks_kw(subject.design, subject.job, subject.context.demand, subject.outcome.year)
    worst = int(peaks_kw.argmax())
    worst_kw = float(peaks_kw[worst])
    volts = leg_volts(supply.phases, supply.volts)
    limit_kw = supply.main_fuse_a * volts / 1000.0
    name = supply.circuit.on_conductor(worst)
    briefly_kw = worst_kw * BRIEFLY
    sentence = f"Highest import{name}, {_against_fuse(worst_kw, supply)}"
    severity, mends = Severity.OK, _lighter(subject, worst, peaks_kw)
    if worst_kw > limit_kw and FUSE in subject.job.assumed:
        severity = Severity.CHECK
        sentence += " What it is rated for is assumed: read it, or the option may have to keep below it."
    elif (
        worst_kw > limit_kw
        and worst_kw <= home_alone_kw(subject.design, subject.job, subject.context.demand) + 1e-9
    ):
        severity = Severity.CHECK
        sentence += (
            " The home alone draws no less by what is stated of it: measure its peak, or ask for more service."
        )
    elif worst_kw > limit_kw:
        severity = Severity.STOP
    elif briefly_kw > limit_kw:
        severity = Severity.CHECK
        briefly, _, unit = _reading(briefly_kw, supply)
        sentence += f" For minutes it may be {briefly:.{0 if unit == 'A' else 1}f} {unit}."
    return [
        judged(
            severity,
            "main fuse",
            "Grid",
            FUSE,
            sentence,
            reading=_reading(worst_kw, supply),
            rule="the service as surveyed; peaks inside a quarter hour: Wright and Firth 2007, from memory",
            mends=mends if worst_kw > limit_kw else (),
        ),
        *_fed(subject, fed_kw, limit_kw),
    ]


def _fed(subject: Subject, fed_kw: np.ndarray, limit_kw: float) -> list[Finding]:
    """What each phase or leg feeds into the grid must pass the main fuse too."""
    supply = subject.job.supply
    worst = int(fed_kw.argmax())
    worst_kw = float(fed_kw[worst])
    volts = leg_volts(supply.phases, supply.volts)
    if worst_kw * 1000.0 < LITTLE_A * volts:
        return []
    name = supply.circuit.on_conductor(worst)
    sentence = f"Highest export{name}, {_against_fuse(worst_kw, supply)}"
    over = worst_kw > limit_kw + 1e-9
    severity = Severity.STOP if over else Severity.OK
    if over and FUSE in subject.job.assumed:
        severity = Severity.CHECK
        sentence += " What it is rated for is assumed: read it."
    return [
        judged(
            severity,
            "main fuse, fed",
            "Grid",
            FUSE,
            sentence,
            reading=_reading(worst_kw, supply),
            rule="the service as surveyed",
            mends=_held_back(fed_kw, limit_kw) if over else (),
        )
    ]


def _reading(worst_kw: float, supply: Supply) -> tuple[float, float, str]:
    """What the fullest conductor carries and what the fuse lets it: without neutral no power is that of a line."""
    volts = leg_volts(supply.phases, supply.volts)
    if not supply.circuit.has_neutral:
        return worst_kw * 1000.0 / volts, supply.main_fuse_a, "A"
    return worst_kw, supply.main_fuse_a * volts / 1000.0, "kW"


def _against_fuse(worst_kw: float, supply: Supply) -> str:
    volts, fuse_a = leg_volts(supply.phases, supply.volts), supply.main_fuse_a
    if not supply.circuit.has_neutral:
        worst, limit = in_pair(worst_kw * 1000.0 / volts, fuse_a, 0)
        return f"mean of a quarter hour, {worst} A; the main fuse carries {limit} A."
    worst, limit = in_pair(worst_kw, fuse_a * volts / 1000.0)
    worst_a, _ = in_pair(worst_kw * 1000.0 / volts, fuse_a, 0)
    return f"mean of a quarter hour, {worst} kW ({worst_a} A); the main fuse carries {limit} kW ({fuse_a:g} A)."


def _held_back(fed_kw: np.ndarray, limit_kw: float) -> tuple[Mend, ...]:
    """An export limit of the whole site at which the fullest phase feeds what its fuse carries, where one is enough."""
    alike = fed_kw.size == 1 or float(fed_kw.max() - fed_kw.min()) < 0.1 * float(fed_kw.max())
    kw = np.floor(limit_kw * fed_kw.size * float(fed_kw.mean() / fed_kw.max()) * 10.0) / 10.0
    if not alike or kw <= 0.0:
        return ()
    return (Mend(f"Limit export to {kw:g} kW", partial(with_export_limit, kw=float(kw))),)


@advises
@grid_check
def check_continuous_import(subject: Subject) -> list[Finding]:
    """What the import holds for three hours, where the region lets a main breaker carry only a share of its rating."""
    rule = subject.rules.of("service share")
    if rule is None:
        return []
    supply = subject.job.supply
    phases_kw = import_by_phase(subject.design, subject.job, subject.context.demand, subject.outcome.year)
    steps = round(CONTINUOUS_H / subject.outcome.year.step_h)
    summed = np.cumsum(phases_kw, axis=1)
    held_kw = (summed[:, steps:] - summed[:, :-steps]) / steps
    leg, at = np.unravel_index(int(held_kw.argmax()), held_kw.shape)
    amps = float(held_kw[leg, at]) * 1000.0 / leg_volts(supply.phases, supply.volts)
    allowed_a = supply.main_fuse_a * rule.limit
    where = supply.circuit.on_conductor(int(leg))
    return [
        warns_if(
            amps > allowed_a,
            "continuous import",
            "Grid",
            "supply.main_fuse_a",
            f"Over {CONTINUOUS_H:g} hours the import{where} holds up to {amps:.0f} A; for so long the main breaker of "
            f"{supply.main_fuse_a:g} A carries {allowed_a:.0f} A.",
            reading=(amps, allowed_a, "A"),
            rule=rule.authority,
        )
    ]


def _lighter(subject: Subject, worst: int, peaks_kw: np.ndarray) -> tuple[Mend, ...]:
    """Hangs single-phase units on another phase where that is enough."""
    supply = subject.job.supply
    design = subject.design
    on = zip(design.converters, design.phases(supply), strict=True)
    if (
        not supply.circuit.has_neutral
        or supply.single_on != worst + 1
        or not any(phase == worst + 1 and unit.found_on is None for unit, phase in on)
    ):
        return ()
    best = int(peaks_kw.argmin()) + 1
    changed = supply.with_(single_on=best)
    return (
        Mend(f"Single-phase units on {supply.circuit.places[best - 1]}", lambda job: job.with_(supply=changed)),
    )


@check
def check_one_phase(subject: Subject) -> list[Finding]:
    """A single-phase unit on a three-phase supply backs up one phase only."""
    converter = subject.design.battery_converter
    if (
        not forms_grid(converter)
        or not subject.job.supply.circuit.has_three_phases
        or converter.inverter.phases != "single"
    ):
        return []
    job, served = subject.job, served_share(subject.design, subject.job, subject.context.demand)
    wanted = not job.supply.on_grid or job.weight("ride_through_outage") > 0
    over = wanted and served < ALL_OF_IT
    on = place_served(subject.design, job.supply)
    when, what = (
        ("when the grid is down", "what is to stay on") if job.supply.on_grid else ("off grid", "the demand")
    )
    sentence = f"{converter.name} is single phase: {when} only {on} is on, {served:.0%} of {what}."
    return [
        warns_if(
            over,
            "one phase",
            "Home",
            "supply.phases",
            sentence,
            reading=(1.0, 3.0, "phases"),
            rule="common practice, no source",
            mends=on_all_phases(subject, converter) if over else (),
        )
    ]


@grid_check
def check_operator_sum(subject: Subject) -> list[Finding]:
    """The network operator adds up the AC rating of everything that can feed the bus."""
    design = subject.design
    if not design.new_converters:
        return []
    supply = subject.job.supply
    counted = design.counted(supply)
    if not counted:
        return []
    parts = " + ".join(f"{converter.inverter.ac_kw:g}" for converter in counted)
    total = f"{parts} = {design.counted_kw(supply):g}" if len(counted) > 1 else parts
    what = "whatever hangs on its DC side" if supply.operator_counts == "every inverter" else "with PV terminals"
    return [
        warns(
            "operator's sum",
            "Grid",
            "tariff.export_limit_kw",
            f"The network operator counts {total} kW of inverter, {what}. Ask before ordering.",
            reading=(design.counted_kw(supply), None, "kW"),
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
            f"{converter.name} serves as a battery inverter here, but many operators count any inverter with "
            f"PV terminals as a PV inverter: {converter.inverter.ac_kw:g} kW more, with or without a module on it.",
            reading=(converter.inverter.ac_kw, None, "kW"),
            rule="the network operator's connection rules, checked locally",
        )
        for converter in idle
    ]


# Which procedure the operator's limit opens, and which comes after it.
PROCEDURES = {
    "notify kW per phase": "notifying is enough",
    "notify kW": "notifying is enough",
    "fast track kW per phase": "the fast track is open",
    "fast track kW": "the fast track is open",
}


@grid_check
def check_procedure(subject: Subject) -> list[Finding]:
    """Up to so much the operator is told, up to more there is a fast track, beyond it is asked before."""
    if not subject.design.new_converters:
        return []
    on_phases = subject.design.counted_on_phases(subject.job.supply)
    fullest, total = float(on_phases.max()), float(on_phases.sum())
    held = [
        (rule, fullest if rule.rule.kind.endswith("per phase") else total)
        for rule in subject.rules
        if rule.rule.kind in PROCEDURES
    ]
    if not held:
        return []
    # The first procedure that is open, in the order of the table; else the widest limit is what is passed.
    held.sort(key=lambda item: list(PROCEDURES).index(item[0].rule.kind))
    rule, kw = next((item for item in held if item[1] <= item[0].limit + 1e-9), held[-1])
    over = kw > rule.limit + 1e-9
    notified = rule.rule.kind.startswith("notify")
    what = "apply before anything is ordered" if over else PROCEDURES[rule.rule.kind]
    by_phase = rule.rule.kind.endswith("per phase")
    spread = " on the fullest phase" if by_phase and on_phases.size > 1 else "" if by_phase else " in all"
    per = " a phase" if by_phase else ""
    return [
        warns_if(
            over or not notified,
            "notify or apply",
            "Grid",
            "region",
            f"{kw:.2f} kW of inverter{spread}; {rule.rule.name} is {rule.limit:g} kW{per}: {what}.",
            reading=(kw, rule.limit, "kW"),
            rule=rule.authority,
            mends=_kept_within(subject, held[0][0]) if over or not notified else (),
        )
    ]


def _kept_within(subject: Subject, rule: InForce) -> tuple[Mend, ...]:
    """Holds all options to what the easiest procedure takes, where some unit of the same kind would fit in there."""
    supply, design = subject.job.supply, subject.design
    count = supply.circuit.live if rule.rule.kind.endswith("per phase") else 1
    limit_kw = round(rule.limit * count, 2)
    unit = design.battery_converter
    # Where all together is little, and a phase has too much of it, a limit for all mends nothing.
    if unit is None or design.counted_kw(supply) <= limit_kw + 1e-9:
        return ()
    there_kw = sum(item.inverter.ac_kw for item in design.counted(supply) if not item.is_new)
    smallest_kw = min(
        (
            item.ac_kw
            for item in subject.context.equipment.on_offer.inverters
            if item.battery is not None
            and unit.bank.pack.family in item.battery.families
            and (item.pv is None) == (unit.inverter.pv is None)
            and not (item.plug_in or site_refusals(item, subject.job))
        ),
        default=inf,
    )
    if there_kw + smallest_kw > limit_kw + 1e-9:
        return ()
    changed = supply.with_(inverter_limit_kw=limit_kw)
    return (Mend(f"Keep to {limit_kw:g} kW of inverter", lambda job: job.with_(supply=changed)),)


@grid_check
def check_export(subject: Subject) -> list[Finding]:
    """What may leave the site without a study, on a phase and in all."""
    tariff = subject.job.tariff
    findings = []
    on_phases = subject.design.counted_on_phases(subject.job.supply)
    for held in subject.rules:
        kind = held.rule.kind
        if kind not in ("export kW per phase", "export kW") or not subject.design.new_converters:
            continue
        able = float(on_phases.max() if kind.endswith("per phase") else on_phases.sum())
        cap = tariff.export_limit_kw
        if cap is not None:
            # A limiter holds the sum; on a phase no more can leave than hangs there.
            able = min(able, cap)
        over = able > held.limit + 1e-9
        where = " a phase" if kind.endswith("per phase") else ""
        limit_all = held.limit * (on_phases.size if where and (on_phases == on_phases[0]).all() else 1)
        mend = Mend(f"Limit export to {limit_all:g} kW", partial(with_export_limit, kw=limit_all))
        sentence = (
            f"Up to {able:.2f} kW{where} may leave the site; {held.rule.name} is {held.limit:g} kW{where}: "
            f"{'the operator must agree to more' if over else 'it stays within'}."
        )
        findings.append(
            warns_if(
                over,
                "export rule",
                "Grid",
                "tariff.export_limit_kw",
                sentence,
                reading=(able, held.limit, "kW"),
                rule=held.authority,
                mends=(mend,) if over else (),
            )
        )
    return findings


@as_drawn
@grid_check
def check_neutral(subject: Drawn) -> list[Finding]:
    """Where many services have three phases and no neutral, one that nobody looked at is asked about."""
    job, countries = subject.job, subject.context.equipment.library.countries
    usual = countries.get(job.site.place.rpartition(", ")[2])
    if usual is None or usual.without_neutral != "often":
        return []
    if job.supply.phases != "three" or VOLTS not in job.assumed:
        return []
    volts, between = job.supply.volts, round(job.supply.volts * sqrt(3.0), -1)
    return [
        warns(
            "neutral",
            "Grid",
            VOLTS,
            f"Many services in {usual.name} have three phases of 230 V between each other and no neutral. Look at the "
            f"meter: planned here are {volts:g} V from each phase to a neutral, {between:g} V between "
            "phases. A unit for that does not fit the other; one of one phase goes between two of them.",
            rule="usual services, 2026-11, from memory",
            mends=(
                Mend("It has a neutral", lambda job: confirmed(job, VOLTS)),
                Mend("It has none", _without_neutral),
            ),
        )
    ]


def _without_neutral(job: Job) -> Job:
    supply = job.supply.with_(phases="three-wire", volts=230.0, meter="sum of phases")
    return confirmed(confirmed(job.with_(supply=supply), VOLTS), "supply.phases")


@as_drawn
@grid_check
def check_unit_volts(subject: Drawn) -> list[Finding]:
    """On a grid of less voltage than its own a unit gives less, and parts from it sooner."""
    job, found = subject.job, {}
    rated = {item.key: item for item in subject.context.equipment.library.equipment_for(job).inverters}
    volts = job.supply.volts
    for unit in subject.design.converters:
        sheet, there = rated.get(unit.inverter.key), unit.inverter
        if sheet is None or there.volts >= sheet.volts:
            continue
        low_v = grid_range(sheet)[0]
        near = low_v > volts * (1.0 - SAGS)
        whose = "its maker's range ends there" if sheet.grid_low_v is not None else "its maker states no range"
        share = sheet.on_volts(volts).ac_kw / sheet.ac_kw
        found[sheet.key] = warns_if(
            near,
            "unit volts",
            "Grid",
            VOLTS,
            f"{unit.name} is made for {sheet.volts:g} V; on {volts:g} V it gives {there.ac_kw:.3g} kW, {share:.0%} of "
            f"its rating, and parts from the grid below {low_v:.0f} V ({whose}).",
            reading=(volts, low_v, "V"),
            rule="inverter datasheet; IEC 60038, from memory",
        )
    return list(found.values())


@as_drawn
@grid_check
def check_unit_hertz(subject: Drawn) -> list[Finding]:
    """Units for split phase are mostly made where grids have 60 Hz; elsewhere their makers are asked."""
    job = subject.job
    if job.supply.phases != "split" or known_hertz(job) != 50.0:
        return []
    names = list(
        dict.fromkeys(
            unit.name for unit in subject.design.converters if unit.is_new and unit.inverter.grid_hz is None
        )
    )
    if not names:
        return []
    says = "does" if len(names) == 1 else "do"
    return [
        warns(
            "unit hertz",
            "Grid",
            "supply.hertz",
            f"{joined(names)} {says} not say for which frequency, and the supply has 50 Hz: most units for split phase "
            "are made for 60. Ask before ordering.",
            rule="inverter datasheet",
        )
    ]


@as_drawn
@grid_check
def check_between_phases(subject: Drawn) -> list[Finding]:
    """Without neutral a unit of one phase hangs between two, which not every maker allows."""
    supply = subject.job.supply
    if supply.circuit.has_neutral:
        return []
    on = subject.design.phases(supply)
    asked = [
        (unit, supply.circuit.places[phase - 1] if phase else "each pair in turn")
        for unit, phase in zip(subject.design.converters, on, strict=True)
        if unit.is_new and unit.inverter.phases == "single"
    ]
    return [
        warns_if(
            unit.inverter.between_phases is None,
            "between phases",
            "Wiring",
            "own_equipment.inverters",
            f"{unit.name}, for one phase, stands between two, {place}: neither of its conductors is a neutral. "
            + (
                "Its datasheet lets it."
                if unit.inverter.between_phases
                else "Ask its maker whether it may, and what its residual-current device then sees."
            ),
            rule="inverter datasheet",
        )
        for unit, place in asked
    ]


@as_drawn
@grid_check
def check_unbalance(subject: Drawn) -> list[Finding]:
    """Single-phase units may load one phase of three only so much more than another."""
    rule, unbalance = subject.rules.of("unbalance kW"), unbalance_of(subject.design, subject.context)
    if rule is None or unbalance is None:
        return []
    severity = Severity.STOP if unbalance.stops else Severity.CHECK if unbalance.over else Severity.OK
    sentence = (
        f"Between the fullest and the emptiest phase inverters differ by {unbalance.kw:.2f} kW; "
        f"{rule.rule.name.lower()} may be {rule.limit:g} kW{_hung(subject)}."
    )
    if severity is Severity.CHECK:
        sentence += " They do so today: ask whether it may stay as it is."
    return [
        judged(
            severity,
            "unbalance",
            "Grid",
            "supply.single_on",
            sentence,
            reading=(unbalance.kw, rule.limit, "kW"),
            rule=rule.authority,
            mends=_parted(subject, rule.limit) if unbalance.stops else (),
        )
    ]


def _parted(subject: Drawn, limit_kw: float) -> tuple[Mend, ...]:
    """Hangs new units of one phase on another than those that are there, where that keeps to the rule."""
    design, supply = subject.design, subject.job.supply
    there = tuple(
        replace(unit, found_on=phase)
        if phase and not unit.is_new and unit.micro is None and unit.found_on is None
        else unit
        for unit, phase in zip(design.converters, design.phases(supply), strict=True)
    )
    parted = replace(design, converters=there)
    apart_kw = {
        phase: float(np.ptp(parted.counted_on_phases(supply.with_(single_on=phase))))
        for phase in (1, 2, 3)
        if phase != supply.single_on
    }
    best = min(apart_kw, key=lambda phase: apart_kw[phase])
    if apart_kw[best] > limit_kw + 1e-9:
        return ()

    def apply(job: Job) -> Job:
        for name in ("existing_inverters", "existing_batteries"):
            found = (item if item.phase else item.with_(phase=supply.single_on) for item in getattr(job, name))
            job = job.with_(**{name: tuple(found)})
        return job.with_(supply=supply.with_(single_on=best))

    label = f"New units of one phase on phase {best}, what is there stays on phase {supply.single_on}"
    if there == design.converters:
        label = f"Single-phase units on phase {best}"
    return (Mend(label, apply),)


def _hung(subject: Drawn) -> str:
    """Which units of one phase hang where, in a half sentence; nothing where they hang on one phase or none do."""
    design = subject.design
    on = [
        (phase, unit.name)
        for unit, phase in zip(design.converters, design.phases(subject.job.supply), strict=True)
        if phase
    ]
    if len({phase for phase, _ in on}) < 2:
        return ""
    return ": " + ", ".join(f"{name} on phase {phase}" for phase, name in sorted(on))


def with_export_limit(job: Job, kw: float) -> Job:
    """A job whose site exports no more than so much [kW]."""
    return job.with_(tariff=job.tariff.with_(export_limit_kw=kw))
