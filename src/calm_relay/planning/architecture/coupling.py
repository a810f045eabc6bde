"""What an architecture means on the wall: units, what fails with each, roof work, the operator's sum."""

from dataclasses import dataclass

from calm_relay.job.model import Job, Supply
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.common.joined import counted, joined


@dataclass(frozen=True)
class UnitFact:
    """A unit on the wall: what it is, whether it is new, and what stops with it."""

    name: str
    is_new: bool
    fails: str


@dataclass(frozen=True)
class CouplingFacts:
    """What an electrician asks about an option before its figures."""

    school: str
    units: tuple[UnitFact, ...]
    roof_work: str
    counted: str


def coupling_facts(design: Design, job: Job) -> CouplingFacts:
    """Units, failures, roof work and operator's sum of a design that can be built."""
    units = tuple(
        UnitFact(converter.name, converter.is_new, _fails(design, converter))
        for converter in design.converters
        if converter.micro is None
    )
    micros = [converter for converter in design.converters if converter.micro]
    if micros:
        count = sum(run.parallel for converter in micros for run in converter.stringing.runs)
        summary = UnitFact(
            f"{count} microinverters", any(converter.is_new for converter in micros), "one module stops with each"
        )
        units = (summary, *units)
    roof = _roof_work(design, job)
    return CouplingFacts(design.architecture.school, units, roof, counted_text(design, job.supply))


def _fails(design: Design, converter: Converter) -> str:
    others = [item for item in design.converters if item is not converter]
    if converter.has_array and converter.has_battery:
        what = f"{converter.array_kw:.1f} kWp and the battery stop"
    elif converter.has_array:
        what = f"{converter.array_kw:.1f} kWp stop"
    elif converter.has_battery:
        what = f"{converter.bank.usable_kwh:.1f} kWh of battery stop"
    else:
        return "nothing hangs on it"
    left = []
    if any(item.has_array for item in others):
        left.append("array")
    if any(item.has_battery for item in others):
        left.append("battery")
    units = converter.bank.units if converter.has_battery else 1
    if units > 1 and converter.is_new:
        share = {2: "half", 3: "a third", 4: "a quarter"}.get(units, f"one part in {units}")
        return f"with one of {units} {share} of it stops: {what.removesuffix(' stop')}"
    if not left:
        return f"{what} with it"
    return f"{what} with it; {' and '.join(left)} elsewhere work{'s' if len(left) == 1 else ''} on"


def _roof_work(design: Design, job: Job) -> str:
    new = sum(
        run.modules
        for converter in design.pv_converters
        for run in converter.stringing.runs
        if run.face.plan.fate == "new"
    )
    if not design.new_converters:
        return "none"
    parts = []
    if gone := sum(face.count for face in design.taken_down(job)):
        parts.append(_done(gone, "module", "taken down"))
    if new:
        parts.append(_done(new, "module", "laid"))
    if design.strings_moved:
        parts.append(_done(design.strings_moved, "string", "connected anew"))
    return joined(parts) if parts else "none: all work is at ground level"


def _done(number: int, thing: str, what: str) -> str:
    return f"{counted(number, thing)} {'is' if number == 1 else 'are'} {what}"


def counted_text(design: Design, supply: Supply) -> str:
    """The operator's sum, part by part [kW]."""
    counted = design.counted(supply)
    if not counted:
        return "nothing"
    parts = " + ".join(f"{converter.inverter.ac_kw:g}" for converter in counted)
    return f"{parts} = {design.counted_kw(supply):g} kW" if len(counted) > 1 else f"{parts} kW"
