"""The equipment a job names, and the copies of it that a job carries so that it opens anywhere and never changes."""

from collections.abc import Iterator

from calm_relay.job.equipment import KINDS, Catalogue
from calm_relay.job.model import Job


def named_equipment(job: Job) -> Iterator[tuple[str, str, str]]:
    """Kind, key and field of every item that a job names.

    What lies under modules is named as an optimiser and as a microinverter: the field holds either.
    """
    for number, face in enumerate(job.faces):
        yield "modules", face.module, f"faces.{number}.module"
        if face.electronics is not None:
            yield "optimisers", face.electronics, f"faces.{number}.electronics"
            yield "microinverters", face.electronics, f"faces.{number}.electronics"
    for number, unit in enumerate(job.existing_inverters):
        yield "inverters", unit.inverter, f"existing_inverters.{number}.inverter"
    for number, old in enumerate(job.existing_batteries):
        yield "packs", old.pack, f"existing_batteries.{number}.pack"
        if old.inverter is not None:
            yield "inverters", old.inverter, f"existing_batteries.{number}.inverter"
    batteries = [("battery", job.battery)]
    batteries += [(f"pinned.{number}.battery", pin.battery) for number, pin in enumerate(job.pinned)]
    for path, battery in batteries:
        yield "packs", battery.pack, f"{path}.pack"
        for field in ("hybrid", "battery_inverter", "string_inverter"):
            key = getattr(battery, field)
            if key is not None:
                yield "inverters", key, f"{path}.{field}"
        if battery.microinverter is not None:
            yield "microinverters", battery.microinverter, f"{path}.microinverter"


def with_copies(job: Job, catalogue: Catalogue) -> Job:
    """The job with a copy of every item it names, and of what expands its battery, that it did not hold yet."""
    named = {(kind, key) for kind, key, _ in named_equipment(job)}
    packs = {key for kind, key in named if kind == "packs"}
    more = {}
    for kind in KINDS:
        held = {item.key for item in getattr(job.own_equipment, kind)}
        copies = tuple(
            item
            for item in getattr(catalogue, kind)
            if item.key not in held
            and ((kind, item.key) in named or (kind == "packs" and item.expansion_of in packs))
        )
        if copies:
            more[kind] = getattr(job.own_equipment, kind) + copies
    return job.with_(own_equipment=job.own_equipment.with_(**more)) if more else job
