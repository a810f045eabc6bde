"""What several architectures are put together from: the AC-coupled unit, the inverter that takes the roof."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from calm_relay.job.equipment import Inverter
from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import battery_stays, micro_faces, staying_converters
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.refusals import battery_refusals, phase_refusals, units_refusals
from calm_relay.planning.equipment.bank import discharge_ac_kw
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.stringing import Stringing, hard_refusals

# Array over AC rating up to which a size is taken when the planner chooses: common practice, no source.
USUAL_RATIO = 1.35


def battery_inverter_of(context: DesignContext) -> tuple[Converter | None, tuple[str, ...]]:
    """The AC-coupled unit, or units side by side, for the new battery; or the reasons why there is none."""
    job, bank = context.job, context.bank

    def refusals(inverter: Inverter) -> list[str]:
        return units_refusals(inverter, bank.units) or battery_refusals(bank, inverter.times(bank.units), job)

    inverter, reasons = pick(
        context,
        Search(
            job.battery.battery_inverter,
            "battery.battery_inverter",
            lambda inverter: inverter.pv is None and not inverter.plug_in,
            refusals,
            refusals,
            lambda inverter: discharge_ac_kw(bank, inverter.times(bank.units))[0],
            _wanted_kw(context),
        ),
    )
    return (None, reasons) if inverter is None else (Converter(inverter.times(bank.units), held=bank), ())


def _wanted_kw(context: DesignContext) -> float:
    """The worst evening; off grid also what the arrays on the bus ask of the inverter that forms it."""
    peak_kw = context.demand.evening_peak_kw
    if context.job.supply.on_grid:
        return peak_kw
    return max(peak_kw, sum(face.rated_kw for face in context.survey.faces_then) / USUAL_RATIO)


def hybrid_of(
    context: DesignContext, faces: tuple[Face, ...], wanted_kw: float
) -> tuple[Inverter | None, tuple[str, ...]]:
    """The hybrid for the new battery and some faces, possibly none; or the reasons why there is none."""

    def refusals(inverter: Inverter) -> list[str]:
        return hybrid_refusals(context, inverter)

    return pick(
        context,
        Search(
            stated_hybrid(context, charge_controllers=False),
            "battery.hybrid",
            lambda item: item.pv is not None and item.battery is not None and not item.charge_controllers,
            refusals,
            lambda inverter: refusals(inverter) + array_refusals(context, inverter, faces, True),
            lambda inverter: inverter.ac_kw,
            wanted_kw,
            lambda inverter: context.survey.lay(inverter, faces, fixed(faces)).homeless if faces else 0,
        ),
    )


def stated_hybrid(context: DesignContext, *, charge_controllers: bool) -> str | None:
    """Key of the hybrid that the job states, if it is of this kind."""
    key = context.job.battery.hybrid
    if key is None:
        return None
    return (
        key if context.equipment.inverter(key, "battery.hybrid").charge_controllers == charge_controllers else None
    )


def hybrid_refusals(context: DesignContext, inverter: Inverter) -> list[str]:
    """Reasons why a unit cannot carry the new battery and modules."""
    reasons = battery_refusals(context.bank, inverter, context.job)
    if context.bank.units > 1:
        reasons.append(f"{context.bank.units} units side by side are battery inverters; a hybrid stands alone")
    return reasons if inverter.pv else [*reasons, f"{inverter.name} has no PV inputs"]


def array_refusals(
    context: DesignContext, inverter: Inverter, faces: tuple[Face, ...], with_battery: bool
) -> list[str]:
    """Reasons why faces cannot hang on an inverter."""
    if inverter.pv is None or not faces:
        return []
    strings = context.survey.lay(inverter, faces, fixed(faces))
    reasons = hard_refusals(
        Stringing(strings.runs, (), strings.origin, strings.faults),
        context.temperatures,
        context.survey.site_limit,
    )
    if not strings.runs:
        reasons += [f"{item.face.plan.name}: {item.reason}" for item in strings.left_out]
    array_kw = sum(run.kw for run in strings.runs)
    allowed = inverter.pv.ratio_max_with_battery if with_battery else inverter.pv.ratio_max
    ratio = array_kw / inverter.ac_kw
    if ratio > allowed + 1e-9:
        reasons.append(f"{array_kw:.2f} kWp is {ratio:.2f} times {inverter.name}; its maker allows {allowed:.2f}")
    return reasons


def string_inverter(context: DesignContext) -> tuple[Inverter | None, tuple[str, ...]]:
    """A string inverter for the faces to come, or the reasons why there is none."""
    faces = context.survey.faces_then
    array_kw = sum(face.rated_kw for face in faces)

    def refusals(inverter: Inverter) -> list[str]:
        reasons = phase_refusals(inverter, context.job)
        return reasons if inverter.pv else [*reasons, f"{inverter.name} has no PV inputs"]

    return pick(
        context,
        Search(
            context.job.battery.string_inverter,
            "battery.string_inverter",
            lambda inverter: inverter.pv is not None and inverter.battery is None and not inverter.plug_in,
            refusals,
            lambda inverter: refusals(inverter) + array_refusals(context, inverter, faces, False),
            lambda inverter: inverter.ac_kw,
            array_kw / USUAL_RATIO,
            lambda inverter: context.survey.lay(inverter, faces, fixed(faces)).homeless,
        ),
    )


def staying_beside(context: DesignContext, faces: tuple[Face, ...]) -> Iterator[Converter]:
    """Microinverters and a battery on a unit of its own that stay when the inverter goes."""
    for converter in context.now:
        own_battery = converter.has_battery and not converter.has_strings
        if (converter.micro and converter.faces[0] in faces) or (own_battery and battery_stays(context.job)):
            yield converter


def plain_faces(context: DesignContext) -> tuple[Face, ...]:
    """Faces to come without microinverters under their modules."""
    faces = context.survey.faces_then
    micros = micro_faces(context.survey, faces)
    return tuple(face for face in faces if face not in micros)


def fixed(faces: tuple[Face, ...]) -> frozenset[str]:
    """Names of the faces whose strings stay as they are wired."""
    return frozenset(face.plan.name for face in faces if face.plan.fate == "keep")


def with_bank(context: DesignContext, **changes: Any) -> DesignContext:
    """The context with fields of its bank changed."""
    return replace(context, bank=replace(context.bank, **changes))


def coupled_on_ac(context: DesignContext, architecture: Architecture) -> Design | Refusal:
    """String inverters and the battery's own unit on one AC bus."""
    job = context.job
    title = "AC-coupled add-on" if context.now else "String inverter + AC battery"
    converter, reasons = battery_inverter_of(context)
    if converter is None:
        return unbuildable(architecture, title, "AC", *reasons)
    keeps = job.existing_inverter is not None and job.existing_inverter.fate != "remove"
    faces = context.survey.faces_then
    if keeps or (context.now and job.existing_inverter is None):
        changed = any(face.plan.fate in {"new", "remove"} for face in context.faces)
        converters = staying_converters(
            context.survey, faces, as_wired=not changed, with_battery=battery_stays(job)
        )
        bare = [item for converter in converters if converter.has_strings for item in converter.stringing.left_out]
        new = [item for item in bare if item.face.plan.fate == "new"]
        if new:
            name = new[0].face.plan.name
            text = f"{new[0].modules} modules of {name} find no place on the inverter that stays: {new[0].reason}"
            return unbuildable(architecture, title, "AC", text)
        return Design(architecture, title, "AC", (*converters, converter))
    if not faces:
        return Design(architecture, "Battery alone", "AC", (*staying_beside(context, faces), converter))
    inverter, reasons = string_inverter(context)
    if inverter is None:
        return unbuildable(architecture, title, "AC", *reasons)
    plain = tuple(face for face in faces if face not in micro_faces(context.survey, faces))
    strings = context.survey.lay(inverter, plain, fixed(plain))
    converters = (Converter(inverter, strings), *staying_beside(context, faces), converter)
    removed = tuple(
        converter.inverter for converter in context.now if converter.micro is None and converter.has_strings
    )
    return Design(architecture, title, "AC", converters, removed, strings.strings if removed else 0)


def unbuildable(architecture: Architecture, title: str, coupling: str, *reasons: str) -> Refusal:
    """What cannot be built, with the reasons."""
    return Refusal(architecture, title, coupling, reasons)
