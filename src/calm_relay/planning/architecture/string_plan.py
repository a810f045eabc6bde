"""Strings changed by hand: modules moved between strings, strings moved between inputs."""

from collections import Counter

from calm_relay.job.model import Job
from calm_relay.job.survey import PlannedString, StringPlan
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.strings.stringing import Stringing


def plan_of(stringing: Stringing, inverter_key: str, alike: int = 1) -> StringPlan:
    """Strings as a plan that the job can hold and a person can change."""
    parts = Counter(run.chain for run in stringing.runs if run.chain)
    strings = [
        PlannedString(
            face=run.face.plan.name,
            modules=run.in_series,
            input=run.tracker_number,
            chain=run.chain if parts[run.chain] > 1 else None,
        )
        for run in stringing.runs
        for _ in range(run.parallel)
    ]
    return StringPlan(inverter=inverter_key, unit=alike, strings=tuple(strings))


def job_with_plan(job: Job, design: Design, plan: StringPlan) -> Job:
    """A job with strings laid by hand on an option's inverter, which the job then states.

    Otherwise strings that do not fit yet would have the planner take another inverter.

    Raises
    ------
    ValueError
        When modules are the planner's own: those of a plug-in stand are on no face of the job.
    """
    known = {face.name for face in job.faces}
    own = next((string.face for string in plan.strings if string.face not in known), None)
    if own is not None:
        raise ValueError(f"the modules of {own} are the planner's: they are on no face of the roof")
    job = job.with_string_plan(plan.inverter, plan, plan.unit)
    meant = (plan.inverter, plan.unit)
    converter = next((unit for unit in design.pv_converters if (unit.inverter.key, unit.alike) == meant), None)
    if converter is None or not converter.is_new:
        return job
    # Several new string inverters are what the planner takes with no strings laid by hand: none of them is all.
    several = sum(unit.is_new and unit.micro is None and not unit.has_battery for unit in design.pv_converters) > 1
    if several and not converter.has_battery:
        return job
    return job.with_(battery=job.battery.with_(**{converter.stated_as: plan.inverter}))


def with_module_moved(plan: StringPlan, source: int, target: int) -> StringPlan:
    """With one module of a string put into another of the same face.

    Raises
    ------
    ValueError
        When the strings are of different faces.
    """
    one, other = plan.strings[source], plan.strings[target]
    if one.face != other.face:
        raise ValueError(f"a module of {one.face} cannot hang in a string of {other.face}")
    if source == target:
        return plan
    strings = list(plan.strings)
    strings[target] = other.with_(modules=other.modules + 1)
    if one.modules == 1:
        del strings[source]
    else:
        strings[source] = one.with_(modules=one.modules - 1)
    return plan.with_(strings=tuple(strings))


def with_module_on_input(plan: StringPlan, source: int, number: int) -> StringPlan:
    """With one module of a string put on an input as the first of a new string."""
    one = plan.strings[source]
    new = PlannedString(face=one.face, modules=1, input=number)
    rest = list(plan.strings)
    if one.modules == 1:
        rest[source] = new
    else:
        rest[source] = one.with_(modules=one.modules - 1)
        rest.append(new)
    return plan.with_(strings=tuple(rest))


def with_string_moved(plan: StringPlan, source: int, number: int) -> StringPlan:
    """With a whole string, on whatever faces it lies, put on another input."""
    moved = plan.parts_of(source)
    strings = (part.with_(input=number) if at in moved else part for at, part in enumerate(plan.strings))
    return plan.with_(strings=tuple(strings))


def with_length(plan: StringPlan, source: int, modules: int) -> StringPlan:
    """With a string made longer or shorter by modules that lie on no string; none left takes the string away.

    Raises
    ------
    ValueError
        When it was the last string.
    """
    strings = list(plan.strings)
    if modules < 1:
        if len(strings) == 1:
            raise ValueError("one string must stay")
        del strings[source]
    else:
        strings[source] = strings[source].with_(modules=modules)
    return plan.with_(strings=tuple(strings))
