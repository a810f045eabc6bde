"""A few modules on a plug, with a small AC-coupled battery."""

from dataclasses import replace

from calm_relay.job.equipment import by_price
from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import staying_converters
from calm_relay.planning.architecture.parts import array_refusals, plain_faces, unbuildable
from calm_relay.planning.architecture.refusals import battery_refusals, site_refusals
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.site.array import Face

PLUG_IN_MODULES = (2, 3, 4)


def balcony(context: DesignContext) -> Design | Refusal:
    """Two to four modules on a plug, with a small AC-coupled battery that watches a CT."""
    job, title = context.job, "Plug-in modules and battery"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "AC", *reasons)

    rule = context.rules.of("plug-in kW")
    if rule is None:
        return refused("The rules held for this region know no plug-in systems")
    equipment = context.equipment.on_offer
    inverters = [item for item in equipment.inverters if item.plug_in and item.pv and not site_refusals(item, job)]
    batteries = [item for item in equipment.inverters if item.plug_in and item.pv is None]
    pairs = [
        (converter, Bank(pack, pack.count_min))
        for converter in batteries
        for pack in equipment.packs
        if not battery_refusals(Bank(pack, pack.count_min), converter, job)
    ]
    if not inverters or not pairs:
        return refused("The catalogue holds no plug-in inverter and battery for this supply")
    cap_kw = rule.limit
    inverter = min(inverters, key=by_price)
    inverter = inverter.with_(ac_kw=min(inverter.ac_kw, cap_kw))
    if not context.survey.faces_then:
        return refused("No face is stated on which a few modules could hang")
    face = _sunniest(context)
    for count in reversed(PLUG_IN_MODULES):
        few = _few_modules(face, count)
        strings = context.survey.lay(inverter, (few,))
        if not strings.left_out and not array_refusals(context, inverter, (few,), False):
            break
    else:
        return refused(f"No two to four {face.module.name} fit {inverter.name}")
    converter, bank = min(pairs, key=lambda pair: (pair[0].price <= 0.0, pair[0].price + pair[1].price))
    capped = converter.with_(ac_kw=min(converter.ac_kw, cap_kw))
    there = tuple(face for face in context.survey.faces_then if face.plan.is_there)
    going = {unit.name for unit in job.existing_inverters if unit.goes}
    for face in plain_faces(context):
        unit = job.wired_to(face.plan)
        if face.plan.is_there and (unit is None or unit in going):
            why = f"{unit} goes" if unit else "No inverter is there"
            return refused(f"{why}, and {face.plan.name} would hang on nothing")
    kept = staying_converters(context.survey, there) if context.now else ()
    converters = (
        *kept,
        Converter(inverter, strings, alike=context.survey.first_new(inverter)),
        Converter(capped, held=bank),
    )
    return Design(ARCHITECTURE, title, "AC", converters, context.leaving(converters))


def _sunniest(context: DesignContext) -> Face:
    """The face whose plane and modules those on a plug share: one to come, where there is any, that yields most."""
    faces = context.survey.faces_then
    to_come = tuple(face for face in faces if not face.plan.is_there)
    return max(to_come or faces, key=lambda face: float(face.made.dc_kw.mean()) / face.rated_kw)


def _few_modules(face: Face, count: int) -> Face:
    """So many new modules in the plane of a face."""
    share = count / face.plan.count
    plan = face.plan.with_(
        name="Plug-in stand", count=count, strings=1, fate="new", electronics=None, rectangle=None, age_years=0
    )
    made = replace(face.made, dc_kw=face.made.dc_kw * share)
    return Face(plan, face.module, made, face.step_h)


ARCHITECTURE = Architecture(
    key="balcony",
    place=11,
    school="Start small: a few modules on a plug",
    build=balcony,
    stays="Nothing is touched: modules and battery go on a plug.",
)
