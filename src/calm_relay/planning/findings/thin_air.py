"""What stands high above the sea: engines give less, and not every maker lets electronics stand there."""

from calm_relay.job.equipment import Inverter, Pack, may_stand_at
from calm_relay.job.model import Job
from calm_relay.planning.architecture.connections import kept_generators
from calm_relay.planning.common.joined import joined
from calm_relay.planning.findings.base import Drawn, Finding, Subject, as_drawn, check, warns_if
from calm_relay.planning.site.engines import able_kw

# Below it nobody misses what thin air takes of an engine.
LITTLE_LOST = 0.03
# Up to it clearances in air are sized where a maker states nothing: IEC 62109-1 and IEC 60664-1 (from memory).
SIZED_FOR_M = 2000.0


def _assumed(job: Job) -> str:
    return " How high the site lies is assumed: state it." if "site.elevation_m" in job.assumed else ""


@check
def check_engines(subject: Subject) -> list[Finding]:
    """Engines give less where the air is thin."""
    job, length = subject.job, subject.context.survey.length_words
    weaker = [
        item
        for item in kept_generators(subject.design, job)
        if able_kw(item, job) <= item.kw * (1.0 - LITTLE_LOST)
    ]
    if not weaker:
        return []
    unknown = [item for item in weaker if item.full_power_to_m is None]
    told = [f"{item.name} gives about {able_kw(item, job):.3g} of its {item.kw:g} kW" for item in weaker]
    sentence = (
        f"At {length(job.site.elevation_m)} the air is thin: {joined(told)}, and every run counts with that. "
    )
    if unknown:
        whose = "its" if len(unknown) == 1 else "each"
        sentence += (
            "That is for an engine without turbocharger, its power stated for the air at the sea; say up to where "
            f"{whose} maker gives its full power."
        )
    else:
        sentence += "Full power is stated up to "
        sentence += joined([length(item.full_power_to_m or 0.0) for item in weaker]) + "."
    first = (unknown or weaker)[0]
    return [
        warns_if(
            unknown,
            "engine in thin air",
            "Home",
            f"generators.{job.generators.index(first)}.full_power_to_m",
            sentence + _assumed(job),
            reading=(able_kw(first, job), first.kw, "kW"),
            rule="ISO 3046-1, from memory",
        )
    ]


@as_drawn
@check
def check_height(subject: Drawn) -> list[Finding]:
    """Thin air cools and insulates less: how high a unit or a pack may stand is its maker's to say."""
    height, length = subject.job.site.elevation_m, subject.context.survey.length_words
    there: dict[str, Inverter | Pack] = {}
    for unit in subject.design.converters:
        there[unit.inverter.name] = unit.inverter
        if unit.has_battery:
            there[unit.bank.pack.name] = unit.bank.pack
    told, unknown = [], []
    for name, item in there.items():
        full_to_m = item.full_power_to_m if isinstance(item, Inverter) else None
        if not may_stand_at(item, height):
            told.append(f"{name} may stand up to {length(item.highest_m or 0.0)}")
        elif full_to_m is not None and full_to_m < height:
            told.append(f"{name} gives its full power up to {length(full_to_m)} only")
        elif item.highest_m is None and height > SIZED_FOR_M:
            unknown.append(name)
    if height <= SIZED_FOR_M and not told:
        return []
    if unknown:
        says = "does not say how high it may stand" if len(unknown) == 1 else "do not say how high they may stand"
        told.append(f"{joined(unknown)} {says}")
    sentence = f"{length(height)} above the sea the air cools and insulates less"
    if told:
        sentence += f": {'; '.join(told)}. Ask for what holds there, breakers and relays too."
    else:
        sentence += "; all that is planned may stand there and gives its full power. Ask for breakers and relays."
    return [
        warns_if(
            told,
            "height",
            "Site",
            "site.elevation_m",
            sentence + _assumed(subject.job),
            reading=(height, SIZED_FOR_M, "m"),
            rule="datasheets; where they state nothing, 2,000 m: IEC 62109-1, from memory",
        )
    ]
