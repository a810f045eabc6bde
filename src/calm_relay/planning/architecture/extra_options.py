"""Architectures beside what is there, on a bus of their own, or small: built, or refused with why."""

from dataclasses import replace

from calm_relay.planning.architecture.design import (
    BALCONY,
    BESIDE,
    CLOCK_BANK,
    DC_BUS,
    GROW_BANK,
    OLD_AND_HYBRID,
    Converter,
    Design,
    DesignContext,
)
from calm_relay.planning.architecture.existing_system import battery_stays, staying_converters
from calm_relay.planning.architecture.parts import (
    array_refusals,
    fixed,
    hybrid_of,
    plain_faces,
    stated_hybrid,
    staying_beside,
    unbuildable,
)
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.refusals import battery_refusals, mixing_refusals, phase_refusals
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.equipment.rules import rule_of
from calm_relay.planning.site.array import Face

PLUG_IN_MODULES = (2, 3, 4)


def hybrid_beside(context: DesignContext) -> Design:
    """A hybrid that carries the battery, and the modules to come, beside the inverter that is kept."""
    job, title = context.job, "Hybrid beside the kept inverter"
    if context.kept is None or job.existing_inverter is None:
        return unbuildable(BESIDE, title, "AC", "There is no inverter with strings to keep beside it")
    if job.existing_inverter.fate == "remove":
        return unbuildable(BESIDE, title, "AC", f"The survey lets {context.kept.inverter.name} go")
    faces = plain_faces(context)
    new = tuple(face for face in faces if face.plan.fate == "new")
    old = tuple(face for face in context.survey.faces_then if face not in new)
    wanted_kw = max(context.demand.evening_peak_kw, sum(face.rated_kw for face in new) / 1.35)
    inverter, reasons = hybrid_of(context, new, wanted_kw)
    if inverter is None:
        return unbuildable(BESIDE, title, "AC", *reasons)
    kept = staying_converters(context.survey, old, as_wired=True, with_battery=battery_stays(job))
    strings = context.survey.lay(inverter, new, fixed(new)) if new else None
    return Design(BESIDE, title, "DC" if new else "AC", (*kept, Converter(inverter, strings, context.bank)))


def old_and_hybrid(context: DesignContext) -> Design:
    """The old AC-coupled battery kept beside a new hybrid with the roof on it."""
    job, title = context.job, "Old battery kept, new hybrid"

    def refused(*reasons):
        return unbuildable(OLD_AND_HYBRID, title, "DC", *reasons)

    if job.existing_battery is None:
        return refused("There is no battery to keep")
    if job.existing_battery.inverter is None:
        return refused("The battery hangs on the inverter that a hybrid would take the place of")
    if job.existing_battery.fate == "remove":
        return refused("The survey lets the old battery go")
    if job.existing_inverter is not None and job.existing_inverter.fate == "keep":
        return refused(f"The survey keeps {context.kept.inverter.name} where it is")
    if job.existing_battery.fate == "keep":
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
    return Design(OLD_AND_HYBRID, title, "DC", converters, removed, moved)


def grow_bank(context: DesignContext) -> Design:
    """More packs on the port that carries the old battery."""
    job, title = context.job, "More packs on the old battery"
    old = next((converter for converter in context.now if converter.bank), None)
    if old is None:
        return unbuildable(GROW_BANK, title, "none", "There is no battery to add packs to")
    coupling = "DC" if old.stringing else "AC"
    if job.existing_battery.fate == "remove":
        return unbuildable(GROW_BANK, title, coupling, "The survey lets the old battery go")
    added = Bank(context.bank.pack, context.bank.count)
    reasons = mixing_refusals(old.bank.pack, added.pack)
    count = old.bank.count + added.count
    old_kwh = old.bank.nominal_kwh
    health = (old_kwh * old.bank.health + added.nominal_kwh) / (old_kwh + added.nominal_kwh)
    whole = Bank(old.bank.pack, count, health)
    if not reasons:
        reasons = battery_refusals(whole, old.inverter, job)
    if reasons:
        return unbuildable(GROW_BANK, title, coupling, *reasons)
    grown = replace(old, bank=whole, added=added)
    converters = tuple(grown if converter is old else converter for converter in context.now)
    return Design(GROW_BANK, title, coupling, converters)


def dc_bus(context: DesignContext) -> Design:
    """Charge controllers and the battery on one DC bus, an inverter from there to the home."""
    title = "DC bus, charge controllers"

    def refused(*reasons):
        return unbuildable(DC_BUS, title, "DC", *reasons)

    if any(converter.inverter.charge_controllers for converter in context.now):
        return refused("A DC bus with charge controllers is what stands there today")
    if context.job.existing_inverter is not None and context.job.existing_inverter.fate == "keep":
        return refused(f"The survey keeps {context.kept.inverter.name} where it is")
    if context.job.existing_battery is not None and context.job.existing_battery.fate == "keep":
        return refused("The existing battery stays where it is")
    faces = plain_faces(context)
    if not faces:
        return refused("No string is left for charge controllers")

    def refusals(inverter):
        return battery_refusals(context.bank, inverter, context.job)

    inverter, reasons = pick(
        context,
        Search(
            stated_hybrid(context, charge_controllers=True),
            "battery.hybrid",
            lambda inverter: inverter.charge_controllers,
            refusals,
            lambda inverter: refusals(inverter) + array_refusals(context, inverter, faces, True),
            lambda inverter: inverter.ac_kw,
            context.kept.inverter.ac_kw if context.kept else 0.0,
            lambda inverter: context.survey.lay(inverter, faces, fixed(faces)).homeless,
        ),
    )
    if inverter is None:
        return refused(*reasons)
    strings = context.survey.lay(inverter, faces, fixed(faces))
    micros = tuple(
        converter
        for converter in context.now
        if converter.micro and converter.faces[0] in context.survey.faces_then
    )
    removed = tuple(converter.inverter for converter in context.now if converter not in micros)
    moved = strings.strings if any(face.plan.is_there for face in faces) else 0
    return Design(DC_BUS, title, "DC", (Converter(inverter, strings, context.bank), *micros), removed, moved)


def clock_bank(context: DesignContext) -> Design:
    """A small lead-acid bank on a time clock, without metering."""
    job, title = context.job, "Small bank on a time clock"
    lead = [pack for pack in context.equipment.catalogue.packs if pack.is_lead]
    if context.bank.pack.is_lead:
        lead = [context.bank.pack]
    if not lead:
        return unbuildable(CLOCK_BANK, title, "AC", "The catalogue holds no lead-acid bank")
    pack = min(lead, key=lambda item: (item.price, item.key))
    bank = Bank(pack, context.bank.count if context.bank.pack.is_lead else pack.count_min)

    def refusals(inverter):
        return battery_refusals(bank, inverter, job)

    inverter, reasons = pick(
        replace(context, bank=bank),
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
    if inverter is None:
        return unbuildable(CLOCK_BANK, title, "AC", *reasons)
    kept = staying_converters(
        context.survey, context.survey.faces_then, as_wired=True, with_battery=battery_stays(job)
    )
    if not any(converter.has_array for converter in kept):
        reason = "A time clock charges in the sun hours of an array that is there; this roof is bare"
        return unbuildable(CLOCK_BANK, title, "AC", reason)
    return Design(CLOCK_BANK, title, "AC", (*kept, Converter(inverter, bank=bank)), by_clock=True)


def balcony(context: DesignContext) -> Design:
    """Two to four modules on a plug, with a small AC-coupled battery that watches a CT."""
    job, title = context.job, "Plug-in modules and battery"

    def refused(*reasons):
        return unbuildable(BALCONY, title, "AC", *reasons)

    rule = rule_of(job, "plug-in kW")
    if rule is None:
        return refused("The rules held for this region know no plug-in systems")
    equipment = context.equipment.catalogue
    inverters = [
        item for item in equipment.inverters if item.plug_in and item.pv and not phase_refusals(item, job)
    ]
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
    inverter = min(inverters, key=lambda item: item.price)
    inverter = inverter.with_(ac_kw=min(inverter.ac_kw, cap_kw))
    face = context.survey.faces_then[0]
    for count in reversed(PLUG_IN_MODULES):
        few = _few_modules(face, count)
        strings = context.survey.lay(inverter, (few,))
        if not strings.left_out and not array_refusals(context, inverter, (few,), False):
            break
    else:
        return refused(f"No two to four {face.module.name} fit {inverter.name}")
    converter, bank = min(pairs, key=lambda pair: pair[0].price + pair[1].price)
    capped = converter.with_(ac_kw=min(converter.ac_kw, cap_kw))
    kept = (
        staying_converters(
            context.survey, context.survey.faces_then, as_wired=True, with_battery=battery_stays(job)
        )
        if context.now
        else ()
    )
    return Design(BALCONY, title, "AC", (*kept, Converter(inverter, strings), Converter(capped, bank=bank)))


def _few_modules(face, count):
    """So many new modules in the plane of a face."""
    share = count / face.plan.count
    plan = face.plan.with_(
        name="Plug-in modules", count=count, strings=1, fate="new", electronics=None, rectangle=None, age_years=0
    )
    made = replace(face.made, dc_kw=face.made.dc_kw * share)
    return Face(plan, face.module, made, face.step_h)
