"""An off-grid house: what goes unserved, what forms the grid, and what may hang on its bus."""

from math import ceil

from calm_relay.planning.architecture.bus_rating import bus_rating, only_phase_served
from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.common.joined import counted
from calm_relay.planning.equipment.bank import charge_dc_kw
from calm_relay.planning.equipment.equipment import loss_curve
from calm_relay.planning.findings.backed_up_loads import backup_board_mend
from calm_relay.planning.findings.base import (
    Drawn,
    Finding,
    Mend,
    Severity,
    Subject,
    advises,
    as_drawn,
    check,
    judged,
    off_grid_check,
    passes,
    warns,
    warns_if,
)
from calm_relay.planning.findings.battery import more_packs, more_units, on_all_phases, stronger, stronger_inverter
from calm_relay.planning.operation.backed_up_loads import asked_where_served, most_by_day_kw
from calm_relay.planning.operation.fuel import fuel_by_generator, fuel_cost
from calm_relay.planning.operation.island import forming_kw, forms_grid

# Full cycles and a few days without sun: what practice keeps for an off-grid house; common practice, no
# source.
USUAL_DAYS = 2.0
# Charge at which a battery nearly full is asked to take what a dropped load leaves over.
NEARLY_FULL = 0.98
EMPTY = 0.05
# How a unit turns the arrays on its bus down, and how long that takes them: common practice, no source.
BACKS_OFF = {
    "relay": "a relay cuts them off, within some tenths of a second",
    "frequency": "they follow its frequency down, some seconds",
    "data link": "they are told to, some seconds",
}


@off_grid_check
def check_unmet(subject: Subject) -> list[Finding]:
    """What the year leaves unserved against the job's target."""
    year, target = subject.outcome.island_year, subject.job.off_grid.unmet_max
    share = subject.outcome.unserved
    over = share > target + 1e-9
    unserved_h = year.unserved_hours
    tripped = f", tripped {counted(year.trips, 'time')}" if year.trips else ""
    sentence = (
        f"{year.unmet_kwh:,.0f} kWh a year are asked and not served, {share:.1%} of the demand; the job allows "
        f"{target:.1%}. {_without(unserved_h)}{tripped}."
    )
    mends: tuple[Mend, ...] = ()
    converter = subject.design.battery_converter
    if over and converter is not None and only_phase_served(subject.design, subject.job.supply):
        mends = on_all_phases(subject, converter)
    elif over and converter is not None and _runs_low(subject, subject.design.converters.index(converter)):
        mend = more_packs(subject, converter, converter.bank.count + 1)
        mends = (mend,) if mend else ()
    return [
        warns_if(
            over,
            "unmet",
            "Home",
            "off_grid.unmet_max",
            sentence,
            reading=(share * 100.0, target * 100.0, "%"),
            rule="simulated year off grid",
            mends=mends,
        )
    ]


def _runs_low(subject: Subject, number: int) -> bool:
    """Whether a battery is ever so low that a circuit is shed for it; else its energy is not what is missing."""
    year, board = subject.outcome.year, subject.job.backup_board
    shed = [c.shed_below for c in board.circuits if c.role == "shed" and c.shed_below < 1.0] if board else []
    bank = year.plant[number].bank
    lowest = float(year.of("stored", number).min()) / bank.usable_kwh
    return lowest <= max([bank.reserve + EMPTY, *shed])


def _without(hours: float) -> str:
    """How long nothing is fed."""
    if hours <= 0.0:
        return "It is never without supply: what is missing was shed or had to wait"
    return f"Without supply for {hours:,.0f} h" if hours >= 1.0 else "Without supply for less than an hour"


@off_grid_check
def check_forming_power(subject: Subject) -> list[Finding]:
    """The worst half hour of the evening against what forms the grid."""
    converter, demand = subject.design.battery_converter, subject.context.demand
    peak_kw = demand.evening_peak_kw
    if not forms_grid(converter):
        what = "Nothing here forms" if converter is None else f"{converter.name} does not form"
        generator = subject.job.generator
        rest = (
            "the generator runs whenever anything is asked"
            if generator
            else "the house is without supply all year"
        )
        sentence = f"{what} a grid: {rest}."
        severity = Severity.CHECK if generator else Severity.STOP
        reading = (0.0, peak_kw, "kW")
        return [judged(severity, "forming power", "Home", "battery", sentence, reading=reading, rule="datasheets")]
    power_kw = forming_kw(subject.design)
    peak_kw, _ = asked_where_served(subject.design, subject.job, demand, subject.site)
    over = peak_kw > power_kw
    power, peak = in_pair(power_kw, peak_kw)
    sentence = (
        f"{subject.design.grid_former.name} forms the grid with {power} kW; the worst evening half hour asks "
        f"{peak} kW{': shed load, or it trips' if over else ''}."
    )
    mends: tuple[Mend, ...] = ()
    if over:
        mends = stronger(subject, converter, islanded=True)
        beside = None if mends else more_units(subject, converter, converter.bank.units + 1)
        mends = (beside,) if beside else mends
    return [
        warns_if(
            over,
            "forming power",
            "Home",
            "battery",
            sentence,
            reading=(peak_kw, power_kw, "kW"),
            rule=f"{converter.inverter.name}, datasheet",
            mends=mends,
        )
    ]


@off_grid_check
def check_fuel(subject: Subject) -> list[Finding]:
    """Hours and fuel of the generator in a year."""
    running, year = subject.job.running_generators, subject.outcome.island_year
    if not running:
        return []
    burnt = fuel_by_generator(year, subject.job)
    hours, litres = year.generator_hours, sum(burnt)
    money = f"{subject.job.tariff.currency} {fuel_cost(year, subject.job):,.0f}"
    tanks = ""
    for generator, own in zip(running, burnt, strict=False):
        if generator.tank_litres and own > 0:
            whose = "A tank" if len(running) == 1 else f"The tank of {generator.name}"
            tanks += f" {whose} of {generator.tank_litres:g} l is filled {own / generator.tank_litres:.1f} times."
    name = "The generator runs" if len(running) == 1 else f"{len(running)} generators run, one or more of them,"
    starts = year.generator_starts
    goes = f"in {starts} goes" if starts > 1 else "without a stop"
    sentence = (
        f"{name} {hours:,.0f} h a year {goes} and burn{'s' * (len(running) == 1)} {litres:,.0f} l, {money}.{tanks}"
    )
    burns = ", ".join(
        f"{generator.litres_per_kwh:g} l a kWh at full load, {generator.no_load_share:.0%} of it an hour at none"
        for generator in running
    )
    return [
        passes(
            "fuel",
            "Home",
            "generators",
            sentence,
            reading=(hours, None, "h"),
            rule=f"simulated year; {burns}, the job",
        )
    ]


@off_grid_check
def check_autonomy(subject: Subject) -> list[Finding]:
    """Days a full battery lasts without sun, by the mean load of the worst season."""
    converter, demand = subject.design.battery_converter, subject.context.demand
    if not forms_grid(converter):
        return []
    days = converter.bank.usable_kwh / (demand.worst_season_mean_kw * 24.0)
    few = days < USUAL_DAYS and subject.job.generator is None
    mend = more_packs(subject, converter, ceil(converter.bank.count * USUAL_DAYS / days - 1e-9)) if few else None
    sentence = (
        f"A full battery carries the mean {demand.worst_season} load for {days:.1f} days without sun; practice "
        f"keeps {USUAL_DAYS:g} where no generator stands by."
    )
    return [
        warns_if(
            few,
            "autonomy",
            "Battery",
            "battery.count",
            sentence,
            reading=(days, USUAL_DAYS, "days"),
            rule="common practice, no source",
            mends=(mend,) if mend else (),
        )
    ]


@off_grid_check
def check_dead_circuits(subject: Subject) -> list[Finding]:
    """Circuits that hang on a grid which is not there."""
    backup_board = subject.job.backup_board
    dead = tuple(c.name for c in backup_board.circuits if c.role == "grid only") if backup_board else ()
    if not dead:
        return []
    summary = ", ".join(f"“{name}”" for name in dead)

    fed = backup_board_mend("Feed them", {name: {"role": "backed up"} for name in dead})
    sentence = f"{summary}: on the grid side only, and there is none, so never fed."
    return [warns("dead circuits", "Home", "backup_board", sentence, rule="the job's survey", mends=(fed,))]


@as_drawn
@check
def check_bus_rating(subject: Drawn) -> list[Finding]:
    """Arrays on the bus of a grid former must not outrun what it can take when a load drops."""
    converter, off_grid = subject.design.battery_converter, not subject.job.supply.on_grid
    if not forms_grid(converter):
        return []
    rating = bus_rating(subject.design, subject.job.supply)
    if rating is None or converter.backup.throttles_ac_pv == "none":
        return []
    severity = Severity.OK
    if rating.passed:
        severity = Severity.STOP if off_grid and rating.stated else Severity.CHECK
    sentence = (
        f"{rating.arrays_kw:g} kW of array inverters on the bus of {converter.name}, which takes "
        f"{rating.limit_kw:.3g} kW when it forms the grid"
    )
    if rating.stated and abs(rating.practice_kw - rating.limit_kw) > 0.05:
        sentence += f" (practice: {rating.practice_kw:.3g} kW, its own rating)"
    if rating.passed:
        sentence += ": when a load drops, the surplus has nowhere to go"
        sentence += "." if off_grid else "; keep some of the arrays off when the grid is down."
    else:
        sentence += "."
    mends: tuple[Mend, ...] = ()
    if rating.passed and off_grid:
        mend = stronger_inverter(
            subject,
            converter,
            lambda item: (
                item.backup is not None
                and (item.backup.ac_pv_kw or item.backup.continuous_kw) * converter.bank.units
                >= rating.arrays_kw - 1e-9
            ),
        )
        needed = ceil(rating.arrays_kw / rating.limit_kw * converter.bank.units - 1e-9)
        more = more_units(subject, converter, needed)
        mends = tuple(item for item in (mend, more) if item)
    return [
        judged(
            severity,
            "bus rating",
            "Inverter",
            "battery",
            sentence,
            reading=(rating.arrays_kw, rating.limit_kw, "kW"),
            rule=rating.owner,
            mends=mends,
        )
    ]


@advises
@check
def check_load_rejection(subject: Subject) -> list[Finding]:
    """What arrays on an island's bus carry and a load drops must go into the batteries until they back off."""
    converter = subject.design.battery_converter
    if not forms_grid(converter) or converter.backup.throttles_ac_pv == "none":
        return []
    rating, rows = bus_rating(subject.design, subject.job.supply), subject.behind_relay
    if rating is None or not rows.names:
        return []
    dropped_kw = min(rating.arrays_kw, most_by_day_kw(rows, subject.site))
    each = [charge_dc_kw(item.bank, item.inverter, level=NEARLY_FULL) for item in subject.design.together]
    into_kw, limited_by = sum(kw for kw, _ in each), each[0][1]
    way = converter.inverter.port.dc_dc_efficiency * float(loss_curve(converter.inverter).efficiency(0.5))
    takes_kw = into_kw / way
    over = dropped_kw > takes_kw + 1e-9
    sentence = (
        f"When all that runs by day drops at once, {dropped_kw:.1f} kW of arrays go into the batteries until they "
        f"back off ({BACKS_OFF[converter.backup.throttles_ac_pv]}); nearly full these take {takes_kw:.1f} kW "
        f"({limited_by})"
    )
    sentence += ": keep some of the arrays off the backed-up side, or expect it to trip." if over else "."
    return [
        warns_if(
            over,
            "load rejection",
            "Inverter",
            "battery",
            sentence,
            reading=(dropped_kw, takes_kw, "kW"),
            rule="common practice, no source",
        )
    ]
