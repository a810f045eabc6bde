"""The settings sheet: every value to be keyed into the units in the order of work, why, and the trap beside it."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from calm_relay.job.control import BATTERY
from calm_relay.job.existing_supply import ON_INPUT, Generator
from calm_relay.job.model import Job
from calm_relay.physics.plant.islanded import HOLD_ABOVE, RELEASE_BELOW
from calm_relay.planning.architecture.bus_rating import arrays_on_bus
from calm_relay.planning.architecture.connections import units_of
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import joining_generators
from calm_relay.planning.common.amounts import price_text
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.operation.controls import waits
from calm_relay.planning.operation.lead_bank import LeadBank, lead_bank_of
from calm_relay.planning.site.engines import able_kw
from calm_relay.planning.site.grid_code import curve_of
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.wiring.names import name_of
from calm_relay.planning.wiring.wiring import WiringPlan

SHEET = "inverter datasheet"


@dataclass(frozen=True)
class JobValue:
    """Where the job holds a setting's number: its unit as it is typed, and the job with another number there.

    `apply` takes the number in that unit.

    Raises
    ------
    pydantic.ValidationError
        By `apply`, when the job cannot hold it.
    """

    unit: str
    apply: Callable[[Job, float], Job]


@dataclass(frozen=True)
class Setting:
    """One value: at which unit, what it is, why, and the trap beside it where there is one.

    `held` is set where the value is one number of the job: what was keyed in otherwise changes the job.
    """

    box: str
    name: str
    value: str
    why: str
    trap: str = ""
    held: JobValue | None = field(default=None, compare=False)


def settings_of(option: Option) -> tuple[Setting, ...]:
    """Every value that is keyed in, unit by unit, in the order of work.

    Parameters
    ----------
    option : Option
        An option that can be built.
    """
    plan = option.wiring
    found: list[Setting] = []
    for number, converter in enumerate(option.design.converters):
        if not converter.is_new and not converter.has_battery:
            found += _kept(option, converter)
            continue
        if option.context.job.supply.on_grid:
            found += _country(option, converter)
        elif not converter.has_battery:
            found += _follows(option, converter)
        if plan is not None:
            found += _transformers(plan, number, converter)
        if converter.has_battery:
            found += _battery(option, converter)
            found += _windows(option, converter)
        found += _export(option, converter)
        if converter.has_battery and converter.inverter.backup is not None:
            found += _island(option, converter)
            found += _generator(option, converter)
    found += _loads(option.context.job)
    return tuple(found)


def _country(option: Option, converter: Converter) -> Iterator[Setting]:
    job, name = option.context.job, converter.name
    curve = curve_of(job)
    yield Setting(
        name,
        "Grid code",
        "as the network operator says",
        f"its limits of volts and frequency; in an island it gives less from {curve.start_hz:g} Hz on",
        "a wrong grid code trips at noon, or stays on where it must trip",
    )
    yield Setting(
        name, "Mains", f"{job.supply.volts:g} V, {job.supply.circuit.adjective}", "the service as surveyed"
    )


# How a unit that forms a grid turns arrays down beside it, and what an array then has to obey.
FOLLOWS = {
    "frequency": "turns it down by the frequency",
    "relay": "switches it off by a relay",
    "data link": "turns it down by a data link",
    "none": "cannot turn it down",
}


def _follows(option: Option, converter: Converter) -> Iterator[Setting]:
    """What an array's inverter off grid is set to: it follows the unit that forms the grid."""
    lead, job = option.design.battery_converter, option.context.job
    if lead is None or lead.inverter.backup is None:
        return
    yield Setting(
        converter.name,
        "Grid code",
        f"for islands, {job.supply.volts:g} V, {curve_of(job).nominal_hz:g} Hz",
        f"{lead.name} forms the grid, and {FOLLOWS[lead.backup.throttles_ac_pv]} when the battery is full",
        "the code of a public grid may trip where it should follow",
    )


def _called(plan: WiringPlan, key: str) -> str:
    name = name_of(plan.topology.edge(key), plan.topology)
    return f"{name[:1].lower()}{name[1:]}"


def _transformers(plan: WiringPlan, number: int, converter: Converter) -> Iterator[Setting]:
    for item in plan.topology.transformers:
        if item.unit != number:
            continue
        yield Setting(
            converter.name,
            "Current transformers",
            f"{item.count}, arrows {item.arrow}, ratio as on their body",
            f"they stand on the cable {_called(plan, item.edge)} and see {', '.join(item.sees)}",
            "turned round it charges when it should give; not closed it reads too little",
        )


def _battery(option: Option, converter: Converter) -> Iterator[Setting]:
    job, name, bank, count = option.context.job, converter.name, converter.bank, _Counter(converter)
    reserve = job.battery.reserve
    if converter.battery_surveyed is not None and converter.battery_surveyed.reserve is not None:
        reserve = converter.battery_surveyed.reserve
    units = units_of(converter)
    each = ", each unit" if units > 1 else ""
    lead = lead_bank_of(converter)
    if lead is None:
        yield Setting(
            name,
            "Battery",
            bank.summary,
            "its own protocol: volts, currents and cells are then watched by the pack itself",
            "the first in a list of batteries is not this one",
        )
    else:
        yield from _lead(name, bank.summary, lead, each)
    yield Setting(
        name,
        "Battery current, charging and discharging",
        f"{bank.amps(converter.inverter, 'charge') / units:g} A and "
        f"{bank.amps(converter.inverter, 'discharge') / units:g} A{each}",
        "the lesser of what its packs together and the unit itself bear",
    )
    if not job.supply.on_grid:
        return
    yield Setting(
        name,
        "Lowest charge, grid up",
        count.text(reserve),
        f"kept back for an outage: {reserve * bank.usable_kwh:.1f} kWh{count.why(reserve)}",
        "" if lead else "some inverters count from the packs' own cut-off, some from empty: read which",
        count.held(_reserve(converter)),
    )
    if waits(converter, job):
        yield Setting(
            name,
            "Order of two batteries",
            "waits for the other: serves only what it leaves",
            "two controls on one meter chase each other",
            "without it one battery fills the other",
        )


def _lead(name: str, summary: str, bank: LeadBank, each: str) -> Iterator[Setting]:
    """What a unit is told of a lead-acid bank, which has nothing that watches it."""
    yield Setting(
        name,
        "Battery",
        f"{summary}: {bank.pack.chemistry}, set by hand",
        "no data cable tells the unit of it: it goes by volts and by what it counts",
        "the profile of another chemistry boils it dry or never fills it",
    )
    yield Setting(
        name,
        "Battery capacity",
        f"{bank.amp_hours:.0f} Ah at {bank.pack.rated_hours:g} h{each}, "
        f"Peukert exponent {bank.pack.peukert_exponent:g}",
        "the unit counts its charge by it",
        "with too many ampere-hours it reads full for years while the plates die",
    )
    yield Setting(
        name,
        "Absorption voltage",
        f"{bank.absorption_v:.1f} V at 25 °C",
        bank.source_of(bank.pack.absorption_v),
        "too high dries it out, too low leaves it part-charged" if bank.sealed else "",
    )
    held_v = f"{bank.float_v:.1f} V at 25 °C"
    yield Setting(name, "Float voltage", held_v, bank.source_of(bank.pack.float_v))
    yield Setting(
        name,
        "Compensation for temperature",
        f"−{bank.per_k * 1000.0:.0f} mV/°C, its sensor on a block in the middle",
        "warm cells want less, cold ones more",
        "without its sensor a cold bank is never full and a warm one gases",
    )
    yield Setting(
        name,
        "Equalising",
        "off" if bank.equalise_v is None else f"{bank.equalise_v:.1f} V, by hand, as its maker says",
        "sealed cells lose water that nobody can give back"
        if bank.equalise_v is None
        else "it mixes the acid; with the openings free, nobody beside it, and water topped up after",
    )
    yield Setting(
        name,
        "Low-voltage cut-out",
        f"{bank.lowest_v:.1f} V",
        f"where its usable {bank.pack.depth_of_discharge:.0%} ends: it has no cut-off of its own",
        "what a factory sets is often the volts of a dead bank",
    )


class _Counter:
    """How a unit counts charge: packs that speak to it from their own cut-off, a lead-acid bank from empty."""

    def __init__(self, converter: Converter) -> None:
        self._bank = converter.bank

    def text(self, share: float) -> str:
        """A share of what may be used as it is keyed in."""
        return f"{100.0 * self._bank.shown_charge(share):.3g}%"

    def why(self, share: float) -> str:
        """What a share means where it is counted otherwise, as the end of a reason."""
        if not self._bank.pack.is_lead:
            return ""
        return f"; the unit counts from empty: this is {share:.0%} of the usable energy"

    def held(self, apply: Callable[[Job, float], Job]) -> JobValue:
        """Where the job holds it: `apply` takes a share of what may be used in per cent."""
        return JobValue("%", lambda job, keyed: apply(job, round(100.0 * self._bank.level_at(keyed / 100.0), 9)))


def _windows(option: Option, converter: Converter) -> Iterator[Setting]:
    job, name, count = option.context.job, converter.name, _Counter(converter)
    if option.design.by_clock:
        clock = job.control.clock
        for word, windows in (("Charge by the clock", clock.charge), ("Give by the clock", clock.give)):
            for timed in windows:
                yield Setting(name, word, f"{timed.summary}, {timed.power_kw:g} kW", "it sees no meter")
        return
    if not converter.battery_moves:
        yield Setting(name, "Mode", "as it is set today", "its battery stays as it is")
        return
    if not job.supply.on_grid:
        yield Setting(name, "Mode", "off grid", "it forms the grid of the house at all times")
        return
    yield Setting(name, "Mode", "self-use", "the home first, then the battery, then the grid")
    for number, window in enumerate(job.battery.charge_windows):
        power = ""
        if window.limit_kw is not None:
            power, units = f", at most {window.limit_kw:g} kW", units_of(converter)
            power += f" in all, {window.limit_kw / units:g} kW each unit" if units > 1 else ""
        yield Setting(name, "Charge from the grid", f"{window.summary}{power}", "the tariff's cheap hours")
        yield Setting(
            name,
            f"Charge target, {window.summary}",
            count.text(window.target),
            f"what the cheap hours are to fill{count.why(window.target)}",
            "a target above the present charge buys from the grid at full power, in whatever hour it is set for",
            count.held(_target(number)),
        )
    if job.control.by_price is not None:
        yield Setting(
            name,
            "Charge by price",
            job.control.by_price.summary,
            f"where a kWh of its dear hours costs {job.tariff.currency} "
            f"{price_text(job.control.by_price.least_gain)} more than it took to charge it; kept for those hours",
            "the unit or its portal must be given the tariff; where it knows no prices, a charge window stands in",
        )
    elif not job.battery.charge_windows:
        yield Setting(
            name,
            "Charge from the grid",
            "off",
            "nothing is gained by it on this tariff as the job has it",
            "a time-of-use target above the present charge buys from the grid though only surplus was meant",
        )
    for discharge in job.control.discharge_windows:
        yield Setting(name, "Discharge", discharge.summary, "the dear hours; outside it rests")
    for delay in job.control.delay_windows:
        yield Setting(
            name,
            "Delay charging",
            delay.summary,
            "it keeps room for what the export limit or the inverter would turn away at midday",
            "where the unit knows no such window, lower its charge limit for those hours, or order it from outside",
        )
    if job.tariff.stored_export:
        for export in job.control.export_windows:
            said = f"{export.summary}, {export.power_kw:g} kW, down to {count.text(export.down_to)}"
            why = f"export pays more then{count.why(export.down_to)}"
            yield Setting(name, "Export from the battery", said, why)
    if job.control.shave_above_kw is not None:
        yield Setting(
            name,
            "Peak shaving",
            f"above {job.control.shave_above_kw:g} kW",
            "power is charged for",
            held=JobValue("kW", lambda job, kw: job.with_(control=job.control.with_(shave_above_kw=kw))),
        )


def _export(option: Option, converter: Converter) -> Iterator[Setting]:
    job, name = option.context.job, converter.name
    limit = job.tariff.export_limit_kw
    if not job.supply.on_grid or converter.micro is not None:
        return
    if limit is None:
        if converter.is_new and converter.has_array:
            limit_at = JobValue("kW", lambda job, kw: job.with_(tariff=job.tariff.with_(export_limit_kw=kw)))
            yield Setting(name, "Export limit", "none", "none is stated; ask the operator", held=limit_at)
        return
    yield Setting(
        name,
        "Export limit",
        f"{limit:g} kW, whole site",
        "the network operator's, as the job has it",
        "set at one inverter it must count the others too",
        JobValue("kW", lambda job, kw: job.with_(tariff=job.tariff.with_(export_limit_kw=kw))),
    )
    if limit == 0 or job.control.import_bias_w:
        yield Setting(
            name,
            "Import left standing",
            f"{job.control.import_bias_w:g} W",
            "so that nothing leaks out between two looks at the meter",
            "at exactly 0 W a zero export leaks",
            JobValue("W", lambda job, watts: job.with_(control=job.control.with_(import_bias_w=watts))),
        )


def _island(option: Option, converter: Converter) -> Iterator[Setting]:
    job, name, backup, count = option.context.job, converter.name, converter.backup, _Counter(converter)
    by_itself, on_grid = not converter.bank.pack.is_lead, job.supply.on_grid
    yield Setting(
        name,
        "Backup output",
        f"on, {backup.continuous_kw:g} kW continuous{' in all' if units_of(converter) > 1 else ''}",
        f"what it forms {'when the grid is down' if on_grid else 'by itself'}; the pass-through rating is another",
    )
    held = backup.held_reserve if on_grid else job.battery.reserve
    yield Setting(
        name,
        "Lowest charge, grid down" if on_grid else "Lowest charge",
        "the packs' own cut-off" if by_itself and held <= 0 else count.text(held),
        f"below it the island is without power{count.why(held)}",
        "the reserve for grid-up is not this one" if on_grid else "",
    )
    beside, curve = arrays_on_bus(option.design, job.supply), curve_of(job)
    if beside and backup.throttles_ac_pv == "frequency":
        yield Setting(
            name,
            "Frequency in an island",
            f"raised from {curve.start_hz:g} Hz to {curve.nothing_hz:g} Hz as the battery fills",
            f"AC-coupled arrays give less from the first on and nothing at the second: {curve.name}, from memory",
            "an array's grid code that does not follow the frequency is switched off instead",
        )
    if beside and backup.throttles_ac_pv == "relay":
        yield Setting(
            name,
            "Relay of the AC-coupled arrays",
            f"off above {count.text(HOLD_ABOVE)} charge, on again below {count.text(RELEASE_BELOW)}",
            "nothing else keeps them from a full battery: common practice, no source",
            "an array larger than the unit that forms the island trips it before the relay answers",
        )
    board = job.backup_board
    for circuit in board.circuits if board is not None else ():
        if circuit.role == "shed":
            always = circuit.shed_below >= 1.0
            below = (
                f"always{' in an outage' if on_grid else ''}"
                if always
                else f"below {count.text(circuit.shed_below)} charge"
            )
            why = (
                f"priority {circuit.priority}; 1 is kept longest{'' if always else count.why(circuit.shed_below)}"
            )
            held_at = count.held(_shed_below(circuit.name))
            yield Setting(name, f"Relay that sheds “{circuit.name}”", below, why, held=held_at)


def _generator(option: Option, converter: Converter) -> Iterator[Setting]:
    name, job, count = converter.name, option.context.job, _Counter(converter)
    if converter is not option.design.battery_converter:
        return
    for generator in joining_generators(option.design, job):
        if generator is None:
            continue
        apart = generator.on != ON_INPUT or generator.interlocked
        yield Setting(
            name,
            f"{generator.name} starts",
            f"below {count.text(generator.start_below)}",
            f"{generator.kw:g} kW on {generator.on}{count.why(generator.start_below)}",
            "AC-coupled arrays must be off the bus while it runs" if apart else "",
            count.held(_generator_at(generator.name, "start_below")),
        )
        yield Setting(
            name,
            f"{generator.name} stops",
            f"above {count.text(generator.stop_above)}",
            f"the sun fills the rest{count.why(generator.stop_above)}",
            held=count.held(_generator_at(generator.name, "stop_above")),
        )
        if generator.on == ON_INPUT:
            yield _of_generator(option, converter, generator)


def _of_generator(option: Option, converter: Converter, generator: Generator) -> Setting:
    """How much a unit may draw of a generator on its input: the house's share and the charging's together."""
    job = option.context.job
    circuit, able = converter.inverter.circuit, able_kw(generator, job)
    amps = able * 1000.0 / (converter.inverter.volts * circuit.factor)
    on_each = " on each conductor" if circuit.live > 1 else ""
    height = option.context.survey.length_words(job.site.elevation_m)
    thin = f" at {height}, of {generator.kw:g} kW on its plate" if able < generator.kw else ""
    return Setting(
        converter.name,
        f"Current from {generator.name}",
        f"at most {int(amps + 1e-6)} A{on_each}",
        f"the {able:.3g} kW that it gives{thin}: house and charging together",
        "above it the engine stalls, and the house with it",
    )


def _generator_at(name: str, field: str) -> Callable[[Job, float], Job]:
    """Changes a share of a generator, by its name, from what was keyed in [%]."""
    return lambda job, share: job.with_named("generators", name, **{field: share / 100.0})


def _reserve(converter: Converter) -> Callable[[Job, float], Job]:
    """The job with another reserve of a converter's battery, typed in per cent."""
    surveyed = converter.battery_surveyed

    def apply(job: Job, share: float) -> Job:
        if surveyed is None or surveyed.reserve is None:
            return job.with_(battery=job.battery.with_(reserve=share / 100.0))
        batteries = tuple(
            item.with_(reserve=share / 100.0) if item == surveyed else item for item in job.existing_batteries
        )
        return job.with_(existing_batteries=batteries)

    return apply


def _target(number: int) -> Callable[[Job, float], Job]:
    """The job with another target of a charge window, typed in per cent."""

    def apply(job: Job, share: float) -> Job:
        windows = list(job.battery.charge_windows)
        windows[number] = windows[number].with_(target=share / 100.0)
        return job.with_(battery=job.battery.with_(charge_windows=tuple(windows)))

    return apply


def _shed_below(name: str) -> Callable[[Job, float], Job]:
    """The job with a circuit shed below another charge, typed in per cent."""

    def apply(job: Job, share: float) -> Job:
        board = job.backup_board
        if board is None:
            return job
        circuits = tuple(
            item.with_(shed_below=share / 100.0) if item.name == name else item for item in board.circuits
        )
        return job.with_(backup_board=board.with_(circuits=circuits))

    return apply


def _loads(job: Job) -> Iterator[Setting]:
    names = [load.name for load in job.demand.controlled]
    if not names:
        return
    order = job.control.order_of(names)
    said = ", ".join("the battery" if name == BATTERY else name for name in order)
    yield Setting("Controls of the loads", "Who takes surplus first", said, "as the home wants it")


def _kept(option: Option, converter: Converter) -> Iterator[Setting]:
    if converter.micro is not None or not option.design.new_converters:
        return
    yield Setting(
        converter.name,
        "As it is set today",
        "write down its grid code and export limit",
        "it stays; in an island it must follow what forms the grid",
    )


@said_in_region
def setting_rows(option: Option) -> list[list[str | float | None]]:
    """The sheet as rows of a table, with a head."""
    rows: list[list[str | float | None]] = [["unit", "setting", "value", "why", "beware", "keyed in"]]
    rows += [[item.box, item.name, item.value, item.why, item.trap, ""] for item in settings_of(option)]
    return rows
