"""Options pinned under a name, each with the battery and the units it had, planned anew beside each other."""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from calm_relay.job.field_words import lower_first
from calm_relay.job.model import Job, Pin
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.plan import Plan, plan
from calm_relay.planning.verdict.choice import choose
from calm_relay.planning.verdict.option import Option, RefusedOption


@dataclass(frozen=True)
class Pinned:
    """What is there today and every pin that can be built, as one plan; and why the others cannot.

    `names` are those of the plan's options, `refused` (name, reasons).
    """

    plan: Plan
    names: tuple[str, ...]
    refused: tuple[tuple[str, str], ...]


def new_units(option: Option) -> str:
    """What an option brings along, unit by unit: packs and what they hang on, inverters of the array."""
    words = []
    for unit in option.design.new_converters:
        on = unit.micro.name if unit.micro is not None else unit.inverter.name
        words.append(f"{unit.bank.summary} on {on}" if unit.has_battery else on)
    return ", ".join(words)


def pin_of(option: Option, name: str) -> Pin:
    """An option as a pin: its battery, and the units it has stated one by one.

    Raises
    ------
    pydantic.ValidationError
        When the name is empty or too long.
    """
    units: dict[str, Any] = {}
    for converter in option.design.new_converters:
        if converter.micro is not None:
            units["microinverter"] = converter.micro.key
        elif converter.has_battery:
            units["battery_inverter" if converter.inverter.pv is None else "hybrid"] = converter.inverter.key
        elif converter.has_strings:
            units["string_inverter"] = converter.inverter.key
    return Pin(name=name, option=option.key, battery=option.context.job.battery.with_(**units))


def free_name(job: Job, wanted: str) -> str:
    """A name that no pin of the job has."""
    taken = {pin.name for pin in job.pinned}
    return next(
        name for n in range(1, 99) if (name := wanted[:50] if n == 1 else f"{wanted[:50]} {n}") not in taken
    )


def pinned_of(made: Plan, folder: Path, progress: Progress = unheard) -> Pinned:
    """Plans every pin of a job with the rest of the job as it stands.

    Parameters
    ----------
    made : Plan
        Of the job.
    folder : Path
        Where the job's relative paths start.
    progress : Progress
        Told before each pin; it may call the study off.
    """
    options: list[Option] = [made.as_is]
    names, refused = [made.as_is.title], []
    for number, pin in enumerate(made.job.pinned):
        progress(number / len(made.job.pinned), f"Planning {pin.name}")
        try:
            there = plan(made.job.with_(battery=pin.battery, pinned=()), made.equipment.library, folder)
            option = there.option(pin.option)
        except (PlanError, StopIteration) as error:
            refused.append((pin.name, str(error) or "this way to couple is not known any more"))
            continue
        except ValidationError as error:
            # What it was pinned with may contradict what the job holds since.
            refused.append((pin.name, lower_first(refused_words(error, Job))))
            continue
        if isinstance(option, RefusedOption):
            refused.append((pin.name, "; ".join(option.refusal.reasons)))
            continue
        # Two pins may couple the same way: each has a key of its own here.
        way = replace(option.design.architecture, key=f"pin-{number}", role="")
        design = replace(option.design, architecture=way, title=pin.name)
        options.append(replace(option, design=design))
        names.append(pin.name)
    choice = choose(options, made.job, made.demand, made.rules.words)
    return Pinned(replace(made, options=tuple(options), choice=choice), tuple(names), tuple(refused))
