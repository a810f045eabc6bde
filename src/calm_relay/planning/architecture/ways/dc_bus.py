"""Charge controllers and the battery on one DC bus."""

from calm_relay.job.equipment import Inverter
from calm_relay.planning.architecture.design import Architecture, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import micro_converter, micro_faces
from calm_relay.planning.architecture.parts import (
    array_refusals,
    fixed,
    hybrid_refusals,
    new_hybrid,
    plain_faces,
    side_by_side,
    stated_hybrid,
    unbuildable,
)
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.unbalance import excess_kw


def dc_bus(context: DesignContext) -> Design | Refusal:
    """Charge controllers and the battery on one DC bus, an inverter from there to the home."""
    title = "DC bus, charge controllers"

    def refused(*reasons: str) -> Refusal:
        return unbuildable(ARCHITECTURE, title, "DC", *reasons)

    if any(converter.inverter.charge_controllers for converter in context.now):
        return refused("A DC bus with charge controllers is what stands there today")
    if any(unit.stays for unit in context.job.existing_inverters):
        return refused(f"The survey keeps {context.kept_inverter} where it is")
    if any(battery.stays for battery in context.job.existing_batteries):
        return refused("The existing battery stays where it is")
    faces = plain_faces(context)
    if not faces:
        return refused("No string is left for charge controllers")

    def refusals(inverter: Inverter) -> list[str]:
        return hybrid_refusals(context, inverter)

    inverter, reasons = pick(
        context,
        Search(
            stated_hybrid(context, charge_controllers=True),
            "battery.hybrid",
            lambda inverter: inverter.charge_controllers,
            refusals,
            lambda inverter: (
                refusals(inverter) + array_refusals(context, side_by_side(context, inverter), faces, True)
            ),
            lambda inverter: side_by_side(context, inverter).ac_kw,
            context.kept.inverter.ac_kw if context.kept else 0.0,
            lambda inverter: excess_kw(context, side_by_side(context, inverter), ()),
            lambda inverter: context.survey.lay(side_by_side(context, inverter), faces, fixed(faces)).homeless,
        ),
    )
    if inverter is None:
        return refused(*reasons)
    inverter = side_by_side(context, inverter)
    micros = [
        micro_converter(face, micro)
        for face, micro in micro_faces(context.survey, context.survey.faces_then).items()
    ]
    converters = (new_hybrid(context, inverter, faces, context.bank), *micros)
    return Design(ARCHITECTURE, title, "DC", converters, context.leaving(converters))


ARCHITECTURE = Architecture(
    key="dc-bus",
    place=8,
    school="A DC bus: charge controllers and battery first, one inverter from there",
    build=dc_bus,
    search_words="DC bus",
    tried_with=lambda inverter, context: inverter.charge_controllers,
)
