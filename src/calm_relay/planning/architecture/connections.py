"""The topology of a design: which boards there are, and which of them a unit joins, by what stays on in an outage.

The one description that wiring, drawing, materials and settings read.
"""

from collections.abc import Iterator
from dataclasses import replace
from math import floor
from typing import Literal

from calm_relay.job.backup_board import Circuit
from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.equipment import ISC_FACTOR, Microinverter
from calm_relay.job.existing_supply import (
    ON_CHANGEOVER,
    ON_INPUT,
    ExistingChangeover,
    ExistingTransformers,
    Generator,
)
from calm_relay.job.model import Job, Supply
from calm_relay.planning.architecture.bus_rating import arrays_on_bus, only_phase_served, place_served
from calm_relay.planning.architecture.car_charger import MOST_V, car_on_dc, least_v
from calm_relay.planning.architecture.design import Converter, Design, DesignContext
from calm_relay.planning.architecture.refusals import joining_refusals
from calm_relay.planning.architecture.topology import (
    AHEAD,
    BACKED_UP,
    CHANGEOVER,
    EARTH,
    GENERATOR,
    GRID,
    MAIN,
    METER,
    CurrentTransformer,
    Edge,
    EdgeKind,
    Node,
    Status,
    Topology,
    edge_key,
)
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.strings.stringing import Input


def joins_island(design: Design, supply: Supply, other: Converter) -> bool:
    """Whether another unit's array comes to the island of the inverter that forms it, on the phases that stay on."""
    held_back = design.leader.backup.throttles_ac_pv != "none"
    return held_back and any(item is other for item in arrays_on_bus(design, supply))


def backs_up_whole_house(design: Design, job: Job) -> bool:
    """Whether the changeover stands ahead of the main board: every circuit stays on, on every phase."""
    if job.supply.circuit.has_three_phases and design.grid_former.phases == "single":
        return False
    board = job.backup_board
    return board is None or all(circuit.role != "grid only" for circuit in board.circuits)


def backed_up_circuits(design: Design, job: Job) -> tuple[Circuit, ...]:
    """Circuits that an outage leaves on or sheds, on the phases that are served; none where no board is surveyed."""
    board, phase = job.backup_board, only_phase_served(design, job.supply)
    if board is None:
        return ()
    served = (circuit for circuit in board.circuits if phase is None or circuit.leg == str(phase))
    return tuple(circuit for circuit in served if circuit.role != "grid only")


def changes_over(design: Design) -> bool:
    """Whether a unit of the design parts the house from the grid by itself."""
    return design.battery_converter is not None and design.leader.inverter.backup is not None


def units_moved(design: Design, job: Job) -> tuple[Converter, ...]:
    """Units there today whose AC circuit comes to another board with a changeover that is new.

    Those that follow the island move behind it, to the backup board; where it stands ahead of the whole house those
    that do not follow move ahead of it.
    """
    lead = design.battery_converter
    if lead is None or not lead.is_new or not changes_over(design) or not job.supply.on_grid:
        return ()
    whole = backs_up_whole_house(design, job)
    there = (unit for unit in design.converters if not unit.is_new and not any(unit is m for m in design.together))
    return tuple(unit for unit in there if joins_island(design, job.supply, unit) is not whole)


def kept_changeovers(design: Design, job: Job) -> tuple[ExistingChangeover, ...]:
    """Changeovers there today that stay with a design, the one at the meter first."""
    return tuple(
        item
        for item in job.existing_changeovers
        if item.stays or (not item.goes and not (changes_over(design) and design.leader.is_new))
    )


def kept_generators(design: Design, job: Job) -> tuple[Generator, ...]:
    """Generators that stay with a design."""
    return tuple(
        item
        for item in job.generators
        if item.stays or (not item.goes and not (item.runs and joining_refusals(item, design)))
    )


def survey_names(converter: Converter) -> tuple[str, ...]:
    """What the survey calls a unit and its battery; nothing where both are new."""
    if converter.is_new:
        return ()
    return tuple(item.name for item in (converter.surveyed, converter.battery_surveyed) if item is not None)


def kept_transformers(design: Design, job: Job) -> tuple[ExistingTransformers, ...]:
    """Current transformers there today that stay with a design: read by a monitor, by a unit that stays, or kept."""
    names = {name for converter in design.converters for name in survey_names(converter)}
    return tuple(
        item
        for item in job.existing_transformers
        if item.stays or (not item.goes and (item.read_by is None or item.read_by in names))
    )


def transformers_read_again(design: Design, job: Job) -> ExistingTransformers | None:
    """Current transformers at the service that a new unit may read in place of the one that goes; None without."""
    wanted = job.supply.circuit.live
    kept = kept_transformers(design, job)
    return next(
        (
            item
            for item in job.existing_transformers
            if item.fate == "reuse" and item.on == "the service" and item.count >= wanted and item not in kept
        ),
        None,
    )


ServiceFate = Literal["stays", "read again", "goes"]


def service_fates(
    design: Design, job: Job
) -> tuple[tuple[Generator | ExistingChangeover | ExistingTransformers, ServiceFate], ...]:
    """What becomes with a design of each generator, changeover and set of current transformers that is there."""
    things: tuple[Generator | ExistingChangeover | ExistingTransformers, ...] = (
        *job.generators,
        *job.existing_changeovers,
        *job.existing_transformers,
    )
    again = transformers_read_again(design, job)
    finders = (kept_generators, kept_changeovers, kept_transformers)
    kept = {id(item) for kept_things in finders for item in kept_things(design, job)}
    return tuple(
        (item, "read again" if item is again else "stays" if id(item) in kept else "goes") for item in things
    )


def unit_keys(design: Design) -> tuple[str, ...]:
    """Names of the units: of those that are there by the survey, of new ones by their number."""
    return _keys_of(design.converters)


def _keys_of(units: tuple[Converter, ...]) -> tuple[str, ...]:
    keys: list[str] = []
    new = 0
    for converter in units:
        if converter.is_new:
            new += 1
            keys.append(f"unit {new}")
        elif converter.surveyed is not None:
            keys.append(converter.surveyed.name)
        elif converter.battery_surveyed is not None:
            keys.append(f"unit of {converter.battery_surveyed.name}")
        else:
            keys.append("microinverters" if converter.micro else "unit there")
    return tuple(_each_once(keys))


def told_apart(units: tuple[Converter, ...]) -> tuple[Converter, ...]:
    """Units that say which they are where others are of their kind: by the survey, their number, or their faces."""
    kinds = [unit.inverter.name for unit in units]
    if len(set(kinds)) == len(kinds):
        return units
    return tuple(
        replace(unit, told_by=_which(unit, key)) if kinds.count(kind) > 1 else unit
        for unit, kind, key in zip(units, kinds, _keys_of(units), strict=True)
    )


def _which(unit: Converter, key: str) -> str:
    """What tells a unit from others of its kind."""
    if unit.micro is not None:
        return " and ".join(face.plan.name for face in unit.faces)
    battery = None if unit.is_new or unit.surveyed is not None else unit.battery_surveyed
    return key if battery is None else battery.name


def _each_once(keys: list[str]) -> Iterator[str]:
    seen: dict[str, int] = {}
    for key in keys:
        seen[key] = seen.get(key, 0) + 1
        yield key if seen[key] == 1 else f"{key} {seen[key]}"


def units_of(converter: Converter) -> int:
    """Units side by side that a converter stands for."""
    return converter.held.units if converter.held is not None else 1


def unit_amps(converter: Converter) -> tuple[float, str]:
    """Highest AC current of one unit [A], and what carries it back."""
    inverter, units = converter.inverter, units_of(converter)
    if inverter.phase_set and inverter.phases == "three" and units % 3 == 0:
        return inverter.max_ac_a * 3.0 / units, "single"
    return inverter.max_ac_a / units, inverter.phases


def units_on_branch(micro: Microinverter, share: float) -> int:
    """Microinverters that one branch circuit carries, by a share of its breaker and by the maker."""
    most = floor(micro.branch_breaker_a * share / micro.ac_a + 1e-9)
    return most if micro.branch_units_max is None else min(most, micro.branch_units_max)


def branches_of(converter: Converter, share: float, *, spread: bool) -> int:
    """Branch circuits of a unit's microinverters; where they are `spread`, as many on each of three phases."""
    micro = converter.micro
    assert micro is not None, "its modules have inverters of their own"
    most, count = units_on_branch(micro, share), sum(run.modules for run in converter.stringing.runs)
    if most < 1:
        return 0
    return 3 * -(-count // (3 * most)) if spread else -(-count // most)


def is_spread(design: Design, supply: Supply, number: int) -> bool:
    """Whether a unit's microinverters of one phase hang on all three."""
    micro = design.converters[number].micro
    single = micro is not None and micro.phases == "single" and supply.circuit.has_three_phases
    return single and design.phases(supply)[number] == 0


def battery_amps(bank: Bank, converter: Converter) -> float:
    """Highest current of a unit's battery cable, at the lowest working voltage [A]; of all units together."""
    inverter = converter.inverter
    most = 0.0
    for way in ("charge", "discharge"):
        limits = bank.dc_limits(inverter, way)
        power_kw = min(limits["battery's C-rate"], limits["inverter's battery port"])
        most = max(most, min(bank.amps(inverter, way), power_kw * 1000.0 / bank.empty_v))
    return most


TO_GRID, TO_HOUSE, ALL_BEHIND = "towards the grid", "towards the house", "everything behind the meter"


def changeover_key(item: ExistingChangeover) -> str:
    """By which the topology knows a changeover that is there."""
    return f"changeover {item.name}"


class _Maker:
    """Puts a design's topology together."""

    def __init__(self, design: Design, context: DesignContext) -> None:
        self.design, self.context, self.job = design, context, context.job
        self.nodes: list[Node] = []
        self.edges: list[Edge] = []
        self.keys = unit_keys(design)
        self.head = METER

    def add(self, node: Node) -> str:
        self.nodes.append(node)
        return node.key

    def join(self, start: str, end: str, kind: EdgeKind, **more: object) -> Edge:
        edge = Edge(edge_key(start, end), start, end, kind, **more)  # type: ignore[arg-type]
        if edge.is_power and edge.circuit == "single" and not self.job.supply.circuit.has_neutral:
            edge = replace(edge, circuit="two-wire")
        self.edges.append(edge)
        return edge

    def made(self) -> Topology:
        supply = self.job.supply
        lead = self.design.battery_converter
        forms = lead is not None and lead.inverter.backup is not None
        whole = forms and backs_up_whole_house(self.design, self.job)
        if supply.on_grid:
            self._service()
            ahead, backed = self._boards(forms, whole)
        else:
            ahead = backed = self.add(Node(MAIN, "board", "Main board", "of the house", "there"))
        for number, converter in enumerate(self.design.converters):
            self._unit(number, converter, self._place(converter, forms, ahead, backed))
        self._car_charger()
        for generator in kept_generators(self.design, self.job):
            self._generator(generator, backed)
        self._earth()
        self._data()
        # Cables are named by the parts at their ends.
        return Topology(
            self.context.rules.words.of(tuple(self.nodes)),
            tuple(self.edges),
            tuple(self._transformers(ahead)),
            whole_house=bool(whole),
        )

    def _service(self) -> None:
        supply = self.job.supply
        self.add(Node(GRID, "grid", "Grid", f"{supply.volts:g} V, {supply.circuit.adjective}", "there"))
        self.add(Node(METER, "meter", "Meter", f"main fuse {supply.main_fuse_a:g} A", "there"))
        self.join(GRID, METER, "service", **self._whole_service(), status="there")
        for item in kept_changeovers(self.design, self.job):
            rated = "rating not seen" if item.rated_a is None else f"{item.rated_a:g} A"
            key = self.add(Node(changeover_key(item), "changeover", item.name, f"{item.works}, {rated}", "there"))
            self.join(self.head, key, "feeder", **self._whole_service(), status="there")
            self.head = key

    def _whole_service(self) -> dict[str, object]:
        supply = self.job.supply
        return {
            "circuit": supply.phases,
            "volts": supply.volts,
            "amps": supply.main_fuse_a,
            "drop_a": supply.main_fuse_a,
            "open_v": supply.volts,
        }

    def _feeder_amps(self, lead: Converter) -> dict[str, object]:
        """What passes the changeover: the main fuse at most, or its own rating where that is less.

        What it passes for hours is a limit on what hangs behind it; cable and breaker stand for its rating.
        """
        supply = self.job.supply
        amps = min(supply.main_fuse_a, lead.backup.pass_through_a)
        phases = "single" if lead.inverter.phases == "single" else supply.phases
        return {**self._whole_service(), "circuit": phases, "amps": amps, "drop_a": amps}

    def _behind_amps(self, lead: Converter) -> dict[str, object]:
        """What passes from the changeover to the house: what passes it, or what the unit gives where that is more."""
        feeder = self._feeder_amps(lead)
        amps = max(float(feeder["amps"]), lead.inverter.max_ac_a)  # type: ignore[arg-type]
        return {**feeder, "amps": amps, "drop_a": amps}

    def _boards(self, forms: bool, whole: bool) -> tuple[str, str]:
        """The board that the grid feeds for itself, and the one that stays on in an outage."""
        busbar = self.job.supply.busbar_a
        detail = f"busbar {busbar:g} A" if busbar is not None else ""
        if not forms:
            main = self.add(Node(MAIN, "board", "Main board", detail, "there"))
            self.join(self.head, main, "feeder", **self._whole_service(), status="there")
            return main, main
        lead = self.design.leader
        passes = f"passes {lead.backup.pass_through_a:g} A, {lead.inverter.name}"
        new: Status = "new" if lead.is_new else "there"
        # One that is there today stands ahead of it, and may be called the same.
        beside = any(node.kind == "changeover" for node in self.nodes)
        title = ("New changeover" if lead.is_new else "Changeover behind it") if beside else "Changeover"
        if whole:
            apart = [unit for unit in self.design.converters if self._is_apart(unit)]
            before = self.head
            if apart:
                before = self.add(Node(AHEAD, "board", "Board ahead of the changeover", "", "new"))
                self.join(self.head, before, "feeder", **self._whole_service())
            self.add(Node(CHANGEOVER, "changeover", title, passes, new))
            self.join(before, CHANGEOVER, "feeder", **self._feeder_amps(lead), status=new)
            main = self.add(Node(MAIN, "board", "Main board", detail or "all of it backed up", "there"))
            self.join(CHANGEOVER, main, "feeder", **self._behind_amps(lead), status=new)
            return (before if apart else main), main
        main = self.add(Node(MAIN, "board", "Main board", detail, "there"))
        self.join(self.head, main, "feeder", **self._whole_service(), status="there")
        self.add(Node(CHANGEOVER, "changeover", title, passes, new))
        self.join(main, CHANGEOVER, "feeder", **self._feeder_amps(lead), status=new)
        backed = self.add(Node(BACKED_UP, "board", "Backup board", self._backed_up_words(), new))
        self.join(CHANGEOVER, backed, "feeder", **self._behind_amps(lead), status=new)
        return main, backed

    def _backed_up_words(self) -> str:
        kept = len(backed_up_circuits(self.design, self.job))
        if not kept:
            return place_served(self.design, self.job.supply)
        return f"{kept} circuit{'s' * (kept != 1)}"

    def _is_apart(self, unit: Converter) -> bool:
        """Whether a unit stands ahead of the changeover because it cannot work in the island."""
        return not any(unit is member for member in self.design.together) and not joins_island(
            self.design, self.job.supply, unit
        )

    def _place(self, converter: Converter, forms: bool, ahead: str, backed: str) -> str:
        """The part that a unit's AC cable ends at."""
        if not forms:
            return ahead
        if any(converter is member for member in self.design.together):
            return CHANGEOVER if self.job.supply.on_grid else backed
        if not self.job.supply.on_grid:
            return backed
        return ahead if self._is_apart(converter) else backed

    def _unit(self, number: int, converter: Converter, place: str) -> None:
        status: Status = "new" if converter.is_new else "there"
        inverter, key = converter.inverter, self.keys[number]
        if converter.micro is not None:
            self._branches(number, converter, place)
            return
        amps, circuit = unit_amps(converter)
        units = units_of(converter)
        detail = f"{inverter.ac_kw:g} kW, {inverter.max_ac_a:g} A{self._on_phase(number)}"
        stores = converter.held is not None and inverter.built_in_pack is not None
        self.add(Node(key, "unit", converter.name, detail, status, number, units, stores=stores))
        self.join(
            place,
            key,
            "unit",
            circuit=circuit,
            volts=self.job.supply.volts if CIRCUITS[circuit].has_three_phases else inverter.volts,
            amps=amps,
            drop_a=inverter.ac_kw * 1000.0 / inverter.volts / inverter.circuit.factor
            * amps / inverter.max_ac_a,
            open_v=inverter.volts,
            status=status,
            unit=number,
            runs=units,
            fed=True,
        )  # fmt: skip
        if converter.laid is not None:
            for item in converter.laid.inputs:
                self._strings(number, converter, key, item, status)
        if converter.held is not None and not stores:
            self._battery(number, converter, key, converter.held)

    def _on_phase(self, number: int) -> str:
        """On which of three phases a unit of one hangs, as the end of what is said of it."""
        phase = self.design.phases(self.job.supply)[number]
        return f", {self.job.supply.circuit.places[phase - 1]}" if phase else ""

    def _strings(self, number: int, converter: Converter, key: str, item: Input, status: Status) -> None:
        faces = ", ".join(dict.fromkeys(run.face.plan.name for run in item.runs))
        chains = {run.chain for run in item.runs if run.chain}
        if chains:
            count = sum(run.modules for run in item.runs)
            detail = f"{len(chains)} string{'s' * (len(chains) != 1)} of optimisers, {count} modules"
        else:
            detail = " + ".join(f"{run.parallel} × {run.in_series}" for run in item.runs) + " modules"
        laid_anew = converter.laid is not None and converter.laid.origin != "surveyed"
        new: Status = "new" if status == "new" or laid_anew else "there"
        lengths = [run.in_series for run in item.runs if not run.chain for _ in range(run.parallel)]
        lengths += [sum(run.modules for run in item.runs if run.chain == chain) for chain in sorted(chains)]
        array = self.add(
            Node(
                f"strings {key}/{item.number}",
                "array",
                faces,
                detail,
                new,
                number,
                item.strings,
                strings=tuple(lengths),
            )
        )
        volts = item.held_v if chains else item.runs[0].working_v(25.0)
        each = max(run.module.max_power_a for run in item.runs)
        if chains:
            each = max(
                sum(part.kw for part in item.runs if part.chain == chain) * 1000.0 / volts for chain in chains
            )
        shorted = max(run.short_circuit_a / run.parallel for run in item.runs)
        cold_c = self.context.temperatures.cold_c
        cold_v = max(part.open_v(cold_c) for part in item.runs) if not chains else item.tracker.max_v
        self.join(
            key,
            array,
            "string",
            circuit="dc",
            volts=volts,
            amps=(each if chains else shorted) * ISC_FACTOR,
            drop_a=each,
            open_v=cold_v,
            status=new,
            unit=number,
            runs=item.strings,
            fed=True,
        )

    def _branches(self, number: int, converter: Converter, place: str) -> None:
        micro = converter.micro
        assert micro is not None, "its modules have inverters of their own"
        count = sum(run.modules for run in converter.stringing.runs)
        rule = self.context.rules.of("branch share")
        spread = is_spread(self.design, self.job.supply, number)
        branches = branches_of(converter, 1.0 if rule is None else rule.limit, spread=spread) or count
        key = self.keys[number]
        faces = ", ".join(face.plan.name for face in converter.faces)
        status: Status = "new" if converter.is_new else "there"
        where = ", on all phases" if spread else self._on_phase(number)
        detail = f"{count} × {micro.name}, {branches} branch{'es' * (branches != 1)}{where}"
        self.add(Node(key, "branch", faces or micro.name, detail, status, number, branches, strings=(1,) * count))
        amps = micro.ac_a * -(-count // branches) if branches else 0.0
        self.join(
            place,
            key,
            "branch",
            circuit=micro.phases,
            volts=micro.volts,
            amps=amps,
            drop_a=amps,
            open_v=micro.volts,
            status=status,
            unit=number,
            runs=branches,
            fed=True,
        )

    def _battery(self, number: int, converter: Converter, key: str, bank: Bank) -> None:
        units = bank.units
        parallel = bank.in_parallel
        joined = "packs" if bank.pack.stacking == "parallel" else "stacks"
        status: Status = "new" if converter.bought_packs is not None else "there"
        words = f"{bank.usable_kwh:.1f} kWh usable, {bank.empty_v:.0f} to {bank.full_v:.0f} V"
        amps = battery_amps(bank, converter) / units
        whole = {
            "circuit": "dc",
            "volts": bank.empty_v,
            "amps": amps,
            "drop_a": amps,
            "open_v": bank.full_v,
            "unit": number,
            "fed": True,
            "status": status if converter.battery_moves or not converter.is_new else "new",
        }
        battery = f"battery of {key}"
        if parallel > 1:
            bus = self.add(
                Node(f"bus of {key}", "battery bus", "Battery busbar", f"{parallel} {joined}", status, number)
            )
            self.join(key, bus, "battery", **whole, runs=units)
            self.add(Node(battery, "battery", bank.summary, words, status, number, parallel * units, bonded=units))
            # Packs in parallel do not share exactly: each cable is for what its pack may give, or all of it.
            each = min(max(bank.pack.charge_a, bank.pack.discharge_a), amps)
            own = {**whole, "amps": each, "drop_a": amps / parallel}
            self.join(bus, battery, "pack", **own, runs=parallel * units)
        else:
            self.add(Node(battery, "battery", bank.summary, words, status, number, units, bonded=units))
            self.join(key, battery, "battery", **whole, runs=units)

    def _car_charger(self) -> None:
        charger = car_on_dc(self.design, self.job)
        if charger is None:
            return
        key = self.keys[charger.number]
        status: Status = "new" if charger.is_new else "there"
        detail = f"{charger.kw:g} kW for {charger.car.name}"
        end = self.add(Node(f"charger of {key}", "car charger", "DC charger", detail, status, charger.number))
        self.join(
            key,
            end,
            "car charger",
            circuit="dc",
            volts=least_v(charger.unit.inverter),
            amps=charger.amps,
            drop_a=charger.amps,
            open_v=MOST_V,
            status=status,
            unit=charger.number,
        )

    def _generator(self, generator: Generator, backed: str) -> None:
        supply = self.job.supply
        first = not any(node.kind == "generator" for node in self.nodes)
        key = GENERATOR if first else f"{GENERATOR} {generator.name}"
        by_hand = ", stands by" if generator.duty == "stands by" else ""
        self.add(Node(key, "generator", generator.name, f"{generator.kw:g} kW{by_hand}", "there"))
        lead = self.design.battery_converter
        on_input = generator.on == ON_INPUT and lead is not None and lead.inverter.backup is not None
        place = self.keys[self.design.forming[0]] if on_input else backed
        if generator.on == ON_CHANGEOVER and self.head != METER:
            place = self.head
        phases = lead.inverter.phases if on_input and lead is not None else supply.phases
        amps = generator.kw * 1000.0 / supply.volts / CIRCUITS[phases].factor
        self.join(
            place,
            key,
            "generator",
            circuit=phases,
            volts=supply.volts,
            amps=amps,
            drop_a=amps,
            open_v=supply.volts,
            status="there",
            fed=True,
        )

    def _earth(self) -> None:
        self.add(Node(EARTH, "earth", "Earth", "main earthing terminal", "there"))
        boards = [node.key for node in self.nodes if node.kind == "board"]
        for key in boards[:1]:
            self.join(key, EARTH, "earth", status="there")
        # Cables of direct current bring no protective conductor: frames and cabinets have one of their own.
        for node in self.nodes:
            if node.kind in ("array", "battery", "car charger"):
                self.join(node.key, EARTH, "earth", status=node.status, unit=node.unit, runs=node.bonded)

    def _data(self) -> None:
        for node in list(self.nodes):
            if node.kind == "battery" and node.unit is not None:
                unit = self.keys[node.unit]
                if self.design.converters[node.unit].bank.pack.is_lead:
                    # Nothing in it speaks.
                    continue
                self.edges.append(
                    Edge(f"{unit} data {node.key}", unit, node.key, "data", status=node.status, unit=node.unit)
                )
        lead, *others = self.design.forming or (None,)
        for other in others:
            self.edges.append(
                Edge(
                    f"{self.keys[lead or 0]} data {self.keys[other]}",
                    self.keys[lead or 0],
                    self.keys[other],
                    "data",
                    unit=other,
                )
            )

    def _transformers(self, ahead: str) -> Iterator[CurrentTransformer]:
        """Current transformers stand on the service cable, ahead of all that a control is to see."""
        supply = self.job.supply
        if not supply.on_grid or self.design.by_clock:
            return
        place = next(edge for edge in self.edges if edge.start == METER)
        count = supply.circuit.live
        there = {item.name: item for item in kept_transformers(self.design, self.job)}
        again = transformers_read_again(self.design, self.job)
        for number, converter in enumerate(self.design.converters):
            seen = [item for item in there.values() if item.read_by in survey_names(converter)]
            for item in seen:
                del there[item.name]
                yield self._seen(item, number)
            if seen:
                continue
            follows = any(converter is member for member in self.design.together[1:])
            # A string inverter wants a look at the grid where it must hold an export limit by itself.
            limits = (
                converter.is_new
                and converter.micro is None
                and converter.inverter.export_control
                and self.job.tariff.export_limit_kw is not None
                and self.design.battery_converter is None
            )
            if follows or not (converter.has_battery or limits):
                continue
            if converter.is_new and again is not None:
                yield self._seen(again, number)
                again = None
                continue
            yield CurrentTransformer(number, place.key, count, TO_GRID, (ALL_BEHIND,))
        for item in there.values():
            yield self._seen(item, None)

    def _seen(self, item: ExistingTransformers, unit: int | None) -> CurrentTransformer:
        """Current transformers that are there, on the cable that the survey says."""
        edge = next(edge for edge in self.edges if edge.start == METER)
        if item.on == "the main board":
            edge = next((other for other in self.edges if other.kind == "feeder" and other.end == MAIN), edge)
        elif item.on == "an inverter's circuit":
            circuits = [other for other in self.edges if other.kind == "unit" and other.unit is not None]
            with_array = [other for other in circuits if self.design.converters[other.unit or 0].has_array]
            there = [other for other in with_array if other.status == "there"]
            edge = next(iter(there or with_array or circuits), edge)
        sees = (ALL_BEHIND,) if edge.start == METER else self._behind(edge)
        return CurrentTransformer(
            unit, edge.key, item.count, TO_HOUSE if item.reversed else TO_GRID, sees, item.name
        )

    def _behind(self, edge: Edge) -> tuple[str, ...]:
        """Boards and units that a cable leads to."""
        ends, found = [edge.end], []
        nodes = {node.key: node for node in self.nodes}
        while ends:
            node = nodes[ends.pop(0)]
            if node.kind == "board":
                found.append(f"the circuits of the {node.title[:1].lower()}{node.title[1:]}")
            elif node.kind in ("unit", "branch"):
                found.append(node.title)
            ends += [other.end for other in self.edges if other.start == node.key and other.is_power]
        return tuple(found)


def topology_of(design: Design, context: DesignContext) -> Topology:
    """How the parts of a design are connected on a job.

    Parameters
    ----------
    design : Design
        What is built, or stands there today.
    context : DesignContext
        Its job, rules and design temperatures.
    """
    return _Maker(design, context).made()
