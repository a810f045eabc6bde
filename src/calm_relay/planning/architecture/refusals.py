"""What speaks against hanging something on a converter, in sentences."""

from calm_relay.job.board import ON_BUS
from calm_relay.job.equipment import Converter, Microinverter, Pack
from calm_relay.job.model import Job
from calm_relay.planning.architecture.bus_rating import bus_rating
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.site.array import DesignTemperatures

# How far the lowest pack stays clear of the highest water: common practice, no source.
CLEAR_OF_WATER_M = 0.1


def battery_refusals(bank: Bank, converter: Converter, job: Job) -> list[str]:
    """Reasons why a bank cannot hang on a converter on this supply."""
    pack, port = bank.pack, converter.battery
    if port is None:
        return [f"{converter.name} has no battery port"]
    reasons = []
    if pack.family not in port.families:
        reasons.append(f"{converter.name} does not speak to {pack.name}")
    elif not port.low_v <= bank.empty_v <= bank.full_v <= port.high_v:
        reasons.append(
            f"{bank.count} × {pack.name} stand at {bank.empty_v:.0f} to {bank.full_v:.0f} V; "
            f"{converter.name} takes {port.low_v:.0f} to {port.high_v:.0f} V"
        )
    if pack.expansion_of is not None:
        reasons.append(f"{pack.name} adds energy to another pack and cannot stand alone")
    if not pack.count_min <= bank.count <= pack.count_max:
        reasons.append(f"{pack.name} is built {pack.count_min} to {pack.count_max} at a time, not {bank.count}")
    return reasons + phase_refusals(converter, job)


def units_refusals(converter: Converter, units: int) -> list[str]:
    """Reasons why so many of a converter cannot stand side by side."""
    if units <= converter.units_max:
        return []
    allowed = "one alone" if converter.units_max == 1 else f"at most {converter.units_max} side by side"
    return [f"{converter.name}: its maker allows {allowed}, not {units}"]


def mixing_refusals(old: Pack, new: Pack) -> list[str]:
    """Reasons why a new pack may not stand beside an old one on one port."""
    if old.key == new.key or new.key in old.mixes_with or old.key in new.mixes_with:
        return []
    if old.family == new.family and old.generation != new.generation:
        told = f"{new.name} is generation {new.generation or 'one'}, {old.name} is {old.generation or 'one'}"
        return [f"{told}: the two may not be mixed on one port"]
    return [f"{new.name} may not stand beside {old.name} on one port: they are not of one kind"]


def place_refusals(design, job: Job) -> list[str]:
    """Reasons why the new store may not stand where the survey puts it."""
    box, place = design.store_box, job.place
    if box is None or not box.store_is_new:
        return []
    pack, reasons = box.bank.pack, []
    if place.where == "outdoors" and not pack.outdoors:
        reasons.append(f"{pack.name} is not made to stand outdoors")
    if place.flood_m > 0 and place.base_m < place.flood_m + CLEAR_OF_WATER_M:
        reasons.append(f"The lowest pack stands {place.base_m:g} m up; water may come to {place.flood_m:g} m")
    if place.hottest_c is not None and place.hottest_c > pack.work_max_c:
        reasons.append(f"It may be {place.hottest_c:g} °C there; {pack.name} works up to {pack.work_max_c:g} °C")
    if pack.is_lead and not place.ventilated:
        reasons.append(f"{pack.name} gives off gas and the place has no ventilation")
    return reasons


def connection_refusals(design, job: Job) -> list[str]:
    """Reasons why the connection may not have the inverters of a design."""
    limit_kw = job.supply.inverter_limit_kw
    counts_all = job.supply.operator_counts == "every inverter"
    counted = [box for box in design.boxes if counts_all or box.converter.pv]
    total = sum(box.converter.ac_kw for box in counted)
    if limit_kw is None or total <= limit_kw + 1e-9:
        return []
    parts = " + ".join(f"{box.converter.ac_kw:g}" for box in counted)
    idle = [box.converter.name for box in counted if box.converter.pv and not box.has_array]
    hybrid = f", and {idle[0]} as a PV inverter whether or not a module hangs on it" if idle else ""
    return [f"The operator counts {parts} = {total:g} kW{hybrid}; this connection may have {limit_kw:g} kW"]


def island_refusals(design) -> list[str]:
    """Reasons why a design cannot stand without a street."""
    box = design.store_box
    if design.by_clock:
        return ["A time clock sees no meter and no grid of its own: without a street something must form one"]
    if box is None:
        return ["Nothing here holds the night, and nothing forms a grid"]
    name, backup = box.converter.name, box.converter.backup
    if backup is None:
        return [f"{name} forms no grid: without a street there is none that it could follow"]
    beside = [other.converter.name for other in design.boxes if other is not box and other.has_array]
    if beside and backup.throttles_ac_pv == "none":
        return [f"{name} cannot turn {beside[0]} down: with a full store its power has nowhere to go"]
    return []


def generator_refusals(design, job: Job) -> list[str]:
    """Reasons why the job's generator cannot join a design."""
    generator, box = job.generator, design.store_box
    if generator is None or box is None:
        return []
    beside = [other.converter.name for other in design.boxes if other is not box and other.has_array]
    if generator.on == ON_BUS and beside:
        return [f"Reverse power damages the generator on one bus with {beside[0]}"]
    if box.converter.backup is None or not box.converter.backup.generator_input:
        return [f"{box.converter.name} has no generator input"]
    return []


def bus_refusals(design, job: Job) -> list[str]:
    """Reasons why what forms the grid alone does not stand the arrays on its bus, by its own datasheet."""
    box = design.store_box
    if job.supply.street or box is None or box.converter.backup is None:
        return []
    rating = bus_rating(design, box)
    if rating is None or not rating.stated or not rating.passed:
        return []
    told = f"{rating.arrays_kw:.3g} kW of inverters against {rating.limit_kw:.3g}"
    return [f"More array on the bus of {box.converter.name} than it takes, {told}"]


def phase_refusals(converter: Converter, job: Job) -> list[str]:
    """Reasons why a converter does not fit the supply."""
    if converter.phases == job.supply.phases or (converter.phases == "single" and job.supply.phases == "three"):
        return []
    return [f"{converter.name} is for {converter.phases} phase, the supply is {job.supply.phases}"]


def micro_refusals(micro: Microinverter, module, temperatures: DesignTemperatures, job: Job) -> list[str]:
    """Reasons why a microinverter cannot go under a module."""
    reasons = []
    run_cold = module.open_circuit_v * (1 + module.voc_per_c * (temperatures.cold_c - 25.0))
    hot_v = module.max_power_v * (1 + module.vmp_per_c * (temperatures.hot_c - 25.0))
    ratio = module.power_w / micro.ac_w
    if run_cold > micro.max_v:
        reasons.append(f"{module.name} reaches {run_cold:.1f} V when cold, {micro.name} ends at {micro.max_v:g} V")
    if hot_v < micro.mppt_low_v:
        reasons.append(f"{module.name} falls to {hot_v:.1f} V when hot, {micro.name} wants {micro.mppt_low_v:g} V")
    if module.short_circuit_a > micro.short_circuit_a:
        reasons.append(
            f"{module.name} gives {module.short_circuit_a:g} A, {micro.name} survives {micro.short_circuit_a:g} A"
        )
    if ratio > micro.ratio_max + 1e-9:
        reasons.append(f"{module.name} is {ratio:.2f} times {micro.name}; its maker allows {micro.ratio_max:.2f}")
    if micro.phases != job.supply.phases and not (micro.phases == "single" and job.supply.phases == "three"):
        reasons.append(f"{micro.name} is for {micro.phases} phase, the supply is {job.supply.phases}")
    return reasons
