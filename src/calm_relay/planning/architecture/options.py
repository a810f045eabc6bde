"""The architectures on offer for a job; one that cannot be built says why."""

from dataclasses import replace

from calm_relay.planning.architecture.design import (
    AC_ADDON,
    AC_BUS,
    AS_IS,
    HYBRID_SWAP,
    MICRO_AC,
    TWO_UNITS,
    Box,
    Design,
    Ground,
)
from calm_relay.planning.architecture.existing_system import battery_stays, micro_box, micro_faces, standing
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
    battery_box,
    fixed,
    hybrid_of,
    standing_beside,
    string_inverter,
    unbuildable,
    with_bank,
)
from calm_relay.planning.architecture.refusals import connection_refusals, island_refusals, micro_refusals


def designs(ground: Ground) -> tuple[Design, ...]:
    """Every architecture for a job in a fixed order, those that cannot be built with their reasons."""
    as_is = Design(AS_IS, "As it is", "none", ground.now)
    first = (as_is, ac_addon(ground), hybrid_swap(ground), micro_ac(ground))
    if not ground.now:
        first = (as_is, ac_addon(ground), micro_ac(ground), hybrid_swap(ground))
    more = (two_units, hybrid_beside, old_and_hybrid, grow_bank, dc_bus, ac_bus, clock_bank, balcony)
    made = (*first, *(option(ground) for option in more))
    return tuple(within_connection(design, ground) for design in made)


def within_connection(design: Design, ground: Ground) -> Design:
    """The design, refused where the connection may not have it, or where it cannot stand without a street."""
    if not ground.job.supply.street:
        reasons = island_refusals(design) if design.new_boxes else []
    else:
        reasons = connection_refusals(design, ground.job) if design.new_boxes else []
    return replace(design, boxes=(), refused=tuple(reasons)) if reasons else design


def two_units(ground: Ground) -> Design:
    """One battery unit more beside the other: energy and power, where an expansion adds energy only."""
    units = ground.bank.units + 1
    design = coupled_on_ac(with_bank(ground, units=units))
    return replace(design, key=TWO_UNITS, title="Second battery unit" if units == 2 else f"{units} battery units")


def ac_addon(ground: Ground) -> Design:
    """The store on a box of its own at the AC bus."""
    design = coupled_on_ac(ground)
    if ground.job.supply.street:
        return design
    return unbuildable(AC_ADDON, design.title, "AC", "Without a street the AC bus off grid takes its place")


def ac_bus(ground: Ground) -> Design:
    """String inverters behind grid-forming battery inverters, which is for a site without a street."""
    title = "AC bus, off grid"
    if ground.job.supply.street:
        reason = "This site has a street: an AC bus is for one without; the AC-coupled add-on is its kin"
        return unbuildable(AC_BUS, title, "AC", reason)
    return replace(coupled_on_ac(ground), key=AC_BUS, title=title)


def coupled_on_ac(ground: Ground) -> Design:
    """String inverters and the store's own box on one AC bus."""
    job = ground.job
    title = "AC-coupled add-on" if ground.now else "String inverter + AC store"
    box, reasons = battery_box(ground)
    if box is None:
        return unbuildable(AC_ADDON, title, "AC", *reasons)
    keeps = job.inverter is not None and job.inverter.fate != "remove"
    faces = ground.survey.faces_then
    if keeps or (ground.now and job.inverter is None):
        changed = any(face.plan.fate in {"new", "remove"} for face in ground.faces)
        boxes = standing(ground.survey, faces, as_wired=not changed, with_battery=battery_stays(job))
        bare = [item for box in boxes if box.stringing for item in box.stringing.left_out]
        new = [item for item in bare if item.face.plan.fate == "new"]
        if new:
            name = new[0].face.plan.name
            text = f"{new[0].modules} modules of {name} find no place on the inverter that stays: {new[0].reason}"
            return unbuildable(AC_ADDON, title, "AC", text)
        return Design(AC_ADDON, title, "AC", (*boxes, box))
    inverter, reasons = string_inverter(ground)
    if inverter is None:
        return unbuildable(AC_ADDON, title, "AC", *reasons)
    plain = tuple(face for face in faces if face not in micro_faces(ground.survey, faces))
    strings = ground.survey.lay(inverter, plain, fixed(plain))
    boxes = (Box(inverter, strings), *standing_beside(ground, faces), box)
    removed = tuple(box.converter for box in ground.now if box.micro is None and box.stringing is not None)
    return Design(AC_ADDON, title, "AC", boxes, removed, strings.strings if removed else 0)


def micro_ac(ground: Ground) -> Design:
    """A microinverter under each module and the store on a box of its own; for a roof that is still bare."""
    title = "Microinverters + AC store"
    if ground.kept is not None:
        strings = ground.kept.stringing.strings
        reason = f"{strings} strings lie on the roof: every module would have to come up to put one under it"
        return unbuildable(MICRO_AC, title, "AC", reason)
    if ground.now:
        reason = "Microinverters are there already: the AC-coupled add-on keeps them"
        return unbuildable(MICRO_AC, title, "AC", reason)
    box, reasons = battery_box(ground)
    if box is None:
        return unbuildable(MICRO_AC, title, "AC", *reasons)
    boxes = []
    for face in ground.survey.faces_then:
        micro, reasons = _pick_micro(ground, face)
        if micro is None:
            return unbuildable(MICRO_AC, title, "AC", *reasons)
        boxes.append(micro_box(face, micro, is_new=True))
    return Design(MICRO_AC, title, "AC", (*boxes, box))


def _pick_micro(ground, face):
    """The microinverter the job states, else the cheapest that is not much smaller than the module."""
    job, kit = ground.job, ground.kit
    candidates = kit.catalogue.microinverters
    under = micro_faces(ground.survey, (face,)).get(face)
    if under is not None:
        candidates = (under,)
    elif job.store.microinverter is not None:
        candidates = (kit.microinverter(job.store.microinverter, "store.microinverter"),)
    verdicts = [(item, micro_refusals(item, face.module, ground.temperatures, job)) for item in candidates]
    fitting = [item for item, against in verdicts if not against]
    if not fitting:
        nearest = min(verdicts, key=lambda item: len(item[1]), default=None)
        return None, tuple(nearest[1]) if nearest else ("the catalogue holds no microinverter",)
    enough = [item for item in fitting if face.module.power_w / item.ac_w <= USUAL_RATIO]
    return min(enough or fitting, key=lambda item: (-item.ac_w if not enough else item.price, item.key)), ()


def hybrid_swap(ground: Ground) -> Design:
    """One box for roof and store."""
    job, bank = ground.job, ground.bank
    title = "DC-coupled hybrid swap" if ground.now else "DC-coupled hybrid"

    def refused(*reasons):
        return unbuildable(HYBRID_SWAP, title, "DC", *reasons)

    if job.inverter is not None and job.inverter.fate == "keep":
        return refused(f"The survey keeps {ground.kept.converter.name} where it is")
    if job.battery is not None and job.battery.fate == "keep" and job.battery.converter is None:
        return refused("The existing battery stays, and it hangs on the inverter that would go")
    faces = ground.survey.faces_then
    staying = [box for box in ground.now if box.micro and box.faces[0].plan.fate == "keep"]
    if staying and all(face in [box.faces[0] for box in staying] for face in faces):
        return refused("The survey keeps the microinverters, so no string is left for a hybrid")
    array_kw = sum(face.rated_kw for face in faces)
    wanted_kw = ground.kept.converter.ac_kw if ground.kept else array_kw / USUAL_RATIO
    converter, reasons = hybrid_of(ground, faces, wanted_kw)
    if converter is None:
        return refused(*reasons)
    beside = tuple(staying)
    stays = job.battery is not None and job.battery.fate == "keep"
    own = tuple(box for box in ground.now if box.bank and box.stringing is None and stays)
    strings = ground.survey.lay(
        converter, tuple(f for f in faces if f not in [box.faces[0] for box in beside]), fixed(faces)
    )
    there = any(face.plan.is_there for face in faces)
    removed = tuple(box.converter for box in ground.now if box not in (*beside, *own))
    box = Box(converter, strings, bank)
    return Design(HYBRID_SWAP, title, "DC", (box, *beside, *own), removed, strings.strings if there else 0)
