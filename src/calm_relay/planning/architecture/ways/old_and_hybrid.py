"""The old AC-coupled battery kept beside a new hybrid."""

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import (
    displaced,
    hybrid_of,
    new_hybrid,
    staying_beside,
    unbuildable,
)


def old_and_hybrid(context: DesignContext) -> Design | Refusal:
    """The old AC-coupled battery kept beside a new hybrid with the roof on it."""
    job, title = context.job, "Old battery kept, new hybrid"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "DC", *reasons)

    if not job.existing_batteries:
        return refused("There is no battery to keep")
    if all(battery.goes for battery in job.existing_batteries):
        return refused("The survey lets the old battery go")
    beside = tuple(staying_beside(context, context.survey.faces_then))
    own = [unit.battery_surveyed for unit in beside if unit.is_battery_unit]
    if not own:
        return refused("The battery hangs on the inverter that a hybrid would take the place of")
    faces = displaced(context, beside)
    if not faces:
        keeps = any(unit.stays for unit in job.existing_inverters)
        return refused(
            f"The survey keeps {context.kept_inverter} where it is" if keeps else "No string is left for a hybrid"
        )
    if all(battery is not None and battery.stays for battery in own):
        return refused("The DC-coupled hybrid swap keeps the old battery already")
    inverter, reasons = hybrid_of(context, faces, context.kept.inverter.ac_kw if context.kept else 0.0)
    if inverter is None:
        return refused(*reasons)
    converters = (new_hybrid(context, inverter, faces, context.bank), *beside)
    return Design(ARCHITECTURE, title, "DC", converters, context.leaving(converters))


ARCHITECTURE = Architecture(
    key="old-and-hybrid",
    place=6,
    school="Both: the old battery serves out its time beside a new hybrid",
    build=old_and_hybrid,
)
