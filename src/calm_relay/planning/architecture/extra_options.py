"""Architectures beside what is there, on a bus of their own, or small: built, or refused with why."""

from dataclasses import replace

from calm_relay.planning.architecture.design import (
    BALCONY,
    BESIDE,
    CLOCK_BANK,
    DC_BUS,
    GROW_BANK,
    OLD_AND_HYBRID,
    Box,
    Design,
    Ground,
)
from calm_relay.planning.architecture.existing_system import battery_stays, standing
from calm_relay.planning.architecture.parts import (
    array_refusals,
    fixed,
    hybrid_of,
    plain_faces,
    standing_beside,
    stated_hybrid,
    unbuildable,
)
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.refusals import battery_refusals, mixing_refusals, phase_refusals
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.equipment.rules import rule_of
from calm_relay.planning.site.array import Face

PLUG_IN_MODULES = (2, 3, 4)


def hybrid_beside(ground: Ground) -> Design:
    """A hybrid that carries the store, and the modules to come, beside the inverter that is kept."""
    job, title = ground.job, "Hybrid beside the kept inverter"
    if ground.kept is None or job.inverter is None:
        return unbuildable(BESIDE, title, "AC", "There is no inverter with strings to keep beside it")
    if job.inverter.fate == "remove":
        return unbuildable(BESIDE, title, "AC", f"The survey lets {ground.kept.converter.name} go")
    faces = plain_faces(ground)
    new = tuple(face for face in faces if face.plan.fate == "new")
    old = tuple(face for face in ground.survey.faces_then if face not in new)
    wanted_kw = max(ground.demand.evening_peak_kw, sum(face.rated_kw for face in new) / 1.35)
    converter, reasons = hybrid_of(ground, new, wanted_kw)
    if converter is None:
        return unbuildable(BESIDE, title, "AC", *reasons)
    kept = standing(ground.survey, old, as_wired=True, with_battery=battery_stays(job))
    strings = ground.survey.lay(converter, new, fixed(new)) if new else None
    return Design(BESIDE, title, "DC" if new else "AC", (*kept, Box(converter, strings, ground.bank)))


def old_and_hybrid(ground: Ground) -> Design:
    """The old AC-coupled battery kept beside a new hybrid with the roof on it."""
    job, title = ground.job, "Old battery kept, new hybrid"

    def refused(*reasons):
        return unbuildable(OLD_AND_HYBRID, title, "DC", *reasons)

    if job.battery is None:
        return refused("There is no battery to keep")
    if job.battery.converter is None:
        return refused("The battery hangs on the inverter that a hybrid would take the place of")
    if job.battery.fate == "remove":
        return refused("The survey lets the old battery go")
    if job.inverter is not None and job.inverter.fate == "keep":
        return refused(f"The survey keeps {ground.kept.converter.name} where it is")
    if job.battery.fate == "keep":
        return refused("The DC-coupled hybrid swap keeps the old battery already")
    faces = plain_faces(ground)
    if not faces:
        return refused("No string is left for a hybrid")
    converter, reasons = hybrid_of(ground, faces, ground.kept.converter.ac_kw if ground.kept else 0.0)
    if converter is None:
        return refused(*reasons)
    strings = ground.survey.lay(converter, faces, fixed(faces))
    beside = tuple(standing_beside(ground, ground.survey.faces_then))
    removed = tuple(box.converter for box in ground.now if box not in beside)
    moved = strings.strings if any(face.plan.is_there for face in faces) else 0
    boxes = (Box(converter, strings, ground.bank), *beside)
    return Design(OLD_AND_HYBRID, title, "DC", boxes, removed, moved)


def grow_bank(ground: Ground) -> Design:
    """More packs on the port that carries the old battery."""
    job, title = ground.job, "More packs on the old battery"
    old = next((box for box in ground.now if box.bank), None)
    if old is None:
        return unbuildable(GROW_BANK, title, "none", "There is no battery to add packs to")
    coupling = "DC" if old.stringing else "AC"
    if job.battery.fate == "remove":
        return unbuildable(GROW_BANK, title, coupling, "The survey lets the old battery go")
    added = Bank(ground.bank.pack, ground.bank.count)
    reasons = mixing_refusals(old.bank.pack, added.pack)
    count = old.bank.count + added.count
    old_kwh = old.bank.nominal_kwh
    health = (old_kwh * old.bank.health + added.nominal_kwh) / (old_kwh + added.nominal_kwh)
    whole = Bank(old.bank.pack, count, health)
    if not reasons:
        reasons = battery_refusals(whole, old.converter, job)
    if reasons:
        return unbuildable(GROW_BANK, title, coupling, *reasons)
    grown = replace(old, bank=whole, added=added)
    boxes = tuple(grown if box is old else box for box in ground.now)
    return Design(GROW_BANK, title, coupling, boxes)


def dc_bus(ground: Ground) -> Design:
    """Charge controllers and the store on one DC bus, an inverter from there to the home."""
    title = "DC bus, charge controllers"

    def refused(*reasons):
        return unbuildable(DC_BUS, title, "DC", *reasons)

    if any(box.converter.charge_controllers for box in ground.now):
        return refused("A DC bus with charge controllers is what stands there today")
    if ground.job.inverter is not None and ground.job.inverter.fate == "keep":
        return refused(f"The survey keeps {ground.kept.converter.name} where it is")
    if ground.job.battery is not None and ground.job.battery.fate == "keep":
        return refused("The existing battery stays where it is")
    faces = plain_faces(ground)
    if not faces:
        return refused("No string is left for charge controllers")

    def refusals(converter):
        return battery_refusals(ground.bank, converter, ground.job)

    converter, reasons = pick(
        ground,
        Search(
            stated_hybrid(ground, charge_controllers=True),
            "store.hybrid",
            lambda converter: converter.charge_controllers,
            refusals,
            lambda converter: refusals(converter) + array_refusals(ground, converter, faces, True),
            lambda converter: converter.ac_kw,
            ground.kept.converter.ac_kw if ground.kept else 0.0,
            lambda converter: ground.survey.lay(converter, faces, fixed(faces)).homeless,
        ),
    )
    if converter is None:
        return refused(*reasons)
    strings = ground.survey.lay(converter, faces, fixed(faces))
    micros = tuple(box for box in ground.now if box.micro and box.faces[0] in ground.survey.faces_then)
    removed = tuple(box.converter for box in ground.now if box not in micros)
    moved = strings.strings if any(face.plan.is_there for face in faces) else 0
    return Design(DC_BUS, title, "DC", (Box(converter, strings, ground.bank), *micros), removed, moved)


def clock_bank(ground: Ground) -> Design:
    """A small lead-acid bank on a time clock, without metering."""
    job, title = ground.job, "Small bank on a time clock"
    lead = [pack for pack in ground.kit.catalogue.packs if pack.is_lead]
    if ground.bank.pack.is_lead:
        lead = [ground.bank.pack]
    if not lead:
        return unbuildable(CLOCK_BANK, title, "AC", "The catalogue holds no lead-acid bank")
    pack = min(lead, key=lambda item: (item.price, item.key))
    bank = Bank(pack, ground.bank.count if ground.bank.pack.is_lead else pack.count_min)

    def refusals(converter):
        return battery_refusals(bank, converter, job)

    converter, reasons = pick(
        replace(ground, bank=bank),
        Search(
            None,
            "",
            lambda item: item.pv is None and not item.plug_in,
            refusals,
            refusals,
            lambda item: item.ac_kw,
            0.0,
        ),
    )
    if converter is None:
        return unbuildable(CLOCK_BANK, title, "AC", *reasons)
    kept = standing(ground.survey, ground.survey.faces_then, as_wired=True, with_battery=battery_stays(job))
    if not any(box.has_array for box in kept):
        reason = "A time clock charges in the sun hours of an array that is there; this roof is bare"
        return unbuildable(CLOCK_BANK, title, "AC", reason)
    return Design(CLOCK_BANK, title, "AC", (*kept, Box(converter, bank=bank)), by_clock=True)


def balcony(ground: Ground) -> Design:
    """Two to four modules on a plug, with a small AC-coupled store that watches a CT."""
    job, title = ground.job, "Plug-in modules and store"

    def refused(*reasons):
        return unbuildable(BALCONY, title, "AC", *reasons)

    rule = rule_of(job, "plug-in kW")
    if rule is None:
        return refused("The rules held for this region know no plug-in systems")
    kit = ground.kit.catalogue
    inverters = [item for item in kit.converters if item.plug_in and item.pv and not phase_refusals(item, job)]
    stores = [item for item in kit.converters if item.plug_in and item.pv is None]
    pairs = [
        (box, Bank(pack, pack.count_min))
        for box in stores
        for pack in kit.packs
        if not battery_refusals(Bank(pack, pack.count_min), box, job)
    ]
    if not inverters or not pairs:
        return refused("The catalogue holds no plug-in inverter and store for this supply")
    cap_kw = rule.limit
    inverter = min(inverters, key=lambda item: item.price)
    inverter = inverter.with_(ac_kw=min(inverter.ac_kw, cap_kw))
    face = ground.survey.faces_then[0]
    for count in reversed(PLUG_IN_MODULES):
        few = _few_modules(face, count)
        strings = ground.survey.lay(inverter, (few,))
        if not strings.left_out and not array_refusals(ground, inverter, (few,), False):
            break
    else:
        return refused(f"No two to four {face.module.name} fit {inverter.name}")
    box, bank = min(pairs, key=lambda pair: pair[0].price + pair[1].price)
    capped = box.with_(ac_kw=min(box.ac_kw, cap_kw))
    kept = (
        standing(ground.survey, ground.survey.faces_then, as_wired=True, with_battery=battery_stays(job))
        if ground.now
        else ()
    )
    return Design(BALCONY, title, "AC", (*kept, Box(inverter, strings), Box(capped, bank=bank)))


def _few_modules(face, count):
    """So many new modules in the plane of a face."""
    share = count / face.plan.count
    plan = face.plan.with_(
        name="Plug-in modules", count=count, strings=1, fate="new", electronics=None, rectangle=None, age_years=0
    )
    made = replace(face.made, dc_kw=face.made.dc_kw * share)
    return Face(plan, face.module, made, face.step_h)
