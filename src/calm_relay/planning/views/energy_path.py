"""The line: an option as the path of energy, station by station, ready to be drawn."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.common.amounts import in_pair
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.common.wanted import HOLD_WHILE_WANTED, unanswered_stations
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.findings import Finding, Severity
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.array import Face
from calm_relay.planning.site.engines import able_kw
from calm_relay.planning.verdict.option import Option, RefusedOption
from calm_relay.planning.views.figures import home_kwh


@dataclass(frozen=True)
class Headroom:
    """How much of a limit is used, and which limit it is."""

    used: float
    limit: float
    caption: str
    severity: Severity

    @property
    def fraction(self) -> float:
        """Used over limit; above 1 when the limit is passed."""
        return self.used / self.limit if self.limit > 0 else 0.0


@dataclass(frozen=True)
class Station:
    """One stop on the line.

    `column` counts stations from the left; `row` is 0 on the line itself and 1 for what hangs below it. `words`
    says on which side its words stand: "below", "left" or "right"; `source` where its figures come from.
    """

    name: str
    column: float
    row: int
    headline: str
    detail: str
    headroom: Headroom | None
    severity: Severity | None
    findings: int
    words: str = "below"
    source: str = ""


@dataclass(frozen=True)
class Leg:
    """A stretch between two points of the line, each (column, row).

    `kind` is "light", "DC" or "AC"; `flow` names what moves on it as in `Moment.legs`, positive towards its end.
    """

    kind: str
    start: tuple[float, float]
    end: tuple[float, float]
    flow: str = ""


@dataclass(frozen=True)
class Line:
    """Stations and the legs that join them."""

    stations: tuple[Station, ...]
    legs: tuple[Leg, ...]

    def station(self, name: str) -> Station:
        """A station by name."""
        return next(station for station in self.stations if station.name == name)


COLUMN = {"Site": 0.0, "Roof": 1.0, "Strings": 2.0, "Inverter": 3.4, "Home": 4.8, "Grid": 5.8}
DC_JOIN, AC_JOIN = 2.7, 4.1
BATTERY_GAP = 1.2


@said_in_region
def line_of(plan: Plan, option: Option | RefusedOption) -> Line:
    """The line of an option; one that is refused is drawn as it would be built, without figures."""
    at = _nearest_to_limit(option.findings)
    stations = [
        _station("Site", option, _site(plan), plan.assumed_note or plan.site.source),
        _station("Roof", option, *_roof(plan, option)),
        _station(
            "Strings",
            option,
            _strings(plan, option),
            "",
            _headroom(at.get("cold voltage"), "V when coldest", 0),
        ),
        _station(
            "Inverter",
            option,
            *_inverter(option),
            _headroom(at.get("array ratio"), "array over inverter", 2),
        ),
        _station(
            "Home",
            option,
            f"{home_kwh(plan, option) / 1000:.1f} MWh a year",
            f"evening peak {plan.demand.evening_peak_kw:.1f} kW",
            _carried(at.get("grid down"), _in_an_outage(option))
            or _headroom(at.get("forming power"), "kW formed"),
        ),
        _station(
            "Grid",
            option,
            *_grid(plan, option),
            _main_fuse(at.get("main fuse")),
        ),
    ]
    built = option if isinstance(option, Option) else None
    group = built.topology.roof_units if built else ()
    main = group[0] if group else 0
    legs = [Leg("AC", (COLUMN["Home"], 0), (COLUMN["Grid"], 0), "grid")]
    if group or built is None:
        legs = [
            Leg("light", (COLUMN["Site"], 0), (COLUMN["Roof"], 0), "light"),
            Leg("DC", (COLUMN["Roof"], 0), (COLUMN["Strings"], 0), f"{main}:roof"),
            Leg("DC", (COLUMN["Strings"], 0), (COLUMN["Inverter"], 0), f"{main}:strings"),
            Leg("AC", (COLUMN["Inverter"], 0), (COLUMN["Home"], 0), f"{main}:ac"),
            *legs,
        ]
    power = _carried(at.get("evening power"), "kW evening peak")
    on_main = bool(group) and main in built.topology.storing if built else option.coupling == "DC"
    if on_main:
        leads = built is None or main == built.lead
        bank = built.design.converters[main].bank if built else plan.bank
        name = "Battery" if leads else "Second battery"
        stations.append(_station(name, option, *_battery(bank), power if leads else None, DC_JOIN, 1, "right"))
        legs.append(Leg("DC", (DC_JOIN, 0), (DC_JOIN, 1), f"{main}:battery"))
    beside = built.topology.beside_units(built.lead) if built else ()
    if built is None:
        if option.coupling == "AC":
            _hang(stations, legs, plan, option, 1, None, power)
    elif len(beside) == 1 and not on_main:
        number = beside[0][0]
        _hang(stations, legs, plan, option, number, built.design.converters[number], power)
    else:
        for column, numbers in zip((AC_JOIN, AC_JOIN + 1.2), beside, strict=False):
            units = tuple(built.design.converters[number] for number in numbers)
            leads = built.lead in numbers
            _hang_whole(stations, legs, option, numbers[0], units, column, power, leads=leads)
    if built is not None and built.topology.units and not group:
        # Without an array the line begins where the first unit joins.
        legs.append(Leg("AC", (AC_JOIN, 0), (COLUMN["Home"], 0), f"{beside[0][0]}:ac"))
    if plan.job.wanted:
        stations = [_begun(station, plan, option) for station in stations]
        if not group:
            stations, legs = _in_line(stations, legs)
    sourced = tuple(replace(station, source=_source(station, plan, option)) for station in stations)
    return Line(sourced, tuple(legs))


def _nearest_to_limit(findings: Sequence[Finding]) -> dict[str, Finding]:
    """By check the finding that comes nearest to its limit: several units may be held against the same."""
    nearest: dict[str, Finding] = {}

    def used(finding: Finding) -> float:
        return finding.measured / finding.limit if finding.measured is not None and finding.limit else 0.0

    for finding in findings:
        other = nearest.get(finding.check)
        if other is None or used(finding) > used(other):
            nearest[finding.check] = finding
    return nearest


def _converters(option: Option | RefusedOption) -> tuple[Converter, ...]:
    """Units of an option; none of one that is refused."""
    return option.design.converters if isinstance(option, Option) else ()


def _source(station: Station, plan: Plan, option: RefusedOption | Option) -> str:
    converters = " and ".join(converter.inverter.name for converter in _converters(option)) or "none that fits"
    note = plan.assumed_note or plan.site.source
    return {
        "Site": plan.site.source,
        "Roof": f"the job's survey; module datasheets; year: {note}",
        "Strings": "the job's survey; module and inverter datasheets",
        "Home": f"{plan.demand.source}; in an outage: battery and inverter datasheets",
        "Grid": f"the job's survey; highest import, or generator hours, of the simulated year ({note})",
        "Battery": f"battery datasheet; evening peak: {plan.demand.source}",
    }.get(station.name, f"{converters}, datasheets")


def _hang(
    stations: list[Station],
    legs: list[Leg],
    plan: Plan,
    option: Option | RefusedOption,
    number: int,
    converter: Converter | None,
    power: Headroom | None,
) -> None:
    """A second unit joins at the AC bus: its battery on its own DC side, or the array that is kept on it."""
    legs.append(Leg("AC", (AC_JOIN, 1), (AC_JOIN, 0), f"{number}:ac"))
    headline = f"{converter.inverter.ac_kw:g} kW" if converter else "none fits"
    if converter and not converter.has_battery:
        headline += f", {converter.array_kw:.2f} kWp"
        stations.append(_station("Kept inverter", option, headline, "", None, AC_JOIN, 1, "right"))
        return
    stations.append(_station("Battery inverter", option, headline, "", None, AC_JOIN, 1, "right"))
    bank = converter.bank if converter else plan.bank
    stations.append(_station("Battery", option, *_battery(bank), power, AC_JOIN - BATTERY_GAP, 1, "left"))
    legs.append(Leg("DC", (AC_JOIN, 1), (AC_JOIN - BATTERY_GAP, 1), f"{number}:battery"))


def _hang_whole(
    stations: list[Station],
    legs: list[Leg],
    option: Option | RefusedOption,
    number: int,
    units: tuple[Converter, ...],
    column: float,
    power: Headroom | None,
    *,
    leads: bool,
) -> None:
    """One of several units that join at the AC bus, or more together, drawn with its battery as one station.

    `leads` says whether its battery is the one under discussion.
    """
    legs.append(Leg("AC", (column, 1), (column, 0), f"{number}:ac"))
    headline = f"{sum(unit.inverter.ac_kw for unit in units):g} kW"
    array_kw = sum(unit.array_kw for unit in units)
    held_kwh = sum(unit.bank.usable_kwh for unit in units if unit.has_battery)
    bar, detail, energy = power if leads else None, "", f"{held_kwh:.1f} kWh"
    if array_kw and not (leads and held_kwh):
        headline += f", {array_kw:.2f} kWp"
        # At the line's end three figures are too wide for one row.
        detail = energy if held_kwh else ""
    elif held_kwh:
        headline += f", {energy}"
    if len(units) > 1:
        name = f"{len(units)} more units"
    elif not held_kwh:
        name = "Kept inverter"
    else:
        name = "Battery" if leads else "Second battery"
    stations.append(_station(name, option, headline, detail, bar, column, 1, "right"))


def _begun(station: Station, plan: Plan, option: Option | RefusedOption) -> Station:
    """A station while answers are wanted: marked by what holds already, without figures that stand in."""
    mine = [f for f in option.findings if f.station == station.name and f.check in HOLD_WHILE_WANTED]
    severity, raised = _marks(mine)
    held = replace(station, severity=severity, findings=raised, headroom=None)
    # A battery that hangs there today is the survey's; a new one's size follows the demand.
    surveyed = station.name == "Battery" and option.role == "today"
    if surveyed or station.name not in unanswered_stations(plan.job):
        if station.name != "Roof" or not plan.faces:
            return held
        # Nobody has said yet what will be there; what lies there and what comes are said alike.
        headline, made = _faces(plan.faces)
        return replace(held, headline=headline, detail="" if "place" in plan.job.wanted else made)
    return replace(held, headline="not said yet", detail="")


def _in_line(stations: list[Station], legs: list[Leg]) -> tuple[list[Station], list[Leg]]:
    """The one inverter that the survey named stands where arrays will come, not beside one still to be named."""
    named = next((station for station in stations if station.name == "Kept inverter"), None)
    if named is None:
        return stations, legs
    power = named.headline.partition(",")[0]
    placed = [
        replace(station, headline=power) if station.name == "Inverter" else station
        for station in stations
        if station is not named
    ]
    joined = [
        replace(leg, start=(COLUMN["Inverter"], 0)) if leg.start == (AC_JOIN, 0) else leg
        for leg in legs
        if leg.start != (AC_JOIN, 1)
    ]
    return placed, joined


def _marks(mine: Sequence[Finding]) -> tuple[Severity | None, int]:
    """The worst of a station's findings, and how many of them are raised."""
    severity = min((finding.severity for finding in mine), default=None)
    return severity, sum(finding.severity is not Severity.OK for finding in mine)


def _station(
    name: str,
    option: Option | RefusedOption,
    headline: str,
    detail: str = "",
    headroom: Headroom | None = None,
    column: float | None = None,
    row: int = 0,
    words: str = "below",
) -> Station:
    severity, raised = _marks([finding for finding in option.findings if finding.station == name])
    return Station(
        name,
        COLUMN[name] if column is None else column,
        row,
        headline,
        detail,
        headroom,
        severity,
        raised,
        words,
    )


def _headroom(finding: Finding | None, what: str, decimals: int = 1) -> Headroom | None:
    if finding is None or finding.measured is None or not finding.limit:
        return None
    used, limit = in_pair(finding.measured, finding.limit, decimals)
    return Headroom(finding.measured, finding.limit, f"{used} of {limit} {what}", finding.severity)


def _main_fuse(finding: Finding | None) -> Headroom | None:
    """What of the main fuse is used, in kW, or in amps where there is no neutral."""
    return _headroom(finding, f"{finding.unit} main fuse", 1 if finding.unit == "kW" else 0) if finding else None


def _in_an_outage(option: Option | RefusedOption) -> str:
    """What the power of an outage is told as: on one phase of three it is of that phase alone."""
    place = option.outcome.backup.place if isinstance(option, Option) else ""
    return f"kW, {place} in outage" if place else "kW in an outage"


def _carried(finding: Finding | None, what: str) -> Headroom | None:
    """What is given of what is asked; who gives more than that gives all of it."""
    said = _headroom(finding, what)
    if said is None or said.used < said.limit:
        return said
    return replace(said, caption=f"all of {said.limit:.1f} {what}")


def _site(plan: Plan) -> str:
    ghi = plan.site.weather.ghi
    return f"{ghi.sum() * plan.site.calendar.step_h / 1000:,.0f} kWh/m² a year"


def _roof(plan: Plan, option: RefusedOption | Option) -> tuple[str, str]:
    """The faces that stand on this option's roof."""
    later = option.role != "today"
    faces = [face for face in plan.faces if (face.plan.will_be_there if later else face.plan.is_there)]
    return _faces(faces) if faces else ("nothing on it yet", "")


def _faces(faces: Sequence[Face]) -> tuple[str, str]:
    rated, made = sum(face.rated_kw for face in faces), sum(face.yearly_kwh for face in faces)
    count = len(faces)
    return f"{rated:.2f} kWp, {count} face{'s' * (count > 1)}", f"{made / 1000:.1f} MWh DC a year"


def _strings(plan: Plan, option: Option | RefusedOption) -> str:
    arrays = option.topology.arrays if isinstance(option, Option) else ()
    if not arrays:
        lengths = [f.plan.in_series for f in plan.faces if f.plan.is_there for _ in range(f.plan.strings)]
    elif arrays[0].kind == "branch":
        return f"{sum(len(node.strings) for node in arrays if node.kind == 'branch')} modules, each its own"
    else:
        lengths = [length for node in arrays for length in node.strings]
    return " + ".join(f"{lengths.count(n)} × {n}" for n in dict.fromkeys(lengths)) or "none yet"


def _inverter(option: Option | RefusedOption) -> tuple[str, str]:
    if isinstance(option, RefusedOption):
        return "none fits", ""
    numbers = option.topology.roof_units
    if not numbers:
        return "none yet", ""
    converter = option.design.converters[numbers[0]]
    if converter.micro:
        modules = sum(len(option.topology.units[number].strings) for number in numbers)
        return f"{modules} × {converter.micro.ac_w:g} W micro", ""
    ratings = [option.design.converters[number].inverter.ac_kw for number in numbers]
    return f"{' + '.join(f'{kw:g}' for kw in ratings)} kW {converter.inverter.kind.split()[0]}", ""


def _battery(bank: Bank) -> tuple[str, str]:
    return f"{bank.usable_kwh:.1f} kWh usable", bank.summary


def _grid(plan: Plan, option: Option | RefusedOption) -> tuple[str, str]:
    if not plan.job.supply.on_grid:
        running = plan.job.running_generators
        if not running:
            return "none, off grid", "no generator"
        hours = f"{option.outcome.island_year.generator_hours:,.0f} h a year" if isinstance(option, Option) else ""
        return f"none; generator {' + '.join(f'{able_kw(item, plan.job):.2g}' for item in running)} kW", hours
    limit = plan.job.tariff.export_limit_kw
    export = "no export limit stated" if limit is None else f"export up to {limit:g} kW"
    return f"{plan.job.supply.main_fuse_a:g} A", export
