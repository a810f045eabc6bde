"""The work order: steps in a safe order with isolation points, tests to fill in and photos wanted."""

from collections.abc import Iterator
from dataclasses import dataclass

from calm_relay.job.rooms import IN_ROOM
from calm_relay.planning.architecture.battery_room import barrier, clearance
from calm_relay.planning.architecture.car_charger import car_on_dc
from calm_relay.planning.architecture.connections import (
    backed_up_circuits,
    kept_generators,
    told_apart,
    units_moved,
    units_of,
)
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.shut_off import shut_down_outside_kwh
from calm_relay.planning.architecture.topology import BACKED_UP, METER
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.operation.fuel import stand_in
from calm_relay.planning.operation.lead_bank import lead_bank_of
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.wiring import WiringPlan

LOCAL = "as the local code says"


@dataclass(frozen=True)
class Step:
    """One step: the stage it belongs to, what is done, what is isolated first, what is measured, which photo."""

    stage: str
    text: str
    isolate: str = ""
    measure: str = ""
    photo: str = ""


@said_in_region
def steps_of(option: Option) -> tuple[Step, ...]:
    """Every step of the works in a safe order.

    Parameters
    ----------
    option : Option
        An option that can be built.
    """
    plan = option.wiring
    steps = [*_before(option), *_dead(option, plan), *_away(option), *_roof(option), *_hang(option)]
    if plan is not None:
        steps += [*_pull(plan), *_circuits(option, plan)]
    steps += [*_car_charger(option), *_join(option), *_tests(option), *_start(option), *_handover(option)]
    return tuple(steps)


def _before(option: Option) -> Iterator[Step]:
    job = option.context.job
    allowed = "Permit and the operator's answer" if job.supply.on_grid else "Permit, where one is asked for,"
    yield Step("Before", f"{allowed} at hand; the option's diagram and settings printed.")
    yield Step(
        "Before",
        f"Walk the routes and write down each length. Site: {job.site.place}.",
        photo="board, meter, roof, place of the battery",
    )
    if _works_on_roof(option):
        yield Step("Before", "Scaffold or edge protection up; weather fit for roof work.")


def _works_on_roof(option: Option) -> bool:
    """Whether anybody has to go up: modules come or go, something goes under them, or strings are made anew."""
    design = option.design
    laid = any(
        run.face.plan.fate == "new" or (converter.micro is not None and converter.is_new)
        for converter in design.pv_converters
        for run in converter.stringing.runs
    )
    devices = design.shutdown is not None and design.shutdown.bare > 0
    return laid or devices or design.strings_moved > 0 or bool(design.taken_down(option.context.job))


def _dead(option: Option, plan: WiringPlan | None) -> Iterator[Step]:
    design, job = option.design, option.context.job
    if not design.new_converters:
        return
    for unit in told_apart(option.context.now):
        points = ["AC breaker"]
        points += ["DC isolator"] if unit.has_array and unit.micro is None else []
        points += ["battery isolator"] if unit.has_battery else []
        care = "; never a DC plug under load" if unit.has_array else ""
        opened = f"Stop {unit.name} by its menu, then open its {', then its '.join(points)}"
        if unit.micro is not None:
            # They have no menu, and stop when their branch has no voltage.
            points = ["breaker of each branch"]
            on = joined([face.plan.name for face in unit.faces])
            opened = f"Open the breaker of each branch of microinverters on {on}: without voltage they stop"
        yield Step(
            "Make safe",
            f"{opened}{care}.",
            isolate=", ".join(points),
            measure="volts AC and DC: dead",
        )
    if not job.supply.on_grid:
        return
    yield Step(
        "Make safe",
        "Open and lock the main switch; prove dead on each conductor.",
        isolate="main switch, locked",
        measure="volts of each conductor: dead",
    )
    if plan is not None and any(
        edge.start == METER and edge.status == "new" for edge in plan.topology.power_edges
    ):
        yield Step(
            "Make safe",
            "Between meter and main switch it stays live: the new cable there is connected only once the network "
            "operator has isolated the service.",
            isolate="service, by the network operator",
            measure="volts of each conductor at the meter: dead",
        )


def _away(option: Option) -> Iterator[Step]:
    for gone in option.design.removed:
        yield Step("Take away", f"Take {gone.name} off the wall; make its cables safe and name them.")
    for face in option.design.taken_down(option.context.job):
        yield Step(
            "Take away",
            f"Take {counted(face.count, 'module')} off {face.name}; make good the roof.",
            photo=f"{face.name}, bare",
        )


def _roof(option: Option) -> Iterator[Step]:
    for converter in option.design.pv_converters:
        if converter.micro is not None and converter.is_new:
            names = " and ".join(face.plan.name for face in converter.faces)
            yield Step(
                "Roof",
                f"Fix {converter.inverter.name} and their trunk cables to the rails of {names}, before the modules; "
                "write down which serial number lies where.",
                measure="continuity of earth; every connector home",
                photo=f"{names}: the map of serial numbers",
            )
    laid: dict[str, int] = {}
    for converter in option.design.pv_converters:
        for run in converter.stringing.runs:
            if run.face.plan.fate == "new":
                laid[run.face.plan.name] = laid.get(run.face.plan.name, 0) + run.modules
    for name, count in laid.items():
        yield Step(
            "Roof",
            f"Lay {counted(count, 'module')} on {name}.",
            measure="torque of clamps, by their maker",
            photo=f"{name}, done; one clamp near",
        )
    for converter in option.design.pv_converters:
        if converter.micro is not None or converter.laid is None:
            continue
        for item in converter.laid.inputs:
            said = " + ".join(f"{run.parallel} × {run.in_series} of {run.face.plan.name}" for run in item.runs)
            anew = converter.is_new or option.design.strings_moved
            if anew:
                volts = sum(run.open_v(25.0) for run in item.runs[:1])
                yield Step(
                    "Roof",
                    f"Input {item.number} of {converter.name}: {said}.",
                    measure=f"open-circuit volts, about {volts:.0f} V at 25 °C; polarity; insulation",
                )


def _hang(option: Option) -> Iterator[Step]:
    place, rules = option.context.job.battery_place, option.context.rules
    length = option.context.survey.length_words
    room, clear = place.stands_in, clearance(rules, place.stands_in)
    where = f" {IN_ROOM[room]}" if room is not None else ""
    apart = f", {length(clear.limit)} or more from {clear.rule.applies_to}" if clear is not None else ""
    for converter in option.design.new_converters:
        if converter.is_new and converter.micro is None:
            each = " each" if units_of(converter) > 1 else ""
            yield Step(
                "Hang",
                f"Hang {converter.name}, {converter.inverter.weight_kg:g} kg{each}, with its clearances.",
                measure="torque of its fixings",
            )
        bought = converter.bought_packs
        fire = barrier(rules, place) if bought is not None else None
        if fire is not None:
            yield Step(
                "Hang",
                "Fix the non-combustible barrier behind the battery, "
                f"{length(fire.limit)} beyond it on each side.",
                photo="barrier before the battery hides it",
            )
        if bought is not None:
            yield from _vents(option, converter)
            yield Step(
                "Hang",
                f"Set up {bought.summary}{where}, lower edge {length(place.base_m)} up{apart}.",
                measure="volts of each pack: alike within what its maker allows",
                photo="battery with its clearances",
            )
            yield from _blocks(converter)


def _vents(option: Option, converter: Converter) -> Iterator[Step]:
    """Air and care for the acid, before the first block of a lead-acid bank is there."""
    bank = lead_bank_of(converter)
    if bank is None:
        return
    air, opening = bank.air_words(option.context.survey.in_feet)
    yield Step(
        "Hang",
        f"Openings to the open air, one low and one high, {opening} free each: {air} of fresh air while it charges. "
        "Goggles, gloves and water to wash by; insulated tools, no spark.",
        measure="free area of each opening",
        photo="both openings",
    )


def _blocks(converter: Converter) -> Iterator[Step]:
    """Which blocks make a lead-acid bank, and where its sensor goes."""
    bank = lead_bank_of(converter)
    if bank is None:
        return
    acid = "" if bank.sealed else "; acid up to its mark and its density, cell by cell"
    yield Step(
        "Hang",
        "Blocks of one make, age and charge only; fix the temperature sensor to one in the middle.",
        measure=f"volts of each block at rest{acid}",
    )


def _pull(plan: WiringPlan) -> Iterator[Step]:
    for cable in plan.cables:
        if cable.edge.status == "there" or cable.size is None:
            continue
        device = f", {cable.device.amps:g} A {cable.device_kind}" if cable.device is not None else ""
        runs = f"{cable.edge.runs} × " if cable.edge.runs > 1 else ""
        length = plan.tables.length_words(cable.laid.length_m)
        yield Step(
            "Pull and connect",
            f"{name_of(cable.edge, plan.topology)}: {runs}{cable.words}, {length}{device}.",
            measure="torque of terminals; insulation; polarity"
            if cable.edge.circuit == "dc"
            else "torque of terminals; insulation; continuity of earth",
        )


def _circuits(option: Option, plan: WiringPlan) -> Iterator[Step]:
    """Circuits that come to hang on the board that stays on, and relays of those that are shed."""
    lead = option.design.battery_converter
    if lead is None or not lead.is_new or lead.inverter.backup is None:
        return
    circuits = backed_up_circuits(option.design, option.context.job)
    if plan.topology.brings(BACKED_UP) and circuits:
        yield Step(
            "Pull and connect",
            f"Move to the backup board, line and neutral together: {joined([f'“{item.name}”' for item in circuits])}.",
            isolate="each circuit, proved dead",
            measure="no neutral shared with a circuit that stays; residual-current devices trip",
            photo="backup board, its circuits named",
        )
    where = "ahead of the changeover" if plan.topology.whole_house else "to the backup board"
    for unit in units_moved(option.design, option.context.job):
        yield Step(
            "Pull and connect",
            f"Move the AC circuit of {unit.name} {where}.",
            isolate="its AC breaker, proved dead",
            measure="torque of terminals; its breaker is the one of the diagram",
        )
    shed = [f"“{item.name}”" for item in circuits if item.role == "shed"]
    if shed:
        yield Step(
            "Pull and connect",
            f"Wire a relay of {lead.name} into {joined(shed)}.",
            measure="each drops out and comes back by its relay",
        )


def _car_charger(option: Option) -> Iterator[Step]:
    charger = car_on_dc(option.design, option.context.job)
    if charger is not None and charger.is_new:
        yield Step(
            "Pull and connect",
            f"Set up the DC charger for {charger.car.name} and connect it to {charger.unit.name}, its fuse and "
            "isolator open.",
            isolate="array and battery, proved dead",
            measure="polarity; insulation; no DC at the plug without a car",
            photo="DC charger and its isolator",
        )


def _join(option: Option) -> Iterator[Step]:
    for converter in option.design.new_converters:
        bank = converter.bought_packs
        if bank is not None and bank.in_parallel > 1:
            what = "packs" if bank.pack.stacking == "parallel" else "stacks"
            yield Step(
                "Join",
                f"Bring all {what} to the same charge; only then join them on the busbar, with cables of one length.",
                measure=f"volts between {what} before joining",
            )
        if bank is not None and bank.pack.stacking == "series" and bank.count > 1:
            yield Step(
                "Join",
                "Bring all layers to the same charge before the first connection in series.",
                measure="volts of each layer",
            )


def _tests(option: Option) -> Iterator[Step]:
    job = option.context.job
    yield Step(
        "Test", "Insulation, earth continuity, polarity of every circuit, residual-current devices.", measure=LOCAL
    )
    arrays = [converter for converter in option.design.converters if converter.has_array]
    if any(converter.micro is not None for converter in arrays):
        yield Step(
            "Test",
            "Each branch of microinverters: insulation to earth before it is joined, volts at its end, and that every "
            "unit reports.",
            measure="megohms, volts, units that report",
        )
    if any(converter.micro is None for converter in arrays):
        yield Step(
            "Test",
            "Each string: open-circuit volts, short-circuit current, insulation to earth (IEC 62446-1).",
            measure="volts, amps, megohms",
        )
    if option.design.shutdown is not None:
        yield Step(
            "Test",
            "Rapid shutdown: set it off in sunlight and wait 30 s; then set it back.",
            measure="volts at the ends of each string",
        )
    if shut_down_outside_kwh(option.design, option.context.rules) is not None:
        yield Step(
            "Test",
            "Emergency shutdown of the battery: set it off from outside while it gives power; then set it back.",
            measure="battery power falls to nothing; it gives none until it is set back",
        )
    if job.supply.on_grid and option.design.battery_converter is not None:
        yield Step(
            "Test",
            "Current transformers: load on, array off: import shows; load off, array on: export shows.",
            measure="sign of the reading",
        )


def _start(option: Option) -> Iterator[Step]:
    lead = option.design.battery_converter
    if option.design.new_converters:
        strings = any(unit.has_array and unit.micro is None for unit in option.design.converters)
        isolators = ", then DC isolators" if strings else ""
        batteries = ", then batteries" if lead is not None else ""
        order = f"the main switch, then AC breakers{isolators}{batteries}"
        if not option.context.job.supply.on_grid and lead is not None:
            # Without a grid nothing is live before the battery is.
            order = f"batteries, start the unit that forms the grid, then close AC breakers{isolators}"
        yield Step("Start", f"Close {order}, as the makers say.", measure="volts at each step")
        yield Step(
            "Start",
            "Key in the settings sheet, unit by unit, and read each back.",
            photo="each screen with its settings",
        )
    if lead is not None and lead.inverter.backup is not None and option.context.job.supply.on_grid:
        yield Step(
            "Start",
            f"Open the main switch: {lead.name} carries the backed-up circuits within "
            f"{lead.backup.transfer_ms:g} ms.",
            measure="volts and frequency on backup; which circuits are live",
        )
        yield Step(
            "Start", "Close it again: the house goes back to the grid by itself.", measure="time until it is back"
        )
    by_hand = stand_in(option.context.job)
    if by_hand is not None and lead is not None:
        yield Step(
            "Start",
            f"Start {by_hand.name} and switch over to it by hand: arrays and batteries stay off while it runs.",
            measure="volts and frequency from it; no power flows back into it",
        )
    if any(generator.runs for generator in kept_generators(option.design, option.context.job)):
        beside = any(unit.has_array and not unit.has_battery for unit in option.design.converters)
        apart = "; arrays on the bus stay off while it runs" if beside else ""
        yield Step(
            "Start",
            f"Run the generator by its threshold{apart}.",
            measure="start, stop, reverse power: none",
        )


def _handover(option: Option) -> Iterator[Step]:
    if option.design.new_converters:
        yield Step(
            "Hand over", "Labels on; diagram and shutdown plan beside the board.", photo="every label in its place"
        )
        yield Step(
            "Hand over",
            "Show the customer: "
            f"{'what stays on in an outage' if option.context.job.supply.on_grid else 'what is shed, and when'}, "
            "how to bypass, whom to call.",
            measure="signed",
        )


@said_in_region
def step_rows(option: Option) -> list[list[str | float | None]]:
    """The steps as rows of a table, with a head."""
    rows: list[list[str | float | None]] = [
        ["number", "stage", "step", "isolated first", "to measure", "reading", "photo", "done by"]
    ]
    for number, step in enumerate(steps_of(option), 1):
        rows.append([float(number), step.stage, step.text, step.isolate, step.measure, "", step.photo, ""])
    return rows
