"""Materials of an option: every part with its quantity, what it is for, and what is used again or taken away."""

from dataclasses import dataclass, replace
from math import ceil
from typing import Literal

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.equipment import KINDS
from calm_relay.planning.architecture.battery_room import barrier
from calm_relay.planning.architecture.car_charger import car_on_dc
from calm_relay.planning.architecture.connections import (
    backed_up_circuits,
    kept_generators,
    service_fates,
    units_moved,
    units_of,
)
from calm_relay.planning.architecture.rapid_shutdown import SHUTDOWN
from calm_relay.planning.architecture.shut_off import ARC_FAULT, arcs_watched, shut_down_outside_kwh
from calm_relay.planning.architecture.topology import BACKED_UP, CHANGEOVER, Edge
from calm_relay.planning.common.joined import joined
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.findings.safety import IN_SIGHT_M
from calm_relay.planning.operation.lead_bank import lead_bank_of
from calm_relay.planning.site.roof_room import unmeasured_row
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.views.wiring_list import colours_of
from calm_relay.planning.wiring.cable import Cable, size_words
from calm_relay.planning.wiring.protection import STRING_FUSE
from calm_relay.planning.wiring.surge import AT_BOTH_ENDS_M, critical_m, dc_length_m
from calm_relay.planning.wiring.wiring import WiringPlan

Group = Literal[
    "Modules",
    "Mounting",
    "Inverters",
    "Batteries",
    "Service",
    "Cables",
    "Protection",
    "Signals",
    "Small parts",
    "Labels",
]
GROUPS: tuple[Group, ...] = (
    "Modules", "Mounting", "Inverters", "Batteries", "Service", "Cables", "Protection", "Signals", "Small parts",
    "Labels",
)  # fmt: skip
Fate = Literal["to buy", "used again", "taken away"]
# Cut off and spoilt, share of what is laid; rails that stand over each end [m]; a hook or foot each so many metres of
# rail; what a trunking holds beside what is measured. Common practice, no source.
WASTE = 0.1
RAIL_OVER_M = 0.1
HOOK_EACH_M = 1.2
SHUTDOWN_DEVICE = "Shutdown device under a module"
SHUTDOWN_SWITCH = "Switch that sets off the rapid shutdown"
PRACTICE = "common practice, no source"
DOUBLE_POLES = 2


@dataclass(frozen=True)
class Part:
    """One line of the list.

    `price` is of one, None where nobody stated it; `number` is the supplier's article number.
    """

    group: Group
    article: str
    quantity: float
    unit: str
    fate: Fate = "to buy"
    price: float | None = None
    note: str = ""
    number: str = ""
    supplier: str = ""

    @property
    def counted(self) -> str:
        """How many of it, in words."""
        unit = "piece" if self.unit == "pieces" and self.quantity == 1.0 else self.unit
        return f"{self.quantity:g} {unit}"

    @property
    def amount(self) -> float | None:
        """What the line costs; None where its price is not known."""
        return None if self.price is None else self.price * self.quantity


def _priced(price: float) -> float | None:
    return price if price > 0.0 else None


def _modules(option: Option) -> list[Part]:
    parts: list[Part] = []
    laid: dict[tuple[str, Fate, float], int] = {}
    under: dict[tuple[str, float], int] = {}
    micros: dict[tuple[str, float, Fate], int] = {}
    for converter in option.design.converters:
        for run in converter.laid.runs if converter.laid else ():
            new = run.face.plan.fate == "new"
            lies: Fate = "to buy" if new else "used again"
            key = (run.module.name, lies, run.module.price)
            laid[key] = laid.get(key, 0) + run.modules
            if run.optimiser is not None and new:
                found = (run.optimiser.name, run.optimiser.price)
                under[found] = under.get(found, 0) + run.modules
            if converter.micro is not None:
                fate: Fate = "to buy" if converter.is_new else "used again"
                of = (converter.micro.name, converter.micro.price, fate)
                micros[of] = micros.get(of, 0) + run.modules
    parts += [Part("Modules", name, n, "pieces", fate, _priced(price)) for (name, fate, price), n in laid.items()]
    parts += [Part("Modules", name, n, "pieces", "to buy", _priced(price)) for (name, price), n in under.items()]
    parts += [
        Part("Inverters", name, n, "pieces", fate, _priced(price)) for (name, price, fate), n in micros.items()
    ]
    for face in option.design.taken_down(option.context.job):
        name = option.context.equipment.module(face.module, "faces").name
        parts.append(Part("Modules", name, face.count, "pieces", "taken away", note=face.name))
    return parts


# What a rail stands on, by what the roof is covered with: common practice, no source.
HOOKS = "hooks or feet"
FIXINGS = {
    "tiles": "roof hooks for tiles",
    "slates": "hooks for slates, with flashing",
    "shingles": "feet with flashing for shingles",
    "corrugated sheet": "hanger bolts or feet for corrugated sheet, with seal",
    "standing seam": "clamps for standing seam",
    "flat roof": "supports for a flat roof; ballast as wind and roof allow",
    "ground": "posts or ground screws",
}


def mounting_of(run_modules: int, row: int, along_m: float) -> dict[str, float]:
    """Rails, clamps and hooks of modules in rows.

    Parameters
    ----------
    run_modules : int
        Modules of the face.
    row : int
        Modules in a row.
    along_m : float
        What a module takes along its row [m].

    Returns
    -------
    dict of str to float
        Metres of rail and pieces of the rest. Two rails to a row, a clamp at each end of each, one between two modules.
    """
    rows = ceil(run_modules / row)
    full, rest = divmod(run_modules, row)
    lengths = [row * along_m + 2 * RAIL_OVER_M] * full + ([rest * along_m + 2 * RAIL_OVER_M] if rest else [])
    return {
        "rail": 2.0 * sum(lengths),
        "end clamps": 4.0 * rows,
        "middle clamps": 2.0 * (run_modules - rows),
        HOOKS: float(sum(2 * (ceil(length / HOOK_EACH_M) + 1) for length in lengths)),
        "rail ends": 4.0 * rows,
    }


def _mounting(option: Option) -> list[Part]:
    """Rails and clamps of each new face, by its rectangle where it is known, else in rows that a roof has room for."""
    parts: list[Part] = []
    for face in option.context.faces:
        if face.plan.fate != "new":
            continue
        module, plan = face.module, face.plan
        upright = plan.rectangle is None or plan.rectangle.layout != "lying"
        along = (module.width_mm if upright else module.length_mm) / 1000.0 + 0.02
        row = unmeasured_row(plan)
        if plan.rectangle is not None:
            inner = plan.rectangle.width_m - 2 * plan.rectangle.margin_m
            row = max(int(inner / along), 1)
        for name, quantity in mounting_of(plan.count, min(row, plan.count), along).items():
            unit, amount = "pieces", quantity
            if name == "rail":
                unit, each = option.context.survey.length_unit
                amount = float(ceil(quantity * (1.0 + WASTE) / each))
            words = FIXINGS.get(plan.covering, name) if name == HOOKS else name
            parts.append(
                Part("Mounting", f"{words[:1].upper()}{words[1:]}", amount, unit, note=f"{plan.name}; {PRACTICE}")
            )
    return parts


def _boxes(option: Option) -> list[Part]:
    parts: list[Part] = []
    for converter in option.design.converters:
        if converter.micro is not None:
            continue
        units = units_of(converter)
        name = converter.inverter.name.removeprefix(f"{units} × ")
        price = _priced(converter.inverter.price / units) if converter.is_new else None
        parts.append(
            Part("Inverters", name, float(units), "pieces", "to buy" if converter.is_new else "used again", price)
        )
        if not converter.has_battery:
            continue
        bought = converter.bought_packs
        if bought is not None:
            parts += _packs(bought)
        if converter.battery_surveyed is not None:
            old = converter.battery_surveyed
            parts.append(
                Part("Batteries", converter.bank.pack.name, old.count, "pieces", "used again", note=old.name)
            )
    for gone in option.design.removed:
        parts.append(Part("Inverters", gone.inverter.name, 1.0, "pieces", "taken away"))
    return _alike_together(parts)


def _alike_together(parts: list[Part]) -> list[Part]:
    """Lines that differ in nothing but how many they are, as one."""
    counts: dict[Part, float] = {}
    for part in parts:
        line = replace(part, quantity=0.0)
        counts[line] = counts.get(line, 0.0) + part.quantity
    return [replace(line, quantity=quantity) for line, quantity in counts.items()]


def _service(option: Option) -> list[Part]:
    """Generators, changeovers and current transformers there today: what is used again, and what goes."""
    if not option.design.new_converters:
        return []
    return [
        Part(
            "Service",
            item.name,
            1.0,
            "pieces",
            "taken away" if fate == "goes" else "used again",
            note="moved" if fate == "stays" and item.fate == "move" else "",
        )
        for item, fate in service_fates(option.design, option.context.job)
        if fate != "read again"
    ]


def _packs(bank: Bank) -> list[Part]:
    parts = [Part("Batteries", bank.pack.name, float(bank.packs), "pieces", "to buy", _priced(bank.pack.price))]
    if bank.stacks > 1:
        further = float((bank.stacks - 1) * bank.units)
        name = f"Base, control and cables of a further stack of {bank.pack.name}"
        parts.append(Part("Batteries", name, further, "pieces", "to buy", _priced(bank.pack.stack_price)))
    if bank.expansion is not None and bank.expansions:
        count = float(bank.expansions * bank.units)
        parts.append(
            Part("Batteries", bank.expansion.name, count, "pieces", "to buy", _priced(bank.expansion.price))
        )
    return parts


def _cable_metres(cable: Cable) -> float:
    """Metres of cable, with waste; of strings and batteries each pole is a cable of its own."""
    poles = DOUBLE_POLES if cable.edge.circuit == "dc" else 1
    return cable.laid.length_m * cable.edge.runs * cable.laid.parallel * poles * (1.0 + WASTE)


def _cables(option: Option, plan: WiringPlan) -> list[Part]:
    """Cables by kind, size and colours, in metres that the works lay."""
    price = option.context.job.costs.cable_per_metre
    metres: dict[tuple[str, str], float] = {}
    ends: dict[str, int] = {}
    for cable in plan.cables:
        if cable.is_there or cable.size is None or cable.edge.status == "there":
            continue
        name = _cable_name(cable)
        colours = "" if cable.edge.circuit == "dc" else colours_of(cable.edge, plan.tables)
        metres[name, colours] = metres.get((name, colours), 0.0) + _cable_metres(cable)
        boxes = 2 * cable.edge.runs * cable.laid.parallel * (DOUBLE_POLES if cable.edge.circuit == "dc" else 1)
        ends[size_words(cable.size)] = ends.get(size_words(cable.size), 0) + boxes
    unit, each = plan.tables.length_unit
    parts = [
        Part("Cables", name, float(ceil(length / each)), unit, "to buy", _priced(price * each), note=colours)
        for (name, colours), length in metres.items()
    ]
    for words, length in _bond_metres(plan).items():
        quantity = float(ceil(length * (1.0 + WASTE) / each))
        parts.append(Part("Cables", f"Conductor to earth, 1 × {words}, copper", quantity, unit))
    branches = [node for node in plan.topology.nodes if node.kind == "branch" and node.status == "new"]
    if branches:
        drops, lines = sum(len(node.strings) for node in branches), sum(node.count for node in branches)
        trunk = "Trunk cable of the microinverters' own kind, a connector each"
        parts.append(Part("Cables", trunk, float(drops), "connectors", note=PRACTICE))
        parts.append(Part("Small parts", "End caps of trunk cables", float(lines), "pieces", note=PRACTICE))
    for size, count in ends.items():
        parts.append(Part("Small parts", f"Glands for {size}", float(count), "pieces", note=PRACTICE))
    in_conduit = sum(
        cable.laid.length_m * cable.edge.runs
        for cable in plan.cables
        if cable.edge.status == "new" and cable.laid.laying in ("in conduit on a wall", "buried")
    )
    if in_conduit:
        quantity = float(ceil(in_conduit * (1.0 + WASTE) / each))
        parts.append(Part("Small parts", "Conduit or trunking", quantity, unit, note=PRACTICE))
    return parts


def _bond_metres(plan: WiringPlan) -> dict[str, float]:
    """Conductors to earth that are new, by size [m]."""
    metres: dict[str, float] = {}
    for bond in plan.bonds:
        if bond.edge.status == "new":
            words = size_words(bond.size)
            metres[words] = metres.get(words, 0.0) + bond.length_m * bond.edge.runs
    return metres


def _cable_name(cable: Cable) -> str:
    assert cable.size is not None, "it has a size"
    size, edge = size_words(cable.size), cable.edge
    if edge.kind == "string":
        return f"PV cable 1 × {size}"
    if edge.kind == "car charger":
        return f"Cable for direct current 1 × {size}, {cable.laid.material}, {cable.laid.insulation}"
    if edge.circuit == "dc":
        return f"Battery cable, flexible, 1 × {size}"
    return f"Cable {edge.conductors} × {size}, {cable.laid.material}, {cable.laid.insulation}"


def _protection(option: Option, plan: WiringPlan) -> list[Part]:
    counts: dict[tuple[str, str], float] = {}

    def add(article: str, quantity: float, note: str = "") -> None:
        counts[article, note] = counts.get((article, note), 0.0) + quantity

    asked, costs = option.design.shutdown, option.context.job.costs
    if asked is not None and asked.bare:
        add(SHUTDOWN_DEVICE, float(asked.bare), f"to {asked.rule.limit:g} V within the array")
        add(SHUTDOWN_SWITCH, 1.0, "none where the inverter or the isolator does it")
    for cable in plan.cables:
        edge = cable.edge
        if edge.status == "there" or edge.start == "grid":
            continue
        poles = CIRCUITS[edge.circuit].poles
        if edge.kind == "string":
            unit = option.design.converters[edge.unit or 0].inverter
            if unit.dc_isolator != "built in":
                add(f"DC isolator, {edge.open_v:.0f} V or more", float(edge.runs))
            if cable.device is not None and cable.device_kind == STRING_FUSE:
                add(f"String fuse {cable.device.amps:g} A with holder", 2.0 * edge.runs)
        elif cable.device is not None and edge.kind in ("battery", "pack"):
            add(f"Battery fuse {cable.device.amps:g} A with holder, DC", 2.0 * edge.runs, "one a pole")
            if edge.kind == "battery":
                note = "none where unit, pack or fuse holder isolates"
                add(f"Battery isolator {cable.device.amps:g} A, both poles, DC", float(edge.runs), note)
        elif cable.device is not None and edge.kind == "car charger":
            add(f"DC fuse {cable.device.amps:g} A with holder", 2.0, "one a pole; none where the unit has its own")
            add(f"DC isolator, {edge.open_v:.0f} V or more", 1.0, "at the DC charger, or in it")
        elif cable.device is not None:
            breaks = plan.tables.breaker_ka(option.context.job.supply.short_circuit_ka)
            rating = "" if breaks is None else f", {breaks:g} kA"
            add(f"Breaker {cable.device.amps:g} A, {poles} poles{rating}", float(edge.runs))
    watched = arcs_watched(option.design, option.context.rules.of(ARC_FAULT))
    unwatched = [unit for unit, _ in watched if unit.inverter.arc_fault == "none"]
    outside = shut_down_outside_kwh(option.design, option.context.rules) is not None
    if outside and option.context.job.battery_place.where != "outdoors":
        add("Switch outdoors that shuts the battery down", 1.0, "none where the unit's own stands outdoors")
    for converter in option.design.converters:
        units = float(units_of(converter))
        if converter.is_new and converter.inverter.rcd in ("type A", "type F", "type B"):
            add(f"Residual-current device, {converter.inverter.rcd}, 30 or 300 mA as the local code says", units)
        if any(converter is unit for unit in unwatched):
            add(
                "Arc-fault detector for strings, listed for the unit",
                units,
                "an input each, where its maker says so",
            )
        if converter.is_new and converter.has_array and converter.micro is None:
            strokes = option.context.job.wiring.strokes_km2
            length = dc_length_m(plan)
            if strokes is None:
                add("Surge device, DC side", units, "where the local code or the lightning risk asks for it")
            elif length >= critical_m(strokes):
                add("Surge device, DC side", units * (2.0 if length > AT_BOTH_ENDS_M else 1.0))
    for cable in plan.cables:
        new_unit = cable.edge.kind == "unit" and cable.edge.unit is not None and cable.edge.status == "new"
        if new_unit and cable.laid.length_m > IN_SIGHT_M:
            add("AC isolator that can be locked, at the unit", float(cable.edge.runs))
    if plan.topology.brings(BACKED_UP):
        add("Main switch of the backup board", 1.0)
    if option.context.job.supply.on_grid and option.design.new_converters:
        add(
            "Surge device, AC side, at the main board",
            1.0,
            "where the local code or the lightning risk asks for it",
        )
        add("Isolator for the network operator that can be locked", 1.0, "where the operator asks for it")

    def price_of(article: str) -> float | None:
        if article == SHUTDOWN_DEVICE:
            return _priced(costs.shutdown_device)
        if article == SHUTDOWN_SWITCH:
            return _priced(costs.shutdown_switch)
        return _priced(costs.fuse) if article.startswith("String fuse") else None

    return [
        Part("Protection", article, quantity, "pieces", "to buy", price_of(article), note)
        for (article, note), quantity in counts.items()
    ]


def _backup(option: Option, plan: WiringPlan) -> list[Part]:
    """What an outage takes beside the unit: its changeover, the board behind it, relays of what is shed."""
    lead, job = option.design.battery_converter, option.context.job
    if lead is None or not lead.is_new or lead.inverter.backup is None:
        return []
    parts, costs = [], job.costs
    if plan.topology.brings(CHANGEOVER):
        price = _priced(costs.whole_changeover) if plan.topology.whole_house else None
        note = f"of the kind that {lead.inverter.name} asks for; none where it is built in"
        parts.append(Part("Protection", "Changeover", 1.0, "pieces", "to buy", price, note))
    if plan.topology.brings(BACKED_UP):
        count = len(backed_up_circuits(option.design, job)) + len(units_moved(option.design, job))
        article = f"Backup board, places for {count} circuit{'s' * (count != 1)}" if count else "Backup board"
        price = _priced(costs.backup_board)
        parts.append(
            Part("Protection", article, 1.0, "pieces", "to buy", price, "the price is with its changeover")
        )
    shed = [circuit for circuit in backed_up_circuits(option.design, job) if circuit.role == "shed"]
    if shed:
        price, names = _priced(costs.shed_relay), joined([circuit.name for circuit in shed])
        parts.append(
            Part("Protection", "Relay that sheds a circuit", float(len(shed)), "pieces", "to buy", price, names)
        )
    return parts


def _signals(option: Option, plan: WiringPlan) -> list[Part]:
    parts = []
    ours = [
        item
        for item in plan.topology.transformers
        if item.unit is not None and option.design.converters[item.unit].is_new
    ]
    count = sum(item.count for item in ours if not item.surveyed)
    again = sum(item.count for item in ours if item.surveyed)
    if count:
        parts.append(Part("Signals", "Current transformers of the inverter's own kind", float(count), "pieces"))
    if again:
        note = "where the new unit's maker names them"
        parts.append(
            Part("Signals", "Current transformers there", float(again), "pieces", "used again", None, note)
        )
    sensors = sum(
        units_of(unit) for unit in option.design.new_converters if unit.bought_packs and unit.bank.pack.is_lead
    )
    if sensors:
        article = "Temperature sensor of the inverter's own kind, for the battery"
        parts.append(Part("Signals", article, float(sensors), "pieces"))
    links = [edge for edge in plan.topology.edges if edge.kind == "data" and edge.status == "new"]
    metres = sum(_signal_m(edge, plan) for edge in links)
    metres += sum(plan.reach_m(item) for item in ours)
    if metres:
        unit, each = plan.tables.length_unit
        length = float(ceil(metres * (1.0 + WASTE) / each))
        parts.append(Part("Signals", "Signal cable, screened, twisted pairs", length, unit))
    return parts


def _car_charger(option: Option) -> list[Part]:
    """The DC charger of a car on a unit, with the cable that goes to the car."""
    charger = car_on_dc(option.design, option.context.job)
    if charger is None or not charger.is_new:
        return []
    article = f"DC charger of {charger.unit.inverter.name}, {charger.kw:g} kW, with plug and its cable"
    return [Part("Inverters", article, 1.0, "pieces", "to buy", None, f"for {charger.car.name}")]


def _alarm(option: Option) -> list[Part]:
    """An alarm in the room of a battery that comes to stand in the house."""
    place, lead = option.context.job.battery_place, option.design.battery_converter
    if lead is None or not lead.battery_moves or place.where == "outdoors":
        return []
    note = "where the local code asks for it; none where there is one"
    return [
        Part(
            "Small parts", "Smoke alarm where the battery stands, linked with the others", 1.0, "pieces", note=note
        )
    ]


def _barrier(option: Option) -> list[Part]:
    """What keeps a fire of the battery from the room behind its wall."""
    lead, context = option.design.battery_converter, option.context
    held = barrier(context.rules, context.job.battery_place)
    if lead is None or not lead.battery_moves or held is None:
        return []
    beyond = context.survey.length_words(held.limit)
    article = f"Non-combustible barrier behind the battery, {beyond} beyond it on each side"
    return [Part("Small parts", article, 1.0, "pieces", note=held.rule.applies_to)]


def _vents(option: Option) -> list[Part]:
    """Openings for the gas of a lead-acid bank that comes to stand indoors."""
    lead = option.design.battery_converter
    bank = lead_bank_of(lead)
    if (
        lead is None
        or bank is None
        or not lead.battery_moves
        or option.context.job.battery_place.where == "outdoors"
    ):
        return []
    air, opening = bank.air_words(option.context.survey.in_feet)
    note = f"one low, one high; {air} of fresh air; none where the place has them (IEC 62485-2, from memory)"
    return [Part("Small parts", f"Opening to the open air, {opening} free", 2.0, "pieces", note=note)]


def _signal_m(edge: Edge, plan: WiringPlan) -> float:
    """A signal runs beside the power cable of its two ends."""
    beside = [cable for cable in plan.cables if {cable.edge.start, cable.edge.end} & {edge.end}]
    return beside[0].laid.length_m if beside else 3.0


@said_in_region
def labels_of(option: Option) -> list[str]:
    """Labels that the works want; what stands on them is checked locally."""
    design, supply = option.design, option.context.job.supply
    labels = []
    arrays = [converter for converter in design.converters if converter.has_array]
    if any(converter.micro is not None for converter in arrays):
        labels.append("Solar array on the roof: an inverter lies under each module")
    if any(converter.micro is None for converter in arrays):
        labels += [
            "Solar array on the roof: its DC cables stay live in daylight",
            "DC isolator: do not open or unplug under load",
        ]
    on_building = any(face.plan.covering != "ground" for converter in arrays for face in converter.faces)
    if on_building and option.context.rules.of(SHUTDOWN) is not None:
        labels.append("Rapid shutdown: what it leaves live, and where it is set off")
    if any(converter.has_battery for converter in design.converters):
        labels += ["Battery: type, energy, voltage, date, whom to call", "Battery isolator"]
    if any(converter.has_battery and converter.bank.pack.is_lead for converter in design.converters):
        labels.append("Battery: explosive gas while charging, no flame, no spark; acid")
    if shut_down_outside_kwh(design, option.context.rules) is not None:
        labels.append("Emergency shutdown of the battery: at its switch")
    if supply.on_grid:
        labels.append("Two supplies: isolate the grid and every source, then prove dead")
        if design.battery_converter is not None and design.leader.inverter.backup is not None:
            labels += ["Backed-up circuits: live when the grid is down", "Changeover: how to bypass it"]
        labels.append("Main switch of every source")
    if kept_generators(option.design, option.context.job):
        labels.append("Generator: how it is interlocked")
    return [*labels, "Plan of the system and how to shut it down"]


@said_in_region
def materials_of(option: Option) -> tuple[Part, ...]:
    """Everything an option is built of, group by group; empty quantities are left out.

    Parameters
    ----------
    option : Option
        An option that can be built.
    """
    plan = option.wiring
    parts = [*_modules(option), *_mounting(option), *_boxes(option), *_car_charger(option), *_service(option)]
    if plan is not None:
        parts += [
            *_cables(option, plan),
            *_protection(option, plan),
            *_backup(option, plan),
            *_signals(option, plan),
        ]
    parts += _alarm(option)
    parts += _barrier(option)
    parts += _vents(option)
    if option.design.new_converters:
        parts += [Part("Labels", label, 1.0, "pieces") for label in labels_of(option)]
    parts.sort(key=lambda part: (GROUPS.index(part.group), part.fate == "taken away", part.fate == "used again"))
    orders = _orders(option)
    return tuple(
        replace(part, number=orders[part.article][0], supplier=orders[part.article][1])
        if part.fate == "to buy" and part.article in orders
        else part
        for part in parts
        if part.quantity > 0
    )


def _orders(option: Option) -> dict[str, tuple[str, str]]:
    """Article number and supplier of what is the installer's own, by the name under which it is listed."""
    equipment = option.context.equipment
    known = equipment.library.orders
    if not known:
        return {}
    return {
        item.name: known[kind, item.key]
        for kind in KINDS
        for item in getattr(equipment.catalogue, kind)
        if (kind, item.key) in known
    }


@said_in_region
def material_rows(option: Option) -> list[list[str | float | None]]:
    """The list as rows of a table, with a head."""
    currency = option.context.job.tariff.currency
    head: list[str | float | None] = ["group", "article", "quantity", "unit", "what becomes of it"]
    rows = [[*head, f"price each, {currency}", f"sum, {currency}", "supplier", "article number", "note"]]
    for part in materials_of(option):
        rows.append(
            [
                part.group,
                part.article,
                part.quantity,
                part.unit,
                part.fate,
                part.price,
                part.amount,
                part.supplier,
                part.number,
                part.note,
            ]
        )  # fmt: skip
    return rows
