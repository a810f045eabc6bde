"""The old AC-coupled battery kept beside a new hybrid."""

from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import fixed, hybrid_of, plain_faces, staying_beside, unbuildable


def old_and_hybrid(context: DesignContext) -> Design | Refusal:
    """The old AC-coupled battery kept beside a new hybrid with the roof on it."""
    job, title = context.job, "Old battery kept, new hybrid"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "DC", *reasons)

    if job.existing_battery is None:
        return refused("There is no battery to keep")
    if job.old_battery.inverter is None:
        return refused("The battery hangs on the inverter that a hybrid would take the place of")
    if job.old_battery.fate == "remove":
        return refused("The survey lets the old battery go")
    if job.existing_inverter is not None and job.existing_inverter.fate == "keep":
        return refused(f"The survey keeps {context.kept_inverter} where it is")
    if job.old_battery.fate == "keep":
        return refused("The DC-coupled hybrid swap keeps the old battery already")
    faces = plain_faces(context)
    if not faces:
        return refused("No string is left for a hybrid")
    inverter, reasons = hybrid_of(context, faces, context.kept.inverter.ac_kw if context.kept else 0.0)
    if inverter is None:
        return refused(*reasons)
    strings = context.survey.lay(inverter, faces, fixed(faces))
    beside = tuple(staying_beside(context, context.survey.faces_then))
    removed = tuple(converter.inverter for converter in context.now if converter not in beside)
    moved = strings.strings if any(face.plan.is_there for face in faces) else 0
    converters = (Converter(inverter, strings, context.bank), *beside)
    return Design(ARCHITECTURE, title, "DC", converters, removed, moved)


ARCHITECTURE = Architecture(
    key="old-and-hybrid",
    place=6,
    school="Both: the old battery serves out its time beside a new hybrid",
    build=old_and_hybrid,
)
