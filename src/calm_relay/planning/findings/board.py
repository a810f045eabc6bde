"""The board: what passes the relay while the street is alive, and which start trips the box when dark."""

import numpy as np

from calm_relay.planning.findings.base import Finding, Mend, Severity, check


def _board_mend(label, changes):
    """A mend that changes circuits: `changes` maps names to fields."""

    def apply(job):
        circuits = tuple(
            circuit.with_(**changes[circuit.name]) if circuit.name in changes else circuit
            for circuit in job.board.circuits
        )
        return job.with_(board=job.board.with_(circuits=circuits))

    return Mend(label, apply)


@check
def check_pass_through(subject):
    """What hangs behind the relay must pass it while the street is alive."""
    box = subject.design.store_box
    if box is None or box.converter.backup is None or subject.job.board is None:
        return []
    backup, phases = box.converter.backup, {"single": 1, "split": 1, "three": 3}[box.converter.phases]
    volts = box.converter.volts * phases
    allowed_a = backup.pass_through_a * backup.pass_through_continuous_fraction
    rows = subject.behind_relay()
    worst_a = rows.most_kw * 1000.0 / volts
    over = worst_a > allowed_a
    share = backup.pass_through_continuous_fraction
    of = f" ({share:.0%} of {backup.pass_through_a:g} A)" if share < 1 else ""
    sentence = f"Behind the relay the year's most is {worst_a:.0f} A; it passes {allowed_a:.0f} A{of}."
    mends = ()
    if over:
        heaviest = rows.names[int(rows.kw.max(axis=1).argmax())]
        mends = (_board_mend(f"Leave “{heaviest}” on the street", {heaviest: {"role": "street only"}}),)
    return [
        Finding(
            "pass-through",
            Severity.STOP if over else Severity.HOLD,
            "Home",
            "board",
            sentence,
            worst_a,
            allowed_a,
            "A",
            f"{box.converter.name}, datasheet",
            mends,
        )
    ]


@check
def check_starts(subject):
    """A machine on the backed-up board whose start is more than the box can give for a moment."""
    from calm_relay.planning.rehearsal import start_power_kw

    box, job = subject.design.store_box, subject.job
    if box is None or box.converter.backup is None or job.board is None:
        return []
    backup = box.converter.backup
    volts = box.converter.volts * (3**0.5 if box.converter.phases == "three" else 1.0)
    rows = subject.behind_relay()
    found = []
    for machine in job.demand.loads:
        circuit = next((c for c in job.board.circuits if machine.name in c.loads), None)
        if circuit is None or circuit.name not in rows.names:
            continue
        start_kw = start_power_kw(machine, volts, circuit.soft_start)
        if start_kw <= 0:
            continue
        limit_kw, whose = backup.surge_kw, f"{backup.surge_kw:g} kW for {backup.surge_s:g} s"
        if backup.locked_rotor_a is not None and backup.locked_rotor_a * volts / 1000.0 < limit_kw:
            limit_kw, whose = backup.locked_rotor_a * volts / 1000.0, f"{backup.locked_rotor_a:g} A locked rotor"
        over = start_kw > limit_kw
        figure = (
            "soft starter"
            if circuit.soft_start
            else f"{machine.starting_a:g} A"
            if machine.starting_a
            else f"code letter {machine.code_letter}"
            if machine.code_letter
            else "assumed: six times its power"
        )
        sentence = f"{machine.name} starts with {start_kw:.1f} kW ({figure}); {box.converter.name} gives {whose}."
        mends = ()
        if over:
            soft = _board_mend(f"Soft starter for “{circuit.name}”", {circuit.name: {"soft_start": True}})
            off = _board_mend(f"Leave “{circuit.name}” on the street", {circuit.name: {"role": "street only"}})
            mends = (soft, off) if not circuit.soft_start else (off,)
        found.append(
            Finding(
                "motor start",
                Severity.WATCH if over else Severity.HOLD,
                "Home",
                "board",
                f"{sentence}{' It trips when dark.' if over else ''}",
                start_kw,
                limit_kw,
                "kW",
                f"{box.converter.name}, datasheet; NEC table 430.7(B) from memory",
                mends,
            )
        )
    return found


@check
def check_legs(subject):
    """All the 120 V circuits on one leg."""
    rows = subject.behind_relay()
    box = subject.design.store_box
    if rows is None or not rows.names or subject.job.supply.phases == "single" or subject.job.board is None:
        return []
    count = 2 if subject.job.supply.phases == "split" else 3
    legs = np.array([(rows.kw * rows.legs[:, [n]]).sum(axis=0) for n in range(count)])
    at = int(legs.max(axis=0).argmax())
    leg_kw = subject.outcome.dark.power_kw / count
    worst = float(legs[:, at].max())
    over = worst > leg_kw
    told = " / ".join(f"{kw:.1f}" for kw in legs[:, at])
    return [
        Finding(
            "legs",
            Severity.WATCH if over else Severity.HOLD,
            "Home",
            "board",
            f"At their fullest the legs behind the relay ask {told} kW; when dark {box.converter.name} gives "
            f"{leg_kw:.1f} kW on each.",
            worst,
            leg_kw,
            "kW",
            f"{box.converter.name}, datasheet",
            _moved(rows, legs, count) if over else (),
        )
    ]


def _moved(rows, legs, count):
    """The move of one circuit to another leg that lowers the fullest most; none where no move does."""
    best, taken = float(legs.max()) * 0.98, None
    for number, name in enumerate(rows.names):
        alone = np.flatnonzero(rows.legs[number] == 1.0)
        if not alone.size:
            continue
        for to in (leg for leg in range(count) if leg != alone[0]):
            moved = legs.copy()
            moved[alone[0]] -= rows.kw[number]
            moved[to] += rows.kw[number]
            if moved.max() < best:
                best, taken = float(moved.max()), (name, str(to + 1))
    if taken is None:
        return ()
    name, leg = taken
    return (_board_mend(f"Move “{name}” to leg {leg}: {best:.1f} kW at most", {name: {"leg": leg}}),)


@check
def check_circuits_name_loads(subject):
    """A circuit that names a load which the demand does not have."""
    job = subject.job
    if job.board is None:
        return []
    there = {load.name for load in (*job.demand.loads, *job.demand.heat_pumps, *job.demand.cars)}
    found = []
    for circuit in job.board.circuits:
        gone = tuple(name for name in circuit.loads if name not in there)
        if gone:
            left = tuple(name for name in circuit.loads if name in there)
            told = ", ".join(f"“{name}”" for name in gone)
            mend = _board_mend(f"Take {told} off “{circuit.name}”", {circuit.name: {"loads": left}})
            sentence = f"“{circuit.name}” carries {told}, which the demand does not have."
            found.append(
                Finding("loads", Severity.WATCH, "Home", "board", sentence, rule="the job's survey", mends=(mend,))
            )
    return found


@check
def check_generator_place(subject):
    """A generator on the bus of AC-coupled PV is damaged by reverse power: never, interlock."""
    generator, design = subject.job.generator, subject.design
    box = design.store_box
    if generator is None or box is None:
        return []
    beside = [other.converter.name for other in design.boxes if other is not box and other.has_array]
    if generator.on == "the bus of AC-coupled PV" and beside:
        return [
            Finding(
                "generator",
                Severity.STOP,
                "Home",
                "generator.on",
                f"The generator stands on one bus with {beside[0]}: reverse power damages it. Interlock them, or "
                "take the generator input of the battery inverter.",
                rule="common practice, no source",
                mends=(
                    Mend(
                        "Use the generator input",
                        lambda job: job.with_(
                            generator=job.generator.with_(on="the battery inverter's generator input")
                        ),
                    ),
                ),
            )
        ]
    backup = box.converter.backup
    if backup is None or not backup.generator_input:
        return [
            Finding(
                "generator",
                Severity.STOP,
                "Home",
                "generator.on",
                f"{box.converter.name} has no generator input.",
                rule=f"{box.converter.name}, datasheet",
            )
        ]
    sentence = f"{box.converter.name} takes the generator and keeps AC-coupled arrays off while it runs."
    return [Finding("generator", Severity.HOLD, "Home", "generator.on", sentence, rule="datasheet")]
