"""One hybrid inverter for roof and battery."""

from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import (
    USUAL_RATIO,
    hybrid_of,
    new_hybrid,
    staying_beside,
    unbuildable,
)


def hybrid_swap(context: DesignContext) -> Design | Refusal:
    """One unit for roof and battery."""
    job, bank = context.job, context.bank
    title = "DC-coupled hybrid swap" if context.now else "DC-coupled hybrid"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "DC", *reasons)

    if any(_takes_its_battery_along(converter) for converter in context.now):
        return refused("The existing battery stays, and it hangs on the inverter that would go")
    if not context.survey.faces_then:
        return refused("No array is stated: its PV inputs would stay empty, and a battery inverter does the same")
    beside = tuple(
        converter
        for converter in staying_beside(context, context.survey.faces_then)
        if (converter.faces[0].plan.fate == "keep" if converter.micro else _stays(converter))
    )
    taken = {face.plan.name for converter in beside for face in converter.hung}
    faces = tuple(face for face in context.survey.faces_then if face.plan.name not in taken)
    if not faces:
        keeps = any(unit.stays for unit in job.existing_inverters)
        return refused(
            f"The survey keeps {context.kept_inverter} where it is"
            if keeps
            else "The survey keeps the microinverters, so no string is left for a hybrid"
        )
    array_kw = sum(face.rated_kw for face in faces)
    wanted_kw = context.kept.inverter.ac_kw if context.kept else array_kw / USUAL_RATIO
    inverter, reasons = hybrid_of(context, faces, wanted_kw)
    if inverter is None:
        return refused(*reasons)
    converters = (new_hybrid(context, inverter, faces, bank), *beside)
    return Design(ARCHITECTURE, title, "DC", converters, context.leaving(converters))


def _takes_its_battery_along(converter: Converter) -> bool:
    """Whether a unit would go with a battery on it that stays."""
    unit, battery = converter.surveyed, converter.battery_surveyed
    goes = unit is not None and not unit.stays and not converter.is_battery_unit
    return goes and battery is not None and battery.stays


def _stays(converter: Converter) -> bool:
    """Whether the survey keeps a unit: an inverter, or a battery on a unit of its own."""
    parts = (converter.surveyed, converter.battery_surveyed if converter.is_battery_unit else None)
    return any(part.stays for part in parts if part is not None)


ARCHITECTURE = Architecture(
    key="hybrid-swap",
    place=2,
    school="Couple on the DC side: one unit, one conversion less, clipped energy caught",
    build=hybrid_swap,
    role="DC",
    one_inverter=True,
    search_words="hybrid, DC side",
    tried_with=lambda inverter, context: inverter.pv is not None and not inverter.charge_controllers,
)
