"""The packs that are there on a new hybrid, with new ones beside them where the two may be mixed."""

from dataclasses import replace

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import (
    displaced,
    hybrid_of,
    new_hybrid,
    staying_beside,
    unbuildable,
)
from calm_relay.planning.architecture.refusals import mixing_refusals
from calm_relay.planning.architecture.ways.grow_bank import grown_bank
from calm_relay.planning.equipment.bank import Bank


def old_packs(context: DesignContext) -> Design | Refusal:
    """The packs of a battery that may go elsewhere, on a hybrid that takes the roof."""
    job, title = context.job, "Old packs on a new hybrid"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "DC", *reasons)

    if not job.existing_batteries:
        return refused("There are no packs to hang elsewhere")
    free = [unit for unit in context.now if unit.battery_surveyed and unit.battery_surveyed.fate == "reuse"]
    if not free:
        goes = all(battery.goes for battery in job.existing_batteries)
        return refused(
            "The survey lets the old battery go" if goes else "The survey keeps the old battery where it is"
        )
    old = free[0]
    beside = tuple(
        replace(unit, held=None, battery_surveyed=None) if unit.battery_surveyed == old.battery_surveyed else unit
        for unit in staying_beside(context, context.survey.faces_then)
        if not (unit.is_battery_unit and unit.battery_surveyed == old.battery_surveyed)
    )
    faces = displaced(context, beside)
    if not faces:
        return refused("No string is left for a hybrid")
    added = Bank(context.bank.pack, context.bank.count, stacks=context.bank.stacks)
    mixed = not mixing_refusals(old.bank.pack, added.pack)
    wanted_kw = context.kept.inverter.ac_kw if context.kept else 0.0
    tried = [(grown_bank(old.bank, added), added)] if mixed else []
    reasons: tuple[str, ...] = ()
    for whole, new in (*tried, (old.bank, None)):
        inverter, reasons = hybrid_of(replace(context, bank=whole), faces, wanted_kw)
        if inverter is not None:
            carrier = replace(
                new_hybrid(context, inverter, faces, whole), added=new, battery_surveyed=old.battery_surveyed
            )
            converters = (carrier, *beside)
            title = title if new is None else "Old and new packs on a new hybrid"
            return Design(ARCHITECTURE, title, "DC", converters, context.leaving(converters))
    return refused(*reasons)


ARCHITECTURE = Architecture(
    key="old-packs",
    place=6.5,
    school="What still serves is used: the old packs move to a hybrid that takes the roof",
    build=old_packs,
    one_inverter=True,
)
