"""What the survey says hangs together today, held against what the datasheets say of it."""

from calm_relay.job.equipment import by_price
from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Converter
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.architecture.standing_array import bare_inverters, hung_there
from calm_relay.planning.findings.base import Finding, Mend, Subject, check, warns

DATASHEETS = "datasheets"


@check
def check_bare_inverters(subject: Subject) -> list[Finding]:
    """Of modules that hang on an inverter today and pass for new ones, what comes would have all the yield."""
    job, equipment = subject.job, subject.context.equipment
    carrying = {job.wired_to(item) for item in job.existing_batteries if item.inverter is None}
    bare = []
    for unit in bare_inverters(job):
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
        reasons = battery_refusals(converter.bank, converter.inverter, subject.job)
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
