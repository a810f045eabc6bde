"""What the survey says hangs together today, held against what the datasheets say of it."""

from calm_relay.job.equipment import by_price
from calm_relay.job.model import Job
from calm_relay.physics.fade import REFERENCE_C, calendar_fade, cycles_at
from calm_relay.physics.plant.readings import given_by
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.architecture.standing_array import bare_inverters, hung_there
from calm_relay.planning.findings.base import Finding, Mend, Subject, check, warns

DATASHEETS = "datasheets"
# Below it the survey takes no health.
LEAST_HEALTH = 0.2


@check
def check_bare_inverters(subject: Subject) -> list[Finding]:
    """Of modules that hang on an inverter today and pass for new ones, what comes would have all the yield."""
    job, equipment = subject.job, subject.context.equipment
    carrying = {job.wired_to(item) for item in job.existing_batteries if item.inverter is None}
    bare = []
    for unit in bare_inverters(job, equipment.catalogue):
        field = f"existing_inverters.{job.existing_inverters.index(unit)}.inverter"
        inverter = equipment.inverter(unit.inverter, field)
        if inverter.pv is not None and unit.name not in carrying:
            bare.append((unit, inverter))
    if "array" in job.wanted or not bare:
        return []
    unit, inverter = bare[0]
    modules = {face.plan.module: face.module for face in subject.context.faces}
    cold_c, hot_c = subject.context.temperatures.cold_c, subject.context.temperatures.hot_c

    def hung(job: Job) -> Job:
        return hung_there(job, unit, inverter, modules, cold_c, hot_c) or job

    mend = Mend("The modules hang on it today", hung)
    sentence = (
        f"{inverter.name} is there and no module hangs on it: today's bill is counted without sun, and all the yield "
        "is the gain of what comes. Say of modules that hang on it that they are there."
    )
    return [
        warns(
            "inverter without modules", "Roof", "faces", sentence,
            rule="the job's survey", mends=(mend,) if len(bare) == 1 and mend.changes(job) else (),
        )
    ]  # fmt: skip


@check
def check_existing_batteries(subject: Subject) -> list[Finding]:
    """A battery that is there must hang on something that speaks to it; else the survey read a label wrong."""
    found = []
    for converter in subject.design.converters:
        old = converter.battery_surveyed
        if old is None or converter.is_new or converter.added is not None:
            continue
        reasons = battery_refusals(converter.bank, converter.inverter, subject.job, there=True)
        if not reasons:
            continue
        number = subject.job.existing_batteries.index(old)
        sentence = f"{old.name} cannot work as the survey has it: {reasons[0]}. Read both labels again."
        found.append(
            warns(
                "existing battery", "Battery", f"existing_batteries.{number}", sentence,
                rule=DATASHEETS, mends=_own_unit(subject, converter, number),
            )
        )  # fmt: skip
    return found


@check
def check_health_of_old_packs(subject: Subject) -> list[Finding]:
    """Packs that have stood for years and of which nobody said what they still hold are planned as if new."""
    found, job = [], subject.job
    for number, converter in enumerate(subject.design.converters):
        old = converter.battery_surveyed
        if old is None or old.measured_kwh is not None or old.health < 1.0 or old.age_years < 1.0:
            continue
        at, left = job.existing_batteries.index(old), _left_by_datasheet(subject, number, old.age_years)
        sentence = (
            f"{old.name} is {old.age_years:g} years old and planned as if new. By its datasheet, cycled as this year, "
            f"it holds about {left:.0%} of that: measure it, from full to empty."
        )

        def worn(job: Job, at: int = at, left: float = left) -> Job:
            return job.with_existing_battery(at, health=left)

        found.append(
            warns(
                "health of the old battery", "Battery", f"existing_batteries.{at}.health", sentence,
                rule=f"{converter.bank.pack.name}, datasheet", mends=(Mend(f"Plan it with {left:.0%}", worn),),
            )
        )  # fmt: skip
    return found


def _left_by_datasheet(subject: Subject, number: int, years: float) -> float:
    """Usable energy over usable when new after so many years at 25 °C, each cycled as the year that was run."""
    bank = subject.design.converters[number].bank
    pack, curve = bank.pack, bank.pack.cycle_life
    # The cycle of a mean day.
    depth = given_by(subject.outcome.year.stored[number]) / 365.0 / bank.nominal_kwh
    worn = 0.0
    if depth > 0.0:
        lives = float(cycles_at(depth, [point.depth for point in curve], [point.cycles for point in curve]))
        worn = (1.0 - pack.cycles_to) * 365.0 * years / lives
    left = 1.0 - calendar_fade(years, REFERENCE_C, pack.calendar_fade) - worn
    return round(min(max(left, LEAST_HEALTH), 0.99), 2)


def _own_unit(subject: Subject, converter: Converter, number: int) -> tuple[Mend, ...]:
    """Puts it on the cheapest battery inverter that speaks to it, which is what most likely hangs there."""
    fitting = [
        item
        for item in subject.context.equipment.catalogue.inverters
        if item.battery is not None
        and item.pv is None
        and not item.plug_in
        and not battery_refusals(converter.bank, item, subject.job)
    ]
    if not fitting:
        return ()
    taken = min(fitting, key=by_price)
    return (
        Mend(
            f"It hangs on a {taken.name}",
            lambda job: job.with_existing_battery(number, inverter=taken.key, wired_to=None),
        ),
    )
