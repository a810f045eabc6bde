"""Loads that a control starts and stops: what they go short of, and what the service carries of them."""

from collections.abc import Callable
from typing import Any

from calm_relay.job.base import minutes_of
from calm_relay.job.control import Window
from calm_relay.job.demand import LOAD_FIELDS, ON_HYBRID, Car, HotWater
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Job
from calm_relay.physics.plant.loads import ControlledLoad
from calm_relay.planning.architecture.car_charger import car_unit, charger_amps, least_v
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.findings.base import (
    Finding,
    Mend,
    Subject,
    check,
    passes,
    stops,
    stops_if,
    warns,
    warns_if,
)
from calm_relay.planning.findings.demand import earlier
from calm_relay.planning.operation.island import forming_kw, forms_grid
from calm_relay.planning.operation.simulate import loads_of

# Share of what a load is asked for that may be missing before it is told: a cold morning or two.
SMALL_SHARE = 0.01
# Share of what a car takes that surplus must be for it to be worth waiting for.
SMALL_SURPLUS = 0.05
PRACTICE = "common practice, no source"
# When a tank is heated through by night where nothing else is said.
NIGHT = Window(start="03:00", end="05:30")
# Share of the service that one load is offered to take.
USUAL_SHARE = 0.5


def _place(job: Job, name: str) -> tuple[str, int, Any]:
    """Field, number and model of a load, by its name."""
    for field in LOAD_FIELDS:
        for number, item in enumerate(getattr(job.demand, field)):
            if item.name == name:
                return field, number, item
    raise KeyError(name)


def _with_load(field: str, number: int, **changes: Any) -> Callable[[Job], Job]:
    """Changes fields of one load."""

    def apply(job: Job) -> Job:
        items = list(getattr(job.demand, field))
        items[number] = items[number].with_(**changes)
        return job.with_(demand=job.demand.with_(**{field: tuple(items)}))

    return apply


@check
def check_what_loads_get(subject: Subject) -> list[Finding]:
    """Each controlled load must have what it is asked for; what it took of the array's surplus is told."""
    run = subject.outcome.year.loads
    found: list[Finding] = []
    for number, item in enumerate(loads_of(subject.job, subject.site)):
        field, place, load = _place(subject.job, item.name)
        path = f"demand.{field}.{place}"
        taken, surplus = run.kwh("taken", number), run.kwh("surplus", number)
        short, used = run.kwh("short", number), run.kwh("used", number)
        reading = (short, SMALL_SHARE * (short + used), "kWh")
        if short <= reading[1]:
            free = f"{surplus:,.0f}" if surplus >= 0.5 else "none"
            sentence = f"{item.name}: {taken:,.0f} kWh a year, {free} of it from what the array leaves."
            rule, mends = "simulated year", _by_night(subject, load, taken, surplus, (field, place))
            if mends:
                sentence += (
                    f" It is there from {load.start} to {load.end}, when the array leaves next to nothing: let it come "
                    "by day, or do not wait for surplus."
                )
            tell = warns if mends else passes
            found.append(tell("controlled loads", "Home", path, sentence, reading=reading, rule=rule, mends=mends))
            continue
        sentence, mends = _short(item.name, load, short, used, (field, place))
        if not subject.job.supply.on_grid:
            sentence, mends = _short_off_grid(item.name, load, short, used, (field, place))
        found.append(
            warns("controlled loads", "Home", path, sentence, reading=reading, rule="simulated year", mends=mends)
        )
    return found


def _by_night(
    subject: Subject, load: Any, taken: float, surplus: float, place: tuple[str, int]
) -> tuple[Mend, ...]:
    """What to do of a car that waits for surplus in hours in which there is none; nothing for others."""
    waits = isinstance(load, Car) and load.control == "on surplus" and bool(subject.design.pv_converters)
    waits = waits and subject.design.architecture.role != "today"
    if not waits or taken <= 0.0 or surplus >= SMALL_SURPLUS * taken:
        return ()
    tariff = subject.job.tariff
    ways = ["at once"]
    if subject.job.supply.on_grid and any(window.price < tariff.price for window in tariff.windows):
        ways.insert(0, "in cheap hours")
    return tuple(Mend(f"Charge it {way}", _with_load(*place, control=way)) for way in ways)


def _short(
    name: str, load: Any, short: float, used: float, place: tuple[str, int]
) -> tuple[str, tuple[Mend, ...]]:
    """What a load goes short of, and what would answer it."""
    if isinstance(load, HotWater):
        sentence = f"{name}: {short:,.0f} of {short + used:,.0f} kWh of heat a year are asked for and not there."
        mends = []
        if not load.top_up:
            mends.append(Mend("Heat it through by night", _with_load(*place, top_up=(NIGHT,))))
        if load.keep_above < 0.5:
            mends.append(Mend("Keep half of its heat", _with_load(*place, keep_above=0.5)))
        return sentence, tuple(mends)
    if isinstance(load, Car):
        hours = ((minutes_of(load.end) - minutes_of(load.start)) % 1440 or 1440) / 60.0
        into = load.charger_kw * hours
        sentence = f"{name}: {short:,.0f} kWh a year are not in when it leaves."
        if into < load.kwh_per_day:
            sentence += f" {load.charger_kw:g} kW × {hours:g} h is {into:.0f} of {load.kwh_per_day:g} kWh."
            needed = round(load.kwh_per_day / hours * 1.1 + 0.05, 1)
            stronger = Mend(f"A charger of {needed:g} kW", _with_load(*place, charger_kw=needed))
            return sentence, (stronger, *earlier(load, place[1]))
        return f"{sentence} The main fuse leaves too little for it.", ()
    return f"{name}: {short:,.0f} of {short + used:,.0f} kWh a year are asked for and not done in its time.", ()


def _short_off_grid(
    name: str, load: Any, short: float, used: float, place: tuple[str, int]
) -> tuple[str, tuple[Mend, ...]]:
    """What a load goes short of where arrays, battery and generator are all there is."""
    wants = getattr(load, "from_battery", True)
    sentence = f"{name}: {short:,.0f} of {short + used:,.0f} kWh a year are asked for and not there off grid"
    if wants:
        return f"{sentence}.", ()
    mend = Mend("The battery may serve it", _with_load(*place, from_battery=True))
    return f"{sentence}: it has what arrays leave and what a generator that runs gives.", (mend,)


@check
def check_loads_on_the_service(subject: Subject) -> list[Finding]:
    """No one load may be larger than the service, or off grid what forms it."""
    job = subject.job
    found: list[Finding] = []
    limit = job.supply.import_limit_kw
    if not job.supply.on_grid and forms_grid(subject.design.battery_converter):
        limit = min(limit, forming_kw(subject.design))
    for name, power, field in ((item.name, item.kw, "kw") for item in job.demand.flexible):
        found += _larger(job, name, power, limit, field)
    for water in job.demand.hot_water:
        found += _larger(job, water.name, water.element_kw, limit, "element_kw")
    for car in job.demand.cars:
        if car.is_controlled:
            found += _larger(job, car.name, car.charger_kw, limit, "charger_kw")
    return found


def _larger(job: Job, name: str, power_kw: float, limit_kw: float, field: str) -> list[Finding]:
    if power_kw <= limit_kw:
        return []
    kind, place, load = _place(job, name)
    less = round(USUAL_SHARE * limit_kw, 1)
    # A service that carries next to nothing bears no such load, however small.
    bears = range_of(type(load), field).holds(less) and less < power_kw
    mends = (Mend(f"{less:g} kW for {name}", _with_load(kind, place, **{field: less})),) if bears else ()
    return [
        stops(
            "load on the service",
            "Home",
            f"demand.{kind}.{place}.{field}",
            f"{name} takes {power_kw:g} kW; "
            f"{'the service carries' if job.supply.on_grid else 'the inverter gives'} {limit_kw:.1f} kW.",
            reading=(power_kw, limit_kw, "kW"),
            rule="main fuse of the survey" if job.supply.on_grid else "inverter datasheet",
            mends=mends,
        )
    ]


@check
def check_load_ports(subject: Subject) -> list[Finding]:
    """Loads that are to hang on smart load ports need as many, and each no more amperes than its port has."""
    job = subject.job
    wanted = [water for water in job.demand.hot_water if water.port_on is not None]
    if not wanted:
        return []
    units = [unit.inverter for unit in subject.design.converters if unit.inverter.load_ports]
    ports, names = sum(unit.load_ports for unit in units), " and ".join(water.name for water in wanted)
    kind, place, _ = _place(job, wanted[-1].name)
    if ports < len(wanted):
        off = Mend(f"{wanted[-1].name} on no port", _with_load(kind, place, port_on=None))
        sentence = (
            f"{names}: wanted on {len(wanted)} smart load ports; the units of this option have {ports or 'none'}."
        )
        path, reading = f"demand.{kind}.{place}.port_on", (float(len(wanted)), float(ports), "ports")
        return [
            stops("load port", "Home", path, sentence, reading=reading, rule="inverter datasheet", mends=(off,))
        ]
    found = []
    on_one = dict(job.load_phases)
    each = [unit for unit in units for _ in range(unit.load_ports)]
    for water, unit in zip(wanted, each, strict=False):
        spread = 1.0 if water.name in on_one else job.supply.circuit.factor
        amps, stated = water.element_kw * 1000.0 / job.supply.volts / spread, unit.load_port_a
        kind, place, _ = _place(job, water.name)
        path, rule = f"demand.{kind}.{place}.element_kw", f"{unit.name}, datasheet"
        if stated is None:
            said = f"{water.name} draws {amps:.1f} A; {unit.name} does not state what its smart load port bears."
            found.append(warns("load port", "Home", path, said, reading=(amps, None, "A"), rule=rule))
            continue
        said = f"{water.name} draws {amps:.1f} A of the {stated:g} A of a smart load port of {unit.name}."
        found.append(
            stops_if(amps > stated + 1e-9, "load port", "Home", path, said, reading=(amps, stated, "A"), rule=rule)
        )
    return found


def _its_cable(unit: Converter) -> str:
    """What the charger's cable is chosen for."""
    inverter = unit.inverter
    assumed = " (assumed)" if inverter.dc_charger_v is None else ""
    return (
        f"Its cable is chosen for {charger_amps(inverter):.0f} A, its full power at {least_v(inverter):g} V{assumed}; "
        "what its maker says of cable, fuse and isolator goes first."
    )


@check
def check_car_chargers(subject: Subject) -> list[Finding]:
    """A car on a hybrid's DC charger: what bounds it, and how long it takes; whether it may give back."""
    job, found = subject.job, []
    number, served = car_unit(subject.design), ""
    for place, car in enumerate(job.demand.cars):
        path = f"demand.cars.{place}.charger"
        if car.charger == ON_HYBRID and number is None:
            mend = Mend("A charger on AC", _with_load("cars", place, charger="on AC"))
            why = f"the one there serves {served}" if served else "no unit of this option has one"
            said = f"{car.name} is to hang on a hybrid's DC charger; {why}."
            found.append(stops("car charger", "Home", path, said, rule="inverter datasheet", mends=(mend,)))
        elif car.charger == ON_HYBRID and number is not None:
            found.append(_dc_charger(subject, place, number))
            # One charger serves one car.
            number, served = None, car.name
        if car.car_gives_back:
            found.append(_giving(subject, place))
    return found


def _dc_charger(subject: Subject, place: int, number: int) -> Finding:
    """The least of what bounds a DC charger without sun, and the hours it then takes."""
    job, car = subject.job, subject.job.demand.cars[place]
    unit = subject.design.converters[number]
    from_battery = car.from_battery and unit.has_battery
    bounds = {"the charger": min(unit.inverter.dc_charger_kw or 0.0, car.charger_kw)}
    if not _on_its_bus(subject, car.name):
        bounds["the inverter"] = unit.inverter.ac_kw
    elif job.supply.on_grid:
        bounds["the inverter"] = unit.inverter.ac_kw + (unit.gives[0] if from_battery else 0.0)
    elif from_battery:
        limits = unit.bank.dc_limits(unit.inverter, "discharge", 0.0)
        bounds["the battery"] = min(limits.values()) * unit.inverter.port.dc_dc_efficiency
    else:
        said = (
            f"{car.name} on the DC charger of {unit.name}: off grid it has what the array leaves, and what a generator "
            f"that runs brings, up to {bounds['the charger']:.1f} kW; the battery does not serve it. {_its_cable(unit)}"
        )
        return passes("car charger", "Home", f"demand.cars.{place}.charger", said, rule="the job's survey")
    if job.supply.on_grid and car.within_fuse:
        night = subject.site.night
        spare = job.supply.import_limit_kw - float(subject.context.demand.kw[night].mean())
        bounds["the main fuse"] = max(spare, 0.0)
    owner = min(bounds, key=lambda name: bounds[name])
    power = max(bounds[owner], 1e-9)
    hours = car.kwh_per_day / power
    window = ((minutes_of(car.end) - minutes_of(car.start)) % 1440 or 1440) / 60.0
    sentence = (
        f"{car.name} on the DC charger of {unit.name}: {power:.1f} kW without sun, bounded by {owner}; "
        f"{car.kwh_per_day:g} kWh take {hours:.1f} of the {window:g} h it stands there. {_its_cable(unit)}"
    )
    if not _on_its_bus(subject, car.name):
        sentence += (
            " Another unit forms the grid, or several do: it is counted as charged over AC, which loses more."
        )
    return warns_if(
        hours > window,
        "car charger",
        "Home",
        f"demand.cars.{place}.charger",
        sentence,
        reading=(hours, window, "h"),
        rule=f"{unit.inverter.name}, datasheet; the job's survey",
    )


def _on_its_bus(subject: Subject, name: str) -> bool:
    """Whether the year's run serves a car on the DC bus it hangs on; an island does on that of what alone forms it."""
    names = [item.name for item in loads_of(subject.job, subject.site)]
    return name not in names or subject.outcome.year.loads.loads[names.index(name)].converter > 0


def _giving(subject: Subject, place: int) -> Finding:
    """What a car gave back in the year, or why it does not."""
    job, car = subject.job, subject.job.demand.cars[place]
    names = [item.name for item in loads_of(job, subject.site)]
    run = subject.outcome.year.loads
    load = run.loads[names.index(car.name)] if car.name in names else None
    path, rule = f"demand.cars.{place}.car_gives_back", "the job's survey; inverter datasheet"
    if load is None or load.gives_kw <= 0.0:
        said = f"{car.name} may give back by its maker; nothing says that its charger does, and none is counted."
        return warns("car gives back", "Home", path, said, rule=rule)
    if not job.supply.on_grid:
        said = f"{car.name} may give back; off grid none of it is counted: what forms the grid has to carry all."
        return passes("car gives back", "Home", path, said, rule=rule)
    given = run.kwh("given", names.index(car.name))
    kept = car.keeps * (car.battery_kwh or 0.0)
    said = (
        f"{car.name} gives {given:,.0f} kWh a year out of its battery to the house, and keeps {kept:.0f} kWh. In an "
        f"outage none of it is counted, for the car may be away.{_in_an_outage(subject, load)} Ask its maker what that "
        "means for the warranty, and the operator whether it must be notified."
    )
    return passes("car gives back", "Home", path, said, rule=rule)


def _in_an_outage(subject: Subject, load: ControlledLoad) -> str:
    """How long a full car could carry the house, where it hangs on the unit that forms the grid."""
    number, demand = load.converter - 1, subject.context.demand
    if number < 0 or not forms_grid(subject.design.converters[number]):
        return ""
    hours = (load.cap_kwh - load.keep_kwh) * load.give_efficiency / demand.worst_season_mean_kw
    return (
        f" Where {subject.design.converters[number].name} takes power from it then, which its maker has to say, a full "
        f"car carries the mean {demand.worst_season} load for {hours:.0f} h more."
    )
