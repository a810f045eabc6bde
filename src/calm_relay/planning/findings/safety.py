"""What keeps people safe at an inverter: residual current, surges, isolation at both ends, parting from the grid."""

from collections.abc import Iterator

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.shut_off import (
    ARC_FAULT,
    BATTERY_SHUTDOWN,
    arcs_watched,
    shut_down_outside_kwh,
)
from calm_relay.planning.architecture.topology import BACKED_UP
from calm_relay.planning.common.amounts import amount_text
from calm_relay.planning.common.joined import counted
from calm_relay.planning.findings.base import Finding, Subject, check, grid_check, passes, warns, warns_if
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.surge import AT_BOTH_ENDS_M, SURGE_M, critical_m, dc_length_m

# A unit nearer than this to its breaker, and in sight of it, has no isolator of its own: common practice, no source.
IN_SIGHT_M = 3.0
PRACTICE = "common practice, no source"


def _new_units(subject: Subject) -> Iterator[tuple[int, Converter]]:
    for number, converter in enumerate(subject.design.converters):
        if converter.is_new and converter.micro is None and not converter.inverter.plug_in:
            yield number, converter


@check
def check_residual_current(subject: Subject) -> list[Finding]:
    """The residual-current device that each new unit's datasheet wants on its AC side."""
    found = {}
    for _, converter in _new_units(subject):
        wanted, name = converter.inverter.rcd, converter.inverter.name
        if wanted is None:
            continue
        words = (
            f"{name} wants a residual-current device of {wanted}, where its cable has one."
            if wanted != "none"
            else f"{name} wants no residual-current device of its own; where the local code asks for one, its type."
        )
        found[name] = passes(
            "residual current",
            "Wiring",
            "own_equipment.inverters",
            words,
            rule="inverter datasheet; IEC 60364-7-712, 712.530, from memory",
        )
    return list(found.values())


@check
def check_rapid_shutdown(subject: Subject) -> list[Finding]:
    """What brings new strings on a building down to few volts, where the region asks for it."""
    asked, costs = subject.design.shutdown, subject.job.costs
    if asked is None:
        return []
    held = f"{asked.rule.limit:g} V within the array"
    if not asked.bare:
        return [
            passes(
                "rapid shutdown",
                "Strings",
                "faces",
                f"Rapid shutdown to {held}: the optimisers under {counted(asked.optimised, 'module')} do it where "
                "their maker lists them for it; ask for the listing, and where its switch stands.",
                rule=asked.rule.authority,
            )
        ]
    currency = subject.job.tariff.currency
    each, switch = (amount_text(price, currency) for price in (costs.shutdown_device, costs.shutdown_switch))
    devices = (
        f"The devices are in the outlay at {each} each" if costs.shutdown_device else "No device is in the outlay"
    )
    paid = f"{devices}, the switch at {switch}" if costs.shutdown_switch else f"{devices}; a switch is not"
    return [
        warns(
            "rapid shutdown",
            "Strings",
            "faces",
            f"The strings on the building stand at up to {asked.volts:.0f} V, and a rapid shutdown leaves "
            f"no more than {held}: a shutdown device under each of {counted(asked.bare, 'module')} and a switch "
            f"that sets it off, or electronics under the modules. {paid}.",
            reading=(asked.volts, asked.rule.limit, "V"),
            rule=asked.rule.authority,
        )
    ]


@check
def check_arc_fault(subject: Subject) -> list[Finding]:
    """What finds an arc in new strings on a building, where the region asks for it."""
    rule, found = subject.rules.of(ARC_FAULT), []
    if rule is None:
        return []
    for converter, volts in arcs_watched(subject.design, rule):
        name, held = converter.name, converter.inverter.arc_fault
        said = {
            "built in": f"{name} finds arcs in the cables of its strings itself",
            "none": f"{name} finds no arcs: a detector that is listed for it, for every input",
            None: f"The datasheet of {name} does not say whether it finds arcs: ask, and write it into the item",
        }[held]
        found.append(
            warns_if(
                held != "built in",
                "arc fault",
                "Strings",
                "own_equipment.inverters",
                f"{said}. The strings work at up to {volts:.0f} V; it is wanted from {rule.limit:g} V.",
                reading=(volts, rule.limit, "V"),
                rule=rule.authority,
            )
        )
    return found


@check
def check_battery_shutdown(subject: Subject) -> list[Finding]:
    """What shuts a battery down from outside the house, where the region asks for it."""
    kwh = shut_down_outside_kwh(subject.design, subject.rules)
    rule = subject.rules.of(BATTERY_SHUTDOWN)
    if kwh is None or rule is None:
        return []
    outdoors = subject.job.battery_place.where == "outdoors"
    where = (
        "the unit's own serves where one can reach it"
        if outdoors
        else "a switch outdoors, where one can reach it, that shuts the battery down; it is on the list of parts"
    )
    return [
        warns_if(
            not outdoors,
            "battery shutdown",
            "Battery",
            "battery_place.where",
            f"{rule.rule.name} ({kwh:.1f} kWh): {where}.",
            # Many times more than asks for it is no worse than a little more.
            reading=(kwh, None, "kWh"),
            rule=rule.authority,
        )
    ]


@check
def check_surge(subject: Subject) -> list[Finding]:
    """Surge devices on the DC side, by the length of its cables and the strokes of the place."""
    plan, job = subject.wiring, subject.job
    if plan is None or not any(converter.has_array for _, converter in _new_units(subject)):
        return []
    length, strokes = dc_length_m(plan), job.wiring.strokes_km2
    if length <= 0.0:
        return []
    long = plan.tables.length_words(round(length, 1))
    rule = "IEC 60364-7-712, 712.443, from memory; check locally"
    if strokes is None:
        return [
            passes(
                "surge devices",
                "Wiring",
                "wiring.strokes_km2",
                f"DC cables of {long}: with {SURGE_M / length:.1f} lightning strokes a km² and year or more, "
                "surge devices are wanted at the inverter. Their number is not stated.",
                rule=rule,
            )
        ]
    most = critical_m(strokes)
    over = length >= most
    ends = (
        f", and at the array, more than {plan.tables.length_words(AT_BOTH_ENDS_M)} away"
        if length > AT_BOTH_ENDS_M
        else ""
    )
    said = f"DC cables of {long} at {strokes:g} strokes a km² and year: " + (
        f"surge devices are wanted at the inverter{ends}."
        if over
        else f"none are wanted below {plan.tables.length_words(round(most))}."
    )
    return [
        warns_if(
            over, "surge devices", "Wiring", "wiring.strokes_km2", said, reading=(length, most, "m"), rule=rule
        )
    ]


@check
def check_isolation(subject: Subject) -> list[Finding]:
    """Each new unit is isolated at both ends of its AC cable."""
    plan = subject.wiring
    if plan is None:
        return []
    found = []
    for number, _ in _new_units(subject):
        cable = next((c for c in plan.cables if c.edge.kind == "unit" and c.edge.unit == number), None)
        if cable is None:
            continue
        far = cable.laid.length_m > IN_SIGHT_M
        apart = plan.tables.length_words(cable.laid.length_m)
        words = (
            f"the unit stands {apart} from its breaker: an isolator beside it as well, that can be locked."
            if far
            else f"the unit stands {apart} from its breaker, which isolates it if it is in sight."
        )
        found.append(
            passes(
                "isolation",
                "Wiring",
                "wiring.routes",
                f"{name_of(cable.edge, plan.topology)}: {words}",
                reading=(cable.laid.length_m, IN_SIGHT_M, "m"),
                rule=f"IEC 60364-7-712, 712.537, from memory; distance: {PRACTICE}",
            )
        )
    return found


@grid_check
def check_anti_islanding(subject: Subject) -> list[Finding]:
    """Each new unit parts from a grid that fails, by a test that its datasheet names."""
    found = {}
    for _, converter in _new_units(subject):
        inverter = converter.inverter
        if inverter.anti_islanding is None:
            continue
        found[inverter.name] = passes(
            "anti-islanding",
            "Grid",
            "own_equipment.inverters",
            f"{inverter.name} parts from a grid that fails, tested by {inverter.anti_islanding}. The operator says "
            "which certificate it wants, and whether a switch that it can lock stands at the meter.",
            rule="inverter datasheet",
        )
    return list(found.values())


@grid_check
def check_backup_board_switch(subject: Subject) -> list[Finding]:
    """The backup board has a main switch of its own."""
    plan = subject.wiring
    if plan is None or not plan.topology.brings(BACKED_UP):
        return []
    feeder = next(edge for edge in plan.topology.power_edges if edge.end == BACKED_UP)
    device = plan.cable(feeder.key).device
    poles = CIRCUITS[feeder.circuit].poles
    if device is None:
        return []
    return [
        warns_if(
            device.amps < feeder.amps - 1e-9,
            "backup board switch",
            "Wiring",
            "wiring.routes",
            f"The backup board wants a main switch of {device.amps:g} A or more that opens {poles} conductors; up to "
            f"{feeder.amps:.0f} A come through the changeover.",
            reading=(feeder.amps, device.amps, "A"),
            rule="IEC 60364-5-53, 536.4, from memory; check locally",
        )
    ]


@grid_check
def check_generator_transfer(subject: Subject) -> list[Finding]:
    """A generator beside the grid: what keeps the two apart."""
    lead = subject.design.battery_converter
    if lead is None or lead.inverter.backup is None:
        return []
    if not lead.backup.generator_input:
        return []
    return [
        passes(
            "generator transfer",
            "Wiring",
            f"generators.{number}.on",
            f"{lead.name} holds grid and {generator.name} apart by its own transfer.",
            rule="inverter datasheet",
        )
        for number, generator in enumerate(subject.job.generators)
        if generator.runs
    ]
