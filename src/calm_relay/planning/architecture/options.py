"""The architectures on offer for a job; one that cannot be built says why."""

from dataclasses import replace

from calm_relay.planning.architecture.design import (
    AC_ADDON,
    AC_BUS,
    AS_IS,
    HYBRID_SWAP,
    MICRO_AC,
    TWO_UNITS,
    Converter,
    Design,
    DesignContext,
)
from calm_relay.planning.architecture.existing_system import (
    battery_stays,
    micro_converter,
    micro_faces,
    staying_converters,
)
from calm_relay.planning.architecture.extra_options import (
    balcony,
    clock_bank,
    dc_bus,
    grow_bank,
    hybrid_beside,
    old_and_hybrid,
)
from calm_relay.planning.architecture.parts import (
    USUAL_RATIO,
    battery_inverter_of,
    fixed,
    hybrid_of,
    staying_beside,
    string_inverter,
    unbuildable,
    with_bank,
)
from calm_relay.planning.architecture.refusals import connection_refusals, island_refusals, micro_refusals


def designs(context: DesignContext) -> tuple[Design, ...]:
    """Every architecture for a job in a fixed order, those that cannot be built with their reasons."""
    as_is = Design(AS_IS, "As it is", "none", context.now)
    first = (as_is, ac_addon(context), hybrid_swap(context), micro_ac(context))
    if not context.now:
        first = (as_is, ac_addon(context), micro_ac(context), hybrid_swap(context))
    more = (two_units, hybrid_beside, old_and_hybrid, grow_bank, dc_bus, ac_bus, clock_bank, balcony)
    made = (*first, *(option(context) for option in more))
    return tuple(within_connection(design, context) for design in made)


def within_connection(design: Design, context: DesignContext) -> Design:
    """The design, refused where the connection may not have it, or where it cannot stand off grid."""
    if not context.job.supply.on_grid:
        reasons = island_refusals(design) if design.new_converters else []
    else:
        reasons = connection_refusals(design, context.job) if design.new_converters else []
    return replace(design, converters=(), refused=tuple(reasons)) if reasons else design


def two_units(context: DesignContext) -> Design:
    """One battery unit more beside the other: energy and power, where an expansion adds energy only."""
    units = context.bank.units + 1
    design = coupled_on_ac(with_bank(context, units=units))
    return replace(design, key=TWO_UNITS, title="Second battery unit" if units == 2 else f"{units} battery units")


def ac_addon(context: DesignContext) -> Design:
    """The battery on a unit of its own at the AC bus."""
    design = coupled_on_ac(context)
    if context.job.supply.on_grid:
        return design
    return unbuildable(AC_ADDON, design.title, "AC", "Off grid, the AC bus takes its place")


def ac_bus(context: DesignContext) -> Design:
    """String inverters behind grid-forming battery inverters, which is for a site off grid."""
    title = "AC bus, off grid"
    if context.job.supply.on_grid:
        reason = (
            "This site has a grid connection: an AC bus is for off-grid sites; the AC-coupled add-on is its kin"
        )
        return unbuildable(AC_BUS, title, "AC", reason)
    return replace(coupled_on_ac(context), key=AC_BUS, title=title)


def coupled_on_ac(context: DesignContext) -> Design:
    """String inverters and the battery's own unit on one AC bus."""
    job = context.job
    title = "AC-coupled add-on" if context.now else "String inverter + AC battery"
    converter, reasons = battery_inverter_of(context)
    if converter is None:
        return unbuildable(AC_ADDON, title, "AC", *reasons)
    keeps = job.existing_inverter is not None and job.existing_inverter.fate != "remove"
    faces = context.survey.faces_then
    if keeps or (context.now and job.existing_inverter is None):
        changed = any(face.plan.fate in {"new", "remove"} for face in context.faces)
        converters = staying_converters(
            context.survey, faces, as_wired=not changed, with_battery=battery_stays(job)
        )
        bare = [item for converter in converters if converter.stringing for item in converter.stringing.left_out]
        new = [item for item in bare if item.face.plan.fate == "new"]
        if new:
            name = new[0].face.plan.name
            text = f"{new[0].modules} modules of {name} find no place on the inverter that stays: {new[0].reason}"
            return unbuildable(AC_ADDON, title, "AC", text)
        return Design(AC_ADDON, title, "AC", (*converters, converter))
    inverter, reasons = string_inverter(context)
    if inverter is None:
        return unbuildable(AC_ADDON, title, "AC", *reasons)
    plain = tuple(face for face in faces if face not in micro_faces(context.survey, faces))
    strings = context.survey.lay(inverter, plain, fixed(plain))
    converters = (Converter(inverter, strings), *staying_beside(context, faces), converter)
    removed = tuple(
        converter.inverter
        for converter in context.now
        if converter.micro is None and converter.stringing is not None
    )
    return Design(AC_ADDON, title, "AC", converters, removed, strings.strings if removed else 0)


def micro_ac(context: DesignContext) -> Design:
    """A microinverter under each module and the battery on a unit of its own; for a roof that is still bare."""
    title = "Microinverters + AC battery"
    if context.kept is not None:
        strings = context.kept.stringing.strings
        reason = f"{strings} strings lie on the roof: every module would have to come up to put one under it"
        return unbuildable(MICRO_AC, title, "AC", reason)
    if context.now:
        reason = "Microinverters are there already: the AC-coupled add-on keeps them"
        return unbuildable(MICRO_AC, title, "AC", reason)
    converter, reasons = battery_inverter_of(context)
    if converter is None:
        return unbuildable(MICRO_AC, title, "AC", *reasons)
    converters = []
    for face in context.survey.faces_then:
        micro, reasons = _pick_micro(context, face)
        if micro is None:
            return unbuildable(MICRO_AC, title, "AC", *reasons)
        converters.append(micro_converter(face, micro, is_new=True))
    return Design(MICRO_AC, title, "AC", (*converters, converter))


def _pick_micro(context, face):
    """The microinverter the job states, else the cheapest that is not much smaller than the module."""
    job, equipment = context.job, context.equipment
    candidates = equipment.catalogue.microinverters
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
    return min(enough or fitting, key=lambda item: (-item.ac_w if not enough else item.price, item.key)), ()


def hybrid_swap(context: DesignContext) -> Design:
    """One unit for roof and battery."""
    job, bank = context.job, context.bank
    title = "DC-coupled hybrid swap" if context.now else "DC-coupled hybrid"

    def refused(*reasons):
        return unbuildable(HYBRID_SWAP, title, "DC", *reasons)

    if job.existing_inverter is not None and job.existing_inverter.fate == "keep":
        return refused(f"The survey keeps {context.kept.inverter.name} where it is")
    if (
        job.existing_battery is not None
        and job.existing_battery.fate == "keep"
        and job.existing_battery.inverter is None
    ):
        return refused("The existing battery stays, and it hangs on the inverter that would go")
    faces = context.survey.faces_then
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
    stays = job.existing_battery is not None and job.existing_battery.fate == "keep"
    own = tuple(converter for converter in context.now if converter.bank and converter.stringing is None and stays)
    strings = context.survey.lay(
        inverter, tuple(f for f in faces if f not in [converter.faces[0] for converter in beside]), fixed(faces)
    )
    there = any(face.plan.is_there for face in faces)
    removed = tuple(converter.inverter for converter in context.now if converter not in (*beside, *own))
    converter = Converter(inverter, strings, bank)
    return Design(HYBRID_SWAP, title, "DC", (converter, *beside, *own), removed, strings.strings if there else 0)
