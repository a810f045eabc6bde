"""A house without a street: what goes unserved, what forms the grid, and what may hang on its bus."""

from calm_relay.planning.architecture.bus_rating import bus_rating
from calm_relay.planning.findings.backed_up_loads import board_mend
from calm_relay.planning.findings.base import Finding, Mend, Severity, check, lone_check
from calm_relay.planning.findings.battery import stronger_converter
from calm_relay.planning.operation.island import forming_kw, forms_grid

# Full cycles and a few days without sun: what practice keeps for a house without a street; common practice, no
# source.
USUAL_DAYS = 2.0


@lone_check
def check_unmet(subject):
    """What the year leaves unserved against the job's target."""
    year, target = subject.outcome.year, subject.job.alone.unmet_max
    share = subject.outcome.unmet
    over = share > target + 1e-9
    dark = year.dark_hours
    sentence = (
        f"{year.unmet_kwh:,.0f} kWh a year are asked and not served, {share:.1%} of the demand; the job allows "
        f"{target:.1%}. Dark for {dark:,.0f} h{f', tripped {year.trips} times' if year.trips else ''}."
    )
    mends = ()
    store = subject.job.store
    box = subject.design.store_box
    if over and box is not None and box.is_new and store.count < box.bank.pack.count_max:
        more = store.count + 1
        mend = Mend(f"Use {more} × {box.bank.pack.name}", lambda job: job.with_(store=job.store.with_(count=more)))
        mends = (mend,)
    return [
        Finding(
            "unmet",
            Severity.WATCH if over else Severity.HOLD,
            "Home",
            "alone.unmet_max",
            sentence,
            share * 100.0,
            target * 100.0,
            "%",
            "simulated year without a street",
            mends,
        )
    ]


@lone_check
def check_forming_power(subject):
    """The worst half hour of the evening against what forms the grid."""
    box = subject.design.store_box
    peak_kw = subject.ground.demand.evening_peak_kw
    if not forms_grid(box):
        what = "Nothing here forms" if box is None else f"{box.converter.name} does not form"
        generator = subject.job.generator
        rest = "the generator runs whenever anything is asked" if generator else "the house is dark all year"
        sentence = f"{what} a grid: {rest}."
        return [
            Finding("forming power", Severity.WATCH, "Home", "store", sentence, 0.0, peak_kw, "kW", "datasheets")
        ]
    power_kw = forming_kw(box)
    over = peak_kw > power_kw
    sentence = (
        f"{box.converter.name} forms the grid with {power_kw:.1f} kW; the worst evening half hour asks "
        f"{peak_kw:.1f} kW{': shed load, or it trips' if over else ''}."
    )
    mends = ()
    if over:
        mend = stronger_converter(
            subject, box, lambda item: item.backup is not None and item.backup.continuous_kw > power_kw * 1.05
        )
        mends = (mend,) if mend else ()
    return [
        Finding(
            "forming power",
            Severity.WATCH if over else Severity.HOLD,
            "Home",
            "store",
            sentence,
            peak_kw,
            power_kw,
            "kW",
            f"{box.converter.name}, datasheet",
            mends,
        )
    ]


@lone_check
def check_fuel(subject):
    """Hours and fuel of the generator in a year."""
    generator, year = subject.job.generator, subject.outcome.year
    if generator is None:
        return []
    kwh, hours = year.bus_kwh("import"), year.generator_hours
    litres = kwh * generator.litres_per_kwh
    money = f"{subject.job.tariff.currency} {litres * generator.price_per_litre:,.0f}"
    tank = ""
    if generator.tank_litres and litres > 0:
        tank = f" A tank of {generator.tank_litres:g} l is filled {litres / generator.tank_litres:.1f} times."
    sentence = (
        f"The generator runs {hours:,.0f} h a year in {year.generator_starts} goes and burns {litres:,.0f} l, "
        f"{money}.{tank}"
    )
    return [
        Finding(
            "fuel",
            Severity.HOLD,
            "Home",
            "generator",
            sentence,
            hours,
            None,
            "h",
            f"simulated year; {generator.litres_per_kwh:g} l a kWh, the job",
        )
    ]


@lone_check
def check_autonomy(subject):
    """Days a full store lasts without sun, by the mean load of the worst season."""
    box, demand = subject.design.store_box, subject.ground.demand
    if not forms_grid(box):
        return []
    days = box.bank.usable_kwh / (demand.worst_season_mean_kw * 24.0)
    few = days < USUAL_DAYS and subject.job.generator is None
    sentence = (
        f"A full store carries the mean {demand.worst_season} load for {days:.1f} days without sun; practice "
        f"keeps {USUAL_DAYS:g} where no generator stands by."
    )
    return [
        Finding(
            "autonomy",
            Severity.WATCH if few else Severity.HOLD,
            "Store",
            "store.count",
            sentence,
            days,
            USUAL_DAYS,
            "days",
            "common practice, no source",
        )
    ]


@lone_check
def check_dead_circuits(subject):
    """Circuits that hang on a street which is not there."""
    board = subject.job.board
    dead = tuple(c.name for c in board.circuits if c.role == "street only") if board else ()
    if not dead:
        return []
    told = ", ".join(f"“{name}”" for name in dead)

    fed = board_mend("Feed them", {name: {"role": "backed up"} for name in dead})
    sentence = f"{told}: on the street only, and there is none, so never fed."
    return [
        Finding(
            "dead circuits",
            Severity.WATCH,
            "Home",
            "board",
            sentence,
            rule="the job's survey",
            mends=(fed,),
        )
    ]


@check
def check_bus_rating(subject):
    """Arrays on the bus of a grid former must not outrun what it can take when a load drops."""
    box, lone = subject.design.store_box, not subject.job.supply.street
    if not forms_grid(box):
        return []
    rating = bus_rating(subject.design, box)
    if rating is None or box.converter.backup.throttles_ac_pv == "none":
        return []
    severity = Severity.HOLD
    if rating.passed:
        severity = Severity.STOP if lone and rating.stated else Severity.WATCH
    sentence = (
        f"{rating.arrays_kw:g} kW of array inverters on the bus of {box.converter.name}, which takes "
        f"{rating.limit_kw:.3g} kW when it forms the grid"
    )
    if rating.stated and abs(rating.practice_kw - rating.limit_kw) > 0.05:
        sentence += f" (practice: {rating.practice_kw:.3g} kW, its own rating)"
    if rating.passed:
        sentence += ": when a load drops, the surplus has nowhere to go"
        sentence += "." if lone else "; keep some of the arrays off when the street is dark."
    else:
        sentence += "."
    mends = ()
    if rating.passed and lone:
        mend = stronger_converter(
            subject,
            box,
            lambda item: (
                item.backup is not None
                and (item.backup.ac_pv_kw or item.backup.continuous_kw) * box.bank.units >= rating.arrays_kw - 1e-9
            ),
        )
        mends = (mend,) if mend else ()
    return [
        Finding(
            "bus rating",
            severity,
            "Converter",
            "store",
            sentence,
            rating.arrays_kw,
            rating.limit_kw,
            "kW",
            rating.owner,
            mends,
        )
    ]
