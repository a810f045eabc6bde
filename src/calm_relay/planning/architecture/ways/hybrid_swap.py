"""One hybrid inverter for roof and battery."""

from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.parts import USUAL_RATIO, fixed, hybrid_of, unbuildable


def hybrid_swap(context: DesignContext) -> Design | Refusal:
    """One unit for roof and battery."""
    job, bank = context.job, context.bank
    title = "DC-coupled hybrid swap" if context.now else "DC-coupled hybrid"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "DC", *reasons)

    if job.existing_inverter is not None and job.existing_inverter.fate == "keep":
        return refused(f"The survey keeps {context.kept_inverter} where it is")
    if job.existing_battery is not None and job.old_battery.fate == "keep" and job.old_battery.inverter is None:
        return refused("The existing battery stays, and it hangs on the inverter that would go")
    faces = context.survey.faces_then
    if not faces:
        return refused("No array is stated: its PV inputs would stay empty, and a battery inverter does the same")
    staying = [
        converter for converter in context.now if converter.micro and converter.faces[0].plan.fate == "keep"
    ]
    if staying and all(face in [converter.faces[0] for converter in staying] for face in faces):
        return refused("The survey keeps the microinverters, so no string is left for a hybrid")
    array_kw = sum(face.rated_kw for face in faces)
    wanted_kw = context.kept.inverter.ac_kw if context.kept else array_kw / USUAL_RATIO
    inverter, reasons = hybrid_of(context, faces, wanted_kw)
    if inverter is None:
        return refused(*reasons)
    beside = tuple(staying)
    stays = job.existing_battery is not None and job.old_battery.fate == "keep"
    own = tuple(
        converter for converter in context.now if converter.has_battery and not converter.has_strings and stays
    )
    strings = context.survey.lay(
        inverter, tuple(f for f in faces if f not in [converter.faces[0] for converter in beside]), fixed(faces)
    )
    there = any(face.plan.is_there for face in faces)
    removed = tuple(converter.inverter for converter in context.now if converter not in (*beside, *own))
    converter = Converter(inverter, strings, bank)
    return Design(ARCHITECTURE, title, "DC", (converter, *beside, *own), removed, strings.strings if there else 0)


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
