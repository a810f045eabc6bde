"""Where the equipment a job carries differs from the library's, or cannot be had."""

from typing import Any

from calm_relay.job.carried import named_equipment
from calm_relay.job.equipment import KINDS, Catalogue
from calm_relay.job.field_words import words_of
from calm_relay.job.model import Job
from calm_relay.job.quantity import with_unit
from calm_relay.planning.findings.base import Finding, Mend, Subject, check, warns

STATION = {
    "modules": "Roof",
    "optimisers": "Roof",
    "microinverters": "Roof",
    "inverters": "Inverter",
    "packs": "Battery",
}
# So many differing fields are named; the rest are counted.
NAMED = 3


@check
def check_copies(subject: Subject) -> list[Finding]:
    """A job's own copy of an item stays as it is until somebody takes the library's new values."""
    found = []
    library = subject.context.equipment.library.in_money_of(subject.job)
    for kind in KINDS:
        copies = getattr(subject.job.own_equipment, kind)
        offered = {item.key: item for item in getattr(library, kind)} if copies else {}
        for copy in copies:
            new = offered.get(copy.key)
            if new is not None and new != copy:
                found.append(_differs(kind, copy, new))
    return found


def _differs(kind: str, copy: Any, new: Any) -> Finding:
    changed = [name for name in type(copy).model_fields if getattr(copy, name) != getattr(new, name)]
    words = [_change(copy, new, name) for name in changed[:NAMED]]
    more = f" and {len(changed) - NAMED} more" if len(changed) > NAMED else ""
    return warns(
        "own copy",
        STATION[kind],
        f"own_equipment.{kind}",
        f"This job’s {copy.name} is not as in the library: {'; '.join(words)}{more}.",
        reading=(float(len(changed)), 0.0, "fields"),
        rule="library of equipment",
        mends=(Mend("Take the library’s values", lambda job: _with_item(job, kind, new)),),
    )


def _change(copy: Any, new: Any, name: str) -> str:
    words = words_of(type(copy), name)
    before, after = getattr(copy, name), getattr(new, name)
    if isinstance(before, int | float) and isinstance(after, int | float) and not isinstance(before, bool):
        here, there = (with_unit(f"{value * words.scale:g}", words.unit) for value in (before, after))
        return f"{words.title} {here} here, {there} there"
    return words.title


def _with_item(job: Job, kind: str, item: Any) -> Job:
    own = Catalogue.model_validate({kind: (item,)})
    return job.with_(own_equipment=job.own_equipment.joined(own))


@check
def check_stock(subject: Subject) -> list[Finding]:
    """What a job names and the library says cannot be had from stock."""
    equipment = subject.context.equipment
    there = {face.module for face in subject.job.faces if face.is_there}
    existing: set[str | None] = {unit.inverter for unit in subject.job.existing_inverters}
    for old in subject.job.existing_batteries:
        existing |= {old.pack, old.inverter}
    found, seen = [], set()
    for kind, key, field in named_equipment(subject.job):
        stock = equipment.library.stock.get((kind, key), "in stock")
        if stock == "in stock" or (kind, key) in seen or key in existing or (kind == "modules" and key in there):
            continue
        seen.add((kind, key))
        item = next((one for one in getattr(equipment.catalogue, kind) if one.key == key), None)
        if item is not None:
            found.append(
                warns(
                    "stock", STATION[kind], field, f"The {item.name} is {stock}, says the library of equipment.",
                    rule="library of equipment",
                )
            )  # fmt: skip
    return found


@check
def check_prices(subject: Subject) -> list[Finding]:
    """A new part without a price counts as nothing in the outlay: that must be seen."""
    parts: dict[str, str] = {}
    for converter in subject.design.new_converters:
        if converter.is_new and converter.inverter.price <= 0.0:
            parts[converter.inverter.name] = "Inverter"
        bank = converter.bought_packs
        if bank is not None and bank.pack.price <= 0.0:
            parts[bank.pack.name] = "Battery"
    for converter in subject.design.pv_converters:
        for run in converter.stringing.runs:
            if run.face.plan.fate == "new" and run.module.price <= 0.0:
                parts[run.module.name] = "Roof"
    return [
        warns(
            "price",
            station,
            "own_equipment",
            f"No price is stated for {name}: the outlay counts it as nothing.",
            rule="library of equipment",
        )
        for name, station in parts.items()
    ]
