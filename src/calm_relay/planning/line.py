"""The line: an option as the path of energy, station by station, ready to be drawn."""

from dataclasses import dataclass

from calm_relay.planning.findings import Finding, Severity
from calm_relay.planning.plan import Option, Plan


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

    `column` counts stations from the left; `row` is 0 on the line itself and 1 for what hangs below it.
    """

    name: str
    column: float
    row: int
    headline: str
    detail: str
    headroom: Headroom | None
    severity: Severity | None
    findings: int


@dataclass(frozen=True)
class Leg:
    """A stretch between two points of the line, each (column, row); kind is "light", "DC" or "AC"."""

    kind: str
    start: tuple[float, float]
    end: tuple[float, float]


@dataclass(frozen=True)
class Line:
    """Stations and the legs that join them."""

    stations: tuple[Station, ...]
    legs: tuple[Leg, ...]

    def station(self, name: str) -> Station:
        """A station by name."""
        return next(station for station in self.stations if station.name == name)


COLUMN = {"Sky": 0.0, "Roof": 1.0, "Strings": 2.0, "Converter": 3.4, "Home": 4.8, "Street": 5.8}
DC_JOIN, AC_JOIN = 2.7, 4.1


def line_of(plan: Plan, option: Option) -> Line:
    """The line of an option; a refused option is drawn as it would be built, without figures."""
    at = {finding.check: finding for finding in option.findings}
    stations = [
        _station("Sky", option, _sky(plan), plan.assumed_note or plan.site.source),
        _station("Roof", option, *_roof(plan)),
        _station(
            "Strings",
            option,
            _strings(plan),
            "",
            _headroom(at.get("cold voltage"), "{:.0f} of {:.0f} V when coldest"),
        ),
        _station(
            "Converter",
            option,
            *_converter(option),
            _headroom(at.get("array ratio"), "{:.2f} of {:.2f} array over inverter"),
        ),
        _station(
            "Home",
            option,
            f"{plan.demand.yearly_kwh / 1000:.1f} MWh a year",
            f"evening peak {plan.demand.evening_peak_kw:.1f} kW",
            _headroom(at.get("grid down"), "{:.1f} of {:.1f} kW when dark"),
        ),
        _station(
            "Street", option, *_street(plan), _headroom(at.get("main fuse"), "{:.1f} of {:.1f} kW main fuse")
        ),
    ]
    legs = [
        Leg("light", (COLUMN["Sky"], 0), (COLUMN["Roof"], 0)),
        Leg("DC", (COLUMN["Roof"], 0), (COLUMN["Strings"], 0)),
        Leg("DC", (COLUMN["Strings"], 0), (COLUMN["Converter"], 0)),
        Leg("AC", (COLUMN["Converter"], 0), (COLUMN["Home"], 0)),
        Leg("AC", (COLUMN["Home"], 0), (COLUMN["Street"], 0)),
    ]
    power = _headroom(at.get("evening power"), "{:.1f} of {:.1f} kW evening peak")
    if option.design.coupling == "DC":
        stations.append(_station("Store", option, *_store(plan), power, DC_JOIN, 1))
        legs.append(Leg("DC", (DC_JOIN, 0), (DC_JOIN, 1)))
    elif option.design.coupling == "AC":
        box = option.design.store_box
        name = f"{box.converter.ac_kw:g} kW" if box else "none fits"
        stations.append(_station("Battery inverter", option, name, "", None, AC_JOIN, 1))
        stations.append(_station("Store", option, *_store(plan), power, AC_JOIN - 1.2, 1))
        legs.append(Leg("AC", (AC_JOIN, 0), (AC_JOIN, 1)))
        legs.append(Leg("DC", (AC_JOIN, 1), (AC_JOIN - 1.2, 1)))
    return Line(tuple(stations), tuple(legs))


def _station(name, option, headline, detail="", headroom=None, column=None, row=0):
    mine = [finding for finding in option.findings if finding.station == name]
    raised = [finding for finding in mine if finding.severity is not Severity.HOLD]
    severity = min((finding.severity for finding in mine), default=None)
    return Station(
        name,
        COLUMN[name] if column is None else column,
        row,
        headline,
        detail,
        headroom,
        severity,
        len(raised),
    )


def _headroom(finding: Finding | None, caption):
    if finding is None or finding.measured is None or not finding.limit:
        return None
    return Headroom(
        finding.measured, finding.limit, caption.format(finding.measured, finding.limit), finding.severity
    )


def _sky(plan):
    ghi = plan.site.weather.ghi
    return f"{ghi.sum() * plan.site.calendar.step_h / 1000:,.0f} kWh/m² a year"


def _roof(plan):
    rated = sum(face.rated_kw for face in plan.faces)
    made = sum(face.yearly_kwh for face in plan.faces)
    count = len(plan.faces)
    return f"{rated:.2f} kWp, {count} face{'s' * (count > 1)}", f"{made / 1000:.1f} MWh DC a year"


def _strings(plan):
    lengths = [face.plan.in_series for face in plan.faces for _ in range(face.plan.strings)]
    return " + ".join(f"{lengths.count(n)} × {n}" for n in dict.fromkeys(lengths))


def _converter(option):
    box = option.design.pv_box
    if box is None:
        return "none fits", ""
    return f"{box.converter.ac_kw:g} kW {box.converter.kind.split()[0]}", ""


def _store(plan):
    bank = plan.bank
    return f"{bank.usable_kwh:.1f} kWh usable", f"{bank.count} × {bank.pack.name}"


def _street(plan):
    limit = plan.job.tariff.export_limit_kw
    export = "no export limit stated" if limit is None else f"export up to {limit:g} kW"
    return f"{plan.job.supply.main_fuse_a:g} A", export
