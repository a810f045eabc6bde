"""A microinverter under each module and the battery on an inverter of its own."""

from calm_relay.job.equipment import Microinverter, by_price
from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import micro_converter, micro_faces, staying_converters
from calm_relay.planning.architecture.parts import (
    USUAL_RATIO,
    battery_inverter_of,
    plain_faces,
    serves,
    unbuildable,
)
from calm_relay.planning.architecture.refusals import micro_refusals
from calm_relay.planning.site.array import Face


def micro_ac(context: DesignContext) -> Design | Refusal:
    """A microinverter under each module and the battery on a unit of its own; for a roof without strings."""
    title = "Microinverters + AC battery"
    faces = context.survey.faces_then
    if strings := _strings_staying(context):
        lie = "1 string lies" if strings == 1 else f"{strings} strings lie"
        reason = f"{lie} on the roof: every module would have to come up to put one under it"
        return unbuildable(ARCHITECTURE, title, "AC", reason)
    if not faces:
        return unbuildable(ARCHITECTURE, title, "AC", "No array is stated to put units under")
    if all(face.plan.is_there for face in faces):
        reason = "Microinverters are there already: the AC-coupled add-on keeps them"
        return unbuildable(ARCHITECTURE, title, "AC", reason)
    there = tuple(face for face in faces if face.plan.is_there)
    converters = [unit for unit in staying_converters(context.survey, there) if serves(unit)]
    for face in faces:
        if face.plan.is_there:
            continue
        micro, reasons = _pick_micro(context, face)
        if micro is None:
            return unbuildable(ARCHITECTURE, title, "AC", *reasons)
        converters.append(micro_converter(face, micro))
    converter, reasons = battery_inverter_of(context, tuple(converters))
    if converter is None:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)
    built = (*converters, converter)
    return Design(ARCHITECTURE, title, "AC", built, context.leaving(built))


def _strings_staying(context: DesignContext) -> int:
    """How many strings of today stay on the roof."""
    return sum(face.plan.strings for face in plain_faces(context) if face.plan.is_there)


def _pick_micro(context: DesignContext, face: Face) -> tuple[Microinverter | None, tuple[str, ...]]:
    """The microinverter the job states, else the cheapest that is not much smaller than the module."""
    job, equipment = context.job, context.equipment
    candidates = equipment.on_offer.microinverters
    under = micro_faces(context.survey, (face,)).get(face)
    if under is not None:
        candidates = (under,)
    elif job.battery.microinverter is not None:
        candidates = (equipment.microinverter(job.battery.microinverter, "battery.microinverter"),)
    verdicts = [(item, micro_refusals(item, face.module, context.temperatures, job)) for item in candidates]
    fitting = [item for item, against in verdicts if not against]
    if not fitting:
        nearest = min(verdicts, key=lambda item: len(item[1]), default=None)
        return None, tuple(nearest[1]) if nearest else ("the catalogue holds no microinverter",)
    enough = [item for item in fitting if face.module.power_w / item.ac_w <= USUAL_RATIO]
    if enough:
        return min(enough, key=by_price), ()
    return min(fitting, key=lambda item: (-item.ac_w, item.key)), ()


ARCHITECTURE = Architecture(
    key="micro-ac",
    place=3,
    place_on_bare_roof=1.5,
    school="A converter under each module: shade and faults stay where they are",
    build=micro_ac,
    per_module=True,
    search_words="microinverters",
    tried_with=lambda inverter, context: inverter.pv is None and not _strings_staying(context),
)
