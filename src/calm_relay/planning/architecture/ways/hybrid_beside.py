"""A hybrid with the battery beside the inverter that is kept."""

from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import battery_stays, staying_converters
from calm_relay.planning.architecture.parts import USUAL_RATIO, fixed, hybrid_of, plain_faces, unbuildable


def hybrid_beside(context: DesignContext) -> Design | Refusal:
    """A hybrid that carries the battery, and the modules to come, beside the inverter that is kept."""
    job, title = context.job, "Hybrid beside the kept inverter"
    if context.kept is None or job.existing_inverter is None:
        return unbuildable(ARCHITECTURE, title, "AC", "There is no inverter with strings to keep beside it")
    if job.existing_inverter.fate == "remove":
        return unbuildable(ARCHITECTURE, title, "AC", f"The survey lets {context.kept.inverter.name} go")
    faces = plain_faces(context)
    new = tuple(face for face in faces if face.plan.fate == "new")
    old = tuple(face for face in context.survey.faces_then if face not in new)
    wanted_kw = max(context.demand.evening_peak_kw, sum(face.rated_kw for face in new) / USUAL_RATIO)
    inverter, reasons = hybrid_of(context, new, wanted_kw)
    if inverter is None:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)
    kept = staying_converters(context.survey, old, as_wired=True, with_battery=battery_stays(job))
    strings = context.survey.lay(inverter, new, fixed(new)) if new else None
    return Design(ARCHITECTURE, title, "DC" if new else "AC", (*kept, Converter(inverter, strings, context.bank)))


ARCHITECTURE = Architecture(
    key="hybrid-beside",
    place=5,
    school="Both: keep what works and hang the battery, and what is new, on a hybrid beside it",
    build=hybrid_beside,
    search_words="hybrid beside",
    tried_with=lambda inverter, context: (
        inverter.pv is not None and not inverter.charge_controllers and bool(context.now)
    ),
)
