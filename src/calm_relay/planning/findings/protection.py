"""What protects cables and people: breakers, fuses, the busbar, residual current, neutral and earth in an island."""

from collections.abc import Callable, Iterator
from functools import partial

from calm_relay.job.equipment import Inverter
from calm_relay.job.model import Job
from calm_relay.planning.architecture.topology import MAIN, METER, Edge, Topology
from calm_relay.planning.common.vocabulary import vocabulary_of
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Severity,
    Subject,
    check,
    grid_check,
    judged,
    passes,
    stops,
    warns,
    warns_if,
)
from calm_relay.planning.findings.cables import PRACTICE, with_route
from calm_relay.planning.wiring.cable import Cable
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.protection import is_in_series, neighbours
from calm_relay.planning.wiring.wiring import WiringPlan

# An inverter's current counts so much: NEC 705.12(B), for what runs for hours (from memory).
CONTINUOUS = 1.25


@check
def check_devices(subject: Subject) -> list[Finding]:
    """Each breaker and fuse must be made, carry its current, and not be larger than its cable."""
    plan = subject.wiring
    if plan is None:
        return []
    found: list[Finding] = []
    for cable in plan.cables:
        route = subject.job.wiring.route(cable.edge.key)
        name = name_of(cable.edge, plan.topology)
        if cable.device is None and cable.device_kind:
            found.append(
                stops(
                    "protection",
                    "Wiring",
                    "wiring.routes",
                    f"{name}: no {cable.device_kind} of the series carries {cable.limits.needed_a:.0f} A. Split it "
                    "over more units or a higher voltage.",
                    reading=(cable.limits.needed_a, None, "A"),
                    rule=plan.tables.summary,
                )
            )
        elif route.protect_a is not None and cable.device is not None:
            found += _typed(cable, route.protect_a, plan, name)
    return found


def _typed(cable: Cable, amps: float, plan: WiringPlan, name: str) -> Iterator[Finding]:
    near = neighbours(cable.edge, amps, plan.tables)
    free = Mend(f"The smallest {cable.device_kind} that fits", with_route(cable.edge.key, protect_a=None))
    if not is_in_series(cable.edge, amps, plan.tables):
        sizes = " or ".join(f"{size:g} A" for size in near)
        mends = tuple(
            Mend(f"A {cable.device_kind} of {size:g} A", with_route(cable.edge.key, protect_a=size))
            for size in near
        )
        yield stops(
            "protection",
            "Wiring",
            "wiring.routes",
            f"{name}: a {cable.device_kind} of {amps:g} A is not made; next to it are {sizes}.",
            rule=plan.tables.summary,
            mends=mends,
        )
    elif amps < cable.limits.needed_a - 1e-9:
        yield stops(
            "protection",
            "Wiring",
            "wiring.routes",
            f"{name}: a {cable.device_kind} of {amps:g} A trips; it must carry {cable.limits.needed_a:.1f} A for "
            "hours.",
            reading=(cable.limits.needed_a, amps, "A"),
            rule=plan.tables.summary,
            mends=(free,),
        )


@grid_check
def check_breaking(subject: Subject) -> list[Finding]:
    """Breakers must break what flows in a short circuit at the board."""
    plan, fault = subject.wiring, subject.job.supply.short_circuit_ka
    new = plan is not None and any(
        cable.device is not None and cable.edge.circuit != "dc" and cable.edge.status != "there"
        for cable in plan.cables
    )
    if plan is None or not new:
        return []
    usual, rule = min(plan.tables.breaking_ka), plan.tables.summary
    if fault is None:
        said = (
            f"The short-circuit current at the board is not stated: breakers are taken for {usual:g} kA. Ask the "
        )
        return [
            passes("breaking", "Wiring", "supply.short_circuit_ka", f"{said}operator, or measure it.", rule=rule)
        ]
    breaks = plan.tables.breaker_ka(fault)
    if breaks is None:
        most = max(plan.tables.breaking_ka)
        return [
            stops(
                "breaking",
                "Wiring",
                "supply.short_circuit_ka",
                f"A short circuit at the board brings {fault:g} kA, and breakers of the series break {most:g} kA: a "
                "back-up fuse ahead of them, or devices of another series.",
                reading=(fault, most, "kA"),
                rule=rule,
            )
        ]
    more = " Look at the breakers that are there as well." if breaks > usual else ""
    return [
        warns_if(
            breaks > usual,
            "breaking",
            "Wiring",
            "supply.short_circuit_ka",
            f"A short circuit at the board brings {fault:g} kA: breakers of {breaks:g} kA.{more}",
            reading=(fault, breaks, "kA"),
            rule=rule,
        )
    ]


@check
def check_selectivity(subject: Subject) -> list[Finding]:
    """Where a device is no larger than the one behind it a fault may trip the wrong one."""
    plan = subject.wiring
    if plan is None:
        return []
    pairs = [
        f"{ahead.device.amps:g} A ahead of {cable.device.amps:g} A, {name_of(cable.edge, plan.topology)}"
        for cable in plan.cables
        if cable.device is not None and cable.edge.kind in ("unit", "branch")
        for edge in plan.topology.towards_grid(cable.edge.start)[:1]
        if edge.kind != "service"
        for ahead in (plan.cable(edge.key),)
        if ahead.device is not None and ahead.device.amps <= cable.device.amps
    ]
    if not pairs:
        return []
    return [
        warns(
            "selectivity",
            "Wiring",
            "wiring.routes",
            f"A breaker ahead is no larger than the one behind it: {'; '.join(pairs)}. It may trip first, and more "
            "goes off than the fault asks for.",
            rule=PRACTICE,
        )
    ]


def sources_below(board: str, topology: Topology) -> Iterator[Edge]:
    """Cables of every source that feeds a board from behind it."""
    for edge in topology.children(board):
        if edge.kind in ("unit", "branch"):
            yield edge
        elif edge.kind == "feeder":
            yield from sources_below(edge.end, topology)


@grid_check
def check_busbar(subject: Subject) -> list[Finding]:
    """What feeds a busbar from both sides must not outrun it."""
    plan, supply, rules = subject.wiring, subject.job.supply, subject.rules
    rule = rules.of("busbar share")
    if plan is None or not subject.design.new_converters or (rule is None and supply.busbar_a is None):
        return []
    topology = plan.topology
    feeder = next((edge for edge in topology.power_edges if edge.end == MAIN), None)
    feeding = plan.cable(feeder.key).device if feeder is not None else None
    main_a, main = supply.main_fuse_a, "Main breaker" if rule is not None else "Main fuse"
    if feeder is not None and feeder.start != METER and feeding is not None:
        main_a, main = feeding.amps, "Breaker ahead of the main board"
    sources_a = sum(edge.amps * edge.runs for edge in sources_below(MAIN, topology))
    if sources_a <= 0.0:
        return []
    stated = supply.busbar_a is not None
    busbar_a = supply.main_fuse_a if supply.busbar_a is None else supply.busbar_a
    factor = CONTINUOUS if rule is not None else 1.0
    share = rule.limit if rule is not None else 1.0
    fed_a, limit_a = main_a + factor * sources_a, share * busbar_a
    known = f"{busbar_a:g} A" if stated else f"{busbar_a:g} A, assumed like its main breaker"
    over = fed_a > limit_a + 1e-9
    if rule is not None and over:
        other = _other_way(subject, factor * sources_a, busbar_a)
        if other:
            return [
                passes(
                    "busbar",
                    "Grid",
                    "supply.busbar_a",
                    other,
                    reading=(fed_a, limit_a, "A"),
                    rule=rule.authority,
                )
            ]
    times = f"{factor:g} times the inverters' amps" if factor > 1.0 else "the inverters' amps"
    sentence = (
        f"{main} {main_a:g} A and {times}, {factor * sources_a:.0f} A, "
        f"make {fed_a:.0f} A on a busbar of {known}; {f'{share:g} times it is' if share != 1.0 else 'it bears'} "
        f"{limit_a:.0f} A"
    )
    mends: tuple[Mend, ...] = ()
    if over:
        remedies = list(_remedies(subject, plan, main_a, factor * sources_a, limit_a))
        answers = ", ".join(words for words, _ in remedies)
        sentence += f": {answers}{', or ' if answers else ''}a connection ahead of the board."
        mends = tuple(mend for _, mend in remedies if mend is not None)
    else:
        sentence += "."
    severity = Severity.OK if not over else Severity.STOP if stated else Severity.CHECK
    return [
        judged(
            severity,
            "busbar",
            "Grid",
            "supply.busbar_a",
            sentence,
            reading=(fed_a, limit_a, "A"),
            rule=rule.authority if rule is not None else PRACTICE,
            mends=mends,
        )
    ]


def _other_way(subject: Subject, sources_a: float, busbar_a: float) -> str:
    """Another way of the same clause that holds: the sum of all breakers, the main one left out."""
    board = subject.job.backup_board
    if board is None or subject.job.supply.busbar_a is None:
        return ""
    # Two-pole circuits count once: each pole stands on its own side of the busbar.
    total = sum(circuit.breaker_a for circuit in board.circuits) + sources_a
    if total > busbar_a + 1e-9:
        return ""
    return (
        f"The breakers of all circuits and sources, the main one left out, add up to {total:.0f} A and stay within the "
        f"busbar's {busbar_a:g} A, wherever they stand on it."
    )


def _remedies(
    subject: Subject, plan: WiringPlan, main_a: float, sources_a: float, limit_a: float
) -> Iterator[tuple[str, Mend | None]]:
    """What answers a busbar that is fed too much, each with its size."""
    supply = subject.job.supply
    if limit_a <= 0.0:
        return
    needed_a = (main_a + sources_a) / (limit_a / (supply.busbar_a or supply.main_fuse_a))
    sizes = [size.amps for size in plan.tables.breakers]
    bar = next((size for size in sizes if size >= needed_a - 1e-9), None)
    if bar is not None:
        yield (
            f"a busbar of {bar:g} A",
            Mend(f"A board with a busbar of {bar:g} A", partial(_with_supply, busbar_a=bar)),
        )
    less = max((size for size in sizes if size <= limit_a - sources_a + 1e-9), default=None)
    asked_a = subject.outcome.year.highest_import_kw * 1000.0 / supply.volts / supply.circuit.factor
    if less is not None and asked_a <= less < main_a:
        yield (
            f"a main breaker of {less:g} A",
            Mend(f"A main breaker of {less:g} A", partial(_with_supply, main_fuse_a=less)),
        )


def _with_supply(job: Job, **changes: object) -> Job:
    return job.with_(supply=job.supply.with_(**changes))


QUESTIONS: tuple[tuple[str, Callable[[Inverter], bool], str], ...] = (
    ("rcd", lambda item: True, "which residual-current device it wants"),
    ("dc_isolator", lambda item: item.pv is not None, "whether it has a DC isolator"),
    ("anti_islanding", lambda item: True, "by which standard it parts from a grid that fails"),
    (
        "backup.neutral_bond",
        lambda item: item.backup is not None and item.circuit.has_neutral,
        "who joins neutral and earth in an island",
    ),
    ("backup.changeover_poles", lambda item: item.backup is not None, "how many poles its changeover opens"),
    ("backup.bypass", lambda item: item.backup is not None, "whether it has a bypass"),
)


def unanswered(inverter: Inverter) -> tuple[str, ...]:
    """What a datasheet does not say and an electrician must know."""
    result = []
    for path, asked, words in QUESTIONS:
        if not asked(inverter):
            continue
        value: object = inverter
        for name in path.split("."):
            value = getattr(value, name)
        if value is None:
            result.append(words)
    return tuple(result)


@check
def check_datasheet_answers(subject: Subject) -> list[Finding]:
    """What the datasheet of a new unit leaves open is asked before it counts as well."""
    found: list[Finding] = []
    seen: set[str] = set()
    for converter in subject.design.new_converters:
        inverter = converter.inverter
        if not converter.is_new or converter.micro is not None or inverter.plug_in or inverter.key in seen:
            continue
        seen.add(inverter.key)
        open_questions = unanswered(inverter)
        if open_questions:
            found.append(
                warns(
                    "datasheet answers",
                    "Wiring",
                    "own_equipment.inverters",
                    f"{inverter.name}: its datasheet does not say {', '.join(open_questions)}. Ask its maker, and "
                    "write it into the item.",
                    rule="inverter datasheet",
                )
            )
    return found


@check
def check_island_safety(subject: Subject) -> list[Finding]:
    """Neutral, earth and changeover when the grid is down."""
    design, job, plan = subject.design, subject.job, subject.wiring
    lead = design.battery_converter
    if lead is None or lead.inverter.backup is None or not lead.is_new or plan is None:
        return []
    backup, name, words = lead.backup, lead.name, vocabulary_of(job.supply)
    found: list[Finding] = []
    if backup.neutral_bond is not None:
        by_hand = backup.neutral_bond == "to be wired"
        found.append(
            warns_if(
                by_hand,
                "neutral and earth",
                "Wiring",
                "own_equipment.inverters",
                f"{name} does not join neutral and earth in an island: a relay that does so has to be wired, and it "
                f"must open before {words.supply_back}."
                if by_hand
                else f"{name} joins neutral and earth itself in an island, and parts them before "
                f"{words.supply_back}.",
                rule="IEC 60364-8-2 and the local code, from memory; inverter datasheet",
            )
        )
    if backup.changeover_poles is not None and job.supply.on_grid:
        needed = lead.inverter.circuit.poles
        few = backup.changeover_poles < needed
        found.append(
            warns_if(
                few,
                "changeover poles",
                "Wiring",
                "own_equipment.inverters",
                f"The changeover of {name} opens {backup.changeover_poles} of {needed} conductors"
                + (": neutral stays on the grid's in an island." if few else "."),
                reading=(float(backup.changeover_poles), float(needed), "poles"),
                rule="IEC 60364-5-55, 551.6, from memory; check locally",
            )
        )
    if backup.bypass == "none" and plan.topology.whole_house and job.supply.on_grid:
        found.append(
            warns(
                "bypass",
                "Wiring",
                "own_equipment.inverters",
                f"{name} has no bypass: when it fails the whole house is without power, grid or not. Fit a bypass "
                "switch.",
                rule=PRACTICE,
            )
        )
    return found


@check
def check_pv_isolation(subject: Subject) -> list[Finding]:
    """A unit without a DC isolator of its own wants one beside it."""
    bare = [
        converter.name
        for converter in subject.design.new_converters
        if converter.is_new
        and converter.micro is None
        and converter.has_array
        and converter.inverter.dc_isolator == "none"
    ]
    return [
        warns(
            "DC isolator",
            "Wiring",
            "own_equipment.inverters",
            f"{name} has no DC isolator of its own: fit one beside it, for every input.",
            rule="IEC 60364-7-712, 712.537, from memory; check locally",
        )
        for name in bare
    ]
