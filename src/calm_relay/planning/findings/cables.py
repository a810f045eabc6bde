"""Cables: whether each carries its current, loses little, and bears a short circuit; what the old ones still serve."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from calm_relay.job.model import Job
from calm_relay.job.wires import WireSize
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.amounts import rated_text
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Reading,
    Subject,
    advises,
    check,
    grid_check,
    passes,
    stops,
    warns,
    warns_if,
)
from calm_relay.planning.wiring.cable import Cable, size_cable, size_words
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.wiring import RISE, WiringPlan

PRACTICE = "common practice, no source"
MOST_PARALLEL = 4


def with_route(key: str, **changes: object) -> Callable[[Job], Job]:
    """Changes what the job states of one cable."""

    def apply(job: Job) -> Job:
        route = job.wiring.route(key).with_(**changes)
        return job.with_(wiring=job.wiring.with_route(route))

    return apply


def _path(job: Job, key: str) -> str:
    """Where the job states a cable, or would."""
    numbers = [number for number, route in enumerate(job.wiring.routes) if route.key == key]
    return f"wiring.routes.{numbers[0]}" if numbers else "wiring.routes"


def _figures(cable: Cable) -> str:
    """How a cable stands against what it misses, in words."""
    edge, words = cable.edge, []
    for limit in cable.missed:
        device = cable.device.amps if cable.device is not None else 0.0
        loads_a = cable.asked_a
        if limit == "current":
            by = (
                f" behind {rated_text(device, cable.device_kind)}"
                if device >= cable.limits.needed_a and device
                else ""
            )
            words.append(f"it carries {cable.capacity_a:.0f} A of {loads_a:.0f} A{by}")
        elif limit == "breaker":
            words.append(f"{rated_text(device, cable.device_kind)} is more than may protect it")
        elif limit == "voltage drop":
            words.append(
                f"it loses {cable.drop_share:.1%} of {edge.volts:.0f} V, {cable.limits.drop or 0:.0%} may be"
            )
        elif limit == "voltage rise":
            words.append(f"it raises the voltage by {cable.rise_share:.1%}, {cable.limits.rise or 0:.1%} is left")
        elif limit == "short circuit":
            words.append(f"a short circuit wants {cable.least_mm2:.1f} mm²")
        else:
            words.append("nothing so small is laid for it")
    return ", ".join(words)


def _sized_mends(cable: Cable, subject: Subject, plan: WiringPlan) -> tuple[Mend, ...]:
    """The smallest size that fits, or as many conductors in parallel as are needed."""
    route = subject.job.wiring.route(cable.edge.key)
    # One that was surveyed stays as long as none is named.
    surveyed = cable.typed and route.size is None

    def taken(size: WireSize, label: str, **changes: object) -> Mend:
        named = {"size": size.name, "material": cable.laid.material} if surveyed else {"size": None}
        return Mend(label, with_route(cable.edge.key, **named, **changes))

    mends = []
    free = size_cable(cable.edge, None, cable.laid, cable.limits, plan.tables, cable.device, cable.device_kind)
    if cable.typed and free.size is not None:
        words = size_words(free.size)
        mends.append(taken(free.size, f"A new cable of {words}" if surveyed else f"Take {words}"))
    if free.size is None:
        for many in range(route.parallel + 1, MOST_PARALLEL + 1):
            laid = replace(cable.laid, parallel=many)
            beside = size_cable(cable.edge, None, laid, cable.limits, plan.tables, cable.device, cable.device_kind)
            if beside.size is not None:
                label = f"{many} conductors of {size_words(beside.size)} in parallel"
                mends.append(taken(beside.size, label, parallel=many))
                break
        if "voltage drop" in cable.missed or "voltage rise" in cable.missed:
            half = max(round(cable.laid.length_m / 2.0), 1)
            mends.append(
                Mend(
                    f"A route of {plan.tables.length_words(half)}",
                    with_route(cable.edge.key, length_m=float(half)),
                )
            )
    return tuple(mends)


@check
def check_cables(subject: Subject) -> list[Finding]:
    """Every cable that is laid, or that somebody said is there, must meet its limits."""
    plan, job = subject.wiring, subject.job
    if plan is None:
        region = job.region
        return [
            warns(
                "cables",
                "Wiring",
                "region",
                f"There are no tables of wires for the region {region!r}: no cable is sized. Choose a region that has "
                "them.",
                rule="tables of wires that ship with the rules",
            )
        ]
    found: list[Finding] = []
    laid = [cable for cable in plan.cables if not cable.is_there]
    for cable in laid:
        if not cable.missed:
            continue
        name = name_of(cable.edge, plan.topology)
        what = cable.problem or _figures(cable)
        size = f"{size_words(cable.size)} " if cable.typed and cable.size is not None else ""
        opening = f"{name}: {size}".rstrip() if size else f"{name}: no size meets all"
        joined = f"{opening}: {what}." if size else f"{opening}; even the largest: {what}."
        reading: Reading = (cable.capacity_a, max(cable.limits.needed_a, 1e-9), "A")
        if cable.problem:
            joined, reading = f"{name}: {cable.problem}.", (None, None, "")
        found.append(
            stops(
                "cables",
                "Wiring",
                _path(job, cable.edge.key),
                joined,
                reading=reading,
                rule=f"{cable.clause or plan.tables.summary}{'' if cable.own else ', from memory'}; check locally",
                mends=_sized_mends(cable, subject, plan),
            )
        )
    if laid and not found:
        assumed = sum("length_m" in cable.laid.assumed for cable in laid)
        said = f"; {assumed} of their lengths are assumed" if assumed else ""
        drops = max((cable.drop_share for cable in laid), default=0.0)
        found.append(
            passes(
                "cables",
                "Wiring",
                "wiring.routes",
                f"{len(laid)} cable{'s' * (len(laid) != 1)} to lay, each sized by current, voltage drop and short "
                f"circuit{said}. The longest loses {drops:.1%}.",
                rule=plan.tables.summary,
            )
        )
    return found


@advises
@check
def check_battery_cables(subject: Subject) -> list[Finding]:
    """Battery cables carry their highest current at the lowest working voltage; packs in parallel share by length."""
    plan = subject.wiring
    if plan is None:
        return []
    found: list[Finding] = []
    for cable in plan.cables:
        edge = cable.edge
        if edge.kind != "battery" or cable.size is None or cable.is_there:
            continue
        fuse = rated_text(cable.device.amps, "fuse") if cable.device is not None else "no fuse large enough"
        sentence = (
            f"{name_of(edge, plan.topology)}: {edge.amps:.0f} A at {edge.volts:.0f} V, its lowest working voltage: "
            f"{cable.words} and {fuse}"
        )
        packs = next(
            (item for item in plan.cables if item.edge.kind == "pack" and item.edge.start == edge.end), None
        )
        if packs is not None and packs.size is not None and packs.device is not None:
            sentence += (
                f"; each of {packs.edge.runs} packs {packs.words} of one length and "
                f"{rated_text(packs.device.amps, 'fuse')}. "
                "Bring all packs to the same charge before they are joined."
            )
        else:
            sentence += "."
        found.append(
            passes(
                "battery cable",
                "Wiring",
                _path(subject.job, edge.key),
                sentence,
                reading=(cable.limits.needed_a, cable.capacity_a, "A"),
                rule=f"{cable.clause}; a quarter to spare for the fuse: {PRACTICE}",
            )
        )
    return found


@advises
@grid_check
def check_voltage_rise(subject: Subject) -> list[Finding]:
    """Between inverter and meter the voltage rises with what is fed in; too much makes inverters trip."""
    plan, rule = subject.wiring, subject.rules.of(RISE)
    if plan is None or rule is None:
        return []
    found: list[Finding] = []
    for cable in plan.cables:
        if cable.edge.kind not in ("unit", "branch") or cable.size is None:
            continue
        rise = plan.rise_share(cable.edge.key)
        over = rise > rule.limit + 1e-9
        volts = subject.job.supply.volts
        sentence = (
            f"{name_of(cable.edge, plan.topology)}: with everything at full power the voltage there stands "
            f"{rise:.1%}, {rise * volts:.1f} V, above the meter's; {rule.limit:.0%} may be"
        )
        sentence += ", or inverters trip on a sunny noon." if over else "."
        mends = _rise_mends(cable, plan, rule.limit) if over else ()
        found.append(
            warns_if(
                over,
                "voltage rise",
                "Wiring",
                _path(subject.job, cable.edge.key),
                sentence,
                reading=(rise * 100.0, rule.limit * 100.0, "%"),
                rule=rule.authority,
                mends=mends,
            )
        )
    return found


def _rise_mends(cable: Cable, plan: WiringPlan, limit: float) -> tuple[Mend, ...]:
    """A heavier cable of those between the unit and the meter that is enough by itself, the nearest first."""
    ahead = [edge for edge in plan.topology.towards_grid(cable.edge.start) if edge.kind != "service"]
    path = [cable, *(plan.cable(edge.key) for edge in ahead)]
    total = plan.rise_share(cable.edge.key)
    for item in path:
        if item.size is None:
            continue
        bigger = [size for size in plan.tables.sizes if size.mm2 > item.size.mm2]
        for size in bigger:
            trial = size_cable(
                item.edge, size.name, item.laid, item.limits, plan.tables, item.device, item.device_kind
            )
            if trial.size is not None and total - item.rise_share + trial.rise_share <= limit + 1e-9:
                label = f"{size_words(size)} for {name_of(item.edge, plan.topology)}"
                return (Mend(label, with_route(item.edge.key, size=size.name)),)
    return ()


@check
def check_old_circuit(subject: Subject) -> list[Finding]:
    """The cable and breaker of an inverter that goes, held against the box that takes its place."""
    plan = subject.wiring
    if plan is None:
        return []
    found: list[Finding] = []
    for gone in subject.design.removed:
        seen = gone.surveyed.circuit if gone.surveyed is not None else None
        if gone.surveyed is None or seen is None or not seen.reuse:
            continue
        if seen.size is None and seen.breaker_a is None:
            continue
        new = _successor(plan, gone)
        if new is not None:
            found.append(_old_against_new(subject, plan, gone, new))
    return found


def _successor(plan: WiringPlan, gone: Converter) -> Cable | None:
    """The AC cable of the new unit that takes the place of one that goes: the heaviest."""
    new = [cable for cable in plan.cables if cable.edge.kind == "unit" and cable.edge.status == "new"]
    return max(new, key=lambda cable: cable.edge.amps, default=None)


def _old_against_new(subject: Subject, plan: WiringPlan, gone: Converter, new: Cable) -> Finding:
    assert gone.surveyed is not None, "the survey knows it"
    seen, edge = gone.surveyed.circuit, new.edge
    number = next(
        index for index, item in enumerate(subject.job.existing_inverters) if item.name == gone.surveyed.name
    )
    faults: list[str] = []
    reading: Reading = (edge.amps, None, "A")
    if seen.breaker_a is not None and seen.breaker_a < new.limits.needed_a - 1e-9:
        faults.append(f"its {seen.breaker_a:g} A breaker is below {new.limits.needed_a:.0f} A")
        reading = (new.limits.needed_a, seen.breaker_a, "A")
    kept = None
    if seen.size is not None:
        laid = replace(new.laid, material=seen.material)
        kept = size_cable(edge, seen.size, laid, new.limits, plan.tables, new.device, new.device_kind)
        if kept.missed:
            of = size_words(kept.size) if kept.size is not None else seen.size
            faults.append(kept.problem or f"its cable of {of}: {_figures(kept)}")
            reading = (new.asked_a, kept.capacity_a, "A")
    title = plan.topology.node(edge.end).title
    if not faults:
        return passes(
            "old circuit",
            "Wiring",
            f"existing_inverters.{number}.circuit",
            f"The circuit of {gone.surveyed.name} serves {title} too, {edge.amps:.0f} A: it can be re-used after "
            "a test of its insulation.",
            reading=(edge.amps, kept.capacity_a if kept else seen.breaker_a, "A"),
            rule=plan.tables.summary,
        )
    mend = Mend(f"Lay {new.words} anew", partial(_laid_anew, number=number))
    return warns(
        "old circuit",
        "Wiring",
        f"existing_inverters.{number}.circuit",
        f"The circuit of {gone.surveyed.name} does not serve {title}, {edge.amps:.0f} A: {'; '.join(faults)}. "
        "Replace it, do not re-use it.",
        reading=reading,
        rule=plan.tables.summary,
        mends=(mend,) if new.size is not None else (),
    )


def _laid_anew(job: Job, number: int) -> Job:
    """The old circuit is given up: the new unit has a cable of its own."""
    circuit = job.existing_inverters[number].circuit.with_(reuse=False)
    return job.with_existing_inverter(number, circuit=circuit)
