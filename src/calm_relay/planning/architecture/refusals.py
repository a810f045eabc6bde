"""What speaks against hanging something on a converter, in sentences."""

from math import sqrt

from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.equipment import Inverter, Microinverter, Module, Pack, grid_range, may_stand_at
from calm_relay.job.existing_supply import ON_BUS, Generator
from calm_relay.job.model import Job
from calm_relay.job.rooms import IN_ROOM
from calm_relay.planning.architecture.battery_room import room_limit
from calm_relay.planning.architecture.bus_rating import arrays_beside, arrays_left_off, bus_rating
from calm_relay.planning.architecture.design import Design, Survey
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.equipment.bank import Bank, may_mix
from calm_relay.planning.equipment.rules import Rules
from calm_relay.planning.site.array import DesignTemperatures
from calm_relay.planning.site.grid_code import known_hertz
from calm_relay.planning.strings.limits import COLD, HOT, current_limits, voltage_limits

# How far the lowest pack stays clear of the highest water: common practice, no source.
CLEAR_OF_WATER_M = 0.1


def battery_refusals(bank: Bank, inverter: Inverter, job: Job, *, there: bool = False) -> list[str]:
    """Reasons why a bank cannot hang on a converter on this supply; what is `there` stands as high as it stands."""
    pack, port = bank.pack, inverter.battery
    if port is None:
        return [f"{inverter.name} has no battery port"]
    reasons = []
    if pack.family not in port.families:
        reasons.append(f"{inverter.name} does not speak to {pack.name}")
    elif not port.low_v <= bank.empty_v <= bank.full_v <= port.high_v:
        reasons.append(
            f"{bank.count} × {pack.name} stand at {bank.empty_v:.0f} to {bank.full_v:.0f} V; "
            f"{inverter.name} takes {port.low_v:.0f} to {port.high_v:.0f} V"
        )
    if pack.expansion_of is not None:
        reasons.append(f"{pack.name} adds energy to another pack and cannot stand alone")
    if not pack.count_min <= bank.count <= pack.count_max:
        reasons.append(f"{pack.name} is built {pack.count_min} to {pack.count_max} at a time, not {bank.count}")
    if bank.stacks > pack.stacks_max:
        most = "one stack" if pack.stacks_max == 1 else f"{pack.stacks_max} stacks"
        reasons.append(f"{pack.name} stands in {most} on an inverter at most, not in {bank.stacks}")
    if there:
        return reasons + phase_refusals(inverter, job)
    return reasons + height_refusals(pack, job) + site_refusals(inverter, job)


def units_refusals(inverter: Inverter, units: int) -> list[str]:
    """Reasons why so many of a converter cannot stand side by side."""
    if units <= inverter.units_max:
        return []
    allowed = "one alone" if inverter.units_max == 1 else f"at most {inverter.units_max} side by side"
    return [f"{inverter.name}: its maker allows {allowed}, not {units}"]


def mixing_refusals(old: Pack, new: Pack) -> list[str]:
    """Reasons why a new pack may not stand beside an old one on one port."""
    if may_mix(old, new):
        return []
    if old.family == new.family and old.generation != new.generation:
        summary = f"{new.name} is generation {new.generation or 'one'}, {old.name} is {old.generation or 'one'}"
        return [f"{summary}: the two may not be mixed on one port"]
    return [f"{new.name} may not stand beside {old.name} on one port: they are not of one kind"]


def place_refusals(design: Design, survey: Survey) -> list[str]:
    """Reasons why the new battery may not stand where the survey puts it."""
    converter, place = design.battery_converter, survey.job.battery_place
    if converter is None or not converter.battery_moves:
        return []
    pack, reasons = converter.bank.pack, []
    if place.where == "outdoors" and not pack.outdoors:
        reasons.append(f"{pack.name} is not made to stand outdoors")
    if place.flood_m > 0 and place.base_m < place.flood_m + CLEAR_OF_WATER_M:
        up, water = survey.length_words(place.base_m), survey.length_words(place.flood_m)
        reasons.append(f"The lowest pack stands {up} up; water may come to {water}")
    if place.hottest_c is not None and place.hottest_c > pack.work_max_c:
        reasons.append(f"It may be {place.hottest_c:g} °C there; {pack.name} works up to {pack.work_max_c:g} °C")
    if pack.is_lead and not place.ventilated:
        reasons.append(f"{pack.name} gives off gas and the place has no ventilation")
    return reasons


def room_refusals(design: Design, job: Job, rules: Rules) -> list[str]:
    """Reasons why so large a battery may not stand in the room that the survey puts it in."""
    converter, room = design.battery_converter, job.battery_place.stands_in
    if converter is None or not converter.battery_moves or room is None:
        return []
    held, kwh = room_limit(rules, room), converter.bank.nominal_kwh
    if held is None or kwh <= held.limit + 1e-9:
        return []
    most = f"at most {held.limit:g} kWh may" if held.limit > 0.0 else "none may"
    return [f"{converter.bank.summary} of {kwh:.1f} kWh {IN_ROOM[room]}: {most}"]


def connection_refusals(design: Design, job: Job) -> list[str]:
    """Reasons why the connection may not have the inverters of a design."""
    limit_kw = job.supply.inverter_limit_kw
    counted, total = design.counted(job.supply), design.counted_kw(job.supply)
    if limit_kw is None or total <= limit_kw + 1e-9:
        return []
    parts = " + ".join(f"{converter.inverter.ac_kw:g}" for converter in counted)
    idle = [converter.inverter.name for converter in counted if converter.inverter.pv and not converter.has_array]
    hybrid = f", and {idle[0]} as a PV inverter whether or not a module hangs on it" if idle else ""
    return [f"The operator counts {parts} = {total:g} kW{hybrid}; this connection may have {limit_kw:g} kW"]


def island_refusals(design: Design, job: Job) -> list[str]:
    """Reasons why a design cannot stand off grid."""
    converter = design.battery_converter
    if design.by_clock:
        return ["A time clock sees no meter and no grid of its own: off grid something must form one"]
    if converter is None:
        return ["Nothing here holds the night, and nothing forms a grid"]
    name, backup = converter.inverter.name, converter.inverter.backup
    if backup is None:
        return [f"{name} forms no grid: off grid there is none that it could follow"]
    beside, left_off = arrays_beside(design), arrays_left_off(design, job.supply)
    if beside and backup.throttles_ac_pv == "none":
        down = beside[0].inverter.name
        return [f"{name} cannot turn {down} down: with a full battery its power has nowhere to go"]
    if left_off:
        return [f"{name} forms one phase, and {left_off[0].inverter.name} hangs on another or on three"]
    return []


def generator_refusals(design: Design, job: Job) -> list[str]:
    """Reasons why generators that are to stay cannot join a design."""
    reasons = [
        reason
        for generator in job.running_generators
        if generator.stays
        for reason in joining_refusals(generator, design)
    ]
    return list(dict.fromkeys(reasons))


def joining_generators(design: Design, job: Job) -> tuple[Generator | None, ...]:
    """The generators that run, None in the place of one that goes since the design cannot take it."""
    return tuple(
        None if not generator.stays and joining_refusals(generator, design) else generator
        for generator in job.running_generators
    )


def joining_refusals(generator: Generator, design: Design) -> list[str]:
    """Reasons why a generator cannot join a design."""
    converter = design.battery_converter
    if converter is None:
        return []
    beside = [other.inverter.name for other in design.converters if other is not converter and other.has_array]
    if beside and not generator.interlocked:
        if generator.on == ON_BUS:
            return [f"Reverse power damages the generator on one bus with {beside[0]}"]
        backup = converter.inverter.backup
        if backup is not None and backup.generator_input and not backup.keeps_arrays_apart:
            return [
                f"The datasheet of {converter.inverter.name} does not say that it keeps {beside[0]} off while the "
                "generator runs"
            ]
    if converter.inverter.backup is None or not converter.backup.generator_input:
        return [f"{converter.inverter.name} has no generator input"]
    return []


def bus_refusals(design: Design, job: Job) -> list[str]:
    """Reasons why what forms the grid alone does not stand the arrays on its bus, by its own datasheet."""
    converter = design.battery_converter
    if job.supply.on_grid or converter is None or converter.inverter.backup is None:
        return []
    rating = bus_rating(design, job.supply)
    if rating is None or not rating.stated or not rating.passed:
        return []
    summary = f"{rating.arrays_kw:.3g} kW of inverters against {rating.limit_kw:.3g}"
    return [f"More array on the bus of {converter.inverter.name} than it takes, {summary}"]


def height_refusals(item: Inverter | Microinverter | Pack, job: Job) -> list[str]:
    """Reasons why something may not stand as high above the sea as the site does, by its datasheet."""
    height = job.site.elevation_m
    if item.highest_m is None or may_stand_at(item, height):
        return []
    assumed = ", as is assumed" if "site.elevation_m" in job.assumed else ""
    most = f"{item.highest_m:,.0f} m above the sea"
    return [f"{item.name} may stand up to {most}; the site is at {height:,.0f} m{assumed}"]


def site_refusals(inverter: Inverter | Microinverter, job: Job) -> list[str]:
    """Reasons why a converter does not fit the supply, or may not stand at the site."""
    return phase_refusals(inverter, job) + height_refusals(inverter, job)


def phase_refusals(inverter: Inverter | Microinverter, job: Job) -> list[str]:
    """Reasons why a converter does not fit the supply's phases, or else its voltage and frequency."""
    return _phases_refused(inverter, job) or volts_refusals(inverter, job) + hertz_refusals(inverter, job)


def hertz_refusals(inverter: Inverter | Microinverter, job: Job) -> list[str]:
    """Reasons why a converter does not go on a grid of the supply's frequency."""
    hertz = known_hertz(job)
    if inverter.grid_hz is None or hertz is None or f"{hertz:g}" in inverter.grid_hz:
        return []
    return [f"{inverter.name} is for grids of {inverter.grid_hz} Hz, the supply has {hertz:g}"]


def volts_refusals(inverter: Inverter | Microinverter, job: Job) -> list[str]:
    """Reasons why a converter's range does not hold the voltage of the supply."""
    volts, (low_v, high_v) = job.supply.volts, grid_range(inverter)
    if low_v <= volts <= high_v:
        return []
    reason = f"{inverter.name} stays on a grid of {low_v:.0f} to {high_v:.0f} V, the supply has {volts:g} V"
    between = job.supply.circuit.has_three_phases and low_v <= volts / sqrt(3.0) <= high_v
    return [f"{reason}; it is stated from a phase to neutral" if between else reason]


def _phases_refused(inverter: Inverter | Microinverter, job: Job) -> list[str]:
    supply = job.supply
    if inverter.phases == supply.phases:
        return []
    if inverter.phases == "single" and supply.circuit.has_three_phases:
        if not supply.circuit.has_neutral and inverter.between_phases == "may not":
            return [f"{inverter.name} may not hang between two phases, and the supply has no neutral"]
        return []
    if (inverter.phases, supply.phases) == ("three", "three-wire"):
        return [f"{inverter.name} needs a neutral, the supply has none"]
    kind = CIRCUITS[inverter.phases].adjective
    return [f"{inverter.name} is for {kind}, the supply is {supply.circuit.adjective}"]


def micro_refusals(
    micro: Microinverter, module: Module, temperatures: DesignTemperatures, job: Job, *, there: bool = False
) -> list[str]:
    """Reasons why a microinverter cannot go under a module; one that is `there` shows by running that it starts."""
    reasons = []
    tracker = micro.inverter(1).pv_side.trackers[0]
    limits = voltage_limits(module, tracker, temperatures.cold_c, temperatures.hot_c)
    hard = {limit.key: limit for limit in limits if limit.missed(1)}
    ratio = module.power_w / micro.ac_w
    if COLD in hard:
        cold_v, ends_v = hard[COLD].each_v, hard[COLD].limit_v
        reasons.append(f"{module.name} reaches {cold_v:.1f} V when cold, {micro.name} ends at {ends_v:g} V")
    if HOT in hard and not there:
        hot_v = hard[HOT].each_v
        reasons.append(f"{module.name} falls to {hot_v:.1f} V when hot, {micro.name} wants {micro.mppt_low_v:g} V")
    for limit in current_limits(module.short_circuit_a, module.max_power_a, tracker):
        if limit.missed and limit.severity is Severity.STOP:
            reasons.append(
                f"{module.name} gives {module.short_circuit_a:g} A, {micro.name} survives {micro.short_circuit_a:g} A"
            )
    if ratio > micro.ratio_max + 1e-9:
        reasons.append(f"{module.name} is {ratio:.2f} times {micro.name}; its maker allows {micro.ratio_max:.2f}")
    return reasons + (phase_refusals(micro, job) if there else site_refusals(micro, job))
