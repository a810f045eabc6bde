"""A hybrid with the battery beside the inverter that is kept."""

from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import staying_converters
from calm_relay.planning.architecture.parts import (
    USUAL_RATIO,
    hybrid_of,
    new_hybrid,
    plain_faces,
    serves,
    unbuildable,
)


def hybrid_beside(context: DesignContext) -> Design | Refusal:
    """A hybrid that carries the battery, and the modules to come, beside the inverter that is kept."""
    job, title = context.job, "Hybrid beside the kept inverter"
    if context.kept is None or not job.existing_inverters:
        return unbuildable(ARCHITECTURE, title, "AC", "There is no inverter with strings to keep beside it")
    names = {unit.name for unit in job.existing_inverters if not unit.goes}
    if not names:
        return unbuildable(ARCHITECTURE, title, "AC", f"The survey lets {context.kept.inverter.name} go")
    faces = plain_faces(context)
    new = tuple(face for face in faces if context.job.wired_to(face.plan) not in names)
    old = tuple(face for face in context.survey.faces_then if face not in new)
    wanted_kw = max(context.demand.evening_peak_kw, sum(face.rated_kw for face in new) / USUAL_RATIO)
    inverter, reasons = hybrid_of(context, new, wanted_kw)
    if inverter is None:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)
    kept = tuple(filter(serves, staying_converters(context.survey, old)))
    if not any(unit.surveyed is not None for unit in kept):
        return unbuildable(ARCHITECTURE, title, "AC", "No module stays on an inverter that is there")
    converters = (*kept, new_hybrid(context, inverter, new, context.bank))
    coupling = "DC" if new else "AC"
    return Design(ARCHITECTURE, title, coupling, converters, context.leaving(converters))


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
