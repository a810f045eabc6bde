"""What several architectures are put together from: the AC-coupled box, the inverter that takes the roof."""

from dataclasses import replace

from calm_relay.job.equipment import Converter
from calm_relay.planning.architecture.design import Box, Design, Ground
from calm_relay.planning.architecture.existing_system import battery_stays, micro_faces
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.refusals import battery_refusals, phase_refusals, units_refusals
from calm_relay.planning.equipment.bank import discharge_ac_kw
from calm_relay.planning.strings.stringing import Stringing, hard_refusals

# Array over AC rating up to which a size is taken when the planner chooses: common practice, no source.
USUAL_RATIO = 1.35


def battery_box(ground: Ground) -> tuple[Box | None, tuple[str, ...]]:
    """The AC-coupled box, or boxes side by side, for the new store; or the reasons why there is none."""
    job, bank = ground.job, ground.bank

    def refusals(converter):
        return units_refusals(converter, bank.units) or battery_refusals(bank, converter.times(bank.units), job)

    converter, reasons = pick(
        ground,
        Search(
            job.store.battery_inverter,
            "store.battery_inverter",
            lambda converter: converter.pv is None and not converter.plug_in,
            refusals,
            refusals,
            lambda converter: discharge_ac_kw(bank, converter.times(bank.units))[0],
            _wanted_kw(ground),
        ),
    )
    return (None, reasons) if converter is None else (Box(converter.times(bank.units), bank=bank), ())


def _wanted_kw(ground):
    """The worst evening; without a street also what the arrays on the bus ask of the box that forms it."""
    peak_kw = ground.demand.evening_peak_kw
    if ground.job.supply.street:
        return peak_kw
    return max(peak_kw, sum(face.rated_kw for face in ground.survey.faces_then) / USUAL_RATIO)


def hybrid_of(ground: Ground, faces, wanted_kw: float) -> tuple[Converter | None, tuple[str, ...]]:
    """The hybrid for the new store and some faces, possibly none; or the reasons why there is none."""

    def refusals(converter):
        return hybrid_refusals(ground, converter)

    return pick(
        ground,
        Search(
            stated_hybrid(ground, charge_controllers=False),
            "store.hybrid",
            lambda item: item.pv is not None and item.battery is not None and not item.charge_controllers,
            refusals,
            lambda converter: refusals(converter) + array_refusals(ground, converter, faces, True),
            lambda converter: converter.ac_kw,
            wanted_kw,
            lambda converter: ground.survey.lay(converter, faces, fixed(faces)).homeless if faces else 0,
        ),
    )


def stated_hybrid(ground: Ground, *, charge_controllers: bool) -> str | None:
    """Key of the hybrid that the job states, if it is of this kind."""
    key = ground.job.store.hybrid
    if key is None:
        return None
    return key if ground.kit.converter(key, "store.hybrid").charge_controllers == charge_controllers else None


def hybrid_refusals(ground: Ground, converter: Converter) -> list[str]:
    """Reasons why a box cannot carry the new store and modules."""
    reasons = battery_refusals(ground.bank, converter, ground.job)
    return reasons if converter.pv else [*reasons, f"{converter.name} has no PV inputs"]


def array_refusals(ground: Ground, converter: Converter, faces, with_battery: bool) -> list[str]:
    """Reasons why faces cannot hang on an inverter."""
    if converter.pv is None or not faces:
        return []
    strings = ground.survey.lay(converter, faces, fixed(faces))
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


def string_inverter(ground: Ground) -> tuple[Converter | None, tuple[str, ...]]:
    """A string inverter for the faces to come, or the reasons why there is none."""
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
            lambda converter: converter.pv is not None and converter.battery is None and not converter.plug_in,
            refusals,
            lambda converter: refusals(converter) + array_refusals(ground, converter, faces, False),
            lambda converter: converter.ac_kw,
            array_kw / USUAL_RATIO,
            lambda converter: ground.survey.lay(converter, faces, fixed(faces)).homeless,
        ),
    )


def standing_beside(ground: Ground, faces):
    """Microinverters and a battery on a box of its own that stay when the inverter goes."""
    for box in ground.now:
        own_battery = box.bank is not None and box.stringing is None
        if (box.micro and box.faces[0] in faces) or (own_battery and battery_stays(ground.job)):
            yield box


def plain_faces(ground: Ground):
    """Faces to come without microinverters under their modules."""
    faces = ground.survey.faces_then
    micros = micro_faces(ground.survey, faces)
    return tuple(face for face in faces if face not in micros)


def fixed(faces) -> frozenset[str]:
    """Names of the faces whose strings stay as they are wired."""
    return frozenset(face.plan.name for face in faces if face.plan.fate == "keep")


def with_bank(ground: Ground, **changes) -> Ground:
    """The ground with fields of its bank changed."""
    return replace(ground, bank=replace(ground.bank, **changes))


def unbuildable(key: str, title: str, coupling: str, *reasons: str) -> Design:
    """A design that cannot be built, with the reasons."""
    return Design(key, title, coupling, refused=reasons)
