"""The board: what passes the relay while the grid is up, what is backed up, and which start trips the inverter."""

from collections.abc import Iterator, Mapping
from math import ceil
from typing import Any

from calm_relay.job.backup_board import Circuit
from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.demand import LOAD_FIELDS, ScheduledLoad
from calm_relay.job.equipment import Inverter
from calm_relay.job.model import Job
from calm_relay.physics.plant.readings import highest_sum
from calm_relay.planning.architecture.connections import backs_up_whole_house
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.common.vocabulary import vocabulary_of
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Severity,
    Subject,
    advises,
    check,
    grid_check,
    judged,
    stops_if,
    warns,
    warns_if,
)
from calm_relay.planning.findings.battery import more_units, stronger_inverter
from calm_relay.planning.operation.backed_up_loads import BRIEFLY, BackedUpLoads
from calm_relay.planning.operation.island import (
    forming_kw,
    forms_grid,
    island_limits,
    leg_volts,
    start_power_kw,
    start_source,
    start_volts,
)
from calm_relay.planning.operation.machine_starts import (
    LegLoads,
    StartMargin,
    dropped_to_fit,
    extra_kw,
    leg_loads,
    may_ask_together_kw,
    start_margin,
)
from calm_relay.planning.operation.phases import relay_passes_a, through_relay
from calm_relay.planning.site.demand import DemandYear

# Circuits that a sentence names when it says what stacks up.
NAMED = 4


def backup_board_mend(label: str, changes: Mapping[str, Mapping[str, object]]) -> Mend:
    """A mend that changes circuits: `changes` maps names to fields."""

    def apply(job: Job) -> Job:
        circuits = tuple(
            circuit.with_(**changes[circuit.name]) if circuit.name in changes else circuit
            for circuit in job.board.circuits
        )
        return job.with_(backup_board=job.board.with_(circuits=circuits))

    return Mend(label, apply)


def left_out_mend(job: Job, name: str) -> Mend:
    """A mend that takes a circuit off what is backed up."""
    if job.supply.on_grid:
        return backup_board_mend(f"Leave “{name}” on the grid side", {name: {"role": "grid only"}})
    return backup_board_mend(f"Never feed “{name}”", {name: {"role": "grid only"}})


def shed_to_fit(job: Job, demand: DemandYear, on: BackedUpLoads, limit_kw: float) -> tuple[Mend, ...]:
    """The mend that drops, the least wanted first, what the inverter cannot carry; none where nothing is to drop."""
    dropped = dropped_to_fit(job, demand, on, limit_kw)
    if not dropped:
        return ()
    summary = ", ".join(f"“{name}”" for name in dropped)
    changes = {name: {"role": "shed", "shed_below": 1.0} for name in dropped}
    return (backup_board_mend(vocabulary_of(job.supply).shed.format(summary), changes),)


@grid_check
def check_pass_through(subject: Subject) -> list[Finding]:
    """What hangs behind the relay and what the battery charges must pass it, leg by leg, while the grid is up."""
    converter, stated = subject.design.battery_converter, subject.job.backup_board is not None
    if not forms_grid(converter):
        return []
    backup, phases = converter.backup, converter.inverter.phases
    allowed_a, rows = relay_passes_a(converter), subject.behind_relay
    legs_kw = through_relay(subject.design, subject.job, subject.context.demand)
    ac_kw = subject.outcome.year.of("ac", subject.design.forming[0])
    worst_kw, leg, at = highest_sum(legs_kw, ac_kw, 1.0 / CIRCUITS[phases].live)
    volts = leg_volts(phases, converter.inverter.volts)
    worst_a = worst_kw * 1000.0 / volts
    charging_a = max(-float(ac_kw[at]), 0.0) / CIRCUITS[phases].live * 1000.0 / volts
    over = worst_a > allowed_a
    share = backup.pass_through_continuous_fraction
    of = f" ({share:.0%} of {backup.pass_through_a:g} A)" if share < 1 else ""
    where = "" if phases == "single" else f" on {CIRCUITS[phases].places[leg]}"
    charging = f", {charging_a:.0f} A of it charging" if charging_a >= 0.5 else ""
    sentence = (
        f"Through the relay the year's most is {worst_a:.0f} A{where}{charging}, mean of a quarter hour; it passes "
        f"{allowed_a:.0f} A{of}."
    )
    # Where no board is stated all that can stand behind the relay is taken to, which stops nothing.
    severity = (Severity.STOP if stated else Severity.CHECK) if over else Severity.OK
    mends: tuple[Mend, ...] = ()
    if over and stated:
        mends = (left_out_mend(subject.job, rows.names[int(rows.kw.max(axis=1).argmax())]),)
    elif not over and worst_a * BRIEFLY > allowed_a:
        severity = Severity.CHECK
        sentence += f" For minutes it may be {worst_a * BRIEFLY:.0f} A."
    fuse_a = subject.job.supply.main_fuse_a
    if backs_up_whole_house(subject.design, subject.job) and backup.pass_through_a < fuse_a:
        severity = min(severity, Severity.CHECK)
        sentence = (
            f"The main fuse is {fuse_a:g} A, and the whole house stands behind {converter.inverter.name}, which passes "
            f"{backup.pass_through_a:g} A: a breaker of {backup.pass_through_a:g} A at most stands ahead. {sentence}"
        )
        # For a fuse that the house never comes near a breaker ahead is enough.
        if worst_a * BRIEFLY > allowed_a:
            mends += _passes_more(subject, converter, fuse_a)
    elif over and not stated:
        mends += _passes_more(subject, converter, worst_a / share)
    return [
        judged(
            severity,
            "pass-through",
            "Home",
            "backup_board",
            sentence,
            reading=(worst_a, allowed_a, "A"),
            rule=f"{converter.inverter.name}, datasheet; peaks of minutes: Wright and Firth 2007, from memory",
            mends=mends,
        )
    ]


def _passes_more(subject: Subject, converter: Converter, amps: float) -> tuple[Mend, ...]:
    """What passes so much while the grid is up: more units, where each passes its own, and another unit."""
    mend = stronger_inverter(
        subject, converter, lambda item: item.backup is not None and item.backup.pass_through_a >= amps
    )
    units, passes_a = converter.bank.units, converter.backup.pass_through_a
    adds = converter.backup.pass_through_adds
    beside = more_units(subject, converter, ceil(amps * units / passes_a - 1e-9)) if adds else None
    return tuple(item for item in (beside, mend) if item is not None)


@advises
@check
def check_backed_load(subject: Subject) -> list[Finding]:
    """What stays on while the battery is full, stacked at its worst half hour, against the inverter alone."""
    converter, job = subject.design.battery_converter, subject.job
    if not forms_grid(converter) or job.backup_board is None or not subject.behind_relay.when_full.names:
        return []
    rows = subject.behind_relay
    on = rows.when_full
    at = on.worst_step
    stack = sorted(zip(on.half_hours_kw[:, at].tolist(), on.names, strict=True), reverse=True)
    asked_kw, limit_kw = sum(kw for kw, _ in stack), forming_kw(subject.design)
    briefly_kw = float(may_ask_together_kw(job, subject.context.demand, on).max())
    over = asked_kw > limit_kw
    for_minutes = not over and briefly_kw > limit_kw + 0.05
    parts = " + ".join(f"{name} {kw:.1f}" for kw, name in stack[:NAMED] if kw > 0.05)
    rest = sum(kw for kw, _ in stack[NAMED:])
    when = subject.site.calendar.wall[at].astype(object)
    phases = converter.inverter.circuit.live
    amps = limit_kw * 1000.0 / phases / leg_volts(converter.inverter.phases, converter.inverter.volts)
    what = vocabulary_of(job.supply).staying_on
    asked, limit = in_pair(asked_kw, limit_kw)
    sentence = (
        f"{what} stacks up to {asked} kW ({when:%-d %b, %H:%M}: {parts}"
        f"{f' + others {rest:.1f}' if rest > 0.05 else ''}); {subject.design.grid_former.name} alone gives "
        f"{limit} kW, {amps:.0f} A{' on each leg' if phases == 2 else ' a phase' if phases == 3 else ''}."
    )
    mends: tuple[Mend, ...] = ()
    if for_minutes:
        sentence += f" For minutes it may be {briefly_kw:.1f} kW."
    if over or for_minutes:
        mends = (*shed_to_fit(job, subject.context.demand, on, limit_kw), left_out_mend(job, stack[0][1]))
    return [
        warns_if(
            over or for_minutes,
            "backed-up load",
            "Home",
            "backup_board",
            f"{sentence}{' It trips with charge left.' if over or for_minutes else ''}",
            reading=(briefly_kw if for_minutes else asked_kw, limit_kw, "kW"),
            rule=f"{converter.inverter.name}, datasheet; simulated year; minutes: Wright and Firth 2007, from memory",
            mends=mends,
        )
    ]


def _motors(subject: Subject, rows: BackedUpLoads) -> Iterator[tuple[ScheduledLoad, Circuit]]:
    """Every machine with a motor behind the relay with its circuit."""
    job = subject.job
    for machine in subject.context.demand.machines:
        circuit = next((c for c in job.board.circuits if machine.name in c.loads), None)
        if circuit is not None and circuit.name in rows.names and extra_kw(machine, circuit, job) > 0:
            yield machine, circuit


@advises
@check
def check_starts(subject: Subject) -> list[Finding]:
    """A machine on the backed-up board whose start is more than the inverter can give for a moment."""
    converter, job = subject.design.battery_converter, subject.job
    if not forms_grid(converter) or job.backup_board is None:
        return []
    former, rows = subject.design.grid_former, subject.behind_relay
    findings: list[Finding] = []
    limits = island_limits(subject.design, job)
    leg_v = leg_volts(former.phases, former.volts)
    for machine, circuit in _motors(subject, rows):
        held = start_margin(
            machine,
            circuit,
            job,
            subject.context.demand,
            rows.when_full,
            limits,
            leg_v,
            former.outage_output.locked_rotor_a,
        )
        if held is not None:
            findings.append(_start(subject, former, machine, circuit, held))
    return findings


def _start(
    subject: Subject, former: Inverter, machine: ScheduledLoad, circuit: Circuit, held: StartMargin
) -> Finding:
    """One machine's start against the unit, by power or by current, whichever is nearer to its limit."""
    job, backup = subject.job, former.outage_output
    start_kva = start_power_kw(
        machine, start_volts(job.supply.phases, job.supply.volts, circuit.leg), circuit.soft_start
    )
    figure = start_source(machine, circuit.soft_start)
    opening = f"{machine.name} starts with {start_kva:.1f} kVA ({figure})"
    if held.by_current:
        reading = (held.start_a, held.locked_rotor_a or 0.0, "A")
        amps = f"{held.locked_rotor_a:g} A with the rotor locked"
        against = f"that draws {held.start_a:.0f} A; {former.name} takes {amps}"
    else:
        reading = (held.asked_kw, held.surge_kw, "kW" if backup.locked_rotor_a is not None else "kVA")
        where = f" on its {job.supply.circuit.leg}" if held.on_leg else ""
        against = (
            f"on top of {held.running_kw:.1f} kW that may run then that asks {held.asked_kw:.1f} {reading[2]}{where}; "
            f"{former.name} gives {held.surge_kw:.1f} {reading[2]} for {backup.surge_s:g} s"
        )
    mends: tuple[Mend, ...] = ()
    if held.over:
        soft = backup_board_mend(f"Soft starter for “{circuit.name}”", {circuit.name: {"soft_start": True}})
        off = left_out_mend(job, circuit.name)
        mends = (soft, off) if not circuit.soft_start else (off,)
    trips = f" {vocabulary_of(job.supply).trips}" if held.over else ""
    return warns_if(
        held.over,
        "motor start",
        "Home",
        "backup_board",
        f"{opening}; {against}.{trips}",
        reading=reading,
        rule=f"{former.name}, datasheet; NEC table 430.7(B) from memory",
        mends=mends,
    )


@advises
@check
def check_starts_together(subject: Subject) -> list[Finding]:
    """After a trip everything that runs starts at once: all motors together against the surge."""
    converter, job = subject.design.battery_converter, subject.job
    if not forms_grid(converter) or job.backup_board is None:
        return []
    rows = subject.behind_relay
    motors = list(_motors(subject, rows))
    if len(motors) < 2:
        return []
    parts = {part.name: part.kw for part in subject.context.demand.parts}
    extra = sum((parts[m.name] > 0) * extra_kw(m, c, job) for m, c in motors)
    running = may_ask_together_kw(job, subject.context.demand, rows)
    asked = running + extra * island_limits(subject.design, job).start_power_factor
    at = int(asked.argmax())
    limit_kw = max(subject.design.grid_former.outage_output.surge_kw, forming_kw(subject.design))
    over = asked[at] > limit_kw
    names = [machine.name for machine, _ in motors if parts[machine.name][at] > 0]
    together, limit = in_pair(asked[at], limit_kw)
    sentence = (
        f"When power comes back after a trip, {' and '.join(names) or 'no machine'} start at once on top of "
        f"{running[at]:.1f} kW: {together} kW, against {limit} kW for "
        f"{converter.backup.surge_s:g} s."
    )
    soft = {c.name: {"soft_start": True} for _, c in motors if not c.soft_start}
    mends = (backup_board_mend("Soft starters for all of them", soft),) if over and soft else ()
    return [
        warns_if(
            over,
            "starts together",
            "Home",
            "backup_board",
            f"{sentence}{' Close their circuits one by one.' if over else ''}",
            reading=(float(asked[at]), limit_kw, "kW"),
            rule=f"{converter.inverter.name}, datasheet",
            mends=mends,
        )
    ]


@check
def check_branch_breakers(subject: Subject) -> list[Finding]:
    """The largest branch breaker that so many units may back up, and how many it would take."""
    converter, job = subject.design.battery_converter, subject.job
    if not forms_grid(converter) or job.backup_board is None:
        return []
    stated_a = subject.design.grid_former.outage_output.branch_breaker_a
    if stated_a is None:
        return []
    names = set(subject.behind_relay.names)
    backed = [circuit for circuit in job.board.circuits if circuit.name in names]
    if not backed:
        return []
    units = sum(member.bank.units for member in subject.design.together)
    one_a = stated_a / units
    largest = max(backed, key=lambda circuit: circuit.breaker_a)
    needed = ceil(largest.breaker_a / one_a - 1e-9)
    over = needed > units
    summary = f"{units} unit{'s' * (units > 1)}"
    sentence = (
        f"The largest backed-up breaker is {largest.breaker_a:g} A (“{largest.name}”); {summary} may back up "
        f"{one_a * units:g} A{f', it takes {needed} side by side' if over else ''}."
    )
    mends: tuple[Mend, ...] = ()
    if over:
        more = more_units(subject, converter, needed) if converter.bank.units == units else None
        mends = (*([more] if more else []), left_out_mend(job, largest.name))
    return [
        stops_if(
            over,
            "branch breaker",
            "Home",
            "backup_board",
            sentence,
            reading=(largest.breaker_a, one_a * units, "A"),
            rule=f"{converter.inverter.name}, datasheet",
            mends=mends,
        )
    ]


@advises
@check
def check_legs(subject: Subject) -> list[Finding]:
    """All the 120 V circuits on one leg."""
    converter = subject.design.battery_converter
    if not forms_grid(converter) or subject.job.supply.phases == "single" or subject.job.backup_board is None:
        return []
    rows = subject.behind_relay
    if not rows.names or converter.inverter.phases == "single":
        return []
    count = subject.job.supply.circuit.live
    legs = leg_loads(subject.job, subject.context.demand, rows, count)
    leg_kw, worst = subject.outcome.backup.power_kw / count, max(legs.asked_kw)
    over = worst > leg_kw
    volts = leg_volts(converter.inverter.phases, converter.inverter.volts)
    summary = " / ".join(f"{kw:.1f}" for kw in legs.asked_kw)
    when, word = vocabulary_of(subject.job.supply).in_an_outage, subject.job.supply.circuit.leg
    return [
        warns_if(
            over,
            "legs",
            "Home",
            "backup_board",
            f"At their fullest the {word}s behind the relay ask {summary} kW; {when}{converter.name} gives "
            f"{leg_kw:.1f} kW, {leg_kw * 1000 / volts:.0f} A, on each.",
            reading=(worst, leg_kw, "kW"),
            rule=f"{converter.inverter.name}, datasheet",
            mends=_moved(legs, word) if over else (),
        )
    ]


def _moved(legs: LegLoads, word: str) -> tuple[Mend, ...]:
    """The move of a circuit that lowers the fullest leg most; none where no move does."""
    if legs.move is None:
        return ()
    name, leg = legs.move
    return (backup_board_mend(f"Move “{name}” to {word} {leg}", {name: {"leg": str(leg)}}),)


@check
def check_circuits_name_loads(subject: Subject) -> list[Finding]:
    """A circuit that names a load which the demand does not have."""
    job = subject.job
    if job.backup_board is None:
        return []
    parts: tuple[Any, ...] = tuple(load for field in LOAD_FIELDS for load in getattr(job.demand, field))
    there = {load.name for load in parts}
    findings = []
    for circuit in job.board.circuits:
        gone = tuple(name for name in circuit.loads if name not in there)
        if gone:
            left = tuple(name for name in circuit.loads if name in there)
            summary = ", ".join(f"“{name}”" for name in gone)
            mend = backup_board_mend(f"Take {summary} off “{circuit.name}”", {circuit.name: {"loads": left}})
            sentence = f"“{circuit.name}” carries {summary}, which the demand does not have."
            findings.append(
                warns("loads", "Home", "backup_board", sentence, rule="the job's survey", mends=(mend,))
            )
    return findings
