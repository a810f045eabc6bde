"""The architectures on offer for a job; one that cannot be built says why."""

from calm_relay.planning.bank import discharge_ac_kw
from calm_relay.planning.design import AC_ADDON, AS_IS, HYBRID_SWAP, MICRO_AC, Box, Design, Ground
from calm_relay.planning.pick import Search, pick
from calm_relay.planning.refusals import battery_refusals, micro_refusals, phase_refusals
from calm_relay.planning.standing import battery_stays, micro_box, micro_faces, standing
from calm_relay.planning.stringing import Stringing, hard_refusals

# Array over AC rating up to which a size is taken when the planner chooses: common practice, no source.
USUAL_RATIO = 1.35


def designs(ground: Ground) -> tuple[Design, ...]:
    """The options of a job in a fixed order; a roof that is still bare has microinverters to choose as well."""
    as_is = Design(AS_IS, "As it is", "none", ground.now)
    if ground.now:
        return as_is, _ac_addon(ground), _hybrid(ground)
    return as_is, _ac_addon(ground), _micro_ac(ground), _hybrid(ground)


def _battery_box(ground):
    """The AC-coupled box for the new store, or the reasons why there is none."""
    job, bank = ground.job, ground.bank

    def refusals(converter):
        return battery_refusals(bank, converter, job)

    return pick(
        ground,
        Search(
            job.store.battery_inverter,
            "store.battery_inverter",
            lambda converter: converter.pv is None,
            refusals,
            refusals,
            lambda converter: discharge_ac_kw(bank, converter)[0],
            ground.demand.evening_peak_kw,
        ),
    )


def _ac_addon(ground):
    job = ground.job
    title = "AC-coupled add-on" if ground.now else "String inverter + AC store"
    converter, reasons = _battery_box(ground)
    if converter is None:
        return Design(AC_ADDON, title, "AC", refused=reasons)
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
            return Design(AC_ADDON, title, "AC", refused=(text,))
        return Design(AC_ADDON, title, "AC", (*boxes, Box(converter, bank=ground.bank)))
    inverter, reasons = _string_inverter(ground)
    if inverter is None:
        return Design(AC_ADDON, title, "AC", refused=reasons)
    plain = tuple(face for face in faces if face not in micro_faces(ground.survey, faces))
    strings = ground.survey.lay(inverter, plain, _fixed(plain))
    boxes = (Box(inverter, strings), *_standing_beside(ground, faces), Box(converter, bank=ground.bank))
    removed = tuple(box.converter for box in ground.now if box.micro is None and box.stringing is not None)
    return Design(AC_ADDON, title, "AC", boxes, removed, strings.strings if removed else 0)


def _standing_beside(ground, faces):
    """Microinverters and a battery on a box of its own that stay when the inverter goes."""
    for box in ground.now:
        own_battery = box.bank is not None and box.stringing is None
        if (box.micro and box.faces[0] in faces) or (own_battery and battery_stays(ground.job)):
            yield box


def _fixed(faces):
    return frozenset(face.plan.name for face in faces if face.plan.fate == "keep")


def _string_inverter(ground):
    """A string inverter for the faces to come."""
    faces = ground.survey.faces_then
    array_kw = sum(face.rated_kw for face in faces)

    def refusals(converter):
        reasons = phase_refusals(converter, ground.job)
        return reasons if converter.pv else [*reasons, f"{converter.name} has no PV inputs"]

    return pick(
        ground,
        Search(
            ground.job.store.string_inverter,
            "store.string_inverter",
            lambda converter: converter.pv is not None and converter.battery is None,
            refusals,
            lambda converter: refusals(converter) + _array_refusals(ground, converter, False),
            lambda converter: converter.ac_kw,
            array_kw / USUAL_RATIO,
            lambda converter: ground.survey.lay(converter, faces, _fixed(faces)).homeless,
        ),
    )


def _micro_ac(ground):
    title = "Microinverters + AC store"
    converter, reasons = _battery_box(ground)
    if converter is None:
        return Design(MICRO_AC, title, "AC", refused=reasons)
    boxes = []
    for face in ground.survey.faces_then:
        micro, reasons = _pick_micro(ground, face)
        if micro is None:
            return Design(MICRO_AC, title, "AC", refused=reasons)
        boxes.append(micro_box(face, micro, is_new=True))
    return Design(MICRO_AC, title, "AC", (*boxes, Box(converter, bank=ground.bank)))


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


def _array_refusals(ground, converter, with_battery):
    """Reasons why the faces to come cannot hang on an inverter."""
    if converter.pv is None:
        return []
    strings = ground.survey.lay(converter, ground.survey.faces_then, _fixed(ground.survey.faces_then))
    reasons = hard_refusals(
        Stringing(strings.runs, (), strings.origin, strings.faults), ground.temperatures, ground.survey.site_limit
    )
    if not strings.runs:
        reasons += [f"{item.face.plan.name}: {item.reason}" for item in strings.left_out]
    array_kw = sum(run.kw for run in strings.runs)
    allowed = converter.pv.ratio_max_with_battery if with_battery else converter.pv.ratio_max
    ratio = array_kw / converter.ac_kw
    if ratio > allowed + 1e-9:
        reasons.append(f"{array_kw:.2f} kWp is {ratio:.2f} times {converter.name}; its maker allows {allowed:.2f}")
    return reasons


def _hybrid(ground):
    job, bank = ground.job, ground.bank
    title = "DC-coupled hybrid swap" if ground.now else "DC-coupled hybrid"

    def refused(*reasons):
        return Design(HYBRID_SWAP, title, "DC", refused=reasons)

    if job.inverter is not None and job.inverter.fate == "keep":
        return refused(f"The survey keeps {ground.kept.converter.name} where it is")
    if job.battery is not None and job.battery.fate == "keep" and job.battery.converter is None:
        return refused("The existing battery stays, and it hangs on the inverter that would go")
    faces = ground.survey.faces_then
    staying = [box for box in ground.now if box.micro and box.faces[0].plan.fate == "keep"]
    if staying and all(face in [box.faces[0] for box in staying] for face in faces):
        return refused("The survey keeps the microinverters, so no string is left for a hybrid")

    def refusals(converter):
        reasons = battery_refusals(bank, converter, job)
        return reasons if converter.pv else [*reasons, f"{converter.name} has no PV inputs"]

    array_kw = sum(face.rated_kw for face in faces)
    converter, reasons = pick(
        ground,
        Search(
            job.store.hybrid,
            "store.hybrid",
            lambda converter: converter.pv is not None and converter.battery is not None,
            refusals,
            lambda converter: refusals(converter) + _array_refusals(ground, converter, True),
            lambda converter: converter.ac_kw,
            ground.kept.converter.ac_kw if ground.kept else array_kw / USUAL_RATIO,
            lambda converter: ground.survey.lay(converter, faces, _fixed(faces)).homeless,
        ),
    )
    if converter is None:
        return refused(*reasons)
    beside = tuple(staying)
    own = tuple(box for box in ground.now if box.bank and box.stringing is None and battery_stays(job))
    strings = ground.survey.lay(
        converter, tuple(f for f in faces if f not in [box.faces[0] for box in beside]), _fixed(faces)
    )
    there = any(face.plan.is_there for face in faces)
    removed = tuple(box.converter for box in ground.now if box not in (*beside, *own))
    box = Box(converter, strings, bank)
    return Design(HYBRID_SWAP, title, "DC", (box, *beside, *own), removed, strings.strings if there else 0)
